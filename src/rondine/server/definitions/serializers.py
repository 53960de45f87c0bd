"""Definitions, as the API shows and takes them."""

import uuid
from collections.abc import Sequence
from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from rondine.core.definitions import DescribedOperation
from rondine.core.definitions.model import DefinitionDocument, SignInOffer
from rondine.core.definitions.record_types import ProposedType
from rondine.core.errors import Problem
from rondine.core.operations.document import OperationDocument, path_variables
from rondine.core.operations.inputs import Input
from rondine.core.protocols.body_choice import media_type_of
from rondine.core.settings import dump
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import Strict
from rondine.server.api.shapes import ProblemItem
from rondine.server.definitions.importing import Preview
from rondine.server.definitions.importing_again import Change, Comparison
from rondine.server.items.serializers import ItemSerializer

#: Faults of one definition that are told, of each kind.
MOST_TOLD = 500


def first_problems(problems: Sequence[Problem]) -> Any:
    """As many as are told, and how many there are beside."""
    told = [*problems[:MOST_TOLD]]
    if (more := len(problems) - MOST_TOLD) > 0:
        told.append(Problem("", f"and {more:,} more, which are not listed here"))
    return ProblemItem(told, many=True).data


class DefinitionSerializer(ItemSerializer):
    document = DocumentField(DefinitionDocument, required=False)
    service = serializers.CharField()
    operations = serializers.ListField(
        child=serializers.CharField(), read_only=True, help_text="imported from it, by name"
    )
    schemas = serializers.IntegerField(
        read_only=True, source="schema_count", help_text="how many schemas its operations need"
    )


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
        help_text=(
            "which of the services in it, where it has several: a host of a recorded session, or of a WSDL's ports"
        ),
    )
    service = serializers.CharField(required=False, allow_blank=True)
    environment = serializers.CharField(
        required=False, help_text="whose connection of the service signs in, where the address is on its host"
    )
    introspect = serializers.BooleanField(
        required=False, default=False, help_text="the address is a GraphQL service's: ask it for its schema"
    )
    hash = serializers.CharField(required=False, help_text="of what was looked at; refused if it has changed since")


class OfferedInput(serializers.Serializer[Any]):
    """Of an operation, whose document is given as context."""

    name = serializers.CharField()
    type = serializers.CharField()
    is_required = serializers.BooleanField(source="required")
    is_in_path = serializers.SerializerMethodField()
    description = serializers.SerializerMethodField()

    def get_is_in_path(self, one: Input) -> bool:
        return one.name in self.context["in_path"]

    def get_description(self, one: Input) -> str:
        return one.description[:300]


class OfferedDetails(serializers.Serializer[Any]):
    """What else is told of an operation's document."""

    description = serializers.CharField(allow_blank=True)
    inputs = serializers.SerializerMethodField()
    bodies = serializers.SerializerMethodField(help_text="the media types that a body may have, the first one is sent")

    @extend_schema_field(OfferedInput(many=True))
    def get_inputs(self, document: OperationDocument) -> Any:
        context = {"in_path": path_variables(document.path)}
        return OfferedInput(document.inputs, many=True, context=context).data

    def get_bodies(self, document: OperationDocument) -> list[str]:
        body = media_type_of(document.body)
        return [*([body] if body else []), *(other_body.media_type for other_body in document.other_bodies)]


class OfferedOperation(serializers.Serializer[Any]):
    """An operation that is described. Context: the preview that it is of, and whether details are asked for."""

    key = serializers.CharField()
    name = serializers.SerializerMethodField(help_text="the one it has here, or would get")
    title = serializers.CharField(allow_blank=True)
    method = serializers.CharField(source="document.method")
    path = serializers.CharField(source="document.path")
    tags = serializers.ListField(child=serializers.CharField())
    sign_ins = serializers.ListField(child=serializers.CharField())
    is_deprecated = serializers.BooleanField()
    is_imported = serializers.SerializerMethodField()
    paging = DocumentField(
        OperationDocument.__annotations__["paging"],
        source="document.paging",
        help_text="that the definition shows, and the operation will follow",
    )
    inputs = serializers.SerializerMethodField(help_text="how many values it takes")
    is_complete = serializers.SerializerMethodField(help_text="it can be sent without any value given")
    details = serializers.SerializerMethodField(help_text="where they were asked for")
    warnings = ProblemItem(many=True)

    def get_name(self, one: DescribedOperation) -> str:
        return str(self.context["preview"].names[one.key])

    def get_is_imported(self, one: DescribedOperation) -> bool:
        return one.key in self.context["preview"].there

    def get_inputs(self, one: DescribedOperation) -> int:
        return len(one.document.inputs)

    def get_is_complete(self, one: DescribedOperation) -> bool:
        return not any(each.required for each in one.document.inputs)

    @extend_schema_field(OfferedDetails(allow_null=True))
    def get_details(self, one: DescribedOperation) -> Any:
        return OfferedDetails(one.document).data if self.context["with_details"] else None


