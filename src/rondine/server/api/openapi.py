"""The OpenAPI 3.1 document: made from the views, with the core's documents as components of their own."""

from functools import cache
from typing import Any

from drf_spectacular.extensions import OpenApiAuthenticationExtension, OpenApiSerializerFieldExtension
from drf_spectacular.openapi import AutoSchema
from rest_framework import serializers

from rondine.core.forms import component_schema
from rondine.core.settings import load
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
        return value


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


class Schema(AutoSchema):
    """Names operations by what they do, and gives every one its problem response."""

    def get_operation(self, path: str, path_regex: str, path_prefix: str, method: str, registry: Any) -> Any:
        operation = super().get_operation(path, path_regex, path_prefix, method, registry)
        if operation is not None:
            problem = self.resolve_serializer(ProblemSerializer, "response").ref
            operation["responses"]["default"] = {
                "description": "what went wrong",
                "content": {"application/problem+json": {"schema": problem}},
            }
        return operation


def add_documents(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """Adds the core's documents, which the fields refer to."""
    schemas = result.setdefault("components", {}).setdefault("schemas", {})
    for schema in schemas.values():
        _without_null_beside_anything(schema)
    for name, schema in sorted(_components.items()):
        assert schemas.setdefault(name, schema) == schema, f"two shapes are called {name}"
    return result


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
