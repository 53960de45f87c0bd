"""Keys moved out of operations, and what is known of a service before it is connected."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.operations.document import OperationDocument
from rondine.server.access.project_views import ProjectView
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import Strict
from rondine.server.connecting.kinds import SERVICES
from rondine.server.items.actions import find_item
from rondine.server.operations.extracting import extract_secret
from rondine.server.operations.preparation import connect_prepared, preparation_of


class Move(Strict):
    """A fixed value that looks like a key, to be moved into the credential of the service's connection."""

    service = serializers.CharField()
    environment = serializers.CharField(required=False, default="test")
    place = serializers.CharField(max_length=200, help_text="JSON Pointer of the value, such as /query/0")
    operation = serializers.CharField(required=False, help_text="the name of a saved operation that holds it")
    document = DocumentField(OperationDocument, required=False)


class Moved(serializers.Serializer[Any]):
    document = AnyField()
    connection = serializers.CharField()
    credential = serializers.CharField()
    name = serializers.CharField()


class MovesView(ProjectView):
    permissions = {"POST": "write_secret"}

    @extend_schema(operation_id="moveKey", request=Move, responses={201: Moved})
    def post(self, request: Request, project: str) -> Response:
        moved = extract_secret(self.project, self.person, self.role, self.validated(Move, request))
        return Response(Moved(moved).data, status=201)


class FactItem(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField()
    value = serializers.CharField(allow_blank=True)
    source = serializers.CharField(allow_blank=True)  # type: ignore[assignment]
    hint = serializers.CharField(allow_blank=True)


class ConnectPrepared(Strict):
    environment = serializers.CharField(required=False, default="test")


class Connected(serializers.Serializer[Any]):
    connection = serializers.CharField()
    credential = serializers.CharField(allow_null=True)
    operation = serializers.CharField(allow_null=True)


class PreparationView(ProjectView):
    """What is known of a service and what is not; and its connection and first operation, made from it."""

    permissions = {"GET": "view", "POST": "build"}

    @extend_schema(operation_id="getPreparation", responses=FactItem(many=True))
    def get(self, request: Request, project: str, name: str) -> Response:
        facts = preparation_of(find_item(SERVICES, self.project, name))
        return Response(FactItem(facts, many=True).data)

    @extend_schema(operation_id="connectPrepared", request=ConnectPrepared, responses={201: Connected})
    def post(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(ConnectPrepared, request)
        made = connect_prepared(self.project, self.person, self.role, name, data)
        return Response(Connected(made).data, status=201)
