"""A value against its schema: what differs is told by its place, and no schema makes the check fall over."""

from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from rondine.core.schema.check import differences

TREE = {
    "type": "object",
    "required": ["number", "girth"],
    "properties": {
        "number": {"type": "string", "pattern": "^(a+)+$"},
        "girth": {"type": "number"},
        "care": {"type": "array", "items": {"type": "string"}},
        "next": {"$ref": "#/$defs/Tree"},
    },
}


def told(value, schema=None):
    return [(one.where, one.message) for one in differences(value, schema or {"$ref": "#/$defs/Tree"}, {"Tree": TREE})]


def test_a_planted_wrong_field_is_reported_by_its_path():
    value = {"number": "OLM-1", "girth": Decimal("1.25"), "care": ["pruned", 7], "next": {"number": 7, "girth": "2"}}
    assert told(value) == [
        ("$['care'][1]", '"7" is not of the type string'),
        ("$['next']['number']", '"7" is not of the type string'),
        ("$['next']['girth']", '"2" is not of the type number'),
    ]
    assert (
        told({"number": "x"}) == [("$", '"girth" is missing')]
        and told({"number": "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa!", "girth": 2}) == []
    )
    assert (
        told(1, {"$ref": "#/$defs/None"})[0][1].startswith("the schema cannot be used")
        and told(1, {"type": 7})[0][0] == "$"
    )


VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=4),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=3), inner, max_size=3),
    max_leaves=6,
)


@given(
    VALUES,
    st.dictionaries(
        st.sampled_from(
            ["type", "properties", "items", "enum", "anyOf", "required", "$ref", "minimum", "not", "prefixItems"]
        ),
        VALUES,
        max_size=4,
    ),
)
def test_no_schema_makes_the_check_fail_without_words(value, schema):
    assert all(one.message for one in differences(value, schema, {}))
