"""Test cases on their page: recorded, not as expected, and recorded again."""

from playwright.sync_api import expect
from tests.living import Tried


def test_a_case_is_recorded_goes_wrong_and_is_recorded_again(open_page, rondine, serve):
    grove = Tried(rondine, serve, "cases-page")
    grove.project.samples.keep("orti-trees", run=grove.trial, operation="trees")
    page = open_page()
    page.goto(f"/p/{grove.name}/releases")
    page.get_by_role("link", name="test cases").click()
    expect(page.get_by_text("No test case is recorded yet")).to_be_visible()
    page.get_by_role("button", name="Record a case").click()
    page.get_by_label("Name").fill("orti")
    page.get_by_label("Operation").select_option("trees")
    expect(page.get_by_label("Input district")).to_have_value("Orti")
    page.get_by_label("Recorded response").select_option("orti-trees")
    page.get_by_label("Mapping").select_option("trees")
    page.get_by_role("button", name="Record what comes of it now").click()
    expect(page.get_by_text("all as expected")).to_be_visible()
    expect(page.get_by_text("expects good, 1 tree, 1 rejected")).to_be_visible()
    grove.map_otherwise(convert=[])
    page.get_by_role("button", name="Check again").click()
    expect(page.get_by_text("1 of 1 not as expected")).to_be_visible()
    row = page.get_by_role("row").filter(has_text="girth")
    expect(row).to_contain_text('"1.25"')
    expect(row).to_contain_text('"125"')
    page.get_by_role("button", name="It is right so: record again").click()
    expect(page.get_by_text("all as expected")).to_be_visible()
    page.set_viewport_size({"width": 390, "height": 800})
    assert page.evaluate("document.documentElement.scrollWidth") <= 391
    page.get_by_role("button", name="Remove case orti").click()
    expect(page.get_by_text("No test case is recorded yet")).to_be_visible()


def test_the_inputs_of_a_case_are_filled_in_on_the_bench(open_page, rondine, serve):
    grove = Tried(rondine, serve, "cases-bench")
    grove.project.samples.keep("orti-trees", run=grove.trial, operation="trees")
    made = grove.project.cases.record("terrazze", "trees", inputs={"district": "Terrazze"}, sample="orti-trees")
    assert made["document"]["inputs"] == {"district": "Terrazze"}
    page = open_page()
    page.goto(f"/p/{grove.name}/operations/trees")
    expect(page.get_by_label("district")).to_have_value("Orti")
    page.get_by_label("Fill from a test case").select_option("terrazze")
    expect(page.get_by_label("district")).to_have_value("Terrazze")
    expect(page.get_by_text("district=Terrazze")).to_be_visible()
