"""GraphQL: schemas read into operations, queries composed field by field, values as variables, and answers that fail
with status 200."""

import json

import pytest
from graphql import build_schema, graphql_sync, introspection_from_schema, parse, validate
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.definitions import Files, read_definition
from rondine.core.definitions.graphql import composed, offered_fields, with_field, without_field
from rondine.core.definitions.record_types import proposed_types
from rondine.core.documents import ReadDocument
from rondine.core.errors import DocumentError, InputError, RondineError
from rondine.core.operations.document import OperationDocument, OutcomeRules, is_reading
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.classifying import USUAL_RULES, classify_response
from rondine.core.protocols.graphql import one_line, schema_problems, weight_of
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request
from rondine.core.settings import load
from rondine.standins.inspection_desk import SDL

SCHEMA = build_schema(SDL)


def judged_of(body):
    return classify_response(USUAL_RULES, 200, ReadDocument(body))


def read(text, name="desk.graphql", address=""):
    return read_definition(Files(name, {name: text.encode()}), address)


def test_a_schema_as_text_and_as_introspection_give_the_same_operations():
    told = json.dumps({"data": introspection_from_schema(SCHEMA)})
    one, other = read(SDL), read(told, "desk.json", "https://desk.example/api/graphql")
    assert [each.key for each in one.operations] == [each.key for each in other.operations] == [
        "query inspections", "query inspection", "query inspector", "mutation recordInspection",
        "mutation withdrawInspection",
    ]  # fmt: skip
    assert [each.document.body for each in one.operations] == [each.document.body for each in other.operations]
    assert other.servers[0].address == "https://desk.example/api" and other.operations[0].document.path == "/graphql"
    assert "not supported" in one.left_out[0].message and all(
        operation_problems(each.document) == [] for each in one.operations
    )
    inputs = {each.name: (each.type, each.required, each.allowed) for each in one.operations[0].document.inputs}
    assert inputs == {
        "tree": ("text", False, []), "grade": ("text", False, ["SOUND", "WATCH", "ACT"]), "first": ("integer", False,
        []), "after": ("text", False, []),
    }  # fmt: skip
    assert [is_reading(each.document) for each in one.operations] == [True, True, True, False, False]
    types = {each.name: each.document.key for each in proposed_types([one.operations[0].document], one.schemas)}
    assert types == {"inspection": ["id"]}


@pytest.mark.parametrize(
    "key",
    [
        ("query", "inspections"),
        ("query", "inspection"),
        ("mutation", "recordInspection"),
        ("mutation", "withdrawInspection"),
    ],
)
def test_what_is_composed_is_valid_and_fields_are_taken_and_left_without_typing(key):
    text = composed(SCHEMA, *key)
    assert schema_problems(text, SCHEMA) == []
    if key[1] != "inspections":
        return
    text = with_field(SCHEMA, text, ("inspections", "nodes", "tree", "species"))
    text = with_field(SCHEMA, text, ("inspections", "nodes", "findings"))
    assert "species" in text and "part" in text and "__typename" not in text and schema_problems(text, SCHEMA) == []
    offered = {field.name: field for field in offered_fields(SCHEMA, text, ("inspections", "nodes"))}
    assert offered["tree"].is_taken and offered["inspector"].has_fields and not offered["inspector"].is_taken
    for path in (("inspections", "nodes", "tree", "species"), ("inspections", "pageInfo")):
        text = without_field(SCHEMA, text, path)
    assert "tree {" not in text and "pageInfo" not in text and schema_problems(text, SCHEMA) == []
    with pytest.raises(InputError, match='no field "girth"'):
        with_field(SCHEMA, text, ("inspections", "nodes", "girth"))
    with pytest.raises(InputError, match="nothing would be left"):
        without_field(SCHEMA, "{ inspections { totalCount } }", ("inspections",))


def test_depth_and_cost_are_counted_by_the_lengths_that_are_asked_for():
    weight = weight_of("{ inspections(first: 5) { nodes { id findings { part } } } }", SCHEMA)
    assert (weight.depth, weight.fields) == (4, 5) and weight.cost == 1 + 1 + 10 + 10 + 100


def graphql(text, **more):
    inputs = [{"name": "tree"}, {"name": "first", "type": "integer"}]
    variables = [{"at": "/tree", "value": {"input": "tree"}}, {"at": "/first", "value": {"input": "first"}}]
    method = more.pop("method", "POST")
    return load(
        OperationDocument,
        {
            "method": method,
            "path": "/graphql",
            "inputs": inputs,
            "body": {"type": "graphql", "query": text, "variables": variables, **more},
        },
    )


QUERY = (
    "query Some($tree: ID, $first: Int) {\n  # a comment\n  inspections(tree: $tree, first: $first) { nodes { id } }\n}"
)


def test_values_go_as_variables_and_those_without_a_value_are_left_out():
    document = graphql(QUERY)
    request = build_request(
        document, "https://d.example", checked_inputs(document.inputs, {"tree": 'OLM"7', "first": "3"})
    ).request
    assert json.loads(request.body) == {"query": QUERY, "variables": {"tree": 'OLM"7', "first": 3}}
    assert json.loads(build_request(document, "https://d.example", {}).request.body) == {"query": QUERY}
    lined = graphql(QUERY, one_line=True)
    assert json.loads(build_request(lined, "https://d.example", {}).request.body)["query"] == one_line(
        QUERY
    ) and "\n" not in one_line(QUERY)
    read_only = graphql(QUERY, method="GET", operation_name="Some")
    sent = build_request(read_only, "https://d.example", {"first": 3}).request
    assert sent.body is None and "operationName=Some" in sent.url and "variables=%7B%22first%22:3%7D" in sent.url


