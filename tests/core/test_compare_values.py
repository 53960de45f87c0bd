"""Two responses compared by structure and value, whatever their formatting."""

import json
import random

import pytest
from hypothesis import example, given
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
        # one more or less of a list is one difference, whatever comes behind it
        ('[{"n": 1}, {"n": 2}, {"n": 3}]', '[{"n": 1}, {"n": 3}]', [("$[1]", "removed", '{"n":2}', "")]),
        ('["a", "b"]', '["x", "a", "b"]', [("$[0]", "added", "", '"x"')]),
        (
            '[{"n": "a", "g": 1}, {"n": "b", "g": 1}]',
            '[{"n": "x", "g": 1}, {"n": "a", "g": 1}, {"n": "b", "g": 2}]',
            [("$[0]", "added", "", '{"n":"x","g":1}'), ("$[2]['g']", "changed", "1", "2")],
        ),
        ('[{"n": 1}, {"n": 2}]', '[{"n": 2}, {"n": 1}]', [("$", "reordered", "", "")]),
        # what does not tell elements apart, or not all of them, counts by position
        ("[1, 2, 2]", "[2, 1, 2]", [("$[0]", "changed", "1", "2"), ("$[1]", "changed", "2", "1")]),
        (
            '[{"n": 1}, {"m": 2}]',
            '[{"m": 2}]',
            [("$[1]", "removed", '{"m":2}', ""), ("$[0]['n']", "removed", "1", ""), ("$[0]['m']", "added", "", "2")],
        ),
        (
            '[{"n": true}, {"n": false}]',
            '[{"n": false}]',
            [("$[1]", "removed", '{"n":false}', ""), ("$[0]['n']", "changed", "true", "false")],
        ),
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


OBJECTS = st.recursive(
    st.booleans() | st.integers(-9, 9),
    lambda inner: st.dictionaries(st.text(max_size=2), inner, max_size=3),
    max_leaves=10,
)


@given(VALUES, VALUES)
@example([True, 1], [False, True])  # an element of a list is added at a place that the other document has, too
def test_every_place_told_is_there_in_the_document_that_it_is_of(one, other):
    documents = [read_json(json.dumps(value).encode()) for value in (one, other)]
    for each in compare_documents(*map(ReadDocument, documents)):
        assert parse_jsonpath(each.path).find(documents[0 if each.kind == "removed" else 1])


@given(OBJECTS, OBJECTS)
def test_members_that_are_added_or_removed_are_in_one_document_only(one, other):
    documents = [read_json(json.dumps(value).encode()) for value in (one, other)]
    for each in compare_documents(*map(ReadDocument, documents)):
        path = parse_jsonpath(each.path)
        assert bool(path.find(documents[0])) == (each.kind != "added")
        assert bool(path.find(documents[1])) == (each.kind != "removed")


@given(st.lists(st.integers(0, 50), unique=True, max_size=12), st.data())
def test_what_is_taken_out_put_in_and_moved_is_told_and_nothing_else(numbers, data):
    """However a list with keys is changed: as many differences as there are changes."""
    gone = data.draw(st.sets(st.sampled_from(numbers))) if numbers else set()
    come = data.draw(st.lists(st.integers(100, 150), unique=True, max_size=4))
    before = [{"n": number, "v": "same"} for number in numbers]
    after = [one for one in before if one["n"] not in gone] + [{"n": one, "v": "same"} for one in come]
    at_home = sum(one == other for one, other in zip(before, after, strict=False))
    found = compare_documents(ReadDocument(before), ReadDocument(after))
    if len(numbers) - len(gone) > at_home:  # more are told apart by their numbers than by position
        assert len([one for one in found if one.kind == "removed"]) == len(gone)
        assert len([one for one in found if one.kind == "added"]) == len(come)
        assert all(one.kind in ("added", "removed") for one in found)
    assert (not found) == (before == after)
    shuffled = data.draw(st.permutations(before))
    kinds = {change.kind for change in compare_documents(ReadDocument(before), ReadDocument(shuffled))}
    assert (not kinds) == (shuffled == before) and kinds <= {"reordered", "changed"}
