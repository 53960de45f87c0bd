"""The calls that a run of a flow makes, written down: each when it has ended, or all when the run has."""

import asyncio
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from itertools import count
from typing import Protocol

from django.db import transaction
from django.db.models import Max

from rondine.core.errors import RondineError
from rondine.core.http.messages import Request
from rondine.engine.receiving import Received, SideCall
from rondine.server.operations.calling import ReadyOperation
from rondine.server.runs.calls import call_row, side_call
from rondine.server.runs.models import Body, Call, Run
from rondine.server.threads import in_database

#: Bytes of a body that an answer may have: it is written down with the run, and every later step may look at it.
MOST_BODY = 4 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class CarriedCall:
    """A call that was made for a task, and what came of it. received: None if nothing came back."""

    task: str
    ready: ReadyOperation
    request: Request
    received: Received | None
    error: RondineError | None
    sides: Sequence[SideCall]
    at: datetime

    def spans(self) -> Iterator[tuple[float, float]]:
        """When it and each beside it began, in seconds since 1970, and how many milliseconds it took."""
        for received in (self.received, *(side.received for side in self.sides)):
            if received is not None:
                yield received.timings.began, received.timings.done

    def rows(self, run: Run, numbers: Iterator[int]) -> tuple[list[Call], Body | None]:
        """The call, and those beside it; and its body, as it is kept."""
        received, body = self.received, None
        if received is not None and received.body and len(received.body) <= MOST_BODY:
            body = Body.of(run.project_id, received.body, received.media_type, received.charset)
        connection = self.ready.connection
        call = call_row(
            run.pk, self.request, received, self.error, connection, at=self.at, number=next(numbers), body=body
        )
        call.task, call.operation = self.task[:200], self.ready.name
        return [call, *(side_call(run.pk, next(numbers), side, connection, self.at) for side in self.sides)], body


class Calls(Protocol):
    """Where a run's calls are written down."""

    async def add(self, call: CarriedCall) -> int:
        """The number that the call has within its run."""


class StoredCalls:
    """In the database, each when it has ended."""

    def __init__(self, run: Run, pool: ThreadPoolExecutor) -> None:
        self.run, self.pool = run, pool
        self._numbers: Iterator[int] | None = None
        self._one_by_one = asyncio.Lock()

    async def add(self, call: CarriedCall) -> int:
        async with self._one_by_one:
            return await in_database(self.pool, self._store, call)

    def _store(self, call: CarriedCall) -> int:
        if self._numbers is None:
            self._numbers = count(1 + (self._last_of_before() if self.run.attempt > 1 else 0))
        calls, body = call.rows(self.run, self._numbers)
        with transaction.atomic():
            if body is not None:
                body.save(force_insert=True)
            Call.objects.bulk_create(calls)
        return calls[0].number

    def _last_of_before(self) -> int:
        """The number of the last call of the attempts before."""
        found: int | None = Call.objects.filter(run=self.run.pk).aggregate(last=Max("number"))["last"]
        return found or 0


@dataclass
class HeldCalls:
    """In memory, until the run has ended."""

    made: list[CarriedCall] = field(default_factory=list)
    _last: int = 0

    async def add(self, call: CarriedCall) -> int:
        self.made.append(call)
        number = self._last + 1
        self._last += 1 + len(call.sides)
        return number
