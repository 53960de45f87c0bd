"""What steps can be given, and what they leave open filled in one go."""

from dataclasses import replace

import pytest
from tests.core.test_flow_checking import KNOWN, end, found_in

from rondine.core.errors import InputError, NotFound
from rondine.core.flow.checking import check_flow
from rondine.core.flow.document import FlowDocument
from rondine.core.flow.filling import with_inputs, with_kept, with_reply
from rondine.core.flow.offering import offers_at
from rondine.core.flow.pointing import valued
from rondine.core.settings import dump, load

TREE = {
    "type": "object",
    "properties": {
        "planted": {"type": "string", "format": "date"},
        "girth": {"type": ["number", "null"]},
        "lots": {"type": "array", "items": {"$ref": "#/$defs/lot"}},
        "within": {"$ref": "#/$defs/tree"},
    },
}
LOT = {"type": "object", "properties": {"lot number": {"type": "string"}, "grams": {"type": "integer"}}}
ANSWERING = replace(
    KNOWN,
    answers=lambda name: ({"$ref": "#/$defs/tree"}, {"tree": TREE, "lot": LOT}) if name == "find-tree" else (True, {}),
)
TREE_STEP = {
    "type": "ask",
    "name": "tree",
    "ask": {"operation": "find-tree", "inputs": {"number": {"input": "number"}}},
}
PLAN = {"type": "ask", "name": "plan", "ask": {"operation": "plan"}}
INPUTS = [{"name": "number", "required": True}, {"name": "many", "type": "integer"}]


def flow(*steps, inputs=INPUTS, **document):
    return load(FlowDocument, {"inputs": inputs, "steps": [*steps], **document})


def offered(document, place, known=ANSWERING):
    """By the name of each opening, the sources that are offered for it."""
    found = offers_at(document, known, place)
    return {one.name: [dump(found.offers[number].source) for number in one.offers] for one in found.openings}


def test_only_what_is_there_by_then_and_fits_is_offered():
    found = offered(flow(TREE_STEP, PLAN), "/steps/1")
    assert found["day"] == [
        {"result": "tree", "at": "body.planted"},
        {"standing": "office"},
    ]
    assert found["girth"] == [
        {"input": "many"},
        {"result": "tree", "at": "body.girth"},
        {"result": "tree", "at": {"jsonpath": "$.body.lots[0].grams"}},
        {"result": "tree", "at": "status"},
        {"standing": "office"},
    ]
    assert {"result": "tree"} not in offered(flow(TREE_STEP), "/steps/0")["number"]


def test_of_each_of_many_the_list_and_then_its_items_are_offered():
    each = {
        "type": "ask",
        "name": "all",
        "each": {"of": {"result": "tree", "at": "body.lots"}, "ask": {"operation": "find-tree"}},
    }
    found = offered(flow(TREE_STEP, each), "/steps/1")
    assert found["of"] == [{"result": "tree", "at": "body.lots"}, {"standing": "office"}]
    assert {"item": True, "at": {"jsonpath": "$['lot number']"}} in found["number"]
    assert {"position": True} in found["number"] and {"item": True} not in found["number"]


@pytest.mark.parametrize(
    ("step", "name", "source"),
    [
        ({"type": "ask", "name": "a", "ask": {"flow": "papers"}}, "number", {"result": "a", "at": "reply.papers"}),
        ({"type": "records", "name": "a", "action": "find", "record_type": "tree"}, "number", {"result": "a", "at": "record.source"}),
        ({"type": "pause", "name": "a", "person": {"question": "May it?"}}, "number", {"result": "a", "at": "by"}),
        ({"type": "pause", "name": "a", "callback": {}}, "number", {"result": "a", "at": "body"}),
        (
            {"type": "ask", "name": "a", "together": [{"name": "b", "operation": "find-tree"}]},
            "girth",
            {"result": "a", "at": "parts.b.body.girth"},
        ),
    ],
)  # fmt: skip
def test_what_comes_of_each_kind_of_step_is_offered(step, name, source):
    behind = PLAN if name == "girth" else TREE_STEP
    assert source in offered(flow(step, behind), "/steps/1")[name]


def test_what_may_not_be_there_says_so_and_a_step_to_come_is_offered_values_too():
    may_fail = {**TREE_STEP, "on_failure": [{"type": "go_on"}]}
    found = offers_at(flow(may_fail), ANSWERING, "/steps/1")
    assert found.openings == [] and found.results == []
    assert {one.is_certain for one in found.offers if one.name == "tree"} == {False}
    with pytest.raises(NotFound, match="no step stands there"):
        offers_at(flow(TREE_STEP), ANSWERING, "/steps/7")


def test_what_a_step_is_given_stands_in_lists_of_records_and_ends_too():
    records = {
        "type": "records",
        "name": "keep",
        "action": "keep",
        "record_type": "tree",
        "key": {"number": {"input": "number"}},
    }
    found = offers_at(flow(records), ANSWERING, "/steps/0").openings
    assert [(one.at, one.required, one.held is None) for one in found] == [
        ("/steps/0/key/number", True, False),
        ("/steps/0/fields/source", False, True),
    ]
    reply = [{"name": "trees", "records": "tree"}, {"name": "girth", "type": "decimal"}]
    found = offered(
        flow({**TREE_STEP, "ask": {"operation": "find-tree", "mapping": "tree"}}, end(), reply=reply), "/steps/1"
    )
    assert found["trees"] == [{"result": "tree", "at": "records.tree"}, {"standing": "office"}]  # fmt: skip
    assert {"result": "tree", "at": "status"} in found["girth"]


