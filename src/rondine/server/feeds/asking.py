"""What a feed's operation is called for, one after another: kept records of a type, or values."""

from collections.abc import Callable
from typing import Any

from django.db import connection
from psycopg import sql

from rondine.core.errors import RondineError
from rondine.core.items.feed import FeedDocument, ForEach
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import Input, filled_from
from rondine.server.feeds.pages import AskedRow, AskedRows
from rondine.server.records.actions import record_set
from rondine.server.records.browsing import page_statement, selection, shown_data
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import Record
from rondine.server.releases.configuration import Configuration
from rondine.server.runs.models import RowFailure, Run

#: Records that are read at a time.
AT_ONCE = 500


def asked_rows(run: Run, feed: FeedDocument, operation: OperationDocument) -> AskedRows | None:
    """None if the feed asks once. Raises what keeps it from asking."""
    for_each = feed.for_each
    if for_each is None:
        return None
    only = run.content.get("only_rows_of")
    after = _values_after(for_each, only) if for_each.values else _records_after(run, for_each, operation.inputs)
    return AskedRows(after, for_each.stop_after, run.rows_asked, run.rows_failed)


def _values_after(for_each: ForEach, only: int | None) -> Callable[[int], list[AskedRow]]:
    def after(number: int) -> list[AskedRow]:
        rows = [AskedRow(at, [at], values) for at, values in enumerate(for_each.values, 1) if at > number]
        failed = _failed(only)
        return [row for row in rows if failed is None or row.id in failed][:AT_ONCE]

    return after


def _failed(only: int | None) -> set[int] | None:
    if only is None:
        return None
    return set(RowFailure.objects.filter(run_id=only).values_list("row_id", flat=True))


def _records_after(run: Run, for_each: ForEach, inputs: list[Input]) -> Callable[[int], list[AskedRow]]:
    record_type = Configuration(run.environment).named(RECORD_TYPES, for_each.record_type)
    records = record_set(run.environment, record_type)
    document = records.loaded()
    where = selection(records, document, for_each.where).where if records.pk else []
    if (rows := run.content.get("only_rows")) is not None:
        where = [*where, sql.SQL("id = ANY({})").format(sql.Literal(rows))]
    if (only := run.content.get("only_rows_of")) is not None:
        failed = "id IN (SELECT row_id FROM {} WHERE run_id = {})"
        where = [*where, sql.SQL(failed).format(sql.Identifier(RowFailure._meta.db_table), sql.Literal(only))]

    def after(record_id: int) -> list[AskedRow]:
        if not records.pk:
            return []
        beyond = [*where, sql.SQL("id > {}").format(sql.Literal(record_id))]
        with connection.cursor() as cursor:
            cursor.cursor.execute(page_statement(beyond, [sql.SQL("id")], sql.SQL("id"), AT_ONCE))
            ids = [row[0] for row in cursor.cursor.fetchall()]
        rows = Record.objects.in_bulk(ids)
        return [_asked(rows[one], shown_data(rows[one].data, document), inputs) for one in ids if one in rows]

    return after


def _asked(record: Record, data: dict[str, Any], inputs: list[Input]) -> AskedRow:
    try:
        return AskedRow(record.pk, record.key_values, filled_from(inputs, data, {}).values)
    except RondineError as error:
        return AskedRow(record.pk, record.key_values, {}, error)
