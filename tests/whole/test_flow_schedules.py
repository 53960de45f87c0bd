"""Flows that are run by themselves: at times, after a feed, when a record has changed."""

from itertools import count

import pytest
from tests.flowing import Papers, ask, end
from tests.whole_rondine import wait_until

from rondine_client import RondineProblem


@pytest.fixture(scope="module")
def papers(rondine, serve_for_module):
    papers = Papers(rondine, serve_for_module, "timed-flows")
    papers.flow("look", ask("tree"), end(), reply=[])
    fields = [{"name": "number", "type": "text"}, {"name": "state", "type": "text"}]
    papers.project.record_types.make("tree", document={"key": ["number"], "fields": fields, "history": "changes"})
    keep = {
        "type": "records",
        "name": "keep",
        "action": "keep",
        "record_type": "tree",
        "key": {"number": {"input": "number"}},
    }
    state = {"fields": {"state": {"input": "state"}}}
    inputs = [{"name": "number", "required": True}, {"name": "state", "required": True}]
    papers.project.flows.make("kept", document={"inputs": inputs, "steps": [{**keep, **state}]})
    return papers


def runs_of(papers, name):
    return [run for run in papers.project.runs.search(kind="flow") if run["begun_by"] == f"flow schedule {name}"]


def numbers_of(papers, name):
    return {run["inputs"]["number"] for run in runs_of(papers, name)}


def make(papers, name, **document):
    document = {"flow": "look", **document}
    return papers.project.flow_schedules.make(name, environment="test", document=document)


def change(papers, name, **document):
    held = papers.project.flow_schedules.get(name)
    return papers.project.flow_schedules.change(
        name, version=held["version"], document={**held["document"], **document}
    )


def test_an_interval_begins_it_again_and_again_and_a_pause_ends_that(papers):
    made = make(papers, "often", schedule={"type": "interval", "every": "PT10S"}, inputs={"number": "OLM-1"})
    assert made["problems"] == [] and made["due_at"]
    assert made["schedule_words"] == "every PT10S"
    run = wait_until(lambda: runs_of(papers, "often"), 30)[0]
    last, _, failure = papers.end_of(run["id"])
    assert (last["state"], failure, last["inputs"]) == ("done", None, {"number": "OLM-1"})
    shown = papers.project.flow_schedules.get("often")
    assert shown["last_run"]["id"] >= run["id"] and shown["refusal"] is None
    paused = change(papers, "often", schedule={"type": "interval", "every": "PT10S", "enabled": False})
    assert paused["schedule_words"] == "every PT10S, paused" and paused["due_at"] is None
    uses = papers.project.where_used("flows", "look")
    assert ("flow-schedules", "often") in [(one["kind"], one["name"]) for one in uses]


def test_what_is_still_under_way_is_let_end_first(papers):
    pause = {"type": "pause", "name": "yes", "person": {"question": "Go on?"}}
    papers.flow("waits", pause, end(), number=False, reply=[])
    make(papers, "slow", flow="waits", schedule={"type": "interval", "every": "PT10S"})
    make(papers, "crowd", flow="waits", schedule={"type": "interval", "every": "PT10S"}, overlaps=True)
    try:
        wait_until(lambda: len(runs_of(papers, "crowd")) >= 2, 60)
        assert len(runs_of(papers, "slow")) == 1
    finally:
        for name in ("slow", "crowd"):
            papers.project.flow_schedules.remove(name)
            for run in runs_of(papers, name):
                papers.project.runs.cancel(run["id"])


