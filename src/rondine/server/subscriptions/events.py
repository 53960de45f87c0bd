"""What happened to feeds, written down in the transaction in which it happened."""

from typing import Any

from django.db import connection
from django.utils import timezone

from rondine.core.items.subscription import FeedEvent
from rondine.server.connecting.models import Environment
from rondine.server.subscriptions.models import Event

#: First half of the advisory lock's key; the environment's id is the other.
LOCK = 0x6576656E


def write_down(environment: Environment, kind: FeedEvent, feed: str, run_id: int | None, data: dict[str, Any]) -> Event:
    """Within the caller's transaction. Events of an environment follow each other, so that whoever reads on from one
    misses none. data: message and hint, and what else there is to know."""
    assert connection.in_atomic_block
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s, %s)", (LOCK, environment.pk))
    return Event.objects.create(
        environment=environment, kind=kind, feed=feed, run_id=run_id, data=data, at=timezone.now()
    )
