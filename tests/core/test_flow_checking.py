"""What is found in a flow before it runs, each with its place."""

import pytest

from rondine.core.flow.checking import check_flow
from rondine.core.flow.checking_sources import Known
from rondine.core.flow.document import FlowDocument
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.operations.inputs import Input
from rondine.core.settings import load

TEXT = {"type": "text"}


def flow(*steps, **document):
    return load(FlowDocument, {"steps": [*steps], **document})


KNOWN = Known(
    operations={
        "find-tree": [Input(name="number", required=True)],
        "plan": [Input(name="day", type="date", required=True), Input(name="girth", type="decimal")],
        "list-lots": [],
    },
    mappings={"tree": ["tree"], "lots": ["lot"]},
    record_types={
        "tree": load(RecordTypeDocument, {"fields": [{"name": "number", **TEXT}, {"name": "source", **TEXT}], "key": ["number"]}),
        "lot": load(RecordTypeDocument, {"fields": [{"name": "lot", **TEXT}], "key": ["lot"], "kind": "passing"}),
    },
    flows={
        "papers": flow(
            {"type": "ask", "name": "a", "ask": {"flow": "inner"}},
            inputs=[{"name": "number", "required": True}],
            reply=[{"name": "papers"}],
        ),
        "inner": flow({"type": "ask", "name": "a", "ask": {"operation": "list-lots"}}),
    },
    webhooks=frozenset({"lab"}),
    standing=frozenset({"office"}),
)  # fmt: skip
NUMBER = {"inputs": {"number": {"input": "number"}}}


def find(name="tree", **more):
    return {"type": "ask", "name": name, "ask": {"operation": "find-tree", "mapping": "tree", **NUMBER}, **more}


def ask(name, operation="list-lots", **inputs):
    return {"type": "ask", "name": name, "ask": {"operation": operation, "inputs": inputs}}


def end(name="end", **reply):
    return {"type": "end", "name": name, "reply": reply}


REPLY = [{"name": "tree", "required": True}]
INPUTS = [{"name": "number", "required": True}]


def found_in(*steps, inputs=INPUTS, name="", **document):
    return check_flow(flow(*steps, inputs=inputs, **document), KNOWN, name)


def test_a_flow_whose_parts_fit_has_no_problem():
    together = {
        "type": "ask",
        "name": "papers",
        "together": [{"name": "a", "flow": "papers", **NUMBER}, {"name": "b", "operation": "find-tree", "mapping": "tree", **NUMBER}],
        "success": {"type": "at_least", "count": 1},
        "gather": {"record_type": "tree", "origin": "source"},
    }  # fmt: skip
    decide = {
        "type": "decide",
        "name": "there",
        "ways": [{"when": [{"from": {"result": "tree", "at": "records.tree"}, "is": "present"}], "steps": [end("good", tree={"result": "papers", "at": "records"})]}],
        "otherwise": [{"type": "end", "name": "none", "fail": {"value": "no such tree"}}],
    }  # fmt: skip
    found = found_in(find(), together, decide, reply=[{"name": "tree", "records": "tree", "required": True}])
    assert (found.problems, found.warnings) == ([], [])


