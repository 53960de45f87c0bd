"""OpenAPI 3.1, 3.0 and 2.0: the same service read from each, what is broken said with its place, and nothing that makes
it fall over."""

import json
import re
import time

import pytest
import yaml
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rondine.core.definitions import Files, read_definition
from rondine.core.definitions.model import schemas_needed
from rondine.core.definitions.record_types import proposed_types
from rondine.core.errors import DocumentError, RondineError
from rondine.core.operations.document import JsonBody, MultipartBody, OperationDocument
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request
from rondine.core.schema.json_schema import fields_of
from rondine.core.settings import dump, load
from rondine.standins.register import DEFINITION, in_2_0

REGISTER = yaml.safe_load(DEFINITION.read_text())


def read(value, name="register.yaml", address="", **others):
    content = (
        value
        if isinstance(value, bytes)
        else (value.encode() if isinstance(value, str) else json.dumps(value).encode())
    )
    return read_definition(Files(name, {name: content, **others}), address)


def in_3_0(document):
    text = re.sub(r'"type": \["(\w+)", "null"\]', r'"type": "\1", "nullable": true', json.dumps(document))
    return {**json.loads(text), "openapi": "3.0.3"}


VARIANTS = {
    "3.1 YAML": DEFINITION.read_bytes(),
    "3.1 JSON": json.dumps(REGISTER).encode(),
    "3.0": json.dumps(in_3_0(REGISTER)).encode(),
    "2.0": json.dumps(in_2_0(REGISTER, "register.example")).encode(),
}


def operation_of(document, **more):
    """The one operation of these paths."""
    return read({"openapi": "3.1.0", "info": {"title": "t", "version": "1"}, "paths": document, **more}).operations[0]


@pytest.mark.parametrize("variant", VARIANTS)
def test_the_same_service_gives_the_same_operations_in_every_version(variant):
    found = read(VARIANTS[variant], address="https://register.example/openapi")
    assert [operation.name for operation in found.operations] == [
        "list-trees",
        "find-tree",
        "draw-sheet",
        "list-care",
        "report-care",
        "list-districts",
    ]
    assert found.servers[0].address in ("https://register.example/v1", "http://register.example/v1")
    assert [(one.name, dump(one.sign_in)) for one in found.sign_ins] == [
        ("registerKey", {"type": "api_key", "name": "X-Register-Key"})
    ]
    assert (
        found.warnings == ()
        and found.left_out == ()
        and all(operation.warnings == () for operation in found.operations)
    )
    wanted = read(VARIANTS["3.1 JSON"], address="https://register.example/openapi")
    for one, other in zip(found.operations, wanted.operations, strict=True):
        assert (one.title, one.tags, one.sign_ins, one.name) == (other.title, other.tags, other.sign_ins, other.name)
        ours, theirs = dump(one.document), dump(other.document)
        for document in (ours, theirs):  # 2.0 has no examples of bodies, and its schemas are nullable in another way
            document.pop("responses", None)
            for each in document.get("inputs", []):
                each.pop("try_value", None)
        assert ours == theirs
        assert [(r.status, r.media_type) for r in one.document.responses] == [
            (r.status, r.media_type) for r in other.document.responses
        ]
        assert operation_problems(one.document) == []
    assert set(found.schemas) == {"Tree", "Species", "NewCare", "Care", "Conflict", "Refusal", "Reason"}


def test_an_imported_operation_can_be_tried_at_once_with_the_values_of_the_examples():
    found = {operation.name: operation.document for operation in read(VARIANTS["3.1 YAML"]).operations}
    report = found["report-care"]
    values = {one["name"]: one["try_value"] for one in dump(report.inputs) if "try_value" in one}
    request = build_request(report, "https://register.example/v1", checked_inputs(report.inputs, values)).request
    assert request.url == "https://register.example/v1/trees/OLM-00007/care"
    assert json.loads(request.body) == {
        "work": "pruned",
        "done_on": "2026-11-03",
        "crew": {"name": "West", "people": 3},
        "notes": "crown raised",
    }
    assert {one.name: one.required for one in report.inputs} == {
        "number": True, "work": True, "done_on": True, "hours": False, "crew_name": False, "crew_people": False,
        "notes": False,
    }  # fmt: skip
    listed = {one.name: one for one in found["list-trees"].inputs}
    assert (
        listed["limit"].default == 100
        and listed["min_girth"].type == "decimal"
        and listed["min_girth"].try_value == "1.5"
    )
    assert "metres" in listed["min_girth"].description and found["list-trees"].documentation.endswith("/trees")


