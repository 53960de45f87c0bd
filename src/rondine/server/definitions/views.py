"""Definitions: looked at, imported, compared, taken again; and what came of them."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import asdict, replace
from typing import Any

from asgiref.sync import sync_to_async
from django_filters import CharFilter
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.definitions import DescribedOperation
from rondine.core.definitions.files import Report, to_nobody
from rondine.core.definitions.model import DefinitionDocument
from rondine.core.definitions.record_types import ProposedType
from rondine.core.errors import Problem
from rondine.core.operations.document import OperationDocument, path_variables
from rondine.core.protocols.body_choice import media_type_of
from rondine.core.settings import dump
from rondine.server.access.project_views import ProjectView, WaitingView
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.progress import told
from rondine.server.api.requests import Strict
from rondine.server.api.shapes import ProblemLine
from rondine.server.connecting.process import parts
from rondine.server.definitions.exporting import export_service
from rondine.server.definitions.first_rows import first_rows
from rondine.server.definitions.graphql import choose_fields
from rondine.server.definitions.importing import Preview, import_parts, preview
from rondine.server.definitions.importing_again import Comparison, compare, update
from rondine.server.definitions.sources import (
    Source,
    fetched,
    keep_look,
    looked_at,
    no_source,
    stored_source,
    uploaded,
)
from rondine.server.items.actions import find_item
from rondine.server.items.serializers import ItemSerializer
from rondine.server.items.views import ItemFilter, ItemViewSet
from rondine.server.operations.kinds import DEFINITIONS
from rondine.server.operations.models import Operation
from rondine.server.threads import apart

#: Faults of one definition that are told, of each kind.
MOST_TOLD = 500


class DefinitionSerializer(ItemSerializer):
    document = DocumentField(DefinitionDocument, required=False)
    service = serializers.CharField()
    operations = serializers.ListField(
        child=serializers.CharField(), read_only=True, help_text="imported from it, by name"
    )
    schemas = serializers.IntegerField(
        read_only=True, source="schema_count", help_text="how many schemas its operations need"
    )


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


class FileGiven(Strict):
    name = serializers.CharField(max_length=500)
    text = serializers.CharField(required=False, trim_whitespace=False, allow_blank=True)
    base64 = serializers.CharField(required=False, help_text="bytes, such as a zip archive of several files")

    def validate(self, attrs: Any) -> Any:
        if ("text" in attrs) == ("base64" in attrs):
            raise serializers.ValidationError({"text": ["give either text or base64"]})
        return attrs


class SourceGiven(Strict):
    """An address, or files, or what was looked at before, or a definition that was imported before, as it was then."""

    look = serializers.UUIDField(required=False, help_text="of a definition that was looked at; it is kept for a day")
    definition = serializers.CharField(required=False)
    address = serializers.CharField(required=False, max_length=4000)
    files = FileGiven(many=True, required=False)
    main = serializers.CharField(
        required=False, help_text="which of the files is the definition, if not the one that looks like it"
    )
    part = serializers.CharField(
        required=False,
        allow_blank=True,
        help_text="which of the services in it, where it has several: a host of a recorded session, or of a WSDL's ports",
    )
    service = serializers.CharField(required=False, allow_blank=True)
    environment = serializers.CharField(
        required=False, help_text="whose connection of the service signs in, where the address is on its host"
    )
    introspect = serializers.BooleanField(
        required=False, default=False, help_text="the address is a GraphQL service's: ask it for its schema"
    )
    hash = serializers.CharField(required=False, help_text="of what was looked at; refused if it has changed since")


async def source_of(view: ProjectView, given: Any, *, stored: str = "", report: Report = to_nobody) -> Source:
    """The files of a definition as the request gives them. stored: a definition whose address is read if nothing is given.  report: of progress."""
    found = await _files_of(view, given, stored, report)
    return replace(found, part=given.get("part") or found.part)


async def _files_of(view: ProjectView, given: Any, stored: str, report: Report) -> Source:
    if "look" in given:
        return await sync_to_async(looked_at)(view.project, str(given["look"]))
    if "files" in given:
        main = given.get("main", "")
        if stored and not main:  # the same one as before, if it is among them
            held = (await sync_to_async(find_item)(DEFINITIONS, view.project, stored)).document.get("main", "")
            main = held if held in {one["name"] for one in given["files"]} else ""
        return await apart(uploaded)(given["files"], main)
    if "definition" in given and not stored:
        held = await sync_to_async(find_item)(DEFINITIONS, view.project, given["definition"])
        return await sync_to_async(stored_source)(held)
    address, service = given.get("address", ""), given.get("service", "")
    introspect = given.get("introspect", False)
    if stored:
        item = await sync_to_async(find_item)(DEFINITIONS, view.project, stored)
        address, service = address or item.document.get("address", ""), item.service.name
        introspect = introspect or item.document.get("format") == "GraphQL (introspection)"
    if not address:
        raise no_source("/address")
    environment = given.get("environment", "test")
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


class OfferedInput(serializers.Serializer[Any]):
    name = serializers.CharField()
    type = serializers.CharField()
    is_required = serializers.BooleanField()
    is_in_path = serializers.BooleanField()
    description = serializers.CharField(allow_blank=True)


class OfferedDetails(serializers.Serializer[Any]):
    description = serializers.CharField(allow_blank=True)
    inputs = OfferedInput(many=True)
    bodies = serializers.ListField(
        child=serializers.CharField(), help_text="the media types that a body may have, the first one is sent"
    )


class OfferedOperation(serializers.Serializer[Any]):
    key = serializers.CharField()
    name = serializers.CharField(help_text="the one it has here, or would get")
    title = serializers.CharField(allow_blank=True)
    method = serializers.CharField()
    path = serializers.CharField()
    tags = serializers.ListField(child=serializers.CharField())
    sign_ins = serializers.ListField(child=serializers.CharField())
    is_deprecated = serializers.BooleanField()
    is_imported = serializers.BooleanField()
    paging = DocumentField(
        OperationDocument.__annotations__["paging"],
        help_text="that the definition shows, and the operation will follow",
    )
    inputs = serializers.IntegerField(help_text="how many values it takes")
    is_complete = serializers.BooleanField(help_text="it can be sent without any value given")
    details = OfferedDetails(allow_null=True, help_text="where they were asked for")
    warnings = ProblemLine(many=True)


class OfferedServer(serializers.Serializer[Any]):
    address = serializers.CharField()
    description = serializers.CharField(allow_blank=True)
    blanks = serializers.DictField(child=serializers.CharField(allow_blank=True))
    choices = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))


class OfferedSignIn(serializers.Serializer[Any]):
    name = serializers.CharField()
    type = serializers.CharField(allow_null=True, help_text="null if Rondine cannot sign in so")
    words = serializers.CharField(allow_blank=True)
    secret_names = serializers.ListField(child=serializers.CharField())


class TypeField(serializers.Serializer[Any]):
    name = serializers.CharField()
    type = serializers.CharField()


class OfferedType(serializers.Serializer[Any]):
    name = serializers.CharField()
    parent = serializers.CharField(allow_blank=True)
    source = serializers.CharField(allow_blank=True)
    is_list = serializers.BooleanField()
    wanted = serializers.CharField(
        help_text="the name that is taken by a record type of something else; empty if it is free"
    )
    key = serializers.ListField(child=serializers.CharField())
    field_count = serializers.IntegerField()
    fields = TypeField(many=True, allow_null=True, help_text="where they were asked for")  # type: ignore[assignment]


class PartLine(serializers.Serializer[Any]):
    name = serializers.CharField()
    count = serializers.IntegerField(help_text="requests or operations")


class DefinitionShown(serializers.Serializer[Any]):
    hash = serializers.CharField()
    look = serializers.UUIDField(help_text="by which it is found again, for a day, without sending it again")
    part = serializers.CharField(allow_blank=True, help_text="which of the services in it this is")
    parts = PartLine(many=True, help_text="the services in it, where it has several")
    format = serializers.CharField()
    title = serializers.CharField(allow_blank=True)
    version = serializers.CharField(allow_blank=True)
    description = serializers.CharField(allow_blank=True)
    documentation = serializers.CharField(allow_blank=True)
    main = serializers.CharField()
    files = serializers.ListField(child=serializers.CharField())
    size = serializers.IntegerField(help_text="bytes of all files")
    schemas = serializers.IntegerField()
    roots = serializers.ListField(
        child=serializers.CharField(), help_text="of a schema or a sample alone: what a response may be described by"
    )
    operations = OfferedOperation(many=True)
    servers = OfferedServer(many=True)
    sign_ins = OfferedSignIn(many=True)
    record_types = OfferedType(many=True)
    warnings = ProblemLine(many=True)
    left_out = ProblemLine(many=True)


def shown_preview(
    found: Preview, look: str, *, with_details: bool = False, keys: Sequence[str] | None = None
) -> dict[str, Any]:
    """keys: of the operations that are shown; None for all."""
    read = found.definition
    chosen = read.operations if keys is None else [one for one in read.operations if one.key in set(keys)]
    return {
        "hash": found.source.hash,
        "look": look,
        "part": read.part,
        "parts": [asdict(one) for one in read.parts],
        "format": read.format,
        "title": read.title,
        "version": read.version,
        "description": read.description[:4000],
        "documentation": read.documentation,
        "main": found.source.main,
        "files": sorted(found.source.contents),
        "size": sum(map(len, found.source.contents.values())),
        "schemas": len(read.schemas),
        "roots": list(read.roots),
        "operations": [_offered(one, found, with_details=with_details) for one in chosen],
        "servers": [asdict(one) for one in read.servers],
        "sign_ins": [
            {
                "name": one.name,
                "type": dump(one.sign_in)["type"] if one.sign_in else None,
                "words": one.words,
                "secret_names": list(one.sign_in.secret_names()) if one.sign_in else [],
            }
            for one in read.sign_ins
        ],
        "record_types": [_type(one, with_fields=with_details) for one in found.types],
        "warnings": _first(read.warnings),
        "left_out": _first(read.left_out),
    }


def _first(problems: Sequence[Problem]) -> list[dict[str, str]]:
    """As many as are told, and how many there are beside."""
    told = [*problems[:MOST_TOLD]]
    if (more := len(problems) - MOST_TOLD) > 0:
        told.append(Problem("", f"and {more:,} more, which are not listed here"))
    return [one.to_json() for one in told]


def _offered(one: DescribedOperation, found: Preview, *, with_details: bool) -> dict[str, Any]:
    return {
        "key": one.key,
        "name": found.names[one.key],
        "title": one.title,
        "method": one.document.method,
        "path": one.document.path,
        "tags": list(one.tags),
        "sign_ins": list(one.sign_ins),
        "is_deprecated": one.is_deprecated,
        "is_imported": one.key in found.there,
        "paging": dump(one.document.paging) if one.document.paging is not None else None,
        "inputs": len(one.document.inputs),
        "is_complete": not any(each.required for each in one.document.inputs),
        "details": _details(one.document) if with_details else None,
        "warnings": [each.to_json() for each in one.warnings],
    }


def _details(document: OperationDocument) -> dict[str, Any]:
    in_path = path_variables(document.path)
    body = media_type_of(document.body)
    return {
        "description": document.description,
        "inputs": [
            {
                "name": each.name,
                "type": each.type,
                "is_required": each.required,
                "is_in_path": each.name in in_path,
                "description": each.description[:300],
            }
            for each in document.inputs
        ],
        "bodies": [*([body] if body else []), *(each.media_type for each in document.other_bodies)],
    }


def _type(one: ProposedType, *, with_fields: bool) -> dict[str, Any]:
    return {
        "name": one.name,
        "parent": one.parent,
        "source": one.source,
        "is_list": one.is_list,
        "wanted": one.wanted,
        "key": list(one.document.key),
        "field_count": len(one.document.fields),
        "fields": [{"name": each.name, "type": each.type} for each in one.document.fields] if with_fields else None,
    }


class LookGiven(SourceGiven):
    """A source, and how much is told of what is in it."""

    details = serializers.BooleanField(
        required=False, default=False, help_text="with the inputs of operations and the fields of record types"
    )
    operations = serializers.ListField(
        child=serializers.CharField(), required=False, allow_null=True, help_text="keys of those shown; all by default"
    )


class ProgressQuery(Strict):
    progress = serializers.BooleanField(
        required=False,
        default=False,
        help_text="true: answers line by line (application/x-ndjson) how far it has come, and then the result",
    )


class DefinitionPreviewView(WaitingView):
    """What is in a definition: operations, schemas, servers, sign-ins, and what is wrong with it. Nothing is written."""

    permissions = {"POST": "build"}
    query = {"POST": ProgressQuery}

    @extend_schema(
        operation_id="lookAtDefinition",
        request=LookGiven,
        responses={(200, "application/json"): DefinitionShown, (200, "application/x-ndjson"): OpenApiTypes.STR},
    )
    async def post(self, request: Request, project: str) -> Response:
        given = await sync_to_async(self.validated)(LookGiven, request)

        async def work(report: Report = to_nobody) -> dict[str, Any]:
            source = await source_of(self, given, report=report)
            found = await apart(preview)(self.project, source, given.get("service", ""), report)
            look = str(given.get("look") or await apart(keep_look)(self.project, source))
            shown = apart(shown_preview)
            return await shown(found, look, with_details=given["details"], keys=given.get("operations"))

        return told(work) if self.queried(request)["progress"] else Response(await work())


class RowsGiven(SourceGiven):
    key = serializers.CharField(help_text="of an operation that reads")
    inputs = serializers.DictField(child=AnyField(allow_null=True), required=False, default=dict)


class RowsShown(serializers.Serializer[Any]):
    url = serializers.CharField()
    status = serializers.IntegerField()
    words = serializers.CharField()
    message = serializers.CharField(allow_blank=True)
    path = serializers.CharField(allow_blank=True)
    rows = serializers.ListField(child=AnyField(allow_null=True))
    count = serializers.IntegerField()


class RowsView(WaitingView):
    """The first rows of an operation that is only described so far, such as an entity set's. Nothing is stored."""

    permissions = {"POST": "try"}

    @extend_schema(operation_id="lookAtRows", request=RowsGiven, responses=RowsShown)
    async def post(self, request: Request, project: str) -> Response:
        given = await sync_to_async(self.validated)(RowsGiven, request)
        source = await source_of(self, given)
        found = await first_rows(
            self.project,
            parts()[0],
            source,
            given["key"],
            service=given.get("service", ""),
            environment=given.get("environment", "test"),
            values=given["inputs"],
        )
        return Response(asdict(found))


