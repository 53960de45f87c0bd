"""A definition taken again: what nobody touched follows it, what people corrected stays, and what differs is told."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.definitions.compare import merged, without_inputs
from rondine.core.definitions.compare_schemas import FieldDifference, SchemaComparison
from rondine.core.operations.document import OperationDocument
from rondine.core.schema.json_schema import fields_of
from rondine.core.settings import dump, load

NAMES = st.sampled_from(["number", "district", "limit", "since"])
TYPES = st.sampled_from(["text", "integer", "date"])


@st.composite
def operations(draw):
    """An operation as a definition would describe it."""
    names = draw(st.lists(NAMES, unique=True, max_size=4))
    inputs = []
    for name in names:
        one = {"name": name, "type": draw(TYPES), "description": draw(st.sampled_from(["", "of the tree"]))}
        inputs.append({**one, **({"default": "x"} if draw(st.booleans()) else {})})
    document = {
        "path": draw(st.sampled_from(["/trees", "/v2/trees"])),
        "inputs": inputs,
        "query": [{"name": name.title(), "value": {"input": name}} for name in names if draw(st.booleans())],
        "headers": draw(st.sampled_from([[], [{"name": "Accept-Language", "value": "it"}]])),
        "tags": draw(st.sampled_from([[], ["trees"]])),
    }
    if draw(st.booleans()):
        document["method"] = "POST"
        members = [{"at": f"/{name}", "value": {"input": name}} for name in names if draw(st.booleans())]
        document["body"] = {"type": "json", "members": members}
    return plain(load(OperationDocument, document))


def plain(document):
    """As it is after being stored, its lists in one order, for comparing."""
    return load(OperationDocument, dump(document))


def same(one, other):
    def ordered(document):
        found = dump(document)
        for group in ("inputs", "query", "headers"):
            found[group] = sorted(found.get(group, []), key=lambda part: part["name"])
        if "members" in found.get("body", {}):
            found["body"]["members"] = sorted(found["body"]["members"], key=lambda part: part["at"])
        return found

    return ordered(one) == ordered(other)


def merge(before, now, own):
    return merged(before, now, own, SchemaComparison({}, {}))


@given(operations(), operations())
def test_what_nobody_touched_becomes_what_the_definition_says_now(before, now):
    found = merge(before, now, before)
    assert same(found.document, now)
    assert not any(difference.is_kept for difference in found.differences)
    assert bool(found.differences) == (not same(before, now))


@given(operations(), operations())
def test_what_people_made_of_it_stays_where_the_definition_did_not_change(before, own):
    found = merge(before, before, own)
    assert same(found.document, own) and found.differences == []


@given(operations(), operations(), operations())
def test_taking_the_same_definition_once_more_changes_nothing(before, now, own):
    once = merge(before, now, own).document
    again = merge(now, now, once)
    assert same(again.document, once) and again.differences == []


@given(operations(), operations(), operations())
def test_every_value_comes_from_one_of_the_three(before, now, own):
    found = dump(merge(before, now, own).document)
    for name in ("path", "tags"):
        assert found.get(name) in [dump(one).get(name) for one in (before, now, own)]
    known = {one.name for document in (before, now, own) for one in document.inputs}
    assert {one["name"] for one in found.get("inputs", [])} <= known


def test_a_correction_stays_and_is_shown_beside_what_the_definition_says_now():
    before = load(OperationDocument, {"path": "/trees", "inputs": [{"name": "limit", "type": "text"}]})
    own = load(OperationDocument, {"path": "/trees", "inputs": [{"name": "limit", "type": "integer", "default": 50}]})
    now = load(OperationDocument, {"path": "/trees", "inputs": [{"name": "limit", "type": "decimal"},
    {"name": "since"}]})  # fmt: skip
    found = merge(before, now, own)
    assert dump(found.document)["inputs"] == [{"name": "limit", "type": "integer", "default": 50}, {"name": "since"}]
    told = {
        difference.unit: (difference.before, difference.now, difference.is_kept) for difference in found.differences
    }
    assert told["inputs/limit/type"] == (None, "decimal", True)
    assert told["inputs/since/"] == (None, {"name": "since"}, False)


def test_an_input_left_out_stays_away_with_all_that_was_sent_of_it():
    document = {
        "path": "/trees",
        "method": "POST",
        "inputs": [{"name": "crew"}, {"name": "girth"}],
        "query": [{"name": "crew", "value": {"input": "crew"}}, {"name": "girth", "value": {"input": "girth"}}],
        "headers": [{"name": "X-Crew", "value": ["of ", {"input": "crew"}]}],
        "body": {"type": "json", "members": [{"at": "/crew", "value": {"input": "crew"}}]},
    }
    whole = load(OperationDocument, document)
    found = without_inputs(whole, {"crew", "nothing"})
    assert found.left_out == ["crew"] and [one.name for one in found.inputs] == ["girth"]
    assert [one.name for one in found.query] == ["girth"] and found.headers == [] and dump(found.body) == {"type": "json"}  # fmt: skip
    again = merge(whole, whole, found)
    assert same(again.document, found) and again.differences == []


@pytest.mark.parametrize(
    ("schema", "fields"),
    [
        (None, {}),
        ({"type": "string", "format": "date"}, {"$": "string, date"}),
        ({"type": "array", "items": {"type": "object", "properties": {"girth": {"type": ["number", "null"]}}}},
        {"[*].girth": "number"}),
        ({"allOf": [{"$ref": "#/$defs/Tree"}, {"properties": {"crew": {"enum": ["a"]}}}]}, {"number": "string",
        "care[*].by": "string", "crew": "one of a list"}),
        ({"$ref": "#/$defs/Round"}, {"name": "string"}),
    ],
)  # fmt: skip
def test_fields_of_a_schema_are_told_by_path(schema, fields):
    schemas = {
        "Tree": {"properties": {"number": {"type": "string"}, "care": {"type": "array",
        "items": {"$ref": "#/$defs/Care"}}}},
        "Care": {"properties": {"by": {"type": "string"}}},
        "Round": {"properties": {"name": {"type": "string"}, "next": {"$ref": "#/$defs/Round"}}},
    }  # fmt: skip
    assert fields_of(schema, schemas) == fields


def test_a_response_is_compared_by_its_fields():
    def described(**members):
        schema = {"type": "object", "properties": members}
        return load(OperationDocument, {"path": "/", "responses": [{"status": "200", "media_type": "application/json",
        "schema": schema}]})  # fmt: skip

    before, now = (
        described(a={"type": "string"}, b={"type": "string"}),
        described(a={"type": "integer"}, c={"type": "string"}),
    )
    found = merge(before, now, before)
    assert {(difference.unit, difference.before, difference.now) for difference in found.differences} == {
        ("response 200: a", "string", "integer"),
        ("response 200: b", "string", None),
        ("response 200: c", None, "string"),
    }
    gone = merge(before, load(OperationDocument, {"path": "/"}), before)
    assert [(difference.unit, difference.before, difference.now) for difference in gone.differences] == [
        ("response 200", "described", None)
    ]


def reference(name):
    return {"$ref": f"#/$defs/{name}"}


PLAIN = st.sampled_from(
    [{"type": "string"}, {"type": "integer", "maximum": 9}, {"enum": ["a", "b"]}, {"type": ["number", "null"]}]
)
SCHEMA = st.recursive(
    PLAIN | st.sampled_from(["Tree", "Care", "Place"]).map(reference),
    lambda inner: (
        st.dictionaries(NAMES, inner, max_size=3).map(lambda members: {"type": "object", "properties": members})
        | inner.map(lambda one: {"type": "array", "items": one})
        | st.lists(inner, min_size=1, max_size=2).map(lambda parts: {"anyOf": parts})
    ),
    max_leaves=6,
)
NAMED = st.fixed_dictionaries({"Tree": SCHEMA, "Care": SCHEMA, "Place": SCHEMA})


@given(NAMED, NAMED, SCHEMA, SCHEMA)
def test_schemas_are_the_same_or_their_differences_are_told_whatever_their_circles(old, new, before, now):
    same = SchemaComparison(old, dict(old))
    assert same.differences(before, before) == [] and same.is_same(before, before)
    comparison = SchemaComparison(old, new)
    assert bool(comparison.differences(before, now)) != comparison.is_same(before, now)


def test_a_changed_schema_is_told_wherever_it_is_referred_to_and_its_circle_ends():
    def tree(**place):
        return {
            "Tree": {"properties": {"number": {"type": "string"}, "place": reference("Place")}, "required": ["number"]},
            "Place": {"properties": {"street": {"type": "string", **place}, "next": reference("Tree")}},
            "Care": {"properties": {"by": {"type": "string"}}},
        }

    found = SchemaComparison(tree(), tree(maxLength=80))
    trees = {"type": "array", "items": reference("Tree")}
    assert found.affected == {"Tree", "Place"} and found.is_same(reference("Care"), reference("Care"))
    assert found.differences(trees, trees) == [
        FieldDifference("[*].place.street", "string", "string, maxLength 80"),
    ]
    assert found.differences(reference("Place"), reference("Place"))[0].path == "street"


@pytest.mark.parametrize(
    ("before", "now", "told"),
    [
        ({"enum": ["a"]}, {"enum": ["a", "b"]}, ("one of a", "one of a, b")),
        ({"type": "number"}, {"type": ["number", "null"]}, ("number", "number, or null")),
        ({"type": "string", "pattern": "^A"}, {"type": "string", "pattern": "^B"}, ("string, pattern ^A",
        "string, pattern ^B")),
        ({"type": "number", "multipleOf": 0.01}, {"type": "number"}, ("number, multipleOf 0.01", "number")),
        ({"properties": {"a": {}}}, {"properties": {"a": {}}, "required": ["a"]}, ("not always there", "always there")),
        ({"title": "one"}, {"title": "other"}, ("the description differs", "the description differs")),
    ],
)  # fmt: skip
def test_what_fields_may_hold_is_compared_with_its_limits(before, now, told):
    (found,) = SchemaComparison({}, {}).differences(before, now)
    assert (found.before, found.now) == told


def test_comparing_large_schemas_that_refer_to_each_other_grows_with_what_changed():
    def schemas(words):
        return {
            f"S{n}": {"properties": {f"m{k}": reference(f"S{(n * 7 + k) % 800}") for k in range(8)} | {"x": {"type": "string", "format": words if n == 3 else "date"}}}
            for n in range(800)
        }  # fmt: skip

    comparison = SchemaComparison(schemas("date"), schemas("date"))
    assert all(comparison.differences(reference(f"S{n}"), reference(f"S{n}")) == [] for n in range(800))
    comparison = SchemaComparison(schemas("date"), schemas("time"))
    assert all(comparison.differences(reference(f"S{n}"), reference(f"S{n}")) for n in range(0, 800, 50))
