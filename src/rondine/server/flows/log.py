"""A run's events: in the database, added in the transaction that queues what comes of them, under a lock of the run,
and numbered in the order in which they count. Whoever adds some from outside, such as a person's yes, wakes the run if
it waits. Or in memory, of a run that only reads and is answered at once."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Protocol

from django.db import transaction
from django.utils import timezone

from rondine.core.errors import Conflict, NotFound, RunEnded
from rondine.core.flow.document import Callback, FlowDocument, PauseStep, steps_by_name
from rondine.core.flow.history import AnyEvent
from rondine.core.flow.tasks import End, Next, Waiting
from rondine.server.flows.lookup import lookup_of
from rondine.server.flows.models import FlowEvent, FlowPause
from rondine.server.runs.actions import defer, notify
from rondine.server.runs.models import Run
from rondine.server.threads import in_database


class Log(Protocol):
    """What has happened in a run, as the process that holds it goes by it."""

    @property
    def events(self) -> Sequence[AnyEvent]: ...

    @property
    def may_rest(self) -> bool:
        """Whether the run can be given back, and taken up again."""

    async def read(self) -> None:
        """What was added by others since the last time."""

    async def add(self, events: Sequence[AnyEvent], following: Next, *, rests: bool) -> bool:
        """Adds events, and does what comes of them at once. False if something came from outside meanwhile: nothing
        was added then, and that is read. Raises RunEnded if the run is not this process's any more."""


@dataclass
class HeldLog:
    """In memory only. end: once there is one."""

    events: list[AnyEvent]
    end: End | None = None
    may_rest: bool = False

    async def read(self) -> None:
        pass

    async def add(self, events: Sequence[AnyEvent], following: Next, *, rests: bool) -> bool:
        self.events += events
        self.end = following.end
        return True


@dataclass
class StoredLog:
    """In the database, of one attempt at a run. then: what comes of a step, within the transaction of its events.
    last: the number of the last event that was read or added.  parent: the run that asked this one, if one did."""

    run_id: int
    attempt: int
    pool: ThreadPoolExecutor
    then: Callable[[Next, bool], None]
    events: list[AnyEvent] = field(default_factory=list)
    last: int = 0
    parent: int | None = None
    may_rest: bool = True

    async def read(self) -> None:
        await in_database(self.pool, self._read)

    async def add(self, events: Sequence[AnyEvent], following: Next, *, rests: bool) -> bool:
        return await in_database(self.pool, self._add, events, following, rests)

    def _read(self) -> None:
        for row in FlowEvent.objects.filter(run=self.run_id, number__gt=self.last).order_by("number"):
            self.events.append(row.event())
            self.last = row.number

    def _add(self, events: Sequence[AnyEvent], following: Next, rests: bool) -> bool:
        with transaction.atomic():
            if following.end is not None:
                lock_parent(self.parent)
            mine = Run.objects.filter(pk=self.run_id, attempt=self.attempt, state="running")
            if not mine.update(alive_at=timezone.now()):  # which locks it
                raise RunEnded("it was cancelled or taken over", where=f"run {self.run_id}")
            before = self.last
            self._read()
            if self.last != before:
                return False
            self.last = add_events(self.run_id, events, self.last)
            self.then(following, rests)
        self.events += events
        return True


def add_events(run_id: int, events: Sequence[AnyEvent], last: int) -> int:
    """Within a transaction that holds the run. last: the number of the last event there is. Gives the new one."""
    FlowEvent.objects.bulk_create(FlowEvent.of(run_id, number, event) for number, event in enumerate(events, last + 1))
    return last + len(events)


def append_events(run: Run, events: Sequence[AnyEvent]) -> None:
    """Behind the last that there is, within a transaction that holds the run."""
    last = run.flow_events.order_by("-number").values_list("number", flat=True).first() or 0
    add_events(run.pk, events, last)


def lock_parent(parent: int | None) -> None:
    """A run that asked another one is locked before that one, wherever both are: two that wait for each other's lock
    would both wait for ever."""
    if parent is not None:
        Run.objects.select_for_update(no_key=True).filter(pk=parent).first()


def rest(run: Run, document: FlowDocument, waiting: Sequence[Waiting], wake: datetime | None) -> None:
    """Within the transaction of the last events: the run waits, and no process is kept for it."""
    Run.objects.filter(pk=run.pk).update(state="waiting", wake_at=wake, alive_at=None)
    steps = steps_by_name(document)
    FlowPause.objects.bulk_create(_pause(run, one, steps.get(one.step)) for one in waiting)
    notify(run.pk)


def _pause(run: Run, waiting: Waiting, step: Any) -> FlowPause:
    content: dict[str, Any] = {"shows": dict(waiting.shows)} if waiting.shows else {}
    webhook = paths = digest = ""
    if isinstance(step, PauseStep) and isinstance(step.callback, Callback):
        webhook = step.callback.webhook
        content["matches"] = [
            [at if isinstance(at, str) else {"jsonpath": at.jsonpath, "pointer": at.pointer}, value]
            for at, value in waiting.matches
        ]
        paths, digest = lookup_of(content["matches"])
    if isinstance(step, PauseStep) and step.person is not None:
        asked = step.person
        content |= {"question": asked.question, "roles": list(asked.roles), "people": list(asked.people)}
    return FlowPause(
        run=run, task=waiting.task, step=waiting.step, kind=waiting.kind, until=waiting.until, webhook=webhook,
        paths=paths, digest=digest, content=content,
    )  # fmt: skip


def tell_run(run_id: int, made: Callable[[Run, Sequence[AnyEvent]], AnyEvent]) -> Run:
    """Adds one event from outside, and lets the run go on if it waits. made: gives the event, for the run and what has
    happened in it, or raises what refuses it. Raises NotFound, and Conflict for a run that is over."""
    with transaction.atomic():
        run = Run.objects.select_for_update(no_key=True).filter(pk=run_id, kind="flow").first()
        if run is None:
            raise NotFound(
                f"there is no run {run_id} of a flow", where="runs", hint="see what there is: rondine run list"
            )
        if run.state in ("done", "failed", "cancelled"):
            raise Conflict(f"run {run_id} is over already ({run.state})", where=f"run {run_id}", hint="nothing to do")
        rows = list(FlowEvent.objects.filter(run=run).order_by("number"))
        event = made(run, [row.event() for row in rows])
        add_events(run_id, [event], rows[-1].number if rows else 0)
        wake(run)
        notify(run_id)
    return run


def wake(run: Run) -> None:
    """Within a transaction: a run that waits is queued to go on."""
    if Run.objects.filter(pk=run.pk, state="waiting").update(state="queued", wake_at=None):
        FlowPause.objects.filter(run=run).delete()
        defer(run)
