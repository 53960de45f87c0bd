"""What is kept of applications' calls: a run and its call, as of every run; and how much was used, hour by hour.

Calls that only read are written down in batches after their replies, so that nobody waits for it; a process that dies
loses what it has not written yet, half a second's calls at most. Calls that write are written down before they are
made.
"""

import asyncio
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

import structlog
from django.db import connection, transaction
from django.utils import timezone

from rondine.core.errors import RondineError
from rondine.core.http.messages import Request, storable_text
from rondine.core.pagination.one_page import OnePage
from rondine.engine.client import OpenConnection
from rondine.engine.receiving import Received, SideCall
from rondine.server.applications.models import Application, UsageHour
from rondine.server.operations.page_parts import Going
from rondine.server.runs.calls import busy_milliseconds, call_row, side_call, stored_problem
from rondine.server.runs.copying import copy_in
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
    body is.  is_run_stored: its run is in the database already.  is_background: a worker makes it.
    milliseconds: that it took in all.  page, going: which page it is of all."""

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
    is_background: bool = False

    @property
    def service_milliseconds(self) -> float:
        return service_milliseconds(self.received, self.sides)

    def fields(self) -> dict[str, Any]:
        """How its run ended."""
        return {
            "state": "done" if self.error is None else "failed",
            "ending": storable_text(self.error.message)[:300] if self.error else "",
            "error": stored_problem(self.error) if self.error else None,
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
    _counts: dict[tuple[Any, datetime, str], list[float]] = field(default_factory=dict)
    _writes: list[Callable[[], None]] = field(default_factory=list)
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
        await self._keep_up()

    def count(self, application: Any, what: str, *, failed: bool, milliseconds: float, service: float) -> None:
        """Counts one use whose run, if it has one, is stored already. application: its id."""
        _add(self._counts, (application, _hour(timezone.now()), what), failed, milliseconds, service)
        self._write_in_time()

    async def later(self, write: Callable[[], None]) -> None:
        """What is written down with the next batch, in its own transaction."""
        self._writes.append(write)
        await self._keep_up()

    async def _keep_up(self) -> None:
        self._write_in_time()
        waiting = len(self._waiting) + len(self._writes)
        if self._task is not None and waiting > MOST_WAITING:  # the database is slower than what comes in
            await asyncio.shield(self._task)

    def _write_in_time(self) -> None:
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._write_soon())

    async def flush(self) -> None:
        """Writes what is waiting now."""
        while self._waiting or self._counts or self._writes:
            await self._write()

    async def _write_soon(self) -> None:
        await asyncio.sleep(PAUSE)
        await self.flush()

    async def _write(self) -> None:
        batch, self._waiting = self._waiting[:MOST_AT_ONCE], self._waiting[MOST_AT_ONCE:]
        counts, self._counts = self._counts, {}
        writes, self._writes = self._writes[:MOST_AT_ONCE], self._writes[MOST_AT_ONCE:]
        try:
            if writes:
                await in_database(self.pool, _write_each, writes)
            if batch:
                await in_database(self.pool, store, batch)
            if counts:
                await in_database(self.pool, add_usage, counts)
        except Exception as error:
            log.error("calls of applications were not written down", calls=len(batch), reason=str(error)[:300])


def _write_each(writes: Sequence[Callable[[], None]]) -> None:
    for write in writes:
        try:
            write()
        except Exception as error:
            log.error("the run of a flow was not written down", reason=str(error)[:300])


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
    with transaction.atomic(savepoint=False):
        copy_in(runs)
        copy_in(bodies)
        copy_in(calls)
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
        title=storable_text(f"{trace.request.method} {trace.request.url}")[:300],
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
    call = call_row(trace.run, trace.request, received, trace.error, trace.connection, at=trace.started_at, body=body)
    return call, body


def count_usage(batch: Sequence[Trace]) -> None:
    counts: dict[tuple[Any, datetime, str], list[float]] = {}
    for trace in batch:
        key = (trace.application.pk, _hour(trace.started_at), trace.operation_name)
        _add(counts, key, trace.error is not None, trace.milliseconds, trace.service_milliseconds)
    add_usage(counts)


def add_usage_of(run: Run, what: str, *, failed: bool) -> None:
    """Counts a run of an application that ends now."""
    now = timezone.now()
    calls = run.calls.values_list("at", "timings")
    service = busy_milliseconds((at.timestamp(), timings["done"]) for at, timings in calls if timings)
    took = (now - run.queued_at).total_seconds() * 1000
    add_usage({(run.application_id, _hour(now), what): [1, int(failed), took, service]})


def _hour(moment: datetime) -> datetime:
    return moment.replace(minute=0, second=0, microsecond=0)


def _add(
    counts: dict[tuple[Any, datetime, str], list[float]],
    key: tuple[Any, datetime, str],
    failed: bool,
    milliseconds: float,
    service: float,
) -> None:
    held = counts.setdefault(key, [0, 0, 0.0, 0.0])
    for at, more in enumerate((1, failed, milliseconds, service)):
        held[at] += more


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
