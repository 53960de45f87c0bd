"""What the service answers, held against its own description: no member more, none less, of the types that
docs/openapi.json tells."""

import json
import re
from functools import cache
from pathlib import Path
from typing import Any

import httpx
import jsonschema_rs

#: The ports at which a Rondine listens, whose answers are looked at.
PORTS: set[int] = set()
DESCRIPTION = Path(__file__).resolve().parent.parent / "docs" / "openapi.json"
STREAMED = ("text/event-stream", "application/x-ndjson", "application/octet-stream")


@cache
def description() -> dict[str, Any]:
    """docs/openapi.json, its objects closed: a member that is not described is a fault."""
    return _closed(json.loads(DESCRIPTION.read_text()))  # type: ignore[no-any-return]


def _closed(node: Any) -> Any:
    if isinstance(node, list):
        return [_closed(one) for one in node]
    if not isinstance(node, dict):
        return node
    closed = {name: _closed(one) for name, one in node.items()}
    if isinstance(node.get("properties"), dict) and node.get("type") == "object":
        closed.setdefault("additionalProperties", False)
    return closed


@cache
def _paths() -> list[tuple[re.Pattern[str], str]]:
    """Patterns of all paths, those with the fewest parameters first: a fixed word goes before a parameter."""
    paths = sorted(description()["paths"], key=lambda path: (path.count("{"), -len(path)))
    return [(re.compile(re.sub(r"\\{(\w+)\\}", _one_part, re.escape(path)) + "$"), path) for path in paths]


def _one_part(parameter: re.Match[str]) -> str:
    return ".+" if parameter[1] == "key" else "[^/]+"


@cache
def _validator(path: str, method: str, status: str, media_type: str) -> jsonschema_rs.Draft202012Validator | None:
    responses = description()["paths"][path].get(method, {}).get("responses", {})
    content = responses.get(status, responses.get("default", {})).get("content", {})
    found = content.get(media_type, content.get("*/*"))
    if found is None:
        return None
    schema = found.get("schema", {})
    return jsonschema_rs.Draft202012Validator({**schema, "components": {"schemas": _needed(schema)}})


def _needed(schema: Any) -> dict[str, Any]:
    """The schemas that one refers to, and that those refer to."""
    known, needed, pending = description()["components"]["schemas"], {}, [schema]
    while pending:
        for name in re.findall(r'"#/components/schemas/([^"]+)"', json.dumps(pending.pop())):
            if name not in needed:
                needed[name] = known[name]
                pending.append(known[name])
    return needed


def check(response: httpx.Response) -> None:
    """Raises AssertionError where a response is not as the description says."""
    request = response.request
    path = next(
        (path for pattern, path in _paths() if pattern.match(request.url.raw_path.decode().partition("?")[0])), ""
    )
    if not path:
        return
    media_type = response.headers.get("content-type", "").partition(";")[0]
    said = f"{request.method} {path}: {response.status_code} {media_type}"
    operation = description()["paths"][path].get(request.method.lower())
    if operation is None:
        assert response.status_code >= 400 and media_type == "application/problem+json", f"{said} is not described"
        return
    if response.status_code == 204 or request.method == "HEAD":
        assert not response.content, said
        return
    status = str(response.status_code)
    assert status in operation["responses"] or response.status_code >= 400, f"{said}: this status is not described"
    validator = _validator(path, request.method.lower(), status, media_type)
    assert validator is not None, f"{said}: this kind of content is not described"
    answers = operation["responses"].get(status, operation["responses"].get("default", {}))
    is_bytes = media_type in STREAMED or media_type.startswith("image/")
    if is_bytes or media_type not in answers.get("content", {}):  # streams, pictures, and content of any kind
        return
    wrong = [
        f"/{'/'.join(map(str, error.instance_path))}: {error.message[:300]}"
        for error in validator.iter_errors(response.json())
    ]
    assert not wrong, "\n".join([f"{said} is not as described", *wrong[:10]])


def watch(patch: Any) -> None:
    """From now on each whole response that httpx brings from a Rondine is checked."""
    send = httpx.Client.send

    def checked(self: httpx.Client, request: httpx.Request, *, stream: bool = False, **options: Any) -> httpx.Response:
        response = send(self, request, stream=stream, **options)
        if not stream and response.url.port in PORTS:
            check(response)
        return response

    patch.setattr(httpx.Client, "send", checked)
