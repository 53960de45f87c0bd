"""Feeds that run by themselves: what is due is claimed and queued in one transaction, so that no crash loses or doubles
it. A feed that is running when it is due runs again when that has ended; what was missed is caught up with one run."""

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from itertools import count
from typing import Any

import structlog
from django.db import OperationalError, transaction
from django.db.models import Exists, OuterRef
from django.utils import timezone

from rondine.core.errors import RondineError
from rondine.core.items.schedule import Watch
from rondine.server.feeds.models import Feed
from rondine.server.feeds.queueing import queue_feed
from rondine.server.feeds.telling import tell_of_late, tell_of_refusal
from rondine.server.feeds.watching import changed_records
from rondine.server.items.planned import Planned, Planning
from rondine.server.runs.calls import problem_of
from rondine.server.runs.models import Run
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.schedules")
#: What else begins by itself: each begins what is due, and gives the runs.
ALSO_DUE: list[Callable[[], list[int]]] = []
#: Told, within the transaction that ends a feed's run, that it has ended well: the run, and whether it saw all.
AFTER_FEED: list[Callable[[Run, str], None]] = []
#: Looks until it is looked again which feeds are late.
LATE_LOOKS = 20


def start_due(now: datetime | None = None) -> list[int]:
    """Starts every feed that is due, and gives the runs."""
    return FEEDS.begin_due(now or timezone.now())


def start_after(run: Run, state: str, completeness: str) -> None:
    """Starts the feeds that run after this one's feed; within the transaction that ends the run."""
    if run.feed is None or state != "done":
        return
    for feed in FEEDS.following(run.feed.name, completeness, project=run.project_id):
        _start(feed, begun_by=f"feed {run.feed.name}", due_at=timezone.now())
    for follow in AFTER_FEED:
        follow(run, completeness)


def start_watched() -> list[int]:
    """Starts each feed whose watch has seen a change, and gives the runs. One that is running is looked at again when
    it has ended."""
    return FEEDS.begin_watched(_look)


def _look(feed: Feed, watch: Watch) -> list[Run]:
    if feed.runs.filter(state__in=("queued", "running")).exists():
        return []
    wanted = changed_records(feed, watch)
    if not wanted:
        return []
    for_each = feed.loaded().for_each
    is_of_them = for_each is not None and for_each.record_type == watch.record_type
    run = _start(feed, begun_by="watch", due_at=timezone.now(), only_rows=wanted if is_of_them else None)
    return [] if run is None else [run]


def _start(feed: Feed, *, begun_by: str, due_at: Any, only_rows: list[int] | None = None) -> Run | None:
    return begun(
        feed,
        lambda: queue_feed(feed.project, feed, None, {}, begun_by=begun_by, due_at=due_at, only_rows=only_rows),
    )


def begun(item: Planned, queue: Callable[[], Run]) -> Run | None:
    """The run of an item that is due; None where there is none, and why is put down with the item, and told. queue:
    makes the run. Within a transaction."""
    refusal: dict[str, Any] | None = None
    run = None
    try:
        with transaction.atomic():
            run = queue()
    except RondineError as error:
        refusal = {**problem_of(error), "at": timezone.now().isoformat()}
        log.warning("what is due cannot begin", kind=item._meta.verbose_name, name=item.name, reason=error.message)
        tell_of_refusal(item, refusal)
    type(item)._default_manager.filter(pk=item.pk).update(refusal=refusal)
    return run


FEEDS = Planning(
    Feed,
    ("project", "environment", "mapping", "operation__service"),
    lambda: Exists(Run.objects.filter(feed=OuterRef("pk"), state__in=("queued", "running"))),
    lambda feed, due_at: _start(feed, begun_by="schedule", due_at=due_at),
)


async def schedule_for_ever(pool: ThreadPoolExecutor, seconds: float = 1.0) -> None:
    """Starts what is due, until cancelled. Any number of workers may do so at once."""
    for look in count():
        try:
            if started := await in_database(pool, start_due):
                log.info("feeds were due", runs=started)
            if started := await in_database(pool, start_watched):
                log.info("feeds were woken by changes of records", runs=started)
            for begin in ALSO_DUE:
                if started := await in_database(pool, begin):
                    log.info("schedules were due", runs=started)
            if look % LATE_LOOKS == 0 and (late := await in_database(pool, tell_of_late)):
                log.warning("feeds are late", feeds=late)
        except OperationalError:
            pass
        except Exception:  # one feed's fault must not keep the others from running
            log.exception("looking for feeds that are due failed")
        await asyncio.sleep(seconds)
