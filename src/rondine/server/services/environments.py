"""Environments: making and changing them, what is missing in one, and why something that is ready cannot start."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from django.db import IntegrityError, models, transaction

from rondine.core.errors import Conflict, HostRefused, NotAllowed, Problem
from rondine.core.http.limits import meter
from rondine.core.items.connection import ConnectionDocument
from rondine.core.names import check_name
from rondine.core.settings import load
from rondine.server.access.models import Project
from rondine.server.records.models import Feed
from rondine.server.runs.places import live_places
from rondine.server.services.actions import environment_of, guard_of
from rondine.server.services.models import AccessToken, Connection, Environment, Operation, Service, StandingValue
from rondine.server.services.shared import usage_of
from rondine.server.services.signing_in import checked_callback


def make_environment(project: Project, given: Mapping[str, Any], role: str) -> Environment:
    if given.get("is_protected"):
        _only_administrators(role)
    try:
        with transaction.atomic():
            return Environment.objects.create(project=project, **{**given, "name": check_name(given["name"])})
    except IntegrityError as error:
        raise Conflict(
            f'there is an environment "{given["name"]}" already', where="/name", hint="take another name"
        ) from error


def change_environment(project: Project, name: str, given: Mapping[str, Any], role: str) -> Environment:
    """Protection is put on and taken off by administrators only, and so is any change of a protected environment."""
    environment = environment_of(project, name)
    if environment.is_protected or "is_protected" in given:
        _only_administrators(role)
    if given.get("callback", environment.callback) != environment.callback:
        given = {
            **given,
            "callback": given["callback"] and checked_callback(given["callback"]),
            "callback_proven_at": None,
        }
    for field_name, value in given.items():
        setattr(environment, field_name, value)
    try:
        environment.save()
    except IntegrityError:
        raise Conflict(
            f"{environment.callback} is the callback address of another environment",
            where="/callback",
            hint="choose another path",
        ) from None
    return environment


def remove_environment(project: Project, name: str, role: str) -> None:
    """Raises Conflict if something is in it still."""
    environment = environment_of(project, name)
    if environment.is_protected:
        _only_administrators(role)
    try:
        environment.delete()
    except (models.ProtectedError, models.RestrictedError) as error:
        users = sorted({f"{type(user)._meta.verbose_name} {user}" for user in next(iter(error.args[1:]), ())})
        raise Conflict(
            f'environment "{name}" is not empty: {", ".join(users[:5])}',
            where=name,
            hint="remove or move what is in it first",
        ) from error


def _only_administrators(role: str) -> None:
    if role != "administrator":
        raise NotAllowed(
            f"as {role} you may not change a protected environment, or protect one",
            where="is_protected",
            hint="ask somebody who is administrator",
        )


def missing_in(environment: Environment) -> list[Problem]:
    """What other environments have, or what is here but not complete."""
    project, name = environment.project, environment.name
    missing = []
    here = {one.service_id: one for one in Connection.objects.filter(environment=environment).select_related("service")}
    described = Service.objects.filter(project=project).filter(
        models.Q(operations__isnull=False) | models.Q(connections__isnull=False)
    )
    for service in described.distinct().order_by("name"):
        if service.pk not in here:
            missing.append(
                Problem(
                    f"service {service.name}",
                    f"it has no connection in {name}",
                    f"rondine connection make {service.name}-{name} --service {service.name} --environment {name}",
                )
            )
    for one in here.values():
        missing += [Problem(f"connection {one.name}", problem["message"], problem["hint"]) for problem in one.problems]
    for value in StandingValue.objects.filter(project=project).order_by("name"):
        if value.document.get("values") and name not in value.document["values"]:
            missing.append(
                Problem(
                    f"standing value {value.name}",
                    f"it has no value in {name}",
                    f"rondine standing-value set {value.name} VALUE --in {name}",
                )
            )
    return missing


@dataclass
class Obstacles:
    """Why one item cannot start, all reasons together."""

    kind: str
    name: str
    environment: str
    reasons: list[Problem] = field(default_factory=list)


def obstacles(project: Project) -> list[Obstacles]:
    """Everything that is set up but cannot start, each with every reason."""
    places = live_places()
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
        key = (feed.operation.service_id, feed.environment_id)
        if key not in by_connection:
            service, environment = feed.operation.service.name, feed.environment.name
            reasons.append(Problem("connection", f"service {service} has no connection in {environment}", "make one"))
        reasons += by_connection.get(key, [])
        place = (
            Connection.objects.filter(service=key[0], environment=key[1])
            .values_list("document__place", flat=True)
            .first()
            or ""
        )
        if place not in places:
            at = f" at the place {place}" if place else ""
            start = f"rondine-server work{f' --place {place}' if place else ''}"
            reasons.append(Problem("worker", f"no worker is running{at}", f"start one: {start}"))
        if reasons:
            found.append(Obstacles("feed", feed.name, feed.environment.name, reasons))
    return found


def connection_obstacles(connection: Connection) -> list[Problem]:
    document: ConnectionDocument = load(ConnectionDocument, connection.document)
    reasons = [Problem(**problem) for problem in connection.problems]
    if not document.enabled:
        reasons.append(
            Problem(
                "/enabled",
                f'connection "{connection.name}" is disabled',
                f"enable it: rondine connection enable {connection.name}",
            )
        )
    guard = guard_of(connection.project_id)
    for address in filter(None, (document.address() if "{" not in document.address() else "", document.proxy.address)):
        try:
            guard.permission(address)
        except (HostRefused, ValueError) as error:
            reasons.append(
                Problem("permitted hosts", str(getattr(error, "message", error)), getattr(error, "hint", ""))
            )
    for token in AccessToken.objects.filter(connection=connection, state__in=("refused", "sign_in_again")):
        assert token.refusal is not None
        reasons.append(Problem("sign-in", token.refusal["message"], token.refusal["hint"]))
    usage, now = usage_of(connection.pk)
    if usage.held_until > now:
        reasons.append(Problem("limits", usage.held_why, f"it goes on by itself in {usage.held_until - now:.0f} s"))
    for one in meter(document.limits, usage, now=now):
        if one.left == 0 and one.limit.span in ("day", "month"):
            reasons.append(Problem("limits", f"{one.limit.words} are used up", "wait until it refills, or raise it"))
    return reasons
