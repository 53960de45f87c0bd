"""Prepared queries: a query text kept once, in its own language, with typed variables; operations refer to it by name.

A value is placed by the language's rules: in GraphQL it is a variable; in any other language a literal, in which quote
marks of the value are written so that it cannot end. Nothing is ever glued into the text.
"""

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from msgspec import Meta

from rondine.core.errors import InputError, Problem, did_you_mean
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import Input
from rondine.core.operations.values import Value, ValueOf, Written, parts_of
from rondine.core.protocols.graphql import query_problems
from rondine.core.settings import Document, dump, load


class PreparedQueryDocument(Document, frozen=True):
    """A query kept once."""

    language: Annotated[Literal["graphql", "other"], Meta(description="graphql, or other for a service's own")] = (
        "graphql"
    )
    query: Annotated[str, Meta(description="the GraphQL document")] = ""
    kind: Annotated[Literal["query", "mutation"], Meta(description="what it does, of GraphQL")] = "query"
    content: Annotated[Value, Meta(description="the text in any other language, with places for its variables")] = ""
    literals: Annotated[
        Written,
        Meta(
            description=(
                "how texts are written in that language: with quote marks doubled ('O''Hara'), with a backslash before"
                " them ('O\\'Hara'), or as in JSON (\"O'Hara\")"
            )
        ),
    ] = "doubled"
    variables: Annotated[list[Input], Meta(description="what it takes")] = []
    description: str = ""


def prepared_problems(prepared: PreparedQueryDocument) -> list[Problem]:
    """What keeps a prepared query from being used."""
    names = [variable.name for variable in prepared.variables]
    if prepared.language == "graphql":
        return [
            Problem(query_problem.where.replace("/body", ""), query_problem.message, query_problem.hint)
            for query_problem in query_problems(prepared.query, prepared.kind)
        ]
    if prepared.content in ("", []):
        return [Problem("/content", "there is no query yet", "write its text, with places for its variables")]
    return [
        Problem("/content", f'there is no variable "{part.input}"', did_you_mean(part.input, names) or "add it first")
        for part in parts_of(prepared.content)
        if isinstance(part, ValueOf) and part.input and part.input not in names
    ]


def prepared_names(operation: OperationDocument) -> set[str]:
    """The prepared queries that an operation refers to."""
    found: set[str] = set()

    def walk(value: Any) -> None:
        if isinstance(value, dict):
            if isinstance(value.get("prepared"), str):
                found.add(value["prepared"])
            for one in value.values():
                walk(one)
        elif isinstance(value, list):
            for one in value:
                walk(one)

    walk({name: one for name, one in dump(operation).items() if name not in ("responses", "inputs")})
    return found


def with_prepared(operation: OperationDocument, queries: Mapping[str, PreparedQueryDocument]) -> OperationDocument:
    """The operation with the text of its prepared queries in place of their names; variables are filled from the inputs
    of the same names.

    Raises InputError for one that there is not.
    """
    names = prepared_names(operation)
    if not names:
        return operation
    for name in sorted(names):
        if name not in queries:
            hint = did_you_mean(name, queries) or "make it first: rondine query make"
            raise InputError(f'there is no prepared query "{name}"', where="/body", hint=hint)
    document = {
        name: one if name in ("responses", "inputs") else _filled(one, queries) for name, one in dump(operation).items()
    }
    body = document.get("body")
    if isinstance(body, dict) and body.get("type") == "graphql" and body.get("prepared"):
        prepared = queries[body.pop("prepared")]
        body |= {"query": prepared.query, "kind": prepared.kind}
        body.setdefault(
            "variables",
            [{"at": f"/{variable.name}", "value": {"input": variable.name}} for variable in prepared.variables],
        )
    return load(OperationDocument, document)


def _filled(value: Any, queries: Mapping[str, PreparedQueryDocument]) -> Any:
    if isinstance(value, dict):
        if set(value) == {"prepared"}:
            return _parts(queries[value["prepared"]])
        return {name: _filled(one, queries) for name, one in value.items()}
    if isinstance(value, list):
        out: list[Any] = []
        for one in value:
            filled = _filled(one, queries)
            out += filled if isinstance(one, dict) and set(one) == {"prepared"} else [filled]
        return out
    return value


def _parts(prepared: PreparedQueryDocument) -> list[Any]:
    if prepared.language == "graphql":
        return [prepared.query]
    return [
        {**dump(part), "written": prepared.literals} if isinstance(part, ValueOf) else part
        for part in parts_of(prepared.content)
    ]
