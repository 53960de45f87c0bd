"""Flows in the OpenAPI Initiative's format for workflows, written and read."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.server.access.project_views import ProjectView
from rondine.server.api.openapi import AnyField
from rondine.server.api.requests import Strict
from rondine.server.api.shapes import ProblemItem
from rondine.server.definitions.serializers import ExportQuery
from rondine.server.flows.arazzo import take_flows, written_flow
from rondine.server.flows.views import FlowSerializer


class ArazzoItem(serializers.Serializer[Any]):
    document = AnyField(help_text="Arazzo 1.0.1")
    sources = serializers.DictField(
        child=AnyField(), help_text="the OpenAPI documents that it refers to, by their addresses in it"
    )
    unsaid = ProblemItem(many=True, help_text="what they cannot say of the flow")


class ArazzoView(ProjectView):
    """A flow as an Arazzo document, beside the OpenAPI documents that it refers to, as far as these can say it."""

    query = {"GET": ExportQuery}

    @extend_schema(operation_id="exportFlow", responses=ArazzoItem)
    def get(self, request: Request, project: str, name: str) -> Response:
        made = written_flow(self.project, name, self.queried(request)["environment"])
        return Response(ArazzoItem(made).data)


class ArazzoGiven(Strict):
    text = serializers.CharField(trim_whitespace=False, max_length=5_000_000, help_text="the document, JSON or YAML")
    services = serializers.DictField(
        child=serializers.CharField(max_length=63),
        required=False,
        default=dict,
        help_text="the service of each of its sources, by the source's name; by default the one of the same name",
    )


class TakenFlow(serializers.Serializer[Any]):
    flow = FlowSerializer()
    left_out = ProblemItem(many=True, help_text="what could not be taken, with its place in the document")


class ArazzoImportView(ProjectView):
    """Makes a draft of each workflow in an Arazzo document. The operations that it asks have to be there: the
    definitions that it refers to are imported before."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="importFlows", request=ArazzoGiven, responses={201: TakenFlow(many=True)})
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(ArazzoGiven, request)
        made = take_flows(self.project, self.person, data["text"], data["services"], self.role)
        return Response(TakenFlow(made, many=True).data, status=201)
