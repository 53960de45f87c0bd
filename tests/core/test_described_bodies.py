"""Bodies that a definition describes: forms in their styles, parts in their media types, and what is not sent is told
(OpenAPI 3.1, "Encoding Object")."""

import json

import pytest

from rondine.core.definitions import Files, read_definition
from rondine.core.definitions.compare import merged
from rondine.core.definitions.compare_schemas import SchemaComparison
from rondine.core.definitions.export import ExportedOperation, to_openapi
from rondine.core.errors import InputError
from rondine.core.protocols.body_choice import with_body_as
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import build_request
from rondine.core.settings import dump

CASES = {
    "type": "object",
    "properties": {
        "signs": {"type": "array", "items": {"type": "string"}},
        "joined": {"type": "array", "items": {"type": "string"}},
        "barred": {"type": "array", "items": {"type": "string"}},
        "tree": {"type": "object", "properties": {"girth": {"type": "integer"}}},
        "deep": {"type": "object"},
    },
}
ENCODING = {
    "joined": {"style": "form", "explode": False},
    "barred": {"style": "pipeDelimited", "explode": False},
    "deep": {"style": "deepObject", "explode": True},
}
GIVEN = {
    "signs": ["dry", "leaning"],
    "joined": ["dry", "leaning"],
    "barred": ["dry", "leaning"],
    "tree": {"girth": 88},
    "deep": {"at": {"park": "Lindenhof"}},
}


def read(body=None, *, method="post", version="3.1.0", is_required=False, **operation):
    value = {"operationId": "report", "responses": {"204": {"description": "kept"}}, **operation}
    if body is not None:
        value["requestBody"] = {"content": body, "required": is_required}
    text = json.dumps({"openapi" if version != "2.0" else "swagger": version, "info": {"title": "r", "version": "1"},
    "paths": {"/cases": {method: value}}})  # fmt: skip
    return read_definition(Files("r.json", {"r.json": text.encode()}), "https://register.example/r.json")


def sent(definition, given):
    document = definition.operations[0].document
    return build_request(document, "https://register.example", given).request.sent_body.decode()


def test_a_form_writes_lists_and_objects_in_their_styles():
    found = read({"application/x-www-form-urlencoded": {"schema": CASES, "encoding": ENCODING}})
    assert sent(found, GIVEN).split("&") == [
        "signs=dry",
        "signs=leaning",
        "joined=dry%2Cleaning",
        "barred=dry%7Cleaning",
        "tree=%7B%22girth%22%3A88%7D",
        "deep%5Bat%5D%5Bpark%5D=Lindenhof",
    ]


@pytest.mark.parametrize(
    ("form", "wanted"),
    [
        (None, "signs=dry%2Cleaning"),
        ("multi", "signs=dry&signs=leaning"),
        ("pipes", "signs=dry%7Cleaning"),
        ("ssv", "signs=dry+leaning"),
    ],
)
def test_openapi_2_says_how_a_list_in_a_form_is_written(form, wanted):
    parameter = {"name": "signs", "in": "formData", "type": "array", "items": {"type": "string"}}
    found = read(version="2.0", parameters=[{**parameter, **({"collectionFormat": form} if form else {})}])
    assert sent(found, {"signs": ["dry", "leaning"]}) == wanted


def test_parts_have_the_media_type_of_what_they_hold_and_a_list_of_files_is_a_part_each():
    schema = {
        "type": "object",
        "properties": {
            "tree": {"type": "object"},
            "pictures": {"type": "array", "items": {"type": "string", "format": "binary"}},
            "note": {"type": "string"},
        },
    }
    encoding = {"pictures": {"contentType": "image/*, image/png"}, "note": {"headers": {"X-Clerk": {}, "a b": {}}}}
    found = read({"multipart/form-data": {"schema": schema, "encoding": encoding}})
    body = sent(found, {"tree": {"girth": 88}, "pictures": ["b25l", "dHdv"], "note": "old", "note_X_Clerk": "Mira"})
    assert 'name="tree"\r\nContent-Type: application/json\r\n\r\n{"girth":88}' in body
    assert body.count('name="pictures"; filename="pictures"\r\nContent-Type: image/png\r\n\r\n') == 2
    assert "\r\n\r\none\r\n" in body and "\r\n\r\ntwo\r\n" in body
    assert 'name="note"\r\nX-Clerk: Mira\r\n\r\nold' in body
    assert [warning.message for warning in found.operations[0].warnings] == ['"a b" is not a header']
    assert 'name="note"\r\n\r\nold' in sent(found, {"note": "old"})
    with pytest.raises(InputError, match='header "X-Clerk" has a line break'):
        sent(found, {"note": "old", "note_X_Clerk": "a\r\nX-Other: b"})


