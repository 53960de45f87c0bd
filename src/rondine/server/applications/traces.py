"""What is kept of applications' calls: a run and its call, as of every run; and how much was used, hour by hour.

Calls that only read are written down in batches after their replies, so that nobody waits for it; a process that dies
loses what it has not written yet, half a second's calls at most. Calls that write are written down before they are
made.
"""

import asyncio
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

import structlog
from django.db import connection, transaction

from rondine.core.errors import RondineError
from rondine.core.http.messages import Request, http_text, shown_headers
from rondine.core.pagination.one_page import OnePage
from rondine.engine.client import OpenConnection
from rondine.engine.receiving import Received, SideCall
from rondine.server.applications.models import Application, UsageHour
from rondine.server.applications.paging import Going
from rondine.server.runs.calls import here, problem_of, side_call, storable, via_of
from rondine.server.runs.models import Body, Call, Run
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.applications")
#: Seconds between two batches; entries of one; entries that may wait before calls wait for them.
PAUSE, MOST_AT_ONCE, MOST_WAITING = 0.3, 500, 5_000
#: Bytes of a body that is kept.
MOST_KEPT = 16 * 1024 * 1024


@dataclass(slots=True)
class Trace:
    """What is known of one call of an application when it has ended. received: None if nothing came back.  is_kept: its
    body is.  is_run_stored: its run is in the database already.  milliseconds: that it took in all.  page, going: which
    page it is of all."""

    run: int
    application: Application
    operation: UUID
    operation_name: str
    inputs: dict[str, Any]
    content: dict[str, Any]
    request: Request
    connection: OpenConnection
    page: OnePage
    going: Going
    started_at: datetime
    ended_at: datetime
    milliseconds: float
    received: Received | None = None
    sides: Sequence[SideCall] = ()
    error: RondineError | None = None
    is_kept: bool = False
    is_run_stored: bool = False

    @property
    def service_milliseconds(self) -> float:
        return service_milliseconds(self.received, self.sides)

    def fields(self) -> dict[str, Any]:
        """How its run ended."""
        return {
            "state": "done" if self.error is None else "failed",
            "ending": storable(self.error.message)[:300] if self.error else "",
            "error": _storable(problem_of(self.error)) if self.error else None,
            "ended_at": self.ended_at,
        }


def service_milliseconds(received: Received | None, sides: Sequence[SideCall]) -> float:
    """What the services took of a call's time."""
    calls = [received, *(side.received for side in sides)]
    return sum(one.timings.done for one in calls if one is not None)


@dataclass
class Traces:
    """Writes down what it is given, some at a time. pool: the threads that talk to the database."""

    pool: ThreadPoolExecutor
    _waiting: list[Trace] = field(default_factory=list)
    _ids: list[int] = field(default_factory=list)
    _task: asyncio.Task[None] | None = None
    _asking: asyncio.Lock = field(default_factory=asyncio.Lock)

    async def next_run(self) -> int:
        """The number of a run that is not there yet."""
        async with self._asking:
            if not self._ids:
                self._ids = await in_database(self.pool, _numbers, 200)
            return self._ids.pop()

    async def add(self, trace: Trace) -> None:
        self._waiting.append(trace)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._write_soon())
        if len(self._waiting) > MOST_WAITING:  # the database is slower than what comes in
            await asyncio.shield(self._task)

    async def flush(self) -> None:
        """Writes what is waiting now."""
        while self._waiting:
            await self._write()

    async def _write_soon(self) -> None:
        await asyncio.sleep(PAUSE)
        await self.flush()

    async def _write(self) -> None:
        batch, self._waiting = self._waiting[:MOST_AT_ONCE], self._waiting[MOST_AT_ONCE:]
        try:
            await in_database(self.pool, store, batch)
        except Exception as error:
            log.error("calls of applications were not written down", calls=len(batch), reason=str(error)[:300])


