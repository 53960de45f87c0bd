"""Inputs and bodies made from schemas: one input a plain value, named after its place, with what the definition says of
it."""

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from msgspec import UNSET

from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.definitions.json_schema import Schemas
from rondine.core.documents.json import kind_of
from rondine.core.operations.document import Body, Member
from rondine.core.operations.inputs import Bounds, Input, InputType, broken_bound, value_text
from rondine.core.operations.values import ValueOf
from rondine.core.schema.json_schema import Schema, types_of
from rondine.core.settings import dump

#: A body with more plain values than this is one input, as a whole or in its parts: nobody fills in a longer form.
MOST_MEMBERS = 60
#: Objects within objects that are taken apart; deeper ones are given as JSON.
MOST_LEVELS = 4
_LIKE_POSITION = re.compile(r"0|[1-9]\d*|-|")


@dataclass
class Inputs:
    """The inputs of one operation, gathered while its parts are read; a name is there once."""

    found: list[Input] = field(default_factory=list)

    def add(
        self,
        name: str,
        schema: dict[str, Any],
        *,
        required: bool,
        description: str = "",
        example: Any = UNSET,
        prefix: str = "",
        is_left_out: bool = False,
    ) -> str:
        """Adds an input for a value with this (resolved) schema; gives its name. is_left_out: where nothing is given,
        nothing is sent: a default is the service's own, and only shown."""
        taken = {input_.name for input_ in self.found}
        free = input_name(name)
        if free in taken and prefix:
            free = input_name(f"{prefix}_{name}")
        number, wanted = 2, free
        while free in taken:
            free, number = f"{wanted[:58]}_{number}", number + 1
        kind = input_type(schema)
        default = fitting(schema.get("default", UNSET), kind)
        if example is UNSET and isinstance(schema.get("examples"), list) and schema["examples"]:
            example = schema["examples"][0]
        try_value = fitting(example, kind)
        if is_left_out:
            try_value, default = (default if try_value is UNSET else try_value), UNSET
        allowed = [one for one in schema.get("enum") or [] if isinstance(one, (str, int)) and not isinstance(one, bool)]
        if kind == "json" or len(allowed) != len([one for one in schema.get("enum") or [] if one is not None]):
            allowed = []
        if try_value is UNSET and required and default is UNSET and len(allowed) == 1:
            default = allowed[0]
        words = description or (schema.get("description") if isinstance(schema.get("description"), str) else "") or ""
        self.found.append(
            Input(
                name=free,
                type=kind,
                required=required and default is UNSET,
                default=default,
                try_value=try_value,
                allowed=allowed,
                bounds=bounds_of(schema, kind),
                description=words[:2000],
            )
        )
        return free


def each_with_inputs(makers: Iterable[Callable[[Inputs], Body]], inputs: Inputs) -> list[tuple[Body, list[Input]]]:
    """Bodies of which one is sent, each with the inputs of its own; those of the first one are added to `inputs`, as if
    there were no other."""
    shared = list(inputs.found)
    out: list[tuple[Body, list[Input]]] = []
    for maker in makers:
        own = Inputs(list(shared)) if out else inputs
        body = maker(own)
        out.append((body, own.found[len(shared) :]))
    return out


def bounds_of(schema: dict[str, Any], kind: InputType) -> Bounds:
    """What a schema says of a plain value besides its type. A default or example that breaks it shows that it is not
    meant so: then it says nothing."""
    found: dict[str, Any] = {}
    if kind in ("integer", "decimal"):
        for name, word in (
            ("minimum", "minimum"),
            ("maximum", "maximum"),
            ("exclusive_minimum", "exclusiveMinimum"),
            ("exclusive_maximum", "exclusiveMaximum"),
        ):
            if isinstance(schema.get(word), int | float | Decimal) and not isinstance(schema.get(word), bool):
                found[name] = schema[word] if isinstance(schema[word], int) else float(schema[word])
    if kind == "text":
        for name, word in (("min_length", "minLength"), ("max_length", "maxLength")):
            if isinstance(schema.get(word), int) and not isinstance(schema[word], bool) and schema[word] >= 0:
                found[name] = schema[word]
        if isinstance(schema.get("pattern"), str):
            found["pattern"] = schema["pattern"][:1000]
    if kind != "json" and isinstance(schema.get("format"), str):
        found["format"] = schema["format"][:60]
    bounds = Bounds(**found)
    for word in ("default", "example"):
        value = fitting(schema.get(word, UNSET), kind)
        if value is not UNSET and broken_bound(bounds, CONVERSIONS[kind](value)):
            return Bounds(format=found.get("format", ""))
    return bounds


def schema_of_bounds(bounds: Bounds) -> dict[str, Any]:
    """Bounds in JSON Schema's words."""
    words = {
        "exclusive_minimum": "exclusiveMinimum",
        "exclusive_maximum": "exclusiveMaximum",
        "min_length": "minLength",
        "max_length": "maxLength",
    }
    return {words.get(name, name): value for name, value in dump(bounds).items()}


