"""Mapped rows made ready to be kept: key, digest, exact JSON and content hash.

The data is written once, canonically (numbers normalised, fields in the mapping's order), so that equal contents are equal bytes:
2 and 2.0 are the same, null and missing are not. Digest and hash are BLAKE2b of 16 bytes.
"""

from collections.abc import Sequence
from hashlib import blake2b
from typing import Any

import msgspec

from rondine.core.documents.json import json_text
from rondine.core.mapping.compile import CompiledOutput, FieldProblem, Mapped, Reject

_encode = msgspec.json.Encoder(decimal_format="number").encode


class SealedRow(msgspec.Struct, frozen=True, gc=False):
    """digest: of the key.  key: its values as a JSON list.  hash: of the data.  data: JSON.  ordinal: the row in its response."""

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


def seal(output: CompiledOutput, mapped: Mapped) -> tuple[list[SealedRow], list[Reject]]:
    """The rows to keep, and all rejects: those of the mapping, and rows with text that PostgreSQL cannot hold."""
    sealed: list[SealedRow] = []
    rejects = list(mapped.rejects)
    names = output.key
    for ordinal, data in zip(mapped.ordinals, mapped.data, strict=True):
        try:
            body = _encode(data)
            if b"\\u0000" in body and _holds_nul(data):
                raise ValueError("holds the character U+0000, which PostgreSQL cannot store")
            key = _encode([data[name] for name in names])
        except UnicodeEncodeError:
            rejects.append(_unstorable(output, ordinal, data, "holds half of a surrogate pair, which is no character"))
            continue
        except ValueError as error:
            rejects.append(_unstorable(output, ordinal, data, str(error)))
            continue
        sealed.append(
            SealedRow(
                blake2b(key, digest_size=16).digest(),
                key.decode(),
                blake2b(body, digest_size=16).digest(),
                body,
                ordinal,
            )
        )
    return sealed, rejects


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
