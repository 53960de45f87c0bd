"""Questions to JSON Schemas (2020-12): the types they allow, the plain fields they have."""

from collections.abc import Mapping
from typing import Any

Schema = dict[str, Any] | bool
#: Of single values, by the type of a field or an input.
PLAIN: Mapping[str, dict[str, Any]] = {
    "text": {"type": "string"},
    "integer": {"type": "integer"},
    "decimal": {"type": "number"},
    "boolean": {"type": "boolean"},
    "date": {"type": "string", "format": "date"},
    "datetime": {"type": "string", "format": "date-time"},
}


def types_of(schema: dict[str, Any]) -> list[str]:
    """The types that a resolved schema allows, without null; object or array where its keywords say so."""
    kinds = schema.get("type")
    found = [
        kind for kind in (kinds if isinstance(kinds, list) else [kinds]) if isinstance(kind, str) and kind != "null"
    ]
    if not found and ("properties" in schema or "additionalProperties" in schema):
        return ["object"]
    if not found and ("items" in schema or "prefixItems" in schema):
        return ["array"]
    return found


def fields_of(schema: Schema | None, schemas: Mapping[str, Schema], *, most: int = 4000) -> dict[str, str]:
    """The plain fields of a schema by their path, with type and format in words; circles end where they begin again."""
    out: dict[str, str] = {}
    steps = iter(range(most * 10))

    def walk(one: Any, path: str, seen: frozenset[str], depth: int) -> None:
        if not isinstance(one, dict) or len(out) >= most or depth > 30 or next(steps, None) is None:
            return
        if isinstance(reference := one.get("$ref"), str):
            name = reference.removeprefix("#/$defs/")
            if name not in seen:
                walk(schemas.get(name), path, seen | {name}, depth + 1)
            return
        for word in ("allOf", "anyOf", "oneOf"):
            for part in one.get(word) or []:
                walk(part, path, seen, depth + 1)
        kinds = types_of(one)
        for name, member in (one.get("properties") or {}).items():
            walk(member, f"{path}.{name}" if path else name, seen, depth + 1)
        if isinstance(one.get("items"), dict):
            walk(one["items"], f"{path}[*]", seen, depth + 1)
        if "enum" in one or (kinds and kinds not in (["object"], ["array"])):
            words = (" or ".join(kinds) or "one of a list") + (
                f", {one['format']}" if isinstance(one.get("format"), str) else ""
            )
            out[path or "$"] = words

    walk(schema, "", frozenset(), 0)
    return out
