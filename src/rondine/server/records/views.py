"""Outlines, proposals, previews; and the records that are kept."""

import json
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any, ClassVar, get_args

from django.db.models import OuterRef, Subquery
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.conversions.steps import Conversion
from rondine.core.errors import DraftError
from rondine.core.forms import form_of
from rondine.core.mapping.document import MappingDocument, Output, RecordTypeDocument, resolved
from rondine.core.operations.document import OperationDocument
from rondine.core.schema.outline import Correction
from rondine.core.settings import dump, load
from rondine.server.access.project_views import ProjectView
from rondine.server.api.forms import FormShown
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import Strict, checked_limit
from rondine.server.items.actions import find_item
from rondine.server.items.views import UseLine, item_views
from rondine.server.records.actions import (
    comparison_of,
    declared_for,
    outline_of,
    preview,
    proposal,
    record_set,
    stored,
    structure_comparison_of,
)
from rondine.server.records.browsing import browse, find_record, shown_data
from rondine.server.records.kinds import (
    FEEDS,
    MAPPINGS,
    RECORD_TYPES,
    mappings_of,
    users_of_mappings,
    users_of_record_types,
)
from rondine.server.records.links import owners, parts_of
from rondine.server.records.models import Feed, Mapping, Record
from rondine.server.records.tracing import trace_of
from rondine.server.runs.models import Run
from rondine.server.services.actions import body_of, document_of, environment_of
from rondine.server.services.looked_at import document_to_look_at

USED_BY = UseLine(many=True, help_text="what a change of it reaches")

RecordTypeList, RecordTypeDetail, RecordTypeRevisions = item_views(
    RECORD_TYPES,
    extra={"used_by": USED_BY},
    describe=lambda items: [{"used_by": users} for users in users_of_record_types(items)],
)


def _mappings(items: Sequence[Mapping]) -> list[dict[str, Any]]:
    documents: list[MappingDocument] = [load(MappingDocument, item.document) for item in items]
    known = mappings_of(items[0].project_id) if any(one.based_on for one in documents) else {}

    def whole(item: Mapping, document: MappingDocument) -> Any:
        try:
            return dump(resolved(document, known))
        except DraftError:  # its problems say why
            return item.document

    return [
        {"whole": whole(item, document), "used_by": users}
        for item, document, users in zip(items, documents, users_of_mappings(items), strict=True)
    ]


MappingList, MappingDetail, MappingRevisions = item_views(
    MAPPINGS,
    extra={
        "whole": DocumentField(MappingDocument, help_text="with all that it has from the one it is based on"),
        "used_by": USED_BY,
    },
    describe=_mappings,
)


def _last_runs(items: Sequence[Feed]) -> list[dict[str, Any]]:
    newest = Run.objects.filter(feed=OuterRef("pk")).order_by("-id").values("pk")[:1]
    feeds = Feed.objects.filter(pk__in=[one.pk for one in items]).values(newest=Subquery(newest))
    last = {
        run.feed_id: {
            "id": run.pk,
            "state": run.state,
            "completeness": run.completeness,
            "at": run.ended_at or run.started_at or run.queued_at,
        }
        for run in Run.objects.filter(pk__in=feeds).defer("content", "inputs", "checkpoint")
    }
    return [{"last_run": last.get(one.pk), "paging": one.operation.document.get("paging")} for one in items]


