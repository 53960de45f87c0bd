"""GraphQL requests: a document with typed variables, sent as JSON, or in the query for reads (GraphQL over HTTP).

graphql-core knows the language and the rules of validation; what is composed, which inputs a document takes, and how
deep and dear it is, is ours. Values are variables always: none is ever written into the text of a query.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from graphql import (
    DocumentNode,
    FieldNode,
    FragmentDefinitionNode,
    FragmentSpreadNode,
    GraphQLEnumType,
    GraphQLError,
    GraphQLInputObjectType,
    GraphQLInterfaceType,
    GraphQLList,
    GraphQLNonNull,
    GraphQLObjectType,
    GraphQLScalarType,
    GraphQLSchema,
    InlineFragmentNode,
    OperationDefinitionNode,
    SelectionSetNode,
    get_named_type,
    parse,
    strip_ignored_characters,
    validate,
)
from graphql.language import NamedTypeNode, NonNullTypeNode, TypeNode
from graphql.utilities import type_from_ast

from rondine.core.errors import DocumentError, Problem
from rondine.core.operations.inputs import Input, InputType

SCALARS: dict[str, InputType] = {
    "Int": "integer", "Float": "decimal", "Boolean": "boolean", "String": "text", "ID": "text",
    "Date": "date", "DateTime": "datetime", "Decimal": "decimal", "Long": "integer",
}  # fmt: skip
#: Fields a query may take; more is nothing that a person composed.
MOST_TOKENS = 20_000


def parsed(text: str, where: str = "/body/query") -> DocumentNode:
    """Raises DocumentError with line and column."""
    try:
        return parse(text, max_tokens=MOST_TOKENS)
    except GraphQLError as error:
        raise DocumentError(error.message, where=_place(error, where), hint="see the mark in the text") from error
    except RecursionError as error:
        raise DocumentError("it is nested too deep", where=where, hint="ask for less at a time") from error


def _place(error: GraphQLError, where: str) -> str:
    if error.locations:
        return f"{where}, line {error.locations[0].line}, column {error.locations[0].column}"
    return where


def operation_of(document: DocumentNode, name: str = "") -> OperationDefinitionNode | None:
    """The operation that is sent: the one of this name, or the only one."""
    found = [definition for definition in document.definitions if isinstance(definition, OperationDefinitionNode)]
    if name:
        return next((one for one in found if one.name is not None and one.name.value == name), None)
    return found[0] if len(found) == 1 else None


def query_problems(text: str, kind: str, name: str = "") -> list[Problem]:
    """What keeps a document from being sent, whatever the schema: its syntax, and that it is what it says to be."""
    here = "/body/query"
    if not text.strip():
        return [Problem(here, "there is no query yet", "write one, or take fields from the schema")]
    try:
        document = parsed(text)
    except DocumentError as error:
        return [error.as_problem()]
    operation = operation_of(document, name)
    if operation is None:
        words = f'there is no operation "{name}" in it' if name else "it has no operation, or several"
        return [Problem(here, words, "name the one that is sent: operation_name")]
    if operation.operation.value != kind:
        return [
            Problem(
                here, f"it is a {operation.operation.value}, not a {kind}", f"say so: kind {operation.operation.value}"
            )
        ]
    return []


def schema_problems(text: str, schema: GraphQLSchema) -> list[Problem]:
    """What a document asks for that the schema does not offer, each with its line and column."""
    document = parsed(text)
    found = validate(schema, document, max_errors=50)
    return [Problem(_place(one, "/body/query"), one.message, "") for one in found]


def one_line(text: str) -> str:
    """The document without line breaks, comments and blanks that mean nothing: some services refuse them."""
    return strip_ignored_characters(text)


def inputs_of(text: str, schema: GraphQLSchema | None = None, name: str = "") -> list[Input]:
    """The variables of the operation as typed inputs; lists and input objects are json."""
    operation = operation_of(parsed(text), name)
    if operation is None:
        return []
    out = []
    for variable_definition in operation.variable_definitions or ():
        is_required = (
            isinstance(variable_definition.type, NonNullTypeNode) and variable_definition.default_value is None
        )
        kind, allowed = _input_type(variable_definition.type, schema)
        variable = variable_definition.variable.name.value
        members = _members(variable_definition.type, schema)
        out.append(Input(name=variable, type=kind, required=is_required, allowed=allowed, members=members))
    return out


def _input_type(node: TypeNode, schema: GraphQLSchema | None) -> tuple[InputType, list[str | int]]:
    inner = node.type if isinstance(node, NonNullTypeNode) else node
    if not isinstance(inner, NamedTypeNode):
        return "json", []
    known = type_from_ast(schema, inner) if schema is not None else None
    if isinstance(known, GraphQLEnumType):
        return "text", list(known.values)
    if isinstance(known, GraphQLInputObjectType):
        return "json", []
    return SCALARS.get(
        inner.name.value, "text" if isinstance(known, GraphQLScalarType) or known is None else "json"
    ), []


def _members(node: TypeNode, schema: GraphQLSchema | None) -> list[str]:
    """Of an input object."""
    inner = node.type if isinstance(node, NonNullTypeNode) else node
    known = type_from_ast(schema, inner) if schema is not None and isinstance(inner, NamedTypeNode) else None
    return list(known.fields) if isinstance(known, GraphQLInputObjectType) else []


@dataclass(frozen=True, slots=True)
class Weight:
    """depth: levels of fields.  fields: how many there are.  cost: how many values may come at most, if each list holds
    as many as its `first`, `last` or `limit` argument says, otherwise ten.
    """

    depth: int
    fields: int
    cost: int


def weight_of(text: str, schema: GraphQLSchema | None = None) -> Weight:
    document = parsed(text)
    fragments = {
        definition.name.value: definition
        for definition in document.definitions
        if isinstance(definition, FragmentDefinitionNode)
    }
    depth = fields = cost = 0
    for operation in document.definitions:
        if isinstance(operation, OperationDefinitionNode):
            root = schema.get_root_type(operation.operation) if schema is not None else None
            for level, times, _ in _walk(operation.selection_set, fragments, root, 1, 1, frozenset()):
                depth, fields, cost = max(depth, level), fields + 1, cost + times
                if fields > 50_000:
                    break
    return Weight(depth, fields, cost)


def _walk(
    selection: SelectionSetNode | None,
    fragments: dict[str, FragmentDefinitionNode],
    parent: Any,
    level: int,
    times: int,
    seen: frozenset[str],
) -> Iterator[tuple[int, int, FieldNode]]:
    for one in selection.selections if selection is not None else ():
        if isinstance(one, FieldNode):
            yield level, times, one
            known = (
                parent.fields.get(one.name.value)
                if isinstance(parent, (GraphQLObjectType, GraphQLInterfaceType))
                else None
            )
            many = times * _length(one) if known is not None and _is_list(known.type) else times
            inner = get_named_type(known.type) if known is not None else None
            yield from _walk(one.selection_set, fragments, inner, level + 1, min(many, 10**9), seen)
        elif isinstance(one, InlineFragmentNode):
            yield from _walk(one.selection_set, fragments, parent, level, times, seen)
        elif isinstance(one, FragmentSpreadNode) and one.name.value in fragments and one.name.value not in seen:
            name = one.name.value
            yield from _walk(fragments[name].selection_set, fragments, parent, level, times, seen | {name})


def _is_list(kind: Any) -> bool:
    while isinstance(kind, GraphQLNonNull):
        kind = kind.of_type
    return isinstance(kind, GraphQLList)


def _length(field: FieldNode) -> int:
    for argument in field.arguments or ():
        if argument.name.value in ("first", "last", "limit"):
            value = getattr(argument.value, "value", None)
            if isinstance(value, str) and value.isdigit():
                return min(int(value), 10**6)
    return 10
