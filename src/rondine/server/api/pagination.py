"""Pages of lists: one way for all of them, by the value of a field that orders them."""

from typing import Any

from rest_framework.pagination import BasePagination
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import InputError
from rondine.server.api.requests import checked_limit


class KeysetPagination(BasePagination):
    """Pages in the order of one field, which tells all rows apart: {items, next}. The cursor of a page is the field's
    value in its last row, so that rows which come or go meanwhile neither repeat nor skip others.

    A view says its order: `ordering`, a field's name, with "-" before it for the largest first; and `page_size`, if it
    is not 100.
    """

    parameters = ("after", "limit")

    def paginate_queryset(self, queryset: Any, request: Request, view: Any = None) -> list[Any]:
        field, is_descending = view.ordering.lstrip("-"), view.ordering.startswith("-")
        limit = checked_limit(request.query_params.get("limit"), getattr(view, "page_size", 100))
        if after := request.query_params.get("after"):
            value = queryset.model._meta.pk if field == "pk" else queryset.model._meta.get_field(field)
            if value.get_internal_type() != "CharField" and not after.isdigit():
                raise InputError(
                    f'"{after[:40]}" is not a cursor', where="?after", hint='take "next" of the page before'
                )
            queryset = queryset.filter(**{f"{field}__{'lt' if is_descending else 'gt'}": after})
        rows = list(queryset.order_by(view.ordering)[: limit + 1])
        self.next = str(getattr(rows[limit - 1], field)) if len(rows) > limit else None
        return rows[:limit]

    def get_paginated_response(self, data: Any) -> Response:
        return Response({"items": data, "next": self.next})

    def get_paginated_response_schema(self, schema: Any) -> dict[str, Any]:
        return {
            "type": "object",
            "required": ["items", "next"],
            "properties": {"items": schema, "next": {"type": ["string", "null"]}},
        }

    def get_schema_operation_parameters(self, view: Any) -> list[dict[str, Any]]:
        after = {"description": "the cursor of the page before", "schema": {"type": "string"}}
        limit = {"schema": {"type": "integer", "minimum": 1, "maximum": 500}}
        return [
            {"name": "after", "in": "query", "required": False, **after},
            {"name": "limit", "in": "query", "required": False, **limit},
        ]
