"""GraphQL schemas, from their language (SDL) or an introspection result, read into operations whose queries are
composed.

Each field of the query and mutation types becomes an operation: its arguments are variables, its first selection takes
the plain fields, and of a connection (Relay's) the nodes with the page's end. Fields are taken and left one by one
afterwards.
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from graphql import (
    FieldNode,
    GraphQLEnumType,
    GraphQLError,
    GraphQLInterfaceType,
    GraphQLList,
    GraphQLNonNull,
    GraphQLObjectType,
    GraphQLScalarType,
    GraphQLSchema,
    GraphQLUnionType,
    InlineFragmentNode,
    OperationDefinitionNode,
    SelectionSetNode,
    build_ast_schema,
    build_client_schema,
    get_introspection_query,
    get_named_type,
    get_nullable_type,
    parse,
    print_ast,
)
from graphql.type import is_required_argument
from graphql.validation.validate import validate_sdl
from msgspec import structs

from rondine.core.definitions.inputs import input_name
from rondine.core.definitions.model import Definition, DescribedOperation, Server
from rondine.core.errors import DocumentError, InputError, Problem, did_you_mean
from rondine.core.mapping.document import Condition, Source
from rondine.core.names import proposed_name
from rondine.core.operations.document import (
    FailureRule,
    GraphQLBody,
    Member,
    OperationDocument,
    OutcomeRules,
    ResponseDescription,
)
from rondine.core.operations.values import ValueOf
from rondine.core.pagination import GraphqlConnection, Paging
from rondine.core.protocols.graphql import SCALARS, inputs_of, one_line, operation_of, parsed

MOST_TOKENS = 2_000_000
_SCHEMA_TYPES: dict[str, dict[str, Any]] = {
    "integer": {"type": "integer"}, "decimal": {"type": "number"}, "boolean": {"type": "boolean"},
    "text": {"type": "string"},
    "date": {"type": "string", "format": "date"}, "datetime": {"type": "string", "format": "date-time"},
}  # fmt: skip


def introspection_query() -> str:
    """What a service is asked to tell its schema."""
    return one_line(get_introspection_query(descriptions=True, input_value_deprecation=False))


def is_introspection(value: Any) -> bool:
    if isinstance(value, dict) and isinstance(value.get("data"), dict):
        value = value["data"]
    return isinstance(value, dict) and isinstance(value.get("__schema"), dict)


def looks_like_sdl(text: str) -> bool:
    """Whether a text begins as a schema in GraphQL's language does."""
    words = (
        "type ",
        "schema",
        "interface ",
        "enum ",
        "input ",
        "scalar ",
        "union ",
        "extend ",
        "directive ",
        '"""',
        "#",
    )
    return (
        text.lstrip("\ufeff \t\r\n").startswith(words)
        and re.search(r"\b(type|interface|schema)\b[^{}]*\{", text) is not None
    )


def schema_of_sdl(text: str, name: str) -> tuple[GraphQLSchema, list[Problem]]:
    """(the schema, what is wrong with it but can be passed over). Raises DocumentError with line and column."""
    try:
        document = parse(text.lstrip("\ufeff"), max_tokens=MOST_TOKENS)
        faults = validate_sdl(document)
        schema = build_ast_schema(document, assume_valid=True, assume_valid_sdl=True)
    except GraphQLError as error:
        raise DocumentError(
            f"not a GraphQL schema: {error.message}", where=_where(error, name), hint="look at the mark there"
        ) from error
    except (TypeError, RecursionError, ValueError, AttributeError) as error:
        raise DocumentError(f"the schema cannot be built: {error}", where=name, hint="is a type missing?") from error
    return schema, [Problem(_where(fault, name), fault.message, "it is passed over") for fault in faults[:200]]


def schema_of_introspection(value: Any, name: str) -> GraphQLSchema:
    inner = value.get("data", value)
    try:
        return build_client_schema(inner, assume_valid=True)
    except (GraphQLError, TypeError, ValueError, KeyError, RecursionError, AttributeError) as error:
        words = f"the introspection result cannot be used: {str(error)[:200]}"
        raise DocumentError(words, where=name, hint="ask for it again with the whole introspection query") from error


def _where(error: GraphQLError, name: str) -> str:
    if error.locations:
        return f"{name}, line {error.locations[0].line}, column {error.locations[0].column}"
    return name