@pytest.mark.parametrize(
    ("text", "more", "where", "words"),
    [
        ("", {}, "/body/query", "no query yet"),
        ("{ inspections(", {}, "/body/query, line 1, column 15", "Expected Name"),
        ("mutation A { withdrawInspection(id: 1) }", {}, "/body/query", "is a mutation"),
        ("query A { x } query B { y }", {}, "/body/query", "or several"),
        (
            "mutation A { withdrawInspection(id: 1) }",
            {"kind": "mutation", "method": "GET"},
            "/method",
            "never sent by GET",
        ),
    ],
)
def test_what_cannot_be_sent_is_said_with_its_place(text, more, where, words):
    found = operation_problems(graphql(text, **more))
    assert any(one.where == where and words in one.message for one in found), found


def test_a_query_is_checked_against_the_schema_with_line_and_column():
    found = schema_problems("{\n  inspections { nodes { girth } }\n}", SCHEMA)
    assert found[0].where == "/body/query, line 2, column 25" and "girth" in found[0].message


def test_errors_with_status_200_are_a_failure_and_partial_data_is_kept_with_its_errors():
    failed = judged_of({"errors": [{"message": "the desk is closed"}]})
    assert not failed.is_good and failed.message == "the desk is closed"
    assert not judged_of(
        {"data": {"inspection": None}, "errors": [{"message": "lost", "path": ["inspection", 0]}]}
    ).is_good
    part = judged_of(
        {"data": {"inspection": {"id": 1}}, "errors": [{"message": "lost", "path": ["inspection", "report"]}]}
    )
    assert part.is_good and "in part, with 1 error" in part.words and part.message == "inspection.report: lost"
    assert judged_of({"data": {}, "errors": []}).is_good and judged_of({"errors": ["a"], "rows": []}).is_good


@pytest.mark.parametrize(
    ("text", "where", "words"),
    [
        ("type Query { a: Strin", "line 1, column 22", "Syntax Error"),
        ("type Query { a: Missing }", "desk.graphql", "Missing"),
        ('{"data": {"__schema": {"types": 1}}}', "desk.graphql", "introspection result"),
        ("type Subscription { a: Int }\ntype A { b: Int }", "", "subscription a"),
    ],
)
def test_what_is_no_schema_is_said_with_its_place(text, where, words):
    try:
        found = read(text)
        assert words in found.left_out[0].message
    except DocumentError as error:
        assert where in error.where and words in error.message


def test_a_type_defined_twice_is_said_and_the_rest_is_offered():
    found = read("type Query { a: Tree }\ntype Tree { n: Int }\ntype Tree { m: Int }")
    assert (
        any("Tree" in warning.message and "line " in warning.where for warning in found.warnings)
        and found.operations[0].key == "query a"
    )


@given(st.integers(0, len(SDL)), st.integers(0, 40), st.text(max_size=12))
def test_however_a_schema_is_broken_it_ends_with_operations_or_words(at, length, new):
    try:
        found = read(SDL[:at] + new + SDL[at + length :])
    except RondineError as error:
        assert error.where
        return
    assert all(operation_problems(operation.document) == [] for operation in found.operations)


def test_the_composed_query_runs():
    done = graphql_sync(
        SCHEMA, composed(SCHEMA, "query", "inspection"), root_value={"inspection": None}, variable_values={"id": "I-1"}
    )
    assert done.errors is None


MIXED = """
interface Named { name: String!, id: ID! }
type Tree implements Named { id: ID!, name: String!, girth: Float, size: Int, old: String @deprecated }
type Visit implements Named { id: ID!, name: String!, on: String, size: String }
union Found = Tree | Visit
type Problem { message: String!, field: String }
type Changed { tree: Tree, userErrors: [Problem!]! }
type Query { found: [Found!], named: Named, tree: Tree }
type Mutation { change(id: ID!): Changed, cut(id: ID!): Tree }
"""


def read_sdl(text):
    found = read_definition(Files("s.graphql", {"s.graphql": text.encode()}))
    schema = build_schema(text)
    for operation in found.operations:
        assert validate(schema, parse(operation.document.body.query)) == [], operation.document.body.query
    return {operation.key: operation.document for operation in found.operations}


def test_unions_and_interfaces_get_their_members_and_deprecated_fields_are_not_taken():
    documents = read_sdl(MIXED)
    assert "old" not in documents["query tree"].body.query and "girth" in documents["query tree"].body.query
    for key in ("query found", "query named"):
        query = " ".join(documents[key].body.query.split())
        assert "__typename" in query and "... on Tree {" in query and "... on Visit {" in query
    rows = documents["query found"].responses[0].schema["properties"]["data"]["properties"]["found"]["items"]
    assert {"girth", "on", "__typename"} <= set(rows["properties"])


def test_the_errors_of_a_mutations_payload_are_asked_for_and_read_as_failures():
    documents = read_sdl(MIXED)
    change = documents["mutation change"]
    assert "userErrors { message field }" in " ".join(change.body.query.split())
    assert documents["mutation cut"].outcomes == OutcomeRules()

    def outcome(payload):
        return classify_response(change.outcomes, 200, ReadDocument({"data": {"change": payload}}))

    failed = outcome({"tree": None, "userErrors": [{"message": "it is too old", "field": "id"}]})
    assert (failed.is_good, failed.message) == (False, "it is too old")
    assert outcome({"tree": {"id": "1"}, "userErrors": []}).is_good
