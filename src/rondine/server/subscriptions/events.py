"""What happened to feeds, flows and calls, written down in the transaction in which it happened."""

from typing import Any

from django.db import connection
from django.utils import timezone

from rondine.core.items.subscription import CALL_ENDED, FeedEvent, FlowEvent
from rondine.server.connecting.models import Environment
from rondine.server.subscriptions.models import Event, Subscription

#: First half of the advisory lock's key; the environment's id is the other.
LOCK = 0x6576656E


def write_down(environment: Environment, kind: FeedEvent, feed: str, run_id: int | None, data: dict[str, Any]) -> Event:
    """What happened to a feed, within the caller's transaction. data: message and hint, and what else there is to
    know."""
    return _write_down(environment, kind=kind, feed=feed, run_id=run_id, data=data)


def is_told_of_call(run_id: int) -> bool:
    """Whether somebody is told of calls in the environment of this one's run."""
    return Subscription.objects.filter(environment__runs=run_id, document__about__type="calls").exists()


def write_down_call(environment: Environment, application: str, run_id: int, data: dict[str, Any]) -> None:
    """The end of a call, within the caller's transaction."""
    _write_down(environment, kind=CALL_ENDED, application=application, run_id=run_id, data=data)


def is_told_of_flows(environment: Environment) -> bool:
    """Whether somebody is told of runs of flows."""
    return Subscription.objects.filter(environment=environment, document__about__type="flows").exists()


def write_down_flow(
    environment: Environment, kind: FlowEvent, flow: str, run_id: int | None, data: dict[str, Any]
) -> None:
    """What happened to a run of a flow, within the caller's transaction, where somebody is told of it."""
    if is_told_of_flows(environment):
        _write_down(environment, kind=kind, flow=flow, run_id=run_id, data=data)


def _write_down(environment: Environment, **fields: Any) -> Event:
    """Events of an environment follow each other, so that whoever reads on from one misses none."""
    assert connection.in_atomic_block
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s, %s)", (LOCK, environment.pk))
    return Event.objects.create(environment=environment, at=timezone.now(), **fields)
