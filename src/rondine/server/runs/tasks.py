"""The jobs: a run, never a page; and the indexes of a set of records."""

import asyncio
import os
from concurrent.futures import ThreadPoolExecutor

import structlog
from asgiref.sync import sync_to_async
from django.db import OperationalError, close_old_connections
from procrastinate.contrib.django import app

from rondine.engine.client import Engine
from rondine.server.runs.actions import put_back, sweep, take_run
from rondine.server.runs.pipeline import carry_out_feed

log = structlog.get_logger("rondine.worker")
_engine: Engine | None = None
_pool: ThreadPoolExecutor | None = None
THREADS = max(4, (os.cpu_count() or 2) * 2)


def parts() -> tuple[Engine, ThreadPoolExecutor]:
    """The engine and the threads of this process, made on first use within its event loop."""
    global _engine, _pool
    _engine = _engine or Engine()
    _pool = _pool or ThreadPoolExecutor(THREADS, thread_name_prefix="rondine")
    return _engine, _pool


@app.task(queue="runs", name="rondine.carry_out")
async def carry_out(run_id: int) -> None:
    """Carries a run out. If PostgreSQL goes away, the run is put back as soon as it can be reached again."""
    engine, pool = parts()
    loop = asyncio.get_running_loop()
    run = await loop.run_in_executor(pool, take_run, run_id)
    if run is None:
        return
    try:
        await carry_out_feed(run, engine, pool)
    except OperationalError as error:
        log.warning("the database went away during a run", run=run_id, reason=str(error).splitlines()[0])
        for pause in (0.5, 1, 2, 4, 8, 8, 8, 8, 8):
            await asyncio.sleep(pause)
            try:
                await loop.run_in_executor(pool, close_old_connections)
                await loop.run_in_executor(pool, put_back, run_id, run.attempt)
                return
            except OperationalError:
                continue


@app.task(queue="runs", name="rondine.index_records")
async def index_records(set_id: int) -> None:
    from rondine.core.mapping.document import RecordTypeDocument
    from rondine.core.settings import load
    from rondine.server.records.browsing import make_indexes
    from rondine.server.records.models import RecordSet

    def make() -> list[str]:
        records = RecordSet.objects.select_related("record_type").get(pk=set_id)
        return make_indexes(records, load(RecordTypeDocument, records.record_type.document))

    await sync_to_async(make, thread_sensitive=False)()


async def sweep_for_ever(seconds: float = 5.0) -> None:
    """Looks for runs whose worker has died, until cancelled."""
    _, pool = parts()
    while True:
        await asyncio.sleep(seconds)
        try:
            found = await asyncio.get_running_loop().run_in_executor(pool, sweep)
            if found:
                log.warning("runs put back, their worker fell silent", runs=found)
        except OperationalError:
            await asyncio.get_running_loop().run_in_executor(pool, close_old_connections)
