"""Flows that are run by themselves: at times, after a feed, or when a record has changed. A schedule whose run is still
under way is passed over until that has ended, unless it says that its runs overlap."""

from collections.abc import Iterator
from datetime import datetime
from typing import Any

from django.db.models import Exists, OuterRef, Q
from django.utils import timezone

from rondine.core.items.schedule import Watch
from rondine.server.feeds.scheduling import AFTER_FEED, ALSO_DUE, begun
from rondine.server.feeds.watching import changed_records
from rondine.server.flows.kinds import FLOWS
from rondine.server.flows.models import FlowSchedule
from rondine.server.flows.queueing import queue_flow
from rondine.server.items.planned import Planning
from rondine.server.records.browsing import shown_data
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import Record
from rondine.server.releases.configuration import Configuration
from rondine.server.runs.models import Run

_RELATED = ("project", "environment__release")
_UNDER_WAY = ("queued", "running", "waiting")


def begin_due() -> list[int]:
    """Begins every flow whose time has come, or whose record has changed, and gives the runs."""
    return PLANNED.begin_due(timezone.now()) + PLANNED.begin_watched(_of_changes)


def _is_busy() -> Q:
    runs = Run.objects.filter(flow_schedule=OuterRef("pk"), state__in=_UNDER_WAY)
    return Q(Exists(runs)) & Q(document__overlaps__isnull=True)


def _is_one_busy(item: FlowSchedule) -> bool:
    return FlowSchedule.objects.filter(_is_busy(), pk=item.pk).exists()


def _of_changes(item: FlowSchedule, watch: Watch) -> Iterator[Run]:
    """One run for each record that has changed, if they are told apart; else one for all."""
    document = item.loaded()
    if not document.from_record and _is_one_busy(item):
        return
    changed = changed_records(item, watch)
    if changed and not document.from_record:
        run = _begin(item)
        if run is not None:
            yield run
    elif changed:
        configuration = Configuration(item.environment)
        record_type = configuration.documents(RECORD_TYPES)[configuration.in_its_names(watch).record_type]
        schedules, refusal = FlowSchedule.objects.filter(pk=item.pk), None
        for record in Record.objects.filter(pk__in=changed).order_by("pk"):
            data = shown_data(record.data, record_type)
            given = {name: data.get(field) for name, field in document.from_record.items()}
            run = _begin(item, {name: value for name, value in given.items() if value is not None})
            if run is not None:
                yield run
            else:
                refusal = schedules.values_list("refusal", flat=True).get()
        if refusal is not None:  # that others have begun does not make it good
            schedules.update(refusal=refusal)


def _begin(item: FlowSchedule, more: dict[str, Any] | None = None, due_at: datetime | None = None) -> Run | None:
    """more: inputs, beside those of the schedule."""
    document, environment = item.loaded(), item.environment
    return begun(
        item,
        lambda: queue_flow(
            item.project,
            Configuration(environment).named(FLOWS, document.flow),
            environment,
            {**document.inputs, **(more or {})},
            role="schedule",
            begun_by=f"flow schedule {item.name}",
            flow_schedule=item,
            due_at=due_at or timezone.now(),
        ),
    )


def _after_feed(run: Run, completeness: str) -> None:
    """Begins the flows that are run after a feed; within the transaction that ends its run."""
    assert run.feed is not None
    for item in PLANNED.following(run.feed.name, completeness, environment=run.environment_id):
        if not _is_one_busy(item):
            _begin(item)


PLANNED = Planning(FlowSchedule, _RELATED, _is_busy, lambda item, due_at: _begin(item, due_at=due_at))
ALSO_DUE.append(begin_due)
AFTER_FEED.append(_after_feed)