def test_responses_are_kept_by_status_each_with_its_own_schema_and_circles_stay():
    found = read(VARIANTS["3.1 YAML"])
    report = next(operation for operation in found.operations if operation.name == "report-care").document
    assert [(response.status, response.schema) for response in report.responses] == [
        ("201", {"$ref": "#/$defs/Care"}), ("409", {"$ref": "#/$defs/Conflict"}), ("422", {"$ref": "#/$defs/Refusal"}),
    ]  # fmt: skip
    one_tree = next(operation for operation in found.operations if operation.name == "find-tree").document
    needed = schemas_needed([one_tree], found.schemas)
    assert set(needed) == {"Tree", "Species", "Refusal", "Reason"}
    assert {"$ref": "#/$defs/Tree"} in needed["Tree"]["properties"]["successor"]["anyOf"]


def test_parameter_styles_become_templates_and_query_styles():
    parameters = [
        {
            "name": "kinds",
            "in": "path",
            "required": True,
            "style": "matrix",
            "explode": True,
            "schema": {"type": "array"},
        },
        {"name": "part-of", "in": "path", "required": True, "style": "label", "schema": {"type": "string"}},
        {"name": "care", "in": "query", "style": "pipeDelimited", "explode": False, "schema": {"type": "array"}},
        {"name": "where", "in": "query", "style": "deepObject", "schema": {"type": "object"}},
        {"name": "rule", "in": "query", "content": {"application/json": {"schema": {"type": "object"}}}},
        {"name": "session", "in": "cookie", "schema": {"type": "string"}},
        {"name": "number", "in": "header", "schema": {"type": "integer"}},
        {"name": "number", "in": "query", "schema": {"type": "integer"}},
    ]
    found = operation_of({"/trees/{kinds}/{part-of}": {"get": {"operationId": "listTrees", "parameters": parameters}}})
    values = {
        "kinds": ["a", "b"],
        "part_of": "x",
        "care": ["p", "q"],
        "where": {"d": "Orti"},
        "rule": {"a": 1},
        "session": "s",
        "number": 7,
        "query_number": 8,
    }
    request = build_request(found.document, "https://r.example", checked_inputs(found.document.inputs, values)).request
    assert (
        request.url
        == "https://r.example/trees/;kinds=a;kinds=b/.x?care=p%7Cq&where%5Bd%5D=Orti&rule=%7B%22a%22:1%7D&number=8"
    )
    assert request.header("Cookie") == "session=s" and request.header("number") == "7"


