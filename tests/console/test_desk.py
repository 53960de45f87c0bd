"""The tree desk, the example of an application, in a browser: over Rondine, its stand-ins and nothing else."""

import re
import subprocess
import sys
import time
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import expect
from tests.whole_rondine import ROOT, responds, wait_until

from ground import free_ports  # isort: skip

DESK = ROOT / "examples" / "desk"
SHEET = b"%PDF-1.7\n" + bytes(range(256)) * 64


@pytest.fixture(scope="module")
def desk(rondine):
    """Its address."""
    settings, address = rondine.home / "tree-desk.json", f"http://127.0.0.1:{next(free_ports(rondine.port + 20))}"
    words = ["--url", rondine.url, "--people", str(rondine.home / "people.txt"), "--register", rondine.register_url]
    words += ["--register-key", str(rondine.home / "register.key"), "--crew", rondine.outside("crew")]
    for option, name in (("soil", "soil"), ("inspections", "desk"), ("seeds", "seeds"), ("permits", "permits")):
        words += [f"--{option}", rondine.outside(name)]
    words += ["--papers", str(rondine.home / "standins.json"), "--desk", address, "--settings", str(settings)]
    for _ in range(2):  # it is safe to run again
        subprocess.run([sys.executable, str(DESK / "set_up.py"), *words], env=rondine.env, check=True)
    project = rondine.client("ada").project("tree-desk")
    assert [one["number"] for one in project.releases.search()] == [1]  # the second time nothing had changed
    wait_until(lambda: all(run["state"] == "done" for run in project.runs.search(feed="girths")), 90)
    rondine.env["DESK_SETTINGS"] = str(settings)
    rondine.spawn("tree-desk", str(DESK / "manage.py"), "runserver", "--noreload", address.rpartition("/")[2])
    wait_until(lambda: responds(f"{address}/days"))
    yield address
    rondine.end("tree-desk")


@pytest.fixture
def page(browser, desk, rondine):
    context = browser.new_context(base_url=desk, viewport={"width": 1280, "height": 800})
    page, faults = context.new_page(), []
    page.set_default_timeout(30_000)
    page.on("pageerror", lambda error: faults.append(str(error)))
    yield page
    context.close()
    rondine.control()
    assert faults == []


def test_a_page_shows_its_trees_at_first_sight_and_a_message_without_the_register(page, desk, rondine):
    page.goto("/")
    expect(page.get_by_role("heading", name=re.compile(r"^Terrazze: \d+ trees$"))).to_be_visible()
    served = httpx.get(desk, timeout=30).text  # as the server sends it, before any script
    assert served.count("data-details") == 284
    rondine.control(status=500)
    page.goto("/")
    expect(page.get_by_role("alert")).to_contain_text("It may pass: try again in a moment.")


def test_of_quick_choices_the_last_one_is_shown(page, rondine):
    page.goto("/")
    rondine.control(delay=1.0)
    page.get_by_label("District").select_option("Mulini")
    time.sleep(0.3)
    rondine.control()
    page.get_by_label("District").select_option("Orti")
    expect(page.get_by_role("heading", name=re.compile("^Orti: "))).to_be_visible()
    rondine.control(delay=1.0)
    page.locator("a[data-details]").nth(0).click()
    time.sleep(0.3)
    rondine.control()
    second = page.locator("a[data-details]").nth(1)
    number = second.inner_text()
    second.click()
    details = page.locator("#details")
    expect(details.get_by_role("heading", level=2)).to_contain_text(number)
    time.sleep(1.5)  # the first answers have come by now
    expect(details.get_by_role("heading", level=2)).to_contain_text(number)
    expect(page.get_by_role("heading", name=re.compile("^Orti: "))).to_be_visible()


def test_a_tree_has_its_girths_its_sheet_and_takes_papers(page, desk, rondine, tmp_path):
    page.goto("/trees/OLM-00024")
    expect(page.get_by_role("img", name="Girth of OLM-00024 from 2013 on").locator("circle")).to_have_count(7)
    assert page.evaluate("document.querySelector('img').complete && document.querySelector('img').naturalWidth > 0")
    sheet = httpx.get(f"{desk}/trees/OLM-00024/sheet")
    direct = f"{rondine.register_url}/v1/trees/OLM-00024/sheet.pdf"
    assert sheet.content == httpx.get(direct, headers={"X-Register-Key": rondine.key}).content
    assert sheet.headers["content-type"] == "application/pdf"
    Path(tmp_path / "survey.pdf").write_bytes(SHEET)
    page.get_by_label("Title").fill("Survey of the roots")
    page.get_by_label("File").set_input_files(tmp_path / "survey.pdf")
    page.get_by_role("button", name="Hand in a paper").dblclick()
    expect(page.get_by_text("survey.pdf is handed in.")).to_be_visible()
    expect(page.get_by_role("link", name="Survey of the roots")).to_have_count(1)
    assert httpx.get(f"{desk}/trees/OLM-00024/papers/1").content == SHEET
    assert httpx.get(f"{desk}/trees/OLM-00024/papers/2").status_code == 404
    rondine.control(status=500)
    assert httpx.get(f"{desk}/trees/OLM-00024/sheet", timeout=30).status_code == 502


