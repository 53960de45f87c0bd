"""Flows called for applications: at once, in memory, where they only read and wait for nobody; else begun once for each
key, and answered when they end, if that is in time."""

import asyncio
import time
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from rondine.core.errors import RondineError
from rondine.core.flow.document import FlowDocument
from rondine.core.flow.failures import TIME_OVER
from rondine.core.flow.tasks import End
from rondine.server.applications.admission import Admission, own_error
from rondine.server.applications.invoking import Invoker, Timed
from rondine.server.applications.lasting import Claim, begin_once, keep_reply, run_address, tell_ended
from rondine.server.applications.offering import Offer
from rondine.server.applications.own_runs import reply_or_run
from rondine.server.applications.replies import FlowQuestion, Reply, flow_reply, key_needed
from rondine.server.applications.traces import add_usage_of
from rondine.server.connecting.opening import standing_values
from rondine.server.flows.asking import Carrier, ReadyToAsk
from rondine.server.flows.at_once import HeldRun
from rondine.server.flows.calls import HeldCalls
from rondine.server.flows.effects import Effects
from rondine.server.flows.ending import ENDED
from rondine.server.flows.models import Flow
from rondine.server.flows.queueing import check_runs, new_flow_run, queue_begun
from rondine.server.held import MOST_READY, TRUSTED, Held
from rondine.server.releases.configuration import Configuration
from rondine.server.runs.models import Run
from rondine.server.threads import in_database


@dataclass(frozen=True, slots=True)
class ReadyFlow:
    """What a call of a flow needs besides its inputs."""

    item: Flow
    document: FlowDocument
    configuration: Configuration
    standing: dict[str, Any]
    effects: Effects


@dataclass
class FlowDoor:
    """Of one process, beside that of operations."""

    invoker: Invoker
    _ready: Held[ReadyFlow] = field(default_factory=lambda: Held(TRUSTED, MOST_READY))
    _asked: Held[ReadyToAsk] = field(default_factory=lambda: Held(TRUSTED, MOST_READY))

    async def ready(self, admission: Admission, flow: str) -> ReadyFlow:
        """Raises NotFound, NotAllowed and DraftError."""
        at = (admission.application.pk, admission.application.version, admission.environment.release_id, flow)
        try:
            return await self._ready.get(at, partial(in_database, self.invoker.pool, _made_ready, admission, flow))
        except RondineError as error:
            raise own_error(error) from error

    async def _ready_for(self, admission: Admission, question: FlowQuestion, key: str) -> ReadyFlow:
        """Raises KeyNeeded, too."""
        ready = await self.ready(admission, question.flow)
        if ready.effects.writes and not key:
            raise key_needed(f'flow "{question.flow}" writes (step "{ready.effects.writes}")')
        return ready

    async def answer(self, admission: Admission, question: FlowQuestion, key: str, time_limit: float) -> Timed:
        """Its reply; its run, where it is not over in time. Raises what is wrong with the request itself."""
        ready = await self._ready_for(admission, question, key)
        if ready.effects.is_short and not ready.effects.writes and not key:
            return await self._at_once(admission, ready, question, time_limit)
        claim = await self._leave(admission, ready, question, key)
        return Timed(await reply_or_run(self.invoker, admission, claim, time_limit))

    async def in_background(self, admission: Admission, question: FlowQuestion, key: str, wait: float) -> Reply:
        """Its run, unless it is over within so many seconds."""
        claim = await self._leave(admission, await self._ready_for(admission, question, key), question, key)
        return await reply_or_run(self.invoker, admission, claim, wait)

    async def _at_once(
        self, admission: Admission, ready: ReadyFlow, question: FlowQuestion, time_limit: float
    ) -> Timed:
        run, begun = _new_run(admission, ready, question)
        run.pk = await self.invoker.traces.next_run()
        held = HeldRun.of(run, begun, ready.document)

        def made(calls: HeldCalls) -> Carrier:
            return Carrier(
                run,
                ready.configuration,
                self.invoker.engine,
                self.invoker.pool,
                calls,
                question.caller.name,
                question.caller.sessions,
                self._asked,
            )

        began = time.perf_counter()
        try:
            async with asyncio.timeout(time_limit) as clock:
                end = await held.go(made)
        except TimeoutError:
            if not clock.expired():
                raise
            words = f"the flow took longer than the {time_limit:g} s that the call waits for it"
            end = End(failure={"kind": TIME_OVER, "message": words, "may_pass": True})
        milliseconds = (time.perf_counter() - began) * 1000
        service = held.service_milliseconds
        held.settle(end)
        await self.invoker.traces.add_flow(held)
        application, is_bad = admission.application.pk, end.failure is not None
        self.invoker.traces.count(
            application, f"flow {question.flow}", failed=is_bad, milliseconds=milliseconds, service=service
        )
        return Timed(flow_reply(question.flow, end, _address(admission, run.pk)), service)

    async def _leave(self, admission: Admission, ready: ReadyFlow, question: FlowQuestion, key: str) -> Claim:
        """A run that workers carry out."""
        run, begun = _new_run(admission, ready, question)
        asked = {"flow": question.flow, "inputs": question.inputs, "caller": question.caller.name}
        return await in_database(self.invoker.pool, begin_once, run, asked, key, partial(queue_begun, run, begun))


def _made_ready(admission: Admission, name: str) -> ReadyFlow:
    offer = Offer(admission)
    item = offer.flow(name)
    document = item.loaded()
    check_runs(item, document)
    environment = admission.environment
    standing = standing_values(environment.project, environment.name)
    return ReadyFlow(item, document, offer.configuration, standing, offer.effects(item))


def _new_run(admission: Admission, ready: ReadyFlow, question: FlowQuestion) -> Any:
    application = admission.application
    return new_flow_run(
        ready.configuration,
        ready.item,
        ready.document,
        ready.standing,
        question.inputs,
        role="application",
        caller=question.caller.name,
        application=application,
        begun_by=f"application {application.name}",
    )


def _address(admission: Admission, run: int) -> str:
    return run_address(admission.environment.project.name, admission.environment.name, run)


def _answer(run: Run, end: End) -> None:
    """Keeps what a run came to as the reply to the application that began it."""
    if run.application_id is None or run.parent_id is not None:
        return
    name = run.content["flow_name"]
    reply = flow_reply(name, end, run_address(run.project.name, run.environment.name, run.pk))
    if keep_reply(run.pk, reply):
        tell_ended(run.pk, reply)
        add_usage_of(run, f"flow {name}", failed=end.failure is not None)


ENDED.append(_answer)
