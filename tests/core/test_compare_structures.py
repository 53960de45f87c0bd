"""What newer samples have that older ones do not allow."""

import json
from itertools import permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.documents.elements import read_elements
from rondine.core.documents.json import read_json
from rondine.core.schema.compare import compare_outlines
from rondine.core.schema.infer import infer
from rondine.core.schema.outline import document_outline


def outline_of(*samples, is_xml=False):
    return document_outline(infer(samples, is_xml=is_xml), is_xml=is_xml)


def differences(before, after):
    read = [[read_json(json.dumps(sample).encode()) for sample in samples] for samples in (before, after)]
    found = compare_outlines(outline_of(*read[0]), outline_of(*read[1]))
    return [(one.path, one.kind, one.before, one.after) for one in found]


TREES = [
    {
        "trees": [
            {"number": "OLM-1", "girth": 1.5, "note": None},
            {"number": "OLM-2", "girth": 2, "note": "leans", "felled": "2020-01-02"},
        ]
    }
]


@pytest.mark.parametrize(
    ("after", "expected"),
    [
        ({"number": "OLM-9", "girth": 3, "note": "a"}, []),  # whole by chance, and not felled
        ({"number": "OLM-9", "girth": 3.5, "note": None, "felled": "2021-02-03"}, []),
        ({"number": "OLM-9", "note": "a"}, [("$.trees[*].girth", "removed", "decimal", "")]),
        ({"number": "OLM-9", "girth": 1.5, "note": "a", "crown": {"width": 3, "form": "round"}}, [("$.trees[*].crown",
        "added", "", "object")]),
        ({"number": 9, "girth": 1.5, "note": "a"}, [("$.trees[*].number", "changed", "text", "integer")]),
        ({"number": None, "girth": 1.5, "note": "a"}, [("$.trees[*].number", "changed", "text", "always null")]),
        ({"number": "a", "girth": {"value": 2, "unit": "m"}, "note": "a"}, [("$.trees[*].girth", "changed", "decimal",
        "object")]),
        ({"number": "a", "girth": 1, "note": "a", "felled": "in May"}, [("$.trees[*].felled", "changed",
        "date, not always there", "text")]),
        ({"number": "a", "girth": 1, "note": [{"text": "a"}]}, [("$.trees[*].note", "changed", "text, null at times",
        "list")]),
    ],
)  # fmt: skip
def test_only_what_the_older_samples_do_not_allow_is_told(after, expected):
    assert differences(TREES, [{"trees": [after]}]) == expected


def test_an_empty_list_tells_nothing_of_what_it_would_hold():
    assert differences(TREES, [{"trees": []}]) == []
    assert differences([{"trees": []}], TREES) == []
    assert differences(TREES, [{"rows": []}]) == [("$.trees", "removed", "list", ""), ("$.rows", "added", "", "list")]


def test_what_is_not_there_any_more_in_some_is_told():
    (one,) = differences(TREES, [{"trees": [{"number": "a", "girth": 1, "note": "a"}, {"number": "b", "note": "a"}]}])
    assert one == ("$.trees[*].girth", "changed", "decimal", "integer, not always there")


def test_xml_is_compared_by_elements_and_attributes():
    before, after = (
        read_elements(text).value
        for text in (
            b"<r><tree n='1'><ph>7,1</ph></tree><tree n='2'><ph>6,5</ph></tree></r>",
            b"<r><tree n='a'><ph unit='x'>7,1</ph></tree></r>",
        )
    )
    found = compare_outlines(outline_of(before, is_xml=True), outline_of(after, is_xml=True))
    assert [(one.path, one.kind) for one in found] == [
        ("/r/tree/@n", "changed"), ("/r/tree/ph/@unit", "added"),
    ]  # fmt: skip


_values = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | st.sampled_from(["a", "2020-01-02", "1,5"]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from("abc"), inner, max_size=3),
    max_leaves=8,
)


@given(st.lists(_values, min_size=1, max_size=4))
def test_samples_allow_themselves_each_of_them_and_in_any_order(samples):
    whole = outline_of(*samples)
    for sample in samples:
        assert compare_outlines(whole, outline_of(sample)) == []
    for order in list(permutations(samples))[:3]:
        assert compare_outlines(whole, outline_of(*order)) == []
