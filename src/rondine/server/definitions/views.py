"""Definitions: looked at, imported, compared, taken again; and what came of them."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from asgiref.sync import sync_to_async
from django.http.response import HttpResponseBase
from django_filters import CharFilter
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.definitions.files import Report, to_nobody
from rondine.server.access.project_views import ProjectView, WaitingView
from rondine.server.api.progress import told
from rondine.server.connecting.process import parts
from rondine.server.definitions.exporting import export_service
from rondine.server.definitions.first_rows import first_rows
from rondine.server.definitions.graphql import choose_fields
from rondine.server.definitions.importing import import_parts, preview
from rondine.server.definitions.importing_again import compare, update
from rondine.server.definitions.serializers import (
    ComparisonShown,
    DefinitionSerializer,
    DefinitionShown,
    ExportQuery,
    ExportShown,
    FieldsGiven,
    FieldsShown,
    ImportGiven,
    ImportMade,
    LookGiven,
    ProgressQuery,
    RowsGiven,
    RowsShown,
    SchemasShown,
    SourceGiven,
    UpdateGiven,
)
from rondine.server.definitions.sources import (
    Source,
    cached_source,
    fetched,
    keep_look,
    no_source,
    stored_source,
    uploaded,
)
from rondine.server.items.actions import find_item
from rondine.server.items.views import ItemFilter, ItemViewSet
from rondine.server.operations.kinds import DEFINITIONS
from rondine.server.operations.models import Operation
from rondine.server.threads import in_own_thread


class DefinitionFilter(ItemFilter):
    service = CharFilter("service__name", help_text="those of this service, by its name")


class DefinitionViewSet(ItemViewSet):
    kind = DEFINITIONS
    serializer_class = DefinitionSerializer
    filterset_class = DefinitionFilter

    def prepare(self, items: Sequence[Any]) -> None:
        imported = Operation.objects.filter(
            project__in={one.project_id for one in items},
            document__came_from__definition__in=[one.name for one in items],
        )
        names = defaultdict(list)
        for name, definition in imported.order_by("name").values_list("name", "document__came_from__definition"):
            names[definition].append(name)
        for item in items:
            item.operations, item.schema_count = names[item.name], len(item.schemas)


# --- where a definition is read from


async def source_of(view: ProjectView, data: Any, *, stored: str = "", report: Report = to_nobody) -> Source:
    """The files of a definition as the request gives them. stored: a definition whose address is read if nothing is
    given.  report: of progress."""
    source = await _files_of(view, data, stored, report)
    return replace(source, part=data.get("part") or source.part)


async def _files_of(view: ProjectView, data: Any, stored: str, report: Report) -> Source:
    if "look" in data:
        return await sync_to_async(cached_source)(view.project, str(data["look"]))
    if "files" in data:
        main = data.get("main", "")
        if stored and not main:  # the same one as before, if it is among them
            held = (await sync_to_async(find_item)(DEFINITIONS, view.project, stored)).document.get("main", "")
            main = held if held in {file["name"] for file in data["files"]} else ""
        return await in_own_thread(uploaded)(data["files"], main)
    if "definition" in data and not stored:
        held = await sync_to_async(find_item)(DEFINITIONS, view.project, data["definition"])
        return await sync_to_async(stored_source)(held)
    address, service = data.get("address", ""), data.get("service", "")
    introspect = data.get("introspect", False)
    if stored:
        item = await sync_to_async(find_item)(DEFINITIONS, view.project, stored)
        address, service = address or item.document.get("address", ""), item.service.name
        introspect = introspect or item.document.get("format") == "GraphQL (introspection)"
    if not address:
        raise no_source("/address")
    environment = data.get("environment", "test")
    return await fetched(
        view.project,
        parts()[0],
        address,
        service=service,
        environment=environment,
        introspect=introspect,
        report=report,
    )


# --- looking


class DefinitionPreviewView(WaitingView):
    """What is in a definition: operations, schemas, servers, sign-ins, and what is wrong with it. Nothing is
    written."""

    permissions = {"POST": "build"}
    query = {"POST": ProgressQuery}

    @extend_schema(
        operation_id="lookAtDefinition",
        request=LookGiven,
        responses={(200, "application/json"): DefinitionShown, (200, "application/x-ndjson"): OpenApiTypes.STR},
    )
    async def post(self, request: Request, project: str) -> HttpResponseBase:
        data = await sync_to_async(self.validated)(LookGiven, request)

        async def work(report: Report = to_nobody) -> dict[str, Any]:
            source = await source_of(self, data, report=report)
            found = await in_own_thread(preview)(self.project, source, data.get("service", ""), report)
            look = str(data.get("look") or await in_own_thread(keep_look)(self.project, source))
            context = {"look": look, "with_details": data["details"], "keys": data.get("operations")}
            return await in_own_thread(lambda: DefinitionShown(found, context=context).data)()

        return told(work) if self.queried(request)["progress"] else Response(await work())


class RowsView(WaitingView):
    """The first rows of an operation that is only described so far, such as an entity set's. Nothing is stored."""

    permissions = {"POST": "try"}

    @extend_schema(operation_id="lookAtRows", request=RowsGiven, responses=RowsShown)
    async def post(self, request: Request, project: str) -> Response:
        data = await sync_to_async(self.validated)(RowsGiven, request)
        source = await source_of(self, data)
        found = await first_rows(
            self.project,
            parts()[0],
            source,
            data["key"],
            service=data.get("service", ""),
            environment=data.get("environment", "test"),
            values=data["inputs"],
        )
        return Response(RowsShown(found).data)


