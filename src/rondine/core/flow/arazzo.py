"""What Arazzo documents and flows have in common (OpenAPI Initiative, Arazzo 1.0.1): where an operation's inputs stand
in its request, and runtime expressions."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from rondine.core.documents.json import pointer_text
from rondine.core.http.retrying import RetryPolicy
from rondine.core.http.templates import template_names
from rondine.core.operations.document import FormBody, JsonBody, OperationDocument
from rondine.core.operations.values import ValueOf

VERSION = "1.0.1"
#: When the same may succeed later, by the service's answer: connections repeat the same ones by default.
MAY_PASS = " || ".join(f"$statusCode == {status}" for status in RetryPolicy().statuses)
#: Of steps, outputs and sources.
ODD = re.compile(r"[^A-Za-z0-9_-]+")


@dataclass(frozen=True, slots=True)
class Place:
    """Where an input's value is sent. within: path, query, header, cookie, or body.  name: there; in a body, a JSON
    Pointer (RFC 6901)."""

    within: str
    name: str


@dataclass(frozen=True, slots=True)
class AskedOperation:
    """An operation that a flow can ask. key: as a definition calls it, `GET /trees/{number}`.  media_type: of its
    body."""

    name: str
    service: str
    document: OperationDocument

    @property
    def key(self) -> str:
        came_from = self.document.came_from
        return came_from.key if came_from is not None else ""

    @property
    def media_type(self) -> str:
        body = self.document.body
        return body.media_type if isinstance(body, JsonBody) else "application/x-www-form-urlencoded"


def places_of(operation: OperationDocument) -> dict[str, Place]:
    """By the input's name; inputs that are only a part of what is sent, and those of other bodies than JSON and forms,
    have none."""
    found = {name: Place("path", name) for name in template_names(operation.path)}
    for within, group in (("query", operation.query), ("header", operation.headers), ("cookie", operation.cookies)):
        for one in group:
            if one.enabled and isinstance(one.value, ValueOf) and one.value.input:
                found[one.value.input] = Place(within, one.name)
    body = operation.body
    if isinstance(body, JsonBody):
        for member in body.members:
            if isinstance(member.value, ValueOf) and member.value.input:
                found[member.value.input] = Place("body", member.at)
    if isinstance(body, FormBody):
        for field in body.fields:
            if isinstance(field.value, ValueOf) and field.value.input:
                found[field.value.input] = Place("body", pointer_text((field.name,)))
    return found


def is_expression(value: Any) -> bool:
    """Whether a constant would be read as a runtime expression, or has one in it."""
    return isinstance(value, str) and (value.startswith("$") or "{$" in value)


def inside(value: Any, at: str = "") -> Mapping[str, Any]:
    """The single values of a payload by their places; lists and objects without members among them."""
    if isinstance(value, dict) and value:
        return {
            place: one
            for name, inner in value.items()
            for place, one in inside(inner, at + pointer_text((name,))).items()
        }
    return {at: value}
