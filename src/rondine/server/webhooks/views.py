"""Webhooks: where services send to, and what came in."""

from collections.abc import Sequence
from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from rondine.core.errors import NotFound
from rondine.core.forms import form_of
from rondine.core.items.webhook import Hmac, SharedHeader, Standard, ToRecords, ToRun, WebhookDocument
from rondine.server.access.project_views import ProjectView, ProjectViewSet
from rondine.server.api.forms import FormShown
from rondine.server.api.openapi import DocumentField
from rondine.server.api.shapes import ShownSerializer
from rondine.server.items.actions import find_item
from rondine.server.items.serializers import ItemSerializer
from rondine.server.items.views import ItemViewSet, MakesItems
from rondine.server.runs.serializers import ErrorSerializer
from rondine.server.webhooks.kinds import WEBHOOKS
from rondine.server.webhooks.models import STATES, Delivery
from rondine.server.webhooks.receiving import challenged, find_webhook, receive


class WebhookSerializer(ItemSerializer):
    document = DocumentField(WebhookDocument)
    environment = serializers.CharField()
    credential = serializers.CharField(
        required=False, allow_null=True, help_text="whose signing_key deliveries are verified with"
    )
    path = serializers.SerializerMethodField(help_text="where the service sends to, below this one's address")
    waiting = serializers.IntegerField(read_only=True, help_text="deliveries that nothing has become of yet")
    last_at = serializers.DateTimeField(read_only=True, allow_null=True, help_text="when the last delivery came")

    def get_path(self, webhook: Any) -> str:
        return f"/api/v1/hooks/{webhook.project.name}/{webhook.name}"


class WebhookViewSet(MakesItems, ItemViewSet):
    kind = WEBHOOKS
    serializer_class = WebhookSerializer

    def prepare(self, items: Sequence[Any]) -> None:
        for item in items:
            item.waiting = item.deliveries.filter(state="waiting").count()
            item.last_at = item.deliveries.order_by("-pk").values_list("at", flat=True).first()


class WebhookForms(serializers.Serializer[Any]):
    proof = FormShown(many=True)
    becomes = FormShown(many=True)


class WebhookFormsView(ProjectView):
    """The forms of what a webhook is set to."""

    @extend_schema(operation_id="getWebhookForms", responses=WebhookForms)
    def get(self, request: Request, project: str) -> Response:
        forms = {
            "proof": [form_of(kind) for kind in (Standard, Hmac, SharedHeader)],
            "becomes": [form_of(kind) for kind in (ToRecords, ToRun)],
        }
        return Response(WebhookForms(forms).data)


class DeliverySerializer(ShownSerializer):
    state = serializers.ChoiceField(STATES)
    error = ErrorSerializer(allow_null=True)
    run = serializers.IntegerField(source="run_id", allow_null=True)
    body = serializers.UUIDField(source="body_id")
    size = serializers.IntegerField(source="body.size")

    class Meta:
        model = Delivery
        fields = ("id", "mark", "state", "error", "run", "call", "body", "size", "repeated", "at")
        extra_kwargs = {"repeated": {"help_text": "how often it came again"}}


class DeliveryViewSet(ProjectViewSet):
    """What came in by a webhook, the newest first."""

    queryset = Delivery.objects.none()
    serializer_class = DeliverySerializer
    permissions = {"list": "view"}
    ordering = "-id"
    page_size = 50

    @extend_schema(operation_id="listDeliveries")
    def list(self, request: Request, project: str, name: str) -> Response:
        webhook = find_item(WEBHOOKS, self.project, name)
        deliveries = Delivery.objects.filter(webhook=webhook).select_related("body")
        return self.get_paginated_response(DeliverySerializer(self.page(deliveries), many=True).data)


class Taken(serializers.Serializer[Any]):
    is_new = serializers.BooleanField(help_text="false: it was there already, and acts once")


class HookView(APIView):
    """Where a service sends what it has to say. Nobody signs in here: each delivery proves itself."""

    authentication_classes: list[Any] = []
    permission_classes: list[Any] = []
    parser_classes: list[Any] = []

    @extend_schema(
        operation_id="deliver",
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses={202: Taken, 200: OpenApiTypes.ANY},
        auth=[],
    )
    def post(self, request: Request, project: str, name: str) -> Response:
        body, query = request._request.body, request._request.GET.dict()
        webhook = find_webhook(project, name)
        answer = challenged(webhook, query, body)
        if answer is not None:
            return Response(answer)
        headers = tuple((key, value) for key, value in request._request.headers.items())
        return Response(Taken({"is_new": receive(webhook, headers, body)}).data, status=202)

    @extend_schema(operation_id="answerChallenge", request=None, responses={200: OpenApiTypes.ANY}, auth=[])
    def get(self, request: Request, project: str, name: str) -> Response:
        answer = challenged(find_webhook(project, name), request._request.GET.dict(), b"")
        if answer is None:
            raise NotFound("nothing is here but what is sent by POST", where="the address", hint="send a delivery")
        return Response(answer)
