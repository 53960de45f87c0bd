"""Feeds that run when a field of a kept record changes: what is written down of changes is read on from a mark, which
moves in the transaction that queues the run, so that each change counts once, and none from before counts."""

from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from rondine.core.conversions.types import CONVERSIONS
from rondine.core.items.schedule import Watch
from rondine.server.feeds.models import Feed
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import RecordChange, RecordSet
from rondine.server.releases.configuration import Configuration
from rondine.server.runs.models import Run

#: Changes that one look goes through at most.
MOST = 10_000
#: Starts a run of a feed for these records alone, if it asks for each; gives None, and says why with the feed, if it
#: cannot.
Start = Callable[[Feed, list[int] | None], Run | None]


def start_watched(start: Start) -> list[int]:
    """Starts each feed whose watch has seen a change, and gives the runs. One that is running is looked at again when
    it has ended."""
    runs = []
    watching = Feed.objects.filter(document__schedule__type="watch", problems=[])
    for pk in watching.filter(document__schedule__enabled__isnull=True).values_list("pk", flat=True):
        with transaction.atomic():
            feed = (
                Feed.objects.select_for_update(skip_locked=True, no_key=True, of=("self",))
                .select_related("project", "environment", "mapping", "operation__service")
                .filter(pk=pk)
                .first()
            )
            schedule = feed.loaded().schedule if feed is not None else None
            if feed is None or not isinstance(schedule, Watch):
                continue
            if feed.runs.filter(state__in=("queued", "running")).exists():
                continue
            run = _look(feed, schedule, start)
            if run is not None:
                runs.append(run.pk)
    return runs


def _look(feed: Feed, watch: Watch, start: Start) -> Run | None:
    changes = _changes(feed, watch)
    if feed.watch_mark is None:  # it begins with what happens from now on
        newest = changes.order_by("-pk").values_list("pk", flat=True).first()
        Feed.objects.filter(pk=feed.pk).update(watch_mark=newest or 0)
        return None
    page = list(changes.filter(pk__gt=feed.watch_mark).order_by("pk")[:MOST])
    if not page:
        return None
    Feed.objects.filter(pk=feed.pk).update(watch_mark=page[-1].pk)
    configuration = Configuration(feed.environment)
    record_type = configuration.documents(RECORD_TYPES)[configuration.in_its_names(watch).record_type]
    field = record_type.field(watch.field)
    assert field is not None, "problems are found before anything is watched"
    wanted = [change.record_id for change in page if _is_wanted(change, watch, CONVERSIONS[field.type])]
    if not wanted:
        return None
    for_each = feed.loaded().for_each
    is_of_them = for_each is not None and for_each.record_type == watch.record_type
    return start(feed, sorted(set(wanted)) if is_of_them else None)


def _changes(feed: Feed, watch: Watch) -> QuerySet[RecordChange]:
    records = RecordSet.objects.filter(
        environment=feed.environment_id,
        record_type__project=feed.project_id,
        record_type__name=watch.record_type,
    )
    return RecordChange.objects.filter(set_id__in=records.values("pk"))


def _is_wanted(change: RecordChange, watch: Watch, convert: Callable[[Any], Any]) -> bool:
    before, after = change.before or {}, change.after or {}
    if watch.field not in before and watch.field not in after:
        return False
    if watch.when == "changes":
        return True
    old, new = before.get(watch.field), after.get(watch.field)
    if old is None or new is None:
        return False
    return bool(convert(new) > convert(old) if watch.when == "rises" else convert(new) < convert(old))
