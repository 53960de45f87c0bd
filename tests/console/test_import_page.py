"""The page that imports a definition: services chosen from one that has several, details read when they are opened, a
body chosen afterwards."""

import json

import pytest
from playwright.sync_api import expect
from tests.server.test_looks import DEFINITION, recorded

pytestmark = pytest.mark.browser


def test_one_of_several_services_is_chosen_and_the_others_come_along(open_page, rondine, tmp_path):
    session = tmp_path / "session.har"
    session.write_text(
        recorded("https://page-trees.example/v1/trees", "https://page-trees.example/v1/districts", "https://page-crews.example/crews")["session.har"]
    )  # fmt: skip
    page = open_page(path="/import")
    page.get_by_label("Or its files").set_input_files(str(session))
    expect(page.get_by_text("HTTP Archive · 2 operations")).to_be_visible()
    page.get_by_label("Which service").select_option("https://page-crews.example")
    expect(page.get_by_text("HTTP Archive · 1 operation ")).to_be_visible()
    expect(page.get_by_label("Base address")).to_have_value("https://page-crews.example")
    page.get_by_label("import the others too, whole").check()
    page.get_by_label("Service", exact=True).fill("page-crews")
    page.get_by_role("button", name="Import 1 operation").click()
    expect(page.get_by_text("And 2 operations in service page-trees-example")).to_be_visible()
    made = rondine.office().connections.get("page-trees-example-test")
    assert made["document"]["base_address"] == "https://page-trees.example"


def test_another_body_is_chosen_on_the_bench(open_page, rondine, tmp_path):
    definition = tmp_path / "cases.json"
    definition.write_text(json.dumps({**DEFINITION, "info": {"title": "Page cases", "version": "1"}}))
    page = open_page(path="/import")
    page.get_by_label("Or its files").set_input_files(str(definition))
    page.get_by_role("button", name="2 inputs").click()
    expect(page.get_by_text("it may be text/plain as well")).to_be_visible()
    page.get_by_text("1 if all are taken").click()
    expect(page.get_by_text("1 field")).to_be_visible()
    page.get_by_label("note").uncheck()
    page.get_by_role("button", name="Import 1 operation").click()
    page.get_by_role("status").get_by_role("link", name="open-case").click()
    page.get_by_role("button", name="describe", exact=True).click()
    page.get_by_label("sent as").select_option("text/plain")
    expect(page.get_by_label("Kind of body")).to_have_value("text")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("saved, version 2")).to_be_visible()
    name = page.url.rpartition("/")[2]
    held = rondine.office().operations.get(name)["document"]
    assert held["body"]["media_type"] == "text/plain" and [one["name"] for one in held["inputs"]] == ["body"]
    assert held["other_bodies"][0]["media_type"] == "application/json"
