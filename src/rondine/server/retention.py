"""What is forgotten by age, as each environment says: bodies of responses first, then runs with their calls, rejects
and deliveries. Rows go in small batches, so that nobody waits for them."""

import asyncio
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime, timedelta
from typing import Any

import structlog
from django.db import OperationalError, connection, transaction
from django.db.models import Exists, Max, OuterRef, Q, QuerySet
from django.utils import timezone

from rondine.server.applications.models import UsageHour
from rondine.server.connecting.models import Environment
from rondine.server.feeds.drift import differing_periods
from rondine.server.feeds.models import DriftPeriod
from rondine.server.operations.models import Sample
from rondine.server.records.models import PlannedChange, SeenBatch
from rondine.server.runs.models import Body, Call, RejectedRow, Run
from rondine.server.subscriptions.models import Event
from rondine.server.threads import in_database
from rondine.server.webhooks.models import Delivery

log = structlog.get_logger("rondine.retention")
#: Of an advisory lock: one worker forgets at a time.
LOCK = 0x666F7267
#: Rows of a statement.
CALLS, RUNS, OTHERS = 500, 50, 5_000
#: How long it is known how much applications used, hour by hour.
USAGE = timedelta(days=400)
OVER = ("done", "failed", "cancelled")


def forget_old(now: datetime | None = None) -> dict[str, int]:
    """Forgets what is older than its environment keeps it, and how much that was; nothing, if another worker does so
    now."""
    now = now or timezone.now()
    counted = dict.fromkeys(("bodies", "runs", "deliveries", "events"), 0)
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_try_advisory_lock(%s)", (LOCK,))
        if not cursor.fetchone()[0]:
            return {}
        try:
            for environment in Environment.objects.exclude(runs_days=None, bodies_days=None):
                if environment.bodies_days is not None:
                    counted["bodies"] += _forget_bodies(environment, now - timedelta(days=environment.bodies_days))
                if environment.runs_days is not None:
                    before = now - timedelta(days=environment.runs_days)
                    counted["deliveries"] += _forget_deliveries(environment, before)
                    counted["runs"] += _forget_runs(environment, before)
                    counted["events"] += _forget_rows(Event.objects.filter(environment=environment, at__lt=before))
                    _forget_rows(UsageHour.objects.filter(application__environment=environment, hour__lt=now - USAGE))
                    _forget_rows(DriftPeriod.objects.filter(feed__environment=environment, ended_at__lt=before))
        finally:
            cursor.execute("SELECT pg_advisory_unlock(%s)", (LOCK,))
    return counted


def _newest(runs: QuerySet[Run]) -> QuerySet[Any]:
    return runs.filter(feed__isnull=False).values("feed").annotate(newest=Max("pk")).values_list("newest", flat=True)


def _needed(environment: Environment) -> list[int]:
    """Runs that their feeds go on from, whatever their age: the newest, the newest that is done, that which saw all and
    left marks, and that whose response is on file."""
    runs = Run.objects.filter(environment=environment)
    done = runs.filter(state="done", is_dry=False)
    whole = done.filter(completeness="complete", marks__isnull=False)
    shown = Exists(Call.objects.filter(run=OuterRef("pk"), body__isnull=False, rows__gt=0))
    on_file = done.filter(shown).exclude(Exists(differing_periods(OuterRef("feed"), OuterRef("pk"))))
    return list({run_id for some in (runs, done, whole, on_file) for run_id in _newest(some)})


def _forget_bodies(environment: Environment, before: datetime) -> int:
    old = Call.objects.filter(run__environment=environment, at__lt=before, body__isnull=False)
    old = old.exclude(run__in=_needed(environment))
    forgotten = 0
    while page := list(old.order_by("at").values_list("pk", "body_id")[:CALLS]):
        with transaction.atomic():
            Call.objects.filter(pk__in=[pk for pk, _ in page]).update(body=None)
            forgotten += _remove_bodies([body for _, body in page])
    return forgotten


def _remove_bodies(ids: Sequence[Any]) -> int:
    """Removes those bodies that nothing shows any more: samples, deliveries and runs that read them again do."""
    used: Any = Q()
    for holder in (Call, Sample, Delivery):
        used |= Exists(holder._default_manager.filter(body=OuterRef("pk")))
    return Body.objects.filter(pk__in=ids).exclude(used).delete()[0]


def _forget_runs(environment: Environment, before: datetime) -> int:
    old = Run.objects.filter(environment=environment, state__in=OVER, ended_at__lt=before)
    old = old.exclude(pk__in=_needed(environment))
    forgotten = 0
    while ids := list(old.order_by("ended_at").values_list("pk", flat=True)[:RUNS]):
        while calls := list(Call.objects.filter(run__in=ids).values_list("pk", "body_id")[:OTHERS]):
            with transaction.atomic():
                Call.objects.filter(pk__in=[pk for pk, _ in calls]).delete()
                _remove_bodies([body for _, body in calls if body is not None])
        for rows in (RejectedRow, PlannedChange, SeenBatch):
            _forget_rows(rows.objects.filter(run_id__in=ids))
        Run.objects.filter(pk__in=ids).delete()
        forgotten += len(ids)
    return forgotten


def _forget_deliveries(environment: Environment, before: datetime) -> int:
    old = Delivery.objects.filter(webhook__environment=environment, at__lt=before).exclude(state="waiting")
    forgotten = 0
    while page := list(old.order_by("pk").values_list("pk", "body_id")[:CALLS]):
        with transaction.atomic():
            Delivery.objects.filter(pk__in=[pk for pk, _ in page]).delete()
            _remove_bodies([body for _, body in page])
        forgotten += len(page)
    return forgotten


def _forget_rows(rows: QuerySet[Any]) -> int:
    forgotten = 0
    while ids := list(rows.values_list("pk", flat=True)[:OTHERS]):
        rows.model._default_manager.filter(pk__in=ids).delete()
        forgotten += len(ids)
    return forgotten


async def forget_for_ever(pool: ThreadPoolExecutor, seconds: float = 1800.0) -> None:
    """Forgets every half hour, until cancelled."""
    while True:
        try:
            done = await in_database(pool, forget_old)
            if any(done.values()):
                log.info("forgotten by age", **done)
        except OperationalError:
            pass
        except Exception:
            log.exception("forgetting failed")
        await asyncio.sleep(seconds)
