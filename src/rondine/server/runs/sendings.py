"""Sending once what is asked for twice: a double click, a client that tries again, a proxy that repeats.

A client marks what it wants sent (`Idempotency-Key`). The first request with a mark sends; every other one with it gets
what became of the first.
"""

import asyncio
import hashlib
import json
from collections.abc import Awaitable, Callable
from datetime import timedelta
from typing import Any

from asgiref.sync import sync_to_async
from django.db import IntegrityError, transaction
from django.utils import timezone

from rondine.core.errors import Conflict, InputError, RondineError
from rondine.server.access.models import Person, Project
from rondine.server.runs.models import Run, Sending

#: How long a mark is known.
KEPT = timedelta(days=1)
#: For how long a second request waits for the first one, in seconds: more than any trial may take.
PATIENCE = 150.0


async def send_once(project: Project, person: Person, mark: str, asked: Any, send: Callable[[], Awaitable[Run]]) -> Run:
    """The run that `send` makes, or the one that it made before for the same mark. A refusal (RondineError) of `send`
    says that nothing was sent, and the mark is free again; after any other failure nobody knows.

    Raises InputError if the mark stood for something else, Conflict if nobody knows what became of it.
    """
    if not mark:
        return await send()
    sending = await sync_to_async(_claimed)(project, person, mark, asked)
    if sending is None:
        return await _of_the_first(project, person, mark)
    try:
        run = await send()
    except RondineError:
        await sync_to_async(sending.delete)()
        raise
    await sync_to_async(_settle)(sending, run)
    return run


def start_once(project: Project, person: Person, mark: str, asked: Any, start: Callable[[], Run]) -> Run:
    """The same for what is only queued here, in one transaction."""
    if not mark:
        return start()
    with transaction.atomic():
        sending = _claimed(project, person, mark, asked)
        if sending is not None:
            run = start()
            _settle(sending, run)
            return run
    held = Sending.objects.select_related("run").get(project=project, person=person, mark=mark)
    assert held.run is not None  # settled in the transaction that made it
    return held.run


def _claimed(project: Project, person: Person, mark: str, asked: Any) -> Sending | None:
    """A new sending; None if there is one of this mark."""
    digest = hashlib.sha256(json.dumps(asked, sort_keys=True, default=str).encode()).digest()
    Sending.objects.filter(at__lt=timezone.now() - KEPT).delete()
    try:
        with transaction.atomic():
            return Sending.objects.create(project=project, person=person, mark=mark, asked=digest)
    except IntegrityError:
        first = Sending.objects.filter(project=project, person=person, mark=mark).first()
        if first is not None and bytes(first.asked) != digest:
            raise InputError(
                "the mark was given to something else before", where="Idempotency-Key", hint="send another mark"
            ) from None
        return None


def _settle(sending: Sending, run: Run) -> None:
    sending.run = run
    sending.save(update_fields=["run"])


async def _of_the_first(project: Project, person: Person, mark: str) -> Run:
    def look() -> Sending | None:
        return Sending.objects.select_related("run").filter(project=project, person=person, mark=mark).first()

    waited = 0.0
    while waited < PATIENCE:
        first = await sync_to_async(look)()
        if first is None:
            raise Conflict("the first request was refused", where="Idempotency-Key", hint="send it again")
        if first.run is not None:
            return first.run
        await asyncio.sleep(0.2)
        waited += 0.2
    raise Conflict(
        "it may have been sent before, and nobody knows what became of it",
        where="Idempotency-Key",
        hint="look at the service, and at what ran; to send it all the same, give another mark",
    )
