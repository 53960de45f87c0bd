"""Calls that must not be made twice: written down before they are made, and answered once.

Whoever repeats a request with the same Idempotency-Key gets the reply that the first one got, also while that is still
under way. If the process that made the call has died, the call is made again where that has the effect of once;
elsewhere nobody knows what became of it, and that is what the reply says.
"""

import hashlib
import json
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import timedelta
from typing import Any, Literal

from django.db import IntegrityError, transaction
from django.utils import timezone

from rondine.core.errors import RondineError, RunEnded
from rondine.core.http.files import told_inputs
from rondine.server.applications.models import Application, Invocation
from rondine.server.applications.replies import KeyUsed, OutcomeUnknown, Question, Reply, problem_reply
from rondine.server.applications.traces import Trace, store
from rondine.server.operations.calling import ReadyOperation
from rondine.server.runs.actions import defer, notify
from rondine.server.runs.calls import problem_of
from rondine.server.runs.models import Run
from rondine.server.runs.presence import is_alive, presence
from rondine.server.subscriptions.events import is_told_of_call, write_down_call

#: How long a key is known.
KEPT = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Claim:
    """Who makes a call. mine: it is this process's to make.  again: so, and a process that died may have made it
    already.  theirs: another request makes it now.  answered: it has been made."""

    is_: Literal["mine", "again", "theirs", "answered"]
    run: int
    reply: Reply | None = None


def asked_of(question: Question, operation: ReadyOperation) -> dict[str, Any]:
    """What tells a call from every other one, and is put down of it. With a user's own sign-in it is another one for
    each session."""
    session = operation.connection.session
    return {
        **({"session": session.id} if session is not None else {}),
        "operation": question.operation,
        "inputs": told_inputs(question.inputs),
        "mapping": question.mapping,
        "is_content": question.is_content,
        "after": question.after,
        "caller": question.caller.name,
    }


def claim(run: Run, asked: Mapping[str, Any], key: str) -> Claim:
    """Writes a call down as this process's to make; or says who has it already. run: not stored yet.  asked: what
    tells it from every other one. Raises KeyUsed if the key came with another request."""
    number = presence.number()
    try:
        with transaction.atomic():
            run.save(force_insert=True)
            _put_down(run, asked, key, number)
        return Claim("mine", run.pk)
    except IntegrityError:
        if not key:
            raise
    return _of_the_first(run.application_id, key, _digest(asked), number)


def _put_down(run: Run, asked: Mapping[str, Any], key: str, process: int | None) -> None:
    """process: that makes the call; None if it is a worker's to take. Raises IntegrityError if the key is known."""
    Invocation(
        run=run,
        application=run.application,
        key=key or None,
        asked=_digest(asked),
        question=asked,
        process=process,
        is_background=process is None,
    ).save(force_insert=True)


def look_again(application: Application, asked: Mapping[str, Any], key: str) -> Claim:
    """What has become of a call that another request makes."""
    return _of_the_first(application.pk, key, _digest(asked), presence.number())


def _digest(asked: Mapping[str, Any]) -> bytes:
    return hashlib.sha256(json.dumps(asked, sort_keys=True, default=str).encode()).digest()


def _of_the_first(application: Any, key: str, digest: bytes, number: int | None) -> Claim:
    """What has become of the first request with a key. application: its id.  number: of the process that takes the call
    over if the one that made it has died; None if it only asks."""
    with transaction.atomic():
        found = Invocation.objects.select_for_update(of=("self",)).select_related("run__project", "run__environment")
        first = found.get(application=application, key=key)
        if bytes(first.asked) != digest:
            raise KeyUsed(
                "the key came with another request before",
                where="Idempotency-Key header",
                hint="give every request that is to be made a key of its own, and repeat it with the same content",
            )
        if first.reply is not None:
            return Claim("answered", first.run_id, stored_reply(first))
        if first.run.state == "cancelled":
            error = RunEnded("it was cancelled", where=address_of(first.run), hint="send another key to ask again")
            return Claim("answered", first.run_id, settle_as_refused(first.run_id, address_of(first.run), error))
        if first.process is None or is_alive(first.process):  # a worker's to take, or under way
            return Claim("theirs", first.run_id)
        if number is not None:
            first.process = number
            first.save(update_fields=["process"])
    return Claim("again", first.run_id)


def queue(run: Run, asked: Mapping[str, Any], key: str) -> Claim:
    """Leaves a call to a worker, once for each key. run: not stored yet."""

    def begin() -> None:
        run.started_at, run.attempt = None, 0
        run.save(force_insert=True)
        defer(run)

    found = begin_once(run, asked, key, begin)
    if found.is_ == "again":  # whether it may be sent once more is the worker's to find out
        with transaction.atomic():
            if Run.objects.filter(pk=found.run, state="running").update(state="queued", alive_at=None):
                defer(Run.objects.get(pk=found.run))
        return Claim("theirs", found.run)
    return found