def _numbers(count: int) -> list[int]:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT nextval(pg_get_serial_sequence(%s, 'id')) FROM generate_series(1, %s)", (Run._meta.db_table, count)
        )
        return [row[0] for row in reversed(cursor.fetchall())]


def store(batch: Sequence[Trace]) -> None:
    """Runs that are not stored yet, calls, bodies and usage, in one transaction."""
    runs = [new_run(trace, **trace.fields()) for trace in batch if not trace.is_run_stored]
    bodies, calls = [], []
    for trace in batch:
        call, body = _call(trace)
        calls.append(call)
        calls += [
            side_call(trace.run, number, side, trace.connection, trace.started_at)
            for number, side in enumerate(trace.sides, 2)
        ]
        if body is not None:
            bodies.append(body)
    with transaction.atomic():
        Run.objects.bulk_create(runs)
        Body.objects.bulk_create(bodies)
        Call.objects.bulk_create(calls)
        count_usage(batch)


def new_run(trace: Trace, **fields: Any) -> Run:
    application = trace.application
    return Run(
        pk=trace.run,
        project_id=application.project_id,
        environment_id=application.environment_id,
        kind="application",
        application=application,
        operation_id=trace.operation,
        title=storable(f"{trace.request.method} {trace.request.url}")[:300],
        attempt=1,
        inputs=trace.inputs,
        content=trace.content,
        begun_by=f"application {application.name}",
        started_at=trace.started_at,
        **fields,
    )


def _call(trace: Trace) -> tuple[Call, Body | None]:
    received, application = trace.received, trace.application
    body = None
    is_kept = trace.is_kept or trace.error is not None
    if received is not None and received.body and is_kept and len(received.body) <= MOST_KEPT:
        body = Body.of(application.project_id, received.body, received.media_type, received.charset)
    call = Call(
        run_id=trace.run,
        number=1,
        method=trace.request.method,
        url=storable(trace.request.url),
        request=storable(http_text(received.request if received else trace.request)),
        at=(received and received.timings.began_at) or trace.started_at,
        status=received.status if received else None,
        reason=storable(received.reason)[:200] if received else "",
        headers=[[name, storable(value)] for name, value in shown_headers(received.headers)] if received else [],
        size=received.size if received else None,
        timings=received.timings.to_json() if received else {},
        error=_storable(problem_of(trace.error)) if trace.error else None,
        body=body,
        via=via_of(trace.connection),
        by=here(),
    )
    return call, body


def _storable(error: dict[str, Any]) -> dict[str, Any]:
    return {name: storable(value) if isinstance(value, str) else value for name, value in error.items()}


def count_usage(batch: Sequence[Trace]) -> None:
    counts: dict[tuple[Any, datetime, str], list[float]] = {}
    for trace in batch:
        hour = trace.started_at.replace(minute=0, second=0, microsecond=0)
        held = counts.setdefault((trace.application.pk, hour, trace.operation_name), [0, 0, 0.0, 0.0])
        for at, more in enumerate((1, trace.error is not None, trace.milliseconds, trace.service_milliseconds)):
            held[at] += more
    add_usage(counts)


def add_usage(counts: dict[tuple[Any, datetime, str], list[float]]) -> None:
    """counts: [calls, failed, milliseconds, the service's of them] by (application's id, hour, what)."""
    table = UsageHour._meta.db_table
    with connection.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO {table} AS held (application_id, hour, what, calls, failed, busy_ms, service_ms)"
            " VALUES (%s, %s, %s, %s, %s, %s, %s) ON CONFLICT (application_id, hour, what) DO UPDATE SET"
            " calls = held.calls + EXCLUDED.calls, failed = held.failed + EXCLUDED.failed,"
            " busy_ms = held.busy_ms + EXCLUDED.busy_ms, service_ms = held.service_ms + EXCLUDED.service_ms",
            [(*key, *values) for key, values in sorted(counts.items(), key=str)],
        )
