"""Applications on their page, and what their developers see with a token alone."""

import re

import pytest
from playwright.sync_api import expect
from tests.desk import Desk


@pytest.fixture
def desk(rondine, serve, request):
    return Desk(rondine, serve, "desk-" + request.node.name.removeprefix("test_").replace("_", "-")[:30].rstrip("-"))


def test_an_administrator_makes_one_and_gives_it_a_token(open_page, desk):
    page = open_page("ada")
    page.goto(f"/p/{desk.name}/applications")
    page.get_by_role("button", name="New application").click()
    page.get_by_label("Name").fill("tree-window")
    page.get_by_label("Title").fill("Tree window")
    page.get_by_label("get-tree", exact=True).check()
    page.get_by_label("Calls a minute").fill("600")
    page.get_by_role("button", name="Make the application").click()
    window = page.locator("section").filter(has=page.get_by_role("heading", name="Tree window"))
    expect(window.get_by_text("600 requests a minute")).to_be_visible()
    expect(window.get_by_text("It has no token, so nobody can call as it.")).to_be_visible()
    window.get_by_label("Where it is used").fill("beside the entrance")
    window.get_by_role("button", name="Make a token").click()
    token = window.get_by_text(re.compile("^rondine_app_")).inner_text()
    expect(window.get_by_text("beside the entrance")).to_be_visible()
    use = desk.application(token)
    assert [one["name"] for one in use.offer()["operations"]] == ["get-tree"]
    window.get_by_role("button", name="Change").click()
    window.get_by_label("Enabled").uncheck()
    window.get_by_role("button", name="Save").click()
    expect(window.get_by_text("disabled")).to_be_visible()
    assert desk.admin.applications.get("tree-window")["document"]["enabled"] is False
    window.get_by_role("button", name="Revoke").click()
    expect(window.get_by_text("It has no token, so nobody can call as it.")).to_be_visible()


def test_a_builder_sees_them_and_changes_nothing(open_page, desk):
    desk.use.call("get-tree", {"number": "OLM-1"})
    page = open_page("mira")
    page.goto(f"/p/{desk.name}/applications")
    expect(page.get_by_role("heading", name="desk", exact=True)).to_be_visible()
    expect(page.get_by_role("link", name="get-tree")).to_be_visible()
    expect(page.get_by_role("button", name="New application")).to_have_count(0)
    expect(page.get_by_role("button", name="Make a token")).to_have_count(0)
    expect(page.get_by_role("img", name="calls an hour in the last seven days")).to_be_visible()


def test_a_developer_needs_the_token_alone_and_tries_calls_there(browser, rondine, desk):
    context = browser.new_context(base_url=rondine.url)  # nobody is signed in
    page = context.new_page()
    page.goto(f"/use/{desk.name}/test")
    token = page.get_by_label("The application's token")
    token.fill("rondine_app_no-such-token")
    page.get_by_role("button", name="Show what it may use").click()
    expect(page.get_by_text("the token is not known, or was revoked")).to_be_visible()
    token.fill(desk.token)
    page.get_by_role("button", name="Show what it may use").click()
    page.get_by_role("navigation", name="What it may use").get_by_role("button", name="list-trees").click()
    expect(page.get_by_text("curl -X POST")).to_be_visible()
    page.get_by_role("button", name="Python").click()
    expect(page.get_by_text("from rondine_client import Application")).to_be_visible()
    page.get_by_role("button", name="Call", exact=True).click()
    expect(page.get_by_text('"OLM-1"')).to_be_visible()
    expect(page.get_by_text(re.compile(r"ms at the service"))).to_be_visible()
    page.get_by_role("navigation", name="What it may use").get_by_role("button", name="plan").click()
    page.get_by_label("task").fill("water")
    page.get_by_role("button", name="Call; it changes something").dblclick()
    expect(page.get_by_text('"number": 1')).to_be_visible()
    assert desk.planned == ["water"]
    stored = page.evaluate("JSON.stringify([{...localStorage}, {...sessionStorage}, document.cookie])")
    assert desk.token not in stored
    context.close()
