"""Environments: making and changing them, what is missing in one, and why something that is ready cannot start."""

from collections.abc import Mapping
from typing import Any

from django.db import IntegrityError, models, transaction

from rondine.core.errors import Conflict, HostRefused, NotAllowed, Problem
from rondine.core.http.limits import meter
from rondine.core.names import check_name
from rondine.server.access.models import Project
from rondine.server.connecting.models import AccessToken, Connection, Environment, Service, StandingValue
from rondine.server.connecting.opening import environment_of, guard_of
from rondine.server.connecting.signing_in import checked_callback
from rondine.server.connecting.usage import usage_of


def make_environment(project: Project, data: Mapping[str, Any], role: str) -> Environment:
    if data.get("is_protected"):
        _only_administrators(role)
    try:
        with transaction.atomic():
            return Environment.objects.create(project=project, **{**data, "name": check_name(data["name"])})
    except IntegrityError as error:
        raise Conflict(
            f'there is an environment "{data["name"]}" already', where="/name", hint="take another name"
        ) from error


def change_environment(project: Project, name: str, data: Mapping[str, Any], role: str) -> Environment:
    """Protection is put on and taken off by administrators only, and so is any change of a protected environment."""
    environment = environment_of(project, name)
    if environment.is_protected or "is_protected" in data:
        _only_administrators(role)
    if data.get("callback", environment.callback) != environment.callback:
        data = {
            **data,
            "callback": data["callback"] and checked_callback(data["callback"]),
            "callback_proven_at": None,
        }
    for field_name, value in data.items():
        setattr(environment, field_name, value)
    try:
        environment.save(update_fields=[*data])  # what somebody else changes meanwhile stays
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
    for connection in here.values():
        missing += [
            Problem(f"connection {connection.name}", problem["message"], problem["hint"])
            for problem in connection.problems
        ]
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


def connection_obstacles(connection: Connection) -> list[Problem]:
    document = connection.loaded()
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
    for token in AccessToken.objects.filter(
        connection=connection, session=None, state__in=("refused", "sign_in_again")
    ):
        assert token.refusal is not None
        reasons.append(Problem("sign-in", token.refusal["message"], token.refusal["hint"]))
    usage, now = usage_of(connection.pk)
    if usage.held_until > now:
        reasons.append(Problem("limits", usage.held_why, f"it goes on by itself in {usage.held_until - now:.0f} s"))
    for one in meter(document.limits, usage, now=now):
        if one.left == 0 and one.limit.span in ("day", "month"):
            reasons.append(Problem("limits", f"{one.limit.words} are used up", "wait until it refills, or raise it"))
    return reasons
