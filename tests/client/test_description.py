"""What the library asks and gives is what docs/openapi.json says: every route, its parameters, and the shapes."""

import inspect
import json
import re
import sys
from pathlib import Path

import pytest

from rondine_client import Application, Client
from rondine_client.requests import Pages, Request, Stream, _Sending, call

ROOT = Path(__file__).resolve().parent.parent.parent
sys.path.insert(0, str(ROOT / "tools"))
import client_types  # noqa: E402

DOCUMENT = json.loads((ROOT / "docs/openapi.json").read_text())
BY_BROWSERS = {("POST", "/session"), ("DELETE", "/session")}
BY_SERVICES = {("POST", "/hooks/{project}/{name}"), ("GET", "/hooks/{project}/{name}")}
ARGUMENTS = {
    "int": 1,
    "bool": True,
    "bytes": b"x",
    "Content": ("r.json", b"{}", "application/json"),
    "Sequence[str]": ["x"],
    "Mapping[str, Any]": {"x": 1},
    "str | Json": "x",
    "str | int | bool | None": 1,
    "Json": {"x": 1},
    "Report | None": None,
    "Mapping[str, tuple[bytes, str]] | None": {"x": (b"x", "")},
    "bytes | None": b"x",
    "Mapping[str, Any] | None": {"x": 1},
    "Mapping[str, Content] | None": {"x": ("x", b"x", "")},
    "Mapping[str, str]": {"x": "x"},
    "Mapping[str, str] | None": {"x": "x"},
    "Json | None": {"x": 1},
    "Sequence[str] | None": ["x"],
    "Sequence[Json]": [],
    "int | None": 1,
    "float | None": 1.0,
}


def resources():
    client = Client(token="none")
    project = client.project("p")
    parts = [part for part in vars(project).values() if hasattr(part, "client") and hasattr(part, "request")]
    use = Application("p", "test", token="none")
    return [client, project, client.people, client.projects, client.tokens, client.people.tokens("x"), use, *parts]


def described():
    """Each method of each resource, once described: (its name, what it describes, its requests, what it gives)."""
    for resource in resources():
        for name, member in inspect.getmembers(type(resource), lambda member: isinstance(member, _Sending)):
            parameters = list(inspect.signature(member.describe).parameters.values())[1:]
            args, kwargs = [], {}
            for parameter in parameters:
                value = ARGUMENTS.get(str(parameter.annotation), "x")
                if parameter.kind == parameter.KEYWORD_ONLY:
                    kwargs[parameter.name] = value
                elif parameter.kind != parameter.VAR_KEYWORD:
                    args.append(value)
            made = member.describe(resource, *args, **kwargs)
            yield (
                f"{type(resource).__name__}.{name}",
                made,
                requests_of(made),
                member.describe.__annotations__["return"],
            )


def requests_of(made):
    if isinstance(made, Request):
        return [made]
    if isinstance(made, Pages | Stream):
        return [made.request]
    found = []
    try:  # one request after another
        asked = next(made)
        while True:
            found.append(asked)
            asked = made.send({"version": 1, "document": {}, "token": "x"})
    except StopIteration:
        return found


def operation_of(request):
    """The operation of the document that a request is for."""
    fits = []
    for path, operations in DOCUMENT["paths"].items():
        template = path.removeprefix("/api/v1")
        pattern = re.sub(r"\\\{[^}]*\\\}", "[^/]+", re.escape(template))
        if re.fullmatch(pattern, request.path) and request.method.lower() in operations:
            fits.append((template.count("{"), template, operations[request.method.lower()]))
    return min(fits, key=lambda fit: fit[0])[1:] if fits else None


ALL = list(described())


