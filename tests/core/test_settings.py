"""What is wrong with a document: where, what, and what was meant."""

import pytest

from rondine.core.errors import InputError
from rondine.core.items.connection import ConnectionDocument
from rondine.core.mapping.document import MappingDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.settings import dump, load


def mapping(**rule):
    return {"outputs": [{"record_type": "tree", "fields": [{"name": "girth", "from": "girth", **rule}]}]}


RULE = "/outputs/0/fields/0"


@pytest.mark.parametrize(
    ("kind", "document", "where", "words"),
    [
        (MappingDocument, {"formt": "json"}, "/formt", 'there is no field "formt" here; did you mean "format"?'),
        (MappingDocument, {"format": "jsn"}, "/format", '"jsn" is not allowed here; did you mean "json"?'),
        (MappingDocument, {"version": 2}, "/version", '"2" is not allowed here; known here: 1'),
        (MappingDocument, {"outputs": {}}, "/outputs", "a list is expected here, not an object; "),
        (MappingDocument, [], "/", "an object is expected here, not a list; "),
        (MappingDocument, mapping(name="Girth (m)"), f"{RULE}/name",
        '"Girth (m)" is not allowed here; small letters, digits, - and _, beginning with a letter'),
        (MappingDocument, mapping(type="number"), f"{RULE}/type",
        '"number" is not allowed here; known here: boolean, date, datetime, decimal, integer, json, text'),
        (MappingDocument, mapping(unit=3), f"{RULE}/unit",
        "a text or an object or null is expected here, not a whole number; "),
        (MappingDocument, mapping(convert=[{"type": "trimm"}]), f"{RULE}/convert/0/type",
        '"trimm" is not allowed here; did you mean "trim"?'),
        (MappingDocument, mapping(convert=[{"type": "trim"}, {"type": "substring", "bgin": 1}]),
        f"{RULE}/convert/1/bgin", 'there is no field "bgin" here; did you mean "begin"?'),
        (MappingDocument, mapping(convert=[{}]), f"{RULE}/convert/0", '"type" is missing; give it a value'),
        (MappingDocument, mapping(**{"from": {"first_of": [{"poynter": "/a"}]}}), f"{RULE}/from/first_of/0/poynter",
        'there is no field "poynter" here; did you mean "pointer"?'),
        (OperationDocument, {"path": "/", "body": {"type": "json", "membrs": []}}, "/body/membrs",
        'there is no field "membrs" here; did you mean "members"?'),
        (ConnectionDocument, {"sign_in": {"type": "basik"}}, "/sign_in/type",
        '"basik" is not allowed here; did you mean "basic"?'),
        (ConnectionDocument, {"blanks": {"part": "x", "area": 3}}, "/blanks/area",
        "a text is expected here, not a whole number; "),
        (ConnectionDocument, {"parallel": 0}, "/parallel", 'expected "int" >= 1; '),
    ],
)  # fmt: skip
def test_a_wrong_document_is_told_where_and_what_was_meant(kind, document, where, words):
    with pytest.raises(InputError) as raised:
        load(kind, document)
    assert (raised.value.where, f"{raised.value.message}; {raised.value.hint}") == (where, words)


def test_what_equals_its_default_is_not_stored():
    assert dump(load(ConnectionDocument, {"enabled": True, "parallel": None, "time_outs": {"connect": 5.0}})) == {}
    assert dump(load(MappingDocument, mapping(required=False, default=None))) == mapping(default=None)
