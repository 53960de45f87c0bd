"""Operations called for applications: made ready, sent, understood, answered and written down."""

import asyncio
import hashlib
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from django.utils import timezone

from rondine.core.errors import LimitReached, RondineError, ServiceTooSlow
from rondine.core.http.messages import Request, Send, without_secrets
from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.settings import load
from rondine.engine.client import Engine
from rondine.engine.receiving import Received, SideCall
from rondine.server.applications.admission import Admission
from rondine.server.applications.lasting import (
    Claim,
    claim,
    kept_reply,
    look_again,
    queue,
    run_address,
    settle,
    settle_as_refused,
    settle_as_unknown,
)
from rondine.server.applications.offering import Offer
from rondine.server.applications.paging import Going, opened, part_of, sealed
from rondine.server.applications.replies import (
    KeyNeeded,
    Question,
    ReadyMapping,
    Reply,
    good_reply,
    problem_reply,
    understood,
)
from rondine.server.applications.traces import Trace, Traces
from rondine.server.mappings.kinds import resolved_mapping
from rondine.server.operations.calling import ReadyOperation, ready_operation
from rondine.server.records.kinds import record_types_in
from rondine.server.runs.streams import hub
from rondine.server.threads import in_database

#: Seconds for which a process trusts what it has read of an operation, its connection and its mapping; a token, the
#: release of an environment and the application itself are looked up with every request.
TRUSTED = 1.0
#: Operations that a process holds ready.
MOST_READY = 500
#: Bytes of a response from which it is read and mapped in a thread, so that others need not wait.
LARGE = 128 * 1024


@dataclass(frozen=True, slots=True)
class Ready:
    """What a call needs besides its inputs. until: of a steady clock."""

    operation: ReadyOperation
    mapping: ReadyMapping | None
    release: int | None
    until: float


@dataclass(slots=True)
class Timed:
    """A reply, and how many milliseconds went where: to the services, and to waiting for a connection's limits."""

    reply: Reply
    service: float = 0.0
    limits: float = 0.0


