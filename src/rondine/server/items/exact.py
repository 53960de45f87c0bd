"""JSON in the database with every digit of its numbers: documents and schemas hold decimals that no double does."""

import json
from typing import Any

import msgspec
from django.db import models

from rondine.core.documents.json import plain_decimal

_encode = msgspec.json.Encoder(decimal_format="number").encode


class ExactEncoder(json.JSONEncoder):
    """Decimals as numbers. What jsonb cannot hold, U+0000, becomes U+FFFD: it has no meaning in a document."""

    def encode(self, o: Any) -> str:
        try:
            text = _encode(o).decode()
        except UnicodeEncodeError:  # half surrogates
            text = _encode(json.loads(json.dumps(o, default=str).encode("utf-8", "replace"))).decode()
        return text.replace("\\u0000", "\\ufffd") if "\\u0000" in text else text


class ExactDecoder(json.JSONDecoder):
    """Numbers with a fraction as floats where those hold every digit, else as decimals."""

    def __init__(self, **options: Any) -> None:
        super().__init__(**{**options, "parse_float": plain_decimal})


class ExactJSONField(models.JSONField):
    def __init__(self, *arguments: Any, **options: Any) -> None:
        super().__init__(*arguments, **{"encoder": ExactEncoder, "decoder": ExactDecoder, **options})

    def deconstruct(self) -> Any:
        """To migrations it is a JSONField, as the column is the same."""
        name, _, arguments, options = super().deconstruct()
        return (
            name,
            "django.db.models.JSONField",
            arguments,
            {key: one for key, one in options.items() if key not in ("encoder", "decoder")},
        )
