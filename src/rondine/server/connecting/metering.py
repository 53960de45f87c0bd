"""How much of its limits a connection has used, and which operations used them."""

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.db.models import Count, Max
from django.db.models.functions import Coalesce
from django.utils import timezone

from rondine.core.http.limits import Meter, meter
from rondine.server.connecting.models import Connection
from rondine.server.connecting.usage import usage_of
from rondine.server.runs.models import Call, Run


@dataclass(frozen=True, slots=True)
class ConnectionMeter:
    """The limits now; the busiest operations of the last 24 hours; calls under way, of `parallel` at a time; until when
    calls are held back, and why, and until when the service asked to wait, if that is longer; what the service said of
    its limits. Times are seconds since 1970."""

    limits: list[Meter]
    operations: list[Any]
    parallel: int | None
    under_way: int
    held_until: float | None
    held_why: str
    asked_until: float | None
    said: dict[str, Any] | None
    now: float


def meter_of(connection: Connection) -> ConnectionMeter:
    document = connection.loaded()
    usage, now = usage_of(connection.pk)
    is_held = usage.held_until > now
    return ConnectionMeter(
        limits=meter(document.limits, usage, now=now),
        operations=busiest_operations(connection),
        parallel=document.parallel,
        under_way=sum(until > now for until in usage.holders.values()),
        held_until=usage.held_until if is_held else None,
        held_why=usage.held_why if is_held else "",
        asked_until=usage.asked_until if usage.asked_until > max(now, usage.held_until) else None,
        said=dict(usage.said) or None,
        now=now,
    )


def busiest_operations(connection: Connection) -> list[Any]:
    """Which operations of a connection's service made how many `calls` in the last 24 hours, and when last (`last_at`),
    the busiest first, up to 20: many may share one address."""
    since = timezone.now() - timedelta(hours=24)
    runs = Run.objects.filter(
        project=connection.project_id, environment=connection.environment_id, queued_at__gte=since
    )
    calls = (
        Call.objects.filter(run__in=runs, purpose="")
        .annotate(by_operation=Coalesce("run__operation", "run__feed__operation"))
        .values("by_operation")
        .annotate(calls=Count("id"), last_at=Max("at"))
    )
    counted = {call["by_operation"]: call for call in calls}
    operations: list[Any] = list(connection.service.operations.filter(pk__in=[pk for pk in counted if pk]))
    for operation in operations:
        operation.calls, operation.last_at = counted[operation.pk]["calls"], counted[operation.pk]["last_at"]
    return sorted(operations, key=lambda operation: (-operation.calls, operation.name))[:20]
