"""The same five routes for every kind of item: list, make, read, change, remove; and its revisions."""

from collections.abc import Sequence
from typing import Any, ClassVar

import django_filters
from django.db import models
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import Stale
from rondine.server.access.project_views import ProjectViewSet
from rondine.server.api.problems import problem
from rondine.server.api.requests import Strict, seen_version
from rondine.server.items.actions import change_item, find_item, make_item
from rondine.server.items.kinds import ItemKind
from rondine.server.items.models import Revision
from rondine.server.items.removing import remove_item
from rondine.server.items.serializers import ItemSerializer, RevisionSerializer

IF_MATCH = OpenApiParameter(
    "If-Match", str, OpenApiParameter.HEADER, required=True, description="the ETag that came with the item"
)


class ItemRemovalQuery(Strict):
    with_its_items = serializers.BooleanField(
        default=False, help_text="removes what belongs to it too, such as the operations of a service"
    )


class ItemFilter(django_filters.FilterSet):
    """What every kind can be searched by; one that refers to others adds a filter for each."""

    q = django_filters.CharFilter(method="search", help_text="part of a name or title")

    def search(self, queryset: Any, name: str, value: str) -> Any:
        return queryset.filter(models.Q(name__icontains=value) | models.Q(title__icontains=value))


class ItemViewSet(ProjectViewSet):
    """One kind of item. A subclass names the kind and its serializer, and says in `prepare` what is shown beside what
    is stored."""

    kind: ClassVar[ItemKind]
    serializer_class: type[ItemSerializer]
    permissions = {
        "list": "view",
        "retrieve": "view",
        "revisions": "view",
        "create": "build",
        "partial_update": "build",
        "destroy": "build",
    }
    query = {"destroy": ItemRemovalQuery}
    filterset_class = ItemFilter
    ordering = "name"
    lookup_field = "name"
    lookup_value_converter = "str"

    def get_queryset(self) -> Any:
        """Of the list."""
        found = self.kind.model._default_manager.select_related(*self.kind.references)
        return found.none() if getattr(self, "swagger_fake_view", False) else found.filter(project=self.project)

    def prepare(self, items: Sequence[Any]) -> None:
        """Gives each item, as attributes, what its serializer shows beside its fields; with as many queries as for
        one."""

    def list(self, request: Request, project: str) -> Response:
        items = self.page(self.get_queryset())
        self.prepare(items)
        return self.get_paginated_response(self.get_serializer(items, many=True).data)

    def retrieve(self, request: Request, project: str, name: str) -> Response:
        return self.shown(find_item(self.kind, self.project, name))

    @extend_schema(parameters=[IF_MATCH])
    def partial_update(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(self.serializer_class, request, partial=True)
        seen = seen_version(request)
        return self.shown(change_item(self.kind, self.project, self.person, name, data, seen, role=self.role))

    @extend_schema(parameters=[IF_MATCH])
    def destroy(self, request: Request, project: str, name: str) -> Response:
        asked, seen = self.queried(request), seen_version(request)
        remove_item(self.kind, self.project, self.person, name, seen, role=self.role, **asked)
        return Response(status=204)

    @extend_schema(responses=RevisionSerializer(many=True), filters=False)
    @action(detail=True, pagination_class=None)
    def revisions(self, request: Request, project: str, name: str) -> Response:
        item = find_item(self.kind, self.project, name)
        found = Revision.objects.select_related("by").filter(kind=self.kind.name, item_id=item.pk)
        return Response(RevisionSerializer(found.order_by("-version")[:200], many=True).data)

    def shown(self, item: Any, status: int = 200) -> Response:
        """An item with its version as ETag (RFC 9110, section 8.8.3)."""
        self.prepare([item])
        return Response(self.get_serializer(item).data, status=status, headers={"ETag": f'"{item.version}"'})

    def handle_exception(self, error: Exception) -> Response:
        response: Response = super().handle_exception(error)
        if isinstance(error, Stale):  # the state now goes with the refusal, so that nothing has to be typed again
            current = error.current  # type: ignore[attr-defined]
            self.prepare([current])
            response.data = {**problem(error), "current": self.get_serializer(current).data}
        return response


class MakesItems:
    """Making one by its name, title, references and document: of every kind that is not made in another way."""

    def create(self: Any, request: Request, project: str) -> Response:
        data = self.validated(self.get_serializer_class(), request)
        item = make_item(self.kind, self.project, self.person, data, role=self.role)
        response: Response = self.shown(item, 201)
        response["Location"] = f"{request.path.rstrip('/')}/{item.name}"
        return response
