"""What keeps a mapping or record type from running: each problem with its place in the document, and what to do."""

from typing import get_args

import pytest
from msgspec import UNSET

from rondine.core.errors import DraftError, InputError
from rondine.core.mapping.document import (
    COMPARISONS,
    Comparison,
    Condition,
    MappingDocument,
    RecordTypeDocument,
    Source,
    condition_problems,
    link_problems,
    problems_of,
    record_type_problems,
    resolved,
    source_problems,
)
from rondine.core.settings import dump, load

TREE = {
    "key": ["number"],
    "fields": [
        {"name": "number", "type": "text"},
        {"name": "girth", "type": "decimal", "unit": "m"},
        {"name": "street", "type": "text"},
        {"name": "care", "type": "json"},
    ],
}
NUMBER = {"name": "number", "from": "number"}


def output(**change):
    made = {"record_type": "tree", "rows": [{"level": "tree", "at": "trees[*]"}], "fields": [NUMBER]}
    return {name: one for name, one in {**made, **change}.items() if one is not None}


def told(mapping, **types):
    known = {name: load(RecordTypeDocument, one) for name, one in (types or {"tree": TREE}).items()}
    return {one.where: f"{one.message}; {one.hint}" for one in problems_of(load(MappingDocument, mapping), known)}


def with_rule(**rule):
    return {"outputs": [output(fields=[NUMBER, {"name": "street", "from": "street", **rule}])]}


SOUND = [
    {"outputs": [output()]},
    with_rule(),
    with_rule(**{"from": {"jsonpath": "$..street"}}),
    with_rule(**{"from": {"level": "root", "jsonpath": "$.street"}}),
    with_rule(**{"from": {"position": "tree"}}),
    with_rule(**{"from": {"first_of": ["street", {"value": None}]}}),
    with_rule(name="girth", unit={"value": "m"}),
    {"outputs": [output(where=[{"from": "girth", "is": "one_of", "value": [1, 2]}, {"from": "girth",
    "is": "present"}])]},
    {"format": "xml", "outputs": [output(rows=[{"level": "tree", "at": "/trees/tree"}], fields=[{"name": "number",
    "from": "@number"}])]},
    {"format": "xml", "outputs": [output(rows=[{"level": "tree", "at": "//tree[@girth > 2]"}],
    fields=[{"name": "number", "from": "@number"}])]},
]  # fmt: skip


@pytest.mark.parametrize("mapping", SOUND)
def test_a_sound_mapping_has_no_problem(mapping):
    assert told(mapping) == {}


