"""A response fitted onto a record type that is there already."""

import json

import pytest

from rondine.core.documents.reading import read_document
from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.mapping.fitting import fit
from rondine.core.mapping.propose import propose
from rondine.core.settings import load

TREE = load(
    RecordTypeDocument,
    {
        "key": ["number"],
        "fields": [
            {"name": "number", "type": "text"},
            {"name": "girth_m", "type": "decimal", "unit": "m"},
            {"name": "planted_on", "type": "date"},
            {"name": "district", "type": "text"},
            {"name": "crown", "type": "decimal"},
        ],
    },
)


def fitted(row, known=None, record_type=TREE):
    read = read_document(json.dumps([row, row]).encode())
    return read, fit(propose([read], rows=["$[*]"], name="anything"), "tree", record_type, known)


def test_same_names_are_paired_and_the_others_are_open():
    read, found = fitted({"number": "OLM-1", "measures": {"Girth": 2.5}, "district": "Orti", "note": "leans"})
    assert {pair.field: (pair.path, pair.reason) for pair in found.pairs} == {
        "number": ("number", "same name"),
        "girth_m": ("measures.Girth", "same name"),
        "district": ("district", "same name"),
    }
    assert found.open == ("planted_on", "crown")
    assert found.proposal.left_out == ["note"] and found.proposal.record_type is TREE
    (output,) = compile_mapping(found.proposal.mapping, {"tree": TREE})
    assert output.run(read.value).records[0][1]["district"] == "Orti"


@pytest.mark.parametrize(
    ("row", "field", "pair"),
    [
        ({"plantedOn": "2020-03-01"}, "planted_on", ("plantedOn", "same name")),
        ({"date_planted": "2020-03-01"}, "planted_on", None),  # one word of two
        ({"planted": "2020-03-01"}, "planted_on", ("planted", "similar name")),
        ({"distrikt": "Orti"}, "district", ("distrikt", "similar name")),
        ({"place": {"district": {"name": "Orti"}}}, "district", ("place.district.name", "similar name")),
        ({"planted": True}, "planted_on", None),  # of another kind
        ({"crown": "wide"}, "crown", ("crown", "same name")),  # its name says enough; coverage warns
        ({"girth_cm": 250}, "girth_m", ("girth_cm", "similar name")),
    ],
)
def test_pairs_by_name_and_type(row, field, pair):
    _, found = fitted(row)
    assert {one.field: (one.path, one.reason) for one in found.pairs}.get(field) == pair


def test_values_tell_where_names_do_not():
    known = {"number": ["OLM-00001", "OLM-00412"], "district": ["Orti", "Terrazze"]}
    _, found = fitted({"tag": "OLM-00007", "quarter": "Terrazze", "colour": "green", "code": "7"}, known)
    assert {pair.field: (pair.path, pair.reason) for pair in found.pairs} == {
        "number": ("tag", "like values"),
        "district": ("quarter", "like values"),
    }


def test_the_best_pair_wins_and_each_value_is_used_once():
    _, found = fitted({"number": "OLM-1", "tree_number": "OLM-2"})
    assert [(pair.field, pair.path) for pair in found.pairs] == [("number", "number")]
    two = load(RecordTypeDocument, {"key": ["tree"], "fields": [{"name": "tree", "type": "text"},
    {"name": "tree_number", "type": "text"}]})  # fmt: skip
    _, found = fitted({"number": "OLM-1"}, record_type=two)
    assert [(pair.field, pair.path) for pair in found.pairs] == [("tree_number", "number")]


def test_foreign_forms_keep_their_steps():
    _, found = fitted({"number": "1", "crown": "2,5", "planted_on": "03.11.2020"})
    (output,) = compile_mapping(found.proposal.mapping, {"tree": TREE})
    record = output.run([{"number": "1", "crown": "2,5", "planted_on": "03.11.2020"}]).records[0][1]
    assert str(record["crown"]) == "2.5" and record["planted_on"].isoformat() == "2020-11-03"


