"""Ranges of bytes (RFC 9110, section 14)."""

import re
from dataclasses import dataclass

_RANGE = re.compile(r"bytes=\s*(\d{0,18})-(\d{0,18})\s*", re.IGNORECASE)
_CONTENT_RANGE = re.compile(r"bytes (\d{1,18})-(\d{1,18})/(\d{1,18}|\*)", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class ByteRange:
    """first, last: numbers of bytes, from 0 on, both within. first is None for as many as `last` says from the end on,
    last is None for all that follow."""

    first: int | None
    last: int | None

    def within(self, size: int) -> tuple[int, int] | None:
        """(first, last) byte of a content of so many; None if it has none of them."""
        if self.first is None:
            found = (max(0, size - (self.last or 0)), size - 1)
        else:
            found = (self.first, size - 1 if self.last is None else min(self.last, size - 1))
        return found if found[0] <= found[1] else None


def byte_range(header: str) -> ByteRange | None:
    """Of a Range header field; None if there is none, or for what may be passed over (section 14.2): other units,
    several ranges, what is malformed."""
    found = _RANGE.fullmatch(header.strip())
    if found is None or found.group(1) == found.group(2) == "":
        return None
    first, last = (int(text) if text else None for text in found.groups())
    return ByteRange(first, last) if first is None or last is None or first <= last else None


def content_range(header: str) -> tuple[int, int, int | None] | None:
    """(first byte, last byte, size of the whole, if it is known) of a Content-Range header field."""
    found = _CONTENT_RANGE.fullmatch(header.strip())
    if found is None:
        return None
    first, last = int(found.group(1)), int(found.group(2))
    size = None if found.group(3) == "*" else int(found.group(3))
    return (first, last, size) if first <= last and (size is None or last < size) else None
