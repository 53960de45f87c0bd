"""Releases on their page: made, gone over to, compared, let pass with a reason, and withdrawn."""

from itertools import count

import pytest
from playwright.sync_api import expect

NUMBERS = count(1)


@pytest.fixture
def glade(rondine):
    """A project of its own."""
    admin, name = rondine.client("ada"), f"glade-{next(NUMBERS)}"
    admin.projects.make(name)
    admin.project(name).members.set("mira", "builder")
    project = rondine.client("mira").project(name)
    project.services.make("glade-register")
    project.operations.make("list-trees", service="glade-register", document={"path": "/trees"})
    return project


def test_a_release_is_made_used_and_gone_back_from(open_page, glade):
    page = open_page()
    page.goto(f"/p/{glade.name}/releases")
    expect(page.get_by_text("Nothing is released yet")).to_be_visible()
    page.get_by_label("What is new in it").fill("the first trees")
    page.get_by_role("button", name="Make release 1").click()
    expect(page.get_by_text("Nothing: it is all released.")).to_be_visible()
    test = page.get_by_role("article").filter(has=page.get_by_role("heading", name="test"))
    test.get_by_role("button", name="Go over to ...").click()
    expect(test.get_by_text("service glade-register: it has no connection in test")).to_be_visible()
    test.get_by_role("button", name="Let test go by release 1").click()
    expect(test.get_by_text("before the draft")).to_be_visible()

    held = glade.operations.get("list-trees")
    document = {**held["document"], "path": "/all-trees", "inputs": [{"name": "street"}]}
    glade.operations.change("list-trees", version=held["version"], document=document)
    page.reload()
    expect(page.get_by_text('"/trees"')).to_be_visible()
    expect(page.get_by_text('"/all-trees"')).to_be_visible()
    make = page.get_by_role("button", name="Make release 2")
    expect(make).to_be_disabled()
    page.get_by_label("Why operation list-trees is released all the same").fill("the street is used next week")
    make.click()
    expect(page.get_by_text("1 let pass")).to_be_visible()
    test.get_by_role("button", name="Go over to ...").click()
    test.get_by_label("To").select_option("release 2")
    test.get_by_label("Why").fill("all trees at once")
    test.get_by_role("button", name="Let test go by release 2").click()
    expect(test.get_by_text("before release 1: all trees at once")).to_be_visible()
    test.get_by_role("button", name="Back to release 1").click()
    expect(test.get_by_text("back from release 2")).to_be_visible()
    assert glade.environments.get("test")["release"] == 1
    page.get_by_role("button", name="no notes").click()
    expect(page.get_by_text("Let pass: the street is used next week")).to_be_visible()
    page.get_by_label("Why it should not be used any more").fill("too early")
    page.get_by_role("button", name="Withdraw release 2").click()
    expect(page.get_by_text("too early. No environment goes over to it any more.")).to_be_visible()


def test_a_fixed_value_becomes_an_input(open_page, glade):
    held = glade.operations.get("list-trees")
    document = {**held["document"], "query": [{"name": "limit", "value": "200"}]}
    glade.operations.change("list-trees", version=held["version"], document=document)
    page = open_page()
    page.goto(f"/p/{glade.name}/releases")
    page.get_by_role("button", name="1 fixed value is left").click()
    page.get_by_role("button", name="Make limit of list-trees an input").click()
    expect(page.get_by_text("No fixed value is left")).to_be_visible()
    [made] = glade.operations.get("list-trees")["document"]["inputs"]
    assert (made["name"], made["default"]) == ("limit", 200)


def test_a_viewer_sees_and_changes_nothing(open_page, glade, rondine):
    glade.releases.make("to be seen")
    rondine.client("ada").project(glade.name).members.set("vela", "viewer")
    page = open_page("vela")
    page.goto(f"/p/{glade.name}/releases")
    expect(page.get_by_text("to be seen")).to_be_visible()
    expect(page.get_by_role("button", name="Make release")).to_have_count(0)
    expect(page.get_by_role("button", name="Go over to ...")).to_have_count(0)