class OfferedServer(serializers.Serializer[Any]):
    address = serializers.CharField()
    description = serializers.CharField(allow_blank=True)
    blanks = serializers.DictField(child=serializers.CharField(allow_blank=True))
    choices = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))


class OfferedSignIn(serializers.Serializer[Any]):
    name = serializers.CharField()
    type = serializers.SerializerMethodField(help_text="null if Rondine cannot sign in so")
    words = serializers.CharField(allow_blank=True)
    secret_names = serializers.SerializerMethodField()

    def get_type(self, offer: SignInOffer) -> str | None:
        return dump(offer.sign_in)["type"] if offer.sign_in else None

    def get_secret_names(self, offer: SignInOffer) -> list[str]:
        return list(offer.sign_in.secret_names()) if offer.sign_in else []


class TypeField(serializers.Serializer[Any]):
    name = serializers.CharField()
    type = serializers.CharField()


class OfferedType(serializers.Serializer[Any]):
    name = serializers.CharField()
    parent = serializers.CharField(allow_blank=True)  # type: ignore[assignment]
    source = serializers.CharField(allow_blank=True)  # type: ignore[assignment]
    is_list = serializers.BooleanField()
    wanted = serializers.CharField(
        help_text="the name that is taken by a record type of something else; empty if it is free"
    )
    key = serializers.ListField(child=serializers.CharField(), source="document.key")
    field_count = serializers.SerializerMethodField()
    fields = serializers.SerializerMethodField("get_fields_of", help_text="where they were asked for")  # type: ignore[assignment]

    def get_field_count(self, one: ProposedType) -> int:
        return len(one.document.fields)

    @extend_schema_field(TypeField(many=True, allow_null=True))
    def get_fields_of(self, one: ProposedType) -> Any:
        return TypeField(one.document.fields, many=True).data if self.context["with_details"] else None


class PartSummary(serializers.Serializer[Any]):
    name = serializers.CharField()
    count = serializers.IntegerField(help_text="requests or operations")


class DefinitionShown(serializers.Serializer[Any]):
    """What is in a definition (a preview of it). Context: `look`, by which it is found again; `with_details`; `keys` of
    the operations to be shown, None for all."""

    hash = serializers.CharField(source="source.hash")
    look = serializers.SerializerMethodField(
        help_text="by which it is found again, for a day, without sending it again"
    )
    part = serializers.CharField(
        source="definition.part", allow_blank=True, help_text="which of the services in it this is"
    )
    parts = PartSummary(source="definition.parts", many=True, help_text="the services in it, where it has several")
    format = serializers.CharField(source="definition.format")
    title = serializers.CharField(source="definition.title", allow_blank=True)
    version = serializers.CharField(source="definition.version", allow_blank=True)
    description = serializers.SerializerMethodField()
    documentation = serializers.CharField(source="definition.documentation", allow_blank=True)
    main = serializers.CharField(source="source.main")
    files = serializers.SerializerMethodField()
    size = serializers.SerializerMethodField(help_text="bytes of all files")
    schemas = serializers.SerializerMethodField()
    roots = serializers.ListField(
        child=serializers.CharField(),
        source="definition.roots",
        help_text="of a schema or a sample alone: what a response may be described by",
    )
    operations = serializers.SerializerMethodField()
    servers = OfferedServer(source="definition.servers", many=True)
    sign_ins = OfferedSignIn(source="definition.sign_ins", many=True)
    record_types = OfferedType(source="types", many=True)
    warnings = serializers.SerializerMethodField()
    left_out = serializers.SerializerMethodField()

    def get_look(self, preview: Preview) -> uuid.UUID:
        return self.context["look"]

    def get_description(self, preview: Preview) -> str:
        return preview.definition.description[:4000]

    def get_files(self, preview: Preview) -> list[str]:
        return sorted(preview.source.contents)

    def get_size(self, preview: Preview) -> int:
        return sum(map(len, preview.source.contents.values()))

    def get_schemas(self, preview: Preview) -> int:
        return len(preview.definition.schemas)

    @extend_schema_field(OfferedOperation(many=True))
    def get_operations(self, preview: Preview) -> Any:
        keys = self.context["keys"]
        wanted = None if keys is None else set(keys)
        chosen = [operation for operation in preview.definition.operations if wanted is None or operation.key in wanted]
        return OfferedOperation(chosen, many=True, context={**self.context, "preview": preview}).data

    @extend_schema_field(ProblemItem(many=True))
    def get_warnings(self, preview: Preview) -> Any:
        return first_problems(preview.definition.warnings)

    @extend_schema_field(ProblemItem(many=True))
    def get_left_out(self, preview: Preview) -> Any:
        return first_problems(preview.definition.left_out)


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


