"""Flows written as Arazzo documents and read again."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import InputError
from rondine.core.flow.arazzo import AskedOperation
from rondine.core.flow.arazzo_reading import read_arazzo, sources_of, with_left_out
from rondine.core.flow.arazzo_writing import to_arazzo
from rondine.core.flow.document import FlowDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.settings import dump, load


def operation(name, service="register", **document):
    return AskedOperation(name, service, load(OperationDocument, document))


FIND = operation(
    "find-tree",
    path="/trees/{number}",
    inputs=[{"name": "number", "required": True}, {"name": "lang"}, {"name": "crew"}],
    query=[{"name": "language", "value": {"input": "lang"}}],
    headers=[{"name": "X-Crew", "value": {"input": "crew"}}],
    came_from={"definition": "register", "key": "GET /trees/{number}"},
)
PLAN = operation(
    "plan",
    "crew",
    method="POST",
    path="/plans",
    inputs=[{"name": "number"}, {"name": "day", "type": "date"}],
    body={
        "type": "json",
        "members": [{"at": "/tree/number", "value": {"input": "number"}}, {"at": "/day", "value": {"input": "day"}}],
    },
)
KNOWN = {one.name: one for one in (FIND, PLAN)}
NUMBER = {"number": {"input": "number"}}


def flow(*steps, **document):
    return load(FlowDocument, {"inputs": [{"name": "number", "required": True}], "steps": [*steps], **document})


def ask(name, operation, inputs, **more):
    return {"type": "ask", "name": name, "ask": {"operation": operation, "inputs": inputs}, **more}


WHOLE = flow(
    ask("tree", "find-tree", {**NUMBER, "lang": {"value": "la"}, "crew": {"input": "number"}}),
    ask(
        "plan",
        "plan",
        {"number": {"result": "tree", "at": "body.number"}, "day": {"result": "tree", "at": {"jsonpath": "$.body.days[0]"}}},
        on_failure=[{"type": "repeat", "times": 2, "pause": 5, "factor": 1}, {"type": "go_on"}],
    ),
    {"type": "end", "name": "reply", "reply": {"day": {"result": "plan", "at": "body.day"}, "status": {"result": "tree", "at": "status"}}},
    reply=[{"name": "day"}, {"name": "status"}],
)  # fmt: skip


def written(document, **more):
    flows = {"plan-it": document, **more}
    return to_arazzo("plan-it", "Plan it", flows, KNOWN, {"register": "register.json", "crew": "crew.json"})


def read(document, operations=(FIND, PLAN)):
    services = {name: name for name in sources_of(document)}
    return read_arazzo(json.loads(json.dumps(document)), operations, services)


def test_what_is_written_is_read_as_the_same_flow():
    made = written(WHOLE)
    assert (made.unsaid, list(made.services)) == ([], ["register", "crew"])
    assert made.document["arazzo"] == "1.0.1"
    assert made.document["workflows"][0]["steps"][0] == {
        "stepId": "tree",
        "operationId": "$sourceDescriptions.register.find-tree",
        "parameters": [
            {"name": "number", "in": "path", "value": "$inputs.number"},
            {"name": "language", "in": "query", "value": "la"},
            {"name": "X-Crew", "in": "header", "value": "$inputs.number"},
        ],
        "successCriteria": [{"condition": "$statusCode >= 200"}, {"condition": "$statusCode < 300"}],
        "outputs": {
            "number": "$response.body#/number",
            "days_0": "$response.body#/days/0",
            "status": "$statusCode",
        },
    }
    body = made.document["workflows"][0]["steps"][1]["requestBody"]
    assert body["payload"] == {"tree": {"number": "$steps.tree.outputs.number"}, "day": "$steps.tree.outputs.days_0"}
    [again] = read(made.document)
    assert again.left_out == [] and dump(again.document) == dump(WHOLE)
    assert (again.name, again.title) == ("plan-it", "Plan it")


def test_another_flow_is_a_workflow_beside_it():
    inner = flow(
        ask("tree", "find-tree", NUMBER),
        {"type": "end", "name": "reply", "reply": {"it": {"result": "tree", "at": "body"}}},
        reply=[{"name": "it"}],
    )
    outer = flow(
        {"type": "ask", "name": "in", "ask": {"flow": "inner", "inputs": NUMBER}},
        {"type": "end", "name": "reply", "reply": {"it": {"result": "in", "at": "reply.it"}}},
        reply=[{"name": "it"}],
    )
    made = written(outer, inner=inner)
    assert made.unsaid == []
    both = read(made.document)
    assert [(one.name, dump(one.document)) for one in both] == [("plan-it", dump(outer)), ("inner", dump(inner))]


@pytest.mark.parametrize(
    ("steps", "where", "words"),
    [
        ([{"type": "pause", "name": "nap", "seconds": 1}], "/steps/0", "it waits"),
        ([ask("tree", "find-tree", NUMBER, time_limit=5)], "/steps/0/time_limit", "how long"),
        ([{**ask("tree", "find-tree", NUMBER), "ask": {"operation": "find-tree", "mapping": "trees", "inputs": NUMBER}}], "/steps/0/ask/mapping", "makes records"),
        ([ask("tree", "find-tree", {"number": {"standing": "office"}})], "/steps/0/ask/inputs/number", "only inputs of the flow"),
        ([ask("tree", "find-tree", {"number": {"value": "$inputs.x"}})], "/steps/0/ask/inputs/number", "read as an expression"),
        ([ask("tree", "find-tree", {"number": {"input": "number", "convert": [{"type": "trim"}]}})], "/steps/0/ask/inputs/number", "conversions"),
        ([ask("tree", "find-tree", NUMBER, on_failure=[{"type": "instead", "steps": []}])], "/steps/0/on_failure/0", "instead"),
        ([{"type": "ask", "name": "both", "together": [{"name": "a", "operation": "find-tree", "inputs": NUMBER}]}], "/steps/0/together", "one after the other"),
    ],
)  # fmt: skip
def test_what_cannot_be_said_of_a_step_is_named_with_its_place(steps, where, words):
    made = written(flow(*steps))
    assert (where, True) in [(one.where, words in one.message) for one in made.unsaid]


def test_what_cannot_be_said_of_values_and_of_the_whole_flow_is_named():
    kept = [{"name": "girth", "from": {"result": "tree", "at": "body.girth"}, "type": "decimal"}]
    end = {"type": "end", "name": "end", "reply": {"it": {"kept": "girth"}}}
    reply = [{"name": "it", "type": "text"}, {"name": "why", "required": True}]
    made = written(flow(ask("tree", "find-tree", NUMBER, keep=kept), end, reply=reply, enabled=False, time_limit=5))
    places = ["/time_limit", "/enabled", "/reply/0", "/reply/1", "/steps/0/keep/0"]
    assert [one.where for one in made.unsaid] == places
    assert made.document["workflows"][0]["outputs"] == {"it": "$steps.tree.outputs.girth"}


def workflow(*steps, **more):
    sources = [{"name": "register", "url": "register.json", "type": "openapi"}]
    return {
        "arazzo": "1.0.0",
        "info": {"title": "Trees", "version": "1"},
        "sourceDescriptions": sources,
        "workflows": [{"workflowId": "lookUp", "steps": [*steps], **more}],
    }


def step(id_="tree", **more):
    return {"stepId": id_, "operationId": "find-tree", **more}


@pytest.mark.parametrize(
    ("document", "where", "words"),
    [
        (workflow(step(operationId="fell")), "/workflows/0/steps/0", 'no operation is called "fell" in register'),
        (workflow(step(successCriteria=[{"condition": "$statusCode == 404"}])), "/workflows/0/steps/0/successCriteria/0", "404"),
        (workflow(step(successCriteria=[{"context": "$response.body", "condition": "$[?@.x]", "type": "jsonpath"}])), "/workflows/0/steps/0/successCriteria/0", "not taken"),
        (workflow(step(onSuccess=[{"name": "x", "type": "end"}])), "/workflows/0/steps/0/onSuccess/0", "if it succeeds"),
        (workflow(step(onFailure=[{"name": "x", "type": "goto", "stepId": "tree"}])), "/workflows/0/steps/0/onFailure/0", "not taken"),
        (workflow(step(onFailure=[{"name": "x", "type": "retry", "retryLimit": 1000}])), "/workflows/0/steps/0/onFailure/0", "1000 times"),
        (workflow(step(parameters=[{"name": "size", "in": "query", "value": 1}])), "/workflows/0/steps/0/parameters/0", 'no input for "size"'),
        (workflow(step(parameters=[{"name": "number", "in": "path", "value": "T-{$inputs.n}"}])), "/workflows/0/steps/0/parameters/0", "not understood"),
        (workflow(step(parameters=[{"name": "number", "in": "path", "value": "$inputs.n"}])), "/workflows/0/steps/0/parameters/0", 'no input "n"'),
        (workflow(step(outputs={"a": "$response.header.Location"})), "/workflows/0/steps/0/outputs/a", "not understood"),
        (workflow(step(timeout=5)), "/workflows/0/steps/0/timeout", '"timeout" is not understood'),
        (workflow(step(), dependsOn=["other"]), "/workflows/0/dependsOn", "dependsOn"),
        (workflow(step(), outputs={"a": "$steps.soil.outputs.x"}), "/workflows/0/outputs/a", 'step "soil"'),
        (workflow({"stepId": "x", "workflowId": "other"}), "/workflows/0/steps/0", "not in this document"),
        (workflow(step(requestBody={"payload": "tree={$inputs.n}&x=1"})), "/workflows/0/steps/0/requestBody/payload", "put together"),
    ],
)  # fmt: skip
def test_what_could_not_be_taken_is_named_and_stands_in_the_draft(document, where, words):
    [made] = read(document)
    assert (where, True) in [(one.where, words in one.message) for one in made.left_out]
    assert words in with_left_out(made)["description"]


def test_components_paths_and_other_spellings_are_read():
    document = workflow(
        step(
            operationId=None,
            operationPath="{$sourceDescriptions.register.url}#/paths/~1trees~1{number}/get",
            parameters=[{"reference": "$components.parameters.tree"}, {"name": "x-crew", "in": "header", "value": "{$inputs.crewName}"}],
            successCriteria=[{"condition": "$statusCode == 200"}],
            onFailure=[{"reference": "$components.failureActions.again"}],
            outputs={"girths": "$response.body#/girths"},
        ),
        inputs={"$ref": "#/components/inputs/tree"},
        outputs={"firstGirth": "$steps.tree.outputs.girths#/0"},
    )  # fmt: skip
    document["components"] = {
        "inputs": {
            "tree": {
                "type": "object",
                "required": ["number"],
                "properties": {"number": {"type": "string", "examples": ["OLM-1"]}, "crewName": {"enum": ["a", "b"]}},
            }
        },
        "parameters": {"tree": {"name": "number", "in": "path", "value": "$inputs.number"}},
        "failureActions": {"again": {"name": "again", "type": "retry", "retryAfter": 2, "retryLimit": 3}},
    }
    [made] = read(document)
    told = dump(made.document)
    assert told["inputs"] == [
        {"name": "number", "required": True, "try_value": "OLM-1"},
        {"name": "crewName", "type": "json", "allowed": ["a", "b"]},
    ]
    assert told["steps"][0]["ask"]["inputs"] == {"number": {"input": "number"}, "crew": {"input": "crewName"}}
    assert told["steps"][0]["on_failure"] == [{"type": "repeat", "pause": 2.0, "factor": 1.0}]
    assert told["steps"][1]["reply"] == {"first_girth": {"result": "tree", "at": {"jsonpath": "$.body.girths[0]"}}}
    assert [one.where for one in made.left_out] == [
        "/workflows/0/steps/0/onFailure/0",
        "/workflows/0/outputs/firstGirth",
    ]
    assert "only after those that may pass by themselves" in made.left_out[0].message


@pytest.mark.parametrize(
    ("document", "words"),
    [([], "no Arazzo"), ({"arazzo": "2.0.0"}, "2.0.0 is not read"), ({"arazzo": "1.0.1"}, "no workflow")],
)
def test_what_is_no_such_document_says_so(document, words):
    with pytest.raises(InputError, match=words):
        read_arazzo(document, [], {})


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=8) | st.sampled_from(["$inputs.n", "$steps.a.outputs.b"]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(
        st.sampled_from(
            ["steps", "stepId", "operationId", "workflowId", "parameters", "name", "in", "value", "outputs", "onFailure", "type", "reference", "requestBody", "payload", "inputs", "properties", "successCriteria", "condition", "x"]
        ),
        inner,
        max_size=4,
    ),
    max_leaves=12,
)  # fmt: skip


@given(JSON, JSON)
def test_whatever_a_document_holds_it_is_read_or_refused_in_words(held, other):
    document = workflow(step(), held, outputs=other)
    document["components"] = {"parameters": other, "inputs": held}
    if isinstance(other, dict):
        document["workflows"].append(other)
    for made in read(document):
        assert load(FlowDocument, with_left_out(made))
