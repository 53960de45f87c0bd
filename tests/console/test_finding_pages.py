"""Searching a project, and where things are used, on the console's pages."""

from playwright.sync_api import expect


def test_a_text_is_searched_for_and_leads_to_its_place(open_page, walked):
    page = open_page()
    page.get_by_role("link", name="Search").click()
    page.get_by_label("Text to search for").fill("terrazze")
    page.get_by_role("button", name="Search").click()
    expect(page.get_by_role("listitem").filter(has_text="trees-of-terrazze")).to_be_visible()
    page.get_by_label("Text to search for").fill("OLM-00014")
    page.get_by_role("button", name="Search").click()
    page.get_by_role("listitem").filter(has_text="test").get_by_role("link", name="OLM-00014").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("OLM-00014")
    page.goto("/p/olmara/search?q=nowhere-to-be-found")
    expect(page.get_by_text('Nothing has "nowhere-to-be-found"')).to_be_visible()


def test_the_uses_of_a_record_type_lead_on(open_page, walked):
    page = open_page(path="/records/tree")
    used = page.locator("section").filter(has=page.get_by_role("heading", name="Where it is used"))
    expect(used.get_by_text("mapping trees")).to_be_visible()
    used.get_by_role("listitem").filter(has_text="mapping").get_by_role("link").first.click()
    page.wait_for_url("**/p/olmara/records")
