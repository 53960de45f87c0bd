"""The bulk way into the records table.

One batch is one transaction of the caller's. One look-up by the covering index of keys tells which records are there,
with which hash, and which feeds bring them; then new rows are copied straight into the table, different ones are
updated, and unchanged ones cost that look-up alone. So a batch costs the same whatever is kept already.

Batches of a set follow each other (an advisory lock, held until the transaction ends), so that ids of its records and
of their changes rise in the order in which they can be seen.
"""

import struct
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal, NamedTuple

import msgspec
import psycopg
from django.db import connection, models, transaction

from rondine.core.errors import NotFound
from rondine.core.mapping.row_encoding import EncodedRow, PartOfRecord
from rondine.server.records.binary import (
    EIGHT,
    FOUR,
    SIXTEEN,
    Digests,
    DigestsDumper,
    copy_rows,
    length,
    microseconds,
    number,
    two_numbers,
)
from rondine.server.records.seen import RowMemory, SeenRecords, packed

#: First half of the advisory lock's key; the set's id is the other.
LOCK = 0x726F6E64
#: What a batch asks for is looked up by index, row by row: its cost must not grow with what is kept, whatever the
#: planner believes of a table that grows while it is filled. Ways that are off cost so much to it that it would compile
#: each statement first (JIT), which takes longer than the statement.
BY_INDEX = "; ".join(
    f"SET LOCAL {name} = off"
    for name in (
        "jit", "enable_seqscan", "enable_bitmapscan", "enable_hashjoin", "enable_mergejoin", "enable_material",
        "enable_sort",
    )
)  # fmt: skip
#: Of a row that is not known again.
NO_HASH = bytes(16)
#: The records of a set that some digests are of: a look-up a key, by the index of keys and no other. A comparison of
#: rows (PostgreSQL, "Row and Array Comparisons") leaves the planner no choice: where set and digest are compared one by
#: one, it may walk through the whole set for each key, as long as it has not counted the set's rows.
LOOK_UP = (
    "SELECT {columns} FROM unnest(%(digests)s) k(digest), LATERAL (SELECT * FROM {table}"
    " WHERE (set_id, digest) >= (%(set)s::bigint, k.digest) ORDER BY set_id, digest LIMIT 1) r"
    " WHERE r.set_id = %(set)s AND r.digest = k.digest"
)
PRESENT = "uuid_send(r.digest), uuid_send(r.hash), r.id, r.brought_by"
#: Members of one JSON object that the other does not have so.
_DIFFERENT = (
    "(SELECT coalesce(jsonb_object_agg(e.key, e.value), '{{}}') FROM jsonb_each({of}) e"
    " WHERE {against} -> e.key IS DISTINCT FROM e.value)"
)
#: What is written down of a record's changes: nothing, each change of what was there, or the first coming as well.
History = Literal["none", "changes", "all"]


@dataclass(frozen=True, slots=True)
class Filling:
    """What a run fills. feed_bit: of the feed, among those that bring records of the set (`RecordSet.feeds`).  part:
    what its rows are, if they are no whole records; what is kept of the other fields stays."""

    set_id: int
    run_id: int
    type_version: int
    feed_bit: int = 1
    history: History = "changes"
    part: PartOfRecord | None = None

    def columns(self, row: EncodedRow, call: int) -> bytes:
        """What a new record has in its columns between its id and its times, in PostgreSQL's binary form."""
        key = row.key.encode()
        return b"".join(
            (
                EIGHT, number(self.set_id), SIXTEEN, row.digest, SIXTEEN, row.hash, length(len(key)), key,
                length(len(row.data) + 1), b"\x01", row.data, FOUR, length(self.type_version),
                EIGHT, number(self.run_id), two_numbers(4, call, 4, row.ordinal),
            )
        )  # fmt: skip


class PlacedRow(msgspec.Struct, frozen=True, gc=False):
    """An encoded row and the number of the call that brought it. text_hash: BLAKE2b-128 of the text it was made of, if
    it may be known again by that.  columns: what `Filling.columns` gives, if it was made before."""

    row: EncodedRow
    call: int
    text_hash: bytes = b""
    columns: bytes = b""


