"""Applications on their page, and what their developers see with a token alone."""

import re

import pytest
from playwright.sync_api import expect
from tests.archive import SHEET, Archive
from tests.board import PEOPLE, Board
from tests.desk import Desk
from tests.flowing import Papers, ask, end


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


def test_a_developer_signs_in_with_an_own_account_to_try_calls(browser, rondine, serve, open_page):
    board = Board(rondine, serve, "own-page")
    board.sign_in_by(type="authorization_code")
    board.set(callbacks=[f"{rondine.url}/use/own-page/test/signed-in"])
    context = browser.new_context(base_url=rondine.url)
    page = context.new_page()
    page.goto("/use/own-page/test")
    page.get_by_label("The application's token").fill(board.token)
    page.get_by_role("button", name="Show what it may use").click()
    page.get_by_role("navigation", name="What it may use").get_by_role("button", name="plan").click()
    with page.expect_popup() as popup:
        page.get_by_role("button", name="Sign in at desk-register").click()
    popup.value.get_by_label("Whose account").select_option("vela")
    popup.value.get_by_role("button", name="Allow").click()
    expect(page.get_by_text("signed in at desk-register")).to_be_visible()
    page.get_by_label("task").fill("water")
    page.get_by_role("button", name="Call; it changes something").click()
    expect(page.get_by_text('"number": 1')).to_be_visible()
    assert board.planned == ["water"] and board.by == ["vela"]
    admin = open_page("ada")
    admin.goto("/p/own-page/applications")
    expect(admin.get_by_text("at desk-register")).to_be_visible()
    admin.get_by_role("button", name="Sign all of them out").click()
    expect(admin.get_by_text("Users who are signed in at services")).to_have_count(0)
    page.get_by_label("task").fill("prune")
    page.get_by_role("button", name="Call; it changes something").click()
    expect(page.get_by_text("user_sign_in_needed")).to_be_visible()
    context.close()
    board.sign_in_by(type="basic")
    second = browser.new_context(base_url=rondine.url)
    page = second.new_page()
    page.goto("/use/own-page/test")
    page.get_by_label("The application's token").fill(board.token)
    page.get_by_role("button", name="Show what it may use").click()
    page.get_by_label("user name at desk-register").fill("odo")
    page.get_by_label("password at desk-register").fill(PEOPLE["odo"])
    page.get_by_role("button", name="Sign in at desk-register").click()
    expect(page.get_by_text("signed in at desk-register")).to_be_visible()
    stored = page.evaluate("JSON.stringify([{...localStorage}, {...sessionStorage}, document.cookie])")
    assert "rondine_session_" not in stored
    second.close()


def test_a_developer_sends_a_file_and_keeps_one(browser, rondine, serve, open_page, tmp_path):
    (tmp_path / "OLM-1.pdf").write_bytes(SHEET)
    archive = Archive(rondine, serve, "sheets-page", tmp_path)
    context = browser.new_context(base_url=rondine.url)
    page = context.new_page()
    page.goto("/use/sheets-page/test")
    page.get_by_label("The application's token").fill(archive.token)
    page.get_by_role("button", name="Show what it may use").click()
    page.get_by_role("navigation", name="What it may use").get_by_role("button", name="send-sheet").click()
    page.get_by_label("number").fill("OLM-5")
    page.get_by_label("sheet").set_input_files(tmp_path / "OLM-1.pdf")
    page.get_by_role("button", name="Call; it changes something").dblclick()
    expect(page.get_by_text('"sheets": 1')).to_be_visible()
    assert archive.got == [("OLM-5", "OLM-1.pdf", "application/pdf", SHEET)]
    page.get_by_role("navigation", name="What it may use").get_by_role("button", name="get-sheets").click()
    page.get_by_label("number").fill("OLM-1.pdf")
    page.get_by_label("The reply").select_option("its body alone, as a file")
    page.get_by_role("button", name="Call", exact=True).click()
    with page.expect_download() as kept:
        page.get_by_role("link", name="Keep OLM-1.pdf").click()
    assert kept.value.path().read_bytes() == SHEET
    context.close()


def test_a_builder_tries_a_form_with_a_file(rondine, serve, open_page, tmp_path):
    (tmp_path / "OLM-1.pdf").write_bytes(SHEET)
    archive = Archive(rondine, serve, "sheets-bench", tmp_path)
    page = open_page("mira")
    page.goto("/p/sheets-bench/operations/send-sheet")
    page.locator("[data-input=number]").get_by_role("textbox").fill("OLM-6")
    page.get_by_label("A file for sheet").set_input_files(tmp_path / "OLM-1.pdf")
    page.get_by_label("I have looked at the request; send it").check()
    page.get_by_role("button", name="Send this request").click()
    expect(page.get_by_text("Created (201)")).to_be_visible()
    assert [one[3] for one in archive.got] == [SHEET]


def test_an_application_is_given_flows_and_its_developer_runs_them(open_page, browser, rondine, serve):
    papers = Papers(rondine, serve, "desk-with-flows")
    title = {"result": "tree", "at": {"jsonpath": "$.body.papers[0].title"}}
    papers.flow("tree-title", ask("tree"), end(title=title), reply=[{"name": "title", "type": "text"}])
    pause = {"type": "pause", "name": "yes", "time_limit": 600, "person": {"question": "May it be felled?"}}
    papers.flow("may-fell", pause, end(agreed={"result": "yes", "at": "agreed"}), reply=[{"name": "agreed"}])
    page = open_page("ada")
    page.goto(f"/p/{papers.name}/applications")
    page.get_by_role("button", name="New application").click()
    page.get_by_label("Name").fill("window")
    flows = page.get_by_role("group", name="Flows that it may call")
    flows.get_by_label("tree-title", exact=True).check()
    flows.get_by_label("may-fell", exact=True).check()
    page.get_by_role("button", name="Make the application").click()
    expect(page.get_by_text("Runs the flows may-fell, tree-title.")).to_be_visible()
    token = papers.admin.applications.make_token("window", "tests")["token"]

    page = browser.new_context(base_url=rondine.url).new_page()
    page.goto(f"/use/{papers.name}/test")
    page.get_by_label("The application's token").fill(token)
    page.get_by_role("button", name="Show what it may use").click()
    page.get_by_role("button", name="tree-title").click()
    page.get_by_label("number").fill("OLM-4")
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.get_by_role("status")).to_contain_text('"tree of OLM-4"')
    page.get_by_role("button", name="may-fell").click()
    page.get_by_role("button", name="Run", exact=True).click()
    expect(page.get_by_role("status")).to_contain_text("waits for a person's answer: May it be felled?")
    [waiting] = papers.project.flows.pauses()
    papers.project.flows.answer(waiting["run"], "yes", True)
    expect(page.get_by_role("status")).to_contain_text('"agreed": true')
