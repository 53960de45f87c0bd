"""Where an item is used, seen before it is changed or removed; in Chromium."""

import pytest
from playwright.sync_api import expect

from rondine_client import RondineProblem


def test_uses_are_seen_on_the_bench_and_a_removal_goes_once_nothing_uses_it(rondine, open_page):
    office, page = rondine.office(), open_page()
    name = rondine.feed("used-here", "/v1/trees")
    page.goto(f"/p/olmara/operations/{name}")
    page.get_by_role("button", name="used in 1 place").click()
    dialog = page.get_by_role("dialog", name="Where the operation is used")
    expect(dialog.get_by_role("listitem")).to_have_text([f"feed {name}test"])
    expect(dialog).to_contain_text("This operation cannot be removed while the feed uses it.")
    dialog.get_by_role("button", name="Close this").click()
    expect(dialog).not_to_be_attached()

    page.goto(f"/p/olmara/feeds/{name}")
    expect(page.get_by_text("Nothing uses it.")).to_be_visible()
    page.get_by_role("button", name="Remove this feed").click()
    page.get_by_role("button", name="Keep it").click()
    assert office.feeds.get(name)["name"] == name
    page.get_by_role("button", name="Remove this feed").click()
    page.get_by_role("alertdialog").get_by_role("button", name="Remove").click()
    page.wait_for_url("**/p/olmara/records")
    with pytest.raises(RondineProblem, match="there is no feed"):
        office.feeds.get(name)

    page.goto(f"/p/olmara/services/{office.operations.get(name)['service']}")
    page.get_by_role("button", name="Remove this service").click()
    question = page.get_by_role("alertdialog")
    expect(question).to_contain_text("that belong to it?")
    question.get_by_role("button", name="Remove").click()
    page.wait_for_url("**/p/olmara/services")
    for items in (office.operations, office.mappings, office.connections):
        assert name not in {one["name"] for one in items}
    assert office.where_used("record-types", name) == []