def read_graphql(
    schema: GraphQLSchema, problems: list[Problem], name: str, address: str = "", *, label: str = "SDL"
) -> Definition:
    """address: where queries are sent, if that is known."""
    base, _, last = address.partition("?")[0].rstrip("/").rpartition("/")
    path = f"/{last}" if address and base.count("/") >= 2 else "/graphql"
    operations: list[DescribedOperation] = []
    left: list[Problem] = []
    names: set[str] = set()
    for kind, root in (("query", schema.query_type), ("mutation", schema.mutation_type)):
        for field_name in root.fields if root is not None else ():
            try:
                operations.append(_operation(schema, kind, field_name, path, names))
            except (InputError, DocumentError) as error:
                left.append(Problem(name, f"{kind} {field_name}: {error.message}", error.hint))
    for field_name in schema.subscription_type.fields if schema.subscription_type is not None else ():
        left.append(
            Problem(name, f"subscription {field_name}: subscriptions are not supported", "ask by a query instead")
        )
    if not operations and not left:
        raise DocumentError("the schema has no query type", where=name, hint="is this the whole schema?")
    return Definition(
        format=f"GraphQL ({label})",
        title="",
        servers=(Server(base),) if address and base.count("/") >= 2 else (),
        operations=tuple(operations),
        warnings=tuple(problems),
        left_out=tuple(left),
        files=(name,),
    )


def _operation(schema: GraphQLSchema, kind: str, field_name: str, path: str, names: set[str]) -> DescribedOperation:
    text = composed(schema, kind, field_name)
    document = graphql_operation(schema, text, kind, path)
    root = schema.query_type if kind == "query" else schema.mutation_type
    field = root.fields[field_name] if root is not None else None
    name = proposed_name(field_name, taken=names)
    names.add(name)
    described = OperationDocument(
        **{part: getattr(document, part) for part in ("method", "path", "inputs", "body", "responses")},
        description=(field.description or "")[:8000] if field is not None else "",
        tags=["queries" if kind == "query" else "mutations"],
        outcomes=_payload_rules(schema, kind, field_name),
        paging=_paging(field, field_name, document) if kind == "query" else None,
        deprecated=field is not None and field.deprecation_reason is not None,
    )
    title = " ".join(proposed_name(field_name, separator=" ").split()).capitalize()
    is_deprecated = field is not None and field.deprecation_reason is not None
    return DescribedOperation(
        f"{kind} {field_name}", name, title, described, "", (described.tags[0],), (), is_deprecated
    )


def _paging(field: Any, field_name: str, operation: OperationDocument) -> Paging | None:
    """The pages of a connection: its argument `after` and its pageInfo, as the specification of connections has
    them."""
    of = get_named_type(field.type) if field is not None else None
    info = getattr(of, "fields", {}).get("pageInfo")
    told = getattr(get_named_type(info.type), "fields", {}) if info is not None else {}
    after = input_name("after")
    has_argument = field is not None and "after" in field.args and any(one.name == after for one in operation.inputs)
    if not has_argument or not {"hasNextPage", "endCursor"} <= set(told):
        return None
    return GraphqlConnection(at=f"/data/{field_name}", input=after)


def graphql_operation(schema: GraphQLSchema, text: str, kind: str, path: str) -> OperationDocument:
    """The operation for a query text: inputs from its variables, the response's schema from its selection."""
    inputs = inputs_of(text, schema)
    renamed = {input_.name: input_name(input_.name) for input_ in inputs}
    members = [Member(at=f"/{input_.name}", value=ValueOf(input=renamed[input_.name])) for input_ in inputs]
    found = operation_of(parsed(text))
    root = schema.query_type if kind == "query" else schema.mutation_type
    data = _selected(schema, root, found.selection_set if found is not None else None, 0)
    schema_of_it = {"type": "object", "properties": {"data": data, "errors": {"type": "array"}}}
    return OperationDocument(
        method="POST",
        path=path,
        inputs=[structs.replace(input_, name=renamed[input_.name]) for input_ in inputs],
        body=GraphQLBody(query=text, kind=kind, variables=members),  # type: ignore[arg-type]
        responses=[ResponseDescription(status="200", media_type="application/json", schema=schema_of_it)],
    )


# --- composing


