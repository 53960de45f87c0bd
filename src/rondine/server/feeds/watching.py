"""What begins when a field of a kept record changes: what is written down of changes is read on from a mark, which
moves in the transaction that queues the run, so that each change counts once, and none from before counts."""

from collections.abc import Callable
from typing import Any

from django.db.models import QuerySet

from rondine.core.conversions.types import CONVERSIONS
from rondine.core.items.schedule import Watch
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import RecordChange, RecordSet
from rondine.server.releases.configuration import Configuration

#: Changes that one look goes through at most.
MOST = 10_000


def changed_records(item: Any, watch: Watch) -> list[int]:
    """The records, by their keys, whose changes a watch wants and has not seen. Its mark moves on: within the
    transaction that begins what comes of it. item: planned, with its environment."""
    changes, planned = _changes(item, watch), type(item)._default_manager.filter(pk=item.pk)
    if item.watch_mark is None:  # it begins with what happens from now on
        newest = changes.order_by("-pk").values_list("pk", flat=True).first()
        planned.update(watch_mark=newest or 0)
        return []
    page = list(changes.filter(pk__gt=item.watch_mark).order_by("pk")[:MOST])
    if not page:
        return []
    planned.update(watch_mark=page[-1].pk)
    configuration = Configuration(item.environment)
    record_type = configuration.documents(RECORD_TYPES)[configuration.in_its_names(watch).record_type]
    field = record_type.field(watch.field)
    assert field is not None, "problems are found before anything is watched"
    return sorted({change.record_id for change in page if _is_wanted(change, watch, CONVERSIONS[field.type])})


def _changes(item: Any, watch: Watch) -> QuerySet[RecordChange]:
    records = RecordSet.objects.filter(
        environment=item.environment_id,
        record_type__project=item.project_id,
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
