"""What each process has one of: the engine, and the threads in which the database is asked."""

import asyncio
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

import structlog
from django.db import OperationalError

from rondine.engine.client import Engine
from rondine.server.connecting.shared import SharedByAll
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


#: Seconds that a trial waits for the connection's limits.
TRIAL_PATIENCE = 30.0