def composed(schema: GraphQLSchema, kind: str, field_name: str) -> str:
    """A document for one field of the root: its arguments as variables, its plain fields taken."""
    root = schema.query_type if kind == "query" else schema.mutation_type
    field = root.fields[field_name]  # type: ignore[union-attr]
    variables = ", ".join(f"${name}: {_variable_type(one)}" for name, one in field.args.items())
    arguments = ", ".join(f"{name}: ${name}" for name in field.args)
    operation = field_name[:1].upper() + field_name[1:]
    head = f"{kind} {operation}" + (f"({variables})" if variables else "")
    call = field_name + (f"({arguments})" if arguments else "")
    inner = _first_selection(schema, get_named_type(field.type), 0)
    return print_ast(parse(f"{head} {{ {call} {inner} }}"))


#: What payloads of mutations call their list of what went wrong; no standard has a name for it.
_PAYLOAD_ERRORS = ("errors", "userErrors", "problems", "validationErrors", "fieldErrors")


def _payload_errors(kind: Any) -> str:
    """The field of a mutation's payload that lists what went wrong as objects, empty if it has none."""
    fields = getattr(kind, "fields", {})
    for name in _PAYLOAD_ERRORS:
        inner = fields.get(name)
        of = get_nullable_type(inner.type) if inner is not None else None
        if isinstance(of, GraphQLList) and not _is_leaf(of):
            return name
    return ""


def _payload_rules(schema: GraphQLSchema, kind: str, field_name: str) -> OutcomeRules:
    """A mutation whose payload lists errors has failed, although there is no error of GraphQL's own."""
    root = schema.mutation_type if kind == "mutation" else None
    field = root.fields[field_name] if root is not None else None
    listed = _payload_errors(get_named_type(field.type)) if field is not None else ""
    if not listed:
        return OutcomeRules()
    place = f"$.data.{field_name}.{listed}[0]"
    inner = get_named_type(get_named_type(field.type).fields[listed].type)  # type: ignore[union-attr, attr-defined]
    message = next((name for name in ("message", "detail", "text") if name in getattr(inner, "fields", {})), "")
    told = Source(jsonpath=f"{place}.{message}") if message else None
    return OutcomeRules(
        failures=[FailureRule(when=[Condition(source=Source(jsonpath=place), is_="present")], message=told)]
    )


def _variable_type(argument: Any) -> Any:
    """An argument with a default may be left out, so its variable may be too."""
    has_default = not is_required_argument(argument) and isinstance(argument.type, GraphQLNonNull)
    return argument.type.of_type if has_default else argument.type


def _first_selection(schema: GraphQLSchema, kind: Any, depth: int) -> str:
    """What is taken of a type at first: plain fields that are not deprecated; of a connection its nodes and the page's
    end; of unions and interfaces the plain fields of each type that it may be."""
    if isinstance(kind, (GraphQLScalarType, GraphQLEnumType)):
        return ""
    if isinstance(kind, GraphQLUnionType):
        return "{ __typename " + _of_each_type(schema, kind, {}) + " }"
    fields = {
        name: one
        for name, one in kind.fields.items()
        if not any(map(is_required_argument, one.args.values())) and one.deprecation_reason is None
    }
    plain = [name for name, one in fields.items() if _is_leaf(one.type)]
    parts = list(plain)
    for name in ("nodes", "edges", "node", "pageInfo", "items", "results"):
        if name in fields and name not in plain and depth < 4 and not ("nodes" in fields and name == "edges"):
            parts.append(f"{name} {_first_selection(schema, get_named_type(fields[name].type), depth + 1)}")
    if (listed := _payload_errors(kind)) and listed in fields:
        parts.append(f"{listed} {_first_selection(schema, get_named_type(fields[listed].type), depth + 1)}")
    if isinstance(kind, GraphQLInterfaceType) and depth < 3:
        taken = {name: str(one.type) for name, one in fields.items()}
        parts += ["__typename", _of_each_type(schema, kind, taken)]
    if not parts and depth < 3:
        for name, one in fields.items():
            inner = get_named_type(one.type)
            if isinstance(inner, (GraphQLObjectType, GraphQLInterfaceType)):
                parts.append(f"{name} {_first_selection(schema, inner, depth + 1)}")
                break
    if depth == 0 and _payload_errors(kind):
        for name, one in fields.items():  # beside what went wrong, what was done
            inner = get_named_type(one.type)
            if (
                isinstance(inner, GraphQLObjectType)
                and name not in _PAYLOAD_ERRORS
                and not any(part.startswith(name) for part in parts)
            ):
                parts.append(f"{name} {_first_selection(schema, inner, depth + 1)}")
    return "{ " + " ".join(parts or ["__typename"]) + " }"


