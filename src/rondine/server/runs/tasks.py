"""The jobs: a run, never a page; and the indexes of a set of records."""

import asyncio
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from typing import Any, TypeVar

import structlog
from django.db import OperationalError
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.settings import load
from rondine.engine.client import Engine
from rondine.server.records.browsing import make_indexes
from rondine.server.records.models import RecordSet
from rondine.server.runs.actions import put_back, retry_stalled_jobs, sweep, take_run
from rondine.server.runs.pipeline import carry_out_feed
from rondine.server.runs.places import say_gone, say_here
from rondine.server.services.checking import check_connection
from rondine.server.services.models import Connection
from rondine.server.services.shared import SharedByAll
from rondine.server.threads import in_database

T = TypeVar("T")
log = structlog.get_logger("rondine.worker")
_engine: Engine | None = None
_pool: ThreadPoolExecutor | None = None
THREADS = max(4, (os.cpu_count() or 2) * 2)


def parts() -> tuple[Engine, ThreadPoolExecutor]:
    """The engine and the threads of this process, made on first use within its event loop."""
    global _engine, _pool
    _pool = _pool or ThreadPoolExecutor(THREADS, thread_name_prefix="rondine")
    _engine = _engine or Engine(SharedByAll(_pool))
    return _engine, _pool


async def waiting_for_database(action: Callable[..., T], *arguments: Any) -> T:
    """Runs an action of the database, tried again for about a minute while PostgreSQL cannot be reached."""
    for pause in (0.5, 1, 2, 4, 8, 8, 8, 8, 8, 8):
        try:
            return await in_database(parts()[1], action, *arguments)
        except OperationalError as error:
            log.warning("the database cannot be reached; trying again", reason=str(error).splitlines()[0])
            await asyncio.sleep(pause)
    return await in_database(parts()[1], action, *arguments)


@app.task(queue="runs", name="rondine.carry_out")
async def carry_out(run_id: int) -> None:
    """Carries a run out. If PostgreSQL goes away, the run is put back as soon as it can be reached again."""
    engine, pool = parts()
    run = await waiting_for_database(take_run, run_id)
    if run is None:
        return
    try:
        await carry_out_feed(run, engine, pool)
    except OperationalError as error:
        log.warning("the database went away during a run", run=run_id, reason=str(error).splitlines()[0])
        await waiting_for_database(put_back, run_id, run.attempt)


# building two indexes of one table at a time makes PostgreSQL see a deadlock, so there is one lock for all
@app.task(
    queue="runs",
    name="rondine.index_records",
    lock="rondine.index_records",
    retry=RetryStrategy(max_attempts=5, wait=3),
)
async def index_records(set_id: int) -> None:
    def make() -> list[str]:
        records = RecordSet.objects.select_related("record_type").get(pk=set_id)
        return make_indexes(records, load(RecordTypeDocument, records.record_type.document))

    await waiting_for_database(make)


@app.task(queue="runs", name="rondine.check_here")
async def check_here(connection_id: str) -> None:
    """Checks a connection from this worker; the result stands with the connection."""

    def find() -> Connection | None:
        return Connection.objects.select_related("project").filter(pk=connection_id).first()

    found = await waiting_for_database(find)
    if found is not None:
        await check_connection(found.project, found.name, parts()[0], is_worker=True)


async def sweep_for_ever(place: str = "", seconds: float = 5.0) -> None:
    """Says that this worker lives and looks for runs whose worker has died, until cancelled."""
    try:
        while True:
            try:
                await in_database(parts()[1], say_here, place)
                found = await in_database(parts()[1], sweep)
                if found:
                    log.warning("runs put back, nobody carried them out", runs=found)
                retried = await in_database(parts()[1], retry_stalled_jobs)
                if retried:
                    log.warning("jobs of silent workers go on elsewhere", jobs=retried)
            except OperationalError:
                pass
            await asyncio.sleep(seconds)
    finally:
        with suppress(OperationalError):
            await asyncio.shield(in_database(parts()[1], say_gone))
