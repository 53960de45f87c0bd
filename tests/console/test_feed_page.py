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
    page.get_by_role("button", name="Set Schedule").click()
    page.get_by_label("Kind").select_option("Cron")
    page.get_by_label("Expression").fill("30 2 * * MON-FRI")
    page.get_by_label("Time zone").fill("Europe/Viena")
    page.get_by_role("button", name="Save schedule").click()
    expect(page.get_by_text('there is no time zone "Europe/Viena"').first).to_be_visible()
    page.get_by_role("button", name="Set Schedule").click()
    page.get_by_label("Time zone").fill("Europe/Vienna")
    page.get_by_role("button", name="Save schedule").click()
    expect(page.get_by_text("Runs at 02:30 on Monday through Friday (Europe/Vienna), next ")).to_be_visible()
    page.get_by_role("button", name="pause").click()
    expect(page.get_by_text("(Europe/Vienna), paused.")).to_be_visible()
    page.get_by_role("button", name="resume").click()
    expect(page.get_by_role("button", name="pause")).to_be_visible()
    page.get_by_role("button", name="Set Schedule").click()
    page.get_by_label("Kind").select_option("only when asked")
    page.get_by_role("button", name="Save schedule").click()
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


def test_inputs_that_move_and_what_no_longer_comes_are_set_on_the_page(open_page, register):
    name = register.feed("moving-page", "/v1/trees", paging={"type": "link_header"})
    office = register.office()
    operation = office.operations.get(name)
    inputs = {"inputs": [{"name": "since"}], "query": [{"name": "since", "value": {"input": "since"}}]}
    document = {**operation["document"], **inputs}
    office.operations.change(name, version=operation["version"], document=document)
    page = open_page(path=f"/feeds/{name}")
    page.get_by_role("button", name="Set Inputs").click()
    page.get_by_label("since").select_option("Ago")
    page.get_by_label("Span").fill("P30D")
    page.get_by_role("button", name="Save inputs").click()
    expect(page.get_by_text("P30D before the run")).to_be_visible()
    page.get_by_role("button", name="Set What no longer comes").click()
    page.get_by_label("Action").select_option("leave")
    page.get_by_role("button", name="Save what no longer comes").click()
    expect(page.get_by_text("Stays as it is.")).to_be_visible()
    document = office.feeds.get(name)["document"]
    assert document["moving"] == {"since": {"type": "ago", "span": "P30D"}} and document["gone"] == {"action": "leave"}


def test_what_happened_to_a_record_stands_on_its_page_and_who_is_gone_can_be_shown(open_page, register):
    name = register.feed("changing-page", "/v1/trees", paging={"type": "link_header"}, limit=400)
    register.finish(name)
    register.control(grown=2412, felled=1)
    register.finish(name)
    register.control()
    page = open_page(path=f"/records/{name}/OLM-00001")
    expect(page.get_by_label("History").get_by_text("2.86")).to_be_visible()
    expect(page.get_by_text(f"Brought by {name}")).to_be_visible()
    page = open_page(path=f"/records/{name}?gone=only")
    expect(page.get_by_role("link", name="OLM-02412")).to_be_visible()
    expect(page.get_by_role("link", name="csv")).to_be_visible()


def test_somebody_is_told_and_a_service_sends_from_the_page_of_events(open_page, register):
    page = open_page(path="/events")
    page.get_by_role("button", name="Tell somebody").click()
    page.get_by_label("Name", exact=True).fill("paged-told")
    page.get_by_label("How", exact=True).select_option("Email")
    page.get_by_label("To", exact=True).fill("ines@olmara.example")
    page.get_by_role("checkbox", name="late").check()
    page.get_by_role("button", name="Tell them from now on").click()
    expect(page.get_by_text("Tells late to all feeds by e-mail to ines@olmara.example.")).to_be_visible()
    page.get_by_role("button", name="Let a service send").click()
    page.get_by_label("Name", exact=True).fill("paged-hook")
    page.get_by_label("What becomes of it").select_option("Run")
    page.get_by_label("Feed", exact=True).fill("no-such-feed")
    page.get_by_role("button", name="Make the address").click()
    expect(page.get_by_text("/api/v1/hooks/olmara/paged-hook")).to_be_visible()
    expect(page.get_by_text('there is no feed "no-such-feed"')).to_be_visible()
