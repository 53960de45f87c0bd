"""Live records on their pages: asked of the service, filtered, made, changed, and changed by two at once."""

import pytest
from playwright.sync_api import expect
from tests.conftest import OutsideService
from tests.living import Site


@pytest.fixture(scope="module")
def site(rondine):
    made = Site(rondine, OutsideService, "site-pages")
    yield made
    made.outside.close()


def test_a_list_over_the_service_needs_no_wiring(open_page, site):
    page = open_page()
    page.goto(f"/p/{site.name}/records/planting")
    expect(page.get_by_text("1 outside call")).to_be_visible()
    table = page.get_by_role("region", name="Table of records")
    expect(table.get_by_role("columnheader", name="species")).to_be_visible()
    expect(table.get_by_role("row")).to_have_count(2 + 5)
    page.get_by_role("button", name="Show more").click()
    expect(table.get_by_role("row")).to_have_count(2 + 10)
    # a bar of the drawn profile filters, and the service does it
    table.get_by_role("button", name="species Quercus robur").click()
    expect(page).to_have_url(f"{site.rondine.url}/p/{site.name}/records/planting?species=Quercus+robur")
    expect(table.get_by_role("cell", name="Quercus robur", exact=True)).to_have_count(5)
    expect(table.get_by_text("Tilia cordata")).to_have_count(0)
    assert any("species=Quercus" in call for call in site.rest.calls)
    page.get_by_role("button", name="species Quercus robur ×").click()
    # what the service cannot is refused with the reason, and done here if that is wanted
    page.goto(f"/p/{site.name}/records/planting?planted.from=2026-03-20")
    expect(page.get_by_role("alert")).to_contain_text("the service cannot filter by planted.from")
    page.get_by_role("checkbox", name="do here what the service cannot").click()
    expect(page.get_by_text("done here: filter planted.from")).to_be_visible()
    expect(page.get_by_text("these are all")).to_be_visible()


def test_columns_are_chosen_and_remembered(open_page, site):
    page = open_page()
    page.goto(f"/p/{site.name}/records/planting")
    page.get_by_role("button", name="Columns").click()
    page.get_by_role("checkbox", name="street").uncheck()
    page.get_by_role("button", name="planted further left").click()
    heads = page.get_by_role("columnheader")
    expect(heads).to_have_text(["number", "species", "planted", "height", "is_paved"])
    page.reload()
    expect(heads).to_have_text(["number", "species", "planted", "height", "is_paved"])
    heights = page.locator("td span.whitespace-pre").all_inner_texts()
    assert len({len(text) - text.find(".") for text in heights if "." in text}) == 1, "aligned at the point"


def test_a_new_one_is_made_and_read_back(open_page, site):
    page = open_page()
    page.goto(f"/p/{site.name}/records/planting")
    page.get_by_role("button", name="New planting").click()
    make = page.get_by_role("button", name="Make it at the service")
    expect(make).to_be_disabled()
    page.get_by_role("textbox", name="height").fill("tall")
    make.click()
    expect(page.get_by_text('height is the text "tall", not a decimal number').first).to_be_visible()
    page.get_by_role("textbox", name="species").fill("Ulmus glabra")
    page.get_by_role("textbox", name="height").fill("2.75")
    make.click()
    expect(page.get_by_role("heading", level=1, name="24")).to_be_visible()
    expect(page.get_by_text("Nothing of it is kept here.")).to_be_visible()
    assert site.rest.rows[24]["height"] == 2.75


def test_two_who_change_one_see_what_the_other_did(open_page, site):
    page = open_page()
    page.goto(f"/p/{site.name}/records/planting/3")
    page.get_by_role("button", name="Change").click()
    page.get_by_role("textbox", name="height").fill("9")
    page.get_by_role("textbox", name="street").fill("Vine Terrace 3")
    expect(page.get_by_text("height, street will be sent")).to_be_visible()
    site.rest.rows[3] = {**site.rest.rows[3], "height": 4.5}
    page.get_by_role("button", name="Save at the service").click()
    conflict = page.get_by_role("alert").filter(has_text="It was changed at the service since you read it")
    expect(conflict.get_by_role("row").filter(has_text="height")).to_contain_text("4.5")
    assert site.rest.rows[3]["height"] == 4.5, "nothing was written"
    conflict.get_by_role("checkbox", name="write your height").uncheck()
    conflict.get_by_role("button", name="Write these over what is there now").click()
    expect(page.get_by_text("It was written at the service, and was read back.")).to_be_visible()
    assert (site.rest.rows[3]["height"], site.rest.rows[3]["site"]["street"]) == (4.5, "Vine Terrace 3")
    page.get_by_role("button", name="Remove").click()
    page.get_by_role("button", name="Remove it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("planting")
    assert 3 not in site.rest.rows


def test_a_type_is_bound_and_unbound_by_choices(open_page, site):
    page = open_page()
    page.goto(f"/p/{site.name}/bindings/planting")
    change = page.get_by_label("Operation that changes some of its fields")
    expect(change).to_have_value("change-planting")
    change.select_option("")
    page.get_by_label("Answers may be used again for").fill("30")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("1 outside call")).to_be_visible()
    page.goto(f"/p/{site.name}/records/planting/5")
    expect(page.get_by_role("button", name="Remove")).to_be_visible()
    expect(page.get_by_role("button", name="Change")).to_have_count(0)
    held = site.living.project.bindings.get("planting")["document"]
    assert held.get("change") is None and held["max_age"] == 30
    page.goto(f"/p/{site.name}/bindings/planting")
    change.select_option("change-planting")
    page.get_by_role("button", name="fill in its inputs").click()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("1 outside call")).to_be_visible()
    assert site.living.project.bindings.get("planting")["document"]["change"]["inputs"]["number"] == {"field": "number"}


@pytest.mark.parametrize("path", ["records/planting", "records/planting/7", "bindings/planting"])
def test_each_page_fits_a_telephone(open_page, site, path):
    page = open_page(width=390, height=800)
    page.goto(f"/p/{site.name}/{path}")
    expect(page.get_by_role("heading", level=1)).to_have_count(1)
    page.wait_for_load_state("networkidle")
    assert page.evaluate("document.documentElement.scrollWidth") <= 391


def test_a_viewer_reads_and_writes_nothing(open_page, site):
    site.living.admin.members.set("vela", "viewer")
    page = open_page("vela")
    page.goto(f"/p/{site.name}/records/planting/8")
    expect(page.get_by_text("Nothing of it is kept here.")).to_be_visible()
    expect(page.get_by_role("button", name="Change")).to_have_count(0)
    expect(page.get_by_role("button", name="Remove")).to_have_count(0)
