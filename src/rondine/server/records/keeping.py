"""The bulk way into the records table.

One batch is one transaction of the caller's. One look-up by the covering index of keys tells which records are there
and with which hash; then new rows are copied straight into the table, different ones are updated, and unchanged ones
cost that look-up alone. So a batch costs the same whatever is kept already.

Which records a run has met is known by their ids, a bit each in memory and a compact row a batch in the database, from
which a later attempt goes on.
"""

import struct
import sys
import zlib
from array import array
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import psycopg
from django.db import connection, models
from psycopg.adapt import Buffer, Dumper
from psycopg.pq import Format

from rondine.core.errors import NotFound
from rondine.core.mapping.row_encoding import EncodedRow, PartOfRecord

#: First half of the advisory lock's key; the set's id is the other.
LOCK = 0x726F6E64
#: PostgreSQL's binary COPY format: what begins and ends it, and lengths of fields (section "COPY", "Binary Format").
_HEAD, _END = b"PGCOPY\n\xff\r\n\0" + bytes(8), b"\xff\xff"
_FOUR, _EIGHT, _SIXTEEN = (n.to_bytes(4, "big") for n in (4, 8, 16))
#: What a batch asks for is looked up by index, row by row: its cost must not grow with what is kept, whatever the
#: planner believes of a table that grows while it is filled.
BY_INDEX = "; ".join(
    f"SET LOCAL enable_{way} = off" for way in ("seqscan", "bitmapscan", "hashjoin", "mergejoin", "material")
)
#: LIMIT makes it a look-up a key, and never a walk through the set.
LOOK_UP = (
    "SELECT uuid_send(r.digest), uuid_send(r.hash), r.id FROM unnest(%s) k(digest), LATERAL"
    " (SELECT digest, hash, id FROM {table} WHERE set_id = %s AND digest = k.digest LIMIT 1) r"
)
_EPOCH = datetime(2000, 1, 1, tzinfo=UTC)
_UUID, _UUIDS = 2950, 2951  # their oids in pg_type
_length, _two_numbers = struct.Struct("!i").pack, struct.Struct("!iiii").pack
_number = struct.Struct("!q").pack


@dataclass(frozen=True, slots=True)
class PlacedRow:
    """An encoded row and the number of the call that brought it."""

    row: EncodedRow
    call: int


@dataclass(frozen=True, slots=True)
class Kept:
    """What became of a batch: created + changed + unchanged + repeated = its rows."""

    created: int = 0
    changed: int = 0
    unchanged: int = 0
    repeated: int = 0


class Digests:
    """Keys' digests as a parameter: a list of uuid, in PostgreSQL's binary form."""

    def __init__(self, digests: Sequence[bytes]) -> None:
        self.digests = digests


class DigestsDumper(Dumper):
    format = Format.BINARY
    oid = _UUIDS

    def dump(self, obj: Digests) -> Buffer:
        head = struct.pack("!iiiii", 1, 0, _UUID, len(obj.digests), 1)
        return head + b"".join([_SIXTEEN + digest for digest in obj.digests])


class SeenRecords:
    """The records of one set that a run has met, by their ids. One bit each, in chunks: ids of a set come in runs."""

    CHUNK = 1 << 16

    def __init__(self) -> None:
        self._chunks: dict[int, bytearray] = {}
        self.count = 0

    @classmethod
    def of(cls, run_id: int, set_id: int, batches: "models.Manager[Any]") -> "SeenRecords":
        """What the batches of a run say that are kept so far."""
        seen = cls()
        for packed in batches.filter(run_id=run_id, set_id=set_id).values_list("ids", flat=True).iterator(100):
            for record_id in _unpacked(packed):
                seen.add(record_id)
        return seen

    def add(self, record_id: int) -> bool:
        """Whether the record is met for the first time."""
        chunk, bit = divmod(record_id, self.CHUNK)
        bits = self._chunks.get(chunk)
        if bits is None:
            bits = self._chunks[chunk] = bytearray(self.CHUNK >> 3)
        byte, mask = bit >> 3, 1 << (bit & 7)
        if bits[byte] & mask:
            return False
        bits[byte] |= mask
        self.count += 1
        return True

    def __contains__(self, record_id: int) -> bool:
        chunk, bit = divmod(record_id, self.CHUNK)
        bits = self._chunks.get(chunk)
        return bits is not None and bool(bits[bit >> 3] & 1 << (bit & 7))


