"""Calls that must not be made twice: written down before they are made, and answered once.

Whoever repeats a request with the same Idempotency-Key gets the reply that the first one got, also while that is still
under way. If the process that made the call has died, the call is made again where that has the effect of once;
elsewhere nobody knows what became of it, and that is what the reply says.
"""

import hashlib
import json
import zlib
from dataclasses import dataclass
from datetime import timedelta
from typing import Any, Literal

from django.db import IntegrityError, transaction
from django.utils import timezone

from rondine.core.errors import RondineError, RunEnded
from rondine.server.applications.models import Application, Invocation
from rondine.server.applications.presence import is_alive, presence
from rondine.server.applications.replies import KeyUsed, OutcomeUnknown, Question, Reply, problem_reply
from rondine.server.applications.traces import Trace, new_run, store
from rondine.server.runs.actions import defer, notify
from rondine.server.runs.calls import problem_of
from rondine.server.runs.models import Run

#: How long a key is known.
KEPT = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Claim:
    """Who makes a call. mine: it is this process's to make.  again: so, and a process that died may have made it
    already.  theirs: another request makes it now.  answered: it has been made."""

    is_: Literal["mine", "again", "theirs", "answered"]
    run: int
    reply: Reply | None = None


def asked_of(question: Question) -> dict[str, Any]:
    return {
        "operation": question.operation,
        "inputs": question.inputs,
        "mapping": question.mapping,
        "is_content": question.is_content,
        "after": question.after,
    }


def claim(trace: Trace, question: Question, key: str) -> Claim:
    """Writes a call down as this process's to make; or says who has it already. Raises KeyUsed if the key came with
    another request."""
    number = presence.number()
    digest = _digest(question)
    try:
        with transaction.atomic():
            new_run(trace, state="running").save(force_insert=True)
            _put_down(trace, question, key, digest, number)
        return Claim("mine", trace.run)
    except IntegrityError:
        if not key:
            raise
    return _of_the_first(trace.application, key, digest, number)


def _put_down(trace: Trace, question: Question, key: str, digest: bytes, process: int | None) -> None:
    """process: that makes the call; None if it is a worker's to take. Raises IntegrityError if the key is known."""
    Invocation(
        run_id=trace.run,
        application=trace.application,
        key=key or None,
        asked=digest,
        question=asked_of(question),
        process=process,
    ).save(force_insert=True)


def look_again(application: Application, question: Question, key: str) -> Claim:
    """What has become of a call that another request makes."""
    return _of_the_first(application, key, _digest(question), presence.number())


def _digest(question: Question) -> bytes:
    return hashlib.sha256(json.dumps(asked_of(question), sort_keys=True, default=str).encode()).digest()


def _of_the_first(application: Application, key: str, digest: bytes, number: int | None) -> Claim:
    """What has become of the first request with a key. number: of the process that takes the call over if the one that
    made it has died; None if it only asks."""
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


def queue(trace: Trace, question: Question, key: str) -> Claim:
    """Leaves a call to a worker, once for each key."""
    digest = _digest(question)
    try:
        with transaction.atomic():
            run = new_run(trace, state="queued")
            run.started_at, run.attempt = None, 0
            run.save(force_insert=True)
            _put_down(trace, question, key, digest, None)
            defer(run)
        return Claim("theirs", trace.run)
    except IntegrityError:
        if not key:
            raise
    found = _of_the_first(trace.application, key, digest, None)
    if found.is_ == "again":  # whether it may be sent once more is the worker's to find out
        with transaction.atomic():
            if Run.objects.filter(pk=found.run, state="running").update(state="queued", alive_at=None):
                defer(Run.objects.get(pk=found.run))
        return Claim("theirs", found.run)
    return found


def settle(trace: Trace, reply: Reply) -> bool:
    """Keeps what came of a call with its reply, for whoever asks again. False if it was not this process's any more."""
    with transaction.atomic():
        if not _keep_reply(trace.run, reply):
            return False
        Run.objects.filter(pk=trace.run).update(**trace.fields())
        trace.is_run_stored = True
        store([trace])
        notify(trace.run)
    return True


def _keep_reply(run_id: int, reply: Reply) -> bool:
    """False if there is one already. It is stored as the media type, a line feed, and the body."""
    stored = zlib.compress(reply.media_type.encode() + b"\n" + reply.body, 3)
    open_ones = Invocation.objects.filter(run=run_id, reply__isnull=True)
    return bool(open_ones.update(process=None, reply_status=reply.status, reply=stored))


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
        if _keep_reply(run_id, reply):
            Run.objects.filter(pk=run_id).exclude(state="cancelled").update(
                state="failed", ending=error.message[:300], error=problem_of(error), ended_at=timezone.now()
            )
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
