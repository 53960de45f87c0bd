"""A value against its schema: what differs is told by its place, and no schema makes the check fall over."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.definitions import Files, read_definition
from rondine.core.documents.reading import read_document
from rondine.core.schema.check import differences
from rondine.core.schema.drift import DescribedSchema

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
    return [
        (difference.where, difference.message)
        for difference in differences(value, schema or {"$ref": "#/$defs/Tree"}, {"Tree": TREE})
    ]


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


@pytest.mark.parametrize(
    ("schema", "good", "wrong", "words"),
    [
        ({"type": "integer"}, [3, Decimal("2.0"), Decimal("1E+3")], Decimal("2.5"), "is not of the type integer"),
        ({"type": "number"}, [3, Decimal("2.5")], True, "is not of the type number"),
        ({"multipleOf": 0.01}, [3, Decimal("1.25"), Decimal("1e5000")], Decimal("1.255"), "is not a multiple of 0.01"),
        ({"multipleOf": Decimal("0.5")}, [Decimal("1.5")], Decimal("1.25"), "is not a multiple of 0.5"),
        ({"minimum": 0.1}, [Decimal("0.1"), 1], Decimal("0.099"), "is less than 0.1"),
        ({"const": 1.1}, [Decimal("1.1"), Decimal("1.10")], Decimal("1.2"), "is none of the values described"),
        ({"multipleOf": 0}, [Decimal("1.1"), 2], "a", None),
        ({"minimum": 0.5}, [Decimal("0.5"), 1], Decimal("0.25"), '"0.25" is less than 0.5'),
        ({"exclusiveMaximum": Decimal("2.5")}, [2], Decimal("2.5"), '"2.5" is not less than 2.5'),
        ({"minLength": 2}, ["ab", 1], "a", '"a" is shorter than 2 characters'),
        ({"maxItems": 1}, [[1], "abc"], [1, 2], "a list"),
        ({"uniqueItems": True}, [[1, 2]], [1, 1], "holds an element twice"),
        ({"enum": [1.5, "a"]}, [Decimal("1.5"), "a"], "b", "is none of the values described"),
        ({"anyOf": [{"type": "string"}, {"type": "null"}]}, ["a", None], 1, "is none of the alternatives described"),
        (True, [1, None], None, None),
    ],
)
def test_numbers_are_exact_and_what_breaks_a_rule_is_told_in_words(schema, good, wrong, words):
    assert all(differences(one, schema, {}) == [] for one in good)
    if words:
        ((where, message),) = told(wrong, schema)
        assert where == "$" and words in message and "Decimal(" not in message
    assert [difference.message for difference in differences(1, False, {})] == ["nothing is expected here"]


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
    assert all(difference.message for difference in differences(value, schema, {}))


def test_the_type_that_an_element_says_is_no_drift_and_what_its_type_adds_is_described():
    xsd = """<x:schema xmlns:x="http://www.w3.org/2001/XMLSchema" xmlns:o="urn:office" targetNamespace="urn:office">
      <x:element name="cares"><x:complexType><x:sequence><x:element name="care" type="o:Care" maxOccurs="unbounded"/></x:sequence></x:complexType></x:element>
      <x:complexType name="Care"><x:sequence><x:element name="on" type="x:date"/></x:sequence></x:complexType>
      <x:complexType name="Pruning"><x:complexContent><x:extension base="o:Care"><x:sequence><x:element name="height" type="x:int"/></x:sequence></x:extension></x:complexContent></x:complexType>
    </x:schema>"""
    found = read_definition(Files("c.xsd", {"c.xsd": xsd.encode()}))
    on_file = DescribedSchema("c", found.schemas["cares"], found.schemas)
    text = """<o:cares xmlns:o="urn:office" xmlns:i="http://www.w3.org/2001/XMLSchema-instance" i:schemaLocation="urn:office c.xsd">
      <care i:type="o:Pruning"><on>2026-01-02</on><height>{height}</height>{more}</care><care><on>2026-01-03</on></care></o:cares>"""
    same = read_document(text.format(height=3, more="").encode(), media_type="text/xml")
    assert on_file.drift(same, on_file.outline(same)) == []
    other = read_document(text.format(height="tall", more="<crew>West</crew>").encode(), media_type="text/xml")
    assert sorted(one.path for one in on_file.drift(other, on_file.outline(other))) == [
        "$.care[*].crew",
        "$.care[*].height",
    ]