# --- importing


class ConnectGiven(Strict):
    environment = serializers.CharField(required=False, default="test")
    address = serializers.CharField(
        required=False, allow_blank=True, help_text="one of the servers, or another; the first one by default"
    )
    blanks = serializers.DictField(child=serializers.CharField(allow_blank=True), required=False)
    sign_in = serializers.CharField(required=False, help_text="the first one by default that Rondine can do")


class ImportGiven(SourceGiven):
    """What is chosen of a definition; without operations, all of them."""

    title = serializers.CharField(required=False, allow_blank=True, max_length=200)
    operations = serializers.ListField(child=serializers.CharField(), required=False, allow_null=True, help_text="keys")
    names = serializers.DictField(
        child=serializers.CharField(), required=False, help_text="other names than proposed, by key"
    )
    left_out = serializers.DictField(
        child=serializers.ListField(child=serializers.CharField()),
        required=False,
        help_text="inputs not wanted, by key",
    )
    record_types = serializers.ListField(
        child=serializers.CharField(), required=False, allow_null=True, help_text="of those proposed; all by default"
    )
    connect = ConnectGiven(required=False, allow_null=True)
    every_part = serializers.BooleanField(
        required=False,
        default=False,
        help_text="the other services in it too, whole, each into a service of its own",
    )
    paging = serializers.ChoiceField(
        ["follow", "decline"],
        required=False,
        default="follow",
        help_text="whether operations follow the paging that the definition shows, or ask for one response only",
    )


