"""Places in a JSON document: JSON Pointer (RFC 6901) and normalized paths (RFC 9535, section 2.7)."""

from dataclasses import dataclass
from typing import Any

from rondine.core.documents.json import Location, pointer_text
from rondine.core.errors import PathError

__all__ = ["Location", "Node", "normalized_path", "parse_pointer", "pointer_text", "resolve"]

_ESCAPES = {"\b": "\\b", "\t": "\\t", "\n": "\\n", "\f": "\\f", "\r": "\\r", "'": "\\'", "\\": "\\\\"}


@dataclass(frozen=True, slots=True)
class Node:
    """A value and where it stands."""

    location: Location
    value: Any


def parse_pointer(text: str) -> tuple[str, ...]:
    """The reference tokens of a JSON Pointer. Raises PathError."""
    if text == "":
        return ()
    if not text.startswith("/"):
        raise PathError(
            f'"{text[:80]}" is not a JSON Pointer',
            where="pointer",
            hint='it begins with "/", or is empty for the whole document',
        )
    tokens = text[1:].split("/")
    for token in tokens:
        rest = token.replace("~0", "").replace("~1", "")
        if "~" in rest:
            raise PathError(
                f'"~" stands alone in the JSON Pointer "{text[:80]}"',
                where="pointer",
                hint='write "~0" for "~" and "~1" for "/"',
            )
    return tuple(token.replace("~1", "/").replace("~0", "~") for token in tokens)


def resolve(value: Any, tokens: tuple[str, ...]) -> tuple[Location, Any] | None:
    """What a pointer's tokens lead to, with its location, or None (RFC 6901, section 4)."""
    location: list[str | int] = []
    for token in tokens:
        if isinstance(value, dict):
            if token not in value:
                return None
            value = value[token]
            location.append(token)
        elif isinstance(value, list):
            if not (token == "0" or (token.isascii() and token.isdigit() and token[0] != "0")) or int(token) >= len(
                value
            ):
                return None
            value = value[int(token)]
            location.append(int(token))
        else:
            return None
    return tuple(location), value


def normalized_path(location: Location) -> str:
    """`$['trees'][3]['number']`."""
    out = ["$"]
    for part in location:
        if isinstance(part, int):
            out.append(f"[{part}]")
        else:
            if not part.isidentifier():
                part = "".join(_ESCAPES.get(c, f"\\u{ord(c):04x}" if ord(c) < 0x20 else c) for c in part)
            out.append(f"['{part}']")
    return "".join(out)
