"""Schemas as definitions write them, made into JSON Schema 2020-12: OpenAPI 2.0 and 3.0 have dialects of their own.

Each schema that is referred to gets a name under `$defs` and is translated once, whatever circles they make.
"""

import re
from collections.abc import Callable
from typing import Any

from rondine.core.definitions.files import Broken, Files, Place
from rondine.core.names import free_name
from rondine.core.schema.json_schema import Schema

_MAPS = ("properties", "patternProperties", "dependentSchemas")
_LISTS = ("allOf", "anyOf", "oneOf", "prefixItems")
_SINGLE = (
    "additionalProperties", "unevaluatedProperties", "unevaluatedItems", "contains", "propertyNames", "not", "if",
    "then", "else",
)  # fmt: skip
_PLAIN = (
    "title", "description", "format", "pattern", "minLength", "maxLength", "minimum", "maximum", "multipleOf",
    "minItems", "maxItems",
    "uniqueItems", "minProperties", "maxProperties", "minContains", "maxContains", "readOnly", "writeOnly",
    "deprecated", "default",
    "const", "discriminator", "xml", "contentEncoding", "contentMediaType", "$comment", "dependentRequired",
    "x-enum-descriptions",
)  # fmt: skip
_TYPES = frozenset({"object", "array", "string", "integer", "number", "boolean", "null"})
#: Inline schemas within each other; deeper ones are nothing that a person wrote.
MOST_DEPTH = 100

Warn = Callable[[Place, str, str], None]


