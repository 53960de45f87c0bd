"""Inputs of operations: checked and typed before anything is sent, with every wrong one told at once."""

from datetime import date
from decimal import Decimal

import pytest

from rondine.core.errors import InputError
from rondine.core.operations.inputs import Input, checked_inputs, filled_from, standing_value, value_text
from rondine.core.settings import load


def inputs(*documents):
    return [load(Input, document) for document in documents]


DISTRICT = {"name": "district"}
LIMIT = {"name": "limit", "type": "integer", "default": 50}
SINCE = {"name": "since", "type": "date", "required": True}
STATE = {"name": "state", "allowed": ["standing", "felled"]}


@pytest.mark.parametrize(
    ("documents", "values", "checked"),
    [
        ([DISTRICT, LIMIT], {}, {"limit": 50}),
        ([DISTRICT, LIMIT], {"limit": None}, {"limit": 50}),
        ([DISTRICT, LIMIT], {"limit": "", "district": ""}, {"limit": 50, "district": ""}),
        ([LIMIT], {"limit": "7"}, {"limit": 7}),
        ([SINCE], {"since": "2026-03-01"}, {"since": date(2026, 3, 1)}),
        ([{"name": "girth", "type": "decimal"}], {"girth": "2.50"}, {"girth": Decimal("2.50")}),
        ([{"name": "girth", "type": "decimal", "default": 0.1}], {}, {"girth": Decimal("0.1")}),
        ([{"name": "girth", "type": "decimal"}], {"girth": 2.5}, {"girth": Decimal("2.5")}),
        ([LIMIT], {"limit": 7.0}, {"limit": 7}),
        ([{"name": "care", "type": "json"}], {"care": '{"by": "West"}'}, {"care": {"by": "West"}}),
        ([{"name": "care", "type": "json"}], {"care": ["pruned"]}, {"care": ["pruned"]}),
        ([STATE], {"state": "felled"}, {"state": "felled"}),
        ([{"name": "year", "type": "integer", "allowed": [2025, 2026]}], {"year": "2026"}, {"year": 2026}),
        ([DISTRICT], {"district": {"standing": "home"}}, {"district": "Terrazze"}),
        ([{**DISTRICT, "default": {"standing": "home"}}], {}, {"district": "Terrazze"}),
    ],
)
def test_what_is_given_or_stands_for_it_is_typed(documents, values, checked):
    assert checked_inputs(inputs(*documents), values, {"home": "Terrazze"}) == checked


@pytest.mark.parametrize(
    ("documents", "values", "where", "words"),
    [
        ([SINCE], {}, "/since", "is required"),
        ([{**DISTRICT, "required": True}], {"district": ""}, "/district", "is blank"),
        ([DISTRICT], {"distrikt": "x"}, "/distrikt", 'did you mean "district"'),
        ([], {"district": "x"}, "/district", "takes no inputs"),
        ([LIMIT], {"limit": "many"}, "/limit", "a value of type integer"),
        ([LIMIT], {"limit": 7.5}, "/limit", "a value of type integer"),
        ([SINCE], {"since": "31.12.2026"}, "/since", "a value of type date"),
        ([STATE], {"state": "cut"}, "/state", "take one of standing, felled"),
        ([{"name": "care", "type": "json"}], {"care": "{"}, "/care", "is not JSON"),
        ([DISTRICT], {"district": {"standing": "hom"}}, "/district", 'did you mean "home"'),
    ],
)
def test_each_wrong_input_is_told_at_its_place(documents, values, where, words):
    with pytest.raises(InputError) as raised:
        checked_inputs(inputs(*documents), values, {"home": "Terrazze"})
    assert [problem.where for problem in raised.value.problems] == [where]
    assert words in " ".join(f"{problem.message} {problem.hint}" for problem in raised.value.problems)


def test_all_wrong_inputs_are_told_at_once():
    with pytest.raises(InputError) as raised:
        checked_inputs(inputs(LIMIT, SINCE, STATE), {"limit": "x", "state": "cut", "other": 1})
    assert sorted(problem.where for problem in raised.value.problems) == ["/limit", "/other", "/since", "/state"]


def test_a_standing_value_without_a_value_says_how_to_give_it_one():
    with pytest.raises(InputError) as raised:
        standing_value("season", {})
    assert raised.value.hint == "give it one: rondine standing-value set season VALUE"


TREE = {"number": "OLM-00014", "girth_m": "3.8", "note": None}


@pytest.mark.parametrize(
    ("documents", "given", "values", "fields"),
    [
        ([{"name": "number"}], {}, {"number": "OLM-00014"}, {"number": "number"}),
        ([{"name": "tree", "field": "number"}], {}, {"tree": "OLM-00014"}, {"tree": "number"}),
        ([{"name": "tree", "field": "number", "convert": [{"type": "extract", "expression": "[0-9]+"}]}], {},
        {"tree": "00014"}, {"tree": "number"}),
        ([{"name": "number"}], {"number": "OLM-7"}, {"number": "OLM-7"}, {}),
        ([{"name": "number"}, {"name": "note"}], {}, {"number": "OLM-00014"}, {"number": "number"}),
    ],
)  # fmt: skip
def test_a_record_fills_inputs_that_are_left_empty(documents, given, values, fields):
    found = filled_from(inputs(*documents), TREE, given)
    assert (found.values, found.fields) == (values, fields)


@pytest.mark.parametrize(
    ("document", "where", "words"),
    [
        ({"name": "tree", "field": "numbr"}, "/tree", 'did you mean "number"'),
        ({"name": "crew"}, "/record", "no field that an input takes"),
        ({"name": "number", "convert": [{"type": "number"}]}, "/number", "correct the steps"),
    ],
)
def test_a_record_that_cannot_fill_says_why(document, where, words):
    with pytest.raises(InputError) as raised:
        filled_from(inputs(document), TREE, {})
    assert raised.value.where == where and words in f"{raised.value.message} {raised.value.hint}"


@pytest.mark.parametrize(
    ("value", "text"),
    [("a b", "a b"), (True, "true"), (7, "7"), (Decimal("1E+3"), "1000"), (date(2026, 3, 1), "2026-03-01"), ([1],
    "[1]")],
)  # fmt: skip
def test_typed_values_are_written_as_services_read_them(value, text):
    assert value_text(value) == text