def test_what_takes_a_thing_back_is_given_what_came_of_it_alone():
    plan = {"operation": "plan", "undo": {"operation": "find-tree"}}
    both = {
        "type": "ask",
        "name": "both",
        "together": [
            {"name": "one", **plan},
            {"name": "tree", "operation": "find-tree", "undo": {"operation": "find-tree"}},
        ],
    }
    found = offers_at(flow(both), ANSWERING, "/steps/0")
    undoing = {one.part: one for one in found.openings if one.undoes}
    assert {one.at for one in undoing.values()} == {
        "/steps/0/together/0/undo/inputs/number",
        "/steps/0/together/1/undo/inputs/number",
    }
    sources = {part: [dump(found.offers[number].source) for number in one.offers] for part, one in undoing.items()}
    assert {"undone": True, "at": "body.planted"} in sources["tree"]
    assert {"undone": True, "at": "status"} in sources["one"]
    assert {"undone": True, "at": "body.planted"} not in sources["one"]
    [given] = [one for one in found.openings if one.part == "tree" and not one.undoes]
    assert not any(found.offers[number].of == "undone" for number in given.offers)


def test_what_a_person_is_shown_and_what_a_request_is_told_apart_by_are_offered_values():
    shows = {"type": "pause", "name": "a", "person": {"question": "May it?", "shows": {"girth": {"input": "many"}}}}
    waits = {
        "type": "pause",
        "name": "b",
        "callback": {"matches": [{"at": "job.id", "equals": {"result": "tree", "at": "status"}}]},
    }
    document = flow(TREE_STEP, shows, waits)
    [shown] = offers_at(document, ANSWERING, "/steps/1").openings
    assert (shown.at, shown.name) == ("/steps/1/person/shows/girth", "girth")
    [matched] = offers_at(document, ANSWERING, "/steps/2").openings
    assert (matched.at, matched.name) == ("/steps/2/callback/matches/0/equals", "job.id")
    assert {"result": "tree", "at": "body.planted"} in offered(document, "/steps/2")["job.id"]


def test_inputs_of_the_flow_are_made_of_what_a_step_leaves_open_in_one_go():
    step = {"type": "ask", "name": "plan", "ask": {"operation": "plan"}}
    made = with_inputs(flow(step, inputs=[]), ANSWERING, "/steps/0")
    assert [dump(one) for one in made.inputs] == [{"name": "day", "type": "date", "required": True}]
    assert dump(made.steps[0].ask)["inputs"] == {"day": {"input": "day"}}
    assert check_flow(made, ANSWERING).problems == []
    made = with_inputs(made, ANSWERING, "/steps/0", ["girth"])
    assert [one.name for one in made.inputs] == ["day", "girth"]
    taken = [{"name": "day"}, {"name": "girth", "type": "integer"}]
    made = with_inputs(flow(step, inputs=taken), ANSWERING, "/steps/0", ["day", "girth"])
    assert dump(made.steps[0].ask)["inputs"] == {"day": {"input": "day_2"}, "girth": {"input": "girth"}}
    with pytest.raises(NotFound, match='called "dya"'):
        with_inputs(made, ANSWERING, "/steps/0", ["dya"])


def test_results_are_kept_and_replied_with_their_types_in_one_go():
    document = flow(TREE_STEP)
    made = with_kept(document, ANSWERING, "/steps/0", ["body.girth", "body.planted", "body"])
    assert [(one.name, one.type) for one in made.steps[0].keep] == [
        ("body", "json"),
        ("planted", "date"),
        ("girth", "decimal"),
    ]
    made = with_reply(made, ANSWERING, "/steps/0", ["body.girth"])
    assert dump(made.reply) == [{"name": "girth", "type": "decimal"}]
    assert dump(made.steps[1]) == {
        "type": "end",
        "name": "reply",
        "reply": {"girth": {"result": "tree", "at": "body.girth"}},
    }
    mapped = flow({**TREE_STEP, "ask": {**TREE_STEP["ask"], "mapping": "tree"}})
    made = with_reply(mapped, ANSWERING, "/steps/0", ["records.tree"])
    assert dump(made.reply) == [{"name": "tree", "records": "tree"}]
    assert found_in(*dump(made.steps), reply=dump(made.reply)).problems == []


@pytest.mark.parametrize("make", [with_kept, with_reply])
def test_nothing_is_made_of_no_step_or_no_names(make):
    for document, place in ((flow(), "/steps/0"), (flow(TREE_STEP), "/steps/1"), (flow(TREE_STEP), "/steps/9")):
        with pytest.raises(NotFound):
            make(document, ANSWERING, place, ["body"])
    with pytest.raises(InputError, match="nothing is named"):
        make(flow(TREE_STEP), ANSWERING, "/steps/0", [])


def test_circles_end_and_the_values_of_a_schema_are_told_once_with_their_paths():
    found = {str(one.at): one.type for one in valued({"$ref": "#/$defs/tree"}, {"tree": TREE, "lot": LOT})}
    assert found["within"] == "object" and found["lots"] == "list" and "lots.grams" not in found
