"""Records that no longer come: gone, when the last feed that brought them brings them no more."""

from array import array
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import connection, transaction
from django.db.models import F

from rondine.server.records.keeping import Filling, lock
from rondine.server.records.models import Record, RecordChange, RecordSet
from rondine.server.records.seen import SeenRecords

#: Records that are marked, or removed, by one statement.
AT_ONCE = 10_000


@dataclass(frozen=True, slots=True)
class Missing:
    """Records of a set that a feed brought and whose rows did not come in a run that saw all. present: all that the
    feed brought."""

    ids: "array[int]"
    present: int


def missing(filling: Filling, seen: SeenRecords) -> Missing:
    """What a whole run did not meet of what its feed brings; within the caller's transaction, and nobody changes the
    set until it ends."""
    ids, present = array("q"), 0
    with connection.cursor() as cursor:
        lock(cursor, filling.set_id)
    brought = Record.objects.filter(set_id=filling.set_id).annotate(bit=F("brought_by").bitand(filling.feed_bit))
    for record_id in brought.exclude(bit=0).order_by("id").values_list("id", flat=True).iterator(AT_ONCE):
        present += 1
        if record_id not in seen:
            ids.append(record_id)
    return Missing(ids, present)


def mark_gone(filling: Filling, ids: "array[int]", now: datetime, *, alive: int) -> int:
    """The feed brings these no more; those that no other feed brings are gone, and their number is given. Within the
    transaction that `missing` was asked in. alive: the bits of the feeds that there are still."""
    others = alive & ~filling.feed_bit
    gone = 0
    with connection.cursor() as cursor:
        for start in range(0, len(ids), AT_ONCE):
            cursor.execute(
                f"UPDATE {Record._meta.db_table} SET brought_by = brought_by & %s::bigint,"
                " gone_at = CASE WHEN brought_by & %s::bigint = 0 THEN %s::timestamptz END"
                " WHERE id = ANY(%s) RETURNING id, digest, key, brought_by",
                (others, others, now, list(ids[start : start + AT_ONCE])),
            )
            left = sorted(record[:3] for record in cursor.fetchall() if not record[3])
            gone += len(left)
            if filling.history != "none":
                write_down("gone", filling.set_id, filling.run_id, left, now)
    RecordSet.objects.filter(pk=filling.set_id).update(count=F("count") - gone)
    return gone


def would_go(filling: Filling, ids: "array[int]", *, alive: int, most: int) -> tuple[int, list[str]]:
    """(how many of these `mark_gone` would mark, keys of the first ones)."""
    others = alive & ~filling.feed_bit
    count = 0
    keys: list[str] = []
    for start in range(0, len(ids), AT_ONCE):
        records = Record.objects.filter(pk__in=ids[start : start + AT_ONCE]).annotate(
            held=F("brought_by").bitand(others)
        )
        found = list(records.filter(held=0).order_by("id").values_list("key", flat=True))
        count += len(found)
        keys += found[: most - len(keys)]
    return count, keys


def remove_gone(records: RecordSet, before: datetime, now: datetime, *, history: bool) -> int:
    """Removes what went before a moment; a batch a transaction, so that nobody waits long."""
    removed = 0
    while True:
        with transaction.atomic():
            with connection.cursor() as cursor:
                lock(cursor, records.pk)
            old = Record.objects.filter(set_id=records.pk, gone_at__lt=before)
            found = list(old.order_by("id").values_list("id", "digest", "key")[:AT_ONCE])
            Record.objects.filter(pk__in=[record_id for record_id, *_ in found]).delete()
            if history:
                write_down("removed", records.pk, 0, found, now)
        removed += len(found)
        if len(found) < AT_ONCE:
            return removed


def write_down(kind: str, set_id: int, run_id: int, records: Iterable[tuple[int, Any, str]], now: datetime) -> None:
    """One change of each of these records. run_id: 0 for none.  records: (id, digest, key) of each."""
    RecordChange.objects.bulk_create(
        RecordChange(set_id=set_id, record_id=record_id, digest=digest, key=key, run_id=run_id, at=now, kind=kind)
        for record_id, digest, key in records
    )
