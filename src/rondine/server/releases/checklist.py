"""What an environment lacks to go by a release, and who can give it."""

from dataclasses import dataclass
from typing import Any
from uuid import UUID

from rondine.core.errors import Problem
from rondine.core.items.references import references
from rondine.core.protocols.standing_in import is_of_stand_in
from rondine.core.settings import load
from rondine.server.connecting.environments import connection_obstacles
from rondine.server.connecting.models import Connection, Environment, Service, StandingValue
from rondine.server.items.kinds import KINDS
from rondine.server.items.models import Item, Revision
from rondine.server.releases.actions import revisions_of
from rondine.server.releases.models import Release


@dataclass(frozen=True, slots=True)
class Lacking:
    """what: that is missing or not complete.  who: can give it, a role."""

    what: str
    message: str
    hint: str
    who: str


def checklist(environment: Environment, release: Release | None) -> list[Lacking]:
    """In the order in which it is done: what services need, then values, then what runs by itself. None: of the
    draft."""
    revisions = list(revisions_of(environment.project, release))
    ids = {revision.item_id for revision in revisions}
    return [
        *_connections(environment, {one.item_id for one in revisions if one.kind == "services"}),
        *_standing_values(environment, revisions),
        *_left_elsewhere(environment, ids),
    ]


def _lacking(environment: Environment, what: str, problem: Problem, who: str = "builder") -> Lacking:
    who = "administrator" if environment.is_protected else who
    return Lacking(what, problem.message, problem.hint, who)


def _connections(environment: Environment, services: set[UUID]) -> list[Lacking]:
    name, lacking = environment.name, []
    here = {one.service_id: one for one in Connection.objects.filter(environment=environment, service__in=services)}
    for service in Service.objects.filter(pk__in=services).order_by("name"):
        connection = here.get(service.pk)
        if connection is None:
            make = f"rondine connection make {service.name}-{name} --service {service.name} --environment {name}"
            problem = Problem("", f"it has no connection in {name}", make)
            lacking.append(_lacking(environment, f"service {service.name}", problem))
            continue
        if is_of_stand_in(connection.loaded().base_address):
            words = "it goes to a stand-in: what comes over it is invented, or old"
            problem = Problem("", words, "give it the service's own address")
            lacking.append(_lacking(environment, f"connection {connection.name}", problem))
        for problem in connection_obstacles(connection):
            who = "administrator" if problem.where == "permitted hosts" else "operator"
            who = "builder" if problem.where.startswith("/") and "secret" not in problem.message else who
            lacking.append(_lacking(environment, f"connection {connection.name}", problem, who))
    return lacking


def _standing_values(environment: Environment, revisions: list[Revision]) -> list[Lacking]:
    wanted: dict[str, str] = {}
    for revision in revisions:
        kind = KINDS[revision.kind]
        for reference in references(load(kind.document, revision.content["document"])):
            if reference.kind == "standing-values":
                wanted.setdefault(reference.name, f"{kind.word} {revision.name}")
    there = {
        value.name
        for value in StandingValue.objects.filter(project=environment.project_id, name__in=wanted)
        if environment.name in value.document.get("values", {})
    }
    return [
        _lacking(
            environment,
            f"standing value {name}",
            Problem(
                "",
                f"it has no value in {environment.name}, and {user} uses it",
                f"rondine standing-value set {name} VALUE --in {environment.name}",
            ),
        )
        for name, user in sorted(wanted.items())
        if name not in there
    ]


def _left_elsewhere(environment: Environment, released: set[UUID]) -> list[Lacking]:
    """What runs by itself in other environments by an operation that is released, and has no counterpart here."""
    lacking = []
    for kind in KINDS.values():
        if not {"environment", "operation"} <= kind.references.keys():
            continue
        model: Any = kind.model
        items = model.objects.select_related("environment", "operation").filter(operation__in=released).order_by("name")
        here = {item.operation_id: item for item in items if item.environment_id == environment.pk}
        for item in items:
            if item.environment_id == environment.pk:
                continue
            counterpart, elsewhere = here.get(item.operation_id), item.environment.name
            if counterpart is None:
                message = f"it runs in {elsewhere}, and no {kind.word} here asks {item.operation.name}"
                same = " ".join(
                    f"--{field} {getattr(item, field)}" for field in kind.references if field != "environment"
                )
                hint = f"if it is wanted here: {kind.command} NAME {same} --environment {environment.name}"
            elif _is_scheduled(item) and not _is_scheduled(counterpart):
                message = f"it has a schedule in {elsewhere}, and {kind.word} {counterpart.name} here has none"
                hint = f"rondine {kind.word} schedule {counterpart.name}"
            else:
                continue
            lacking.append(_lacking(environment, f"{kind.word} {item.name}", Problem("", message, hint)))
    return lacking


def _is_scheduled(item: Item) -> bool:
    return item.document.get("schedule") is not None
