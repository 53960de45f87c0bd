"""A worker: it takes jobs from the queue, and does beside them what workers have to do, until it is told to stop."""

import asyncio
import signal
from collections.abc import Iterator

import procrastinate.exceptions
import psycopg
import psycopg_pool
import structlog
from procrastinate.contrib.django import app

from rondine.server.applications.tasks import settle_lost_for_ever
from rondine.server.connecting.process import parts
from rondine.server.feeds.scheduling import schedule_for_ever
from rondine.server.flows.tasks import wake_for_ever
from rondine.server.records.housekeeping import tidy_for_ever
from rondine.server.retention import forget_for_ever
from rondine.server.runs.sites import queue_of
from rondine.server.runs.sweeping import sweep_for_ever
from rondine.server.subscriptions.delivering import tell_for_ever
from rondine.server.webhooks.acting import act_for_ever

log = structlog.get_logger("rondine.worker")


async def work(parallel: int, site: str) -> None:
    """Works until it is told to stop; a database that goes away is waited for. parallel: jobs at a time."""
    stopping = asyncio.Event()
    loop = asyncio.get_running_loop()
    for one in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(one, stopping.set)
    engine, pool = parts()
    beside = [
        asyncio.create_task(sweep_for_ever(pool, site)),
        asyncio.create_task(schedule_for_ever(pool)),
        asyncio.create_task(wake_for_ever(pool)),
        asyncio.create_task(act_for_ever(pool)),
        asyncio.create_task(settle_lost_for_ever(pool)),
        asyncio.create_task(tell_for_ever(engine, pool)),
        asyncio.create_task(tidy_for_ever(pool)),
        asyncio.create_task(forget_for_ever(pool)),
    ]
    while not stopping.is_set():
        try:
            await _take_jobs(parallel, site, stopping)
        except (psycopg.Error, psycopg_pool.PoolTimeout, procrastinate.exceptions.ConnectorException, OSError) as error:
            log.warning(
                "the database is away; trying again",
                reason=str(error).splitlines()[0] if str(error) else type(error).__name__,
            )
            await asyncio.sleep(1)
    for task in beside:
        task.cancel()
    await asyncio.gather(*beside, return_exceptions=True)
    await engine.close()


def shares(parallel: int, site: str) -> Iterator[tuple[list[str], int]]:
    """(queues, jobs of them at a time). Long runs have a share of their own, one less than the others, so that however
    many wait, a short one finds a place."""
    sites = sorted({"", site})
    short, long = ([queue_of(one, is_long=is_long) for one in sites] for is_long in (False, True))
    if parallel == 1:
        yield [*short, *long], 1
        return
    yield short, parallel
    yield long, parallel - 1


async def _take_jobs(parallel: int, site: str, stopping: asyncio.Event) -> None:
    """Takes jobs until it is told to stop. Raises what ends it otherwise."""
    async with app.with_connector(app.connector.get_worker_connector()).open_async() as working:  # type: ignore[attr-defined]
        log.info("worker is ready", parallel=parallel)
        workers = [
            asyncio.create_task(
                working.run_worker_async(
                    queues=queues,
                    concurrency=concurrency,
                    install_signal_handlers=False,
                    shutdown_graceful_timeout=5,
                    delete_jobs="successful",
                    listen_notify=True,
                    fetch_job_polling_interval=2,
                    update_heartbeat_interval=5,
                    stalled_worker_timeout=20,
                )
            )
            for queues, concurrency in shares(parallel, site)
        ]
        told = asyncio.create_task(stopping.wait())
        await asyncio.wait({*workers, told}, return_when=asyncio.FIRST_COMPLETED)
        for task in (*workers, told):
            task.cancel()
        await asyncio.gather(*workers, told, return_exceptions=True)
        if not stopping.is_set():
            ended = next((one for one in workers if not one.cancelled() and one.exception()), None)
            raise (ended and ended.exception()) or RuntimeError("the worker ended")
