"""The OpenAPI 3.1 document: made from the views, with the core's documents as components of their own."""

from collections.abc import Iterator
from functools import cache
from typing import Any

from drf_spectacular.extensions import OpenApiAuthenticationExtension, OpenApiSerializerFieldExtension
from drf_spectacular.openapi import AutoSchema
from rest_framework import serializers

from rondine.core.forms import component_schema
from rondine.core.settings import Document, dump, load
from rondine.server.api.shapes import ProblemSerializer


class DocumentField(serializers.Field[Any, Any, Any, Any]):
    """A document of the core: checked by its class, described by its class."""

    def __init__(self, kind: Any, **options: Any) -> None:
        self.kind = kind
        super().__init__(**options)

    def to_internal_value(self, data: Any) -> Any:
        load(self.kind, data, where=f"/{self.field_name}")  # raises InputError with the place
        return data

    def to_representation(self, value: Any) -> Any:
        return dump(value) if isinstance(value, Document | list | tuple) else value


class AnyField(serializers.Field[Any, Any, Any, Any]):
    """Any JSON value."""

    def to_internal_value(self, data: Any) -> Any:
        return data

    def to_representation(self, value: Any) -> Any:
        return value


class DocumentFieldSchema(OpenApiSerializerFieldExtension):
    target_class = DocumentField

    def map_serializer_field(self, auto_schema: Any, direction: str) -> dict[str, Any]:
        schema, components = component_schema(self.target.kind)
        _components.update(components)
        return schema


class TokenScheme(OpenApiAuthenticationExtension):
    target_class = "rondine.server.access.authentication.TokenAuthentication"
    name = "token"

    def get_security_definition(self, auto_schema: Any) -> dict[str, Any]:
        return {"type": "http", "scheme": "bearer"}


class AnyFieldSchema(OpenApiSerializerFieldExtension):
    target_class = AnyField

    def map_serializer_field(self, auto_schema: Any, direction: str) -> dict[str, Any]:
        return {}


_components: dict[str, Any] = {}


#: What the operations of a kind of item are called: by action, with its one word or its plural.
ITEM_OPERATIONS = {
    "list": "list{plural}",
    "create": "make{single}",
    "retrieve": "get{single}",
    "partial_update": "change{single}",
    "destroy": "remove{single}",
    "revisions": "list{single}Revisions",
}


class Schema(AutoSchema):
    """Names operations by what they do, describes the parameters that a view declares, and gives every operation its
    problem response."""

    view: Any

    def get_operation(self, path: str, path_regex: str, path_prefix: str, method: str, registry: Any) -> Any:
        operation = super().get_operation(path, path_regex, path_prefix, method, registry)
        if operation is not None:
            problem = self.resolve_serializer(ProblemSerializer, "response")
            operation["responses"]["default"] = problem_response(problem.ref)
            if self._is_item() and self.view.action in ("partial_update", "destroy"):
                current = self.resolve_serializer(self.view.serializer_class, "response").ref
                operation["responses"]["412"] = problem_response(
                    {
                        **problem.schema,
                        "properties": {**problem.schema["properties"], "current": current},
                        "required": [*problem.schema["required"], "current"],
                        "description": "Somebody else changed it meanwhile: the item as it is now.",
                    }
                )
        return operation

    def get_operation_id(self) -> str:
        if not self._is_item() or self.view.action not in ITEM_OPERATIONS:
            return super().get_operation_id()
        kind = self.view.kind
        plural, single = (
            "".join(part.capitalize() for part in words) for words in (kind.name.split("-"), kind.word.split())
        )
        return ITEM_OPERATIONS[self.view.action].format(plural=plural, single=single)

    def get_override_parameters(self) -> Any:
        shape = getattr(self.view, "query", {}).get(getattr(self.view, "action", None) or self.method)
        return [shape] if shape is not None else []

    def get_paginated_name(self, serializer_name: str) -> str:
        return f"{serializer_name}Page"

    def get_description(self) -> str:  # type: ignore[override]  # of drf-spectacular, not of DRF's own schema
        """The docstring of the view's method, or of the view itself; never that of a class which it comes from."""
        method = getattr(self.view, getattr(self.view, "action", None) or self.method.lower(), None)
        return (
            method.__doc__ if method is not None and method.__qualname__.startswith(type(self.view).__name__) else ""
        ) or (vars(type(self.view)).get("__doc__") or "")

    def _map_basic_serializer(self, serializer: Any, direction: str) -> Any:
        schema = super()._map_basic_serializer(serializer, direction)
        if not vars(type(serializer)).get("__doc__"):
            schema.pop("description", None)  # of the class that it comes from
        if direction == "response" and getattr(serializer, "is_whole", False):
            schema["required"] = sorted(schema["properties"])
        return schema

    def _is_item(self) -> bool:
        return hasattr(self.view, "kind") and hasattr(self.view, "action")


def problem_response(schema: Any) -> dict[str, Any]:
    return {"description": "what went wrong", "content": {"application/problem+json": {"schema": schema}}}


def add_documents(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """Adds the core's documents, which the fields refer to."""
    schemas = result.setdefault("components", {}).setdefault("schemas", {})
    for schema in schemas.values():
        _without_null_beside_anything(schema)
    for name, schema in sorted(_components.items()):
        assert schemas.setdefault(name, schema) == schema, f"two shapes are called {name}"
    while unused := set(schemas) - set(_references(result)):
        for name in unused:
            del schemas[name]
    return result


def _references(value: Any) -> Iterator[str]:
    """The names of all schemas that anything within a value refers to."""
    if isinstance(value, dict):
        if isinstance(reference := value.get("$ref"), str):
            yield reference.rpartition("/")[2]
        for one in value.values():
            yield from _references(one)
    elif isinstance(value, list):
        for one in value:
            yield from _references(one)


def _without_null_beside_anything(schema: Any) -> None:
    """Any value is null too: said once more, a null would be one of two, and `oneOf` refuse it."""
    if isinstance(schema, dict):
        if schema.get("oneOf") == [{}, {"type": "null"}]:
            del schema["oneOf"]
        for one in schema.values():
            _without_null_beside_anything(one)
    elif isinstance(schema, list):
        for one in schema:
            _without_null_beside_anything(one)


@cache
def document() -> dict[str, Any]:
    """The whole document."""
    from drf_spectacular.generators import SchemaGenerator

    made: dict[str, Any] = SchemaGenerator().get_schema(request=None, public=True)
    return made


__all__ = ["AnyField", "DocumentField", "document"]
