"""Whether a value is as its schema says: what differs, each with its place in the value."""

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from decimal import Context, Decimal, InvalidOperation
from itertools import islice
from typing import Any

from jsonschema import Draft202012Validator
from jsonschema.exceptions import UnknownType, ValidationError
from jsonschema.validators import extend
from referencing.exceptions import Unresolvable

from rondine.core.documents.elements import TEXT, text_of
from rondine.core.documents.json import as_written
from rondine.core.errors import Problem, short
from rondine.core.paths import normalized_path
from rondine.core.schema.json_schema import types_of

#: Differences that are told; a response that is another one altogether has thousands.
MOST_TOLD = 50
#: What is told of a part that is not there.
MISSING = "is missing"
#: Elements within each other that are put into the form of a schema.
MOST_DEEP = 100
_CONTEXT = Context(prec=1000)
#: Rules on how much or how many, as what they say of a value that breaks them; {} is the rule's own number.
_MEASURES = {
    "minimum": "is less than {}",
    "maximum": "is more than {}",
    "exclusiveMinimum": "is not more than {}",
    "exclusiveMaximum": "is not less than {}",
    "multipleOf": "is not a multiple of {}",
    "minLength": "is shorter than {} characters",
    "maxLength": "is longer than {} characters",
    "minItems": "has fewer than {} elements",
    "maxItems": "has more than {} elements",
    "uniqueItems": "holds an element twice",
}
_NUMBER = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)", re.ASCII)
_WHOLE = re.compile(r"[+-]?\d{1,1000}", re.ASCII)


def _nothing(*_: Any) -> Iterator[ValidationError]:
    """Rules that are not looked at: patterns come from outside and may take for ever, and what else a response holds is
    no fault."""
    return iter(())


def _measure(breaks: Callable[[Decimal, Decimal], Any]) -> Callable[..., Iterator[ValidationError]]:
    """A rule on numbers, compared as they are written: those of a response are decimals, of a stored schema floats, and
    0.1 is not a float."""

    def rule(validator: Any, limit: Any, value: Any, schema: Any) -> Iterator[ValidationError]:
        if validator.is_type(value, "number") and validator.is_type(limit, "number"):
            try:
                if breaks(as_written(value), as_written(limit)):
                    yield ValidationError("breaks the rule")
            except InvalidOperation:  # a number of more digits than anybody can tell it of, or a multiple of 0
                pass

    return rule


def _one_of(validator: Any, values: Any, value: Any, schema: Any) -> Iterator[ValidationError]:
    """enum; a const is one of one."""
    if isinstance(value, Decimal) and any(
        validator.is_type(one, "number") and as_written(one) == value for one in values
    ):
        return
    yield from Draft202012Validator.VALIDATORS["enum"](validator, values, value, schema)


def _required(validator: Any, names: Any, value: Any, schema: Any) -> Iterator[ValidationError]:
    """One error a member that is missing; its message is the member's name."""
    if validator.is_type(value, "object"):
        yield from (ValidationError(name) for name in names if name not in value)


def _is_whole(checker: Any, value: Any) -> bool:
    """Whether it is an integer: 2.0 is one (JSON Schema 2020-12 Validation, section 6.1.1)."""
    if isinstance(value, Decimal):
        return value.is_finite() and value == value.to_integral_value()
    return isinstance(value, int) and not isinstance(value, bool)


_Validator = extend(
    Draft202012Validator,
    {
        "minimum": _measure(lambda value, limit: value < limit),
        "maximum": _measure(lambda value, limit: value > limit),
        "exclusiveMinimum": _measure(lambda value, limit: value <= limit),
        "exclusiveMaximum": _measure(lambda value, limit: value >= limit),
        "multipleOf": _measure(_CONTEXT.remainder),
        "enum": _one_of,
        "required": _required,
        "const": lambda validator, wanted, value, schema: _one_of(validator, [wanted], value, schema),
        "pattern": _nothing,
        "patternProperties": _nothing,
        "additionalProperties": _nothing,
        "unevaluatedProperties": _nothing,
    },
    type_checker=Draft202012Validator.TYPE_CHECKER.redefine("integer", _is_whole),
)


@dataclass(frozen=True, slots=True)
class SchemaDifference:
    """One part of a value that is not as its schema says. place: from the outside in.  words: what is wrong, without
    the value, which is `value`, shortened; empty for a part that is missing, whose name ends the place."""

    place: tuple[str | int, ...]
    words: str
    value: str = ""
    hint: str = ""

    @property
    def problem(self) -> Problem:
        """With a normalized path (RFC 9535) in `where`; of what is missing, that of the object around."""
        if self.words == MISSING:
            return Problem(normalized_path(self.place[:-1]), f'"{self.place[-1]}" is missing', self.hint)
        return Problem(normalized_path(self.place), f"{self.value} {self.words}".lstrip(), self.hint)


def differences(value: Any, schema: Any, schemas: Mapping[str, Any]) -> list[Problem]:
    """schema: JSON Schema 2020-12; it may refer to `#/$defs/...`, which are `schemas`. The first ones are told."""
    return [one.problem for one in islice(schema_differences(value, schema, schemas), MOST_TOLD)]


def schema_differences(value: Any, schema: Any, schemas: Mapping[str, Any]) -> Iterator[SchemaDifference]:
    """All of them, as they are found; see `differences`."""
    if not isinstance(schema, dict):
        yield from [] if schema is not False else [SchemaDifference((), "nothing is expected here")]
        return
    whole = {**schema, "$defs": dict(schemas)}
    try:
        for error in _Validator(whole).iter_errors(value):
            yield _told(error)
    except (Unresolvable, UnknownType, RecursionError, TypeError, ValueError, KeyError, AttributeError) as error:
        words = f"the schema cannot be used here: {short(str(error)[:200])}"
        yield SchemaDifference((), words, hint="correct the definition")


