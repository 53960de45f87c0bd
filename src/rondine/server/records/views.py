"""Outlines, proposals, previews; and the records that are kept."""

import json
from collections.abc import Sequence
from typing import Any, ClassVar

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.server.access.project_views import ProjectView
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import Strict, checked_limit
from rondine.server.connecting.opening import environment_of
from rondine.server.items.actions import find_item
from rondine.server.items.serializers import ItemSerializer, UseItem
from rondine.server.items.views import ItemViewSet, MakesItems
from rondine.server.records.actions import record_set
from rondine.server.records.browsing import browse, find_record, shown_data
from rondine.server.records.kinds import RECORD_TYPES, users_of_record_types
from rondine.server.records.links import owners, parts_of
from rondine.server.records.models import Record
from rondine.server.records.tracing import rows_fed, trace_of
from rondine.server.runs.actions import find_call
from rondine.server.runs.serializers import CallSerializer


class RecordTypeSerializer(ItemSerializer):
    document = DocumentField(RecordTypeDocument, required=False)
    used_by = UseItem(many=True, read_only=True, help_text="what a change of it reaches")


class RecordTypeViewSet(MakesItems, ItemViewSet):
    kind = RECORD_TYPES
    serializer_class = RecordTypeSerializer

    def prepare(self, items: Sequence[Any]) -> None:
        for item, users in zip(items, users_of_record_types(items), strict=True):
            item.used_by = users


class FieldPlace(serializers.Serializer[Any]):
    field = serializers.CharField()
    pointer = serializers.CharField(allow_null=True)
    note = serializers.CharField()


class FieldProblemItem(serializers.Serializer[Any]):
    field = serializers.CharField()
    path = serializers.CharField()
    reason = serializers.CharField()


class MappedRow(serializers.Serializer[Any]):
    ordinal = serializers.IntegerField()
    pointer = serializers.CharField(allow_blank=True)
    path = serializers.CharField()
    data = serializers.DictField(child=AnyField(allow_null=True), allow_null=True)  # type: ignore[assignment]
    problems = FieldProblemItem(many=True)


# `fields` is a name that serializers keep for themselves, so it is declared from outside
MappedRow._declared_fields["fields"] = FieldPlace(many=True)


class RecordSummary(serializers.Serializer[Any]):
    id = serializers.CharField()
    key = serializers.ListField(child=AnyField())
    run = serializers.IntegerField()
    call = serializers.IntegerField()
    made_at = serializers.DateTimeField()
    changed_at = serializers.DateTimeField()


RecordSummary._declared_fields["data"] = serializers.DictField(child=AnyField(allow_null=True))


class RecordPageShown(serializers.Serializer[Any]):
    items = RecordSummary(many=True)
    next = serializers.CharField(allow_null=True)
    count = serializers.IntegerField(help_text="all records of the set, whatever the filter")


def shown_record(record: Record, document: RecordTypeDocument) -> dict[str, Any]:
    """A record as `RecordSummary` describes it, by hand: a serializer takes four times as long for a page (500 records
    of 12 fields: 90 ms to 24 ms)."""
    return {
        "id": str(record.pk),
        "key": json.loads(record.key),
        "run": record.run_id,
        "call": record.call,
        "made_at": record.made_at,
        "changed_at": record.changed_at,
        "data": shown_data(record.data, document),
    }


class RecordsView(ProjectView):
    """Kept records, a page at a time. Filters: `field=`, `field.from=`, `field.to=`, `field.begins=`; order:
    `sort=field` or `sort=-field`."""

    reserved: ClassVar[frozenset[str]] = frozenset({"cursor", "limit"})

    def check_parameters(self, request: Request) -> None:
        """They are fields of the record type: `browse` knows them."""

    @extend_schema(
        operation_id="listRecords",
        responses=RecordPageShown,
        parameters=[OpenApiParameter("cursor", str), OpenApiParameter("limit", int), OpenApiParameter("sort", str)],
    )
    def get(self, request: Request, project: str, environment: str, name: str) -> Response:
        item = find_item(RECORD_TYPES, self.project, name)
        document: RecordTypeDocument = item.loaded()
        records = record_set(environment_of(self.project, environment), item)
        query = {
            key: str(value) for key, value in request.query_params.items() if key not in self.reserved and value != ""
        }
        page = browse(
            records,
            document,
            query,
            limit=checked_limit(request.query_params.get("limit")),
            cursor=request.query_params.get("cursor"),
        )
        return Response(
            {
                "items": [shown_record(record, document) for record in page.records],
                "next": page.next,
                "count": records.count,
            }
        )


