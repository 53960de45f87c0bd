"""Why something that is set up cannot start: every reason at once."""

from dataclasses import dataclass, field
from typing import Any

from rondine.core.errors import Problem
from rondine.server.access.models import Project
from rondine.server.connecting.environments import connection_obstacles
from rondine.server.connecting.models import Connection
from rondine.server.feeds.models import Feed
from rondine.server.operations.models import Operation
from rondine.server.runs.sites import live_sites


@dataclass
class Obstacles:
    """Why one item cannot start, all reasons together."""

    kind: str
    name: str
    environment: str
    reasons: list[Problem] = field(default_factory=list)


def obstacles(project: Project) -> list[Obstacles]:
    """Everything that is set up but cannot start, each with every reason."""
    sites = live_sites()
    found: list[Obstacles] = []
    by_connection: dict[tuple[Any, int], list[Problem]] = {}
    rows = Connection.objects.filter(project=project).select_related("service", "environment", "credential")
    for connection in rows.order_by("name"):
        reasons = connection_obstacles(connection)
        by_connection[connection.service_id, connection.environment_id] = reasons
        if reasons:
            found.append(Obstacles("connection", connection.name, connection.environment.name, reasons))
    for operation in Operation.objects.filter(project=project).order_by("name"):
        reasons = [Problem(**problem) for problem in operation.problems]
        if not operation.document.get("enabled", True):
            reasons.append(Problem("/enabled", f'operation "{operation.name}" is disabled', "enable it"))
        if reasons:
            found.append(Obstacles("operation", operation.name, "", reasons))
    feeds = Feed.objects.filter(project=project).select_related("operation__service", "environment")
    for feed in feeds.order_by("name"):
        reasons = [Problem(**problem) for problem in feed.problems]
        if not feed.operation.document.get("enabled", True):
            reasons.append(Problem("operation", f'operation "{feed.operation.name}" is disabled', "enable it"))
        schedule = feed.loaded().schedule
        if schedule is not None and not schedule.enabled:
            resume = f"resume it: rondine feed schedule {feed.name} --resume"
            reasons.append(Problem("schedule", "its schedule is paused", resume))
        key = (feed.operation.service_id, feed.environment_id)
        if key not in by_connection:
            service, environment = feed.operation.service.name, feed.environment.name
            reasons.append(Problem("connection", f"service {service} has no connection in {environment}", "make one"))
        reasons += by_connection.get(key, [])
        site = (
            Connection.objects.filter(service=key[0], environment=key[1])
            .values_list("document__site", flat=True)
            .first()
            or ""
        )
        if site not in sites:
            at = f" at the site {site}" if site else ""
            start = f"rondine-server work{f' --site {site}' if site else ''}"
            reasons.append(Problem("worker", f"no worker is running{at}", f"start one: {start}"))
        if reasons:
            found.append(Obstacles("feed", feed.name, feed.environment.name, reasons))
    return found
