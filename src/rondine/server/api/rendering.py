"""JSON in and out by msgspec: exact, strict, and quick."""

import uuid
from datetime import datetime
from decimal import Decimal
from typing import Any

import msgspec
from django.utils.functional import Promise
from rest_framework.parsers import BaseParser
from rest_framework.renderers import BaseRenderer

from rondine.core.definitions.files import ODD
from rondine.core.documents import read_json
from rondine.core.documents.json import plain_decimal
from rondine.server.api.plain import check_plain


def _plain(value: Any) -> Any:
    if isinstance(value, (uuid.UUID, Promise)):
        return str(value)
    if isinstance(value, dict):
        return dict(value)
    if isinstance(value, (list, tuple)):
        return list(value)
    if isinstance(value, datetime):
        return value.isoformat()
    raise TypeError(f"{type(value).__name__} is not a JSON value")


_encoder = msgspec.json.Encoder(enc_hook=_plain, decimal_format="number")


class JsonRenderer(BaseRenderer):
    media_type = "application/json"
    format = "json"
    charset = None

    def render(self, data: Any, accepted_media_type: str | None = None, renderer_context: Any = None) -> bytes:
        return b"" if data is None else _encoder.encode(data)


class JsonParser(BaseParser):
    """Reads what the core reads: malformed text is told with line and column. Whole floats become int, so that decimals
    arrive exactly."""

    media_type = "application/json"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        body = stream.read()
        value = read_json(body, name="the request's body") if body else {}
        if ODD.search(body):  # few have such escapes: all others are not gone through for them
            check_plain(value)
        return plain_numbers(value)


def plain_numbers(value: Any) -> Any:
    """Decimals become floats where those hold every digit."""
    if isinstance(value, Decimal):
        return plain_decimal(value)
    if isinstance(value, dict):
        return {name: plain_numbers(one) for name, one in value.items()}
    return [plain_numbers(one) for one in value] if isinstance(value, list) else value
