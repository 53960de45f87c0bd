"""How an operation pages, set on the bench; and how its connection retries, on the connection's page."""

from playwright.sync_api import expect


def test_a_strategy_is_chosen_and_set_on_the_bench(open_page, rondine):
    service = rondine.connect("paging-form")
    office = rondine.office()
    office.operations.make("paging-form", service=service, document={"path": "/v1/trees"})
    page = open_page(path="/operations/paging-form")
    expect(page.get_by_text("not decided: the first response that shows a way is followed")).to_be_visible()
    page.get_by_role("button", name="set it").click()
    page.get_by_label("Strategy").select_option("Page number")
    expect(page.get_by_text("asks for page after page by number")).to_be_visible()
    page.get_by_label("Input", exact=True).fill("p")
    page.get_by_label("Total", exact=True).fill("/total")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("saved, version 2")).to_be_visible()
    assert office.operations.get("paging-form")["document"]["paging"] == {
        "type": "page_number",
        "input": "p",
        "total": "/total",
    }
    page.get_by_label("Strategy").select_option("not decided")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("saved, version 3")).to_be_visible()
    assert "paging" not in office.operations.get("paging-form")["document"]


def test_what_a_connection_is_set_to_is_drawn_from_its_forms(open_page, rondine):
    service = rondine.connect("parts-form")
    page = open_page(path=f"/connections/{service}-test")
    page.get_by_role("button", name="Retrying: usual").click()
    page.get_by_label("Max waits").fill("7")
    expect(page.get_by_role("button", name="Retrying: max waits 7")).to_be_visible()
    page.get_by_role("button", name="Save the connection", exact=True).click()
    expect(page.get_by_role("button", name="Save the connection")).to_be_hidden()
    assert rondine.office().connections.get(f"{service}-test")["document"]["retrying"] == {"max_waits": 7}