# --- importing


class ImportsView(WaitingView):
    """Imports a definition: service, operations, record types and the connection, all or nothing."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="importDefinition", request=ImportGiven, responses={201: ImportMade})
    async def post(self, request: Request, project: str) -> Response:
        data = await sync_to_async(self.validated)(ImportGiven, request)
        source = await source_of(self, data)
        made, *others = await in_own_thread(import_parts)(self.project, self.person, self.role, source, data)
        return Response(ImportMade(replace(made, others=others)).data, status=201)


# --- importing again


class CompareView(WaitingView):
    """What has changed in a definition: read again from its address, or from files. Nothing is written."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="compareDefinition", request=SourceGiven, responses=ComparisonShown)
    async def post(self, request: Request, project: str, name: str) -> Response:
        data = await sync_to_async(self.validated)(SourceGiven, request)
        source = await source_of(self, data, stored=name)
        comparison = await in_own_thread(compare)(self.project, name, source)
        return Response(await in_own_thread(lambda: ComparisonShown(comparison).data)())


class UpdateView(WaitingView):
    """Takes what has changed. Own corrections stay; an operation that is gone is disabled, not removed."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="updateDefinition", request=UpdateGiven, responses=ComparisonShown)
    async def post(self, request: Request, project: str, name: str) -> Response:
        data = await sync_to_async(self.validated)(UpdateGiven, request)
        source = await source_of(self, data, stored=name)
        comparison = await in_own_thread(update)(
            self.project,
            self.person,
            self.role,
            name,
            source,
            accept=data.get("accept"),
            add=data.get("add", []),
            seen_hash=data.get("hash", ""),
        )
        return Response(await in_own_thread(lambda: ComparisonShown(comparison).data)())


class ExportView(ProjectView):
    """A service as an OpenAPI 3.1 document, also one that never had a definition. It holds no secrets."""

    query = {"GET": ExportQuery}

    @extend_schema(operation_id="exportService", responses=ExportShown)
    def get(self, request: Request, project: str, name: str) -> Response:
        made = export_service(self.project, name, self.queried(request)["environment"])
        return Response(ExportShown(made).data)


class FieldsView(ProjectView):
    """The fields of a GraphQL schema at a place of a query; the query with one taken or left out, checked against the
    schema."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="chooseFields", request=FieldsGiven, responses=FieldsShown)
    def post(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(FieldsGiven, request)
        found = choose_fields(
            self.project, name, data["query"], data["path"], take=data.get("take"), leave=data.get("leave")
        )
        return Response(FieldsShown(found).data)


class SchemasView(ProjectView):
    """The schemas that a definition's operations need."""

    @extend_schema(operation_id="getSchemas", responses=SchemasShown)
    def get(self, request: Request, project: str, name: str) -> Response:
        return Response(SchemasShown({"defs": find_item(DEFINITIONS, self.project, name).schemas}).data)
