"""Flows over real services, run by a worker: several at once, failures as data, pauses, undoing, and crashes."""

import json
import os
import random
import signal
import time
from datetime import UTC, datetime
from email import message_from_bytes

import httpx
import pytest
from aiosmtpd.controller import Controller
from standardwebhooks.webhooks import Webhook
from tests.flowing import NUMBER, Papers, ask, end, together
from tests.whole_rondine import wait_until

from rondine_client import RondineProblem

REPLY = [{"name": "it"}, {"name": "why"}]
KEY = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"


@pytest.fixture(scope="module")
def papers(rondine, serve_for_module):
    return Papers(rondine, serve_for_module, "papers-of-flows")


@pytest.fixture(autouse=True)
def all_well(papers):
    papers.seconds.clear()
    papers.status.clear()
    papers.asked.clear()
    papers.written.clear()
    papers.most = 0


def test_a_chain_gives_what_one_answered_to_the_next_and_replies(papers):
    papers.flow(
        "chain",
        ask("tree"),
        ask("plan", "plan", given={"number": {"result": "tree", "at": "body.number"}}),
        end(it={"result": "plan", "at": "body.day"}, why={"result": "tree", "at": "body.girth"}),
        reply=REPLY,
    )
    run, reply, _ = papers.run("chain")
    assert (run["state"], reply) == ("done", {"it": 1, "why": 1.25})
    assert papers.written == [("plan", "OLM-1")]
    calls = list(papers.project.runs.calls(run["id"]))
    assert [(one["operation"], one["status"]) for one in calls] == [("find-tree", 200), ("plan", 200)]
    shown = papers.project.flows.shown(run["id"])
    assert [one["task"] for one in shown["tasks"]] == ["tree", "plan"]
    assert shown["tasks"][1]["given"] == {"number": "OLM-1"} and shown["tasks"][1]["outcome"]["call"] == 2


def test_a_failure_stops_the_rest_with_its_cause(papers):
    papers.status["tree"] = 403
    papers.flow("stops", ask("tree"), ask("plan", "plan"), end(it={"result": "plan", "at": "body"}), reply=REPLY)
    run, reply, failure = papers.run("stops")
    assert (run["state"], reply, papers.written) == ("failed", None, [])
    assert failure["step"] == "tree" and failure["status"] == 403 and failure["call"] == 1
    assert "the tree counter is closed" in run["error"]["message"] and run["error"]["where"]
    assert failure["service_message"] == "the tree counter is closed" and "may_pass" not in failure


def test_three_calls_of_a_second_take_about_a_second(papers):
    for one in ("tree", "soil", "lots"):
        papers.seconds[one] = 1
    papers.flow(
        "three",
        together("papers", "tree", "soil", "lots"),
        end(it={"result": "papers", "at": "succeeded"}),
        reply=REPLY,
    )
    began = time.monotonic()
    run, reply, _ = papers.run("three")
    assert reply == {"it": 3} and papers.most == 3
    times = {one["task"]: one for one in papers.project.flows.shown(run["id"])["tasks"]}
    assert len({one["begun_at"] for one in times.values()}) == 1
    assert time.monotonic() - began < 6  # and not three seconds more on a busy machine


def test_of_five_one_hangs_and_one_refuses_three_are_delivered_with_the_two_reasons(papers):
    papers.seconds["lots"], papers.status["permits"] = 60, 403
    papers.flow(
        "tree-papers",
        together(
            "papers",
            *papers.NAMES,
            success={"type": "what_succeeds"},
            time_limit=2,
            gather={"record_type": "paper", "origin": "source"},
        ),
        end(it={"result": "papers", "at": "records"}, why={"result": "papers", "at": "failures"}),
        reply=[{"name": "it", "records": "paper"}, {"name": "why"}],
    )
    run, reply, _ = papers.run("tree-papers")
    assert run["state"] == "done"
    assert {one["source"]: one["title"] for one in reply["it"]} == {
        one: f"{one} of OLM-1" for one in ("tree", "soil", "crew")
    }
    assert {one["part"]: one["kind"] for one in reply["why"]} == {"lots": "time_over", "permits": "service_failed"}
    calls = {one["operation"]: one for one in papers.project.runs.calls(run["id"])}
    assert len(calls) == 5 and "it was stopped" in calls["find-lots"]["error"]["message"]
    wait_until(lambda: papers.left == ["lots"], 10)  # nothing is left running


