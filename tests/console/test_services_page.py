"""Services as a list, and a page for each, with more of them and of their operations than one page holds."""

import json
import re

import pytest
from playwright.sync_api import expect


@pytest.fixture(scope="module")
def many(rondine):
    """Over a hundred services, one of them with 230 operations and two connections, one of which does not work."""
    office = rondine.office()
    for number in range(110):
        office.services.make(f"station-{number:03}", title=f"Station {number:03}")
    paths = {
        f"/readings/{number:03}": {
            "get": {"operationId": f"reading{number:03}", "responses": {"200": {"description": "a reading"}}}
        }
        for number in range(230)
    }
    text = json.dumps({"openapi": "3.0.3", "info": {"title": "Readings", "version": "1"}, "paths": paths})
    office.definitions.import_into("station-007", files={"readings.json": text}, record_types=[])
    for environment, address in (("live", "http://127.0.0.1:9"), ("test", rondine.register_url)):
        name = f"station-007-{environment}"
        document = {"base_address": address}
        office.connections.make(name, service="station-007", environment=environment, document=document)
    office.connections.check("station-007-live")
    return office


def test_every_service_is_reached_by_asking_for_more_or_by_its_name(open_page, many):
    page = open_page(path="/services")
    expect(page.get_by_role("link", name="Station 000")).to_be_visible()
    assert page.get_by_role("row").count() == 101  # with that of the headings
    more = page.get_by_role("button", name="Show more services")
    while more.count():
        more.click()
        page.wait_for_load_state("networkidle")
    expect(page.get_by_role("link", name="Station 109")).to_be_visible()
    page.get_by_label("Search services and operations").fill("station-007")
    row = page.get_by_role("row").filter(has_text="Station 007")
    expect(row).to_contain_text(re.compile("230.*1"))
    expect(page.get_by_role("row")).to_have_count(2)
    expect(row.get_by_role("link", name="live does not work")).to_be_visible()
    expect(row.get_by_role("link", name="test not checked")).to_be_visible()


def test_a_search_finds_operations_of_any_service(open_page, many):
    page = open_page(path="/services")
    page.get_by_label("Search services and operations").fill("reading219")
    expect(page.get_by_text("No service is called like that.")).to_be_visible()
    expect(page.get_by_text("of station-007")).to_be_visible()
    page.get_by_role("listitem").filter(has_text="/readings/219").get_by_role("link").click()
    page.wait_for_url("**/operations/reading219")
    page.goto("/p/olmara/services")
    page.get_by_label("Search services and operations").fill("no such thing")
    expect(page.get_by_text("No operation is called like that.")).to_be_visible()


def test_the_page_of_a_service_leads_to_all_that_belongs_to_it(open_page, many):
    page = open_page(path="/services/station-007")
    expect(page.get_by_role("heading", name="230 operations")).to_be_visible()
    expect(page.get_by_text("/readings/099")).to_be_visible()
    expect(page.get_by_text("/readings/229")).to_have_count(0)
    for _ in range(2):
        page.get_by_role("button", name="Show more operations").click()
        page.wait_for_load_state("networkidle")
    expect(page.get_by_text("/readings/229")).to_be_visible()
    expect(page.get_by_role("button", name="Show more operations")).to_have_count(0)
    page.get_by_label("Search its operations").fill("reading15")
    expect(page.get_by_text("/readings/159")).to_be_visible()
    expect(page.get_by_text(re.compile("^GET /readings/"))).to_have_count(10)
    definitions = page.locator("section").filter(has=page.get_by_role("heading", name="Definitions"))
    definitions.get_by_role("link").click()
    page.wait_for_url("**/definitions/*")
    page.goto("/p/olmara/services/station-108")
    expect(page.get_by_text("It is not connected yet.")).to_be_visible()
    page.goto("/p/olmara/services/no-such-station")
    expect(page.get_by_role("alert")).to_contain_text("no-such-station")
