"""What keeping rows would do, found out without doing it."""

import json
from collections.abc import Sequence
from typing import Any

import psycopg
from django.db import connection

from rondine.server.records.keeping import Filling, Kept, PlacedRow, prepare_look_up
from rondine.server.records.models import ExactDecoder, PlannedChange, Record, SeenBatch
from rondine.server.records.seen import SeenRecords, packed

#: Changes that a dry run lists one by one; the others are counted.
MOST_PLANNED = 10_000


class Planner:
    """Of one run and one set of records. It holds the keys of what would be new, so that what repeats is known."""

    def __init__(self, filling: Filling, record_type: str) -> None:
        self._filling, self._record_type = filling, record_type
        self._seen = SeenRecords()
        self._new: set[bytes] = set()

    def plan(self, rows: Sequence[PlacedRow], most: int) -> tuple[Kept, list[PlannedChange]]:
        """What would become of a batch, counted as `RecordManager.keep` counts it, within the caller's transaction; and
        the first `most` changes one by one."""
        if not rows:
            return Kept(), []
        filling = self._filling
        last = {placed.row.digest: placed for placed in rows}
        with psycopg.Cursor(connection.connection) as cursor:
            prepare_look_up(cursor)
            if filling.part is not None:
                last = Record.objects.completed(cursor, filling, filling.part, last)
            there = Record.objects.there(cursor, filling.set_id, last)
            created = [placed for digest, placed in last.items() if digest not in there and digest not in self._new]
            first = [digest for digest, kept in there.items() if self._seen.add(kept.id)]
            changed = [d for d in first if there[d].hash != last[d].row.hash or not there[d].brought_by]
            planned = [self._planned(placed, "created", {}) for placed in created[:most]]
            told = changed[: most - len(planned)]
            before = self._data(cursor, told)
        if first:
            met_ids = packed(sorted(there[digest].id for digest in first))
            SeenBatch.objects.create(run_id=filling.run_id, set_id=filling.set_id, ids=met_ids)
        self._new.update(placed.row.digest for placed in created)
        for digest in told:
            kind = "changed" if there[digest].brought_by else "returned"
            planned.append(self._planned(last[digest], kind, before.get(digest, {})))
        met = len(created) + len(first)
        return Kept(len(created), len(changed), len(first) - len(changed), len(rows) - met), planned

    def _data(self, cursor: Any, digests: Sequence[bytes]) -> dict[bytes, dict[str, Any]]:
        Record.objects.look_up(cursor, "uuid_send(r.digest), r.data::text", self._filling.set_id, digests)
        return {digest: json.loads(data, cls=ExactDecoder) for digest, data in cursor.fetchall()}

    def _planned(self, placed: PlacedRow, kind: str, before: dict[str, Any]) -> PlannedChange:
        after = json.loads(placed.row.data, cls=ExactDecoder)
        return PlannedChange(
            run_id=self._filling.run_id,
            record_type=self._record_type,
            key=placed.row.key,
            kind=kind,
            before=None if kind == "created" else _members(before, after),
            after=_members(after, before),
        )


def _members(of: dict[str, Any], against: dict[str, Any]) -> dict[str, Any]:
    """Members of one that the other does not have so."""
    return {name: value for name, value in of.items() if name not in against or against[name] != value}