class ImportLine(serializers.Serializer[Any]):
    service = serializers.CharField()
    definition = serializers.CharField()
    operations = serializers.ListField(child=serializers.CharField())
    record_types = serializers.ListField(child=serializers.CharField())
    connection = serializers.CharField(allow_null=True)
    credential = serializers.CharField(allow_null=True)
    secrets_needed = serializers.ListField(child=serializers.CharField())
    notes = serializers.ListField(child=serializers.CharField(), help_text="what is to be known of it")


class ImportMade(ImportLine):
    others = ImportLine(many=True, help_text="what was made of the other services in it")


class ImportsView(WaitingView):
    """Imports a definition: service, operations, record types and the connection, all or nothing."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="importDefinition", request=ImportGiven, responses={201: ImportMade})
    async def post(self, request: Request, project: str) -> Response:
        given = await sync_to_async(self.validated)(ImportGiven, request)
        source = await source_of(self, given)
        made, *others = await apart(import_parts)(self.project, self.person, self.role, source, given)
        return Response({**asdict(made), "others": [asdict(one) for one in others]}, status=201)


# --- importing again


class DifferenceLine(serializers.Serializer[Any]):
    unit = serializers.CharField()
    before = AnyField(allow_null=True)
    now = AnyField(allow_null=True)
    is_kept = serializers.BooleanField(help_text="an own correction, which stays")


class ChangeLine(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(["added", "removed", "changed"])
    key = serializers.CharField()
    name = serializers.CharField(allow_blank=True)
    title = serializers.CharField(allow_blank=True)
    differences = DifferenceLine(many=True)
    used_by = serializers.ListField(child=serializers.CharField())


class ComparisonShown(serializers.Serializer[Any]):
    hash = serializers.CharField()
    format = serializers.CharField()
    title = serializers.CharField(allow_blank=True)
    version = serializers.CharField(allow_blank=True)
    changes = ChangeLine(many=True)
    unchanged = serializers.IntegerField()
    warnings = ProblemLine(many=True)
    left_out = ProblemLine(many=True)


def shown_comparison(found: Comparison) -> dict[str, Any]:
    return {
        "hash": found.source.hash,
        "format": found.definition.format,
        "title": found.definition.title,
        "version": found.definition.version,
        "changes": [
            {
                "kind": one.kind,
                "key": one.key,
                "name": one.name,
                "title": one.title,
                "differences": [asdict(each) for each in one.merged.differences] if one.merged else [],
                "used_by": one.used_by,
            }
            for one in found.changes
        ],
        "unchanged": found.unchanged,
        "warnings": _first(found.definition.warnings),
        "left_out": _first(found.definition.left_out),
    }


class CompareView(WaitingView):
    """What a definition says otherwise now: read again from its address, or from files. Nothing is written."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="compareDefinition", request=SourceGiven, responses=ComparisonShown)
    async def post(self, request: Request, project: str, name: str) -> Response:
        given = await sync_to_async(self.validated)(SourceGiven, request)
        source = await source_of(self, given, stored=name)
        found = await apart(compare)(self.project, name, source)
        return Response(shown_comparison(found))


