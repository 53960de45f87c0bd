"""What is known of a service before and while it is connected: a list that fills up, and becomes connection and
operation without retyping."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from rondine.core.errors import InputError
from rondine.core.items.connection import ConnectionDocument
from rondine.core.names import proposed_name
from rondine.core.protocols.address import parse_address, placed_below
from rondine.core.settings import dump
from rondine.core.signin import NoSignIn
from rondine.server.access.models import Person, Project
from rondine.server.connecting.kinds import CONNECTIONS, CREDENTIALS, SERVICES
from rondine.server.connecting.models import Connection, Service
from rondine.server.connecting.opening import environment_of
from rondine.server.items.actions import find_item, make_item
from rondine.server.items.kinds import ItemKind
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.operations.models import Operation


@dataclass(frozen=True, slots=True)
class Fact:
    """One thing to know. value: what is known, in words; empty if nothing is.  source: where it is known from."""

    name: str
    title: str
    value: str
    source: str
    hint: str = ""


def preparation_of(service: Service) -> list[Fact]:
    """Everything to know of a service, known or not, in the order in which it is needed."""
    document = service.loaded()
    noted = document.preparation
    connections = list(Connection.objects.filter(service=service).select_related("credential").order_by("name"))
    settings = [(connection, connection.loaded()) for connection in connections]
    operations = list(Operation.objects.filter(service=service).order_by("name"))

    def fact(name: str, title: str, hint: str, *known: tuple[str, str]) -> Fact:
        value, source = next(((value, source) for value, source in known if value), ("", ""))
        return Fact(name, title, value, source, "" if value else hint)

    signing = [(one, held) for one, held in settings if not isinstance(held.sign_in, NoSignIn)]
    is_reached = [connection for connection in connections if (connection.check_result or {}).get("works")]
    inputs = sorted({input_.name for item in operations for input_ in item.loaded().inputs if input_.required})
    return [
        fact("documentation", "Where its documentation is", "note its address", (document.documentation, "service")),
        fact(
            "base_address",
            "Where it is",
            "the address all its paths begin with",
            *((held.base_address, f"connection {one.name}") for one, held in settings),
            (noted.base_address, "noted"),
        ),
        fact(
            "sign_in",
            "How to sign in",
            "the documentation calls it authentication or authorization",
            *((dump(held.sign_in)["type"].replace("_", " "), f"connection {one.name}") for one, held in signing),
            ("" if noted.sign_in is None else dump(noted.sign_in)["type"].replace("_", " "), "noted"),
            ("nothing is asked for" if is_reached and not signing else "", "check"),
        ),
        fact(
            "key",
            "The key or account",
            f"get it: {noted.key_from}" if noted.key_from else "note where to get one",
            *(
                (f"kept in credential {connection.credential.name}", f"connection {connection.name}")
                for connection in connections
                if connection.credential and connection.credential.names
            ),
            ("none is needed" if isinstance(noted.sign_in, NoSignIn) else "", "noted"),
        ),
        fact(
            "limits",
            "How much it allows",
            "look for rate limits or quotas; note none if there are none",
            *((", ".join(limit.words for limit in held.limits), f"connection {one.name}") for one, held in settings),
            ("" if noted.limits is None else ", ".join(one.words for one in noted.limits) or "no limits", "noted"),
        ),
        fact(
            "example",
            "A first operation",
            "an example address from the documentation",
            (", ".join(operation.name for operation in operations[:5]), "operations"),
            (noted.example, "noted"),
        ),
        fact(
            "inputs",
            "What calls must be given",
            "describe a first operation",
            (", ".join(inputs) or ("nothing" if operations else ""), "operations"),
        ),
    ]


def connect_prepared(project: Project, person: Person, role: str, name: str, data: Mapping[str, Any]) -> dict[str, Any]:
    """Makes the connection in an environment from what is noted, with an empty credential if the sign-in needs one, and
    the first operation."""
    service: Service = find_item(SERVICES, project, name)
    environment = environment_of(project, data["environment"])
    noted = service.loaded().preparation
    taken = parse_address(noted.example) if noted.example else None
    base = noted.base_address or (taken.base_address if taken else "")
    if not base:
        raise InputError(
            "where the service is is not noted yet", where="/preparation/base_address", hint="note its address"
        )
    sign_in = noted.sign_in or NoSignIn()
    document = ConnectionDocument(base_address=base, sign_in=sign_in, limits=noted.limits or [])
    made: dict[str, Any] = {"operation": None, "credential": None}

    def make(kind: ItemKind, wanted: str, **content: Any) -> str:
        taken_names = set(kind.model._default_manager.filter(project=project).values_list("name", flat=True))
        free = proposed_name(wanted, taken=taken_names)
        make_item(kind, project, person, {"name": free, **content}, role=role)
        return free

    with transaction.atomic():
        if document.secret_names():
            made["credential"] = make(CREDENTIALS, f"{name}-{environment.name}-key", environment=environment.name)
        made["connection"] = make(
            CONNECTIONS,
            f"{name}-{environment.name}",
            service=name,
            environment=environment.name,
            credential=made["credential"],
            document=dump(document),
        )
        if taken is not None and not Operation.objects.filter(service=service).exists():
            placed = placed_below(taken.operation, taken.base_address, document.address() or base)
            if placed.difference:
                raise InputError(
                    placed.difference,
                    where="/preparation/example",
                    hint="note an example of this service, or correct the base address",
                )
            found = dump(placed.operation)
            made["operation"] = make(OPERATIONS, taken.name, title=taken.title, service=name, document=found)
    return made