class ImportSummary(serializers.Serializer[Any]):
    service = serializers.CharField()
    definition = serializers.CharField()
    operations = serializers.ListField(child=serializers.CharField())
    record_types = serializers.ListField(child=serializers.CharField())
    connection = serializers.CharField(allow_null=True)
    credential = serializers.CharField(allow_null=True)
    secrets_needed = serializers.ListField(child=serializers.CharField())
    notes = serializers.ListField(child=serializers.CharField(), help_text="what is to be known of it")


class ImportMade(ImportSummary):
    others = ImportSummary(many=True, help_text="what was made of the other services in it")


class DifferenceItem(serializers.Serializer[Any]):
    unit = serializers.CharField()
    before = AnyField(allow_null=True)
    now = AnyField(allow_null=True)
    is_kept = serializers.BooleanField(help_text="an own correction, which stays")


class ChangeItem(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(["added", "removed", "changed"])
    key = serializers.CharField()
    name = serializers.CharField(allow_blank=True)
    title = serializers.CharField(allow_blank=True)
    differences = serializers.SerializerMethodField()
    used_by = serializers.ListField(child=serializers.CharField())

    @extend_schema_field(DifferenceItem(many=True))
    def get_differences(self, change: Change) -> Any:
        return DifferenceItem(change.merged.differences, many=True).data if change.merged else []


class ComparisonShown(serializers.Serializer[Any]):
    hash = serializers.CharField(source="source.hash")
    format = serializers.CharField(source="definition.format")
    title = serializers.CharField(source="definition.title", allow_blank=True)
    version = serializers.CharField(source="definition.version", allow_blank=True)
    changes = ChangeItem(many=True)
    unchanged = serializers.IntegerField()
    warnings = serializers.SerializerMethodField()
    left_out = serializers.SerializerMethodField()

    @extend_schema_field(ProblemItem(many=True))
    def get_warnings(self, comparison: Comparison) -> Any:
        return first_problems(comparison.definition.warnings)

    @extend_schema_field(ProblemItem(many=True))
    def get_left_out(self, comparison: Comparison) -> Any:
        return first_problems(comparison.definition.left_out)


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


class ExportShown(serializers.Serializer[Any]):
    document = AnyField(help_text="OpenAPI 3.1")
    unsaid = ProblemItem(many=True, help_text="what OpenAPI cannot say of it")


class ExportQuery(Strict):
    environment = serializers.CharField(
        required=False, default="test", help_text="whose connection says the address and the sign-in"
    )


class FieldsGiven(Strict):
    """A query as it stands, and a place in it."""

    query = serializers.CharField(trim_whitespace=False, allow_blank=True, max_length=200_000)
    path = serializers.ListField(child=serializers.CharField(), required=False, default=list)
    take = serializers.ListField(child=serializers.CharField(), required=False, help_text="take the field at this path")
    leave = serializers.ListField(
        child=serializers.CharField(), required=False, help_text="leave the field at this path out"
    )


class FieldItem(serializers.Serializer[Any]):
    name = serializers.CharField()
    type = serializers.CharField()
    has_fields = serializers.BooleanField()
    is_taken = serializers.BooleanField()
    description = serializers.CharField(allow_blank=True)


class FieldsShown(serializers.Serializer[Any]):
    query = serializers.CharField()
    fields = FieldItem(many=True)  # type: ignore[assignment]
    problems = ProblemItem(many=True)
    depth = serializers.IntegerField()
    count = serializers.IntegerField(help_text="fields in the query")
    cost = serializers.IntegerField(help_text="values that may come at most; lists without a length count ten")


class SchemasShown(serializers.Serializer[Any]):
    defs = AnyField(help_text="JSON Schema 2020-12, by name")