@pytest.mark.parametrize(
    ("mapping", "where", "words"),
    [
        ({}, "/outputs", "brings no records yet"),
        ({"outputs": [output(record_type="tre")]}, "/outputs/0/record_type", 'did you mean "tree"'),
        ({"outputs": [output(rows=None)]}, "/outputs/0/rows", "no level says what becomes one row"),
        ({"outputs": [output(rows=[{"level": "root", "at": "trees[*]"}])]}, "/outputs/0/rows/0/level", "is taken"),
        ({"outputs": [output(rows=[{"level": "a", "at": "a[*]"}, {"level": "a", "at": "b[*]"}])]},
        "/outputs/0/rows/1/level", "is taken"),
        ({"outputs": [output(rows=[{"level": "a", "at": "trees[**]"}])]}, "/outputs/0/rows/0/at", "trees[**]"),
        ({"outputs": [output(fields=[])]}, "/outputs/0/fields", 'nothing fills the key field "number"'),
        ({"outputs": [output(fields=[NUMBER, NUMBER])]}, "/outputs/0/fields/1/name", "filled twice"),
        (with_rule(name="stret"), "/outputs/0/fields/1/name", 'did you mean "street"'),
        (with_rule(type="integer"), "/outputs/0/fields/1/type", "the record type says text"),
        (with_rule(unit="unit"), "/outputs/0/fields/1/unit", "has no unit to compare with"),
        (with_rule(**{"from": "a..b"}), "/outputs/0/fields/1/from", "plain path"),
        (with_rule(**{"from": {"jsonpath": "$.a["}}), "/outputs/0/fields/1/from", "$.a["),
        (with_rule(**{"from": {"pointer": "a/b"}}), "/outputs/0/fields/1/from", "/"),
        (with_rule(**{"from": {"xpath": "street"}}), "/outputs/0/fields/1/from", "write a JSONPath or pointer"),
        (with_rule(**{"from": {"position": "tre"}}), "/outputs/0/fields/1/from", 'did you mean "tree"'),
        (with_rule(**{"from": {"first_of": []}}), "/outputs/0/fields/1/from/first_of", "names no source"),
        (with_rule(**{"from": {"several": ["street", "a..b"]}}), "/outputs/0/fields/1/from/several/1", "plain path"),
        (with_rule(convert=[{"type": "replace", "text": "(", "with": "", "expression": True}]),
        "/outputs/0/fields/1/convert/0/text", "("),
        ({"outputs": [output(where=[{"from": "girth", "is": "more"}])]}, "/outputs/0/where/0/value",
        "nothing is given"),
        ({"outputs": [output(where=[{"from": "girth", "is": "absent", "value": 1}])]}, "/outputs/0/where/0/value",
        "take the value away"),
        ({"outputs": [output(where=[{"from": "girth", "is": "none_of", "value": 1}])]}, "/outputs/0/where/0/value",
        "a list"),
        ({"outputs": [output(where=[{"from": "girth", "is": "matches", "value": "(?<=a)b"}])]},
        "/outputs/0/where/0/value", "RFC 9485"),
        ({"format": "xml", "outputs": [output(rows=[{"level": "t", "at": {"jsonpath": "$.a"}}], fields=[NUMBER])]},
        "/outputs/0/rows/0/at", "write an XPath"),
        ({"format": "xml", "outputs": [output(rows=[{"level": "t", "at": "/a/s:b"}], fields=[NUMBER])],
        "namespaces": {"so": "urn:x"}}, "/outputs/0/rows/0/at", 'did you mean "so"'),
        ({"format": "xml", "outputs": [output(rows=[{"level": "t", "at": "/a"}, {"level": "u", "at": "/b"}],
        fields=[NUMBER])]}, "/outputs/0/rows/1/at", "take the / at its beginning away"),
        ({"format": "xml", "outputs": [output(rows=[{"level": "t", "at": "/a"}, {"level": "u", "at": "b[@c > 1]"}],
        fields=[NUMBER])]}, "/outputs/0/rows/1/at", "goes inwards by names"),
    ],
)  # fmt: skip
def test_each_problem_of_a_mapping_is_told_at_its_place(mapping, where, words):
    found = told(mapping)
    assert where in found and words in found[where], found


def test_sources_within_sources_end():
    source = "street"
    for _ in range(12):
        source = {"first_of": [source]}
    found = told(with_rule(**{"from": source}))
    assert [words.split(";")[0] for words in found.values()] == ["sources stand too deep within each other"]


def test_a_record_type_without_a_key_is_a_problem_only_where_records_are_kept():
    keyless = {**TREE, "key": []}
    mapping = {"outputs": [output()]}
    assert "has no key" in told(mapping, tree=keyless)["/outputs/0/record_type"]
    types = {"tree": load(RecordTypeDocument, keyless)}
    assert problems_of(load(MappingDocument, mapping), types, is_kept=False) == []


@pytest.mark.parametrize(
    ("change", "where", "words"),
    [
        ({"key": []}, "/key", "has no key"),
        ({"key": ["numbr"]}, "/key/0", 'did you mean "number"'),
        ({"key": ["number", "care"]}, "/key/1", "is json"),
        ({"fields": [*TREE["fields"], {"name": "girth", "type": "text"}]}, "/fields/4/name", "twice"),
    ],
)
def test_each_problem_of_a_record_type_is_told_at_its_place(change, where, words):
    found = {
        problem.where: f"{problem.message}; {problem.hint}"
        for problem in record_type_problems(load(RecordTypeDocument, {**TREE, **change}))
    }
    assert list(found) == [where] and words in found[where]
    assert record_type_problems(load(RecordTypeDocument, TREE)) == []


