"""JSON Schema, XML Schema and samples in place of a definition."""

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import rondine.standins
from rondine.core.definitions import Files, read_definition
from rondine.core.definitions.record_types import proposed_types
from rondine.core.documents.elements import read_elements
from rondine.core.errors import DocumentError, RondineError
from rondine.core.schema.check import as_described, differences

SOIL = (Path(rondine.standins.__file__).parent / "documents" / "soil.xsd").read_bytes()


def read(content, name="trees.json", address="", **others):
    content = content if isinstance(content, bytes) else content.encode()
    return read_definition(Files(name, {name: content, **others}), address)


def fields(found):
    return {
        one.name: {field.name: field.type for field in one.document.fields}
        for one in proposed_types([], found.schemas, found.roots)
    }


TREE = {
    "$schema": "http://json-schema.org/draft-07/schema#",
    "title": "Tree",
    "type": "object",
    "required": ["number"],
    "properties": {
        "number": {"type": "string"},
        "planted": {"type": "string", "format": "date"},
        "girth": {"type": ["number", "null"]},
        "parent": {"$ref": "#"},
        "care": {"type": "array", "items": {"$ref": "#/definitions/care"}},
    },
    "definitions": {
        "care": {"type": "object", "properties": {"kind": {"enum": ["crown", "roots"]}, "on": {"type": "string"}}}
    },
}


def test_a_json_schema_of_an_older_draft_is_read_with_what_it_refers_to():
    found = read(json.dumps(TREE))
    assert (found.format, found.title, found.roots, found.operations) == ("JSON Schema", "Tree", ("Tree",), ())
    assert found.schemas["Tree"]["properties"]["parent"] == {"$ref": "#/$defs/Tree"}
    assert found.schemas["Tree"]["properties"]["care"]["items"] == {"$ref": "#/$defs/care"}
    assert fields(found)["tree"] == {"number": "text", "planted": "date", "girth": "decimal", "parent": "json"}
    assert differences({"number": 4}, {"$ref": "#/$defs/Tree"}, found.schemas)[0].where == "$['number']"


def test_a_document_of_definitions_offers_each_of_them():
    found = read(
        json.dumps({"$defs": {"tree": TREE | {"definitions": {}, "properties": {}}, "girth": {"type": "number"}}})
    )
    assert found.roots == ("tree", "girth")


def test_schemas_in_several_files_are_one_definition():
    other = json.dumps({"type": "object", "properties": {"street": {"type": "string"}}}).encode()
    found = read('{"type": "object", "properties": {"place": {"$ref": "place.json"}}}', **{"place.json": other})
    assert found.schemas["trees"]["properties"]["place"] == {"$ref": "#/$defs/place"}
    assert fields(found) == {"place": {"street": "text"}}


def test_a_missing_reference_is_said_with_its_line_and_the_rest_is_read():
    found = read(
        '{"type": "object",\n "properties": {\n "a": {"$ref": "#/$defs/oen"}, "b": {"type": "string"}},\n "$defs":'
        ' {"one": {}}}'
    )
    assert "line 3" in found.warnings[0].where and 'you mean "one"' in found.warnings[0].hint
    assert found.schemas["trees"]["properties"]["b"] == {"type": "string"}


def test_an_xml_schema_keeps_names_attributes_lists_and_circles():
    found = read(SOIL, "soil.xsd")
    assert (found.format, found.roots, found.version) == ("XML Schema", ("results",), "2.1")
    result = found.schemas["Result"]["properties"]
    assert result["number"] == {"type": "string", "xml": {"attribute": True}}
    assert result["humus"] == {"$ref": "#/$defs/Measure", "xml": {"namespace": "urn:olmara:soil:2"}}
    assert result["layers"]["properties"]["layer"]["type"] == "array"
    assert found.schemas["Measure"]["properties"]["text()"] == {"type": "string", "xml": {"nodeType": "text"}}
    assert found.schemas["Layer"]["properties"]["texture"]["enum"] == ["sand", "loam", "clay"]
    circle = read(
        b"<x:schema xmlns:x='http://www.w3.org/2001/XMLSchema'><x:element name='tree' type='T'/><x:complexType name='T'><x:sequence>"
        b"<x:element name='graft' type='T' minOccurs='0'/></x:sequence></x:complexType></x:schema>", "t.xsd",
    )  # fmt: skip
    assert circle.schemas["T"]["properties"]["graft"] == {"$ref": "#/$defs/T"}
    assert fields(found) == {
        "result": {
            "taken": "text",
            "humus": "text",
            "humus_unit": "text",
            "note": "text",
            "number": "text",
            "tree": "text",
        },
        "layer": {"result_number": "text", "texture": "text", "ph": "text", "depth": "integer"},
    }