#: Types of a union or interface whose own fields are taken.
_MOST_TYPES = 12


def _of_each_type(schema: GraphQLSchema, kind: Any, taken: dict[str, str]) -> str:
    """Inline fragments with the plain fields of each possible type. taken: fields that are there already, with their
    types; a field of the same name and another type cannot stand beside it ("Field Selection Merging", October 2021,
    section 5.3.2)."""
    out = []
    for possible in schema.get_possible_types(kind)[:_MOST_TYPES]:
        names = []
        for name, one in possible.fields.items():
            is_free = name not in taken or (taken[name] == str(one.type) and not isinstance(kind, GraphQLInterfaceType))
            if (
                _is_leaf(one.type)
                and is_free
                and one.deprecation_reason is None
                and not any(map(is_required_argument, one.args.values()))
            ):
                taken[name] = str(one.type)
                names.append(name)
        if names:
            out.append(f"... on {possible.name} {{ {' '.join(names)} }}")
    return " ".join(out)


def _is_leaf(kind: Any) -> bool:
    return isinstance(get_named_type(kind), (GraphQLScalarType, GraphQLEnumType))


@dataclass(frozen=True, slots=True)
class FieldOffer:
    """A field of the schema at a place of a query. type: as the schema writes it.  has_fields: whether it has fields of
    its own."""

    name: str
    type: str
    has_fields: bool
    is_taken: bool
    description: str = ""


def offered_fields(schema: GraphQLSchema, text: str, path: tuple[str, ...]) -> list[FieldOffer]:
    """The fields that could be taken at a place of the operation: the root's for an empty path."""
    document = parsed(text)
    operation = _the_operation(document)
    kind, selection, _ = _at(schema, operation, path)
    taken = (
        {one.name.value for one in selection.selections if isinstance(one, FieldNode)}
        if selection is not None
        else set()
    )
    if not isinstance(kind, (GraphQLObjectType, GraphQLInterfaceType)):
        return []
    return [
        FieldOffer(name, str(one.type), not _is_leaf(one.type), name in taken, (one.description or "")[:300])
        for name, one in kind.fields.items()
        if not any(map(is_required_argument, one.args.values())) or name in taken
    ]


def with_field(schema: GraphQLSchema, text: str, path: tuple[str, ...]) -> str:
    """The query with the field at this path taken, and what leads to it; of an object, its plain fields."""
    document = parsed(text)
    operation = _the_operation(document)
    kinds: list[Any] = [schema.get_root_type(operation.operation)]
    for depth, step in enumerate(path):
        fields: Mapping[str, Any] = getattr(kinds[-1], "fields", {})
        if step not in fields:
            words = f'"{kinds[-1]}" has no field "{step}"'
            raise InputError(words, where=".".join(path[: depth + 1]), hint=did_you_mean(step, fields))
        kinds.append(get_named_type(fields[step].type))
    there = next((depth for depth in range(len(path), 0, -1) if _at(schema, operation, path[:depth])[2]), 0)
    if there == len(path):
        return text
    inner = _first_selection(schema, kinds[-1], 0)
    for step in reversed(path[there:]):
        inner = f"{{ {step} {inner} }}"
    made = _the_operation(parse(inner)).selection_set.selections
    return _changed(document, operation, path[:there], lambda held: (*held, *made))


def without_field(schema: GraphQLSchema, text: str, path: tuple[str, ...]) -> str:
    """The query without the field at this path; an object of which nothing is left goes too, but for the last one."""
    document = parsed(text)
    operation = _the_operation(document)
    for length in range(len(path), 0, -1):
        _, selection, _ = _at(schema, operation, path[: length - 1])
        name = path[length - 1]
        if selection is not None and any(not _is_field(one, name) for one in selection.selections):
            return _changed(
                document,
                operation,
                path[: length - 1],
                lambda held, name=name: tuple(one for one in held if not _is_field(one, name)),  # type: ignore[misc]
            )
    raise InputError("nothing would be left of the query", where=".".join(path), hint="take another field first")


def _is_field(node: Any, name: str) -> bool:
    return isinstance(node, FieldNode) and node.name.value == name


Selections = tuple[Any, ...]


