"""Calls of applications that were left to a worker."""

import asyncio
from concurrent.futures import ThreadPoolExecutor

import structlog
from django.db import OperationalError, transaction

import rondine.server.applications.flows  # noqa: F401 — keeps the replies of flows that applications began
from rondine.engine.client import Engine
from rondine.server.applications.admission import Admission
from rondine.server.applications.invoking import Invoker
from rondine.server.applications.lasting import settle_cancelled, settle_lost
from rondine.server.applications.models import Application, Invocation
from rondine.server.applications.replies import Caller, Question
from rondine.server.applications.traces import Traces
from rondine.server.connecting.user_sessions import forget_ended_sessions
from rondine.server.feeds.tasks import CARRIERS
from rondine.server.live.traces import settle_lost_writes
from rondine.server.runs.actions import CANCELLED
from rondine.server.runs.beating import beat
from rondine.server.runs.models import Run
from rondine.server.runs.presence import is_alive, presence
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
    beating = asyncio.create_task(beat(run, pool))
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
    question = Question(**{**invocation.question, "caller": Caller(invocation.question["caller"])})
    return admission, question, invocation.key or "", before is not None


async def settle_lost_for_ever(pool: ThreadPoolExecutor) -> None:
    """Says of calls whose process has died that nobody knows what became of them, and forgets the sessions of users
    that are over."""
    while True:
        await asyncio.sleep(PAUSE)
        try:
            if count := await in_database(pool, settle_lost):
                log.warning("calls of applications were under way when their process ended", calls=count)
            if count := await in_database(pool, settle_lost_writes):
                log.warning("records were being written when their process ended", runs=count)
            await in_database(pool, forget_ended_sessions)
        except OperationalError as error:
            log.warning("the database cannot be reached", reason=str(error).splitlines()[0])


CARRIERS["application"] = carry_out_call
CANCELLED["application"] = settle_cancelled
