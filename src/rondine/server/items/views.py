"""The same five routes for every kind of item: list, make, read, change, remove."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from django.db import models
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import Stale
from rondine.server.access.project_views import ProjectView
from rondine.server.api.openapi import DocumentField
from rondine.server.api.problems import MEDIA_TYPE, problem
from rondine.server.api.requests import Strict, checked_limit, seen_version
from rondine.server.api.shapes import ProblemLine, ProblemSerializer
from rondine.server.items.actions import ItemKind, change_item, find_item, make_item, remove_item
from rondine.server.items.models import Revision

IF_MATCH = OpenApiParameter(
    "If-Match", str, OpenApiParameter.HEADER, required=True, description="the ETag that came with the item"
)
PAGING = [
    OpenApiParameter("q", str, description="part of a name or title"),
    OpenApiParameter("after", str, description="the cursor of the page before"),
    OpenApiParameter("limit", int),
]


class UseLine(serializers.Serializer[Any]):
    """Something that uses an item."""

    kind = serializers.CharField()
    name = serializers.CharField()


class RevisionLine(serializers.Serializer[Any]):
    version = serializers.IntegerField()
    name = serializers.CharField()
    what = serializers.CharField()
    why = serializers.CharField()
    by = serializers.CharField(allow_null=True)
    at = serializers.DateTimeField()
    content = serializers.DictField()


class ItemSerializers:
    """The shapes of one kind: shown, to make, to change, a page of them."""

    def __init__(self, kind: ItemKind, extra: dict[str, Any] | None = None) -> None:
        word = "".join(part.capitalize() for part in kind.word.split())
        shown: dict[str, Any] = {
            "id": serializers.UUIDField(),
            "name": serializers.CharField(),
            "title": serializers.CharField(),
            "version": serializers.IntegerField(),
            "changed_at": serializers.DateTimeField(),
            "problems": ProblemLine(many=True),
            "document": DocumentField(kind.document),
            **(extra or {}),
            **{name: serializers.CharField(allow_null=name in kind.optional) for name in kind.references},
        }
        self.shown = type(word, (serializers.Serializer,), shown)

        def free() -> dict[str, Any]:
            return {
                "title": serializers.CharField(required=False, allow_blank=True, max_length=200),
                "document": DocumentField(kind.document, required=False),
                "why": serializers.CharField(required=False, allow_blank=True, max_length=500),
            }

        references = {
            name: serializers.CharField(allow_null=name in kind.optional, required=name not in kind.optional)
            for name in kind.references
        }
        self.make = type(
            f"New{word}", (Strict,), {"name": serializers.CharField(max_length=63), **free(), **references}
        )
        changed = {
            name: serializers.CharField(allow_null=name in kind.optional, required=False) for name in kind.references
        }
        self.change = type(
            f"Changed{word}",
            (Strict,),
            {"name": serializers.CharField(max_length=63, required=False), **free(), **changed},
        )
        self.stale = type(f"Changed{word}Meanwhile", (ProblemSerializer,), {"current": self.shown()})
        self.page = type(
            f"{word}Page",
            (serializers.Serializer,),
            {"items": self.shown(many=True), "next": serializers.CharField(allow_null=True)},
        )


def item_views(
    kind: ItemKind,
    *,
    extra: dict[str, Any] | None = None,
    can_make: bool = True,
    describe: Callable[[Sequence[Any]], Sequence[Mapping[str, Any]]] = lambda items: [{}] * len(items),
    read: Callable[[Any], Any] = lambda found: found,
    write: str = "build",
) -> tuple[type[ProjectView], type[ProjectView], type[ProjectView]]:
    """(the view of the list, the view of one, the view of one's revisions). extra: fields shown besides; `describe(items)` gives those of each item of
    a page, with as many queries as for one. read: how a query of the list reads what they are described by.
    """
    shapes = ItemSerializers(kind, extra)
    plural = "".join(part.capitalize() for part in kind.name.split("-"))
    single = "".join(part.capitalize() for part in kind.word.split())

    def shown(item: Any) -> dict[str, Any]:
        return shown_all([item])[0]

    def shown_all(items: Sequence[Any]) -> list[dict[str, Any]]:
        return [{**plainly(item), **more} for item, more in zip(items, describe(items), strict=True)]

    def plainly(item: Any) -> dict[str, Any]:
        return {
            "id": str(item.pk),
            "name": item.name,
            "title": item.title,
            "version": item.version,
            "changed_at": item.changed_at,
            "problems": item.problems,
            "document": item.document,
            **{name: (str(getattr(item, name)) if getattr(item, name) else None) for name in kind.references},
        }

    class ItemList(ProjectView):
        permissions = {"GET": "view", **({"POST": write} if can_make else {})}

        @extend_schema(
            operation_id=f"list{plural}",
            parameters=[
                *PAGING,
                *(
                    OpenApiParameter(name, str, description=f"those of this {name}, by its name")
                    for name in kind.references
                ),
            ],
            responses=shapes.page,
        )
        def get(self, request: Request, project: str) -> Response:
            found = (
                read(kind.model._default_manager.select_related(*kind.references))
                .filter(project=self.project)
                .order_by("name")
            )
            if text := request.query_params.get("q"):
                found = found.filter(models.Q(name__icontains=text) | models.Q(title__icontains=text))
            for name in kind.references:
                if value := request.query_params.get(name):
                    found = found.filter(**{f"{name}__name": value})
            return Response(page_by_name(found, request, shown_all))

        if can_make:

            @extend_schema(operation_id=f"make{single}", request=shapes.make, responses={201: shapes.shown})
            def post(self, request: Request, project: str) -> Response:
                item = make_item(kind, self.project, self.person, self.given(shapes.make, request), role=self.role)
                return Response(
                    shown(item),
                    status=201,
                    headers={"ETag": f'"{item.version}"', "Location": f"{request.path.rstrip('/')}/{item.name}"},
                )

    class ItemDetail(ProjectView):
        permissions = {"GET": "view", "PATCH": write, "DELETE": write}

        @extend_schema(operation_id=f"get{single}", responses=shapes.shown)
        def get(self, request: Request, project: str, name: str) -> Response:
            return self._answer(find_item(kind, self.project, name))

        @extend_schema(
            operation_id=f"change{single}",
            parameters=[IF_MATCH],
            request=shapes.change,
            responses={200: shapes.shown, (412, MEDIA_TYPE): shapes.stale},
        )
        def patch(self, request: Request, project: str, name: str) -> Response:
            return self._answer(
                change_item(
                    kind,
                    self.project,
                    self.person,
                    name,
                    self.given(shapes.change, request),
                    seen_version(request),
                    role=self.role,
                )
            )

        @extend_schema(
            operation_id=f"remove{single}",
            parameters=[IF_MATCH],
            request=None,
            responses={204: None, (412, MEDIA_TYPE): shapes.stale},
        )
        def delete(self, request: Request, project: str, name: str) -> Response:
            remove_item(kind, self.project, self.person, name, seen_version(request), role=self.role)
            return Response(status=204)

        def _answer(self, item: Any) -> Response:
            return Response(shown(item), headers={"ETag": f'"{item.version}"'})

        def handle_exception(self, error: Exception) -> Response:
            response: Response = super().handle_exception(error)
            if isinstance(error, Stale):  # the state now goes with the refusal, so that nothing has to be typed again
                response.data = {**problem(error), "current": shown(error.current)}  # type: ignore[attr-defined]
            return response

    class ItemRevisions(ProjectView):
        @extend_schema(operation_id=f"list{single}Revisions", responses=RevisionLine(many=True))
        def get(self, request: Request, project: str, name: str) -> Response:
            item = find_item(kind, self.project, name)
            found = (
                Revision.objects.select_related("by").filter(kind=kind.name, item_id=item.pk).order_by("-version")[:200]
            )
            return Response(
                [
                    {
                        "version": one.version,
                        "name": one.name,
                        "what": one.what,
                        "why": one.why,
                        "by": one.by.name if one.by else None,
                        "at": one.at,
                        "content": one.content,
                    }
                    for one in found
                ]
            )

    return ItemList, ItemDetail, ItemRevisions


def page_by_name(found: Any, request: Request, shown: Callable[[list[Any]], list[dict[str, Any]]]) -> dict[str, Any]:
    """One page in the order of names; the cursor is the last name."""
    limit = checked_limit(request.query_params.get("limit"), 100)
    if after := request.query_params.get("after"):
        found = found.filter(name__gt=after)
    rows = list(found[: limit + 1])
    return {"items": shown(rows[:limit]), "next": rows[limit - 1].name if len(rows) > limit else None}