def _changed(
    document: Any, operation: OperationDefinitionNode, path: tuple[str, ...], change: Callable[[Selections], Selections]
) -> str:
    """The document's text with what is selected at a path changed."""

    def walk(selection: SelectionSetNode, rest: tuple[str, ...]) -> SelectionSetNode:
        if not rest:
            return replace(selection, selections=change(selection.selections))
        nodes = tuple(
            (
                replace(one, selection_set=walk(one.selection_set, rest[1:]))
                if _is_field(one, rest[0]) and isinstance(one, FieldNode) and one.selection_set is not None
                else one
            )
            for one in selection.selections
        )
        return replace(selection, selections=nodes)

    new = replace(operation, selection_set=walk(operation.selection_set, path))
    others = tuple(new if definition is operation else definition for definition in document.definitions)
    return print_ast(replace(document, definitions=others))


def _the_operation(document: Any) -> OperationDefinitionNode:
    found = operation_of(document)
    if found is None:
        raise InputError("it has no operation, or several", where="/body/query", hint="keep one of them")
    return found


def _at(
    schema: GraphQLSchema, operation: OperationDefinitionNode, path: tuple[str, ...]
) -> tuple[Any, SelectionSetNode | None, bool]:
    """(the type at a path, what is selected there, whether the path is in the query)."""
    kind: Any = schema.get_root_type(operation.operation)
    selection: SelectionSetNode | None = operation.selection_set
    is_there = True
    for step in path:
        fields: Mapping[str, Any] = getattr(kind, "fields", {})
        if step not in fields:
            raise InputError(f'"{kind}" has no field "{step}"', where=".".join(path), hint=did_you_mean(step, fields))
        kind = get_named_type(fields[step].type)
        nodes = selection.selections if selection is not None else ()
        found = next((node for node in nodes if isinstance(node, FieldNode) and node.name.value == step), None)
        is_there = is_there and found is not None
        selection = found.selection_set if found is not None else None
    return kind, selection, is_there


# --- the schema of what comes back


def _selected(schema: GraphQLSchema, parent: Any, selection: SelectionSetNode | None, depth: int) -> dict[str, Any]:
    """The JSON Schema of a selection; required is what the schema says is never null."""
    properties: dict[str, Any] = {}
    required = []
    ids = []
    for one in selection.selections if selection is not None and depth < 30 else ():
        if isinstance(one, InlineFragmentNode):
            of = schema.get_type(one.type_condition.name.value) if one.type_condition is not None else parent
            inner = _selected(schema, of, one.selection_set, depth + 1)
            properties = {**inner["properties"], **properties}
            continue
        if not isinstance(one, FieldNode):
            continue
        label = (one.alias or one.name).value
        if one.name.value == "__typename":
            properties[label] = {"type": "string"}
            continue
        field = getattr(parent, "fields", {}).get(one.name.value)
        if field is None:
            continue
        properties[label] = _of(schema, field.type, one.selection_set, depth + 1)
        if isinstance(field.type, GraphQLNonNull):
            required.append(label)
            if getattr(field.type.of_type, "name", "") == "ID":  # "a unique identifier" (October 2021, section 3.5.5)
                ids.append(label)
    declared: dict[str, Any] = {"x-key": ids} if len(ids) == 1 else {}
    return {"type": "object", "properties": properties, **({"required": required} if required else {}), **declared}


def _of(schema: GraphQLSchema, kind: Any, selection: SelectionSetNode | None, depth: int) -> dict[str, Any]:
    if isinstance(kind, GraphQLNonNull):
        return _never_null(schema, kind.of_type, selection, depth)
    found = _never_null(schema, kind, selection, depth)
    if "enum" in found:
        found["enum"] = [*found["enum"], None]
    return {**found, "type": [found["type"], "null"]} if "type" in found else found


def _never_null(schema: GraphQLSchema, kind: Any, selection: SelectionSetNode | None, depth: int) -> dict[str, Any]:
    if isinstance(kind, GraphQLList):
        return {"type": "array", "items": _of(schema, kind.of_type, selection, depth)}
    if isinstance(kind, GraphQLEnumType):
        return {"type": "string", "enum": list(kind.values)}
    if isinstance(kind, GraphQLScalarType):
        return {
            **_SCHEMA_TYPES.get(SCALARS.get(kind.name, ""), {}),
            **({} if kind.name in SCALARS else {"x-type": kind.name}),
        }
    return _selected(schema, kind, selection, depth)
