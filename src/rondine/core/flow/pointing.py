"""What can be pointed at: the values in a JSON Schema (2020-12), each with its path and its type."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from rondine.core.paths import parse_jsonpath
from rondine.core.paths.jsonpath import step_text
from rondine.core.paths.short import short_form
from rondine.core.schema.json_schema import PLAIN, Schema, types_of

#: Values of one schema, and how deep they stand.
MOST, MOST_DEEP = 300, 8


@dataclass(frozen=True, slots=True)
class Valued:
    """A value in a document. names: its members from the outside in, 0 for the first of a list.  type: of inputs, or
    list or object; empty if it is not known.  schema: its own."""

    names: tuple[str | int, ...]
    type: str
    title: str
    schema: Schema

    @property
    def at(self) -> str | dict[str, str]:
        """As paths are written in flows: names joined by dots, or a JSONPath."""
        if not self.names:
            return ""
        steps = ("[0]" if isinstance(name, int) else step_text(name) for name in self.names)
        path = parse_jsonpath("$" + "".join(steps))
        return short_form(path) or {"jsonpath": path.text}


def valued(schema: Schema, schemas: Mapping[str, Schema]) -> list[Valued]:
    """All of a schema's single values, objects and lists, from the outside in; of lists, the first item's values."""
    found: list[Valued] = []
    for one in _walk(schema, schemas, (), frozenset()):
        if len(found) == MOST:
            break
        found.append(one)
    return found


def _walk(
    schema: Schema, schemas: Mapping[str, Schema], names: tuple[str | int, ...], within: frozenset[str]
) -> Iterator[Valued]:
    resolved, within = _resolved(schema, schemas, within)
    yield Valued(names, type_of(resolved), str(resolved.get("title", "")), resolved)
    if len(names) < MOST_DEEP:
        for name, member in _members(resolved, schemas, within).items():
            yield from _walk(member, schemas, (*names, name), within)
    if names and type_of(resolved) == "list" and 0 not in names:
        yield from _walk(items_of(resolved, schemas), schemas, (*names, 0), within)


def _resolved(
    schema: Schema, schemas: Mapping[str, Schema], within: frozenset[str]
) -> tuple[dict[str, Any], frozenset[str]]:
    """A schema without its reference; of one that refers to what it stands in, only its type."""
    while isinstance(schema, dict) and isinstance(reference := schema.get("$ref"), str):
        name = reference.removeprefix("#/$defs/")
        if name in within:
            around = schemas.get(name)
            return ({"type": around.get("type")} if isinstance(around, dict) else {}), within
        within |= {name}
        schema = schemas.get(name, {})
    return (schema if isinstance(schema, dict) else {}), within


def _members(schema: dict[str, Any], schemas: Mapping[str, Schema], within: frozenset[str]) -> dict[str, Schema]:
    found: dict[str, Schema] = dict(schema.get("properties") or {})
    for word in ("allOf", "anyOf", "oneOf"):
        for part in schema.get(word) or []:
            resolved, _ = _resolved(part, schemas, within)
            found |= _members(resolved, schemas, within) if resolved is not schema else {}
    return found


def items_of(schema: Schema, schemas: Mapping[str, Schema]) -> Schema:
    """Of what a list's items are."""
    resolved, _ = _resolved(schema, schemas, frozenset())
    items = resolved.get("items", True)
    return items if isinstance(items, dict | bool) else True


def type_of(schema: dict[str, Any]) -> str:
    kinds = types_of(schema)
    if len(kinds) != 1:
        return "decimal" if sorted(kinds) == ["integer", "number"] else ""
    if kinds == ["string"]:
        return {"date": "date", "date-time": "datetime"}.get(schema.get("format", ""), "text")
    named = {"array": "list", "object": "object", "integer": "integer", "number": "decimal", "boolean": "boolean"}
    return named.get(kinds[0], "")


def input_type(kind: str) -> Any:
    """As the type of an input or a kept value."""
    return "json" if kind in ("", "list", "object") else kind


def fits(kind: str, wanted: str) -> bool:
    """Whether a value of a type can be given where another is wanted, without a conversion. kind, wanted: empty if it
    is not known."""
    if wanted in ("", "json") or kind in ("", "json", wanted):
        return True
    if wanted == "text":
        return kind not in ("list", "object")
    return (kind, wanted) == ("integer", "decimal")


def object_of(members: Mapping[str, Schema]) -> dict[str, Any]:
    return {"type": "object", "properties": dict(members)}


def typed_schema(type_: str, title: str = "") -> dict[str, Any]:
    """Of a value of a field's or input's type."""
    schema: dict[str, Any] = dict(_SCHEMAS.get(type_, {}))
    return {**schema, "title": title} if title else schema


_SCHEMAS: Mapping[str, Mapping[str, Any]] = {**PLAIN, "list": {"type": "array"}}


def list_of(items: Schema) -> dict[str, Any]:
    return {"type": "array", "items": items}
