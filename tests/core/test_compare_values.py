"""Two responses compared by structure and value, whatever their formatting."""

import json
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.documents import ReadDocument
from rondine.core.documents.elements import read_elements
from rondine.core.documents.json import read_json
from rondine.core.errors import DocumentError
from rondine.core.paths import parse_jsonpath
from rondine.core.schema.compare_values import compare_documents


def told(one, other):
    documents = [ReadDocument(read_json(text.encode())) for text in (one, other)]
    return [(each.path, each.kind, each.before, each.after) for each in compare_documents(*documents)]


@pytest.mark.parametrize(
    ("one", "other", "expected"),
    [
        ('{"a": 1.0, "b": [1]}', '{\n "b": [1.00], "a": 1 }', []),
        ('{"a": 1}', '{"a": 2}', [("$['a']", "changed", "1", "2")]),
        ('{"a": 1}', '{"a": 1.5}', [("$['a']", "changed", "1", "1.5")]),
        ('{"a": 1}', '{"a": "1"}', [("$['a']", "retyped", "1", '"1"')]),
        ('{"a": null}', '{"a": 0}', [("$['a']", "retyped", "null", "0")]),
        ('{"a": true}', '{"a": 1}', [("$['a']", "retyped", "true", "1")]),
        ('{"a": 1}', "{}", [("$['a']", "removed", "1", "")]),
        ("[1, 2]", "[1]", [("$[1]", "removed", "2", "")]),
        ("[1]", "[1, {}]", [("$[1]", "added", "", "{}")]),
        (
            '{"t": [{"n": 1}, {"n": 2}]}',
            '{"t": [{"n": 1}, {"n": 3, "m": 4}]}',
            [("$['t'][1]['m']", "added", "", "4"), ("$['t'][1]['n']", "changed", "2", "3")],
        ),
        ("{}", "[]", [("$", "retyped", "{}", "[]")]),
    ],
)
def test_differences_have_their_places(one, other, expected):
    assert told(one, other) == expected


def test_xml_is_compared_by_elements_and_attributes_whatever_its_prefixes():
    one = read_elements(b"<a:r xmlns:a='urn:x'><a:t n='1'>x</a:t></a:r>")
    other = read_elements(b"<b:r xmlns:b='urn:x'>\n <b:t n='2'>x</b:t>\n</b:r>", namespaces=one.namespaces)
    found = compare_documents(ReadDocument(one.value, "xml"), ReadDocument(other.value, "xml"))
    assert [(each.path, each.before, each.after) for each in found] == [("/a:r/a:t/@n", '"1"', '"2"')]
    with pytest.raises(DocumentError, match="one is XML"):
        compare_documents(ReadDocument({}), ReadDocument(one.value, "xml"))


def test_two_that_have_nothing_in_common_are_told_apart_up_to_a_limit():
    many = ReadDocument({f"a{n}": n for n in range(5000)})
    assert len(compare_documents(many, ReadDocument({}))) == 500


VALUES = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | st.text(max_size=3),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=2), inner, max_size=3),
    max_leaves=10,
)


@given(VALUES, st.randoms())
def test_a_document_is_the_same_as_itself_in_any_form(value, order: random.Random):
    def mixed(one):
        if isinstance(one, dict):
            names = list(one)
            order.shuffle(names)
            return {name: mixed(one[name]) for name in names}
        return [mixed(each) for each in one] if isinstance(one, list) else one

    assert told(json.dumps(value), json.dumps(mixed(value), indent=2)) == []


@given(VALUES, VALUES)
def test_every_place_told_is_there_in_the_one_or_the_other(one, other):
    documents = [read_json(json.dumps(value).encode()) for value in (one, other)]
    for each in compare_documents(*map(ReadDocument, documents)):
        path = parse_jsonpath(each.path)
        assert bool(path.find(documents[0])) == (each.kind != "added")
        assert bool(path.find(documents[1])) == (each.kind != "removed")
