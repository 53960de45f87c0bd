"""What a worker tidies up among the records now and then: what has been gone for long, and what is written down of
changes that nobody wants to know any more."""

import asyncio
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime, timedelta

import structlog
from django.db import OperationalError, connection
from django.utils import timezone

from rondine.server.records.going import remove_gone
from rondine.server.records.models import RecordChange, RecordSet
from rondine.server.records.sql_views import make_views
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.housekeeping")
#: Of an advisory lock: one worker tidies up at a time.
LOCK = 0x686F757365
#: Changes that are forgotten by one statement.
AT_ONCE = 10_000


def tidy_up(now: datetime | None = None) -> dict[str, int]:
    """Removes and forgets what record types say, and how much it was; nothing, if another worker does so now."""
    now = now or timezone.now()
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_try_advisory_lock(%s)", (LOCK,))
        if not cursor.fetchone()[0]:
            return {}
        try:
            make_views()
            removed = forgotten = 0
            for records in RecordSet.objects.select_related("record_type", "environment"):
                document = records.loaded()
                if document.gone_days is not None:
                    before = now - timedelta(days=document.gone_days)
                    removed += remove_gone(records, before, now, history=document.history != "none")
                if document.history_days is not None:
                    forgotten += _forget(records, now - timedelta(days=document.history_days))
        finally:
            cursor.execute("SELECT pg_advisory_unlock(%s)", (LOCK,))
    return {"removed": removed, "forgotten": forgotten}


def _forget(records: RecordSet, before: datetime) -> int:
    forgotten = 0
    while True:
        old = RecordChange.objects.filter(set_id=records.pk, at__lt=before).order_by("pk").values("pk")[:AT_ONCE]
        count, _ = RecordChange.objects.filter(pk__in=old).delete()
        forgotten += count
        if count < AT_ONCE:
            return forgotten


async def tidy_for_ever(pool: ThreadPoolExecutor, seconds: float = 600.0) -> None:
    """Tidies up every ten minutes, until cancelled."""
    while True:
        try:
            done = await in_database(pool, tidy_up)
            if any(done.values()):
                log.info("tidied up", **done)
        except OperationalError:
            pass
        except Exception:
            log.exception("tidying up failed")
        await asyncio.sleep(seconds)
