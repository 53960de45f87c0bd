"""People, projects, members, tokens and hosts in the console."""

import re
import uuid

import pytest
from aiohttp import web
from playwright.sync_api import expect
from tests.canary import leaks
from tests.console.conftest import sign_in

from rondine_client import Client

pytestmark = pytest.mark.browser


def test_an_own_project_is_made_and_a_host_permitted_where_it_is_missing(open_page, rondine, serve):
    outside = serve(lambda request: web.json_response({"trees": [{"number": "OLM-1"}, {"number": "OLM-2"}]}))
    page = open_page("ada")
    page.get_by_role("button", name="Project").click()
    page.get_by_role("button", name="New project").click()
    page.get_by_label("Name of a new project").fill("orchards")
    page.keyboard.press("Enter")
    page.wait_for_url("**/p/orchards")
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page.get_by_text("say where a service is")).to_be_visible()

    page.goto("/p/orchards/operations/new")
    page.get_by_label("Paste a whole address").fill(f"{outside.url}/trees")
    page.get_by_role("button", name="Take apart").click()
    page.get_by_role("button", name=f"Permit 127.0.0.1:{outside.port}").click()
    expect(page.get_by_text("also if that is this machine or a private network")).to_be_visible()
    page.get_by_role("button", name="Permit it", exact=True).click()
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()
    assert len(outside.calls) == 1
    hosts = rondine.client("ada").project("orchards").hosts.list()
    assert [(host["host"], host["port"], host["is_private"]) for host in hosts] == [("127.0.0.1", outside.port, True)]


def test_who_may_not_permit_a_host_sees_whom_to_ask_and_the_command_works(open_page, rondine, serve):
    outside = serve(lambda request: web.json_response([]))
    page = open_page("mira", "/operations/new")
    page.get_by_label("Paste a whole address").fill(f"{outside.url}/trees")
    page.get_by_role("button", name="Take apart").click()
    advice = page.get_by_text("ask Ada to permit it")
    expect(advice).to_be_visible()
    command = re.search(r"rondine (host permit .*)", advice.inner_text()).group(1).split()
    rondine.cli(*command, person="ada")
    page.reload()
    page.get_by_label("Paste a whole address").fill(f"{outside.url}/trees")
    page.get_by_role("button", name="Take apart").click()
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("OK (200)")).to_be_visible()


def test_a_person_is_made_given_a_role_and_their_account_is_closed(open_page, rondine):
    name = f"person-{uuid.uuid4().hex[:6]}"
    page = open_page("ada", "/administration")
    page.get_by_label("Name of a new person").fill(name)
    page.get_by_label("How the new person is shown").fill("Somebody new")
    page.get_by_role("button", name="New person").click()
    password = page.get_by_role("status").locator("code").inner_text()
    page.get_by_label("Person to add", exact=True).fill(name)
    page.get_by_label("Role of the person to add").select_option("viewer")
    page.get_by_role("button", name="Add", exact=True).click()
    role = page.get_by_label(f"Role of {name}")
    expect(role).to_have_value("viewer")
    role.select_option("operator")
    expect(page.get_by_text("olmara: operator").filter(visible=True).first).to_be_visible()
    with Client(rondine.url) as client:
        client.sign_in(name, password)
        assert client.session()["projects"][0]["role"] == "operator"
        line = page.get_by_role("listitem").filter(has_text=name).filter(has=page.get_by_role("button", name="account"))
        line.get_by_role("button", name="account").click()
        expect(line.get_by_text("client", exact=True)).to_be_visible()
        line.get_by_role("button", name="Close the account").click()
        expect(line.get_by_text("closed", exact=True)).to_be_visible()
        page.get_by_role("listitem").filter(has_text="Ada").get_by_role("button", name="account").click()
        page.get_by_role("button", name="No longer an administrator").click()
        expect(page.get_by_role("alert").first).to_contain_text("the last administrator of this installation")
    stored = page.evaluate("JSON.stringify([{...localStorage}, {...sessionStorage}])")
    assert leaks(rondine, stored, password) == []


def test_who_is_no_administrator_is_told_whom_to_ask(open_page):
    page = open_page("mira", "/administration")
    expect(page.get_by_text("Ask Ada.")).to_be_visible()
    expect(page.get_by_role("button", name="New person")).to_have_count(0)
    page.get_by_role("button", name="Mira").click()
    expect(page.get_by_role("link", name="Tokens and password")).to_be_visible()
    expect(page.get_by_role("link", name="Administration")).to_have_count(0)


def test_ones_own_tokens_and_password(open_page, rondine):
    admin = rondine.client("ada")
    admin.people.make("cornus", password="seven-alders-by-the-mill")
    admin.project("olmara").members.set("cornus", "viewer")
    page = open_page("mira")
    page.context.clear_cookies()
    page.goto("/")
    sign_in(page, "cornus", "seven-alders-by-the-mill")
    page.wait_for_url("**/p/olmara")
    page.goto("/p/olmara/account")
    page.get_by_label("What the token is for").fill("a night job")
    page.get_by_label("How long it lasts").select_option("30 days")
    page.get_by_role("button", name="Make a token").click()
    token = page.get_by_role("status").locator("code").inner_text()
    assert Client(rondine.url, token).session()["name"] == "cornus"
    page.reload()
    row = page.get_by_role("row").filter(has_text="a night job")
    expect(row).to_be_visible()
    assert token not in page.content()
    row.get_by_role("button", name="Revoke").click()
    expect(row).to_have_count(0)

    page.get_by_label("Password up to now").fill("seven-alders-by-the-mill")
    page.get_by_label("New password").fill("short")
    page.get_by_label("Once more").fill("short")
    page.get_by_role("button", name="Change it").click()
    expect(page.get_by_role("alert")).to_contain_text("at least 10 characters")
    page.get_by_label("New password").fill("eight-larches-on-the-hill")
    page.get_by_label("Once more").fill("eight-larches-on-the-hil")
    expect(page.get_by_text("The two are not the same")).to_be_visible()
    page.get_by_label("Once more").fill("eight-larches-on-the-hill")
    page.get_by_role("button", name="Change it").click()
    expect(page.get_by_text("Your password is changed.")).to_be_visible()
    page.reload()
    expect(page.get_by_role("heading", name="cornus")).to_be_visible()
