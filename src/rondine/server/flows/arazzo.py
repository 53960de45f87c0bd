"""Flows of a project as Arazzo documents, and flows made of such documents."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from rondine.core.documents.yaml import read_yaml
from rondine.core.errors import InputError, NotFound, Problem, did_you_mean
from rondine.core.flow.arazzo import AskedOperation
from rondine.core.flow.arazzo_reading import read_arazzo, sources_of, with_left_out
from rondine.core.flow.arazzo_writing import to_arazzo
from rondine.core.flow.checking import asks_in, flows_within
from rondine.server.access.models import Person, Project
from rondine.server.connecting.models import Service
from rondine.server.definitions.exporting import export_service
from rondine.server.flows.kinds import FLOWS, known_in
from rondine.server.flows.models import Flow
from rondine.server.items.actions import find_item, make_item
from rondine.server.operations.models import Operation

#: Bytes of a document.
MOST = 5_000_000


@dataclass(frozen=True, slots=True)
class ArazzoWritten:
    """document: Arazzo.  sources: the OpenAPI documents that it refers to, by their addresses in it.  unsaid: what
    either cannot say."""

    document: dict[str, Any]
    sources: dict[str, dict[str, Any]]
    unsaid: list[Problem]


def written_flow(project: Project, name: str, environment: str = "test") -> ArazzoWritten:
    """A flow with those that it asks, and the OpenAPI documents of the services. environment: whose addresses and
    sign-in these have. Raises NotFound."""
    flow: Flow = find_item(FLOWS, project, name)
    known = known_in(project.pk)
    within = [name, *sorted(flows_within(name, known.flows) - {name})]
    flows = {one: known.flows[one] for one in within if one in known.flows}
    asked = {ask.operation for document in flows.values() for ask in asks_in(document.steps) if ask.operation}
    operations = {
        one.name: _asked(one)
        for one in Operation.objects.filter(project=project, name__in=asked).select_related("service")
    }
    services = {one.service for one in operations.values()}
    written = to_arazzo(name, flow.title, flows, operations, {one: f"{one}.openapi.json" for one in services})
    sources, unsaid = {}, list(written.unsaid)
    for service in written.services:
        exported = export_service(project, service, environment, asked)
        sources[f"{service}.openapi.json"] = exported.document
        unsaid += exported.unsaid
    return ArazzoWritten(written.document, sources, unsaid)


def _asked(operation: Operation) -> AskedOperation:
    return AskedOperation(operation.name, operation.service.name, operation.loaded())


@dataclass(frozen=True, slots=True)
class FlowTaken:
    flow: Flow
    left_out: list[Problem]


def take_flows(
    project: Project, person: Person, text: str, services: Mapping[str, str], role: str | None = None
) -> list[FlowTaken]:
    """Makes a draft of each workflow in an Arazzo document; all of them, or none. services: of its sources, by their
    names; by default those of the same name. What could not be taken stands in each draft's description, too.

    Raises DocumentError and InputError for what is no such document, NotFound for a service that is not there."""
    content = text.encode()
    if len(content) > MOST:
        raise InputError(f"the document has {len(content):,} bytes, and {MOST:,} at most are read", where="text")
    value, problems = read_yaml(content)
    sources = sources_of(value)
    for source in services:
        if source not in sources:
            known = did_you_mean(source, sources) or f"it has {', '.join(sources) or 'none'}"
            raise NotFound(f'the document has no source "{source}"', where="services", hint=known)
    there = set(Service.objects.filter(project=project).values_list("name", flat=True))
    for service in services.values():
        if service not in there:
            raise NotFound(f'there is no service "{service}"', where="services", hint=did_you_mean(service, there))
    reached = {source: services.get(source, source) for source in sources}
    operations = Operation.objects.filter(project=project, service__name__in=reached.values()).select_related("service")
    taken = Flow.objects.filter(project=project).values_list("name", flat=True)
    read = read_arazzo(value, [*map(_asked, operations)], reached, [*taken])
    documents = {one.name: one.document for one in read}
    # those that are asked come first, so that the others find them
    order = sorted(read, key=lambda one: len(flows_within(one.name, documents)))
    made: dict[str, Flow] = {}
    with transaction.atomic():
        for one in order:
            data = {"name": one.name, "title": one.title, "document": with_left_out(one)}
            made[one.name] = make_item(FLOWS, project, person, data, role=role)
    return [FlowTaken(made[one.name], [*problems, *one.left_out]) for one in read]