def test_it_waits_for_a_persons_yes_without_a_process_and_goes_on_with_the_answer(papers):
    yes = {"question": "Fell it?", "shows": {"girth": {"result": "tree", "at": "body.girth"}}, "roles": ["operator"]}
    papers.flow(
        "felling",
        ask("tree"),
        {"type": "pause", "name": "yes", "time_limit": 3600, "person": yes},
        {
            "type": "decide",
            "name": "what",
            "ways": [
                {"when": [{"from": {"result": "yes", "at": "agreed"}, "value": True}], "steps": [ask("fell", "fell")]}
            ],
        },
        end(it={"result": "yes", "at": "agreed"}, why={"result": "yes", "at": "by"}),
        reply=REPLY,
    )
    run = papers.begin("felling")
    pause = papers.wait_for(run, "person")
    assert (pause["question"], pause["shows"], pause["may_answer"]) == ("Fell it?", {"girth": 1.25}, False)
    [waiting] = [one for one in papers.project.flows.pauses() if one["run"] == run]
    assert (waiting["flow"], waiting["task"], waiting["question"]) == ("felling", "yes", "Fell it?")
    with pytest.raises(RondineProblem) as caught:
        papers.project.flows.answer(run, "yes", True)
    assert caught.value.code == "not_allowed" and "operator is asked" in caught.value.message
    office = papers.rondine.client("odo").project(papers.name)
    office.flows.answer(run, "yes", True, note="it leans")
    _, reply, _ = papers.end_of(run)
    assert (reply, papers.written) == ({"it": True, "why": "odo"}, [("fell", "OLM-1")])
    with pytest.raises(RondineProblem, match="over already"):
        office.flows.answer(run, "yes", False)


def test_an_answer_counts_once_and_one_that_comes_too_late_not_at_all(papers):
    pause = {"type": "pause", "name": "yes", "time_limit": 4, "person": {"question": "Fell it?"}}
    papers.flow("hurry", pause, ask("fell", "fell", on_failure=[]))
    run = papers.begin("hurry")
    papers.wait_for(run, "person")
    last, _, failure = papers.end_of(run)
    assert (last["state"], failure["kind"], papers.written) == ("failed", "time_over", [])
    with pytest.raises(RondineProblem, match="over already"):
        papers.project.flows.answer(run, "yes", True)
    slow = papers.flow("twice", {**pause, "time_limit": 600}, {"type": "pause", "name": "then", "seconds": 600})
    run = papers.begin(slow)
    papers.wait_for(run, "person")
    papers.project.flows.answer(run, "yes", False)
    papers.wait_for(run, "time")
    with pytest.raises(RondineProblem, match="it was answered with no"):
        papers.project.flows.answer(run, "yes", True)
    papers.project.runs.cancel(run)
    assert papers.end_of(run)[0]["state"] == "cancelled"


def test_a_pause_of_a_time_wakes_by_itself(papers):
    papers.flow("nap", {"type": "pause", "name": "nap", "seconds": 3}, ask("tree"))
    run, _, _ = papers.run("nap")
    assert run["state"] == "done"
    [nap, tree] = papers.project.flows.shown(run["id"])["tasks"]
    assert nap["outcome"] == {"outcome": "good"} and tree["begun_at"] >= nap["ended_at"]


def test_what_was_done_is_taken_back_when_it_fails_later_and_when_it_is_cancelled(papers):
    plan = ask("plan", "plan")
    plan["ask"]["undo"] = {"operation": "cancel", "inputs": {"number": {"undone": True, "at": "body.number"}}}
    papers.status["soil"] = 500
    papers.flow("undone", plan, ask("soil"))
    run, _, failure = papers.run("undone")
    assert failure["step"] == "soil" and failure["may_pass"] is True
    assert [name for name, _ in papers.written] == ["plan", "cancel"]
    assert papers.project.flows.shown(run["id"])["undone"] == ["plan"]
    papers.written.clear()
    papers.flow("dropped", plan, {"type": "pause", "name": "nap", "seconds": 600})
    run = papers.begin("dropped")
    papers.wait_for(run, "time")
    papers.project.runs.cancel(run)
    last, _, failure = papers.end_of(run)
    assert (last["state"], failure["kind"]) == ("cancelled", "cancelled")
    assert [name for name, _ in papers.written] == ["plan", "cancel"]


def test_a_flow_asks_another_one_whose_inner_values_stay_its_own(papers):
    papers.flow("inner", ask("tree"), end(it={"result": "tree", "at": "body.girth"}), reply=REPLY)
    inner = {"type": "ask", "name": "measured", "ask": {"flow": "inner", "inputs": {"number": {"input": "number"}}}}
    papers.flow("outer", inner, end(it={"result": "measured", "at": "reply.it"}), reply=REPLY)
    run, reply, _ = papers.run("outer")
    assert reply == {"it": 1.25}
    [task] = papers.project.flows.shown(run["id"])["tasks"]
    child = papers.project.runs.get(task["run"])
    assert (child["parent"], child["flow"], child["state"]) == (run["id"], "inner", "done")
    papers.status["tree"] = 404
    _, _, failure = papers.run("outer")
    assert (failure["step"], failure["inner_step"], failure["status"]) == ("measured", "tree", 404) and failure["run"]
    with pytest.raises(RondineProblem, match="inner"):
        papers.project.flows.remove("inner")


