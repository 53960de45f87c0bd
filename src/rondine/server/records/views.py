"""Outlines, proposals, previews; and the records that are kept."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any, ClassVar, get_args

from django.db import connections
from django.http import StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import InputError
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.server.access.project_views import ProjectView
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import Strict, checked_limit
from rondine.server.connecting.opening import environment_of
from rondine.server.items.actions import find_item
from rondine.server.items.serializers import ItemSerializer, UseItem
from rondine.server.items.views import ItemViewSet, MakesItems
from rondine.server.records.actions import check_kept, names_of_feeds, record_set
from rondine.server.records.browsing import MOST, GoneShown, browse, find_record, selection, shown_data
from rondine.server.records.changes import changes, shown_change
from rondine.server.records.exporting import FORMS, file_of_records, form_named
from rondine.server.records.keeping import History
from rondine.server.records.kinds import RECORD_TYPES, users_of_record_types
from rondine.server.records.links import owners, parts_of
from rondine.server.records.models import CHANGES, Record, RecordSet
from rondine.server.records.sql_views import view_of
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
    """Of a live record, what has to do with keeping it is left out."""

    id = serializers.CharField()
    key = serializers.ListField(child=AnyField())
    run = serializers.IntegerField(required=False)
    call = serializers.IntegerField(required=False)
    made_at = serializers.DateTimeField(required=False)
    changed_at = serializers.DateTimeField(required=False)
    gone_at = serializers.DateTimeField(required=False, allow_null=True, help_text="since when its rows no longer come")
    feeds = serializers.ListField(
        child=serializers.CharField(), required=False, help_text="those that bring it, by name"
    )
    version = serializers.CharField(
        required=False,
        allow_null=True,
        help_text="of a live record, its entity tag, for If-Match; null in a list whose service gives none",
    )


RecordSummary._declared_fields["data"] = serializers.DictField(child=AnyField(allow_null=True))


class LiveShown(serializers.Serializer[Any]):
    """Where live records come from."""

    calls = serializers.IntegerField(help_text="outside calls that the answer took, now or when it was had")
    age = serializers.FloatField(help_text="seconds since the service gave it")
    read_at = serializers.DateTimeField()
    is_cached = serializers.BooleanField(help_text="no call was made for it now")
    stale_why = serializers.CharField(
        allow_blank=True, help_text="why it is older than was asked for: the service cannot be reached"
    )
    local = serializers.ListField(
        child=serializers.CharField(), help_text="what was done here over all rows, as the service cannot"
    )
    run = serializers.IntegerField(allow_null=True, help_text="in which its calls are told")


class LiveReject(serializers.Serializer[Any]):
    """A row of the service that is no record."""

    ordinal = serializers.IntegerField()
    path = serializers.CharField()
    problems = FieldProblemItem(many=True)


class RecordPageShown(serializers.Serializer[Any]):
    items = RecordSummary(many=True)
    next = serializers.CharField(allow_null=True)
    count = serializers.IntegerField(
        allow_null=True,
        help_text="all records of the set, whatever the filter, without those gone; null of live ones",
    )
    is_all = serializers.BooleanField(
        required=False,
        allow_null=True,
        help_text="of live records: with those of the pages before, proven to be all; null if nothing says",
    )
    all_why = serializers.CharField(required=False)
    rejects = LiveReject(many=True, required=False)
    live = LiveShown(required=False)


def shown_record(record: Record, document: RecordTypeDocument, feeds: Mapping[int, str]) -> dict[str, Any]:
    """A record as `RecordSummary` describes it, by hand: a serializer takes four times as long for a page (500 records
    of 12 fields: 90 ms to 24 ms). feeds: names of those that bring records of its set, by their bits."""
    return {
        "id": str(record.pk),
        "key": json.loads(record.key),
        "run": record.run_id,
        "call": record.call,
        "made_at": record.made_at,
        "changed_at": record.changed_at,
        "gone_at": record.gone_at,
        "feeds": [name for bit, name in feeds.items() if record.brought_by & bit],
        "data": shown_data(record.data, document),
    }


PAGED = (("cursor", str), ("limit", int), ("sort", str))
GONE = OpenApiParameter(
    "gone", str, enum=get_args(GoneShown), description="whether records that are gone are shown: no, also, or only they"
)


def gone_shown(request: Request) -> GoneShown:
    """Raises InputError for another word."""
    value = request.query_params.get("gone") or "no"
    if value not in get_args(GoneShown):
        raise InputError(f'gone is "{value}"', where="?gone", hint=f"give {', '.join(get_args(GoneShown))}")
    return value  # type: ignore[return-value]


def filters_of(request: Request, reserved: frozenset[str]) -> dict[str, str]:
    """The parameters that are about fields of the record type."""
    return {key: str(value) for key, value in request.query_params.items() if key not in reserved and value != ""}


class RecordsView(ProjectView):
    """Kept records, a page at a time. Filters: `field=`, `field.from=`, `field.to=`, `field.begins=`; order:
    `sort=field` or `sort=-field`. Those that are gone are left out, unless they are asked for."""

    reserved: ClassVar[frozenset[str]] = frozenset({"cursor", "limit", "gone"})

    def check_parameters(self, request: Request) -> None:
        """They are fields of the record type: `browse` knows them."""

    @extend_schema(
        operation_id="listRecords",
        responses=RecordPageShown,
        parameters=[*(OpenApiParameter(name, kind) for name, kind in PAGED), GONE],
    )
    def get(self, request: Request, project: str, environment: str, name: str) -> Response:
        item = find_item(RECORD_TYPES, self.project, name)
        records = record_set(environment_of(self.project, environment), item)
        document = records.loaded()
        query = filters_of(request, self.reserved)
        page = browse(
            records,
            document,
            query,
            limit=checked_limit(request.query_params.get("limit")),
            cursor=request.query_params.get("cursor"),
            gone=gone_shown(request),
        )
        feeds = names_of_feeds(records)
        return Response(
            {
                "items": [shown_record(record, document, feeds) for record in page.records],
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
    trace = TraceShown(required=False)
    belongs_to = LinkedRecord(many=True, required=False)
    holds = LinkedRecords(many=True, required=False, help_text="records of other types that belong to this one")
    live = LiveShown(required=False)


class RecordView(ProjectView):
    """One record, and where each of its values came from."""

    @extend_schema(operation_id="getRecord", responses=RecordShown)
    def get(self, request: Request, project: str, environment: str, name: str, key: str) -> Response:
        item = find_item(RECORD_TYPES, self.project, name)
        records = record_set(environment_of(self.project, environment), item)
        document = records.loaded()
        record = find_record(records, document, key.split("/") if len(document.key) > 1 else [key])
        environment_item = environment_of(self.project, environment)
        return Response(
            {
                **shown_record(record, document, names_of_feeds(records)),
                "trace": trace_of(self.project.pk, record, name),
                "belongs_to": owners(environment_item, record, document),
                "holds": [
                    {
                        "record_type": parts.record_type,
                        "where": parts.where,
                        "columns": [field.name for field in parts.document.fields if field.name not in parts.where],
                        "records": [shown_record(one, parts.document, parts.feeds) for one in parts.page.records],
                        "is_all": parts.page.next is None,
                    }
                    for parts in parts_of(environment_item, record, name, document)
                ],
            }
        )


class RecordFileView(ProjectView):
    """Kept records as one file, whose ending says the format: `trees.ndjson`, `trees.json`, `trees.csv`. Filters and
    order as of the list; it is written while it is read, however many there are."""

    reserved: ClassVar[frozenset[str]] = frozenset({"gone"})

    def check_parameters(self, request: Request) -> None:
        """They are fields of the record type: `browse` knows them."""

    @extend_schema(
        operation_id="getRecordFile",
        responses={(200, form.media_type.partition(";")[0]): OpenApiTypes.STR for form in FORMS.values()},
        parameters=[OpenApiParameter("sort", str), GONE],
    )
    def get(self, request: Request, project: str, environment: str, name: str) -> StreamingHttpResponse:
        type_name, form = form_named(name)
        item = find_item(RECORD_TYPES, self.project, type_name)
        records = record_set(environment_of(self.project, environment), item)
        document = records.loaded()
        check_kept(type_name, document)
        query, gone = filters_of(request, self.reserved), gone_shown(request)
        selection(records, document, query, gone=gone)  # what is wrong with it is told before the file begins
        connections.close_all()  # it may be read slowly
        return StreamingHttpResponse(
            file_of_records(form, records, document, query, gone),
            content_type=form.media_type,
            headers={"Content-Disposition": f'attachment; filename="{name}"', "Cache-Control": "no-store"},
        )


class ViewColumn(serializers.Serializer[Any]):
    name = serializers.CharField()
    type = serializers.CharField()


class RecordViewItem(serializers.Serializer[Any]):
    record_type = serializers.CharField()
    schema = serializers.CharField()
    name = serializers.CharField()
    columns = ViewColumn(many=True)
    role = serializers.CharField(allow_blank=True, help_text="that may read it; empty if none could be made")
    problem = serializers.CharField(allow_blank=True, help_text="why it is not as it should be")


class RecordViewsView(ProjectView):
    """The SQL views of an environment's kept records, one for each record type that was ever filled."""

    @extend_schema(operation_id="listRecordViews", responses=RecordViewItem(many=True))
    def get(self, request: Request, project: str, environment: str) -> Response:
        sets = RecordSet.objects.filter(environment=environment_of(self.project, environment))
        views = [view_of(records) for records in sets.select_related("record_type", "environment__project")]
        shown = [
            {**asdict(view), "columns": [{"name": name, "type": kind} for name, kind in view.columns]}
            for view in sorted(views, key=lambda view: view.name)
        ]
        return Response(shown)


