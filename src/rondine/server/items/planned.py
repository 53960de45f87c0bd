"""Items that begin something by themselves. What is due is claimed and begun in one transaction, so that no crash loses
or doubles it; what was missed is caught up with once."""

import random
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import models, transaction
from django.db.models import Exists, F, Q
from django.utils import timezone

from rondine.core.items.schedule import AfterFeed, Schedule, Watch, next_due
from rondine.server.items.models import Item

#: Items that one look begins at most.
MOST = 100


class Planned(Item):
    """due_at, begins_at: when it begins next by itself, as its schedule says and with jitter and quiet hours; written
    by the workers. planned_for_version: of the document that these were made from.  refusal: why the last time that was
    due began nothing.  watch_mark: the last change that its watch has looked at; null without one."""

    due_at = models.DateTimeField(null=True)
    begins_at = models.DateTimeField(null=True, db_index=True)
    planned_for_version = models.PositiveIntegerField(default=0)
    refusal = models.JSONField(null=True)
    watch_mark = models.BigIntegerField(null=True)

    class Meta:
        abstract = True

    @property
    def schedule(self) -> Schedule | None:
        found: Schedule | None = self.loaded().schedule
        return found

    @property
    def next_at(self) -> datetime | None:
        """When it is due next; None if its schedule names no time."""
        if self.planned_for_version == self.version:
            return self.due_at
        due = next_due(self.schedule, timezone.now())  # changed just now, and not planned yet
        return due.planned if due else None

    def loaded(self) -> Any:
        raise NotImplementedError


@dataclass(frozen=True)
class Planning:
    """How items of a model begin. related: what is read with each.  is_busy: those that must not begin now.  begin:
    with when it was due; gives the run, None if there is none."""

    model: type[Planned]
    related: Sequence[str]
    is_busy: Callable[[], Exists | Q]
    begin: Callable[[Any, datetime | None], Any]

    def begin_due(self, now: datetime) -> list[int]:
        """Begins everything that is due, and gives the runs."""
        self.plan_changed(now)
        runs = []
        for _ in range(MOST):
            with transaction.atomic():
                item = (
                    self.model._default_manager.select_for_update(skip_locked=True, of=("self",))
                    .select_related(*self.related)
                    .filter(~self.is_busy(), begins_at__lte=now, planned_for_version=F("version"))
                    .order_by("begins_at")
                    .first()
                )
                if item is None:
                    break
                due_at = item.due_at
                run = self.begin(item, due_at)
                plan(item, now, due_at)
                if run is not None:
                    runs.append(run.pk)
        return runs

    def begin_watched(self, look: Callable[[Any, Watch], Iterable[Any]]) -> list[int]:
        """Looks at each item that watches, and gives the runs that come of it. look: gives them, within a transaction
        that holds the item."""
        runs = []
        watching = self.model._default_manager.filter(document__schedule__type="watch", problems=[])
        for pk in watching.filter(document__schedule__enabled__isnull=True).values_list("pk", flat=True):
            with transaction.atomic():
                held = self.model._default_manager.select_for_update(skip_locked=True, no_key=True, of=("self",))
                item = held.select_related(*self.related).filter(pk=pk).first()
                schedule = item.schedule if item is not None else None
                if isinstance(schedule, Watch):
                    runs += [run.pk for run in look(item, schedule)]
        return runs

    def following(self, feed: str, completeness: str, **only: Any) -> Iterator[Any]:
        """Items that begin after a run of a feed that has ended well. completeness: of the run."""
        wanted = self.model._default_manager.filter(
            document__schedule__type="after_feed", document__schedule__feed=feed, **only
        )
        for item in wanted.select_related(*self.related):
            schedule = item.schedule
            if not isinstance(schedule, AfterFeed) or not schedule.enabled:
                continue
            if schedule.when == "done" or completeness == "complete":
                yield item

    def plan_changed(self, now: datetime) -> None:
        """Puts down when items are due whose documents were changed since that was done."""
        for item in self.model._default_manager.filter(~Q(planned_for_version=F("version"))):
            plan(item, now, None)


def plan(item: Planned, now: datetime, last: datetime | None) -> None:
    """Puts down when an item is due next. last: when it was before."""
    model = type(item)
    schedule = item.schedule
    if not isinstance(schedule, Watch):
        model._default_manager.filter(pk=item.pk).update(watch_mark=None)
    due = next_due(schedule, now, chance=random.random(), last=last)
    model._default_manager.filter(pk=item.pk, version=item.version).update(
        planned_for_version=item.version,
        due_at=due.planned if due else None,
        begins_at=due.begins if due else None,
    )
