"""Operations described by hand: kept from a one-off trial, copied from others, or by the usual pattern of a
resource."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from django.db import transaction
from msgspec import structs

from rondine.core.definitions.model import DescribedOperation
from rondine.core.definitions.pattern import usual_operations
from rondine.core.definitions.titles import title_of
from rondine.core.errors import Conflict, InputError, NotFound
from rondine.core.names import proposed_name
from rondine.core.operations.document import OperationDocument
from rondine.core.pagination import OneResponse
from rondine.core.protocols.address import Placed, placed_below
from rondine.core.settings import dump, load
from rondine.server.access.models import Person, Project
from rondine.server.connecting.kinds import CONNECTIONS, SERVICES
from rondine.server.connecting.models import Connection, Service
from rondine.server.connecting.opening import environment_of
from rondine.server.items.actions import find_item, make_item
from rondine.server.operations.adopting import Adopted, with_shown_paging
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.operations.models import Operation
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.runs.models import Run


def keep_trial(project: Project, person: Person, role: str, data: Mapping[str, Any]) -> dict[str, Any]:
    """{service, connection, operation}: what a one-off needs to be sent again and again; and paging, that its response
    shows and the operation now follows. A connection that is there must lead to the same address.

    data: run (a one-off trial), or base_address and document; environment, service, service_title, operation, title;
    paging: "decline" to ask for one response only.
    """
    run = _one_off_run(project, data["run"]) if data.get("run") is not None else None
    held = run.content if run is not None else {}
    base = data.get("base_address") or held.get("base_address", "")
    if not base or ("document" not in data and "document" not in held):
        raise InputError(
            "nothing was given to keep",
            where="/run",
            hint="name a one-off trial, or give its base address and document",
        )
    document = load(OperationDocument, data["document"] if "document" in data else held["document"], where="/document")
    if data.get("paging") == "decline":
        document = structs.replace(document, paging=OneResponse())
    call = run.calls.select_related("body").filter(number=1).first() if run is not None else None
    document, shown = with_shown_paging(document, call)
    environment = environment_of(project, data.get("environment") or "test")
    title = data.get("title") or title_of(document.method, document.path)
    with transaction.atomic():
        service = Service.objects.filter(project=project, name=data["service"]).first() or make_item(
            SERVICES, project, person, {"name": data["service"], "title": data.get("service_title", "")}, role=role
        )
        connection = Connection.objects.filter(service=service, environment=environment).first()
        if connection is None:
            taken = set(Connection.objects.filter(project=project).values_list("name", flat=True))
            content = {
                "name": proposed_name(f"{service.name}-{environment.name}", taken=taken),
                "service": service.name,
                "environment": environment.name,
                "document": {"base_address": base},
            }
            connection = make_item(CONNECTIONS, project, person, content, role=role)
        elif connection.loaded().address().rstrip("/") != base.rstrip("/"):
            raise Conflict(
                f'connection "{connection.name}" of this service leads to {connection.document["base_address"]}',
                where="/service",
                hint="choose another name for the service, or change that connection",
            )
        taken = set(Operation.objects.filter(project=project).values_list("name", flat=True))
        wanted = data.get("operation") or project.naming_rule().name(
            "operation", title, service=service.name, taken=taken
        )
        content = {"name": wanted, "title": title, "service": service.name, "document": dump(document)}
        operation: Operation = make_item(OPERATIONS, project, person, content, role=role)
        if run is not None:
            run.operation = operation
            run.save(update_fields=["operation"])
    adopted = Adopted(operation.name, shown.paging, shown.reason).to_json() if shown is not None else None
    return {
        "service": service.name,
        "connection": connection.name,
        "operation": operation.name,
        "adopted": adopted,
    }


def placed_in(
    project: Project, operation: OperationDocument, pasted_base: str, service: str, environment: str
) -> Placed:
    """A pasted operation below the base address of a service's connection; as it is where there is none."""
    if not service:
        return Placed(operation, "")
    connection = Connection.objects.filter(
        project=project, service=find_item(SERVICES, project, service), environment__name=environment
    ).first()
    base = connection.loaded().address() if connection else ""
    return placed_below(operation, pasted_base, base) if base else Placed(operation, "")


def _one_off_run(project: Project, number: int) -> Run:
    run = Run.objects.filter(project=project, pk=number).first()
    if run is None or not run.content.get("base_address"):
        words = "is not there" if run is None else "is not a one-off trial: it belongs to a service already"
        raise NotFound(f"run {number} {words}", where="/run", hint="rondine run list shows what ran")
    return run


def pattern(project: Project, path: str, record_type: str, key: str) -> list[DescribedOperation]:
    """The six usual operations of a resource; nothing is made."""
    document = find_item(RECORD_TYPES, project, record_type).loaded() if record_type else None
    rule = project.naming_rule()
    return [
        replace(usual_operation, name=rule.name("operation", usual_operation.title))
        for usual_operation in usual_operations(path, document, key)
    ]