class RecordChangeItem(serializers.Serializer[Any]):
    id = serializers.CharField(help_text="rises with every change of the set: a mark to read on from")
    kind = serializers.ChoiceField(CHANGES)
    key = serializers.ListField(child=AnyField())
    run = serializers.IntegerField()
    at = serializers.DateTimeField()
    before = serializers.DictField(child=AnyField(allow_null=True), allow_null=True, help_text="what differs, before")
    after = serializers.DictField(child=AnyField(allow_null=True), allow_null=True, help_text="what differs, after it")


RecordChangeItem._declared_fields["data"] = serializers.DictField(
    child=AnyField(allow_null=True), allow_null=True, help_text="the record as it is now; null if it was removed"
)


class ChangesShown(serializers.Serializer[Any]):
    items = RecordChangeItem(many=True)
    next = serializers.CharField(help_text="the mark to read on from; the one given, if nothing came since")
    is_all = serializers.BooleanField(help_text="nothing more is there now")
    history = serializers.ChoiceField(get_args(History), help_text="what of its records is written down")


class ChangesQuery(Strict):
    key = serializers.CharField(required=False, help_text="of one record, as in its address")
    after = serializers.IntegerField(required=False, min_value=0, help_text="a mark; what came after it, oldest first")
    limit = serializers.IntegerField(required=False, min_value=1, max_value=MOST, default=50)


class ChangesView(ProjectView):
    """What happened to records: of one record, the newest change first; of all, from a mark on, in the order in which
    it came to be seen, so that whoever reads on from the last mark misses nothing."""

    query = {"GET": ChangesQuery}

    @extend_schema(operation_id="listRecordChanges", responses=ChangesShown)
    def get(self, request: Request, project: str, environment: str, name: str) -> Response:
        data = self.queried(request)
        item = find_item(RECORD_TYPES, self.project, name)
        records = record_set(environment_of(self.project, environment), item)
        document = records.loaded()
        check_kept(name, document)
        key = data.get("key")
        keys = None if key is None else key.split("/") if len(document.key) > 1 else [key]
        page = changes(records, document, keys, data.get("after"), data["limit"])
        return Response(
            {
                "items": [
                    shown_change(change, page.records.get(change.record_id), document) for change in page.changes
                ],
                "next": str(page.next),
                "is_all": page.is_all,
                "history": document.history,
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