def test_records_are_found_kept_changed_and_removed(papers):
    def step(name, action, key="number", **fields):
        given = {one: {"value": value} for one, value in fields.items()}
        return {
            "type": "records", "name": name, "action": action, "record_type": "paper",
            "key": {"number": {"input": key}}, "fields": given,
        }  # fmt: skip

    papers.flow(
        "kept",
        step("before", "find"),
        step("made", "keep", title="survey", source="crew"),
        step("changed", "change", title="a survey"),
        step("after", "find"),
        {"type": "ask", "name": "all", "ask": {"record_type": "paper"}},
        step("gone", "remove"),
        step("then", "find"),
        end(
            it={"result": "after", "at": "record"},
            why={"several": [{"result": one, "at": "outcome"} for one in ("before", "gone", "then")]},
            all={"result": "all", "at": "records.paper"},
        ),
        reply=[*REPLY, {"name": "all"}],
    )
    run, reply, failure = papers.run("kept")
    assert failure is None, failure
    assert reply["it"] == {"number": "OLM-1", "title": "a survey", "source": "crew"} == reply["all"][0]
    assert reply["why"] == ["nothing_found", "good", "nothing_found"]
    record = papers.project.records.get("test", "paper", "OLM-1")
    assert record["gone_at"] is not None and record["run"] == run["id"]


def test_what_cannot_run_says_why_and_wrong_inputs_begin_nothing(papers):
    made = papers.project.flows.make("draft", document={"steps": [ask("tree", "find-tre")]})
    assert [one["where"] for one in made["problems"]] == ["/steps/0/ask/operation", "/steps/0/ask/inputs/number/input"]
    with pytest.raises(RondineProblem) as caught:
        papers.project.flows.run("draft")
    assert (caught.value.code, caught.value.where) == ("not_ready", "flow draft: /steps/0/ask/operation")
    papers.flow("strict", ask("tree"))
    for inputs, where in (({}, "/number"), ({"number": "x", "nummer": 1}, "/nummer")):
        with pytest.raises(RondineProblem) as caught:
            papers.project.flows.run("strict", inputs)
        assert where in caught.value.where
    assert papers.asked == {}


def test_what_would_stop_its_steps_in_an_environment_is_told_before(papers):
    papers.flow("reached", ask("soil"))
    inner = {"type": "ask", "name": "in", "ask": {"flow": "reached", "inputs": NUMBER}}
    undo = {"operation": "cancel", "inputs": NUMBER}
    tree = {"type": "ask", "name": "tree", "ask": {"operation": "find-tree", "inputs": NUMBER, "undo": undo}}
    papers.flow("reaching", tree, inner)
    project = papers.project
    assert project.flows.obstacles("reaching") == []
    held = project.connections.get("soil-test")
    project.connections.change("soil-test", version=held["version"], document={**held["document"], "enabled": False})
    try:
        [told] = project.flows.obstacles("reaching")
        assert told["where"] == "/steps/1/ask/flow"
        assert told["message"] == 'reached, /steps/0/ask/operation: find-soil: connection "soil-test" is disabled'
    finally:
        held = project.connections.get("soil-test")
        project.connections.change("soil-test", version=held["version"], document={**held["document"], "enabled": True})
    papers.admin.environments.make("spare")
    found = project.flows.obstacles("reaching", environment="spare")
    assert [one["where"] for one in found] == [
        "/steps/0/ask/operation",
        "/steps/0/ask/undo/operation",
        "/steps/1/ask/flow",
    ]
    assert found[0]["message"] == "find-tree: service tree has no connection in spare"
    held = project.operations.get("find-soil")
    project.operations.change("find-soil", version=held["version"], document={**held["document"], "enabled": False})
    try:
        assert [one["message"] for one in project.flows.get("reached")["problems"]] == [
            'operation "find-soil" is not ready: it is disabled'
        ]
        with pytest.raises(RondineProblem) as caught:
            project.flows.run("reached", {"number": "OLM-1"})
        assert caught.value.code == "not_ready"
    finally:
        held = project.operations.get("find-soil")
        project.operations.change("find-soil", version=held["version"], document={**held["document"], "enabled": True})
    assert project.flows.get("reached")["problems"] == []