@dataclass
class Invoker:
    """pool: the threads that talk to the database, and read large responses."""

    engine: Engine
    pool: ThreadPoolExecutor
    traces: Traces
    _ready: dict[tuple[Any, ...], Ready] = field(default_factory=dict)

    async def call(self, admission: Admission, question: Question, key: str, time_limit: float) -> Timed:
        """A call made at once. Raises what is wrong with the request itself; what the service does wrong is a
        reply."""
        ready = await self._ready_for(admission, question, key)
        trace = self._trace(admission, ready, question, await self.traces.next_run(), key)
        if ready.operation.is_reading and not key:
            return await self._call_and_tell(trace, ready, question, time_limit)
        return await self._call_once(trace, ready, question, key, time_limit)

    async def leave(self, admission: Admission, question: Question, key: str) -> Claim:
        """A call that a worker makes. Raises what is wrong with the request itself."""
        ready = await self._ready_for(admission, question, key)
        trace = self._trace(admission, ready, question, await self.traces.next_run(), key)
        return await in_database(self.pool, queue, trace, question, key)

    async def call_for_worker(
        self, admission: Admission, run: int, question: Question, key: str, *, again: bool
    ) -> None:
        """What was left to a worker. again: another one may have made the call before it died."""
        time_limit = 3600.0
        address = run_address(admission.environment.project.name, admission.environment.name, run)
        try:
            ready = await self.ready(admission, question)
            trace = self._trace(admission, ready, question, run, key)
        except RondineError as error:
            await in_database(self.pool, settle_as_refused, run, address, error)
            return
        trace.is_run_stored = True
        if again and not ready.operation.may_repeat(trace.request):
            await in_database(self.pool, settle_as_unknown, run, address)
            return
        await self._call_and_settle(trace, ready, question, time_limit)

    async def _ready_for(self, admission: Admission, question: Question, key: str) -> Ready:
        """Raises KeyNeeded, too."""
        ready = await self.ready(admission, question)
        if not key and not ready.operation.is_reading:
            raise KeyNeeded(
                f'operation "{ready.operation.name}" writes, and the request has no key',
                where="Idempotency-Key header",
                hint="send one, such as a new UUID for everything that is to be done: repeated with the same key, it is"
                " done once",
            )
        return ready

    async def reply_within(self, run: int, seconds: float) -> Reply | None:
        """What a call in the background is answered with; None if it is not over in time."""
        until = time.monotonic() + seconds
        while (reply := await in_database(self.pool, kept_reply, run)) is None and time.monotonic() < until:
            await _wait_for(run, min(1.0, until - time.monotonic()))
        return reply

    async def ready(self, admission: Admission, question: Question) -> Ready:
        """Raises NotFound, NotAllowed and DraftError."""
        release, application = admission.environment.release_id, admission.application
        key = (application.pk, application.version, release, question.operation, question.mapping)
        held = self._ready.get(key)
        if held is None or held.until < time.monotonic():
            held = await in_database(self.pool, _made_ready, admission, question)
            if len(self._ready) >= MOST_READY:
                self._ready.clear()
            self._ready[key] = held
        return held

    async def _call_and_tell(self, trace: Trace, ready: Ready, question: Question, time_limit: float) -> Timed:
        timed = await self._send(trace, ready, question, time_limit)
        await self.traces.add(trace)
        return timed

    async def _call_and_settle(self, trace: Trace, ready: Ready, question: Question, time_limit: float) -> Timed:
        """The call, and its reply kept; whatever ends it, even this task, it is said what is known."""
        try:
            timed = await self._send(trace, ready, question, time_limit)
        except asyncio.CancelledError:
            await asyncio.shield(in_database(self.pool, settle_as_unknown, trace.run, _address(trace)))
            raise
        await in_database(self.pool, settle, trace, timed.reply)
        return timed

    async def _call_once(self, trace: Trace, ready: Ready, question: Question, key: str, time_limit: float) -> Timed:
        """The call, if no other request with the key has made it or makes it now."""
        found = await in_database(self.pool, claim, trace, question, key)
        until = time.monotonic() + time_limit
        while found.is_ == "theirs":
            await _wait_for(found.run, min(1.0, until - time.monotonic()))
            found = await in_database(self.pool, look_again, trace.application, question, key)
            if found.is_ == "theirs" and time.monotonic() >= until:
                raise LimitReached(
                    "the first request with this key is still under way",
                    where="Idempotency-Key header",
                    hint="send it again in a while",
                )
        if found.reply is not None:
            return Timed(found.reply)
        trace.run, trace.is_run_stored = found.run, True
        if found.is_ == "again" and not ready.operation.may_repeat(trace.request):
            return Timed(await in_database(self.pool, settle_as_unknown, trace.run, _address(trace)))
        return await asyncio.shield(self._call_and_settle(trace, ready, question, time_limit))

    def _trace(self, admission: Admission, ready: Ready, question: Question, run: int, key: str) -> Trace:
        """What will be known of the call, as yet without its end. Raises InputError for wrong inputs."""
        application, operation = admission.application, ready.operation
        going = Going()
        if question.after:
            going = opened(question.after, application.pk, operation.name, question.inputs)
        page = operation.page(question.inputs, going.position)
        request = operation.with_key(page.ask.request, _key_outside(application.pk, key or f"run {run}"))
        now = timezone.now()
        content: dict[str, Any] = {"operation": question.operation, "mapping": question.mapping}
        if ready.release is not None:
            content["release"] = ready.release
        return Trace(
            run,
            application,
            operation.id,
            operation.name,
            dict(question.inputs),
            content,
            request,
            operation.connection,
            page,
            going,
            now,
            now,
            0.0,
            is_kept=admission.document.keeps_responses,
        )

    async def _send(self, trace: Trace, ready: Ready, question: Question, time_limit: float) -> Timed:
        """Sends it, and says in the trace what came of it."""
        began = time.perf_counter()
        sides: list[SideCall] = []
        trace.sides, trace.started_at = sides, timezone.now()
        run = _address(trace)
        try:
            trace.received = await self._received(trace.request, ready, time_limit, sides.append)
            reply = await self._reply(trace, ready, question, trace.received)
        except RondineError as error:
            trace.error = error
            reply = problem_reply(error, run=run)
        trace.milliseconds = (time.perf_counter() - began) * 1000
        trace.ended_at = timezone.now()
        waited = trace.received.timings.waited if trace.received is not None else 0.0
        return Timed(reply, trace.service_milliseconds, waited)

    async def _received(
        self, request: Request, ready: Ready, time_limit: float, on_side_call: Callable[[SideCall], None]
    ) -> Received:
        try:
            async with asyncio.timeout(time_limit):
                return await self.engine.call(
                    ready.operation.connection, Send(request), patience=time_limit, on_side_call=on_side_call
                )
        except TimeoutError:
            reads = ready.operation.is_reading
            raise ServiceTooSlow(
                f"the service has not answered within {time_limit:g} s",
                where=f"{request.method} {without_secrets(request.url)}",
                hint="give it more time (Prefer: wait=SECONDS), or ask in the background (Prefer: respond-async)"
                if reads
                else "it may have acted all the same: look at the service before you send it again",
            ) from None

    async def _reply(self, trace: Trace, ready: Ready, question: Question, received: Received) -> Reply:
        def made() -> Reply:
            answered = understood(ready.operation, question, ready.mapping, received)
            told: dict[str, Any] = {}
            if not question.is_content:
                part, going = part_of(
                    ready.operation,
                    trace.page,
                    received,
                    answered.read,
                    ready.mapping if answered.mapped else None,
                    trace.going,
                    is_partial=answered.outcome.kind == "partial",
                )
                then = ""
                if going is not None:
                    then = sealed(going, trace.application.pk, trace.operation_name, question.inputs)
                told = {"is_all": part.is_all, "all_why": part.words, "next": then or None}
            return good_reply(answered, question, ready.mapping, _address(trace), told)

        if len(received.body) < LARGE:
            return made()
        return await asyncio.get_running_loop().run_in_executor(self.pool, made)