def test_every_request_is_one_of_the_document_with_its_parameters():
    for name, _, requests, _ in ALL:
        for request in requests:
            found = operation_of(request)
            assert found, f"{name}: {request.method} {request.path} is not there"
            known = {one["name"] for one in found[1].get("parameters", []) if one["in"] == "query"}
            assert set(request.query) <= known or "inputs" in known, f"{name}: {request.query}"
            if request.contents:
                assert "multipart/form-data" in found[1]["requestBody"]["content"], name


def test_every_route_is_offered():
    asked = set()
    for _, _, requests, _ in ALL:
        for request in requests:
            asked.add((request.method, operation_of(request)[0]))
    every = {
        (method.upper(), path.removeprefix("/api/v1"))
        for path, operations in DOCUMENT["paths"].items()
        for method in operations
        if method in ("get", "post", "put", "patch", "delete")
    }
    assert every - asked == BY_BROWSERS | BY_SERVICES


def test_what_each_call_gives_is_the_shape_that_the_document_says():
    looked = 0
    for name, made, requests, annotation in ALL:
        request = requests[0] if isinstance(made, Request | Pages) else None
        stated = re.search(r"types\.(\w+)", annotation)
        if request is None or stated is None or request.member:
            continue
        looked += 1
        responses = operation_of(request)[1]["responses"]
        schema = next(
            response["content"]["application/json"]["schema"]
            for status, response in responses.items()
            if status.startswith("2")
        )
        is_list = isinstance(made, Pages) and "Replies" not in type(made).__name__  # whose pages are the items
        if is_list:
            page = DOCUMENT["components"]["schemas"][schema["$ref"].rpartition("/")[2]]
            schema = page["properties"]["items"]
        assert ("list[" in annotation) == (schema.get("type") == "array" and not isinstance(made, Pages)), name
        ref = schema.get("items", schema)["$ref"]
        assert ref.rpartition("/")[2] == stated.group(1), name
    assert looked > 60


def test_the_shapes_are_those_of_the_document():
    assert client_types.TARGET.read_text() == client_types.formatted(client_types.types_of(DOCUMENT)), (
        "run python tools/client_types.py"
    )


def test_a_shape_says_what_may_be_left_out_and_what_may_be_nothing():
    response = {"200": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/Tree"}}}}}
    schemas = {
        "Tree": {
            "required": ["number", "from"],
            "properties": {
                "number": {"type": "string"},
                "from": {"type": ["integer", "null"]},
                "crown": {"anyOf": [{"type": "null"}, {"$ref": "#/components/schemas/a.crown.Shape"}]},
            },
        },
        "a.crown.Shape": {"enum": ["round", "wide"]},
        "Unused": {"type": "string"},
    }
    text = client_types.types_of(
        {"paths": {"/t": {"get": {"responses": response}}}, "components": {"schemas": schemas}}
    )
    assert '"from": "int | None"' in text and '"crown": "NotRequired[CrownShape | None]"' in text
    assert "CrownShape = Literal['round', 'wide']" in text and "Unused" not in text


def test_a_description_keeps_its_words_for_readers():
    method = Client().project("p").connections.check
    assert method.__doc__.startswith("Whether it works") and method.__name__ == "check"
    assert list(inspect.signature(method).parameters) == ["name", "where"]
    assert isinstance(type(Client().project("p").connections).check, call)


def test_a_list_is_asked_for_no_further_than_it_is_wanted():
    pages = Pages(Request("GET", "/runs", query={"limit": 2}), limit=3)
    page = {"items": [{"id": 1}, {"id": 2}], "next": "n1"}
    assert pages.items(page) == page["items"]
    rest = pages.following(page)
    assert (rest.limit, rest.request.query) == (1, {"limit": 2, "after": "n1"})
    assert rest.items(page) == [{"id": 1}] and rest.following(page) is None
    assert Pages(Request("GET", "/runs")).following({"items": [], "next": None}) is None


@pytest.mark.parametrize("content", [b"", b"null"])
def test_an_answer_without_content_is_none(content):
    assert Request("DELETE", "/x").answer(content) is None
