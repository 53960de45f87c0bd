"""Outlines, comparisons, proposals, mappings and previews."""

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any, get_args

from django_filters import CharFilter
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.conversions.steps import Conversion
from rondine.core.errors import DraftError
from rondine.core.forms import form_of
from rondine.core.mapping.document import COMPARISONS, MappingDocument, Output, RecordTypeDocument, resolved
from rondine.core.schema.outline import Correction
from rondine.core.settings import dump
from rondine.server.access.project_views import ProjectView
from rondine.server.api.forms import FormShown
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import Strict
from rondine.server.api.shapes import ValueDifferenceItem
from rondine.server.items.serializers import ItemSerializer, UseItem
from rondine.server.items.views import ItemFilter, ItemViewSet, MakesItems
from rondine.server.mappings.actions import (
    comparison_of,
    declared_for,
    outline_of,
    preview,
    proposal,
    stored,
    structure_comparison_of,
)
from rondine.server.mappings.kinds import MAPPINGS, mappings_of, users_of_mappings
from rondine.server.records.views import MappedRow, RowChoiceItem
from rondine.server.runs.bodies import body_of, document_of, document_to_look_at


class MappingSerializer(ItemSerializer):
    document = DocumentField(MappingDocument, required=False)
    service = serializers.CharField()
    whole = DocumentField(MappingDocument, read_only=True, help_text="with all that it has from the one it is based on")
    used_by = UseItem(many=True, read_only=True, help_text="what a change of it reaches")


class MappingFilter(ItemFilter):
    service = CharFilter("service__name", help_text="those of this service, by its name")


class MappingViewSet(MakesItems, ItemViewSet):
    kind = MAPPINGS
    serializer_class = MappingSerializer
    filterset_class = MappingFilter

    def prepare(self, items: Sequence[Any]) -> None:
        documents: list[MappingDocument] = [item.loaded() for item in items]
        known = mappings_of(items[0].project_id) if any(one.based_on for one in documents) else {}
        for item, document, users in zip(items, documents, users_of_mappings(items), strict=True):
            item.used_by = users
            try:
                item.whole = dump(resolved(document, known))
            except DraftError:  # its problems say why
                item.whole = item.document


class OutlineAsked(Strict):
    bodies = serializers.ListField(
        child=serializers.UUIDField(),
        min_length=1,
        max_length=20,
        help_text="stored bodies: of trials, calls or samples",
    )
    corrections = DocumentField(list[Correction], required=False)


class AlternativeItem(serializers.Serializer[Any]):
    value = serializers.CharField()
    members = serializers.ListField(child=serializers.CharField())


class AlternativesItem(serializers.Serializer[Any]):
    """Objects of several kinds: the member whose text tells, and the members that come with each text only."""

    field = serializers.CharField()
    values = AlternativeItem(many=True)


class OutlineItem(serializers.Serializer[Any]):
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
    alternatives = AlternativesItem(allow_null=True)


class OutlineShown(serializers.Serializer[Any]):
    lines = OutlineItem(many=True)
    schema = serializers.DictField()
    row_choices = RowChoiceItem(many=True, help_text="what could become rows, of the first body")
    namespaces = serializers.DictField(child=serializers.CharField(), help_text="of XML: what its prefixes stand for")


class OutlineView(ProjectView):
    """The schema of stored bodies, as lines for people and as JSON Schema."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="getOutline", request=OutlineAsked, responses=OutlineShown)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(OutlineAsked, request)
        documents = stored(self.project, [str(body) for body in data["bodies"]])
        return Response(OutlineShown(outline_of(documents, data.get("corrections") or [])).data)


class ComparisonAsked(Strict):
    before = serializers.UUIDField(help_text="a stored body: of a trial, call or sample")
    after = serializers.UUIDField()


class ComparisonOfBodies(serializers.Serializer[Any]):
    differences = ValueDifferenceItem(many=True)
    is_all = serializers.BooleanField()


class ComparisonView(ProjectView):
    """Two stored bodies compared by structure and value; formatting counts for nothing."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="compareBodies", request=ComparisonAsked, responses=ComparisonOfBodies)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(ComparisonAsked, request)
        before = document_of(body_of(self.project, str(data["before"])))
        after = document_of(body_of(self.project, str(data["after"])), before.namespaces)
        return Response(ComparisonOfBodies(comparison_of(before, after)).data)


