"""Test cases, recorded and checked."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import InputError
from rondine.core.items.case import CaseDocument
from rondine.server.access.project_views import ProjectView
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import Strict
from rondine.server.api.shapes import ValueDifferenceItem
from rondine.server.cases.checking import check_cases, record, told
from rondine.server.cases.kinds import CASES
from rondine.server.cases.of_flows import recorded_case
from rondine.server.items.actions import find_item
from rondine.server.items.serializers import ItemSerializer
from rondine.server.items.views import ItemViewSet, MakesItems
from rondine.server.operations.samples import keep_sample


class TestCaseSerializer(ItemSerializer):
    document = DocumentField(CaseDocument)


class CaseViewSet(MakesItems, ItemViewSet):
    kind = CASES
    serializer_class = TestCaseSerializer


class CaseToRecord(Strict):
    name = serializers.CharField(max_length=63)
    title = serializers.CharField(max_length=200, required=False, allow_blank=True, default="")
    operation = serializers.CharField(max_length=63, required=False, allow_blank=True, default="")
    inputs = serializers.DictField(child=AnyField(allow_null=True), required=False, default=dict)
    sample = serializers.CharField(
        max_length=63, required=False, allow_blank=True, default="", help_text="a response that is kept already"
    )
    run = serializers.IntegerField(
        required=False,
        help_text=(
            "a trial, whose response is kept as a sample of the case's name; without an operation, a run of a flow"
        ),
    )
    keys = serializers.ChoiceField(
        ["mask", "keep"], required=False, help_text="what becomes of values in it that look like keys"
    )
    mapping = serializers.CharField(max_length=63, required=False, allow_blank=True, default="")
    description = serializers.CharField(required=False, allow_blank=True, default="")


class RecordCaseView(ProjectView):
    """Makes a case: what comes of it now is what is expected from now on."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="recordCase", request=CaseToRecord, responses={201: TestCaseSerializer})
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(CaseToRecord, request)
        if not data["operation"]:
            if data.get("run") is None:
                raise InputError("give an operation, or the run of a flow", where="/operation", hint="name one")
            document = recorded_case(self.project, data["run"], data.get("keys"), data["description"])
            case = record(self.project, self.person, data["name"], document, title=data["title"], role=self.role)
            return Response(TestCaseSerializer(case).data, status=201)
        sample = data["sample"]
        if data.get("run") is not None:
            kept = {"name": data["name"], "run": data["run"], "operation": data["operation"], "keys": data.get("keys")}
            sample = keep_sample(self.project, self.person, kept).name
        document = CaseDocument(
            operation=data["operation"],
            inputs=data["inputs"],
            sample=sample,
            mapping=data["mapping"],
            description=data["description"],
        )
        case = record(self.project, self.person, data["name"], document, title=data["title"], role=self.role)
        return Response(TestCaseSerializer(case).data, status=201)


class RecordAgainView(ProjectView):
    """Takes what comes of a case now as what is expected."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="recordCaseAgain", request=None, responses=TestCaseSerializer)
    def post(self, request: Request, project: str, name: str) -> Response:
        held = find_item(CASES, self.project, name)
        case = record(self.project, self.person, name, held.loaded(), again=True, role=self.role)
        return Response(TestCaseSerializer(case).data)


class CasesAsked(Strict):
    cases = serializers.ListField(
        child=serializers.CharField(max_length=63), required=False, default=list, help_text="by name; none for all"
    )


class CaseDifference(ValueDifferenceItem):
    words = serializers.CharField()


class CheckedCase(serializers.Serializer[Any]):
    case = serializers.CharField()
    is_good = serializers.BooleanField(help_text="it comes to what is expected")
    differences = CaseDifference(many=True)
    problem = serializers.CharField(allow_blank=True, help_text="why it comes to nothing at all")
    hint = serializers.CharField(allow_blank=True)


class CheckCasesView(ProjectView):
    """Checks cases against what is expected of them. Nothing is called, and nothing kept."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="checkCases", request=CasesAsked, responses=CheckedCase(many=True))
    def post(self, request: Request, project: str) -> Response:
        names = self.validated(CasesAsked, request)["cases"]
        shown = [
            {
                "case": one.case,
                "is_good": one.is_good,
                "differences": [
                    {
                        "path": each.path,
                        "kind": each.kind,
                        "before": each.before,
                        "after": each.after,
                        "words": told(each),
                    }
                    for each in one.differences
                ],
                "problem": one.problem,
                "hint": one.hint,
            }
            for one in check_cases(self.project, names)
        ]
        return Response(CheckedCase(shown, many=True).data)