def test_two_runs_are_compared_task_by_task(papers):
    rule = [{"type": "go_on"}]
    papers.flow(
        "pair",
        ask("tree"),
        ask("soil", on_failure=rule),
        end(why={"result": "soil", "at": "failure.kind"}),
        reply=[{"name": "why"}],
    )
    first, _, _ = papers.run("pair", number="OLM-1")
    same, _, _ = papers.run("pair", number="OLM-1")
    compared = papers.project.flows.compare(first["id"], same["id"])
    assert (compared["inputs"], compared["document"], compared["end"]) == ([], [], [])
    assert [(one["task"], one["differences"]) for one in compared["tasks"]] == [("tree", []), ("soil", [])]
    assert all(one["first"]["milliseconds"] > 0 for one in compared["tasks"])
    papers.status["soil"] = 503
    held = papers.project.flows.get("pair")
    document = {**held["document"], "description": "another one"}
    papers.project.flows.change("pair", version=held["version"], document=document)
    other, _, _ = papers.run("pair", number="OLM-2")
    compared = papers.project.flows.compare(first["id"], other["id"])
    assert [(one["path"], one["before"], one["after"]) for one in compared["inputs"]] == [
        ("$['number']", '"OLM-1"', '"OLM-2"')
    ]
    assert [one["path"] for one in compared["document"]] == ["$['description']"]
    tree, soil = compared["tasks"]
    assert "$['given']['number']" in [one["path"] for one in tree["differences"]]
    assert (soil["first"]["outcome"], soil["second"]["outcome"]) == ("good", "failure")
    assert "closed" in soil["second"]["message"]
    assert [one["path"] for one in compared["end"]] == ["$['reply']['why']"]


def test_a_run_is_looked_at_step_by_step_and_gone_on_with_what_was_recorded(papers):
    flows = papers.project.flows
    papers.flow(
        "stepped",
        ask("tree"),
        {
            **ask("plan", "plan"),
            "ask": {"operation": "plan", "inputs": NUMBER, "undo": {"operation": "cancel", "inputs": NUMBER}},
        },
        together("papers", "soil", "lots", success={"type": "what_succeeds"}),
        ask("crew"),
        end(it={"result": "papers", "at": "succeeded"}, why={"result": "crew", "at": "body.number"}),
        reply=REPLY,
    )
    with pytest.raises(RondineProblem, match='no step "paper"') as caught:
        flows.run("stepped", {"number": "OLM-1"}, stop_before="paper")
    assert caught.value.where == "stop_before"
    run = flows.run("stepped", {"number": "OLM-1"}, stop_before="papers")["id"]
    stopped = papers.wait_for(run, "step")
    assert stopped["step"] == "papers" and stopped["shows"] == {
        "soil": {"number": "OLM-1"},
        "lots": {"number": "OLM-1"},
    }
    assert flows.shown(run)["results"]["tree"]["body"]["girth"] == 1.25
    assert papers.asked["/soil/OLM-1"] == 0
    with pytest.raises(RondineProblem, match="stopped before papers"):
        flows.go_on(run, "crew")
    flows.go_on(run, "papers", stop_before="*")
    assert papers.wait_for(run, "step")["step"] == "crew" and papers.asked["/soil/OLM-1"] == 1
    flows.go_on(run, "crew")
    last, _, failure = papers.end_of(run)
    assert last["state"] == "done" and papers.written == [("plan", "OLM-1")]
    papers.status["crew"] = 403
    failed = flows.run("stepped", {"number": "OLM-1"})["id"]
    last, _, failure = papers.end_of(failed)
    assert failure["step"] == "crew" and papers.written[1:] == [("plan", "OLM-1"), ("cancel", "OLM-1")]
    with pytest.raises(RondineProblem, match=f'run {failed} took back "plan"'):
        flows.run("stepped", {"number": "OLM-1"}, recorded={"run": failed, "before": "crew"})
    papers.status.clear()
    papers.asked.clear()
    again = flows.run("stepped", {"number": "OLM-2"}, recorded={"run": run, "before": "crew"})["id"]
    last, reply, _ = papers.end_of(again)
    assert reply == {"it": 2, "why": "OLM-2"} and [*papers.asked] == ["/crew/OLM-2"]
    assert [one["recorded"] for one in flows.shown(again)["tasks"]] == [run, run, run, run, None]
    with pytest.raises(RondineProblem, match="not one of not-stepped"):
        flows.run(
            papers.flow("not-stepped", ask("tree")), {"number": "OLM-1"}, recorded={"run": run, "before": "papers"}
        )
    with pytest.raises(RondineProblem, match="over already"):
        flows.go_on(again, "crew")


