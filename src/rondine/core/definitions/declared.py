"""What a definition declares of the rows of a response: their key, and types that the samples alone do not show.

OData before 4.0 sends decimals and 64-bit integers as texts (OData 2.0 JSON Format, "Primitive Types"), GraphQL's own
scalars come as whatever their service likes; what the definition calls them is the better guess, as long as the samples
agree.
"""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from rondine.core.conversions.types import FieldType
from rondine.core.paths import JsonPath, parse_jsonpath
from rondine.core.paths.jsonpath import step_text
from rondine.core.schema.json_schema import types_of

#: Objects within each other that are looked into.
MOST_DEEP = 8
#: Names that scalars of GraphQL schemas have; what they hold is agreed on nowhere.
_SCALARS: Mapping[str, FieldType] = {
    "decimal": "decimal", "bigdecimal": "decimal", "bigint": "integer", "long": "integer", "int64": "integer",
    "date": "date",
    "datetime": "datetime",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Declared:
    """types: by path from the row, as outlines write it.  key: paths of what is declared as the key, empty if nothing
    is.  source: who says so."""

    types: Mapping[str, FieldType] = field(default_factory=dict)
    key: tuple[str, ...] = ()
    source: str = "the definition"


def declared_of(schema: Any, schemas: Mapping[str, Any], rows: Sequence[str]) -> Declared:
    """schema: of the response.  rows: a JSONPath a level, each from the level around it. Nothing, where the schema does
    not lead to the rows."""
    at = opened(schema, schemas)
    for path in rows:
        for step in _steps(parse_jsonpath(path)):
            at = opened(at.get("items") if step is None else members_of(at).get(step), schemas)
    key = at.get("x-key")
    paths = [f"${step_text(name)}" for name in key] if isinstance(key, list) else []
    return Declared(dict(_types(at, schemas, "$", 0)), tuple(paths))


def _steps(path: JsonPath) -> Iterator[str | None]:
    """Names, and None for the elements of a list."""
    for segment in path.segments:
        name = JsonPath("", (segment,)).singular()
        yield str(name[0]) if name is not None and isinstance(name[0], str) else None


def _types(
    schema: dict[str, Any], schemas: Mapping[str, Any], path: str, depth: int
) -> Iterator[tuple[str, FieldType]]:
    for name, member in members_of(schema).items() if depth < MOST_DEEP else ():
        inner, here = opened(member, schemas), path + step_text(name)
        if (kind := type_of(inner)) is not None:
            yield here, kind
        else:
            yield from _types(inner, schemas, here, depth + 1)


def type_of(schema: Mapping[str, Any]) -> FieldType | None:
    """The field type of a plain value's schema, None for anything else."""
    kinds = [kind for kind in types_of(dict(schema)) if kind != "null"]
    if not kinds:
        return _SCALARS.get(str(schema.get("x-type", "")).lower())
    match kinds:
        case ["number"]:
            return "decimal"
        case ["integer"]:
            return "integer"
        case ["boolean"]:
            return "boolean"
        case ["string"]:
            return {"date": "date", "date-time": "datetime", "decimal": "decimal"}.get(str(schema.get("format")))  # type: ignore[return-value]
    return None


def opened(schema: Any, schemas: Mapping[str, Any]) -> dict[str, Any]:
    """A schema with its references followed, its parts merged, and what only "null" stands beside; {} for what is
    none."""
    return opened_with_name(schema, schemas)[0]


def opened_with_name(
    schema: Any, schemas: Mapping[str, Any], seen: set[str] | None = None
) -> tuple[dict[str, Any], str]:
    """(the schema with references followed and parts merged, the name it has). seen: names that are merged already, by
    whatever way."""
    if not isinstance(schema, dict):
        return {}, ""
    seen = set() if seen is None else seen
    out, name = dict(schema), ""
    if isinstance(reference := out.pop("$ref", None), str):
        name = reference.removeprefix("#/$defs/")
        if name in seen:
            return {}, name
        seen.add(name)
        base, _ = opened_with_name(schemas.get(name), schemas, seen)
        out = {**base, **out}
    for part in out.pop("allOf", None) or []:
        found, inner = opened_with_name(part, schemas, seen)
        name = name or inner
        required = [*found.get("required", []), *out.get("required", [])]
        out = {**found, **out, "properties": {**members_of(found), **members_of(out)}, "required": required}
    for word in ("anyOf", "oneOf"):
        others = [one for one in out.get(word) or [] if one != {"type": "null"}]
        if len(others) == 1:
            out.pop(word)
            found, inner = opened_with_name(others[0], schemas, seen)
            out, name = {**found, **out}, name or inner
    return out, re.sub(r"^.*[.]", "", name)


def members_of(schema: Mapping[str, Any]) -> dict[str, Any]:
    """The members of an object's schema, by name."""
    found = schema.get("properties")
    return found if isinstance(found, dict) else {}
