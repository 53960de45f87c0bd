"""Inputs that move with the runs: a time before one, or what is new since the last that saw all."""

import re
from datetime import UTC, date, datetime, timedelta
from urllib.parse import parse_qs, urlsplit

from tests.made_feed import ROWS, feed, whole

SINCE = {"inputs": [{"name": "since"}], "query": [{"name": "since", "value": {"input": "since"}}]}


def sent(trees):
    """What the last call's `since` was, None without."""
    return parse_qs(urlsplit(trees.outside.calls[-1][0]).query).get("since", [None])[0]


def test_a_time_before_the_run_stands_with_it(rondine, trees):
    operation = {"inputs": [{"name": "since", "type": "date"}], "query": SINCE["query"]}
    moving = {"since": {"type": "ago", "span": "P30D"}}
    name = feed(rondine, trees, "lately", whole(ROWS), operation=operation, document={"moving": moving})
    run = rondine.finish(name)
    expected = datetime.now(UTC).date() - timedelta(days=30)
    assert abs(date.fromisoformat(sent(trees)) - expected) <= timedelta(days=1)
    assert run["inputs"] == {"since": sent(trees)} and run["brings_all"] is False


def test_only_what_is_new_since_the_last_run_by_the_clock_of_the_service(rondine, trees):
    moving = {"since": {"type": "since_last_run", "overlap": "PT1H"}}
    trees.headers = {"Date": "Mon, 01 Jun 2026 12:00:00 GMT"}
    name = feed(
        rondine, trees, "since-last", whole(ROWS), operation=SINCE, document={"moving": moving}, headers=trees.headers
    )
    first = rondine.finish(name)
    assert sent(trees) is None and first["brings_all"] is True and first["inputs"] == {}
    trees.pages = [{"trees": []}]  # nothing says that it is all: the next run begins where this one did
    run = rondine.finish(name)
    assert sent(trees) == run["inputs"]["since"] == "2026-06-01T11:00:00Z"
    assert run["counts"][0]["unseen"] is None
    trees.headers = {"Date": "Tue, 02 Jun 2026 12:00:00 GMT"}
    trees.pages = whole([])
    rondine.finish(name)
    assert sent(trees) == "2026-06-01T11:00:00Z"
    rondine.finish(name)
    assert sent(trees) == "2026-06-02T11:00:00Z"
    assert len(list(rondine.office().records.search("test", name))) == 6
    # a run with a time of a person's own does not move it
    rondine.watch(rondine.office().feeds.run(name, {"since": "2026-06-30T00:00:00Z"})["id"])
    assert sent(trees) == "2026-06-30T00:00:00Z"
    rondine.finish(name)
    assert sent(trees) == "2026-06-02T11:00:00Z"
    # all of it, when asked for
    rondine.cli("feed", "run", name, "--all")
    assert sent(trees) is None


def test_from_the_highest_value_kept_and_all_again_when_what_is_wanted_changes(rondine, trees):
    moving = {"since": {"type": "from_highest", "record_type": "highest", "field": "girth", "overlap": "2"}}
    name = feed(rondine, trees, "highest", whole(ROWS), operation=SINCE, document={"moving": moving})
    rondine.finish(name)
    assert sent(trees) is None
    trees.pages = whole(ROWS[4:])
    run = rondine.finish(name)
    assert (sent(trees), run["inputs"]) == ("4", {"since": "4"} | {"since": run["inputs"]["since"]})
    assert run["counts"][0]["unchanged"] == 2 and "since 4" not in run["summary"]
    office = rondine.office()
    held = office.record_types.get(name)
    fields = [*held["document"]["fields"], {"name": "note", "type": "text"}]
    office.record_types.change(name, version=held["version"], document={**held["document"], "fields": fields})
    run = rondine.finish(name)
    assert sent(trees) is None
    assert run["remarks"][0]["kind"] == "all_again"
    assert "its operation, mapping or record type was changed" in run["remarks"][0]["message"]


def test_moving_inputs_are_set_by_command_and_judged(rondine, trees):
    name = feed(rondine, trees, "judged", whole(ROWS), operation=SINCE)
    words = ["feed", "make", name, "--operation", name, "--mapping", name]
    told = rondine.cli(*words, "--from-highest", f"since={name}.number").stdout
    assert "number is text, which has no highest value" in told
    rondine.cli(*words, "--ago", "since=30 days")
    told = rondine.cli("feed", "show", name).stdout
    assert re.search("30 days.*is not a duration", told)
    made = rondine.cli(*words, "--since-last-run", "since", "--set", "moving.since.overlap=PT0S").stdout
    assert '"overlap": "PT0S"' in made and '"problems": []' in made
    failed = rondine.cli(*words, "--from-highest", "since=number", check=False)
    assert failed.returncode == 2 and "name the field with its record type" in failed.stderr