class RecordManager(models.Manager[Any]):
    def keep(
        self,
        set_id: int,
        run_id: int,
        type_version: int,
        rows: Sequence[PlacedRow],
        now: datetime,
        part: PartOfRecord | None = None,
        seen: SeenRecords | None = None,
    ) -> Kept:
        """Keeps a batch within the caller's transaction; rows in the order they came, of those with one key the last.

        part: what the rows are, if they are no whole records; what is kept of the other fields stays.  seen: what the
        run has met before; it is read from the database if it is not given, and holds after a transaction that failed
        more than is kept.
        """
        if not rows:
            return Kept()
        assert connection.in_atomic_block, "keep() runs in a transaction of the caller's"
        batches = self._related("SeenBatch")
        seen = SeenRecords.of(run_id, set_id, batches) if seen is None else seen
        last = {placed.row.digest: placed for placed in rows}
        # Django's own cursor writes parameters into the statement; the keys' digests go beside it, as they are
        with psycopg.Cursor(connection.connection) as cursor:
            cursor.adapters.register_dumper(Digests, DigestsDumper)
            # One batch of a set at a time: no deadlock, exact counts, and nobody else makes a key in between.
            cursor.execute(f"{BY_INDEX}; SELECT pg_advisory_xact_lock({LOCK}, {int(set_id)})")
            kept_data = self._kept_data(cursor, set_id, last) if part is not None else {}
            if part is not None:
                last = {
                    digest: PlacedRow(part.merged(placed.row, kept_data.get(digest)), placed.call)
                    for digest, placed in last.items()
                }
            there = self._there(cursor, set_id, last)
            new = [placed for digest, placed in last.items() if digest not in there]
            changed = [
                (there[digest][1], placed)
                for digest, placed in last.items()
                if digest in there and there[digest][0] != placed.row.hash
            ]
            ids = self._next_ids(cursor, len(new))
            self._insert(cursor, set_id, run_id, type_version, zip(ids, new, strict=True), now)
            self._update(cursor, run_id, type_version, changed, now)
        first_met = [record_id for record_id in (*ids, *(found for _, found in there.values())) if seen.add(record_id)]
        first = set(first_met)
        if first_met:
            batches.create(run_id=run_id, set_id=set_id, ids=_packed(sorted(first_met)))
        sets = self._related("RecordSet").filter(pk=set_id)
        if new and not sets.update(count=models.F("count") + len(new)):
            raise NotFound(
                "the record type, or the environment, that the run fills was removed meanwhile",
                where=f"kept records {set_id}",
                hint="make it again, and run the feed again",
            )
        changed_first = sum(record_id in first for record_id, _ in changed)
        unchanged = len(first) - len(new) - changed_first
        return Kept(len(new), changed_first, unchanged, len(rows) - len(first))

    def _related(self, name: str) -> "models.Manager[Any]":
        return self.model._meta.apps.get_model("records", name)._default_manager

    def _there(self, cursor: Any, set_id: int, digests: Iterable[bytes]) -> dict[bytes, tuple[bytes, int]]:
        """(hash, id) of the records that are there, by their digest."""
        look_up = LOOK_UP.format(table=self.model._meta.db_table)
        cursor.execute(look_up, (Digests(list(digests)), set_id), binary=True)
        return {digest: (hash_, record_id) for digest, hash_, record_id in cursor.fetchall()}

    def _kept_data(self, cursor: Any, set_id: int, digests: Iterable[bytes]) -> dict[bytes, str]:
        cursor.execute(
            "SELECT uuid_send(r.digest), r.data::text FROM unnest(%s) k(digest), LATERAL"
            f" (SELECT digest, data FROM {self.model._meta.db_table} WHERE set_id = %s AND digest = k.digest"
            " LIMIT 1) r",
            (Digests(list(digests)), set_id),
            binary=True,
        )
        return dict(cursor.fetchall())

    def _next_ids(self, cursor: Any, count: int) -> list[int]:
        """As many ids for new records, rising."""
        if not count:
            return []
        # the sequence is named once: looked up a row, it takes as long as keeping the row
        cursor.execute("SELECT pg_get_serial_sequence(%s, 'id')::regclass::oid::int8", (self.model._meta.db_table,))
        (sequence,) = cursor.fetchone()
        cursor.execute(
            f"SELECT nextval({int(sequence)}::regclass) FROM generate_series(1, %s::int)", (count,), binary=True
        )
        return sorted(record_id for (record_id,) in cursor.fetchall())

    def _insert(
        self,
        cursor: Any,
        set_id: int,
        run_id: int,
        type_version: int,
        rows: Iterable[tuple[int, PlacedRow]],
        now: datetime,
    ) -> None:
        """New rows, in the order they came, which is then the order of their ids."""
        head = (12).to_bytes(2, "big") + _EIGHT
        behind_id = _EIGHT + _number(set_id)
        version = _FOUR + _length(type_version) + _EIGHT + _number(run_id)
        times = 2 * (_EIGHT + _number(_microseconds(now)))
        lines = []
        for record_id, placed in rows:
            row = placed.row
            key = row.key.encode()
            lines.append(
                b"".join(
                    (
                        head, _number(record_id), behind_id, _SIXTEEN, row.digest, _SIXTEEN, row.hash,
                        _length(len(key)), key, _length(len(row.data) + 1), b"\x01", row.data,
                        version, _two_numbers(4, placed.call, 4, row.ordinal), times,
                    )
                )
            )  # fmt: skip
        if lines:
            _copy(
                cursor,
                f"{self.model._meta.db_table} (id, set_id, digest, hash, key, data, type_version, run_id, call,"
                " ordinal, made_at, changed_at)",
                lines,
            )

    def _update(
        self, cursor: Any, run_id: int, type_version: int, rows: Sequence[tuple[int, PlacedRow]], now: datetime
    ) -> None:
        if not rows:
            return
        cursor.execute(
            "CREATE TEMPORARY TABLE IF NOT EXISTS incoming"
            " (id bigint, hash uuid, data jsonb, call integer, ordinal integer) ON COMMIT DELETE ROWS;"
            " TRUNCATE incoming"
        )
        head = (5).to_bytes(2, "big") + _EIGHT
        _copy(
            cursor,
            "incoming (id, hash, data, call, ordinal)",
            [
                b"".join(
                    (
                        head, _number(record_id), _SIXTEEN, placed.row.hash,
                        _length(len(placed.row.data) + 1), b"\x01", placed.row.data,
                        _two_numbers(4, placed.call, 4, placed.row.ordinal),
                    )
                )
                for record_id, placed in rows
            ],
        )  # fmt: skip
        cursor.execute(
            f"UPDATE {self.model._meta.db_table} r SET hash = i.hash, data = i.data, type_version = %s, run_id = %s,"
            " call = i.call, ordinal = i.ordinal, changed_at = %s FROM incoming i WHERE r.id = i.id",
            (type_version, run_id, now),
        )


def _packed(ids: Sequence[int]) -> bytes:
    """As 64-bit numbers, little end first, compressed."""
    numbers = array("q", ids)
    if sys.byteorder == "big":
        numbers.byteswap()
    return zlib.compress(numbers.tobytes(), 1)


def _unpacked(packed: bytes) -> Sequence[int]:
    numbers = array("q")
    numbers.frombytes(zlib.decompress(packed))
    if sys.byteorder == "big":
        numbers.byteswap()
    return numbers


def _copy(cursor: Any, target: str, lines: Sequence[bytes]) -> None:
    with cursor.copy(f"COPY {target} FROM STDIN (FORMAT BINARY)") as copy:
        copy.write(b"".join((_HEAD, *lines, _END)))


def _microseconds(moment: datetime) -> int:
    since = moment - _EPOCH
    return (since.days * 86_400 + since.seconds) * 1_000_000 + since.microseconds
