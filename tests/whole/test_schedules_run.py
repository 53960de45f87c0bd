"""Feeds that run by themselves, with a worker, a second one, and none."""

import json

import pytest
from tests.whole_rondine import wait_until

from rondine.standins.trees import TREES


@pytest.fixture
def register(rondine):
    yield rondine
    rondine.control()
    for feed in rondine.office().feeds:
        if feed["document"].get("schedule"):
            rondine.cli("feed", "schedule", feed["name"], "--never")


def runs_of(register, name):
    return list(register.office().runs.search(feed=name))


def test_a_feed_runs_at_intervals_and_says_when_it_runs_next(register):
    name = register.feed("by-itself", "/v1/trees", paging={"type": "link_header"})
    shown = json.loads(register.cli("feed", "schedule", name, "--every", "PT10S").stdout)
    assert shown["schedule"] == {"type": "interval", "every": "PT10S"}
    wait_until(lambda: register.office().feeds.get(name)["due_at"], 15)
    wait_until(lambda: len([run for run in runs_of(register, name) if run["state"] == "done"]) >= 2, 60)
    first, second, *_ = reversed(runs_of(register, name))
    assert first["counts"][0]["created"] == TREES and second["counts"][0]["unchanged"] == TREES
    assert (first["begun_by"], first["by"]) == ("schedule", None) and first["due_at"] <= first["started_at"]
    assert first["due_at"] != second["due_at"]
    assert json.loads(register.cli("feed", "schedule", name, "--pause").stdout)["schedule"]["enabled"] is False
    wait_until(lambda: register.office().feeds.get(name)["due_at"] is None, 15)
    assert register.office().feeds.get(name)["schedule_words"] == "every PT10S, paused"


def test_a_feed_runs_once_after_each_run_of_another(register):
    first = register.feed("leading", "/v1/trees", paging={"type": "link_header"})
    second = register.feed("following", "/v1/trees/by-address", paging={"type": "next_address", "at": "/next"})
    register.cli("feed", "schedule", second, "--after", first)
    register.finish(first)
    wait_until(lambda: [run["state"] for run in runs_of(register, second)] == ["done"], 30)
    (run,) = runs_of(register, second)
    assert run["begun_by"] == "feed leading"
    register.control(status=404)
    assert register.finish(first)["state"] == "failed"
    assert len(runs_of(register, second)) == 1
    circle = register.office().feeds.get(first)
    changed = register.office().feeds.change(
        first, version=circle["version"], document={"schedule": {"type": "after_feed", "feed": second}}
    )
    assert any("run for ever" in problem["message"] for problem in changed["problems"])
    register.office().feeds.change(first, version=changed["version"], name="leading-now", document={})
    assert register.office().feeds.get(second)["document"]["schedule"]["feed"] == "leading-now"


def test_what_cannot_start_says_why(register):
    name = register.feed("hindered", "/v1/trees", paging={"type": "link_header"})
    office = register.office()
    held = office.connections.get("hindered-test")
    office.connections.change("hindered-test", version=held["version"], document={**held["document"], "enabled": False})
    register.cli("feed", "schedule", name, "--every", "PT10S")
    wait_until(lambda: office.feeds.get(name)["refusal"], 40)
    refusal = office.feeds.get(name)["refusal"]
    assert "disabled" in refusal["message"] and refusal["hint"]
    assert runs_of(register, name) == []
    told = register.cli("feed", "schedule", name).stdout
    assert json.loads(told)["refusal"]["message"] == refusal["message"]
    wrong = register.cli("feed", "schedule", name, "--cron", "0 0 30 2 *", check=False)
    assert "never fires" in wrong.stdout + wrong.stderr