class TraceShown(serializers.Serializer[Any]):
    run = serializers.IntegerField()
    call = serializers.IntegerField()
    body = serializers.UUIDField(allow_null=True)
    row = MappedRow(allow_null=True)
    mapping = DocumentField(MappingDocument, allow_null=True)
    note = serializers.CharField()


class LinkedRecord(serializers.Serializer[Any]):
    record_type = serializers.CharField()
    key = serializers.ListField(child=AnyField())
    is_kept = serializers.BooleanField()


class LinkedRecords(serializers.Serializer[Any]):
    record_type = serializers.CharField()
    where = serializers.DictField(child=serializers.CharField(), help_text="the filter that finds all of them")
    columns = serializers.ListField(
        child=serializers.CharField(), help_text="fields in their order, without those of where"
    )
    records = RecordSummary(many=True)
    is_all = serializers.BooleanField()


class RecordShown(RecordSummary):
    trace = TraceShown()
    belongs_to = LinkedRecord(many=True)
    holds = LinkedRecords(many=True, help_text="records of other types that belong to this one")


class RecordView(ProjectView):
    """One record, and where each of its values came from."""

    @extend_schema(operation_id="getRecord", responses=RecordShown)
    def get(self, request: Request, project: str, environment: str, name: str, key: str) -> Response:
        item = find_item(RECORD_TYPES, self.project, name)
        document: RecordTypeDocument = item.loaded()
        records = record_set(environment_of(self.project, environment), item)
        record = find_record(records, document, key.split("/") if len(document.key) > 1 else [key])
        environment_item = environment_of(self.project, environment)
        return Response(
            {
                **shown_record(record, document),
                "trace": trace_of(self.project.pk, record, name),
                "belongs_to": owners(environment_item, record, document),
                "holds": [
                    {
                        "record_type": parts.record_type,
                        "where": parts.where,
                        "columns": [field.name for field in parts.document.fields if field.name not in parts.where],
                        "records": [shown_record(one, parts.document) for one in parts.page.records],
                        "is_all": parts.page.next is None,
                    }
                    for parts in parts_of(environment_item, record, name, document)
                ],
            }
        )


class RecordOfRow(serializers.Serializer[Any]):
    key = serializers.ListField(child=AnyField())
    run = serializers.IntegerField(help_text="that changed it last")


class FedRow(MappedRow):
    record = RecordOfRow(allow_null=True, help_text="what is kept under its key now")


FedRow._declared_fields["fields"] = FieldPlace(many=True)


class FedOutput(serializers.Serializer[Any]):
    record_type = serializers.CharField()
    document = DocumentField(RecordTypeDocument, help_text="the record type as it was then")
    shown = FedRow(many=True)
    is_all = serializers.BooleanField()


class FedShown(serializers.Serializer[Any]):
    call = CallSerializer()
    outputs = FedOutput(many=True)
    note = serializers.CharField(help_text="why nothing is told, if nothing is")


class FedQuery(Strict):
    place = serializers.CharField(
        required=False,
        allow_blank=True,
        trim_whitespace=False,
        default="",
        help_text="a JSON Pointer: only rows with a value from there or from within",
    )


class FedView(ProjectView):
    """What a call's response fed: its rows with their records, and the place of every value."""

    query = {"GET": FedQuery}

    @extend_schema(operation_id="getFed", responses=FedShown)
    def get(self, request: Request, project: str, run_id: int, number: int) -> Response:
        call = find_call(self.project, run_id, number)
        return Response({"call": CallSerializer(call).data, **rows_fed(call, self.queried(request)["place"])})


class RowChoiceItem(serializers.Serializer[Any]):
    path = serializers.CharField()
    count = serializers.IntegerField()
    holds = serializers.CharField()
