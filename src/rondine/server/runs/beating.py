"""What carries a run out says that it lives."""

import asyncio
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

from django.db import OperationalError

from rondine.server.runs.actions import say_alive
from rondine.server.runs.models import Run
from rondine.server.threads import in_database


async def beat(run: Run, pool: ThreadPoolExecutor) -> None:
    """Every five seconds, until cancelled."""
    while True:
        await asyncio.sleep(5)
        with suppress(OperationalError):
            await in_database(pool, say_alive, run.pk, run.attempt)