def _made_ready(admission: Admission, question: Question) -> Ready:
    offer = Offer(admission)
    item = offer.operation(question.operation)
    operation = ready_operation(offer.configuration, item)
    mapping = None
    if question.mapping:
        held = offer.mapping(item, question.mapping)
        project = item.project_id
        document = resolved_mapping(project, held.loaded(), held.name, offer.configuration)
        held_types = record_types_in(offer.configuration, {output.record_type for output in document.outputs})
        types = {name: load(RecordTypeDocument, one) for name, one in held_types["record_types"].items()}
        outputs = compile_mapping(document, types, is_kept=False)
        mapping = ReadyMapping(held.name, document, outputs, types)
    release = offer.configuration.release
    return Ready(operation, mapping, release.number if release is not None else None, time.monotonic() + TRUSTED)


def _address(trace: Trace) -> str:
    environment = trace.application.environment
    return run_address(environment.project.name, environment.name, trace.run)


def _key_outside(application: Any, key: str) -> str:
    """The key that a service is given: another one for each application, whatever keys these choose."""
    return hashlib.sha256(f"{application} {key}".encode()).hexdigest()[:40]


async def _wait_for(run: int, seconds: float) -> None:
    """Until something happens to a run, or some time is over."""
    if seconds <= 0:
        return
    waiting = hub.listen(run)
    try:
        async with asyncio.timeout(seconds):
            await waiting.get()
    except TimeoutError:
        pass
    finally:
        hub.leave(run, waiting)
