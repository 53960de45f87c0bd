"""A service written as OpenAPI 3.1: read again, nothing is lost but what the format cannot say, and that is listed."""

import json

from rondine.core.definitions import Files, read_definition
from rondine.core.definitions.export import ExportedOperation, to_openapi
from rondine.core.operations.document import OperationDocument
from rondine.core.schema import infer, to_json_schema
from rondine.core.settings import dump, load
from rondine.core.signin import ApiKey
from rondine.standins.register import DEFINITION


def read(document):
    return read_definition(Files("a.json", {"a.json": json.dumps(document).encode()}))


def exported(found, **more):
    operations = [
        ExportedOperation(operation.name, operation.title, operation.document) for operation in found.operations
    ]
    return to_openapi(title=found.title, version=found.version, operations=operations, schemas=found.schemas, **more)


def test_what_was_imported_exported_and_imported_again_is_the_same():
    first = read_definition(Files("r.yaml", {"r.yaml": DEFINITION.read_bytes()}), "https://register.example/d")
    out = exported(
        first, address=first.servers[0].address, sign_in=first.sign_ins[0].sign_in, documentation=first.documentation
    )
    again = read(out.document)
    assert out.unsaid == [] and again.warnings == () and again.left_out == ()
    assert {operation.name: dump(operation.document) for operation in again.operations} == {
        operation.name: dump(operation.document) for operation in first.operations
    }
    assert [operation.title for operation in again.operations] == [operation.title for operation in first.operations]
    assert again.schemas == first.schemas and again.servers[0].address == first.servers[0].address
    assert again.sign_ins[0].sign_in == first.sign_ins[0].sign_in and again.documentation == first.documentation


def test_styles_fixed_values_and_bodies_of_every_kind_come_back():
    documents = {
        "a": {"path": "/a/{;kinds*}/{.part}", "inputs": [{"name": "kinds", "type": "json", "required": True},
        {"name": "part", "required": True}]},
        "b": {
            "path": "/b", "inputs": [{"name": "care", "type": "json"}, {"name": "where", "type": "json"},
            {"name": "rule", "type": "json"}, {"name": "of"}],
            "query": [
                {"name": "care", "value": {"input": "care"}, "style": "pipeDelimited", "explode": False},
                {"name": "where", "value": {"input": "where"}, "style": "deepObject"},
                {"name": "fixed", "value": "1"},
            ],
            "headers": [{"name": "X-Rule", "value": {"input": "rule"}, "explode": False}], "cookies": [{"name": "of",
            "value": {"input": "of"}}],
        },
        "c": {
            "method": "POST", "path": "/c", "inputs": [{"name": "number", "type": "integer", "required": True},
            {"name": "place_street", "allowed": ["Weir Path"]}],
            "body": {"type": "json", "members": [{"at": "/number", "value": {"input": "number"}},
            {"at": "/place/street", "value": {"input": "place_street"}}]},
        },
        "d": {"method": "PUT", "path": "/d", "inputs": [{"name": "x", "type": "decimal", "try_value": "1.5"}],
        "body": {"type": "form", "fields": [{"name": "x", "value": {"input": "x"}}]}},
    }  # fmt: skip
    loaded = {name: load(OperationDocument, one) for name, one in documents.items()}
    out = to_openapi(
        title="Styles",
        operations=[ExportedOperation(name, name, one) for name, one in loaded.items()],
        schemas={},
        address="https://{+region}.example",
        blanks={"region": "north"},
    )
    again = read(out.document)
    for operation in again.operations:
        ours = dump(loaded[operation.name])
        theirs = {name: value for name, value in dump(operation.document).items() if name != "responses"}
        assert theirs == ours, operation.name
    assert again.servers[0].blanks == {"region": "north"} and again.warnings == ()


def test_a_sampled_operation_is_described_by_what_was_seen_and_what_cannot_be_said_is_listed():
    one = load(OperationDocument, {"path": "/trees", "query": [{"name": "year", "value": {"standing": "survey-year"}}]})
    sampled = to_json_schema(infer([{"trees": [{"number": "OLM-1", "girth": 2}, {"number": "OLM-2", "girth": 1.5}]}]))
    operations = [ExportedOperation("list", "List", one, sampled), ExportedOperation("other", "Other", one)]
    out = to_openapi(title="Sampled", operations=operations, schemas={}, sign_in=ApiKey(name="X-Key"))
    schema = out.document["paths"]["/trees"]["get"]["responses"]["200"]["content"]["application/json"]["schema"]
    assert (
        schema["properties"]["trees"]["items"]["properties"]["girth"] == {"type": "number"} and "$schema" not in schema
    )
    assert [(one.where, one.message.split()[0]) for one in out.unsaid] == [("list", '"year"'), ("other", "GET")]
    assert read(out.document).operations[0].document.responses[0].status == "200"
