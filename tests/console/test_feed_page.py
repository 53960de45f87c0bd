"""A feed's schedule, set, paused and resumed on its page; a failed run that goes on behind what it kept."""

import pytest
from playwright.sync_api import expect


@pytest.fixture
def register(rondine):
    yield rondine
    rondine.control()


def test_a_schedule_is_set_paused_and_resumed_on_the_page_of_the_feed(open_page, register):
    name = register.feed("scheduled-page", "/v1/trees", paging={"type": "link_header"})
    page = open_page(path=f"/feeds/{name}")
    expect(page.get_by_text("Runs only when it is asked to")).to_be_visible()
    page.get_by_role("button", name="set it").click()
    page.get_by_label("Kind").select_option("Cron")
    page.get_by_label("Expression").fill("30 2 * * MON-FRI")
    page.get_by_label("Time zone").fill("Europe/Viena")
    page.get_by_role("button", name="Save the schedule").click()
    expect(page.get_by_text('there is no time zone "Europe/Viena"').first).to_be_visible()
    page.get_by_role("button", name="set it").click()
    page.get_by_label("Time zone").fill("Europe/Vienna")
    page.get_by_role("button", name="Save the schedule").click()
    expect(page.get_by_text("Runs at 02:30 on Monday through Friday (Europe/Vienna), next ")).to_be_visible()
    page.get_by_role("button", name="pause").click()
    expect(page.get_by_text("(Europe/Vienna), paused.")).to_be_visible()
    page.get_by_role("button", name="resume").click()
    expect(page.get_by_role("button", name="pause")).to_be_visible()
    page.get_by_role("button", name="set it").click()
    page.get_by_label("Kind").select_option("only when asked")
    page.get_by_role("button", name="Save the schedule").click()
    expect(page.get_by_text("Runs only when it is asked to")).to_be_visible()
    assert "schedule" not in register.office().feeds.get(name)["document"]


def test_a_failed_run_goes_on_from_its_page(open_page, register):
    paging = {"type": "offset", "total_header": "X-Total-Count"}
    name = register.feed("going-on-page", "/v1/pages/offset", paging=paging, limit=400)
    office = register.office()
    quick = {"retrying": {"max_retries": 1, "first_pause": 0.05}}
    office.feeds.change(name, version=office.feeds.get(name)["version"], document=quick)
    register.control(fail_from=800)
    run = register.finish(name)
    register.control()
    page = open_page(path=f"/runs/{run['id']}")
    expect(page.get_by_text("failed, sent again").first).to_be_visible()
    page.get_by_role("button", name="Go on behind what was kept").click()
    expect(page.get_by_text(f"{name}: 2,412 created")).to_be_visible(timeout=30_000)
    expect(page.get_by_text("it went on behind the last page that was kept")).to_be_visible()
