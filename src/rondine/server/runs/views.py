"""Runs: watched, cancelled, opened with their calls, counts and rejects."""

import django_filters
from django.db.models import Q, QuerySet
from drf_spectacular.utils import extend_schema
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.server.access.project_views import ProjectView, ProjectViewSet
from rondine.server.runs.actions import cancel_run, find_run
from rondine.server.runs.models import Call, RejectedRow, RowFailure, Run
from rondine.server.runs.rejects import reasons_of
from rondine.server.runs.serializers import (
    CallSerializer,
    RejectedRowSerializer,
    RejectReason,
    RowFailureSerializer,
    RunSerializer,
)


class RunFilter(django_filters.FilterSet):
    feed = django_filters.CharFilter("feed__name")
    flow = django_filters.CharFilter("flow__name")
    operation = django_filters.CharFilter(method="of_operation", help_text="its own, or its feed's")
    state = django_filters.CharFilter()
    kind = django_filters.CharFilter()
    without = django_filters.CharFilter(method="leave_out", help_text="kinds that are left out, separated by commas")
    environment = django_filters.CharFilter("environment__name")

    def leave_out(self, queryset: QuerySet[Run], name: str, value: str) -> QuerySet[Run]:
        for kind in value.split(","):
            queryset = queryset.exclude(kind=kind.strip())
        return queryset

    def of_operation(self, queryset: QuerySet[Run], name: str, value: str) -> QuerySet[Run]:
        return queryset.filter(Q(operation__name=value) | Q(operation=None, feed__operation__name=value))


class RunViewSet(ProjectViewSet):
    """Runs, newest first."""

    queryset = Run.objects.none()
    serializer_class = RunSerializer
    permissions = {"list": "view", "retrieve": "view", "cancel": "run"}
    filterset_class = RunFilter
    ordering = "-id"
    page_size = 50
    lookup_url_kwarg = "run_id"
    lookup_value_converter = "int"

    @extend_schema(operation_id="listRuns")
    def list(self, request: Request, project: str) -> Response:
        runs = Run.objects.select_related("environment", "feed__operation", "operation", "by")
        page = self.page(runs.prefetch_related("counts").filter(project=self.project))
        return self.get_paginated_response(RunSerializer(page, many=True).data)

    @extend_schema(operation_id="getRun")
    def retrieve(self, request: Request, project: str, run_id: int) -> Response:
        return Response(RunSerializer(find_run(self.project, run_id)).data)

    @extend_schema(operation_id="cancelRun", request=None)
    @action(detail=True, methods=["POST"])
    def cancel(self, request: Request, project: str, run_id: int) -> Response:
        return Response(RunSerializer(cancel_run(self.project, run_id)).data)


class CallViewSet(ProjectViewSet):
    """The calls of a run, in the order in which they were made."""

    queryset = Call.objects.none()
    serializer_class = CallSerializer
    permissions = {"list": "view"}
    ordering = "number"

    @extend_schema(operation_id="listCalls")
    def list(self, request: Request, project: str, run_id: int) -> Response:
        calls = Call.objects.filter(run=find_run(self.project, run_id))
        page = self.page(calls.select_related("run__operation", "run__feed__operation"))
        return self.get_paginated_response(CallSerializer(page, many=True).data)


class RowFailureViewSet(ProjectViewSet):
    """The rows that a run's operation was asked for in vain, of a feed that asks for each of many."""

    queryset = RowFailure.objects.none()
    serializer_class = RowFailureSerializer
    permissions = {"list": "view"}
    ordering = "row_id"
    page_size = 50

    @extend_schema(operation_id="listRowFailures")
    def list(self, request: Request, project: str, run_id: int) -> Response:
        page = self.page(RowFailure.objects.filter(run=find_run(self.project, run_id)))
        return self.get_paginated_response(RowFailureSerializer(page, many=True).data)


class RejectFilter(django_filters.FilterSet):
    field = django_filters.CharFilter(method="of_field", help_text="those with a problem in this field")

    def of_field(self, queryset: QuerySet[RejectedRow], name: str, value: str) -> QuerySet[RejectedRow]:
        return queryset.filter(problems__contains=[{"field": value}])


class RejectViewSet(ProjectViewSet):
    """The rows of a run that could not become records."""

    queryset = RejectedRow.objects.none()
    serializer_class = RejectedRowSerializer
    permissions = {"list": "view"}
    filterset_class = RejectFilter
    ordering = "id"
    page_size = 50

    @extend_schema(operation_id="listRejects")
    def list(self, request: Request, project: str, run_id: int) -> Response:
        page = self.page(RejectedRow.objects.filter(run_id=find_run(self.project, run_id).pk))
        return self.get_paginated_response(RejectedRowSerializer(page, many=True).data)


class RejectReasonsView(ProjectView):
    """For which fields rows of a run were rejected, and how many, the most first."""

    @extend_schema(operation_id="listRejectReasons", responses=RejectReason(many=True))
    def get(self, request: Request, project: str, run_id: int) -> Response:
        return Response(RejectReason(reasons_of(find_run(self.project, run_id)), many=True).data)
