"""Invented values are as their schemas say: judged by a library that none of us wrote."""

import re

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.documents.json import json_text, read_json
from rondine.core.schema.invented import NothingFits, invented


def plain(value):
    """With floats, as the library takes numbers."""
    import json

    return json.loads(json_text(value))


numbers = st.integers(-1000, 1000)
leaves = st.one_of(
    st.builds(
        lambda low, more: {"type": "integer", "minimum": low, "maximum": low + more}, numbers, st.integers(0, 50)
    ),
    st.builds(
        lambda low, more: {"type": "number", "minimum": low, "exclusiveMaximum": low + more + 1},
        numbers,
        st.integers(0, 9),
    ),
    st.builds(lambda step: {"type": "integer", "multipleOf": step}, st.integers(1, 20)),
    st.builds(
        lambda low, more: {"type": "string", "minLength": low, "maxLength": low + more},
        st.integers(0, 20),
        st.integers(0, 20),
    ),
    st.sampled_from(["date", "date-time", "uuid", "email", "ipv4", "ipv6", "uri", "time", "hostname"]).map(
        lambda form: {"type": "string", "format": form}
    ),
    st.sampled_from([r"^OLM-\d{5}$", r"^[A-Z]{2}[0-9a-f]+$", r"^(oak|rowan) \w+$", r"[^x]{3}y?", r"^\S+@\S+$"]).map(
        lambda pattern: {"type": "string", "pattern": pattern}
    ),
    st.sampled_from([{"type": "boolean"}, {"type": "null"}, {}, True, {"const": 3}, {"type": ["integer", "null"]}]),
    st.lists(st.one_of(st.integers(), st.text(max_size=3)), min_size=1, max_size=4).map(
        lambda values: {"enum": values}
    ),
)
names = st.text("abcdef", min_size=1, max_size=3)


def within(inner):
    members = st.dictionaries(names, inner, max_size=4)
    return st.one_of(
        st.builds(
            lambda fields, count: {"type": "object", "properties": fields, "required": sorted(fields)[:count]},
            members,
            st.integers(0, 4),
        ),
        st.builds(lambda item, low, more: {"type": "array", "items": item, "minItems": low, "maxItems": low + more},
                  inner, st.integers(0, 3), st.integers(0, 3)),
        st.builds(lambda item: {"type": "object", "additionalProperties": item, "minProperties": 1}, inner),
        st.lists(inner, min_size=1, max_size=3).map(lambda parts: {"anyOf": parts}),
        st.builds(lambda one, other: {"allOf": [{"type": "object", "properties": {"a": one}, "required": ["a"]},
                                                {"type": "object", "properties": {"b": other}, "required": ["b"]}]},
                  inner, inner),
        st.builds(lambda first, rest: {"type": "array", "prefixItems": [first], "items": rest, "minItems": 1}, inner, inner),
    )  # fmt: skip


@given(st.recursive(leaves, within, max_leaves=8), st.integers(0, 5))
def test_what_is_invented_is_valid_and_the_same_for_the_same_seed(schema, seed):
    value = invented(schema, {}, str(seed))
    checker = jsonschema.Draft202012Validator.FORMAT_CHECKER
    jsonschema.Draft202012Validator(schema, format_checker=checker).validate(plain(value))
    assert json_text(invented(schema, {}, str(seed))) == json_text(value)


def test_what_refers_to_itself_ends_where_it_may():
    tree = {"type": "object", "properties": {"name": {"type": "string"}, "children": {"type": "array", "items": {"$ref": "#/$defs/tree"}}}, "required": ["name", "children"]}  # fmt: skip
    value = invented({"$ref": "#/$defs/tree"}, {"tree": tree}, "a")
    jsonschema.Draft202012Validator({"$ref": "#/$defs/tree", "$defs": {"tree": tree}}).validate(plain(value))
    endless = {"type": "object", "properties": {"other": {"$ref": "#/$defs/one"}}, "required": ["other"]}
    with pytest.raises(NothingFits):
        invented({"$ref": "#/$defs/one"}, {"one": endless}, "a")


@pytest.mark.parametrize(
    "schema",
    [
        False,
        {"type": "integer", "minimum": 5, "maximum": 4},
        {"type": "string", "pattern": "^(?=x)y$"},
        {"allOf": [{"enum": [1]}, {"enum": [2]}]},
        {"not": {}},
    ],
)
def test_what_nothing_fits_is_told(schema):
    with pytest.raises(NothingFits):
        invented(schema, {}, "a")


def test_examples_and_counts_are_taken():
    assert len(invented({"type": "array", "items": {"type": "integer"}}, {}, "a", elements=40)) == 40
    found = {invented({"type": "string", "examples": ["oak"]}, {}, str(seed)) for seed in range(20)}
    assert "oak" in found
    assert re.fullmatch(
        r"girth \d+", invented({"properties": {"girth": {"type": "string"}}, "required": ["girth"]}, {}, "a")["girth"]
    )
    assert read_json(json_text(invented({"type": "number"}, {}, "a")).encode()) > 0
