"""What every view asks of a request: strict input, versions, page sizes, marks of sendings."""

import re
from collections.abc import Mapping
from typing import Any

from django.core.validators import MaxLengthValidator
from drf_spectacular.utils import OpenApiParameter
from rest_framework import serializers
from rest_framework.request import Request

from rondine.core.errors import InputError
from rondine.server.api.problems import unknown_field

#: Members that hold what somebody pastes or uploads; other texts are names and a few words.
CONTENTS = frozenset({"text", "base64", "content", "asked", "query", "address"})
MOST_TEXT = 10_000


class Strict(serializers.Serializer[Any]):
    """Refuses unknown fields by name, with the nearest known one, and texts that are longer than anybody would
    write."""

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        for name, field in fields.items():
            if isinstance(field, serializers.CharField) and not field.max_length and name not in CONTENTS:
                field.max_length = MOST_TEXT
                field.validators.append(MaxLengthValidator(MOST_TEXT))
        return fields

    def to_internal_value(self, data: Any) -> Any:
        if not isinstance(data, Mapping):
            raise serializers.ValidationError({"non_field_errors": ["an object is expected"]})
        known = [name for name, field in self.fields.items() if not field.read_only]
        for name in data:
            if name not in known:
                raise unknown_field(name, known)
        return super().to_internal_value(data)


def checked(serializer: type[serializers.Serializer[Any]], request: Request, **options: Any) -> Any:
    """The checked body. Raises a validation error for every wrong field."""
    found = serializer(data=request.data, **options)
    found.is_valid(raise_exception=True)
    return found.validated_data


def seen_version(request: Request) -> int | None:
    """The version in If-Match (RFC 9110, section 13.1.1), None without the header. Raises InputError for anything else
    than one strong tag."""
    text = request.META.get("HTTP_IF_MATCH")
    if text is None:
        return None
    found = re.fullmatch(r'"(\d{1,9})"', text.strip())
    if not found:
        raise InputError(
            f"{text[:40]} is not a version", where="If-Match", hint='send the ETag that came with the item, such as "3"'
        )
    return int(found.group(1))


def checked_limit(text: str | None, default: int = 50) -> int:
    """The page size that a query asks for."""
    if text is None:
        return default
    if not text.isdigit() or not 1 <= int(text) <= 500:
        raise InputError(f'"{text[:20]}" is not a page size', where="?limit", hint="give a number from 1 to 500")
    return int(text)


SENDING_MARK = OpenApiParameter(
    "Idempotency-Key",
    str,
    OpenApiParameter.HEADER,
    description=(
        "a mark of what is to be sent, such as a UUID: asked for again with it within a day, nothing is sent, and the"
        " answer is what became of it"
    ),
)


def sending_mark(request: Request) -> str:
    """The `Idempotency-Key` of a request, empty without one (draft-ietf-httpapi-idempotency-key-header; quotes around
    it may be left out)."""
    text = request.META.get("HTTP_IDEMPOTENCY_KEY", "").strip()
    found = re.fullmatch(r'"?([\x21\x23-\x7e]{8,100})"?', text)
    if text and not found:
        raise InputError(
            f"{text[:40]!a} is not a mark",
            where="Idempotency-Key",
            hint="send 8 to 100 printable characters, such as a UUID, another one for everything that is to be sent",
        )
    return found.group(1) if found else ""