@pytest.mark.parametrize(
    ("rows", "unit"),
    [
        ([{"girth": {"value": 2.5, "unit": "m"}}, {"girth": {"value": 3, "unit": "m"}}], "m"),
        ([{"girth": {"value": 2.5, "unit": "m"}}, {"girth": {"value": 300, "unit": "cm"}}], ""),  # not the same in all
        ([{"girth": {"value": 2.5, "unit": "m"}}, {"girth": {"value": 3}}], ""),  # not always said
        ([{"girth": 2.5, "height": 9, "unit": "m"}], ""),  # of which of the two?
        ([{"girth": "thick", "unit": "m"}], ""),
    ],
)
def test_the_unit_that_all_rows_say_is_proposed_and_checked(rows, unit):
    read = read_document(json.dumps(rows).encode())
    made = propose([read], rows=["$[*]"], name="tree")
    (output,) = made.mapping.outputs
    assert [field.unit for field in made.record_type.fields if field.unit] == ([unit] if unit else [])
    assert ("unit" in [field.name for field in output.fields]) is not bool(unit)
    if unit:
        (compiled,) = compile_mapping(made.mapping, {"tree": made.record_type}, is_kept=False)
        mapped = compiled.run([{"girth": {"value": 2, "unit": "m"}}, {"girth": {"value": 200, "unit": "cm"}}])
        assert len(mapped.records) == 1 and "is in cm, and the field is in m" in mapped.rejects[0].problems[0].reason


def test_the_unit_that_rows_say_is_checked_against_that_of_the_record_type():
    read, found = fitted({"number": "OLM-1", "girth": {"value": 250, "unit": "cm"}, "crown": 3})
    (rule,) = [field for field in found.proposal.mapping.outputs[0].fields if field.name == "girth_m"]
    assert rule.unit == "girth.unit"
    (output,) = compile_mapping(found.proposal.mapping, {"tree": TREE})
    assert "is in cm, and the field is in m" in output.run(read.value).rejects[0].problems[0].reason


def test_one_object_in_place_of_a_list_in_some_samples_is_proposed_as_what_it_is():
    samples = [{"trees": [{"number": "a"}, {"number": "b"}]}, {"trees": {"number": "c"}}]
    read = [read_document(json.dumps(sample).encode()) for sample in samples]
    made = propose(read, rows=["$.trees[*]"], name="tree")
    (output,) = compile_mapping(made.mapping, {"tree": made.record_type})
    assert [[data["number"] for data in output.run(sample).data] for sample in samples] == [["a", "b"], ["c"]]


CROWN = load(
    RecordTypeDocument,
    {"key": ["number"], "fields": [{"name": "number", "type": "text"}, {"name": "crown", "type": "json"}]},
)


@pytest.mark.parametrize(
    ("row", "path"),
    [
        ({"number": "OLM-1", "crown_width": 3}, None),  # a leaf, whatever it is called, is not a structure
        ({"number": "OLM-1", "crown": "wide"}, None),
        ({"number": "OLM-1", "crown": {"width": 3, "form": "round"}}, "crown"),
        ({"number": "OLM-1", "measures": {"crown": {"width": 3}}}, "measures.crown"),
        ({"number": "OLM-1", "crown": ["round", "high"]}, "crown"),
        ({"number": "OLM-1", "crown": [{"part": "top"}]}, "crown"),
    ],
)
def test_a_field_for_structured_content_takes_a_structure_or_nothing(row, path):
    read, found = fitted(row, record_type=CROWN)
    assert next((pair.path for pair in found.pairs if pair.field == "crown"), None) == path
    assert ("crown" in found.open) == (path is None)
    if path:
        (output,) = compile_mapping(found.proposal.mapping, {"tree": CROWN})
        records = output.run(read.value).records
        assert records[0][1]["crown"] and not any("crown" in one for one in found.proposal.left_out)


def test_only_the_same_name_with_a_type_that_loses_nothing_is_sure():
    _, found = fitted({"number": "OLM-1", "distrikt": "Orti", "crown": "3.5", "plantedOn": "2020-03-01"})
    assert {pair.field: pair.is_sure for pair in found.pairs} == {
        "number": True, "planted_on": True, "district": False, "crown": False,
    }  # fmt: skip
    _, found = fitted({"number": "OLM-1", "place": {"district": "Orti"}, "owner": {"district": "Alto"}})
    assert not next(pair for pair in found.pairs if pair.field == "district").is_sure  # two are called so
