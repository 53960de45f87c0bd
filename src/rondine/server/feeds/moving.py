"""What the last runs of a feed left behind for its moving inputs, and what this one leaves."""

from collections.abc import Mapping
from contextlib import suppress
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from typing import Any

from django.db import connection
from psycopg import sql

from rondine.core.errors import Conflict
from rondine.core.items.feed import FeedDocument
from rondine.core.items.moving import FromHighest, LastRun, mark_of
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.settings import load
from rondine.server.feeds.models import Feed
from rondine.server.records.browsing import typed_value
from rondine.server.records.models import Record, RecordSet
from rondine.server.runs.models import Run

#: Of what a run goes by: if any of it changed, what came before may lack what is wanted now.
_WANTED = ("operation_name", "operation", "mapping", "record_types")


def last_run(feed: Feed, content: Mapping[str, Any], inputs: Mapping[str, Any]) -> tuple[LastRun | None, str]:
    """What the newest run left that saw all, and why there is none to go on from. inputs: those that do not move."""
    run = feed.runs.filter(state="done", completeness="complete", marks__isnull=False).order_by("-pk").first()
    if run is None:
        return None, ""
    before = run.content
    if before["feed"].get("moving") != content["feed"].get("moving"):
        return None, "its moving inputs were changed"
    if any(before.get(name) != content[name] for name in _WANTED):
        return None, "its operation, mapping or record type was changed"
    moving = content["feed"].get("moving", {})
    if {name: value for name, value in run.inputs.items() if name not in moving} != dict(inputs):
        return None, "its inputs were changed"
    assert run.started_at is not None
    return LastRun(run.started_at, _service_time(run), run.marks or {}), ""


def check_newest(feed: Feed, run_id: int, hint: str) -> None:
    """Raises Conflict if a later run of the feed kept, or may have kept, what is newer than this one's rows."""
    newer = feed.runs.filter(is_dry=False, pk__gt=run_id, attempt__gt=0).order_by("-pk").first()
    if newer is not None:
        words = f"run {newer.pk} of the same feed was later, and what it kept is newer"
        raise Conflict(words, where=f"run {run_id}", hint=hint)


def _service_time(run: Run) -> datetime | None:
    """When the first call was answered, by the service's own clock (RFC 9110, section 6.6.1)."""
    call = run.calls.filter(status__isnull=False, purpose="").order_by("number").first()
    for name, value in call.headers if call else ():
        if name.lower() == "date":
            with suppress(ValueError, TypeError):
                moment = parsedate_to_datetime(value)
                return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
    return None


def marks_of(run: Run) -> dict[str, Any]:
    """The highest values that the feed's records have now, for the inputs that go on from there."""
    feed = load(FeedDocument, run.content["feed"])
    marks = {}
    for name, setting in feed.moving.items():
        if isinstance(setting, FromHighest) and (highest := _highest(run, setting)) is not None:
            marks[name] = highest
    return marks


def _highest(run: Run, setting: FromHighest) -> dict[str, Any] | None:
    document = load(RecordTypeDocument, run.content["record_types"][setting.record_type])
    field = document.field(setting.field)
    records = RecordSet.objects.filter(
        environment=run.environment_id, record_type__name=setting.record_type, record_type__project=run.project_id
    ).first()
    if field is None or records is None:
        return None
    value = typed_value(field)
    with connection.cursor() as cursor:
        cursor.cursor.execute(
            sql.SQL(
                "SELECT {value} FROM {table} WHERE set_id = {set} AND brought_by & {bit} <> 0 AND {value} IS NOT NULL"
                " ORDER BY {value} DESC, id DESC LIMIT 1"
            ).format(
                value=value,
                table=sql.Identifier(Record._meta.db_table),
                set=sql.Literal(records.pk),
                bit=sql.Literal(records.bit_of(str(run.feed_id))),
            )
        )
        row = cursor.cursor.fetchone()
    return mark_of(row[0], field.type) if row else None
