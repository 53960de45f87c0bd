"""Flows that only read and wait for nobody, carried out in the process that was asked: without a queue, in memory.
Their runs are written down when they have ended; a process that dies before has changed nothing."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import count

from django.db import transaction
from django.utils import timezone

from rondine.core.flow.document import FlowDocument
from rondine.core.flow.history import Begun
from rondine.core.flow.tasks import End
from rondine.server.flows.asking import Carrier
from rondine.server.flows.calls import HeldCalls
from rondine.server.flows.ending import ended_fields
from rondine.server.flows.log import HeldLog
from rondine.server.flows.models import FlowEvent
from rondine.server.flows.running import FlowRun
from rondine.server.flows.telling import tell_of_end
from rondine.server.runs.calls import busy_milliseconds
from rondine.server.runs.copying import copy_in
from rondine.server.runs.models import Body, Call, Run


@dataclass
class HeldRun:
    """run: with its number, not stored yet.  end: once it is settled."""

    run: Run
    document: FlowDocument
    log: HeldLog
    calls: HeldCalls
    end: End | None = None

    @classmethod
    def of(cls, run: Run, begun: Begun, document: FlowDocument) -> "HeldRun":
        return cls(run, document, HeldLog([begun]), HeldCalls())

    async def go(self, made: Callable[[HeldCalls], Carrier]) -> End:
        """To its end. made: what carries out what it asks. The tasks that are under way are stopped if it is."""
        self.run.started_at, self.run.attempt = timezone.now(), 1
        await FlowRun(self.run, self.document, made(self.calls), self.log).go()
        assert self.log.end is not None  # nothing else ends a run that cannot rest
        return self.log.end

    def settle(self, end: End) -> None:
        """How it has ended: by itself, or because it took too long."""
        self.end = end
        for name, value in ended_fields(self.run, end).items():
            setattr(self.run, name, value)

    @property
    def service_milliseconds(self) -> float:
        """For how long services were waited for."""
        return busy_milliseconds(span for call in self.calls.made for span in call.spans())


def store(runs: Sequence[HeldRun]) -> None:
    """Runs that are settled with all that happened in them, in one transaction."""
    events: list[FlowEvent] = []
    calls: list[Call] = []
    bodies: list[Body] = []
    for held in runs:
        run, numbers = held.run, count(1)
        events += [FlowEvent.of(run.pk, number, event) for number, event in enumerate(held.log.events, 1)]
        before = len(calls)
        for call in held.calls.made:
            rows, body = call.rows(run, numbers)
            calls += rows
            bodies += [body] if body is not None else []
        run.checkpoint = {"next": None, "calls": len(calls) - before}
    with transaction.atomic():
        copy_in([held.run for held in runs])
        copy_in(events)
        copy_in(bodies)
        copy_in(calls)
        for held in runs:
            if held.end is not None:
                tell_of_end(held.run, held.end)