@pytest.mark.parametrize(
    ("steps", "where", "words"),
    [
        ([], "/steps", "no steps yet"),
        ([find(), find()], "/steps/1/name", 'two steps are called "tree"'),
        ([ask("a", "list-lot"), find()], "/steps/0/ask/operation", 'no operation "list-lot"'),
        ([ask("a", "find-tree"), find()], "/steps/0/ask/inputs", 'nothing fills the input "number"'),
        ([ask("a", "find-tree", numbr={"input": "number"}, number={"value": 1})], "/steps/0/ask/inputs/numbr", 'has no input "numbr"'),
        ([ask("a", "find-tree", number={"input": "nr"}), find()], "/steps/0/ask/inputs/number/input", 'no input "nr"'),
        ([ask("a", "find-tree", number={"result": "tree", "at": "body.x"}), find()], "/steps/0/ask/inputs/number/result", "is not done before this one"),
        ([ask("a", "find-tree", number={"result": "tre", "at": "body.x"}), find()], "/steps/0/ask/inputs/number/result", 'no step "tre"'),
        ([ask("a", "find-tree", number={"kept": "girth"}), find()], "/steps/0/ask/inputs/number/kept", 'keeps "girth"'),
        ([ask("a", "find-tree", number={"item": True}), find()], "/steps/0/ask/inputs/number/item", "for each of many"),
        ([ask("a", "find-tree", number={"failure": True}), find()], "/steps/0/ask/inputs/number/failure", "no step has failed"),
        ([ask("a", "find-tree", number={"standing": "ofice"}), find()], "/steps/0/ask/inputs/number/standing", 'no standing value "ofice"'),
        ([ask("a", "find-tree", number={"input": "number", "at": "a b"})], "/steps/0/ask/inputs/number/at", "not a plain path"),
        ([find(), ask("a", "plan", day={"result": "tree"})], "/steps/1/ask/inputs/day", "this is an object"),
        ([find(), ask("a", "plan", day={"value": True})], "/steps/1/ask/inputs/day", "of type boolean"),
        ([find(), ask("a", "plan", day={"value": "soon"})], "/steps/1/ask/inputs/day", "not a date"),
        ([find(), ask("a", "plan", day={"result": "tree", "at": "records.tree"})], "/steps/1/ask/inputs/day", "a list"),
        ([{"type": "ask", "name": "all", "together": [{"name": "t", "operation": "find-tree", "mapping": "trees", "inputs": {"number": {"input": "number"}}}], "gather": {"record_type": "tree"}}, end(all={"result": "all", "at": "records.tree"})], "/steps/1/reply/all/at", "are one list"),
        ([find(), ask("a", "plan", day={"result": "tree", "at": "records.lot"})], "/steps/1/ask/inputs/day/at", 'no records of type "lot"'),
        ([find(), ask("a", "plan", day={"result": "tree", "at": "bodi.x"})], "/steps/1/ask/inputs/day/at", 'has no "bodi"'),
        ([{"type": "ask", "name": "x", "each": {"of": {"input": "number"}, "ask": {"operation": "list-lots"}}}], "/steps/0/each/of", "a list is wanted"),
        ([{"type": "ask", "name": "x", "together": [{"name": "a", "operation": "list-lots"}], "gather": {"record_type": "tree"}}, find()], "/steps/0/gather/record_type", "nothing that is asked brings tree"),
        ([{"type": "ask", "name": "x", "together": [{"name": "a", "operation": "list-lots"}], "success": {"type": "at_least", "count": 2}}, find()], "/steps/0/success/count", "no more can succeed"),
        ([{"type": "ask", "name": "x", "ask": {"flow": "papers"}}, find()], "/steps/0/ask/inputs", 'nothing fills the input "number"'),
        ([{"type": "ask", "name": "x", "ask": {"flow": "papers", **NUMBER}}, ask("a", "find-tree", number={"result": "x", "at": "reply.paper"})], "/steps/1/ask/inputs/number/at", 'has no "paper"'),
        ([{"type": "ask", "name": "x", "ask": {"record_type": "tree", "inputs": {"nummer": {"input": "number"}}}}], "/steps/0/ask/inputs/nummer", 'no field "nummer"'),
        ([{"type": "records", "name": "x", "action": "keep", "record_type": "tree", "fields": {"source": {"input": "number"}}}], "/steps/0/key", 'nothing fills "number"'),
        ([{"type": "records", "name": "x", "action": "find", "record_type": "lot", "key": {"lot": {"input": "number"}}}], "/steps/0/record_type", "passing"),
        ([{"type": "decide", "name": "x"}, find()], "/steps/0", "no way to go"),
        ([{"type": "decide", "name": "x", "ways": [{"when": [{"from": {"input": "number"}, "is": "of_kind", "value": "list"}]}]}], "/steps/0/ways/0/when/0/value", "no kind of value"),
        ([{"type": "decide", "name": "x", "ways": [{"when": [{"from": {"input": "number"}, "is": "more"}]}]}], "/steps/0/ways/0/when/0/value", "compares with something"),
        ([{"type": "pause", "name": "x", "callback": {"webhook": "labor"}, "time_limit": 9}, find()], "/steps/0/callback/webhook", 'no webhook "labor"'),
        ([find(), end(wood={"result": "tree"})], "/steps/1/reply/wood", 'no "wood"'),
        ([find(), end()], "/steps/1/reply", 'has to have "tree"'),
        ([find()], "/steps", "may end without a reply"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told_with_its_place(steps, where, words):
    found = found_in(*steps, reply=REPLY)
    assert any(one.where == where and words in one.message for one in found.problems), found.problems


@pytest.mark.parametrize("name", ["papers", "inner", "tree-file"])
def test_a_flow_that_asks_itself_is_found_also_over_others(name):
    found = found_in({"type": "ask", "name": "x", "ask": {"flow": "papers", **NUMBER}}, name=name)
    assert [one.where for one in found.problems] == ([] if name == "tree-file" else ["/steps/0/ask/flow"])


@pytest.mark.parametrize(
    ("steps", "where", "words"),
    [
        ([ask("a")], "/inputs/0", 'nothing uses the input "number"'),
        ([find(keep=[{"name": "it", "from": {"result": "tree", "at": "status"}}])], "/steps/0/keep/0", "nothing uses the kept"),
        ([find(), {"type": "end", "name": "e", "reply": {}}, ask("a")], "/steps/2", "never reached"),
        ([find(), {"type": "decide", "name": "x", "ways": [{}, {}]}], "/steps/1/ways/1", "never gone"),
        ([find(), {"type": "decide", "name": "x", "ways": [{}], "otherwise": [ask("a")]}], "/steps/1/otherwise", "never done"),
        ([find(on_failure=[{"type": "go_on"}, {"type": "repeat"}])], "/steps/0/on_failure/1", "never counts"),
        ([find(), {"type": "pause", "name": "x", "person": {"question": "Fell it?"}}], "/steps/1", "wait for ever"),
        ([find(on_failure=[{"type": "go_on"}]), ask("a", "plan", day={"result": "tree", "at": "body.day"})], "/steps/1/ask/inputs/day", "may have failed"),
    ],
)  # fmt: skip
def test_what_is_odd_is_told_and_keeps_nothing_from_running(steps, where, words):
    found = found_in(*steps)
    assert found.problems == []
    assert [(one.where, words in one.message) for one in found.warnings] == [(where, True)], found.warnings