TREE = {
    "type": "object",
    "required": ["number", "place"],
    "properties": {
        "number": {"type": "string"},
        "kind": {"const": "tree"},
        "note": {"type": "string", "default": "none"},
        "place": {
            "type": "object",
            "required": ["street"],
            "properties": {"street": {"type": "string"}, "house": {"type": "integer"}},
        },
        "owner": {
            "type": "object",
            "required": ["name", "kind"],
            "properties": {"name": {"type": "string"}, "kind": {"const": "office"}, "desk": {"type": "string"}},
        },
    },
}


def body_of(operation, given):
    return build_request(operation.document, "https://register.example", given).request.sent_body


def test_an_optional_body_is_left_out_whole_or_has_all_that_it_requires():
    one = read({"application/json": {"schema": TREE}}).operations[0]
    assert [each.name for each in one.document.inputs if each.required] == []
    assert body_of(one, {}) == b""
    whole = {"number": "OLM-00001", "place_street": "Weir Path"}
    assert json.loads(body_of(one, whole)) == {"number": "OLM-00001", "place": {"street": "Weir Path"}}
    with pytest.raises(InputError) as caught:
        body_of(one, {"note": "old"})
    assert caught.value.where == "/number" and 'the body is sent with "note"' in caught.value.message
    with pytest.raises(InputError, match='the input "place_street" is required: the body is sent with "number"'):
        body_of(one, {"number": "OLM-00001", "place_house": 4})


def test_an_optional_object_within_a_body_takes_its_fixed_and_required_members_along():
    one = read({"application/json": {"schema": TREE}}, is_required=True).operations[0]
    assert [each.name for each in one.document.inputs if each.required] == ["number", "place_street"]
    whole = {"number": "OLM-00001", "place_street": "Weir Path"}
    assert "owner" not in json.loads(body_of(one, whole))
    owner = json.loads(body_of(one, {**whole, "owner_name": "Mira", "note": "old"}))["owner"]
    assert owner == {"name": "Mira", "kind": "office"}
    with pytest.raises(InputError, match='"owner_name" is required: "owner" is sent with "owner_desk"'):
        body_of(one, {**whole, "owner_desk": "3"})


@pytest.mark.parametrize("media", ["application/x-www-form-urlencoded", "multipart/form-data"])
def test_an_optional_form_is_left_out_whole_or_has_all_that_it_requires(media):
    schema = {"type": "object", "required": ["number"], "properties": {"number": {}, "note": {"type": "string"}}}
    one = read({media: {"schema": schema}}).operations[0]
    built = build_request(one.document, "https://register.example", {})
    assert built.request.sent_body == b"" and built.request.header("Content-Type") is None
    assert b"OLM-00001" in body_of(one, {"number": "OLM-00001"})
    with pytest.raises(InputError, match='the input "number" is required: the body is sent with "note"'):
        body_of(one, {"note": "old"})


@pytest.mark.parametrize("media", ["application/json", "application/x-www-form-urlencoded", "multipart/form-data"])
@pytest.mark.parametrize("is_required", [True, False])
def test_what_a_body_requires_is_written_out_and_read_in_again(media, is_required):
    schema = TREE if media == "application/json" else {**TREE, "properties": {"number": {"type": "string"},
    "note": {"type": "string"}}, "required": ["number"]}  # fmt: skip
    encoding = {"note": {"headers": {"X-Clerk": {"schema": {"type": "string"}}}}} if "multipart" in media else {}
    first = read({media: {"schema": schema, "encoding": encoding}}, is_required=is_required).operations[0]
    out = to_openapi(
        title="r", operations=[ExportedOperation(first.name, first.title, first.document)], schemas={}, address=""
    )
    files = Files("r.json", {"r.json": json.dumps(out.document).encode()})
    again = read_definition(files, "https://register.example/r.json").operations[0]
    assert dump(again.document) == dump(first.document)