def test_what_is_asked_in_the_background_arrives_by_itself(page, rondine):
    page.goto("/?district=Orti")
    page.get_by_role("button", name="Count its trees by species").click()
    expect(page.get_by_text("waiting", exact=True)).to_be_visible()
    expect(page.get_by_role("heading", name="done Trees by species in Orti")).to_be_visible()
    expect(page.get_by_role("row")).to_have_count(8)
    page.goto("/")
    rondine.control(delay=1.0, status=400)
    page.get_by_role("button", name="Count its trees by species").click()
    expect(page.get_by_text("waiting", exact=True)).to_be_visible()
    expect(page.get_by_text("failed", exact=True)).to_be_visible()
    expect(page.get_by_text("The trees were not counted")).to_be_visible()


def test_each_user_plans_moves_and_cancels_with_an_own_account(page, browser, desk, rondine):
    def sign_in(page, who):
        page.goto("/days?from=2027-01-01")
        page.get_by_role("button", name="Sign in at the crew board").click()
        page.get_by_label("Whose account").select_option(who)
        page.get_by_role("button", name="Allow").click()
        expect(page.get_by_text(f"as {who}")).to_be_visible()

    sign_in(page, "vela")
    page.get_by_label("Date", exact=True).fill("2027-02-01")
    page.get_by_label("District").fill("Orti")
    page.get_by_label("Task").fill("planting of rowans")
    page.get_by_role("button", name="Plan it").dblclick()
    expect(page.get_by_text("The day is planned.")).to_be_visible()
    page.goto("/days?from=2027-01-01")
    row = page.get_by_role("row").filter(has_text="planting of rowans")
    expect(row).to_have_count(1)
    expect(row).to_contain_text("vela")
    row.get_by_label(re.compile("New date")).fill("2027-02-03")
    row.get_by_role("button", name="Move").click()
    expect(page.get_by_text("The day is moved.")).to_be_visible()
    other = browser.new_context(base_url=desk).new_page()
    sign_in(other, "odo")
    other.goto("/days?from=2027-01-01")
    row = other.get_by_role("row").filter(has_text="2027-02-03")
    row.get_by_role("button", name="Cancel").click()
    expect(other.get_by_text("The day is cancelled.")).to_be_visible()
    other.goto("/days?from=2027-01-01")
    expect(other.get_by_role("row").filter(has_text="planting of rowans")).to_contain_text("cancelled")
    other.context.close()
    page.goto("/days")
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("button", name="Sign in at the crew board")).to_be_visible()
    admin = rondine.client("ada").project("tree-desk")
    assert [one["caller"] for one in admin.applications.sessions("desk")] == [""]  # odo's is left
    admin.applications.end_sessions("desk")


def test_the_tree_file_is_put_together_from_five_services_also_in_the_background(page, desk, rondine):
    rondine.tell("desk")
    page.goto("/trees/OLM-00022")
    form = page.locator("form", has=page.get_by_role("button", name="Put the file together"))
    form.get_by_label("Permit").fill("P-99")
    page.get_by_role("button", name="Put the file together").click()
    for whose in ("Tree register", "Inspection desk", "Seed store"):
        expect(page.get_by_role("row", name=whose)).to_be_visible()
    expect(page.get_by_role("row", name="Soil laboratory it has not answered within the step's time")).to_be_visible()
    expect(page.get_by_role("row", name="Permit counter")).to_contain_text("there is no permit P-99")
    page.goto("/trees/OLM-00022")
    page.get_by_role("button", name="In the background").click()
    page.wait_for_url("**/begun/*")
    expect(page.get_by_role("row", name="Permit counter P-7")).to_be_visible()


def test_a_question_to_the_office_waits_for_somebody_and_shows_the_answer_by_itself(page, desk, rondine):
    page.goto("/trees/OLM-00022")
    page.get_by_role("button", name="Ask whether it may be felled").click()
    page.wait_for_url("**/begun/*")
    expect(page.get_by_text("It waits for an answer: May it be felled?")).to_be_visible()
    office = rondine.client("ada").project("tree-desk")
    [asked] = office.flows.pauses()
    office.flows.answer(asked["run"], "look", False, note="it is protected")
    expect(page.get_by_role("heading", name="It must not be felled")).to_be_visible()
    expect(page.get_by_text("said ada.")).to_be_visible()
