"""Operations called for applications: made ready, sent, understood, answered and written down."""

import asyncio
import hashlib
import time
from collections.abc import Collection, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any

from django.utils import timezone

from rondine.core.errors import InputError, LimitReached, Problem, RondineError, did_you_mean
from rondine.core.http.files import told_inputs
from rondine.core.operations.document import file_inputs
from rondine.engine.client import Engine
from rondine.engine.receiving import Received, SideCall
from rondine.server.applications.admission import Admission, own_error
from rondine.server.applications.contents import NoSuchRange, asked_range, check_range, content_reply, is_of_another
from rondine.server.applications.lasting import (
    Claim,
    asked_of,
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
from rondine.server.applications.replies import (
    Question,
    Reply,
    good_reply,
    key_needed,
    problem_reply,
)
from rondine.server.applications.traces import Trace, Traces, new_run
from rondine.server.connecting.user_sessions import told_to_user
from rondine.server.held import MOST_READY, TRUSTED, Held
from rondine.server.mappings.ready import ready_mapping
from rondine.server.operations.answering import ReadyMapping, understood
from rondine.server.operations.calling import ReadyOperation, ready_operation
from rondine.server.operations.page_parts import Going, opened, part_of, sealed
from rondine.server.operations.sending import send_within
from rondine.server.runs.models import Run
from rondine.server.runs.streams import hub
from rondine.server.threads import in_database

#: Bytes of a response from which it is read and mapped in a thread, so that others need not wait.
LARGE = 128 * 1024


@dataclass(frozen=True, slots=True)
class Ready:
    """What a call needs besides its inputs."""

    operation: ReadyOperation
    mapping: ReadyMapping | None
    release: int | None


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
    _ready: Held[Ready] = field(default_factory=lambda: Held(TRUSTED, MOST_READY))

    async def check(self, admission: Admission, question: Question, key: str, files: Collection[str]) -> Ready:
        """What would be wrong with a call before its inputs are there. files: inputs that will be files.

        Raises InputError for an input that cannot be a file, and what `call` raises."""
        ready = await self._ready_for(admission, question, key)
        takes = file_inputs(ready.operation.document)
        problems = [
            Problem(
                f"/{name}",
                f'the input "{name}" takes no file',
                did_you_mean(name, takes) or (f"one of {', '.join(sorted(takes))}" if takes else "give its value"),
            )
            for name in files
            if name not in takes
        ]
        if problems:
            raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
        return ready

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
        if ready.operation.connection.session is not None:
            raise InputError(
                "the call is made with the user's own sign-in, which is kept for requests of the application only",
                where="Prefer header",
                hint="leave respond-async out",
            )
        trace = self._trace(admission, ready, question, await self.traces.next_run(), key)
        asked = asked_of(question, ready.operation)
        return await in_database(self.pool, queue, new_run(trace, state="queued"), asked, key)

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
        trace.is_run_stored = trace.is_background = True
        if again and not ready.operation.may_repeat(trace.request):
            await in_database(self.pool, settle_as_unknown, run, address)
            return
        await self._call_and_settle(trace, ready, question, time_limit)

    async def _ready_for(self, admission: Admission, question: Question, key: str) -> Ready:
        """Raises KeyNeeded and UserSignInNeeded, too."""
        ready = await self.ready(admission, question)
        ready = replace(ready, operation=ready.operation.signed_in(question.caller.sessions))
        if not key and not ready.operation.is_reading:
            raise key_needed(f'operation "{ready.operation.name}" writes')
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
        try:
            return await self._ready.get(key, partial(in_database, self.pool, _made_ready, admission, question))
        except RondineError as error:
            raise own_error(error) from error

    async def _call_and_tell(self, trace: Trace, ready: Ready, question: Question, time_limit: float) -> Timed:
        if question.is_content:
            opened = replace(ready.operation.connection, is_spooling=True)
            ready = replace(ready, operation=replace(ready.operation, connection=opened))
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
        asked = asked_of(question, ready.operation)
        found = await self.claimed(new_run(trace, state="running"), asked, key, time_limit)
        if found.reply is not None:
            return Timed(found.reply)
        trace.run, trace.is_run_stored = found.run, True
        if found.is_ == "again" and not ready.operation.may_repeat(trace.request):
            return Timed(await in_database(self.pool, settle_as_unknown, trace.run, _address(trace)))
        return await asyncio.shield(self._call_and_settle(trace, ready, question, time_limit))

    async def claimed(self, run: Run, asked: Mapping[str, Any], key: str, time_limit: float) -> Claim:
        """Who makes a call that must not be made twice, or its reply: waited for while another request makes it. run:
        not stored yet. Raises LimitReached if that takes longer than the time limit."""
        found = await in_database(self.pool, claim, run, asked, key)
        until = time.monotonic() + time_limit
        while found.is_ == "theirs":
            await _wait_for(found.run, min(1.0, until - time.monotonic()))
            found = await in_database(self.pool, look_again, run.application, asked, key)
            if found.is_ == "theirs" and time.monotonic() >= until:
                raise LimitReached(
                    "the first request with this key is still under way",
                    where="Idempotency-Key header",
                    hint="send it again in a while",
                )
        return found

    def _trace(self, admission: Admission, ready: Ready, question: Question, run: int, key: str) -> Trace:
        """What will be known of the call, as yet without its end. Raises InputError for wrong inputs."""
        application, operation = admission.application, ready.operation
        going = Going()
        if question.after:
            going = opened(question.after, *_asked(application.pk, operation.name, question))
        page = operation.page(question.inputs, going.position)
        request = operation.with_key(page.ask.request, key_outside(application.pk, key or f"run {run}"))
        request = asked_range(operation.with_caller(request, question.caller.name), question)
        now = timezone.now()
        content: dict[str, Any] = {"operation": question.operation, "mapping": question.mapping}
        if ready.release is not None:
            content["release"] = ready.release
        return Trace(
            run,
            application,
            operation.id,
            operation.name,
            told_inputs(question.inputs),
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
            trace.received = await send_within(self.engine, ready.operation, trace.request, time_limit, sides.append)
            if question.is_content and is_of_another(trace.received, question):
                sides.append(SideCall("range of another version", trace.request, trace.received))
                trace.request = trace.request.without_headers("range", "if-range")
                trace.received = await send_within(
                    self.engine, ready.operation, trace.request, time_limit, sides.append
                )
            reply = await self._reply(trace, ready, question, trace.received)
        except RondineError as error:
            status = trace.received.status if trace.received is not None else None
            trace.error = told_to_user(ready.operation.connection, error, status)
            headers = [error.header] if isinstance(error, NoSuchRange) else []
            reply = problem_reply(trace.error, run=run, headers=headers)
        trace.milliseconds = (time.perf_counter() - began) * 1000
        trace.ended_at = timezone.now()
        waited = trace.received.timings.waited if trace.received is not None else 0.0
        return Timed(reply, trace.service_milliseconds, waited)

    async def _reply(self, trace: Trace, ready: Ready, question: Question, received: Received) -> Reply:
        def made() -> Reply:
            check_range(received, question)
            answered = understood(
                ready.operation, trace.inputs, ready.mapping, received, is_content=question.is_content
            )
            if question.is_content:
                return content_reply(received, question, _address(trace))
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
                then = sealed(going, *_asked(trace.application.pk, trace.operation_name, question))
            told = {"is_all": part.is_all, "all_why": part.words, "next": then or None}
            return good_reply(answered, ready.mapping, _address(trace), told)

        if question.is_content or len(received.body) < LARGE:
            return made()
        return await asyncio.get_running_loop().run_in_executor(self.pool, made)


def _made_ready(admission: Admission, question: Question) -> Ready:
    offer = Offer(admission)
    item = offer.operation(question.operation)
    operation = ready_operation(offer.configuration, item)
    mapping = None
    if question.mapping:
        mapping = ready_mapping(offer.configuration, offer.mapping(item, question.mapping))
    release = offer.configuration.release
    return Ready(operation, mapping, release.number if release is not None else None)


def _asked(application: Any, operation: str, question: Question) -> tuple[Any, ...]:
    """What a page is bound to."""
    return str(application), operation, told_inputs(question.inputs)


def _address(trace: Trace) -> str:
    environment = trace.application.environment
    return run_address(environment.project.name, environment.name, trace.run)


def key_outside(application: Any, key: str) -> str:
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
