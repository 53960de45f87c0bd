"""What a feed's responses differed in from the schema on file, and what of it is right."""

from typing import Any

import django_filters
from django.db import transaction
from django.db.models import Q, QuerySet
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from msgspec import structs
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import Conflict, NotFound
from rondine.core.schema.drift import AcceptedDrift
from rondine.core.settings import dump
from rondine.server.access.models import Person
from rondine.server.access.project_views import ProjectViewSet
from rondine.server.api.shapes import ShownSerializer
from rondine.server.feeds.models import DriftPeriod
from rondine.server.items.actions import change_item
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.operations.models import Operation

#: A state -> the periods in it.
STATES = {
    "open": Q(ended_at=None, adopted_at=None),
    "ended": Q(ended_at__isnull=False, adopted_at=None),
    "adopted": Q(adopted_at__isnull=False),
}


class DriftSerializer(ShownSerializer):
    feed = serializers.CharField(source="feed.name")
    operation = serializers.CharField(source="feed.operation.name")
    state = serializers.ChoiceField(list(STATES))
    kind = serializers.ChoiceField(
        ["new", "missing", "changed", "unseen"],
        help_text="unseen: a part that the mapping takes, and none of the rows had that were looked at",
    )
    used_by = serializers.ListField(child=serializers.CharField(), help_text="fields that take it, with their feeds")
    adopted_by = serializers.CharField(source="adopted_by.username", allow_null=True, default=None)

    class Meta:
        model = DriftPeriod
        fields = (
            *("id", "feed", "operation", "path", "kind", "words", "example", "on_file", "used_by", "state"),
            *("first_run", "call", "first_at", "last_run", "last_at", "ended_run", "ended_at"),
            *("adopted_at", "adopted_by"),
        )
        extra_kwargs = {
            "path": {"help_text": "as in the outline of the response"},
            "words": {"help_text": "what differs"},
            "example": {"help_text": "a value that shows it; empty for what is not there"},
            "on_file": {"help_text": "what it was compared with"},
            "call": {"help_text": "of the first run, which showed it"},
            "ended_run": {"help_text": "the first that looked, and did not find it any more"},
        }


class DriftFilter(django_filters.FilterSet):
    feed = django_filters.CharFilter("feed__name")
    operation = django_filters.CharFilter("feed__operation__name")
    state = django_filters.ChoiceFilter(choices=[(state, state) for state in STATES], method="in_state")

    def in_state(self, queryset: QuerySet[DriftPeriod], name: str, value: str) -> QuerySet[DriftPeriod]:
        return queryset.filter(STATES[value])


class DriftViewSet(ProjectViewSet):
    """Differences of responses from the schema on file, newest first."""

    queryset = DriftPeriod.objects.none()
    serializer_class = DriftSerializer
    permissions = {"list": "view", "adopt": "build"}
    filterset_class = DriftFilter
    ordering = "-id"
    page_size = 50
    lookup_url_kwarg = "drift_id"
    lookup_value_converter = "int"

    @extend_schema(operation_id="listDrift")
    def list(self, request: Request, project: str) -> Response:
        page = self.page(_periods().filter(feed__project=self.project))
        return self.get_paginated_response(DriftSerializer(page, many=True).data)

    @extend_schema(operation_id="adoptDrift", request=None)
    @action(detail=True, methods=["POST"])
    def adopt(self, request: Request, project: str, drift_id: int) -> Response:
        period = _periods().filter(feed__project=self.project, pk=drift_id).first()
        if period is None:
            raise NotFound(f"there is no difference {drift_id}", where="drift", hint="list them: rondine drift list")
        adopt(period, self.person, self.role)
        return Response(DriftSerializer(_periods().get(pk=drift_id)).data)


def _periods() -> QuerySet[DriftPeriod]:
    return DriftPeriod.objects.select_related("feed__operation", "adopted_by")


def adopt(period: DriftPeriod, person: Person, role: str | None) -> None:
    """A difference becomes part of what is on file for its operation, for all feeds of it. Raises Conflict for one that
    is adopted already."""
    with transaction.atomic():
        operation = Operation.objects.select_for_update().get(pk=period.feed.operation_id)
        accepted = AcceptedDrift(path=period.path, kind=period.kind, words=period.words)  # type: ignore[arg-type]
        document = operation.loaded()
        if any(one.identity == accepted.identity for one in document.response.accepted):
            raise Conflict("it is adopted already", where=period.path, hint="run the feed again to see what is left")
        response = structs.replace(document.response, accepted=[*document.response.accepted, accepted])
        data: dict[str, Any] = {
            "document": dump(structs.replace(document, response=response)),
            "why": f"{period.path} {period.words}: adopted",
        }
        change_item(OPERATIONS, operation.project, person, operation.name, data, operation.version, role=role)
        same = DriftPeriod.objects.filter(
            STATES["open"], feed__operation=operation, path=period.path, kind=period.kind, words=period.words
        )
        DriftPeriod.objects.filter(Q(pk=period.pk) | Q(pk__in=same.values("pk"))).update(
            adopted_at=timezone.now(), adopted_by=person
        )
