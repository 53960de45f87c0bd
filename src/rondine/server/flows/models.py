"""Flows, what happened in their runs, and what these wait for."""

from datetime import UTC
from decimal import Decimal
from typing import Any

import msgspec
from django.db import models
from django.db.models import Q

from rondine.core.flow.document import FlowDocument
from rondine.core.flow.history import AnyEvent
from rondine.core.items.flow_schedule import FlowScheduleDocument
from rondine.core.settings import load
from rondine.server.connecting.models import Environment
from rondine.server.items.exact import ExactJSONField
from rondine.server.items.models import Item
from rondine.server.items.planned import Planned
from rondine.server.runs.models import Run

#: What a run can wait for besides its tasks.
WAITS = ("time", "callback", "person", "doubt", "step")


class Flow(Item):
    """A flow, as its draft is. warnings: what is odd in it, though it runs."""

    warnings = models.JSONField(default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_flow_a_name")]

    def loaded(self) -> FlowDocument:
        return load(FlowDocument, self.document)


class FlowSchedule(Planned):
    """What begins a flow by itself, in one environment."""

    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="flow_schedules")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_flow_schedule_a_name")]
        verbose_name = "flow schedule"

    def loaded(self) -> FlowScheduleDocument:
        return load(FlowScheduleDocument, self.document)


class FlowEvent(models.Model):
    """One thing that happened in a run (`core/flow/history.py`), in the order in which they count. Only ever added."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="flow_events")
    number = models.PositiveIntegerField()
    at = models.DateTimeField()
    content = ExactJSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["run", "number"], name="one_flow_event_a_number")]

    @classmethod
    def events_of(cls, run: Run) -> list[AnyEvent]:
        return [row.event() for row in cls.objects.filter(run=run).order_by("number")]

    @classmethod
    def of(cls, run_id: int, number: int, event: AnyEvent) -> "FlowEvent":
        content: dict[str, Any] = msgspec.to_builtins(event, builtin_types=(Decimal,))
        return cls(run_id=run_id, number=number, at=event.at.astimezone(UTC), content=content)

    def event(self) -> AnyEvent:
        found: AnyEvent = load(AnyEvent, self.content)
        return found


class FlowPause(models.Model):
    """What a run waits for: a time, a callback, a person's yes, or that somebody says what became of a task. until:
    when its time is over.  webhook: of the callback.  content: what people see, or what a callback has to match.
    paths, digest: of the callback, to look it up by (`lookup.py`); empty where it has to be compared.  is_looked_for:
    it is known that the callback did not come before the pause began."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="pauses")
    task = models.CharField(max_length=200)
    step = models.CharField(max_length=63)
    kind = models.CharField(max_length=10, choices=[(kind, kind) for kind in WAITS])
    until = models.DateTimeField(null=True)
    webhook = models.CharField(max_length=63, blank=True)
    paths = models.CharField(max_length=500, blank=True, default="")
    digest = models.CharField(max_length=64, blank=True, default="")
    content = ExactJSONField(default=dict)
    is_looked_for = models.BooleanField(default=False)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["run", "task"], name="one_pause_a_task"),
            models.CheckConstraint(condition=Q(kind__in=WAITS), name="pause_kind_is_known"),
        ]
        indexes = [
            models.Index(fields=["webhook", "paths"], condition=Q(kind="callback"), name="pauses_for_callbacks"),
            models.Index(fields=["digest"], condition=~Q(digest=""), name="pauses_by_what_tells_apart"),
        ]