class StructureComparisonAsked(Strict):
    before = serializers.ListField(
        child=serializers.UUIDField(), min_length=1, max_length=20, help_text="stored bodies"
    )
    after = serializers.ListField(child=serializers.UUIDField(), min_length=1, max_length=20)
    corrections = DocumentField(list[Correction], required=False)


class StructureDifferenceItem(serializers.Serializer[Any]):
    path = serializers.CharField()
    kind = serializers.ChoiceField(["added", "removed", "changed"])
    before = serializers.CharField(allow_blank=True, help_text="the part in words")
    after = serializers.CharField(allow_blank=True)


class ComparisonOfStructures(serializers.Serializer[Any]):
    differences = StructureDifferenceItem(many=True)
    is_all = serializers.BooleanField()


class StructureComparisonView(ProjectView):
    """What newer bodies have that older ones do not allow: parts that came, are gone, or differ."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="compareStructures", request=StructureComparisonAsked, responses=ComparisonOfStructures)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(StructureComparisonAsked, request)
        before = stored(self.project, [str(one) for one in data["before"]])
        names = dict(before[0].namespaces)
        bodies = [body_of(self.project, str(one)) for one in data["after"]]
        after = [document_of(body, names) if names else document_to_look_at(body) for body in bodies]
        found = structure_comparison_of(before, after, data.get("corrections") or [])
        return Response(ComparisonOfStructures(found).data)


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


class PairItem(serializers.Serializer[Any]):
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
    pairs = PairItem(many=True, help_text="onto a record type that is there: what fills which field, and why")
    open = serializers.ListField(child=serializers.CharField(), help_text="its fields that nothing looks like")


class ProposalView(ProjectView):
    """A first record type and mapping."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="propose", request=ProposalAsked, responses=ProposalShown)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(ProposalAsked, request)
        documents = stored(self.project, [str(body) for body in data["bodies"]])
        declared = declared_for(self.project, data["bodies"][0], data["rows"])
        return Response(ProposalShown(proposal(self.project, documents, data, declared)).data)


class PreviewAsked(Strict):
    body = serializers.UUIDField()
    mapping = DocumentField(MappingDocument)
    record_types = serializers.DictField(
        child=AnyField(), required=False, help_text="drafts by name, in place of the saved ones"
    )
    inputs = serializers.DictField(child=AnyField(allow_null=True), required=False)


class LossItem(serializers.Serializer[Any]):
    field = serializers.CharField()
    words = serializers.CharField()

    def to_representation(self, loss: tuple[str, str]) -> dict[str, str]:
        return dict(zip(("field", "words"), loss, strict=True))


class CoverageShown(serializers.Serializer[Any]):
    unused = serializers.ListField(child=serializers.CharField(), help_text="values of the row that no rule takes")
    open = serializers.ListField(child=serializers.CharField(), help_text="fields that no rule fills")
    losses = LossItem(many=True, help_text="what may get lost, or keep values from fitting")


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


class ComparisonItem(serializers.Serializer[Any]):
    name = serializers.CharField()
    words = serializers.CharField(help_text="that stand between a value and what it is compared with")
    takes = serializers.ChoiceField(["value", "list", "nothing"])


class MappingForms(serializers.Serializer[Any]):
    conversions = ConversionForm(many=True)
    comparisons = ComparisonItem(many=True, help_text="of conditions on rows, and of an operation's failures")


class MappingFormsView(ProjectView):
    """The forms of conversions and comparisons, drawn from their own classes."""

    @extend_schema(operation_id="getMappingForms", responses=MappingForms)
    def get(self, request: Request, project: str) -> Response:
        forms = [{**asdict(form_of(kind)), "fits": sorted(kind.FITS)} for kind in get_args(Conversion)]
        return Response(MappingForms({"conversions": forms, "comparisons": COMPARISONS}).data)


class PreviewView(ProjectView):
    """What a mapping makes of a stored response; nothing is kept."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="previewMapping", request=PreviewAsked, responses=PreviewShown)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(PreviewAsked, request)
        return Response(PreviewShown(preview(self.project, {**data, "body": str(data["body"])})).data)
