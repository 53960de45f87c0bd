"""The bulk way into the records table.

One batch is one transaction of the caller's: keys and hashes go up first, PostgreSQL says which are new or different,
and only those are sent whole and upserted. Keys that the run has met before are counted as repeated; the last one wins.
Unchanged rows cost a key and a hash.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db import connection, models

from rondine.core.mapping.row_encoding import EncodedRow, PartOfRecord

#: First half of the advisory lock's key; the set's id is the other.
LOCK = 0x726F6E64


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


class RecordManager(models.Manager[Any]):
    def keep(
        self,
        set_id: int,
        run_id: int,
        type_version: int,
        rows: Sequence[PlacedRow],
        now: Any,
        part: PartOfRecord | None = None,
    ) -> Kept:
        """Upserts a batch within the caller's transaction; rows in the order they came. part: what they are, if they
        are no whole records; what is kept of the other fields stays."""
        if not rows:
            return Kept()
        assert connection.in_atomic_block, "keep() runs in a transaction of the caller's"
        last = {placed.row.digest: placed for placed in rows}  # the last one of a key wins
        table, seen = self.model._meta.db_table, "records_seenkey"
        with connection.cursor() as wrapped:
            cursor = wrapped.cursor
            cursor.execute(
                "CREATE TEMPORARY TABLE IF NOT EXISTS incoming_key (digest uuid, hash uuid) ON COMMIT DELETE ROWS"
            )
            cursor.execute("TRUNCATE incoming_key")
            cursor.execute(
                "SELECT pg_advisory_xact_lock(%s, %s)", (LOCK, set_id)
            )  # one batch of a set at a time: no deadlock, exact counts
            if part is not None:
                last = self._merged(cursor, table, set_id, part, last)
            with cursor.copy("COPY incoming_key (digest, hash) FROM STDIN (FORMAT BINARY)") as copy:
                copy.write(_binary((placed.row.digest, placed.row.hash) for placed in last.values()))
            cursor.execute(
                f"INSERT INTO {seen} (run_id, set_id, digest) SELECT %s, %s, digest FROM incoming_key"
                " ON CONFLICT DO NOTHING RETURNING digest",
                (run_id, set_id),
            )
            is_all_fresh = cursor.rowcount == len(last)
            fresh = None if is_all_fresh else {found.bytes for (found,) in cursor.fetchall()}
            cursor.execute(
                "SELECT i.digest, r.id IS NULL FROM incoming_key i"
                f" LEFT JOIN {table} r ON r.set_id = %s AND r.digest = i.digest"
                " WHERE r.hash IS DISTINCT FROM i.hash",
                (set_id,),
            )
            different = {found.bytes: is_new for found, is_new in cursor.fetchall()}
            if different:
                self._upsert(
                    cursor,
                    table,
                    set_id,
                    run_id,
                    type_version,
                    [placed for digest, placed in last.items() if digest in different],
                    now,
                )
        created = sum(1 for digest, is_new in different.items() if is_new and (fresh is None or digest in fresh))
        changed = sum(1 for digest, is_new in different.items() if not is_new and (fresh is None or digest in fresh))
        first_met = len(last) if fresh is None else len(fresh)
        made = sum(different.values())
        if made:
            sets = self.model._meta.get_field("set").related_model._default_manager
            sets.filter(pk=set_id).update(count=models.F("count") + made)
        return Kept(created, changed, first_met - created - changed, len(rows) - first_met)

    def _merged(
        self, cursor: Any, table: str, set_id: int, part: PartOfRecord, rows: dict[bytes, PlacedRow]
    ) -> dict[bytes, PlacedRow]:
        """The rows with what is kept of the fields that they do not name."""
        cursor.execute(
            f"SELECT digest, data::text FROM {table} WHERE set_id = %s AND digest = ANY(%s)",
            (set_id, [UUID(bytes=digest) for digest in rows]),
        )
        held = {digest.bytes: text for digest, text in cursor.fetchall()}
        return {
            digest: PlacedRow(part.merged(placed.row, held.get(digest)), placed.call) for digest, placed in rows.items()
        }

    def _upsert(
        self, cursor: Any, table: str, set_id: int, run_id: int, type_version: int, rows: Sequence[PlacedRow], now: Any
    ) -> None:
        """Rows in the order they came, which is then the order of their ids."""
        cursor.execute(
            "CREATE TEMPORARY TABLE IF NOT EXISTS incoming"
            " (digest uuid, hash uuid, key text, data jsonb, call integer, ordinal integer) ON COMMIT DELETE ROWS"
        )
        cursor.execute("TRUNCATE incoming")
        with cursor.copy("COPY incoming (digest, hash, key, data, call, ordinal) FROM STDIN") as copy:
            for placed in rows:
                row = placed.row
                copy.write_row((row.digest.hex(), row.hash.hex(), row.key, row.data.decode(), placed.call, row.ordinal))
        cursor.execute(
            f"INSERT INTO {table}"
            " (set_id, digest, hash, key, data, type_version, run_id, call, ordinal, made_at, changed_at)"
            " SELECT %(set)s, digest, hash, key, data, %(version)s, %(run)s, call, ordinal, %(now)s, %(now)s"
            " FROM incoming ON CONFLICT (set_id, digest) DO UPDATE SET hash = excluded.hash, data = excluded.data,"
            " type_version = excluded.type_version, run_id = excluded.run_id, call = excluded.call,"
            " ordinal = excluded.ordinal, changed_at = excluded.changed_at",
            {"set": set_id, "version": type_version, "run": run_id, "now": now},
        )


def _binary(rows: Iterable[tuple[bytes, bytes]]) -> bytes:
    """PostgreSQL's binary COPY format for rows of two uuids."""
    head = b"PGCOPY\n\xff\r\n\0" + bytes(8)
    two, length = (2).to_bytes(2, "big"), (16).to_bytes(4, "big")
    return b"".join([head, *(two + length + digest + length + hash_ for digest, hash_ in rows), b"\xff\xff"])