class Present(NamedTuple):
    """A record that is there. brought_by: bits of the feeds that bring it; none, if it is gone."""

    hash: bytes
    id: int
    brought_by: int


@dataclass(frozen=True, slots=True)
class Kept:
    """What became of a batch: created + changed + unchanged + repeated = its rows. A record that was gone and came
    back is changed."""

    created: int = 0
    changed: int = 0
    unchanged: int = 0
    repeated: int = 0


class RecordManager(models.Manager[Any]):
    def keep(
        self,
        filling: Filling,
        rows: Sequence[PlacedRow],
        now: datetime,
        seen: SeenRecords | None = None,
        known: Sequence[tuple[int, bytes]] = (),
    ) -> Kept:
        """Keeps a batch within the caller's transaction; rows in the order they came, of those with one key the last.

        seen: what the run has met before; it is read from the database if it is not given, and holds after a
        transaction that failed more than is kept.  known: records that are kept as their rows came again, by their ids,
        with the hashes of their texts.
        """
        if not rows and not known:
            return Kept()
        assert connection.in_atomic_block, "keep() runs in a transaction of the caller's"
        batches = self._related("SeenBatch")
        seen = SeenRecords.of(filling.run_id, filling.set_id, batches) if seen is None else seen
        new, present, changed = self._placed(filling, rows, now, seen) if rows else ([], [], [])
        met = [(record_id, placed.text_hash) for record_id, placed in new]
        met += [(kept.id, placed.text_hash) for kept, placed in present]
        first = {record_id: text_hash for record_id, text_hash in (*met, *known) if seen.add(record_id)}
        self._count(filling, len(new) + sum(not kept.brought_by for kept in changed), is_changed=bool(changed))
        self._put_down(filling, seen.memory, first, is_changed=bool(changed))
        changed_first = sum(kept.id in first for kept in changed)
        unchanged = len(first) - len(new) - changed_first
        return Kept(len(new), changed_first, unchanged, len(rows) + len(known) - len(first))

    def _placed(
        self, filling: Filling, rows: Sequence[PlacedRow], now: datetime, seen: SeenRecords
    ) -> tuple[list[tuple[int, PlacedRow]], list[tuple[Present, PlacedRow]], list[Present]]:
        """Puts rows where they belong: (new ones with their ids, those that were there, of these the changed)."""
        last = {placed.row.digest: placed for placed in rows}
        # Django's own cursor writes parameters into the statement; the keys' digests go beside it, as they are
        with psycopg.Cursor(connection.connection) as cursor:
            lock(cursor, filling.set_id)
            if filling.part is not None:
                prepare_look_up(cursor)
                last = self.completed(cursor, filling, filling.part, last)
            new, there = self._inserted(cursor, filling, last, now, seen)
            present = [(there[digest], placed) for digest, placed in last.items() if digest in there]
            changed = [(kept, row) for kept, row in present if kept.hash != row.row.hash or not kept.brought_by]
            joined = [kept.id for kept, row in present if not kept.brought_by & filling.feed_bit]
            self._update(cursor, filling, [(kept.id, row) for kept, row in changed], now)
            self._join(cursor, filling, joined)
        return new, present, [kept for kept, _ in changed]

    def _inserted(
        self, cursor: Any, filling: Filling, last: dict[bytes, PlacedRow], now: datetime, seen: SeenRecords
    ) -> tuple[list[tuple[int, PlacedRow]], dict[bytes, Present]]:
        """Inserts what is new: (new rows with the ids they got, the records that were there)."""

        def inserted(asked: Iterable[bytes]) -> tuple[list[tuple[int, PlacedRow]], dict[bytes, Present]]:
            there = {}
            if asked:
                prepare_look_up(cursor)
                there = self.there(cursor, filling.set_id, asked)
            rows = [placed for digest, placed in last.items() if digest not in there]
            new = list(zip(self._next_ids(cursor, len(rows)), rows, strict=True))
            self._insert(cursor, filling, new, now)
            return new, there

        newcomers = seen.newcomers
        if newcomers is not None and filling.part is None:
            try:
                with transaction.atomic():
                    return inserted(newcomers.met(last))
            except psycopg.errors.UniqueViolation:  # somebody else brings the same keys to the set
                seen.newcomers = None
        return inserted(last)

    def _put_down(
        self, filling: Filling, memory: RowMemory | None, first: Mapping[int, bytes], *, is_changed: bool
    ) -> None:
        """Notes what a batch met first, for a later attempt, and for the next run. first: hashes of texts, by id."""
        ids = sorted(first)
        remembered: dict[str, Any] = {}
        if memory is not None and memory.revision is not None and not memory.is_over:
            memory.revision += is_changed
            hashes = b"".join([first[record_id] or NO_HASH for record_id in ids])
            remembered = {"plan": memory.plan, "hashes": hashes, "revision": memory.revision}
        if ids:
            batches = self._related("SeenBatch")
            batches.create(run_id=filling.run_id, set_id=filling.set_id, ids=packed(ids), **remembered)

    def is_empty(self, set_id: int) -> bool:
        """Whether a set has no record, not even one that is gone."""
        with connection.cursor() as cursor:
            cursor.execute(BY_INDEX)
            return not self.filter(set_id=set_id).order_by("set_id", "id").exists()

    def _related(self, name: str) -> "models.Manager[Any]":
        return self.model._meta.apps.get_model("records", name)._default_manager

    def _count(self, filling: Filling, more: int, *, is_changed: bool) -> None:
        sets = self._related("RecordSet").filter(pk=filling.set_id)
        fields = {"count": models.F("count") + more, "revision": models.F("revision") + int(is_changed)}
        if (more or is_changed) and not sets.update(**fields):
            raise NotFound(
                "the record type, or the environment, that the run fills was removed meanwhile",
                where=f"kept records {filling.set_id}",
                hint="make it again, and run the feed again",
            )

    def there(self, cursor: Any, set_id: int, digests: Iterable[bytes]) -> dict[bytes, Present]:
        """The records that are there, by their digest."""
        self.look_up(cursor, PRESENT, set_id, digests)
        return {digest: Present(*kept) for digest, *kept in cursor.fetchall()}

    def look_up(self, cursor: Any, columns: str, set_id: int, digests: Iterable[bytes]) -> None:
        """Asks for columns of the records that are there, as `r`."""
        statement = LOOK_UP.format(columns=columns, table=self.model._meta.db_table)
        cursor.execute(statement, {"digests": Digests(list(digests)), "set": set_id}, binary=True)

    def ids_of(self, set_id: int, digests: Iterable[bytes]) -> list[int]:
        """The ids of the records that are there, of a few digests."""
        connection.ensure_connection()
        with psycopg.Cursor(connection.connection) as cursor:
            cursor.adapters.register_dumper(Digests, DigestsDumper)
            self.look_up(cursor, "r.id", set_id, digests)
            return [record_id for (record_id,) in cursor.fetchall()]

    def completed(
        self, cursor: Any, filling: Filling, part: PartOfRecord, rows: dict[bytes, PlacedRow]
    ) -> dict[bytes, PlacedRow]:
        """Parts of records as whole ones, with what is kept of the other fields."""
        self.look_up(cursor, "uuid_send(r.digest), r.data::text", filling.set_id, rows)
        kept = dict(cursor.fetchall())
        whole = {digest: part.merged(placed.row, kept.get(digest)) for digest, placed in rows.items()}
        return {digest: PlacedRow(row, rows[digest].call, rows[digest].text_hash) for digest, row in whole.items()}

    def _next_ids(self, cursor: Any, count: int) -> list[int]:
        """As many ids for new records, rising."""
        if not count:
            return []
        # the sequence is named once: looked up a row, it takes as long as keeping the row
        cursor.execute(
            "WITH s AS MATERIALIZED (SELECT pg_get_serial_sequence(%s, 'id')::regclass AS of)"
            " SELECT string_agg(int8send(nextval(s.of)), '') FROM s, generate_series(1, %s::int)",
            (self.model._meta.db_table, count),
            binary=True,
        )
        return sorted(struct.unpack(f">{count}q", cursor.fetchone()[0]))

    def _insert(self, cursor: Any, filling: Filling, rows: Sequence[tuple[int, PlacedRow]], now: datetime) -> None:
        """New rows, in the order they came, which is then the order of their ids."""
        if not rows:
            return
        head = (13).to_bytes(2, "big") + EIGHT
        end = 2 * (EIGHT + number(microseconds(now))) + EIGHT + number(filling.feed_bit)
        parts: list[bytes] = []
        for record_id, placed in rows:
            columns = placed.columns or filling.columns(placed.row, placed.call)
            parts += (head, number(record_id), columns, end)
        table = self.model._meta.db_table
        copy_rows(
            cursor,
            f"{table} (id, set_id, digest, hash, key, data, type_version, run_id, call, ordinal, made_at, changed_at,"
            " brought_by)",
            parts,
        )
        if filling.history == "all":
            cursor.execute(
                "INSERT INTO records_recordchange (set_id, record_id, digest, key, run_id, at, kind)"
                f" SELECT set_id, id, digest, key, run_id, made_at, 'created' FROM {table}"
                " WHERE set_id = %s AND id >= %s ORDER BY id",
                (filling.set_id, rows[0][0]),
            )

    def _update(self, cursor: Any, filling: Filling, rows: Sequence[tuple[int, PlacedRow]], now: datetime) -> None:
        if not rows:
            return
        cursor.execute(
            "CREATE TEMPORARY TABLE IF NOT EXISTS incoming"
            " (id bigint PRIMARY KEY, hash uuid, data jsonb, call integer, ordinal integer) ON COMMIT DELETE ROWS;"
            " TRUNCATE incoming"
        )
        head = (5).to_bytes(2, "big") + EIGHT
        copy_rows(
            cursor,
            "incoming (id, hash, data, call, ordinal)",
            [
                b"".join(
                    (
                        head, number(record_id), SIXTEEN, placed.row.hash,
                        length(len(placed.row.data) + 1), b"\x01", placed.row.data,
                        two_numbers(4, placed.call, 4, placed.row.ordinal),
                    )
                )
                for record_id, placed in rows
            ],
        )  # fmt: skip
        table = self.model._meta.db_table
        # whichever of the two is gone through, the other is looked up by its index, and neither as a whole: PostgreSQL
        # may think that few records are there, or few came
        matching, ids = "r.id = i.id AND r.id = ANY(%s)", [record_id for record_id, _ in rows]
        if filling.history != "none":
            before = _DIFFERENT.format(of="r.data", against="i.data")
            after = _DIFFERENT.format(of="i.data", against="r.data")
            cursor.execute(
                "INSERT INTO records_recordchange (set_id, record_id, digest, key, run_id, at, kind, before, after)"
                " SELECT r.set_id, r.id, r.digest, r.key, %s, %s,"
                " CASE r.brought_by WHEN 0 THEN 'returned' ELSE 'changed' END,"
                f" {before}, {after} FROM incoming i JOIN {table} r ON {matching} ORDER BY r.id",
                (filling.run_id, now, ids),
            )
        cursor.execute(
            f"UPDATE {table} r SET hash = i.hash, data = i.data, type_version = %s, run_id = %s, call = i.call,"
            f" ordinal = i.ordinal, changed_at = %s, gone_at = NULL FROM incoming i WHERE {matching}",
            (filling.type_version, filling.run_id, now, ids),
        )

    def _join(self, cursor: Any, filling: Filling, ids: Sequence[int]) -> None:
        """From now on these are brought by this feed, too."""
        if ids:
            cursor.execute(
                f"UPDATE {self.model._meta.db_table} SET brought_by = brought_by | %s WHERE id = ANY(%s)",
                (filling.feed_bit, list(ids)),
            )


def prepare_look_up(cursor: Any) -> None:
    """Lets a cursor look keys up until its transaction ends."""
    cursor.adapters.register_dumper(Digests, DigestsDumper)
    cursor.execute(BY_INDEX)


def lock(cursor: Any, set_id: int) -> None:
    """One at a time changes records of a set, until its transaction ends: no deadlock, exact counts, and nobody else
    makes a key in between."""
    cursor.execute(f"SELECT pg_advisory_xact_lock({LOCK}, {int(set_id)})")
