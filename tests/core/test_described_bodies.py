"""Bodies that a definition describes: forms in their styles, parts in their media types, and what is not sent is told (OpenAPI 3.1, "Encoding Object")."""

import json

import pytest

from rondine.core.definitions import Files, read_definition
from rondine.core.protocols.rest import build_request

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


def read(body=None, *, method="post", version="3.1.0", **operation):
    value = {"operationId": "report", "responses": {"204": {"description": "kept"}}, **operation}
    if body is not None:
        value["requestBody"] = {"content": body}
    text = json.dumps({"openapi" if version != "2.0" else "swagger": version, "info": {"title": "r", "version": "1"}, "paths": {"/cases": {method: value}}})  # fmt: skip
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
    encoding = {"pictures": {"contentType": "image/*, image/png"}, "note": {"headers": {"X-Clerk": {}}}}
    found = read({"multipart/form-data": {"schema": schema, "encoding": encoding}})
    body = sent(found, {"tree": {"girth": 88}, "pictures": ["b25l", "dHdv"], "note": "old"})
    assert 'name="tree"\r\nContent-Type: application/json\r\n\r\n{"girth":88}' in body
    assert body.count('name="pictures"; filename="pictures"\r\nContent-Type: image/png\r\n\r\n') == 2
    assert "\r\n\r\none\r\n" in body and "\r\n\r\ntwo\r\n" in body
    assert 'name="note"\r\n\r\nold' in body
    assert [one.message for one in found.operations[0].warnings] == [
        "the headers of a part of a multipart body: not sent"
    ]


def test_what_is_not_sent_is_told():
    both = read(
        {"application/json": {"schema": {"type": "object"}}, "text/csv": {}, "application/merge-patch+json": {}}
    )
    assert [one.message for one in both.operations[0].warnings] == [
        "the body may be one of several kinds; application/json is sent, and not text/csv"
    ]
    reading = read({"application/json": {}}, method="get")
    assert "declared with a body" in reading.operations[0].warnings[0].message
    empty = read({"application/json": {"schema": {"type": "object", "properties": {}}}}, method="get")
    assert empty.operations[0].warnings == ()
    many = {f"application/vnd.case.v{number}+json": {} for number in range(5)}
    kept = read(responses={"200": {"description": "it", "content": many}})
    assert kept.operations[0].warnings[0].message == "a response of 5 media types: the first 3 are kept"
    assert "v3+json, application/vnd.case.v4+json" in kept.operations[0].warnings[0].hint