def test_a_flow_for_which_nobody_waits_any_more_is_cancelled_and_takes_back_what_it_did(papers):
    undo = {"operation": "cancel", "inputs": NUMBER}
    papers.flow(
        "inner-slow",
        {"type": "ask", "name": "plan", "ask": {"operation": "plan", "inputs": NUMBER, "undo": undo}},
        {"type": "pause", "name": "look", "time_limit": 600, "person": {"question": "Go on?"}},
        ask("fell", "fell"),
    )
    branches = [{"name": "slow", "flow": "inner-slow", "inputs": NUMBER}]
    branches.append({"name": "tree", "operation": "find-tree", "inputs": NUMBER})
    group = {"type": "ask", "name": "both", "together": branches}
    papers.flow(
        "outer-group",
        {**group, "success": {"type": "what_succeeds"}, "time_limit": 3},
        end(it={"result": "both", "at": "succeeded"}),
        reply=REPLY,
    )
    papers.flow("outer-cancelled", group)

    def child_of(run):
        return wait_until(
            lambda: next((one["run"] for one in papers.project.flows.shown(run)["tasks"] if one["run"]), None)
        )

    run, reply, _ = papers.run("outer-group")
    assert (run["state"], reply) == ("done", {"it": 1})
    child, _, failure = papers.end_of(child_of(run["id"]))
    assert (child["state"], failure["message"]) == ("cancelled", f"the run was cancelled by run {run['id']}")
    assert papers.written == [("plan", "OLM-1"), ("cancel", "OLM-1")]
    assert papers.project.flows.shown(child["id"])["undone"] == ["plan"]

    begun = papers.begin("outer-cancelled")
    inner = child_of(begun)
    papers.wait_for(inner, "person")
    papers.project.runs.cancel(begun)
    assert papers.end_of(begun)[0]["state"] == "cancelled"
    assert papers.end_of(inner)[0]["state"] == "cancelled" and papers.written[2:] == [
        ("plan", "OLM-1"),
        ("cancel", "OLM-1"),
    ]


def test_a_run_whose_step_was_over_before_all_had_answered_rests_at_the_pause_behind_it(papers):
    papers.seconds["lots"] = 60
    papers.flow(
        "late",
        together("papers", "tree", "lots", success={"type": "what_succeeds"}, time_limit=5),
        {"type": "pause", "name": "look", "time_limit": 600, "person": {"question": "Enough?"}},
        end(it={"result": "papers", "at": "failed"}),
        reply=REPLY,
    )
    run = papers.begin("late")
    papers.wait_for(run, "person")
    wait_until(lambda: papers.project.runs.get(run)["state"] == "waiting", 10)
    assert run in [one["run"] for one in papers.project.flows.pauses()]
    papers.project.flows.answer(run, "look", True)
    assert papers.end_of(run)[1] == {"it": 1}


def test_a_worker_killed_at_any_moment_changes_neither_the_result_nor_the_effects(papers, rondine):
    """Asks, a write with a key, a pause and several at once: killed after each of them."""
    for one in papers.NAMES:
        papers.seconds[one] = 0.6
    papers.flow(
        "crashes",
        ask("tree"),
        ask("plan", "plan"),
        together("papers", "soil", "lots", success={"type": "what_succeeds"}),
        {"type": "pause", "name": "nap", "seconds": 3},
        ask("last", "plan", given={"number": {"value": "last"}}),
        end(it={"result": "papers", "at": "succeeded"}, why={"result": "last", "at": "status"}),
        reply=REPLY,
    )
    for after in ("/tree/OLM-1", "/plan", "/soil/OLM-1", "nap"):
        papers.asked.clear()
        papers.written.clear()
        papers.keys.clear()
        run = papers.begin("crashes")
        if after == "nap":
            papers.wait_for(run, "time")
        else:
            until = time.monotonic() + 30
            while not papers.asked[after] and time.monotonic() < until:
                time.sleep(0.01)
        rondine.end("worker", signal.SIGKILL)
        rondine.start_worker()
        last, reply, _ = papers.end_of(run, seconds=120)
        assert (last["state"], reply) == ("done", {"it": 2, "why": 200}), after
        assert papers.written == [("plan", "OLM-1"), ("plan", "last")], after


def test_workers_killed_at_random_moments_change_nothing_either(papers, rondine):
    """Five runs at a time, wherever each of them is just then. FLOW_CRASHES: how often; more, by hand."""
    for one in papers.NAMES:
        papers.seconds[one] = 0.4
    papers.flow(
        "random-crashes",
        ask("tree"),
        ask("plan", "plan"),
        together("papers", "soil", "lots", success={"type": "what_succeeds"}),
        {"type": "pause", "name": "nap", "seconds": 1},
        {"type": "ask", "name": "inner", "ask": {"flow": papers.flow("crashing", ask("crew")), "inputs": NUMBER}},
        ask("last", "cancel"),
        end(it={"result": "papers", "at": "succeeded"}, why={"result": "last", "at": "status"}),
        reply=REPLY,
    )
    seed = random.randrange(1_000_000)
    moments = random.Random(seed)
    for round_ in range(int(os.environ.get("FLOW_CRASHES", "1"))):
        papers.written.clear()
        numbers = [f"OLM-{round_}-{one}" for one in range(5)]
        runs = []
        for number in numbers:
            runs.append(papers.begin("random-crashes", number=number))
            time.sleep(moments.uniform(0, 0.8))
        rondine.end("worker", signal.SIGKILL)
        rondine.start_worker()
        ends = [papers.end_of(run, seconds=120) for run in runs]
        assert [(last["state"], reply) for last, reply, _ in ends] == [("done", {"it": 2, "why": 200})] * 5, seed
        wanted = [(what, number) for number in numbers for what in ("cancel", "plan")]
        assert sorted(papers.written) == sorted(wanted), seed


