"""Mapped rows made ready to be kept: key, digest, exact JSON and content hash.

The data is written once, canonically (numbers normalised, fields in the record type's order), so that equal contents
are equal bytes: 2 and 2.0 are the same, null and missing are not. Digest and hash are BLAKE2b of 16 bytes.
"""

import json as stdlib_json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from hashlib import blake2b
from typing import Any

import msgspec

from rondine.core.conversions.types import to_decimal
from rondine.core.documents.json import json_text
from rondine.core.errors import InputError
from rondine.core.mapping.compile import CompiledOutput, FieldProblem, Mapped, Reject
from rondine.core.mapping.document import RecordTypeDocument

_encode = msgspec.json.Encoder(decimal_format="number").encode


class EncodedRow(msgspec.Struct, frozen=True, gc=False, array_like=True):
    """digest: of the key.  key: its values as a JSON list.  hash: of the data.  data: JSON.  ordinal: the row in its
    response."""

    digest: bytes
    key: str
    hash: bytes
    data: bytes
    ordinal: int


def key_text(values: Sequence[Any]) -> str:
    """The canonical form of a key: a JSON list of its values."""
    return _encode(values).decode()


def key_digest(key: str) -> bytes:
    return blake2b(key.encode(), digest_size=16).digest()


def encode_rows(output: CompiledOutput, mapped: Mapped) -> tuple[list[EncodedRow], list[Reject]]:
    """The rows to keep, and all rejects: those of the mapping, and rows with text that PostgreSQL cannot hold."""
    encoded: list[EncodedRow] = []
    rejects = list(mapped.rejects)
    names = output.key
    for ordinal, data in zip(mapped.ordinals, mapped.data, strict=True):
        try:
            body = _encode(data)
            if b"\\u0000" in body and _holds_nul(data):
                raise ValueError("holds the character U+0000, which PostgreSQL cannot store")
            key = _encode([data[name] for name in names])
        except UnicodeEncodeError:
            rejects.append(
                _unstorable(output, ordinal, data, "holds half of a surrogate pair, which is not a character")
            )
            continue
        except ValueError as error:
            rejects.append(_unstorable(output, ordinal, data, str(error)))
            continue
        encoded.append(
            EncodedRow(
                blake2b(key, digest_size=16).digest(),
                key.decode(),
                blake2b(body, digest_size=16).digest(),
                body,
                ordinal,
            )
        )
    return encoded, rejects


def encode_row(data: Mapping[str, Any], document: RecordTypeDocument) -> EncodedRow:
    """One record that no mapping made, its values in their fields' types. Raises InputError for text that PostgreSQL
    cannot hold."""
    try:
        body, key = _encode(data), _encode([data[name] for name in document.key])
        if b"\\u0000" in body and _holds_nul(data):
            raise InputError("holds the character U+0000, which PostgreSQL cannot store", where="/fields")
    except UnicodeEncodeError as error:
        words = "holds half of a surrogate pair, which is not a character"
        raise InputError(words, where="/fields") from error
    digest, content = blake2b(key, digest_size=16).digest(), blake2b(body, digest_size=16).digest()
    return EncodedRow(digest, key.decode(), content, body, 0)


@dataclass(frozen=True, slots=True)
class PartOfRecord:
    """An output that fills only some fields of its record type: the others stay as they are kept. fields: all of the
    type, with their types, in its order.  named: those that the output fills."""

    fields: tuple[tuple[str, str], ...]
    named: frozenset[str]

    def form(self, data: Mapping[str, Any]) -> dict[str, Any]:
        """Data in the one form that both what is read back and what is new can have: jsonb keeps neither the order of
        members nor exponents."""
        return {name: _as_kept(data[name], kind) for name, kind in self.fields if name in data}

    def merged(self, row: EncodedRow, kept: str | None) -> EncodedRow:
        """The row with the fields that the output does not name, as they are kept. kept: the record's data as JSON,
        None if there is no record."""
        held = stdlib_json.loads(kept, parse_float=Decimal) if kept is not None else {}
        others = {name: value for name, value in held.items() if name not in self.named}
        data = _encode(self.form({**others, **stdlib_json.loads(row.data, parse_float=Decimal)}))
        return EncodedRow(row.digest, row.key, blake2b(data, digest_size=16).digest(), data, row.ordinal)


def part_of_record(output: CompiledOutput, record_type: RecordTypeDocument) -> PartOfRecord | None:
    """None if the output fills all fields."""
    named = frozenset(rule.name for rule in output.rules)
    fields = tuple((field.name, field.type) for field in record_type.fields)
    return None if named >= {name for name, _ in fields} else PartOfRecord(fields, named)


def _as_kept(value: Any, kind: str) -> Any:
    if kind == "decimal" and isinstance(value, int | Decimal):
        return to_decimal(value)
    return _sorted(value) if kind == "json" else value


def _sorted(value: Any) -> Any:
    if isinstance(value, dict):
        return {name: _sorted(value[name]) for name in sorted(value)}
    if isinstance(value, Decimal):
        return int(value) if value == value.to_integral_value() else value.normalize()
    return [_sorted(one) for one in value] if isinstance(value, list) else value


def _unstorable(output: CompiledOutput, ordinal: int, data: dict[str, Any], reason: str) -> Reject:
    bad = [name for name, value in data.items() if "\\u0000" in (text := json_text(value)) or "\\ud" in text]
    problems = tuple(FieldProblem(name, "", reason, None) for name in bad or ["record"])
    return Reject(ordinal, "", problems, json_text(data))


def _holds_nul(value: Any) -> bool:
    if isinstance(value, str):
        return "\0" in value
    if isinstance(value, dict):
        return any("\0" in name or _holds_nul(member) for name, member in value.items())
    return isinstance(value, list) and any(_holds_nul(one) for one in value)