def test_headers_of_responses_are_kept_and_written_out():
    headers = {
        "X-Left": {"description": "calls that are left", "required": True, "schema": {"type": "integer"}},
        "content-type": {"schema": {"type": "string"}},
        "no header": {},
    }
    first = read(responses={"200": {"description": "it", "headers": headers}}).operations[0]
    assert dump(first.document.responses[0].headers) == [
        {"name": "X-Left", "schema": {"type": "integer"}, "required": True, "description": "calls that are left"}
    ]
    assert [warning.message for warning in first.warnings] == ['"no header" is not a header']
    out = to_openapi(title="r", operations=[ExportedOperation("a", "A", first.document)], schemas={}, address="")
    assert out.document["paths"]["/cases"]["post"]["responses"]["200"]["headers"] == {"X-Left": headers["X-Left"]}
    old = {"X-Left": {"type": "integer", "description": "calls that are left"}}
    read_old = read(version="2.0", responses={"200": {"description": "it", "headers": old}}).operations[0]
    assert read_old.document.responses[0].headers[0].schema == {"type": "integer"}


PATCH = {"type": "array", "items": {"type": "object"}}
KINDS = {
    "text/csv": {},
    "application/x-www-form-urlencoded": {"schema": {"type": "object", "properties": {"note": {"type": "string"},
    "id": {"type": "integer"}}}},
    "application/json": {"schema": {"type": "object", "properties": {"note": {"type": "string"}}}},
    "text/json": {"schema": {"type": "object", "properties": {"note": {"type": "string"}}}},
    "application/json-patch+json": {"schema": PATCH},
    "*/*": {},
}  # fmt: skip


def test_a_body_of_any_of_the_media_types_can_be_chosen():
    one = read(KINDS, is_required=True, parameters=[{"name": "id", "in": "query", "schema": {"type": "string"}}])
    first = one.operations[0].document
    assert one.operations[0].warnings == ()
    assert [each.media_type for each in first.other_bodies] == [
        "application/json-patch+json",
        "application/x-www-form-urlencoded",
        "text/csv",
    ]
    form = with_body_as(first, "application/x-www-form-urlencoded")
    assert [each.name for each in form.inputs] == ["id", "note", "body_id"]
    built = build_request(form, "https://register.example", {"id": "a", "note": "old", "body_id": 7}).request
    assert (built.url[-5:], built.sent_body) == ("?id=a", b"note=old&id=7")
    assert built.header("Content-Type") == "application/x-www-form-urlencoded"
    again = with_body_as(with_body_as(form, "text/csv"), "application/json")
    assert dump(again) == dump(first) and operation_problems(form) == []
    with pytest.raises(InputError, match='no body of the type "text/cs"') as caught:
        with_body_as(first, "text/cs")
    assert caught.value.hint == 'did you mean "text/csv"?'
    alone = read(consumes=["application/xml", "application/json"], version="2.0", parameters=[{"name": "b",
    "in": "body", "schema": PATCH}])  # fmt: skip
    assert alone.operations[0].document.body.media_type == "application/json"
    assert [each.media_type for each in alone.operations[0].document.other_bodies] == ["application/xml"]


def test_a_chosen_body_stays_when_its_definition_says_something_else():
    before, now = (
        read({**KINDS, "text/csv": {"example": example}}).operations[0].document for example in ("a;b", "a;c")
    )
    schemas = SchemaComparison({}, {})
    chosen = with_body_as(before, "text/csv")
    found = merged(before, now, chosen, schemas)
    assert found.document.body.media_type == "text/csv" and found.document.inputs[-1].try_value == "a;c"
    assert [(difference.unit, difference.now, difference.is_kept) for difference in found.differences] == [
        ("inputs/body/try_value", "a;c", False)
    ]
    assert merged(before, before, chosen, schemas).differences == []
    gone = read({"application/json": KINDS["application/json"]}).operations[0].document
    without = merged(before, gone, chosen, schemas)
    assert without.document.body == gone.body and [one.name for one in without.document.inputs] == ["note"]
    assert "body/" in [difference.unit for difference in without.differences]


def test_what_is_not_sent_is_told():
    kinds = read({"application/json": {}, **{f"text/kind{number}": {} for number in range(5)}})
    assert [(warning.message, warning.hint) for warning in kinds.operations[0].warnings] == [
        ("the body may be one of 6 kinds: the first 4 are kept", "left out: text/kind3, text/kind4")
    ]
    reading = read({"application/json": {}}, method="get")
    assert "declared with a body" in reading.operations[0].warnings[0].message
    empty = read({"application/json": {"schema": {"type": "object", "properties": {}}}}, method="get")
    assert empty.operations[0].warnings == ()
    many = {f"application/vnd.case.v{number}+json": {} for number in range(5)}
    kept = read(responses={"200": {"description": "it", "content": many}})
    assert kept.operations[0].warnings[0].message == "a response of 5 media types: the first 3 are kept"
    assert "v3+json, application/vnd.case.v4+json" in kept.operations[0].warnings[0].hint