def test_a_record_that_changes_begins_it_once_for_each_with_its_fields(papers):
    for number in ("OLM-1", "OLM-2"):
        papers.run("kept", number=number, state="planned")  # what was there before begins nothing
    watch = {"type": "watch", "record_type": "tree", "field": "state"}
    made = make(papers, "felled", schedule=watch, from_record={"number": "number"})
    assert made["problems"] == []
    states = count()  # it watches from a moment on that nobody is told
    wait_until(lambda: papers.run("kept", number="OLM-9", state=f"{next(states)}") and runs_of(papers, "felled"), 30)
    for number in ("OLM-1", "OLM-2"):
        papers.run("kept", number=number, state="felled")
    found = wait_until(lambda: {"OLM-1", "OLM-2"} <= (numbers := numbers_of(papers, "felled")) and numbers, 30)
    assert found == {"OLM-1", "OLM-2", "OLM-9"}
    papers.run("kept", number="OLM-2", state="felled")  # the same again is no change
    before = len(runs_of(papers, "felled"))
    papers.run("kept", number="OLM-2", state="planted")
    wait_until(lambda: len(runs_of(papers, "felled")) > before, 30)
    assert len(runs_of(papers, "felled")) == before + 1


def test_a_feed_s_end_begins_it(papers):
    document = {"path": "/lots/OLM-1"}
    papers.project.operations.make("list-papers", service="lots", document=document)
    fields = [{"name": "number", "type": "text"}, {"name": "title", "type": "text"}]
    papers.project.record_types.make("kept-paper", document={"key": ["number"], "fields": fields})
    output = {
        "record_type": "kept-paper",
        "rows": [{"level": "paper", "at": "papers[*]"}],
        "fields": [{"name": "number", "from": "number"}, {"name": "title", "from": "title"}],
    }
    papers.project.mappings.make("kept-papers", service="lots", document={"outputs": [output]})
    papers.project.feeds.make("papers", operation="list-papers", mapping="kept-papers", environment="test")
    make(papers, "then", schedule={"type": "after_feed", "feed": "papers"}, inputs={"number": "OLM-5"})
    papers.project.feeds.run("papers")
    [run] = wait_until(lambda: runs_of(papers, "then"), 30)
    assert papers.end_of(run["id"])[0]["state"] == "done"


def test_what_keeps_it_from_beginning_is_told(papers):
    late = {"type": "interval", "every": "PT10S"}
    wrong = make(papers, "wrong", flow="lok", schedule=late, inputs={"numbr": "OLM-1"}, from_record={"a": "b"})
    assert [one["where"] for one in wrong["problems"]] == ["/from_record", "/flow"]
    assert wrong["problems"][1]["hint"] == 'did you mean "look"?'
    open_ = change(papers, "wrong", flow="look", inputs={"numbr": "OLM-1"}, from_record={})
    assert [one["where"] for one in open_["problems"]] == ["/inputs/numbr", "/inputs"]
    watch = {"type": "watch", "record_type": "tree", "field": "stat"}
    unseen = change(papers, "wrong", inputs={}, schedule=watch, from_record={"number": "number"})
    assert [one["where"] for one in unseen["problems"]] == ["/schedule/field"]
    papers.project.flow_schedules.remove("wrong")
    papers.flow("shut", ask("tree"), end(), reply=[])
    about = {"about": {"type": "flows"}, "by": {"type": "email", "to": ["ines@olmara.example"]}}
    papers.project.subscriptions.make("refusals", environment="test", document=about)
    make(papers, "shut", flow="shut", schedule=late, inputs={"number": "OLM-1"})
    held = papers.project.flows.get("shut")
    papers.project.flows.change("shut", version=held["version"], document={**held["document"], "enabled": False})
    refusal = wait_until(lambda: papers.project.flow_schedules.get("shut")["refusal"], 40)
    assert "disabled" in refusal["message"]
    [event] = papers.project.events.search(flow="shut")
    assert (event["kind"], event["feed"]) == ("flow_refused", "") and "disabled" in event["message"]
    papers.project.subscriptions.remove("refusals")
    assert runs_of(papers, "shut") == []
    with pytest.raises(RondineProblem) as told:
        papers.project.flows.remove("shut")
    assert told.value.code == "conflict"
