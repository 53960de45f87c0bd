"""The bench's panes: dragged, moved by keys, kept in this browser, put back; wide enough while an operation is
described."""

import pytest
from playwright.sync_api import expect


@pytest.fixture(scope="module")
def operation(rondine):
    service = rondine.connect("panes")
    return rondine.office().operations.make("panes", service=service, document={"path": "/v1/trees"})["name"]


@pytest.fixture
def bench(open_page, operation):
    page = open_page(path=f"/operations/{operation}")
    expect(page.get_by_role("separator")).to_have_count(2)
    return page


def width(page):
    """Of the request's pane, in pixels."""
    separator = page.locator("[role=separator]").first
    return separator.evaluate("one => one.previousElementSibling.getBoundingClientRect().width")


def test_a_pane_is_as_wide_as_it_was_made_also_the_next_time(bench):
    before = width(bench)
    handle = bench.get_by_role("separator", name="Width of the request")
    for _ in range(3):
        handle.press("ArrowRight")
    wider = width(bench)
    assert wider == pytest.approx(before + 1280 * 0.06, abs=3)
    bench.reload()
    expect(bench.get_by_role("separator")).to_have_count(2)
    assert width(bench) == pytest.approx(wider, abs=1)
    box = handle.bounding_box()
    bench.mouse.move(box["x"], box["y"] + 200)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 120, box["y"] + 220, steps=4)
    bench.mouse.up()
    assert width(bench) == pytest.approx(wider + 120, abs=8)
    handle.dblclick()
    assert width(bench) == pytest.approx(before, abs=1)
    for _ in range(60):
        handle.press("ArrowLeft")
    assert width(bench) == pytest.approx(1280 * 0.12, abs=3)  # no pane is gone


def test_while_it_is_described_the_request_has_widths_of_its_own(bench):
    before = width(bench)
    bench.get_by_role("button", name="describe").click()
    assert width(bench) > 500
    bench.get_by_role("separator", name="Width of the request").press("ArrowRight")
    bench.get_by_role("button", name="done").click()
    assert width(bench) == pytest.approx(before, abs=1)


def test_on_a_narrow_screen_the_panes_stand_below_each_other(bench):
    bench.set_viewport_size({"width": 700, "height": 800})
    expect(bench.get_by_role("separator").first).to_be_hidden()
    assert width(bench) == pytest.approx(700, abs=20)