def test_a_response_is_held_against_the_xml_schema():
    found = read(SOIL, "soil.xsd")
    good = (
        b'<l:results xmlns:l="urn:olmara:soil:2" l:count="1"><l:result number="S-1"'
        b' tree="OLM-1"><l:taken>2026-10-02</l:taken><l:humus>2,1</l:humus><l:layers><l:layer'
        b' depth="20"><l:texture>sand</l:texture><l:ph>6,1</l:ph></l:layer></l:layers></l:result></l:results>'
    )
    bad = good.replace(b'depth="20"', b'depth="deep"').replace(b">sand<", b">gravel<").replace(b' tree="OLM-1"', b"")

    def told(body):
        value = as_described(read_elements(body).value, {"$ref": "#/$defs/results"}, found.schemas)
        return {
            difference.where: difference.message
            for difference in differences(value, {"$ref": "#/$defs/results"}, found.schemas)
        }

    assert told(good) == {}
    layer = "$['result'][0]['layers']['layer'][0]"
    assert told(bad) == {
        f"{layer}['depth']": '"deep" is not of the type integer',
        f"{layer}['texture']": '"gravel" is none of the values described',
        "$['result'][0]": '"tree" is missing',
    }


@pytest.mark.parametrize(
    ("content", "name", "kind"),
    [
        ('{"trees": [{"number": "OLM-1", "girth": 2.5}]}', "trees.json", "sample (JSON)"),
        ('{"number": "OLM-1", "girth": 2.5}\n{"number": "OLM-2", "girth": 1}\n', "trees.ndjson",
        "sample (one JSON value a line)"),
        ('<trees><tree number="OLM-1"><girth>2.5</girth></tree><tree number="OLM-2"/></trees>', "trees.xml",
        "sample (XML)"),
    ],
)  # fmt: skip
def test_a_sample_describes_what_it_shows(content, name, kind):
    found = read(content, name)
    assert (found.format, found.roots, found.operations) == (kind, ("trees",), ())
    made = fields(found)["tree"]
    assert made == {"number": "text", "girth": "decimal"}


def test_a_sample_with_its_address_is_an_operation_too():
    found = read('{"trees": [{"number": "OLM-1"}]}', address="https://register.example/v1/trees?district=Orti&limit=5")
    only = found.operations[0]
    assert (only.key, only.name) == ("GET /v1/trees", "list-trees")
    assert [one.name for one in only.document.query] == ["district", "limit"]
    assert only.document.responses[0].schema == {"$ref": "#/$defs/trees"}
    assert found.servers[0].address == "https://register.example"


@pytest.mark.parametrize(
    ("content", "words"),
    [
        ("{}", "holds nothing"),
        ("[]", "holds nothing"),
        ("<a/>", "begins with <a>"),
        ('{"paths": {}}', "does not say its version"),
        ("just a text", "no format"),
        ("<!doctype html><html></html>", "page of HTML"),
        ("<schema xmlns='http://www.w3.org/2001/XMLSchema'><complexType name='T'/></schema>", "no element at its top"),
        ('{"a": 1}\n{"a": }', "line 2"),
    ],
)
def test_what_describes_nothing_is_refused_by_name(content, words):
    with pytest.raises(DocumentError, match=words):
        read(content)


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=4),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(["type", "properties", "$ref", "$defs", "items", "allOf", "a"]), inner, max_size=4
        )
    ),
    max_leaves=12,
)


@given(JSON)
def test_any_json_is_a_schema_a_sample_or_refused_by_name(value):
    try:
        found = read(json.dumps(value))
        proposed_types([operation.document for operation in found.operations], found.schemas, found.roots)
    except RondineError:
        pass


@given(st.binary(max_size=60), st.integers(0, len(SOIL)), st.integers(0, 80))
def test_a_broken_xml_schema_is_read_as_far_as_it_is_sound_or_refused_by_name(piece, at, drop):
    try:
        found = read(SOIL[:at] + piece + SOIL[at + drop :], "soil.xsd")
        proposed_types([], found.schemas, found.roots)
    except RondineError:
        pass