class LastRun(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    state = serializers.CharField()
    completeness = serializers.CharField(
        allow_blank=True, help_text="complete, incomplete or unknown; empty until it is done"
    )
    at = serializers.DateTimeField()


FeedList, FeedDetail, FeedRevisions = item_views(
    FEEDS,
    extra={
        "last_run": LastRun(allow_null=True),
        "paging": DocumentField(
            OperationDocument.__annotations__["paging"],
            help_text="how its operation pages; null: nothing is known of it",
        ),
    },
    describe=_last_runs,
)


class RowChoiceLine(serializers.Serializer[Any]):
    path = serializers.CharField()
    count = serializers.IntegerField()
    holds = serializers.CharField()


class OutlineAsked(Strict):
    bodies = serializers.ListField(
        child=serializers.UUIDField(),
        min_length=1,
        max_length=20,
        help_text="stored bodies: of trials, calls or samples",
    )
    corrections = DocumentField(list[Correction], required=False)


class AlternativeLine(serializers.Serializer[Any]):
    value = serializers.CharField()
    members = serializers.ListField(child=serializers.CharField())


class AlternativesLine(serializers.Serializer[Any]):
    """Objects of several kinds: the member whose text tells, and the members that come with each text only."""

    field = serializers.CharField()
    values = AlternativeLine(many=True)


class OutlineLine(serializers.Serializer[Any]):
    path = serializers.CharField()
    name = serializers.CharField()
    depth = serializers.IntegerField()
    types = serializers.ListField(child=serializers.CharField())
    type = serializers.CharField()
    format = serializers.CharField(allow_null=True)
    presence = serializers.FloatField(help_text="share of the parent's occurrences that had it, 0 to 1")
    nulls = serializers.IntegerField()
    seen = serializers.IntegerField()
    fractional = serializers.IntegerField()
    lengths = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    examples = serializers.ListField(child=serializers.CharField())
    is_corrected = serializers.BooleanField()
    lists = serializers.IntegerField(help_text="of XML: how many lists it is within, its own included")
    convert = DocumentField(list[Conversion])
    range = serializers.ListField(
        child=serializers.CharField(), allow_null=True, help_text="least and most, if all were numbers"
    )
    keys = serializers.ListField(
        child=serializers.CharField(), help_text="of an object whose keys are data: some of them"
    )
    key_count = serializers.IntegerField()
    alternatives = AlternativesLine(allow_null=True)


class OutlineShown(serializers.Serializer[Any]):
    lines = OutlineLine(many=True)
    schema = serializers.DictField()
    row_choices = RowChoiceLine(many=True, help_text="what could become rows, of the first body")
    namespaces = serializers.DictField(child=serializers.CharField(), help_text="of XML: what its prefixes stand for")


class OutlineView(ProjectView):
    """The schema of stored bodies, as lines for people and as JSON Schema."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="getOutline", request=OutlineAsked, responses=OutlineShown)
    def post(self, request: Request, project: str) -> Response:
        given = self.given(OutlineAsked, request)
        documents = stored(self.project, [str(one) for one in given["bodies"]])
        return Response(outline_of(documents, given.get("corrections") or []))


class ComparisonAsked(Strict):
    before = serializers.UUIDField(help_text="a stored body: of a trial, call or sample")
    after = serializers.UUIDField()


class ValueDifferenceLine(serializers.Serializer[Any]):
    path = serializers.CharField()
    kind = serializers.ChoiceField(["added", "removed", "changed", "retyped", "reordered"])
    before = serializers.CharField(allow_blank=True)
    after = serializers.CharField(allow_blank=True)


class ComparisonOfBodies(serializers.Serializer[Any]):
    differences = ValueDifferenceLine(many=True)
    is_all = serializers.BooleanField()


class ComparisonView(ProjectView):
    """Two stored bodies compared by structure and value; formatting counts for nothing."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="compareBodies", request=ComparisonAsked, responses=ComparisonOfBodies)
    def post(self, request: Request, project: str) -> Response:
        given = self.given(ComparisonAsked, request)
        before = document_of(body_of(self.project, str(given["before"])))
        after = document_of(body_of(self.project, str(given["after"])), before.namespaces)
        return Response(comparison_of(before, after))


class StructureComparisonAsked(Strict):
    before = serializers.ListField(
        child=serializers.UUIDField(), min_length=1, max_length=20, help_text="stored bodies"
    )
    after = serializers.ListField(child=serializers.UUIDField(), min_length=1, max_length=20)
    corrections = DocumentField(list[Correction], required=False)


class StructureDifferenceLine(serializers.Serializer[Any]):
    path = serializers.CharField()
    kind = serializers.ChoiceField(["added", "removed", "changed"])
    before = serializers.CharField(allow_blank=True, help_text="the part in words")
    after = serializers.CharField(allow_blank=True)


class ComparisonOfStructures(serializers.Serializer[Any]):
    differences = StructureDifferenceLine(many=True)
    is_all = serializers.BooleanField()


class StructureComparisonView(ProjectView):
    """What newer bodies have that older ones do not allow: parts that came, are gone, or are otherwise."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="compareStructures", request=StructureComparisonAsked, responses=ComparisonOfStructures)
    def post(self, request: Request, project: str) -> Response:
        given = self.given(StructureComparisonAsked, request)
        before = stored(self.project, [str(one) for one in given["before"]])
        names = dict(before[0].namespaces)
        bodies = [body_of(self.project, str(one)) for one in given["after"]]
        after = [document_of(one, names) if names else document_to_look_at(one) for one in bodies]
        return Response(structure_comparison_of(before, after, given.get("corrections") or []))


class ProposalAsked(OutlineAsked):
    name = serializers.CharField(max_length=63, help_text="of the record type")
    onto = serializers.BooleanField(
        required=False, default=False, help_text="whether the record type is there already, and is to be filled"
    )
    rows = serializers.ListField(
        child=serializers.CharField(max_length=1000),
        min_length=1,
        max_length=8,
        help_text="what becomes one row: a JSONPath a level, in XML an XPath",
    )
    take = serializers.ListField(
        child=serializers.CharField(max_length=1000),
        required=False,
        allow_null=True,
        help_text="paths of the values wanted, from the row; none: all plain ones",
    )


class ProposedPartShown(serializers.Serializer[Any]):
    """A list of objects within a row, as records of their own that belong to it."""

    name = serializers.CharField()
    path = serializers.CharField(help_text="from the row")
    record_type = DocumentField(RecordTypeDocument)
    output = DocumentField(Output)


class PairLine(serializers.Serializer[Any]):
    field = serializers.CharField()
    path = serializers.CharField()
    reason = serializers.ChoiceField(["same name", "similar name", "like values"])
    is_sure = serializers.BooleanField(help_text="what is not sure is saved after somebody said yes")


class ProposalShown(serializers.Serializer[Any]):
    name = serializers.CharField()
    record_type = DocumentField(RecordTypeDocument)
    mapping = DocumentField(MappingDocument)
    left_out = serializers.ListField(child=serializers.CharField())
    notes = serializers.ListField(child=serializers.CharField())
    parts = ProposedPartShown(many=True, help_text="to be added to the mapping's outputs where they are wanted")
    pairs = PairLine(many=True, help_text="onto a record type that is there: what fills which field, and why")
    open = serializers.ListField(child=serializers.CharField(), help_text="its fields that nothing looks like")


class ProposalView(ProjectView):
    """A first record type and mapping."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="propose", request=ProposalAsked, responses=ProposalShown)
    def post(self, request: Request, project: str) -> Response:
        given = self.given(ProposalAsked, request)
        documents = stored(self.project, [str(one) for one in given["bodies"]])
        declared = declared_for(self.project, str(given["bodies"][0]), given["rows"])
        return Response(proposal(self.project, documents, given, declared))


class PreviewAsked(Strict):
    body = serializers.UUIDField()
    mapping = DocumentField(MappingDocument)
    record_types = serializers.DictField(
        child=AnyField(), required=False, help_text="drafts by name, in place of the saved ones"
    )
    inputs = serializers.DictField(child=AnyField(allow_null=True), required=False)


class FieldPlace(serializers.Serializer[Any]):
    field = serializers.CharField()
    pointer = serializers.CharField(allow_null=True)
    note = serializers.CharField()


class FieldProblemLine(serializers.Serializer[Any]):
    field = serializers.CharField()
    path = serializers.CharField()
    reason = serializers.CharField()


class MappedRow(serializers.Serializer[Any]):
    ordinal = serializers.IntegerField()
    pointer = serializers.CharField(allow_blank=True)
    path = serializers.CharField()
    data = serializers.DictField(child=AnyField(allow_null=True), allow_null=True)
    problems = FieldProblemLine(many=True)


# `fields` is a name that serializers keep for themselves, so it is declared from outside
MappedRow._declared_fields["fields"] = FieldPlace(many=True)


class LossLine(serializers.Serializer[Any]):
    field = serializers.CharField()
    words = serializers.CharField()


class CoverageShown(serializers.Serializer[Any]):
    unused = serializers.ListField(child=serializers.CharField(), help_text="values of the row that no rule takes")
    open = serializers.ListField(child=serializers.CharField(), help_text="fields that no rule fills")
    losses = LossLine(many=True, help_text="what may get lost, or keep values from fitting")


class PreviewOutput(serializers.Serializer[Any]):
    record_type = serializers.CharField()
    rows = serializers.IntegerField()
    records = serializers.IntegerField()
    rejected = serializers.IntegerField()
    filtered = serializers.IntegerField(help_text="rows that a condition of the mapping leaves out")
    shown = MappedRow(many=True)
    coverage = CoverageShown()


class PreviewShown(serializers.Serializer[Any]):
    outputs = PreviewOutput(many=True)


class ConversionForm(FormShown):
    fits = serializers.ListField(child=serializers.CharField(), help_text="kinds of values that it is offered for")


class MappingForms(serializers.Serializer[Any]):
    conversions = ConversionForm(many=True)


class MappingFormsView(ProjectView):
    """The forms of conversions, drawn from their own classes."""

    @extend_schema(operation_id="getMappingForms", responses=MappingForms)
    def get(self, request: Request, project: str) -> Response:
        forms = [{**asdict(form_of(kind)), "fits": sorted(kind.FITS)} for kind in get_args(Conversion)]
        return Response({"conversions": forms})


class PreviewView(ProjectView):
    """What a mapping makes of a stored response; nothing is kept."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="previewMapping", request=PreviewAsked, responses=PreviewShown)
    def post(self, request: Request, project: str) -> Response:
        given = self.given(PreviewAsked, request)
        return Response(preview(self.project, {**given, "body": str(given["body"])}))


class RecordLine(serializers.Serializer[Any]):
    id = serializers.CharField()
    key = serializers.ListField(child=AnyField())
    run = serializers.IntegerField()
    call = serializers.IntegerField()
    made_at = serializers.DateTimeField()
    changed_at = serializers.DateTimeField()


RecordLine._declared_fields["data"] = serializers.DictField(child=AnyField(allow_null=True))


class RecordPageShown(serializers.Serializer[Any]):
    items = RecordLine(many=True)
    next = serializers.CharField(allow_null=True)
    count = serializers.IntegerField(help_text="all records of the set, whatever the filter")


def shown_record(record: Record, document: RecordTypeDocument) -> dict[str, Any]:
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
    """Kept records, a page at a time. Filters: `field=`, `field.from=`, `field.to=`, `field.begins=`; order: `sort=field` or `sort=-field`."""

    reserved: ClassVar[frozenset[str]] = frozenset({"cursor", "limit"})

    @extend_schema(
        operation_id="listRecords",
        responses=RecordPageShown,
        parameters=[OpenApiParameter("cursor", str), OpenApiParameter("limit", int), OpenApiParameter("sort", str)],
    )
    def get(self, request: Request, project: str, environment: str, name: str) -> Response:
        item = find_item(RECORD_TYPES, self.project, name)
        document: RecordTypeDocument = load(RecordTypeDocument, item.document)
        records = record_set(environment_of(self.project, environment), item)
        query = {key: value for key, value in request.query_params.items() if key not in self.reserved and value != ""}
        page = browse(
            records,
            document,
            query,
            limit=checked_limit(request.query_params.get("limit")),
            cursor=request.query_params.get("cursor"),
        )
        return Response(
            {"items": [shown_record(one, document) for one in page.records], "next": page.next, "count": records.count}
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
    records = RecordLine(many=True)
    is_all = serializers.BooleanField()


class RecordShown(RecordLine):
    trace = TraceShown()
    belongs_to = LinkedRecord(many=True)
    holds = LinkedRecords(many=True, help_text="records of other types that belong to this one")


class RecordView(ProjectView):
    """One record, and where each of its values came from."""

    @extend_schema(operation_id="getRecord", responses=RecordShown)
    def get(self, request: Request, project: str, environment: str, name: str, key: str) -> Response:
        item = find_item(RECORD_TYPES, self.project, name)
        document: RecordTypeDocument = load(RecordTypeDocument, item.document)
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
                        "record_type": found.record_type,
                        "where": found.where,
                        "columns": [one.name for one in found.document.fields if one.name not in found.where],
                        "records": [shown_record(one, found.document) for one in found.page.records],
                        "is_all": found.page.next is None,
                    }
                    for found in parts_of(environment_item, record, name, document)
                ],
            }
        )
