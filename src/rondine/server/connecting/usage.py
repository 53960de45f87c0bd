"""How much of its limits a connection has used, kept for all processes in its row."""

import time
from typing import Any, NamedTuple

from django.db import connection as database
from django.db import transaction

from rondine.core.http import breaker, limits
from rondine.core.http.breaker import BreakerPolicy
from rondine.core.http.limits import Usage
from rondine.core.http.messages import Headers
from rondine.engine.connection import OpenConnection
from rondine.engine.shared import PLACE_SECONDS
from rondine.server.connecting.models import ConnectionUsage


class Held(NamedTuple):
    """until: seconds since 1970, 0 for not at all.  failed: calls in a row.  rests: in a row."""

    until: float = 0.0
    why: str = ""
    failed: int = 0
    rests: int = 0


def clock() -> float:
    """The database's clock, the one that all processes share: seconds since 1970."""
    with database.cursor() as cursor:
        cursor.execute("SELECT extract(epoch FROM clock_timestamp())::float8")
        now: float = cursor.fetchone()[0]
    return now


def usage_row(line_id: str) -> tuple[ConnectionUsage, Usage, float]:
    """(the row, locked; its usage; the database's clock). Within a transaction."""
    row = ConnectionUsage.objects.select_for_update().filter(connection_id=line_id).first()
    if row is None:
        ConnectionUsage.objects.get_or_create(connection_id=line_id)
        row = ConnectionUsage.objects.select_for_update().get(connection_id=line_id)
    return row, Usage.from_json(row.usage), clock()


def reserve_moments(opened: OpenConnection, wanted: int, patience: float) -> tuple[float, list[float]]:
    """(what to take away from a moment to have time.monotonic's, the moments)."""
    with transaction.atomic():
        row, usage, now = usage_row(opened.id)
        offset = now - time.monotonic()
        usage, moments = limits.reserve(opened.limits, usage, now=now, wanted=wanted, most_wait=patience)
        row.usage = usage.to_json()
        row.save(update_fields=["usage"])
        return offset, moments


def take_slot(opened: OpenConnection, name: str) -> bool:
    assert opened.parallel
    with transaction.atomic():
        row, usage, now = usage_row(opened.id)
        seconds = opened.time_outs.whole + PLACE_SECONDS
        usage, given = limits.take_slots(usage, now=now, parallel=opened.parallel, names=[name], seconds=seconds)
        row.usage = usage.to_json()
        row.save(update_fields=["usage"])
        return bool(given)


def leave_slot(opened: OpenConnection, name: str) -> None:
    with transaction.atomic():
        row, usage, _ = usage_row(opened.id)
        row.usage = limits.leave_slots(usage, [name]).to_json()
        row.save(update_fields=["usage"])


def held(opened: OpenConnection) -> Held:
    """What is known of a connection being held back, and of failures in a row."""
    found = ConnectionUsage.objects.filter(connection_id=opened.id).values_list("usage", flat=True).first()
    usage = Usage.from_json(found or {})
    return Held(usage.held_until, usage.held_why, usage.failed, usage.rests)


def note_outcome(opened: OpenConnection, failure: str) -> Held:
    """One more failure in a row; or none, if the failure is empty."""
    with transaction.atomic():
        row, usage, now = usage_row(opened.id)
        if not failure:
            usage = breaker.after_good_call(usage)
        elif opened.breaker is not None:
            usage = breaker.after_failed_call(opened.breaker, usage, failure, now=now)
        row.usage = usage.to_json()
        row.save(update_fields=["usage"])
        return Held(usage.held_until, usage.held_why, usage.failed, usage.rests)


def claim_try(opened: OpenConnection) -> bool:
    """Whether a rest is over and this is the call that is tried."""
    with transaction.atomic():
        row, usage, now = usage_row(opened.id)
        usage, is_mine = breaker.tried(opened.breaker or BreakerPolicy(), usage, now=now)
        row.usage = usage.to_json()
        row.save(update_fields=["usage"])
        return is_mine


def note_heard(opened: OpenConnection, status: int, headers: Headers) -> None:
    with transaction.atomic():
        row, usage, now = usage_row(opened.id)
        heard = limits.heard(usage, status, headers, now=now)
        row.usage = heard.to_json()
        row.save(update_fields=["usage"])


def decide_wait(connection_id: Any, *, is_believed: bool) -> None:
    """A wait that a service asked for counts whole, or is lifted, for all processes."""
    with transaction.atomic():
        row, usage, _ = usage_row(connection_id)
        row.usage = limits.decided(usage, is_believed=is_believed).to_json()
        row.save(update_fields=["usage"])


def usage_of(connection_id: Any) -> tuple[Usage, float]:
    """(the usage, not locked; the database's clock)."""
    row = ConnectionUsage.objects.filter(connection_id=connection_id).first()
    return (Usage.from_json(row.usage) if row else Usage()), clock()
