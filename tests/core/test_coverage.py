"""What a mapping leaves aside, what nothing fills, and what may get lost, told before any run."""

import pytest

from rondine.core.documents import ReadDocument
from rondine.core.documents.elements import read_elements
from rondine.core.documents.json import read_json
from rondine.core.mapping.coverage import coverage
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.settings import load

TREES = b"""{"trees": [{"number": "OLM-1", "measures": {"girth": 2.5, "height": 11}, "seen": "2026-11-03T09:00:00Z", "care": ["crown"], "none": null},
  {"number": "OLM-2", "measures": {"girth": 3, "height": 12}, "seen": "2026-11-04T09:00:00Z", "care": [],
  "none": null}]}"""


def told(fields, types=None, document=None, rows="trees[*]", **more):
    output = {"record_type": "tree", "rows": [{"level": "tree", "at": rows}], "fields": fields}
    mapping = load(MappingDocument, {"outputs": [output], **more})
    kinds = {field["name"]: "text" for field in fields} | (types or {})
    record_type = load(
        RecordTypeDocument,
        {"fields": [{"name": name, "type": kind} for name, kind in kinds.items()], "key": ["number"]},
    )
    return coverage(mapping, mapping.outputs[0], record_type, [document or ReadDocument(read_json(TREES))])


def test_values_that_no_rule_takes_and_fields_that_no_rule_fills_are_named():
    found = told(
        [{"name": "number", "from": "number"}, {"name": "girth", "from": "measures.girth"}],
        types={"girth": "decimal", "planted": "date"},
    )
    assert found.unused == ("$.measures.height", "$.seen", "$.care")
    assert (found.open, found.losses) == (("planted",), ())


def test_what_is_taken_as_a_whole_or_among_others_is_used():
    fields = [
        {"name": "number", "from": {"first_of": ["id", "number"]}},
        {"name": "measures", "from": "measures"},
        {"name": "seen", "from": "seen"},
        {"name": "care", "from": {"jsonpath": "$.care"}},
    ]
    assert told(fields, types={"measures": "json", "seen": "datetime", "care": "json"}).unused == ()


@pytest.mark.parametrize(
    ("source", "kind", "words"),
    [
        ("measures.girth", "integer", "has fractions"),
        ("measures.height", "integer", None),
        ("measures.girth", "decimal", None),
        ("measures.girth", "text", None),
        ("seen", "date", "has times of day"),
        ("seen", "datetime", None),
        ("care", "text", "has lists"),
        ("number", "integer", "no whole numbers"),
    ],
)
def test_what_may_get_lost_is_told_with_an_example(source, kind, words):
    found = told([{"name": "number", "from": "number"}, {"name": "one", "from": source}], types={"one": kind})
    assert [field for field, _ in found.losses] == (["one"] if words else [])
    if words:
        assert words in found.losses[0][1]


def test_a_conversion_is_trusted_to_know_what_it_does():
    rule = {"name": "girth", "from": "measures.girth", "convert": [{"type": "arithmetic", "digits": 0}]}
    assert told([{"name": "number", "from": "number"}, rule], types={"girth": "integer"}).losses == ()


def test_xml_is_covered_by_elements_and_attributes():
    soil = read_elements(b"<r><t n='1'><ph unit='x'>6.8</ph><humus>2</humus></t></r>")
    fields = [{"name": "number", "from": "@n"}, {"name": "ph", "from": "ph"}]
    found = told(fields, types={"ph": "integer"}, document=ReadDocument(soil.value, "xml"), rows="/r/t", format="xml")
    assert found.unused == ("humus",)
    assert found.losses[0][0] == "ph" and "has fractions" in found.losses[0][1]