def as_described(value: Any, schema: Any, schemas: Mapping[str, Any]) -> Any:
    """A value read from XML in the form that a schema describes: members by their local names, lists where it has
    lists, numbers and booleans as such (OpenAPI 3.1, "XML Object"). The whole document is its root element, of a SOAP
    envelope what is in its body.
    """
    root = next(iter(value.values())) if isinstance(value, dict) and len(value) == 1 else value
    envelope = next(iter(value), "") if isinstance(value, dict) else ""
    if envelope.rpartition(":")[2] == "Envelope" and isinstance(root, dict):
        body: Any = next((one for name, one in root.items() if name.rpartition(":")[2] == "Body"), {})
        root = (
            next((one for name, one in body.items() if not name.startswith("@")), {}) if isinstance(body, dict) else {}
        )
    return _described(root, schema, schemas, 0)


def _described(value: Any, schema: Any, schemas: Mapping[str, Any], depth: int) -> Any:
    for _ in range(20):
        if isinstance(schema, dict) and str(schema.get("$ref", "")).startswith("#/$defs/"):
            schema = schemas.get(schema["$ref"].removeprefix("#/$defs/"), True)
    if isinstance(schema, dict) and "anyOf" in schema and not types_of(schema):
        others = [one for one in schema["anyOf"] if one != {"type": "null"}]
        return None if value is None else _described(value, others[0] if others else True, schemas, depth + 1)
    if not isinstance(schema, dict) or depth > MOST_DEEP:
        return value
    kinds = types_of(schema)
    if "array" in kinds:
        items = schema.get("items", True)
        return [_described(one, items, schemas, depth + 1) for one in (value if isinstance(value, list) else [value])]
    if isinstance(value, list):
        return [_described(one, schema, schemas, depth + 1) for one in value]
    if "object" in kinds:
        return _members(value, schema, schemas, depth)
    text = text_of(value)
    if not isinstance(text, str):
        return text
    plain = text.strip()
    if "boolean" in kinds and plain in ("true", "false", "1", "0"):
        return plain in ("true", "1")
    if ("integer" in kinds or "number" in kinds) and _NUMBER.fullmatch(plain):
        return int(plain) if _WHOLE.fullmatch(plain) else Decimal(plain)
    return text


def _members(value: Any, schema: dict[str, Any], schemas: Mapping[str, Any], depth: int) -> Any:
    properties: dict[str, Any] = found if isinstance(found := schema.get("properties"), dict) else {}
    if not isinstance(value, dict):
        texts = [name for name, one in properties.items() if (one.get("xml") or {}).get("nodeType") == "text"]
        value = {TEXT: value} if texts else {} if value == "" else value
        if not isinstance(value, dict):
            return value
    called = {_name_in_xml(name, one): (name, one) for name, one in properties.items() if isinstance(one, dict)}
    out: dict[str, Any] = {}
    for step, held in value.items():
        if step.startswith("@xsi:"):
            continue  # these every element may have (XSD 1.1 Part 1, section 3.2.7)
        plain = (
            step if step == TEXT else ("@" if step.startswith("@") else "") + step.removeprefix("@").rpartition(":")[2]
        )
        name, inner = called.get(plain) or called.get(plain.removeprefix("@")) or (plain.removeprefix("@"), True)
        if _is_wrapped(inner):
            held = next((one for key, one in held.items() if key[0] != "@"), []) if isinstance(held, dict) else []
        out[name] = _described(held, inner, schemas, depth + 1)
    return out


def _is_wrapped(schema: Any) -> bool:
    return isinstance(schema, dict) and bool((schema.get("xml") or {}).get("wrapped"))


def _name_in_xml(name: str, schema: dict[str, Any]) -> str:
    """What a member is called in XML, an attribute with @, by its xml object; of a list by that of its items."""
    items = schema.get("items")
    about = schema.get("xml") or (items.get("xml") if isinstance(items, dict) else None) or {}
    if about.get("nodeType") == "text":
        return TEXT
    is_attribute = about.get("attribute") is True or about.get("nodeType") == "attribute"
    return f"{'@' if is_attribute else ''}{about.get('name') or name}"


def _told(error: ValidationError) -> SchemaDifference:
    place = tuple(error.absolute_path)
    kinds, value = error.validator_value, short(_plain(error.instance))
    match error.validator:
        case "type":
            wanted = " or ".join(kinds) if isinstance(kinds, list) else str(kinds)
            hint = "correct the definition, or its schema here"
            return SchemaDifference(place, f"is not of the type {wanted}", value, hint)
        case "required":
            return SchemaDifference((*place, error.message), MISSING, hint="it is described as always there")
        case "enum" | "const":
            return SchemaDifference(place, "is none of the values described", value)
        case "anyOf" | "oneOf":
            return SchemaDifference(place, "is none of the alternatives described", value)
        case str(rule) if rule in _MEASURES:
            return SchemaDifference(place, _MEASURES[rule].format(error.validator_value), value)
    return SchemaDifference(place, error.message[:200])


def _plain(value: Any) -> Any:
    return (
        value
        if isinstance(value, str)
        else f"{value!s}"[:80]
        if not isinstance(value, (dict, list))
        else "a list"
        if isinstance(value, list)
        else "an object"
    )