def input_name(text: str) -> str:
    """A name that an input may have, near the one in the definition."""
    plain = re.sub(r"[^A-Za-z0-9_]+", "_", text).strip("_") or "value"
    return (plain if plain[0].isalpha() else f"v_{plain}")[:63]


def input_type(schema: dict[str, Any]) -> InputType:
    """The type of input for a value of a resolved schema; json for lists, objects and alternatives."""
    kinds = types_of(schema)
    if not kinds:
        if any(word in schema for word in ("anyOf", "oneOf", "$circle", "not")):
            return "json"
        values = [one for one in schema.get("enum") or [] if one is not None]
        return "integer" if values and all(type(value) is int for value in values) else "text"
    if set(kinds) == {"integer", "number"}:
        return "decimal"
    if len(kinds) > 1:
        return "text" if set(kinds) <= {"string", "integer", "number", "boolean"} else "json"
    match kinds[0]:
        case "string":
            return {"date": "date", "date-time": "datetime"}.get(str(schema.get("format")), "text")  # type: ignore[return-value]
        case "integer":
            return "integer"
        case "number":
            return "decimal"
        case "boolean":
            return "boolean"
    return "json"


def fitting(value: Any, kind: InputType) -> Any:
    """A default or example if it is of the type, UNSET if it is not."""
    if value is UNSET or value is None:
        return UNSET
    try:
        CONVERSIONS[kind](value)
    except ConversionError:
        return UNSET
    return value if kind == "json" or kind_of(value) in ("string", "integer", "boolean") else value_text(value)


@dataclass
class BodyReader:
    """Takes the schema of a body apart into members, each the place of an input. is_sampled: the schema was inferred,
    and says of nothing that it is required."""

    schemas: Schemas
    inputs: Inputs
    is_sampled: bool = False
    members: list[Member] = field(default_factory=list)

    def read(self, schema: Schema, *, required: bool, example: Any = UNSET, description: str = "") -> list[Member]:
        found, seen = self.schemas.resolved(schema)
        if self._is_apart(found, seen) and self._count(found, seen, 0) <= MOST_MEMBERS:
            self._object(found, seen, "", within=None if required else "", example=example, level=0)
        else:
            name = self.inputs.add("body", found, required=required, description=description, example=example)
            self._as_json(name)
            self.members.append(Member(at="", value=ValueOf(input=name)))
        return self.members

    def _as_json(self, name: str) -> None:
        """A body that is one value is given as JSON, whatever its schema."""
        for number, input_ in enumerate(self.inputs.found):
            if input_.name == name and input_.type == "text":
                self.inputs.found[number] = Input(
                    name=name, type="json", required=input_.required, description=input_.description
                )

    def _is_apart(self, schema: dict[str, Any], seen: frozenset[str]) -> bool:
        properties = schema.get("properties")
        return (
            "$circle" not in schema
            and types_of(schema) == ["object"]
            and isinstance(properties, dict)
            and any(True for _ in self._written(properties))
            and not any(
                _LIKE_POSITION.fullmatch(str(name)) for name in properties
            )  # a place could not tell it from a list
            and not ("oneOf" in schema or "anyOf" in schema)
        )

    @staticmethod
    def _written(properties: dict[str, Any]) -> Iterable[tuple[str, Any]]:
        """The members that may be sent."""
        return (
            (name, one)
            for name, one in properties.items()
            if not (isinstance(one, dict) and one.get("readOnly") is True)
        )

    def _count(self, schema: dict[str, Any], seen: frozenset[str], level: int) -> int:
        total = 0
        for _, one in self._written(schema["properties"]):
            found, passed = self.schemas.resolved(one, seen)
            is_apart = level < MOST_LEVELS and self._is_apart(found, passed)
            total += self._count(found, passed, level + 1) if is_apart else 1
            if total > MOST_MEMBERS:
                break
        return total

    def _object(
        self, schema: dict[str, Any], seen: frozenset[str], at: str, *, within: str | None, example: Any, level: int
    ) -> None:
        """within: the place of the outermost object that may be left out and requires this one; None if this one is
        always there."""
        wanted = [] if self.is_sampled else schema.get("required", [])
        for name, one in self._written(schema["properties"]):
            found, passed = self.schemas.resolved(one, seen)
            here = f"{at}/{str(name).replace('~', '~0').replace('/', '~1')}"
            inner = example.get(name, UNSET) if isinstance(example, dict) else UNSET
            is_wanted = name in wanted
            if level < MOST_LEVELS and self._is_apart(found, passed):
                below = within if is_wanted else here
                self._object(found, passed, here, within=below, example=inner, level=level + 1)
            elif "const" in found and isinstance(found["const"], str):
                if is_wanted:
                    self.members.append(Member(at=here, value=found["const"], required_in=within))
            elif types_of(found) or found.get("type") != "null":
                label = here[1:].replace("/", "_")
                is_required = is_wanted and within is None
                given = self.inputs.add(
                    label, found, required=is_required, example=inner, prefix="body", is_left_out=within is not None
                )
                self.members.append(
                    Member(at=here, value=ValueOf(input=given), required_in=within if is_wanted else None)
                )