def test_what_may_have_happened_twice_asks_somebody(papers, rondine):
    """A write without a key, whose process dies while it is under way."""
    papers.seconds["fell"] = 2
    papers.flow("doubt", ask("fell", "fell"), ask("tree"), end(it={"result": "tree", "at": "body.number"}), reply=REPLY)
    run = papers.begin("doubt")
    until = time.monotonic() + 30
    while not papers.asked["/fell"] and time.monotonic() < until:
        time.sleep(0.01)
    rondine.end("worker", signal.SIGKILL)
    rondine.start_worker()
    pause = papers.wait_for(run, "doubt")
    assert pause["task"] == "fell" and "nobody knows" in pause["shows"]["failure"]["message"]
    assert papers.asked["/fell"] == 1 and papers.asked["/tree/OLM-1"] == 0
    papers.project.flows.settle(run, "fell", "done")
    _, reply, _ = papers.end_of(run)
    assert reply == {"it": "OLM-1"} and papers.asked["/fell"] == 1


def webhook(papers, name, **becomes):
    """A webhook for flows; gives what sends a signed request to it."""
    papers.project.credentials.make(f"{name}-key", environment="test")
    papers.project.credentials.set_secrets(f"{name}-key", signing_key=KEY)
    document = {"becomes": {"type": "flow", **becomes}}
    made = papers.project.webhooks.make(name, environment="test", credential=f"{name}-key", document=document)
    assert made["problems"] == [], made["problems"]

    def send(value, mark, *, key=KEY):
        body, at = json.dumps(value), datetime.now(UTC)
        headers = {
            "webhook-id": mark,
            "webhook-timestamp": str(int(at.timestamp())),
            "webhook-signature": Webhook(key).sign(mark, at, body),
            "Content-Type": "application/json",
        }
        return httpx.post(f"{papers.rondine.url}{made['path']}", content=body, headers=headers).status_code

    return send


def test_a_signed_callback_lets_the_run_go_on_that_is_meant_and_counts_once(papers):
    send = webhook(papers, "lab-results")
    told = {"webhook": "lab-results", "matches": [{"at": "order.number", "equals": {"input": "number"}}]}
    pause = {"type": "pause", "name": "told", "time_limit": 600, "callback": told}
    papers.flow("lab", pause, end(it={"result": "told", "at": "body.ph"}), reply=REPLY)
    run, other = papers.begin("lab", number="S-1"), papers.begin("lab", number="S-2")
    for one in (run, other):
        papers.wait_for(one, "callback")
    wrong = "whsec_" + "A" * 32
    assert send({"order": {"number": "S-1"}, "ph": 1}, "m-0", key=wrong) == 401
    assert send({"order": {"number": "S-1"}, "ph": 6.5}, "m-1") < 300
    _, reply, _ = papers.end_of(run)
    assert reply == {"it": 6.5}
    assert send({"order": {"number": "S-1"}, "ph": 6.5}, "m-1") < 300, "the same again acts no more"
    assert papers.project.runs.get(other)["state"] == "waiting"
    assert send({"order": {"number": "S-2"}, "ph": 7}, "m-2") < 300
    assert papers.end_of(other)[1] == {"it": 7}


def test_a_request_finds_the_run_that_is_meant_whatever_tells_it_apart(papers):
    send = webhook(papers, "plots")
    ways = {
        "by-text": [{"at": "order", "equals": {"input": "number"}}],
        "by-two": [{"at": "order", "equals": {"input": "number"}}, {"at": "plot", "equals": {"value": "north"}}],
        "by-number": [{"at": "count", "equals": {"value": 7}}],
        "by-path": [{"at": {"jsonpath": "$.lots[?@.is_own].order"}, "equals": {"input": "number"}}],
        "by-nothing": [],
    }
    for name, matches in ways.items():
        pause = {
            "type": "pause",
            "name": "told",
            "time_limit": 600,
            "callback": {"webhook": "plots", "matches": matches},
        }
        papers.flow(name, pause, end(it={"result": "told", "at": "body.plot"}), reply=REPLY)
    runs = {name: papers.begin(name, number="P-1") for name in ways}
    for run in runs.values():
        papers.wait_for(run, "callback")

    def waiting():
        return {name for name, run in runs.items() if papers.project.runs.get(run)["state"] == "waiting"}

    def sent(mark, body, *ended):
        assert send({"plot": "south", **body}, mark) < 300
        for name in ended:
            assert papers.end_of(runs[name])[1] == {"it": body.get("plot", "south")}, name
        assert waiting() == left - set(ended)
        left.difference_update(ended)

    left = {*ways}
    sent("p-0", {"order": "P-2", "count": 8, "lots": []}, "by-nothing")
    sent("p-1", {"order": 1, "count": "seven"})
    sent("p-2", {"order": "P-1"}, "by-text")
    sent("p-3", {"order": "P-1", "plot": "north"}, "by-two")
    sent("p-4", {"count": "7.0"}, "by-number")  # written as a text, as some services do
    sent("p-5", {"lots": [{"order": "P-2", "is_own": True}, {"order": "P-1", "is_own": False}]})
    sent("p-6", {"lots": [{"order": "P-1", "is_own": True}]}, "by-path")