class UpdateGiven(SourceGiven):
    accept = serializers.ListField(
        child=serializers.CharField(),
        required=False,
        allow_null=True,
        help_text="keys of changed and removed operations; all by default",
    )
    add = serializers.ListField(
        child=serializers.CharField(), required=False, help_text="keys of new operations; none by default"
    )


class UpdateView(WaitingView):
    """Takes what has changed. Own corrections stay; an operation that is gone is disabled, not removed."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="updateDefinition", request=UpdateGiven, responses=ComparisonShown)
    async def post(self, request: Request, project: str, name: str) -> Response:
        given = await sync_to_async(self.validated)(UpdateGiven, request)
        source = await source_of(self, given, stored=name)
        found = await apart(update)(
            self.project,
            self.person,
            self.role,
            name,
            source,
            accept=given.get("accept"),
            add=given.get("add", []),
            seen_hash=given.get("hash", ""),
        )
        return Response(shown_comparison(found))


class ExportShown(serializers.Serializer[Any]):
    document = AnyField(help_text="OpenAPI 3.1")
    unsaid = ProblemLine(many=True, help_text="what OpenAPI cannot say of it")


class ExportQuery(Strict):
    environment = serializers.CharField(
        required=False, default="test", help_text="whose connection says the address and the sign-in"
    )


class ExportView(ProjectView):
    """A service as an OpenAPI 3.1 document, also one that never had a definition. It holds no secrets."""

    query = {"GET": ExportQuery}

    @extend_schema(operation_id="exportService", responses=ExportShown)
    def get(self, request: Request, project: str, name: str) -> Response:
        made = export_service(self.project, name, self.queried(request)["environment"])
        return Response({"document": made.document, "unsaid": [one.to_json() for one in made.unsaid]})


class FieldsGiven(Strict):
    """A query as it stands, and a place in it."""

    query = serializers.CharField(trim_whitespace=False, allow_blank=True, max_length=200_000)
    path = serializers.ListField(child=serializers.CharField(), required=False, default=list)
    take = serializers.ListField(child=serializers.CharField(), required=False, help_text="take the field at this path")
    leave = serializers.ListField(
        child=serializers.CharField(), required=False, help_text="leave the field at this path out"
    )


class FieldLine(serializers.Serializer[Any]):
    name = serializers.CharField()
    type = serializers.CharField()
    has_fields = serializers.BooleanField()
    is_taken = serializers.BooleanField()
    description = serializers.CharField(allow_blank=True)


class FieldsShown(serializers.Serializer[Any]):
    query = serializers.CharField()
    fields = FieldLine(many=True)  # type: ignore[assignment]
    problems = ProblemLine(many=True)
    depth = serializers.IntegerField()
    count = serializers.IntegerField(help_text="fields in the query")
    cost = serializers.IntegerField(help_text="values that may come at most; lists without a length count ten")


class FieldsView(ProjectView):
    """The fields of a GraphQL schema at a place of a query; the query with one taken or left out, checked against the schema."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="chooseFields", request=FieldsGiven, responses=FieldsShown)
    def post(self, request: Request, project: str, name: str) -> Response:
        given = self.validated(FieldsGiven, request)
        found = choose_fields(
            self.project, name, given["query"], given["path"], take=given.get("take"), leave=given.get("leave")
        )
        shown = asdict(found)
        return Response({**shown, "problems": [one.to_json() for one in found.problems]})


class SchemasShown(serializers.Serializer[Any]):
    defs = AnyField(help_text="JSON Schema 2020-12, by name")


class SchemasView(ProjectView):
    """The schemas that a definition's operations need."""

    @extend_schema(operation_id="getSchemas", responses=SchemasShown)
    def get(self, request: Request, project: str, name: str) -> Response:
        return Response({"defs": find_item(DEFINITIONS, self.project, name).schemas})