@pytest.mark.parametrize(
    ("link", "where", "words"),
    [
        ({"record_type": "tree", "fields": ["tree"]}, None, ""),
        ({"record_type": "tre", "fields": ["tree"]}, "/links/0/record_type", 'did you mean "tree"'),
        ({"record_type": "tree", "fields": ["thee"]}, "/links/0/fields/0", 'did you mean "tree"'),
        ({"record_type": "tree", "fields": ["done"]}, "/links/0/fields", "the key of tree is number"),
        ({"record_type": "tree", "fields": ["tree", "done"]}, "/links/0/fields", "in that order"),
    ],
)
def test_links_lead_to_a_key_of_the_same_types(link, where, words):
    fields = [{"name": "tree", "type": "text"}, {"name": "done", "type": "date"}]
    care = load(RecordTypeDocument, {"key": ["tree", "done"], "fields": fields, "links": [link]})
    found = {problem.where: f"{problem.message}; {problem.hint}" for problem in link_problems(care, {"tree": load(RecordTypeDocument,
    TREE)})}  # fmt: skip
    assert list(found) == ([where] if where else []) and words in "".join(found.values())


def test_a_mapping_has_from_its_base_what_it_does_not_say_itself():
    base = {"namespaces": {"a": "urn:a"}, "outputs": [output(fields=[NUMBER, {"name": "street", "from": "street"}],
    where=[{"from": "girth", "is": "present"}])]}  # fmt: skip
    own = {"based_on": "base", "namespaces": {"b": "urn:b"}, "outputs": [{"record_type": "tree",
    "fields": [{"name": "street", "from": "road"}]}, output(record_type="care")]}  # fmt: skip
    found = dump(resolved(load(MappingDocument, own), {"base": load(MappingDocument, base)}))
    tree, care = found["outputs"]
    assert found["namespaces"] == {"a": "urn:a", "b": "urn:b"} and "based_on" not in found
    assert tree["fields"] == [NUMBER, {"name": "street", "from": "road"}]
    assert tree["rows"] == base["outputs"][0]["rows"] and tree["where"] == base["outputs"][0]["where"]
    assert care["record_type"] == "care"


@pytest.mark.parametrize(
    ("known", "words"),
    [
        ({"bass": {}}, 'did you mean "bass"'),
        ({}, "make it first"),
        ({"base": {"based_on": "other"}, "other": {"based_on": "base"}}, "in a circle"),
    ],
)
def test_what_a_mapping_is_based_on_must_be_there_and_end(known, words):
    others = {name: load(MappingDocument, one) for name, one in known.items()}
    with pytest.raises(DraftError) as raised:
        resolved(load(MappingDocument, {"based_on": "base"}), others)
    assert raised.value.where == "/based_on" and words in f"{raised.value.message} {raised.value.hint}"


@pytest.mark.parametrize(
    ("source", "words"),
    [
        ({}, "give exactly one of jsonpath"),
        ({"jsonpath": "$.a", "pointer": "/a"}, "not jsonpath and pointer"),
        ({"level": "tree", "value": 1}, "level goes with a path"),
        ({"all": True, "position": "tree"}, "all goes with a path"),
    ],
)
def test_a_source_is_exactly_one_thing(source, words):
    with pytest.raises(InputError, match=words):
        load(Source, source)


def test_sources_and_conditions_outside_of_mappings_fit_json_or_xml():
    assert source_problems(load(Source, {"jsonpath": "$.error"}), "/at") == []
    assert source_problems(load(Source, {"xpath": "//error"}), "/at") == []
    assert [problem.where for problem in source_problems(load(Source, {"jsonpath": "$["}), "/at")] == ["/at"]
    assert condition_problems(load(Condition, {"from": {"jsonpath": "$.ok"}, "value": False}), "/0") == []
    wrong = load(Condition, {"from": {"jsonpath": "$.ok"}, "is": "matches", "value": "["})
    assert [problem.where for problem in condition_problems(wrong, "/0")] == ["/0/value"]


def test_every_comparison_is_offered_once_and_takes_what_its_form_says():
    assert sorted(form.name for form in COMPARISONS) == sorted(get_args(Comparison))
    for form in COMPARISONS:
        sound = {"value": "oak", "list": ["oak", "lime"], "nothing": UNSET}
        for takes, value in sound.items():
            condition = {"from": "number", "is": form.name, **({} if value is UNSET else {"value": value})}
            found = told({"outputs": [output(where=[condition])]})
            fits = takes == form.takes or (takes == "list" and form.takes == "value")
            assert (found == {}) == fits, (form.name, takes, found)
