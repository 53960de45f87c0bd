"""Subscriptions, and what happened to feeds and calls."""

from typing import Any

import django_filters
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.forms import form_of
from rondine.core.items.subscription import (
    ByEmail,
    ByWebhook,
    OfCalls,
    OfFeeds,
    OfFlows,
    OfRecords,
    SubscriptionDocument,
)
from rondine.server.access.project_views import ProjectView, ProjectViewSet
from rondine.server.api.forms import FormShown
from rondine.server.api.openapi import DocumentField
from rondine.server.api.shapes import ShownSerializer
from rondine.server.items.serializers import ItemSerializer
from rondine.server.items.views import ItemViewSet, MakesItems
from rondine.server.runs.serializers import ErrorSerializer
from rondine.server.subscriptions.kinds import SUBSCRIPTIONS
from rondine.server.subscriptions.models import EVENTS, Event


class SubscriptionErrorItem(ErrorSerializer):
    at = serializers.DateTimeField()


class SubscriptionSerializer(ItemSerializer):
    document = DocumentField(SubscriptionDocument)
    environment = serializers.CharField()
    credential = serializers.CharField(
        required=False, allow_null=True, help_text="whose signing_key signs what webhooks send"
    )
    told = serializers.IntegerField(read_only=True, help_text="events so far")
    told_at = serializers.DateTimeField(read_only=True, allow_null=True)
    failures = serializers.IntegerField(read_only=True, help_text="in a row")
    error = SubscriptionErrorItem(read_only=True, allow_null=True, help_text="why the last message was not taken")


class SubscriptionViewSet(MakesItems, ItemViewSet):
    kind = SUBSCRIPTIONS
    serializer_class = SubscriptionSerializer


class SubscriptionForms(serializers.Serializer[Any]):
    about = FormShown(many=True)
    by = FormShown(many=True)


class SubscriptionFormsView(ProjectView):
    """The forms of what a subscription is set to."""

    @extend_schema(operation_id="getSubscriptionForms", responses=SubscriptionForms)
    def get(self, request: Request, project: str) -> Response:
        forms = {
            "about": [form_of(kind) for kind in (OfFeeds, OfRecords, OfCalls, OfFlows)],
            "by": [form_of(kind) for kind in (ByWebhook, ByEmail)],
        }
        return Response(SubscriptionForms(forms).data)


class EventSerializer(ShownSerializer):
    kind = serializers.ChoiceField(EVENTS)
    environment = serializers.CharField(source="environment.name")
    run = serializers.IntegerField(source="run_id", allow_null=True)
    message = serializers.CharField(source="data.message")
    hint = serializers.CharField(source="data.hint", default="")

    class Meta:
        model = Event
        fields = ("id", "kind", "environment", "feed", "application", "flow", "run", "message", "hint", "at")


class EventFilter(django_filters.FilterSet):
    environment = django_filters.CharFilter("environment__name")
    feed = django_filters.CharFilter()
    application = django_filters.CharFilter()
    flow = django_filters.CharFilter()
    kind = django_filters.ChoiceFilter(choices=[(kind, kind) for kind in EVENTS])


class EventViewSet(ProjectViewSet):
    """What happened to feeds, flows and calls, the newest first."""

    queryset = Event.objects.none()
    serializer_class = EventSerializer
    permissions = {"list": "view"}
    filterset_class = EventFilter
    ordering = "-id"
    page_size = 50

    @extend_schema(operation_id="listEvents")
    def list(self, request: Request, project: str) -> Response:
        events = Event.objects.select_related("environment").filter(environment__project=self.project)
        return self.get_paginated_response(EventSerializer(self.page(events), many=True).data)