class Schemas:
    """The schemas of one definition, by name. dialect: "2.0", "3.0" or "3.1"."""

    def __init__(self, files: Files, dialect: str, warn: Warn) -> None:
        self.files, self.dialect, self.warn = files, dialect, warn
        self.defs: dict[str, Schema] = {}
        self.names: dict[Place, str] = {}
        self._pending: list[tuple[str, Any, Place]] = []

    def name_of(self, place: Place, value: Any) -> str:
        """The name under `$defs` of the schema at a place; it is translated later."""
        if place not in self.names:
            last = str(place.location[-1]) if place.location else file_stem(place.file)
            name = free_name(re.sub(r"[^A-Za-z0-9_.-]", "_", last) or "schema", self.defs, separator="_")
            self.names[place] = name
            self.defs[name] = True
            self._pending.append((name, value, place))
        return self.names[place]

    def finish(self) -> None:
        """Translates what was referred to, and what that refers to."""
        while self._pending:
            name, value, place = self._pending.pop()
            self.defs[name] = self.translated(value, place)

    def translated(self, value: Any, place: Place, depth: int = 0) -> Schema:
        """The schema in JSON Schema 2020-12. What is wrong with it is warned of and taken as "anything"."""
        if isinstance(value, bool):
            return value
        if not isinstance(value, dict):
            self.warn(place, "a schema is an object", "it is taken as: anything")
            return True
        if depth > MOST_DEPTH:
            self.warn(place, f"schemas are nested more than {MOST_DEPTH} deep here", "it is taken as: anything")
            return True
        out: dict[str, Any] = {}
        if "$ref" in value and (found := self._reference(value, place)) is not None:
            out["$ref"] = found
            if self.dialect != "3.1":
                return out
        elif "$ref" in value and self.dialect != "3.1":
            return True
        self._types(value, place, out)
        for word in _PLAIN:
            if word in value:
                out[word] = value[word]
        for word in _MAPS:
            if isinstance(members := value.get(word), dict):
                out[word] = {
                    str(name): self.translated(one, place / word / name, depth + 1) for name, one in members.items()
                }
        for word in _LISTS:
            if isinstance(members := value.get(word), list) and members:
                out[word] = [self.translated(one, place / word / n, depth + 1) for n, one in enumerate(members)]
        for word in _SINGLE:
            if isinstance(value.get(word), (dict, bool)):
                out[word] = self.translated(value[word], place / word, depth + 1)
        self._items(value, place, out, depth)
        self._required(value, place, out)
        self._bounds(value, out)
        examples = value.get("examples") if isinstance(value.get("examples"), list) else None
        if "example" in value or "x-example" in value:
            examples = [value.get("example", value.get("x-example"))]
        if examples:
            out["examples"] = examples[:3]
        return self._nullable(value, out)

    def _reference(self, value: dict[str, Any], place: Place) -> str | None:
        try:
            if not isinstance(value["$ref"], str):
                raise Broken(place, "$ref is not a text", "")
            target = self.files.target(value["$ref"], place)
            return f"#/$defs/{self.name_of(target, self.files.at(target, place))}"
        except Broken as error:
            self.warn(error.place, error.message, error.hint)
            return None

    def _types(self, value: dict[str, Any], place: Place, out: dict[str, Any]) -> None:
        kind = value.get("type")
        if kind == "file":
            out |= {"type": "string", "contentEncoding": "binary"}
        elif kind is not None:
            kinds = kind if isinstance(kind, list) else [kind]
            known = [one for one in kinds if isinstance(one, str) and one in _TYPES]
            if len(known) < len(kinds):
                self.warn(
                    place / "type", f'"{str(kind)[:60]}" is not a type of JSON Schema', "it is taken as: anything"
                )
            if known:
                out["type"] = known[0] if len(known) == 1 else known
        if isinstance(value.get("enum"), list):
            out["enum"] = value["enum"]

    def _items(self, value: dict[str, Any], place: Place, out: dict[str, Any], depth: int) -> None:
        items = value.get("items")
        if isinstance(items, list):  # JSON Schema before 2020-12: one schema a position
            out["prefixItems"] = [self.translated(one, place / "items" / n, depth + 1) for n, one in enumerate(items)]
        elif items is not None:
            out["items"] = self.translated(items, place / "items", depth + 1)

    def _required(self, value: dict[str, Any], place: Place, out: dict[str, Any]) -> None:
        required = value.get("required")
        if isinstance(required, list) and all(isinstance(one, str) for one in required):
            out["required"] = required
        elif required is not None and not isinstance(required, bool):
            self.warn(place / "required", "required is a list of names", "it is passed over")

    def _bounds(self, value: dict[str, Any], out: dict[str, Any]) -> None:
        for word, plain in (("exclusiveMinimum", "minimum"), ("exclusiveMaximum", "maximum")):
            bound = value.get(word)
            if bound is True and plain in out:
                out[word] = out.pop(plain)
            elif bound is not None and not isinstance(bound, bool):
                out[word] = bound

    def _nullable(self, value: dict[str, Any], out: dict[str, Any]) -> Schema:
        if value.get("nullable") is not True and value.get("x-nullable") is not True:
            return out
        if isinstance(out.get("enum"), list) and None not in out["enum"]:
            out["enum"] = [*out["enum"], None]
        if isinstance(out.get("type"), str):
            out["type"] = [out["type"], "null"]
            return out
        return {"anyOf": [out, {"type": "null"}]} if out else out

    # --- looking at what was translated

    def resolved(self, schema: Schema, seen: frozenset[str] = frozenset()) -> tuple[dict[str, Any], frozenset[str]]:
        """(the schema with references followed and allOf merged, one level deep; the names passed on the way).

        A reference to a name in `seen` gives {"$circle": name}.
        """
        if isinstance(schema, bool):
            return {}, seen
        out = dict(schema)
        if isinstance(reference := out.pop("$ref", None), str):
            name = reference.removeprefix("#/$defs/")
            if name in seen:
                return {"$circle": name}, seen
            self.finish()
            seen = seen | {name}
            base, seen = self.resolved(self.defs.get(name, True), seen)
            out = {**base, **out}
        if isinstance(parts := out.pop("allOf", None), list):
            for part in parts:
                found, seen = self.resolved(part, seen)
                if "$circle" not in found:  # it is merged already, by another way
                    out = _merged(found, out)
        if len(alternatives := _not_null(out)) == 1:
            found, seen = self.resolved(alternatives[0], seen)
            for word in ("anyOf", "oneOf"):
                out.pop(word, None)
            out = _merged(found, out)
        return out, seen


def file_stem(name: str) -> str:
    """A file's name without folders and endings: "schemas/tree.schema.json" gives "tree"."""
    return re.sub(r"(\.schema)?\.(json|ya?ml|xsd|xml|ndjson|txt)$", "", name.rpartition("/")[2])


def _merged(one: dict[str, Any], other: dict[str, Any]) -> dict[str, Any]:
    """Two schemas that hold at the same time, their members together."""
    out = {**one, **other}
    if "properties" in one or "properties" in other:
        out["properties"] = {**one.get("properties", {}), **other.get("properties", {})}
    if "required" in one or "required" in other:
        out["required"] = list(dict.fromkeys([*one.get("required", []), *other.get("required", [])]))
    return out


def _not_null(schema: dict[str, Any]) -> list[Schema]:
    """The alternatives of a schema but null, if it has null among two, as nullable schemas are written; otherwise
    none."""
    for word in ("anyOf", "oneOf"):
        parts = schema.get(word)
        if isinstance(parts, list) and len(parts) in (1, 2):
            others = [part for part in parts if part != {"type": "null"}]
            if len(others) == 1:
                return others
    return []
