"""PostgreSQL's binary forms of what is copied in: rows made as bytes once, and written in one go.

Source: PostgreSQL's documentation, COPY, "Binary Format".
"""

import struct
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from psycopg.adapt import Buffer, Dumper
from psycopg.pq import Format

#: What begins and ends a COPY, and lengths of fields.
_HEAD, _END = b"PGCOPY\n\xff\r\n\0" + bytes(8), b"\xff\xff"
FOUR, EIGHT, SIXTEEN = (n.to_bytes(4, "big") for n in (4, 8, 16))
_EPOCH = datetime(2000, 1, 1, tzinfo=UTC)
_UUID, _UUIDS = 2950, 2951  # their oids in pg_type
length, two_numbers = struct.Struct("!i").pack, struct.Struct("!iiii").pack
number = struct.Struct("!q").pack


class Digests:
    """Keys' digests as a parameter: a list of uuid, in PostgreSQL's binary form."""

    def __init__(self, digests: Sequence[bytes]) -> None:
        self.digests = digests


class DigestsDumper(Dumper):
    format = Format.BINARY
    oid = _UUIDS

    def dump(self, obj: Digests) -> Buffer:
        head = struct.pack("!iiiii", 1, 0, _UUID, len(obj.digests), 1)
        return head + b"".join([SIXTEEN + digest for digest in obj.digests])


def copy_rows(cursor: Any, target: str, lines: Sequence[bytes]) -> None:
    with cursor.copy(f"COPY {target} FROM STDIN (FORMAT BINARY)") as copy:
        copy.write(b"".join((_HEAD, *lines, _END)))


def microseconds(moment: datetime) -> int:
    since = moment - _EPOCH
    return (since.days * 86_400 + since.seconds) * 1_000_000 + since.microseconds