def test_a_callback_that_is_quicker_than_the_run_is_not_lost(papers):
    send = webhook(papers, "quick-lab")
    papers.seconds["tree"] = 2
    told = {"webhook": "quick-lab", "matches": [{"at": "order", "equals": {"input": "number"}}]}
    pause = {"type": "pause", "name": "told", "time_limit": 60, "callback": told}
    papers.flow("quick", ask("tree"), pause, end(it={"result": "told", "at": "body.ph"}), reply=REPLY)
    run = papers.begin("quick", number="S-9")
    assert send({"order": "S-9", "ph": 5}, "m-9") < 300
    assert papers.end_of(run)[1] == {"it": 5}


def test_a_signed_request_begins_a_run_with_its_values(papers):
    papers.flow("asked-for", ask("tree"), end(it={"result": "tree", "at": "body.number"}), reply=REPLY)
    send = webhook(papers, "survey-orders", flow="asked-for", inputs={"number": "/order/tree"})
    assert send({"order": {"tree": "OLM-7"}}, "o-1") < 300
    assert send({"order": {"tree": "OLM-7"}}, "o-1") < 300
    wait_until(lambda: _begun(papers))
    [run] = _begun(papers)
    assert papers.end_of(run["id"])[1] == {"it": "OLM-7"}
    assert papers.asked["/tree/OLM-7"] == 1


def _begun(papers):
    return [one for one in papers.project.runs.search(kind="flow", limit=100) if one["begun_by"]]


def test_a_flow_of_asks_is_written_read_into_another_project_and_replies_the_same(papers):
    project, admin = papers.project, papers.rondine.client("ada")
    papers.flow(
        "carried",
        ask("tree"),
        ask(
            "plan",
            "plan",
            given={"number": {"result": "tree", "at": {"jsonpath": "$.body.papers[0].number"}}},
            on_failure=[{"type": "repeat", "times": 2, "pause": 0, "factor": 1}],
        ),
        ask("lots", on_failure=[{"type": "go_on"}]),
        end(it={"result": "plan", "at": "body.girth"}, why={"result": "tree", "at": "body.papers"}),
        reply=REPLY,
    )
    papers.status["lots"] = 403
    _, expected, _ = papers.run("carried")
    made = project.flows.arazzo("carried")
    assert made["unsaid"] == [] and sorted(made["sources"]) == [
        "crew.openapi.json",
        "lots.openapi.json",
        "tree.openapi.json",
    ]

    admin.projects.make("carried-to")
    other = admin.project("carried-to")
    other.hosts.permit("127.0.0.1", papers.outside.port, is_private=True)
    for name in ("tree", "crew", "lots"):
        other.services.make(name)
        base = {"base_address": papers.outside.url}
        other.connections.make(f"{name}-test", service=name, environment="test", document=base)
    with pytest.raises(RondineProblem, match='no source "elsewhere"'):
        other.flows.import_arazzo(json.dumps(made["document"]), services={"elsewhere": "tree"})
    [early] = other.flows.import_arazzo(json.dumps(made["document"]))
    assert 'no operation is called "find-tree" in tree' in early["left_out"][0]["message"]
    assert "no operation is called" in early["flow"]["document"]["description"]
    other.flows.remove("carried")
    for name in ("tree", "crew", "lots"):
        text = json.dumps(made["sources"][f"{name}.openapi.json"])
        other.definitions.import_into(name, files={"openapi.json": text}, record_types=[])
    [taken] = other.flows.import_arazzo(json.dumps(made["document"]))
    assert (taken["left_out"], taken["flow"]["name"], taken["flow"]["problems"]) == ([], "carried", [])
    run = other.flows.run("carried", {"number": "OLM-1"})
    [*_, last] = other.runs.watch(run["id"])
    assert last["state"] == "done" and other.flows.shown(run["id"])["reply"] == expected
    assert papers.written[-1] == ("plan", "tree-OLM-1")


