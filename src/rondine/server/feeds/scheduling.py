"""Feeds that run by themselves: what is due is claimed and queued in one transaction, so that no crash loses or doubles
it. A feed that is running when it is due runs again when that has ended; what was missed is caught up with one run."""

import asyncio
import random
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from itertools import count
from typing import Any

import structlog
from django.db import OperationalError, transaction
from django.db.models import Exists, F, OuterRef, Q
from django.utils import timezone

from rondine.core.errors import RondineError
from rondine.core.items.schedule import AfterFeed, Watch, next_due
from rondine.server.feeds.models import Feed
from rondine.server.feeds.queueing import queue_feed
from rondine.server.feeds.telling import tell_of_late, tell_of_refusal
from rondine.server.feeds.watching import start_watched
from rondine.server.runs.calls import problem_of
from rondine.server.runs.models import Run
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.schedules")
#: Feeds that one look starts at most.
MOST = 100
#: Looks until it is looked again which feeds are late.
LATE_LOOKS = 20


def start_due(now: datetime | None = None) -> list[int]:
    """Starts every feed that is due, and gives the runs."""
    now = now or timezone.now()
    plan_changed(now)
    runs = []
    for _ in range(MOST):
        with transaction.atomic():
            feed = (
                Feed.objects.select_for_update(skip_locked=True, of=("self",))
                .select_related("project", "environment", "mapping", "operation__service")
                .filter(~_is_active(), begins_at__lte=now, planned_for_version=F("version"))
                .order_by("begins_at")
                .first()
            )
            if feed is None:
                break
            due_at = feed.due_at
            run = _start(feed, begun_by="schedule", due_at=due_at)
            _plan(feed, now, due_at)
            if run is not None:
                runs.append(run.pk)
    return runs


def plan_changed(now: datetime) -> None:
    """Puts down when feeds are due whose documents were changed since that was done."""
    for feed in Feed.objects.filter(~Q(planned_for_version=F("version"))):
        _plan(feed, now, None)


def _plan(feed: Feed, now: datetime, last: datetime | None) -> None:
    if not isinstance(feed.loaded().schedule, Watch):
        Feed.objects.filter(pk=feed.pk).update(watch_mark=None)
    due = next_due(feed.loaded().schedule, now, chance=random.random(), last=last)
    Feed.objects.filter(pk=feed.pk, version=feed.version).update(
        planned_for_version=feed.version,
        due_at=due.planned if due else None,
        begins_at=due.begins if due else None,
    )


def start_after(run: Run, state: str, completeness: str) -> None:
    """Starts the feeds that run after this one's feed; within the transaction that ends the run."""
    if run.feed is None or state != "done":
        return
    followers = Feed.objects.filter(
        project=run.project_id, document__schedule__type="after_feed", document__schedule__feed=run.feed.name
    )
    for feed in followers.select_related("project", "environment", "mapping", "operation__service"):
        schedule = feed.loaded().schedule
        if not isinstance(schedule, AfterFeed) or not schedule.enabled:
            continue
        if schedule.when == "done" or completeness == "complete":
            _start(feed, begun_by=f"feed {run.feed.name}", due_at=timezone.now())


def _start_watched(feed: Feed, only_rows: list[int] | None) -> Run | None:
    return _start(feed, begun_by="watch", due_at=timezone.now(), only_rows=only_rows)


def _start(feed: Feed, *, begun_by: str, due_at: Any, only_rows: list[int] | None = None) -> Run | None:
    """A run, or why there is none, put down with the feed."""
    refusal: dict[str, Any] | None = None
    run = None
    try:
        with transaction.atomic():
            run = queue_feed(feed.project, feed, None, {}, begun_by=begun_by, due_at=due_at, only_rows=only_rows)
    except RondineError as error:
        refusal = {**problem_of(error), "at": timezone.now().isoformat()}
        log.warning("a feed that is due cannot start", feed=feed.name, reason=error.message)
    with transaction.atomic():
        if refusal is not None:
            tell_of_refusal(feed, refusal)
        Feed.objects.filter(pk=feed.pk).update(refusal=refusal)
    return run


def _is_active() -> Exists:
    return Exists(Run.objects.filter(feed=OuterRef("pk"), state__in=("queued", "running")))


async def schedule_for_ever(pool: ThreadPoolExecutor, seconds: float = 1.0) -> None:
    """Starts what is due, until cancelled. Any number of workers may do so at once."""
    for look in count():
        try:
            if started := await in_database(pool, start_due):
                log.info("feeds were due", runs=started)
            if started := await in_database(pool, start_watched, _start_watched):
                log.info("feeds were woken by changes of records", runs=started)
            if look % LATE_LOOKS == 0 and (late := await in_database(pool, tell_of_late)):
                log.warning("feeds are late", feeds=late)
        except OperationalError:
            pass
        except Exception:  # one feed's fault must not keep the others from running
            log.exception("looking for feeds that are due failed")
        await asyncio.sleep(seconds)