def test_multipart_bodies_have_files_and_large_or_circular_ones_stay_whole():
    parts = {
        "type": "object",
        "properties": {"sheet": {"type": "string", "format": "binary"}, "note": {"type": "string"}},
    }
    sent = operation_of(
        {
            "/s": {
                "post": {
                    "operationId": "listTrees",
                    "requestBody": {"content": {"multipart/form-data": {"schema": parts}}},
                }
            }
        }
    )
    assert isinstance(sent.document.body, MultipartBody) and [part.encoding for part in sent.document.body.parts] == [
        "base64",
        "text",
    ]
    circle = {
        "Tree": {
            "type": "object",
            "properties": {"name": {"type": "string"}, "next": {"$ref": "#/components/schemas/Tree"}},
        }
    }
    body = {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/Tree"}}}}
    sent = operation_of(
        {"/s": {"post": {"operationId": "listTrees", "requestBody": body}}}, components={"schemas": circle}
    )
    assert isinstance(sent.document.body, JsonBody)
    assert [(one.name, one.type) for one in sent.document.inputs] == [("name", "text"), ("next", "json")]
    wide = {"type": "object", "properties": {f"p{n}": {"type": "string"} for n in range(100)}}
    sent = operation_of(
        {
            "/s": {
                "post": {"operationId": "listTrees", "requestBody": {"content": {"application/json": {"schema": wide}}}}
            }
        }
    )
    assert [(one.name, one.type) for one in sent.document.inputs] == [("body", "json")] and sent.document.body.members[
        0
    ].at == ""


def test_references_lead_across_files():
    main = {"openapi": "3.1.0", "info": {}, "paths": {"/trees": {"$ref": "paths/trees.yaml#/trees"}}}
    trees = (
        b"trees:\n  get:\n    operationId: listTrees\n    responses:\n      '200':\n        content:\n         "
        b" application/json:\n            schema: {$ref: '../schemas.json#/Tree'}\n"
    )
    others = {
        "paths/trees.yaml": trees,
        "schemas.json": (
            b'{"Tree": {"type": "object", "properties": {"of": {"$ref": "#/Kind"}}}, "Kind": {"type": "string"}}'
        ),
    }
    files = Files("api.json", {"api.json": json.dumps(main).encode()})
    assert files.outside() == ["paths/trees.yaml"]
    found = read(main, "api.json", **others)
    assert found.operations[0].document.responses[0].schema == {"$ref": "#/$defs/Tree"}
    assert found.schemas == {
        "Tree": {"type": "object", "properties": {"of": {"$ref": "#/$defs/Kind"}}},
        "Kind": {"type": "string"},
    }


@pytest.mark.parametrize(
    ("text", "where", "words"),
    [
        (b"<!doctype html><title>x</title>", "register.yaml", "page of HTML"),
        (b'{"openapi": "3.1.0", "paths": {"/trees": {', "line 1, column 4", "ends here"),
        (b"openapi: 3.1.0\npaths:\n  /trees:\n   get: [\n", "line 5", "not YAML"),
        (b'{"openapi": "4.0.0"}', "/openapi", "not read"),
        (b'{"paths": {}}', "register.yaml", "does not say its version"),
        (b'{"openApi": "3.1.0"}', "register.yaml", '"openApi"'),
        (b"just a text", "register.yaml", "no format"),
        (b"", "register.yaml", "no format"),
        (b"a: !!python/object/apply:os.system [ls]", "line 1, column 4", "tag"),
        (b"a: &a [x, x, x, x, x, x, x, x, x]\n" + b"".join(b"%c: &%c [%s]\n" % (n + 98, n + 98,
        b",".join([b"*%c" % (n + 97)] * 9)) for n in range(9)), "line ", "aliases"),
    ],
)  # fmt: skip
def test_what_is_no_definition_is_said_with_its_place(text, where, words):
    with pytest.raises(DocumentError) as caught:
        read(text)
    assert (
        where in caught.value.where
        and words in caught.value.message
        and (caught.value.hint or "YAML" in words or "alias" in words or "ends" in words)
    )


def test_a_broken_part_is_named_with_line_and_pointer_and_the_rest_is_offered():
    broken = DEFINITION.read_text().replace('"#/components/parameters/district"', '"#/components/parameters/distrikt"')
    broken = broken.replace("      operationId: findTree", "      operationId: listTrees").replace(
        "/trees/{number}/sheet.svg:", "trees/sheets:"
    )
    broken = broken.replace(
        'schema: {$ref: "#/components/schemas/NewCare"}', 'schema: {$ref: "#/components/schemas/NewKare"}'
    )
    found = read(broken)
    texts = [
        f"{warning.where} | {warning.message} | {warning.hint}"
        for operation in found.operations
        for warning in operation.warnings
    ]
    assert any(
        text.startswith(
            'register.yaml, line 25: /paths/~1trees/get/parameters/0 | it refers to "#/components/parameters/distrikt"'
        )
        and "district" in text
        for text in texts
    )
    assert any('another operation "listTrees"' in text for text in texts) and any(
        '"NewCare"?' in text for text in texts
    )
    assert [one.message for one in found.left_out] == [
        "trees/sheets: a path begins with /"
    ] and "line 68" in found.left_out[0].where
    assert [one.name for one in found.operations] == [
        "list-trees",
        "find-trees",
        "list-care",
        "report-care",
        "list-districts",
    ]
    assert len({one.name for one in found.operations}) == 5


def test_a_path_place_declared_nowhere_is_taken_as_a_required_text():
    one = operation_of({"/trees/{number}/{part}": {"get": {"operationId": "listTrees"}}})
    assert [(i.name, i.required) for i in one.document.inputs] == [
        ("number", True),
        ("part", True),
    ] and "declared nowhere" in one.warnings[0].message


def test_webhooks_alone_and_names_that_stand_twice_are_said():
    found = read(b'{"openapi": "3.1.0", "info": {}, "info": {}, "webhooks": {"planted": {"post": {}}}}')
    assert found.operations == () and {
        "webhooks" in warning.message or "duplicated" in warning.message for warning in found.warnings
    } == {True}


def test_circles_of_references_and_thousands_of_aliases_end():
    circle = {"a": {"$ref": "#/components/parameters/b"}, "b": {"$ref": "#/components/parameters/a"}}
    paths = {"/t": {"get": {"operationId": "listTrees", "parameters": [{"$ref": "#/components/parameters/a"}]}}}
    one = operation_of(paths, components={"parameters": circle})
    assert "leads back to itself" in one.warnings[0].message
    schemas = {
        f"S{n}": {"allOf": [{"$ref": f"#/components/schemas/S{(n + k) % 300}"} for k in (1, 2, 3)]} for n in range(300)
    }
    body = {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/S0"}}}}
    began = time.monotonic()
    one = operation_of(
        {"/t": {"post": {"operationId": "listTrees", "requestBody": body}}}, components={"schemas": schemas}
    )
    answers = {"200": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/S0"}}}}}
    one = operation_of(
        {"/t": {"get": {"operationId": "listTrees", "responses": answers}}}, components={"schemas": schemas}
    )
    nested = {
        f"N{n}": {
            "type": "object",
            "properties": {f"p{k}": {"$ref": f"#/components/schemas/N{n + 1}"} for k in range(9)},
        }
        for n in range(29)
    }
    found = read(
        {
            "openapi": "3.1.0",
            "paths": {
                "/n": {
                    "get": {
                        "responses": {
                            "200": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/N0"}}}}
                        }
                    }
                }
            },
            "components": {"schemas": nested},
        }
    )
    for document, known in (
        (one.document, read({"openapi": "3.1.0", "components": {"schemas": schemas}}).schemas),
        (found.operations[0].document, found.schemas),
    ):
        assert (
            isinstance(proposed_types([document], known), list)
            and fields_of(document.responses[0].schema, known) is not None
        )
    many = "openapi: 3.1.0\ninfo: &i {title: t}\npaths: {}\nx:\n" + "- *i\n" * 10_000
    assert read(many).operations == () and one is not None and time.monotonic() - began < 60


BASES = [REGISTER, in_2_0(REGISTER, "register.example")]
ANY = st.recursive(
    st.none()
    | st.booleans()
    | st.integers()
    | st.text(max_size=12)
    | st.sampled_from(["#/components/schemas/Tree", "#/paths", "x.json", "{a}", "string", "object"]),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(["$ref", "type", "schema", "in", "name", "get", "allOf", "properties", "content", "a"]),
            inner,
            max_size=3,
        )
    ),
    max_leaves=6,
)


def mutated(value, choices):
    """The document with some places replaced: `choices` are (how far along all places, what is put there)."""
    places = []

    def walk(one, path):
        places.append(path)
        for key, member in one.items() if isinstance(one, dict) else enumerate(one) if isinstance(one, list) else ():
            walk(member, (*path, key))

    walk(value, ())
    out = json.loads(json.dumps(value))
    for share, new in choices:
        path = places[1 + int(share * (len(places) - 2))]
        target = out
        try:
            for step in path[:-1]:
                target = target[step]
            target[path[-1]] = new
        except (KeyError, IndexError, TypeError):
            continue
    return out


@settings(max_examples=250, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.sampled_from(BASES), st.lists(st.tuples(st.floats(0, 1), ANY), min_size=1, max_size=6))
def test_however_a_document_is_broken_every_operation_is_read_or_listed(base, choices):
    value = mutated(base, choices)
    try:
        found = read(value)
    except RondineError as error:
        assert error.message and error.where
        return
    for operation in found.operations:
        load(OperationDocument, dump(operation.document))
        assert operation_problems(operation.document) == []
    paths = value.get("paths")
    if isinstance(paths, dict) and all(isinstance(path, dict) and "$ref" not in path for path in paths.values()):
        methods = sum(
            str(m).lower() in ("get", "put", "post", "delete", "options", "head", "patch")
            for p, one in paths.items()
            if p.startswith("/")
            for m in one
        )
        assert len(found.operations) + len(found.left_out) >= methods


@settings(max_examples=150, deadline=None)
@given(
    st.binary(max_size=200)
    | st.text(max_size=200).map(str.encode)
    | st.text(alphabet="&*-[]{}:,\n ab<>!|#\"'", max_size=80).map(str.encode)
)
def test_no_bytes_make_the_reader_fail_without_words(content):
    try:
        read(content)
    except RondineError as error:
        assert error.where


def test_thousands_of_faults_are_cut_and_the_cut_is_told():
    schemas = {f"S{number}": {"$ref": "#/components/schemas/Gone"} for number in range(2100)}
    text = json.dumps({"openapi": "3.1.0", "info": {"title": "a", "version": "1"}, "paths": {},
    "servers": [{} for _ in range(2100)], "components": {"schemas": schemas}})  # fmt: skip
    found = read_definition(Files("a.json", {"a.json": text.encode()}))
    assert len(found.warnings) == 2001 and found.warnings[-1].message == "there are more than 2,000 of these"
