"""The job of a run: a run, never a page or a call."""

from collections.abc import Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor

import structlog
from django.db import OperationalError
from procrastinate.contrib.django import app

from rondine.engine.client import Engine
from rondine.server.connecting.process import parts, waiting_for_database
from rondine.server.feeds.running import carry_out_feed
from rondine.server.runs.actions import CARRY_OUT, put_back, take_run
from rondine.server.runs.models import Run

log = structlog.get_logger("rondine.worker")
#: What carries a run out, by its kind.
CARRIERS: dict[str, Callable[[Run, Engine, ThreadPoolExecutor], Awaitable[None]]] = {"feed": carry_out_feed}


@app.task(queue="runs", name=CARRY_OUT)
async def execute(run_id: int) -> None:
    """Carries a run out. If PostgreSQL goes away, the run is put back as soon as it can be reached again."""
    engine, pool = parts()
    run = await waiting_for_database(take_run, run_id)
    if run is None:
        return
    try:
        await CARRIERS[run.kind](run, engine, pool)
    except OperationalError as error:
        log.warning("the database went away during a run", run=run_id, reason=str(error).splitlines()[0])
        await waiting_for_database(put_back, run_id, run.attempt)