def begin_once(run: Run, asked: Mapping[str, Any], key: str, begin: Callable[[], None]) -> Claim:
    """What goes on without this process, begun once for each key. begin: stores the run, and what lets it go on."""
    try:
        with transaction.atomic():
            begin()
            _put_down(run, asked, key, None)
        return Claim("theirs", run.pk)
    except IntegrityError:
        if not key:
            raise
    return _of_the_first(run.application_id, key, _digest(asked), None)


def settle(trace: Trace, reply: Reply) -> bool:
    """Keeps what came of a call with its reply, for whoever asks again. False if it was not this process's any more."""
    with transaction.atomic():
        if not keep_reply(trace.run, reply):
            return False
        Run.objects.filter(pk=trace.run).update(**trace.fields())
        if trace.is_background:
            tell_ended(trace.run, reply)
        trace.is_run_stored = True
        store([trace])
        notify(trace.run)
    return True


def keep_reply(run_id: int, reply: Reply) -> bool:
    """False if there is one already. It is stored as the media type, a line feed, and the body."""
    stored = zlib.compress(reply.media_type.encode() + b"\n" + reply.body, 3)
    open_ones = Invocation.objects.filter(run=run_id, reply__isnull=True)
    return bool(open_ones.update(process=None, reply_status=reply.status, reply=stored))


def tell_ended(run_id: int, reply: Reply) -> None:
    """Writes down that a call has ended, if a worker made it and somebody is told."""
    if not is_told_of_call(run_id):
        return
    found = Invocation.objects.select_related("run__environment__project", "application")
    invocation = found.filter(run=run_id, is_background=True).first()
    if invocation is None:
        return
    run = invocation.run
    words = {"done": "it has ended", "failed": run.ending or "it failed"}.get(run.state, run.ending)
    data = {
        "message": words,
        "hint": "" if run.state == "done" else f"see its run: {address_of(run)}",
        "operation": run.content.get("operation", ""),
        "flow": run.content.get("flow_name", ""),
        "state": run.state,
        "status": reply.status,
        "address": address_of(run),
    }
    write_down_call(run.environment, invocation.application.name, run_id, data)


def settle_cancelled(run: Run) -> None:
    """A call that was cancelled before a worker took it."""
    error = RunEnded("it was cancelled", where=address_of(run), hint="ask again, with another key")
    settle_as_refused(run.pk, address_of(run), error)


def stored_reply(invocation: Invocation) -> Reply:
    assert invocation.reply is not None and invocation.reply_status is not None
    media_type, _, body = zlib.decompress(bytes(invocation.reply)).partition(b"\n")
    return Reply(invocation.reply_status, body, media_type.decode())


def kept_reply(run_id: int) -> Reply | None:
    """None if there is none yet."""
    invocation = Invocation.objects.filter(run=run_id, reply__isnull=False).first()
    return stored_reply(invocation) if invocation is not None else None


def unknown_outcome(run: str) -> OutcomeUnknown:
    return OutcomeUnknown(
        "the process that made the call ended meanwhile, and nobody knows whether the service has acted on it",
        where=run,
        hint="look at the service; to ask for it all the same, send another Idempotency-Key",
    )


def settle_as_unknown(run_id: int, address: str) -> Reply:
    """A call that may have been made, and may not be made again, ends so."""
    return settle_as_refused(run_id, address, unknown_outcome(address))


def settle_as_refused(run_id: int, address: str, error: RondineError) -> Reply:
    """A call ends without having been made, or without anybody knowing whether it was."""
    reply = problem_reply(error, run=address)
    with transaction.atomic():
        if keep_reply(run_id, reply):
            Run.objects.filter(pk=run_id).exclude(state="cancelled").update(
                state="failed", ending=error.message[:300], error=problem_of(error), ended_at=timezone.now()
            )
            tell_ended(run_id, reply)
            notify(run_id)
    return reply


def settle_lost() -> int:
    """Ends the calls whose process has died and which nobody asks for again: how many. Keys that are old are
    forgotten."""
    Invocation.objects.filter(at__lt=timezone.now() - KEPT, key__isnull=False, reply__isnull=False).update(key=None)
    before = timezone.now() - timedelta(seconds=30)  # whoever repeats it takes it up before
    lost = Invocation.objects.filter(process__isnull=False, reply__isnull=True, at__lt=before, run__state="running")
    count = 0
    for invocation in lost.select_related("run__project", "run__environment").exclude(run__alive_at__isnull=False):
        if not is_alive(invocation.process or 0):
            settle_as_unknown(invocation.run_id, address_of(invocation.run))
            count += 1
    return count


def address_of(run: Run) -> str:
    """Where an application finds its run."""
    return run_address(run.project.name, run.environment.name, run.pk)


def run_address(project: str, environment: str, run: int) -> str:
    return f"/api/v1/use/{project}/{environment}/runs/{run}"
