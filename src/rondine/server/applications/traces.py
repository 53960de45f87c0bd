"""What is kept of applications' calls: a run and its call, as of every run; and how much was used, hour by hour.

Calls that only read are written down in batches after their replies, so that nobody waits for it; a process that dies
loses what it has not written yet, half a second's calls at most; while the database is away, they wait for it. Calls
that write are written down before they are made.
"""

import asyncio
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, TypeVar
from uuid import UUID

import structlog
from django.db import OperationalError, connection, transaction
from django.utils import timezone

from rondine.core.errors import RondineError
from rondine.core.http.messages import Request, storable_text
from rondine.core.pagination.one_page import OnePage
from rondine.engine.client import OpenConnection
from rondine.engine.receiving import Received, SideCall
from rondine.server.applications.models import Application, UsageHour
from rondine.server.flows.at_once import HeldRun
from rondine.server.flows.at_once import store as store_flows
from rondine.server.operations.page_parts import Going
from rondine.server.runs.calls import busy_milliseconds, call_row, side_call, stored_problem
from rondine.server.runs.copying import copy_in
from rondine.server.runs.models import Body, Call, Run
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.applications")
#: Seconds between two batches; entries of one; entries that may wait before calls wait for them.
PAUSE, MOST_AT_ONCE, MOST_WAITING = 0.3, 500, 5_000
#: Seconds until the next try while the database is away.
PATIENCE = 1.0
#: Application's id, hour, and what was used; calls, failed ones, milliseconds, and the service's of these.
CountedAs = tuple[Any, datetime, str]
Counts = dict[CountedAs, list[float]]
T = TypeVar("T")
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
    _counts: Counts = field(default_factory=dict)
    _flows: list[HeldRun] = field(default_factory=list)
    _ids: list[int] = field(default_factory=list)
    _task: asyncio.Task[None] | None = None
    _is_away: bool = False
    _asking: asyncio.Lock = field(default_factory=asyncio.Lock)
    _writing: asyncio.Lock = field(default_factory=asyncio.Lock)

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

    async def add_flow(self, run: HeldRun) -> None:
        """run: settled."""
        self._flows.append(run)
        await self._keep_up()

    async def _keep_up(self) -> None:
        self._write_in_time()
        waiting = len(self._waiting) + len(self._flows)
        if self._task is not None and waiting > MOST_WAITING and not self._is_away:  # it is slower than what comes in
            await asyncio.shield(self._task)

    def _write_in_time(self) -> None:
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._write_soon())

    async def flush(self) -> None:
        """Writes what is waiting now. What the database does not take, as it is away, is lost."""
        while self._is_waiting:
            if not await self._write():
                log.error("what applications did was not written down: the database is away", entries=self._is_waiting)
                return

    @property
    def _is_waiting(self) -> int:
        """How many entries are."""
        return len(self._waiting) + len(self._flows) + len(self._counts)

    async def _write_soon(self) -> None:
        await asyncio.sleep(PAUSE)
        while self._is_waiting:
            if not await self._write():
                await asyncio.sleep(PATIENCE)

    async def _write(self) -> bool:
        """Some of each. False if the database is away: it stays for the next time then."""
        async with self._writing:
            flows, calls, counts = self._flows[:MOST_AT_ONCE], self._waiting[:MOST_AT_ONCE], self._counts
            self._counts = {}
            try:
                await self._stored(store_flows, flows, "runs of flows")
                del self._flows[: len(flows)]
                await self._stored(store, calls, "calls")
                del self._waiting[: len(calls)]
                await self._stored(lambda some: add_usage(dict(some)), list(counts.items()), "usage")
            except OperationalError as error:
                for key, values in counts.items():
                    _sum_up(self._counts, key, values)
                log.warning("the database is away", reason=str(error).splitlines()[0])
                self._forget_oldest()
                self._is_away = True
                return False
            self._is_away = False
        return True

    def _forget_oldest(self) -> None:
        """What is more than may wait."""
        for waiting in (self._waiting, self._flows):
            if (more := len(waiting) - MOST_WAITING) > 0:
                del waiting[:more]
                log.error("what applications did was not written down: the database is away", entries=more)

    async def _stored(self, store: Callable[[Sequence[T]], None], batch: Sequence[T], what: str) -> None:
        """Stores a batch in one transaction; its entries one by one where that fails, as one that cannot be stored is
        no reason to lose the others. Raises OperationalError if the database is away."""
        if not batch:
            return
        try:
            await in_database(self.pool, store, batch)
        except OperationalError:
            raise
        except Exception as error:
            if len(batch) == 1:
                log.error("what an application did was not written down", what=what, reason=str(error)[:300])
                return
            for one in batch:
                await self._stored(store, [one], what)


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
    counts: Counts = {}
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
    counts: Counts,
    key: CountedAs,
    failed: bool,
    milliseconds: float,
    service: float,
) -> None:
    _sum_up(counts, key, (1, failed, milliseconds, service))


def _sum_up(counts: Counts, key: CountedAs, values: Sequence[float]) -> None:
    held = counts.setdefault(key, [0, 0, 0.0, 0.0])
    for at, more in enumerate(values):
        held[at] += more


def add_usage(counts: Counts) -> None:
    """In one statement. What an application used that has been removed meanwhile is counted nowhere."""
    if not counts:
        return
    table = UsageHour._meta.db_table
    columns = zip(*((*key, *values) for key, values in sorted(counts.items(), key=str)), strict=True)
    with connection.cursor() as cursor:
        cursor.execute(
            f"INSERT INTO {table} AS held (application_id, hour, what, calls, failed, busy_ms, service_ms)"
            " SELECT used.* FROM unnest(%s::uuid[], %s::timestamptz[], %s::text[], %s::bigint[], %s::bigint[],"
            " %s::float[], %s::float[]) AS used (application_id, hour, what, calls, failed, busy_ms, service_ms)"
            f" JOIN {Application._meta.db_table} application ON application.id = used.application_id"
            " ON CONFLICT (application_id, hour, what) DO UPDATE SET"
            " calls = held.calls + EXCLUDED.calls, failed = held.failed + EXCLUDED.failed,"
            " busy_ms = held.busy_ms + EXCLUDED.busy_ms, service_ms = held.service_ms + EXCLUDED.service_ms",
            [list(column) for column in columns],
        )