def test_who_is_asked_gets_an_e_mail_with_the_question_and_a_link_once(papers, rondine):
    mails = []

    class Handler:
        async def handle_DATA(self, server, session, envelope):
            mails.append(message_from_bytes(envelope.content))
            return "250 OK"

    smtp = Controller(Handler(), hostname="127.0.0.1", port=rondine.smtp_port)
    smtp.start()
    try:
        about = {"type": "flows", "flows": ["asking"], "events": ["asks", "ended"]}
        document = {"about": about, "by": {"type": "email", "to": ["ines@olmara.example"]}}
        made = papers.project.subscriptions.make("asked", environment="test", document=document)
        assert made["problems"] == []
        yes = {"question": "May it be felled?", "shows": {"girth": {"result": "tree", "at": "body.girth"}}}
        later = {"type": "pause", "name": "nap", "seconds": 4}
        papers.flow(
            "asking",
            ask("tree"),
            {"type": "pause", "name": "look", "time_limit": 600, "person": yes},
            later,
            end(it={"result": "look", "at": "agreed"}),
            reply=REPLY,
        )
        run = papers.begin("asking")
        mail = wait_until(lambda: mails and mails[0], 20)
        text = mail.get_payload(decode=True).decode()
        assert mail["Subject"] == "flow asking: asks" and "May it be felled?" in text and "girth: 1.25" in text
        assert f"{rondine.url}/p/{papers.name}/runs/{run}" in text
        papers.project.flows.answer(run, "look", False)
        papers.end_of(run)
        assert wait_until(lambda: len(mails) == 2 and mails[1], 20)["Subject"] == "flow asking: ended"
        told = [one["kind"] for one in papers.project.events.search() if one["flow"] == "asking"]
        assert told == ["flow_ended", "flow_asks"]
    finally:
        papers.project.subscriptions.remove("asked")
        smtp.stop()


def test_a_case_of_a_flow_is_a_run_played_again_without_a_network(papers, rondine):
    project = papers.project
    papers.flow(
        "cased",
        ask("tree"),
        together("papers", "soil", "lots", success={"type": "what_succeeds"}, time_limit=5),
        {"type": "pause", "name": "look", "time_limit": 600, "person": {"question": "Enough?"}},
        ask("plan", "plan", given={"number": {"result": "look", "at": "by"}}),
        end(it={"result": "papers", "at": "failures"}, why={"result": "plan", "at": "body.girth"}),
        reply=REPLY,
    )
    papers.seconds["lots"] = 60
    run = papers.begin("cased")
    with pytest.raises(RondineProblem, match="not at its end"):
        project.cases.record_flow("early", run)
    papers.wait_for(run, "person")
    project.flows.answer(run, "look", True)
    _, reply, _ = papers.end_of(run)
    made = project.cases.record_flow("enough", run)
    expected = made["document"]["expected"]
    assert expected["reply"] == reply and expected["asked"]["plan"] == {"number": "mira"}
    papers.asked.clear()
    assert [(one["case"], one["is_good"]) for one in project.cases.check()] == [("enough", True)]
    assert not papers.asked, "nothing was called"

    held = project.flows.get("cased")
    document = held["document"]
    document["steps"][3]["ask"]["inputs"] = NUMBER
    held = project.flows.change("cased", version=held["version"], document=document)
    [checked] = project.cases.check()
    assert [(one["path"], one["before"], one["after"]) for one in checked["differences"]] == [
        ("$['asked']['plan']['number']", '"mira"', '"OLM-1"')
    ]
    found = rondine.cli("--project", papers.name, "check", check=False)
    assert found.returncode == 1 and 'was "mira", and is "OLM-1"' in found.stderr
    assert "enough" in [one["name"] for one in project.releases.check()]
    document["steps"].insert(1, ask("crew"))
    project.flows.change("cased", version=held["version"], document=document)
    assert "nothing is recorded of crew" in project.cases.check()[0]["problem"]
    papers.flow("uncased", ask("tree"))
    early = rondine.cli("--project", papers.name, "case", "record", "newest", "--flow", "uncased", check=False)
    assert early.returncode != 0 and "no run of uncased is over yet" in early.stderr
    again = rondine.cli("--project", papers.name, "flow", "run", "uncased", "--case", "enough")
    assert json.loads(again.stdout)["run"]["inputs"] == {"number": "OLM-1"}
    rondine.cli("--project", papers.name, "case", "record", "newest", "--flow", "uncased")
    tried = rondine.cli("--project", papers.name, "operation", "try", "find-tree", "--case", "enough")
    assert json.loads(tried.stdout)["call"]["url"].endswith("/tree/OLM-1"), "the same inputs at an operation"
    project.cases.remove("enough")
