"""What workers do for flows: they carry their runs out, and wake those that wait for a time when it has come."""

import asyncio
from concurrent.futures import ThreadPoolExecutor

import structlog
from django.db import OperationalError, transaction
from django.utils import timezone

import rondine.server.flows.scheduling  # noqa: F401 — begins what is due
from rondine.server.feeds.tasks import CARRIERS
from rondine.server.flows.log import wake
from rondine.server.flows.receiving import look_for_early
from rondine.server.flows.running import carry_out_flow
from rondine.server.runs.models import Run
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.flows")
#: Seconds between two looks; runs that are woken by one.
PAUSE, AT_ONCE = 1.0, 100


def wake_due() -> int:
    """How many were woken. Several workers may look at once: each run is woken by one of them."""
    with transaction.atomic():
        due = Run.objects.select_for_update(skip_locked=True, no_key=True).filter(
            state="waiting", wake_at__lte=timezone.now()
        )
        runs = list(due.order_by("wake_at")[:AT_ONCE])
        for run in runs:
            wake(run)
    return len(runs)


async def wake_for_ever(pool: ThreadPoolExecutor) -> None:
    while True:
        try:
            while await in_database(pool, wake_due) == AT_ONCE:
                pass
            await in_database(pool, look_for_early)
        except OperationalError as error:
            log.warning("the database cannot be reached", reason=str(error).splitlines()[0])
        await asyncio.sleep(PAUSE)


CARRIERS["flow"] = carry_out_flow
