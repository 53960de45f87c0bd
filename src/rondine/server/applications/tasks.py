"""Calls of applications that were left to a worker."""

import asyncio
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

import structlog
from django.db import OperationalError, transaction

from rondine.engine.client import Engine
from rondine.server.applications.admission import Admission
from rondine.server.applications.invoking import Invoker
from rondine.server.applications.lasting import settle_lost
from rondine.server.applications.models import Application, Invocation
from rondine.server.applications.presence import is_alive, presence
from rondine.server.applications.replies import Question
from rondine.server.applications.traces import Traces
from rondine.server.feeds.tasks import CARRIERS
from rondine.server.runs.actions import say_alive
from rondine.server.runs.models import Run
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.applications")
#: Seconds between two looks for calls whose process has died.
PAUSE = 10.0


async def carry_out_call(run: Run, engine: Engine, pool: ThreadPoolExecutor) -> None:
    """A call that was left to a worker, unless another process has it in hand."""
    taken = await in_database(pool, _take, run)
    if taken is None:
        return
    admission, question, key, again = taken
    beating = asyncio.create_task(_beat(run, pool))
    try:
        invoker = Invoker(engine, pool, Traces(pool))
        await invoker.call_for_worker(admission, run.pk, question, key, again=again)
    finally:
        beating.cancel()


def _take(run: Run) -> tuple[Admission, Question, str, bool] | None:
    """(for whom, what, its key, whether another process may have made the call before it died)."""
    number = presence.number()
    with transaction.atomic():
        invocation = Invocation.objects.select_for_update(of=("self",)).filter(run=run.pk, reply__isnull=True).first()
        if invocation is None:
            return None
        before = invocation.process
        if before is not None and before != number and is_alive(before):
            return None
        invocation.process = number
        invocation.save(update_fields=["process"])
    application = Application.objects.select_related("environment__project", "environment__release").get(
        pk=invocation.application_id
    )
    admission = Admission(application, application.loaded(), application.environment)
    return admission, Question(**invocation.question), invocation.key or "", before is not None


async def _beat(run: Run, pool: ThreadPoolExecutor) -> None:
    while True:
        await asyncio.sleep(5)
        with suppress(OperationalError):
            await in_database(pool, say_alive, run.pk, run.attempt)


async def settle_lost_for_ever(pool: ThreadPoolExecutor) -> None:
    """Says of calls whose process has died that nobody knows what became of them."""
    while True:
        await asyncio.sleep(PAUSE)
        try:
            if count := await in_database(pool, settle_lost):
                log.warning("calls of applications were under way when their process ended", calls=count)
        except OperationalError as error:
            log.warning("the database cannot be reached", reason=str(error).splitlines()[0])


CARRIERS["application"] = carry_out_call
