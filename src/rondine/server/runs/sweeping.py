"""What a worker does beside its jobs: it says that it lives, and looks for runs and jobs whose worker has died."""

import asyncio
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

import structlog
from django.db import OperationalError

from rondine.server.runs.actions import retry_stalled_jobs, sweep
from rondine.server.runs.sites import say_gone, say_here
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.worker")


async def sweep_for_ever(pool: ThreadPoolExecutor, site: str = "", seconds: float = 5.0) -> None:
    """Says that this worker lives and looks for runs whose worker has died, until cancelled."""
    try:
        while True:
            try:
                await in_database(pool, say_here, site)
                if found := await in_database(pool, sweep):
                    log.warning("runs put back, nobody carried them out", runs=found)
                if retried := await in_database(pool, retry_stalled_jobs):
                    log.warning("jobs of silent workers go on elsewhere", jobs=retried)
            except OperationalError:
                pass
            await asyncio.sleep(seconds)
    finally:
        with suppress(OperationalError):
            await asyncio.shield(in_database(pool, say_gone))
