"""Queries composed against the schema of an imported GraphQL definition."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from graphql import GraphQLSchema

from rondine.core.definitions.graphql import (
    FieldOffer,
    is_introspection,
    offered_fields,
    schema_of_introspection,
    schema_of_sdl,
    with_field,
    without_field,
)
from rondine.core.documents import read_json
from rondine.core.errors import DocumentError, InputError, Problem
from rondine.core.protocols.graphql import schema_problems, weight_of
from rondine.server.access.models import Project
from rondine.server.definitions.sources import stored_source
from rondine.server.items.actions import find_item
from rondine.server.operations.kinds import DEFINITIONS
from rondine.server.operations.models import Definition


@dataclass(frozen=True, slots=True)
class Chosen:
    """query: as it is now.  fields: what the schema offers at the place.  depth, count, cost: of the query."""

    query: str
    fields: list[FieldOffer]
    problems: list[Problem]
    depth: int
    count: int
    cost: int


def choose_fields(
    project: Project,
    name: str,
    query: str,
    path: Sequence[str],
    *,
    take: Sequence[str] | None = None,
    leave: Sequence[str] | None = None,
) -> Chosen:
    """Raises InputError for a definition that is not GraphQL's, and for a path that the schema does not have."""
    item: Definition = find_item(DEFINITIONS, project, name)
    schema = graphql_schema(item)
    if take:
        query = with_field(schema, query, tuple(take))
    if leave:
        query = without_field(schema, query, tuple(leave))
    weight = weight_of(query, schema)
    fields = offered_fields(schema, query, tuple(path))
    return Chosen(query, fields, schema_problems(query, schema), weight.depth, weight.fields, weight.cost)


def graphql_schema(item: Definition) -> GraphQLSchema:
    if not str(item.document.get("format", "")).startswith("GraphQL"):
        raise InputError(
            f'definition "{item.name}" is not a GraphQL schema', where="name", hint="import the schema first"
        )
    return _built(str(item.pk), str(item.document.get("hash")))


@lru_cache(maxsize=8)
def _built(definition_id: str, content_hash: str) -> GraphQLSchema:
    """content_hash: another content is built anew."""
    source = stored_source(Definition.objects.get(pk=definition_id))
    content = source.contents[source.main]
    try:
        value = read_json(content)
    except DocumentError:
        value = None
    if is_introspection(value):
        return schema_of_introspection(value, source.main)
    return schema_of_sdl(content.decode("utf-8", "replace"), source.main)[0]
