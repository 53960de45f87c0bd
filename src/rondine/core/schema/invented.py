"""Values that are as a JSON Schema (2020-12) says, invented: the same ones for the same seed."""

import random
import re
import uuid
from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any

from rstr import Rstr

from rondine.core.documents.json import as_written
from rondine.core.errors import InputError
from rondine.core.schema.check import differences
from rondine.core.schema.json_schema import types_of

#: Schemas within each other; below that only what has to be there.
MOST_DEEP = 8
#: Values that are tried until one fits.
TRIES = 12
_ALTERNATIVES = ("anyOf", "oneOf", "allOf")
_FIRST = date(2026, 1, 1)


class NothingFits(InputError):
    """No value as the schema says could be found."""

    code = "nothing_fits"


def invented(schema: Any, schemas: Mapping[str, Any], seed: str, *, elements: int | None = None) -> Any:
    """A value that the schema takes. schemas: that it refers to as `#/$defs/...`.  elements: of a list that is the
    value itself. Raises NothingFits."""
    problem = ""
    for attempt in range(TRIES):
        inventor = Inventor(schemas, f"{seed} {attempt}")
        try:
            value = inventor.value(schema, elements=elements)
        except (NothingFits, RecursionError) as error:
            problem = error.message if isinstance(error, NothingFits) else "it refers to itself without an end"
            continue
        found = differences(value, schema, schemas)
        if not found:
            return value
        problem = f"{found[0].where}: {found[0].message}"
    raise NothingFits(f"no value could be found that the schema takes: {problem}", where="schema", hint="keep a sample")


class Inventor:
    def __init__(self, schemas: Mapping[str, Any], seed: str) -> None:
        self.schemas = schemas
        self.random = random.Random(seed)

    def value(self, schema: Any, name: str = "", depth: int = 0, *, elements: int | None = None) -> Any:
        """name: of the member that it becomes, for texts that tell something."""
        if elements is None and isinstance(schema, dict) and any(word in schema for word in _ALTERNATIVES):
            for _ in range(TRIES // 2):  # of alternatives not all fit together
                value = self._value(schema, name, depth, elements)
                if not differences(value, schema, self.schemas):
                    return value
        return self._value(schema, name, depth, elements)

    def _value(self, schema: Any, name: str, depth: int, elements: int | None) -> Any:
        schema = self.resolved(schema)
        if "const" in schema:
            return schema["const"]
        if isinstance(allowed := schema.get("enum"), list) and allowed:
            return self.random.choice(allowed)
        for word in ("examples", "example", "default"):
            given = schema.get(word)
            given = given if word == "examples" else [given] if word in schema else []
            if isinstance(given, list) and given and elements is None and self.random.random() < 0.9:
                example = self.random.choice(given)
                if not differences(example, schema, self.schemas):
                    return example
        if schema.get("type") in ("null", ["null"]):
            return None
        found = types_of(schema)
        if not found:
            return self._text(schema, name)
        return self._makers[self.random.choice(found)](self, schema, name, depth, elements)

    def resolved(self, schema: Any, seen: int = 0) -> dict[str, Any]:
        """With what it refers to, and one of its alternatives, merged into it."""
        if schema is False or seen > 40:
            raise NothingFits(
                "the schema takes nothing" if schema is False else "it refers to itself", where="", hint=""
            )
        if not isinstance(schema, dict):
            return {}
        out = {word: rule for word, rule in schema.items() if word not in ("$ref", "allOf", "anyOf", "oneOf")}
        parts: list[Any] = [*(schema.get("allOf") or [])]
        if isinstance(reference := schema.get("$ref"), str):
            parts.append(self.schemas.get(reference.removeprefix("#/$defs/"), {}))
        for word in ("anyOf", "oneOf"):
            if choices := [one for one in schema.get(word) or [] if one is not False]:
                parts.append(self.random.choice(choices))
        for part in parts:
            out = _merged(out, self.resolved(part, seen + 1))
        return out

    def _object(self, schema: dict[str, Any], name: str, depth: int, elements: int | None) -> dict[str, Any]:
        required = [one for one in schema.get("required") or [] if isinstance(one, str)]
        members: dict[str, Any] = dict(schema.get("properties") or {})
        out = {}
        for member in dict.fromkeys((*members, *required)):
            rule = members.get(member, {})
            is_needed = member in required
            if isinstance(rule, dict) and rule.get("writeOnly") and not is_needed:
                continue
            if not is_needed and (depth >= MOST_DEEP or self.random.random() < 0.1):
                continue
            try:
                out[member] = self.value(rule, member, depth + 1)
            except NothingFits:
                if is_needed:
                    raise
        further = schema.get("additionalProperties")
        least = int(schema.get("minProperties") or 0)
        if not members and isinstance(further, dict) and depth < MOST_DEEP:
            least = max(least, 2)
        for number in range(1, least + 1):
            if len(out) >= least:
                break
            out[f"key-{number}"] = self.value(further if isinstance(further, dict) else {}, name, depth + 1)
        return out

    def _array(self, schema: dict[str, Any], name: str, depth: int, elements: int | None) -> list[Any]:
        first = schema.get("prefixItems") if isinstance(schema.get("prefixItems"), list) else []
        least, most = int(schema.get("minItems") or 0), int(schema.get("maxItems", 1_000_000))
        wanted = elements if elements is not None else 2 if depth < MOST_DEEP else 0
        count = max(least, min(most, wanted))
        out: list[Any] = [self.value(one, name, depth + 1) for one in (first or [])[:count]]
        rest = schema.get("items", {})
        tries = 0
        while len(out) < count and rest is not False and tries < count * 20:
            tries += 1
            one = self.value(rest, name, depth + 1)
            if not schema.get("uniqueItems") or one not in out:
                out.append(one)
        return out

    def _integer(self, schema: dict[str, Any], name: str, depth: int, elements: int | None) -> int:
        least, most = self._bounds(schema, Decimal(1))
        step = as_written(schema.get("multipleOf") or 1)
        step = step if step == step.to_integral_value() else Decimal(1)
        first, last = -(-least // step), most // step
        if first > last:
            raise NothingFits(f"no whole number lies between {least} and {most}", where=name, hint="keep a sample")
        return int(step * self.random.randint(int(first), int(last)))

    def _number(self, schema: dict[str, Any], name: str, depth: int, elements: int | None) -> Decimal:
        least, most = self._bounds(schema, Decimal("0.01"))
        step = as_written(schema.get("multipleOf") or 0.01)
        first, last = -(-least // step), most // step
        if first > last:
            return (least + most) / 2
        return step * self.random.randint(int(first), int(last))

    def _bounds(self, schema: dict[str, Any], step: Decimal) -> tuple[Decimal, Decimal]:
        def of(word: str, offset: Decimal) -> Decimal | None:
            return None if not _is_number(schema.get(word)) else as_written(schema[word]) + offset

        lows = [one for one in (of("minimum", Decimal(0)), of("exclusiveMinimum", step)) if one is not None]
        highs = [one for one in (of("maximum", Decimal(0)), of("exclusiveMaximum", -step)) if one is not None]
        least = max(lows) if lows else min([Decimal(1), *highs])
        return least, min(highs) if highs else max(least + 999, Decimal(999))

    def _string(self, schema: dict[str, Any], name: str, depth: int, elements: int | None) -> str:
        return self._text(schema, name)

    def _text(self, schema: dict[str, Any], name: str) -> str:
        form = str(schema.get("format", ""))
        if isinstance(pattern := schema.get("pattern"), str):
            return _of_pattern(pattern, self.random)
        if form in _FORMS:
            return _FORMS[form](self.random)
        least, most = int(schema.get("minLength") or 0), schema.get("maxLength")
        text = f"{name.replace('_', ' ') or 'text'} {self.random.randint(1, 999)}"
        text = text.ljust(least, "x")
        return text[:most] if isinstance(most, int) else text

    def _boolean(self, schema: dict[str, Any], name: str, depth: int, elements: int | None) -> bool:
        return self.random.random() < 0.5

    _makers: Mapping[str, Callable[..., Any]] = {
        "object": _object,
        "array": _array,
        "integer": _integer,
        "number": _number,
        "string": _string,
        "boolean": _boolean,
    }


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float | Decimal) and not isinstance(value, bool)


_TIGHTER: Mapping[str, Callable[..., Any]] = {
    **dict.fromkeys(("minimum", "minLength", "minItems"), max),
    **dict.fromkeys(("maximum", "maxLength", "maxItems"), min),
}


def _merged(one: dict[str, Any], other: dict[str, Any]) -> dict[str, Any]:
    """Both schemas, as far as they can be put into one."""
    out = {**other, **one}
    if "properties" in one and "properties" in other:
        out["properties"] = {**other["properties"], **one["properties"]}
    if "required" in one and "required" in other:
        out["required"] = [*one["required"], *(name for name in other["required"] if name not in one["required"])]
    for word, choose in _TIGHTER.items():
        if _is_number(one.get(word)) and _is_number(other.get(word)):
            out[word] = choose(one[word], other[word])
    if isinstance(one.get("enum"), list) and isinstance(other.get("enum"), list):
        out["enum"] = [value for value in one["enum"] if value in other["enum"]]
    return out


def _date(made: random.Random) -> date:
    return _FIRST + timedelta(days=made.randrange(330))


def _moment(made: random.Random) -> str:
    moment = datetime.combine(_date(made), datetime.min.time(), UTC) + timedelta(minutes=made.randrange(1440))
    return moment.isoformat().replace("+00:00", "Z")


_FORMS: Mapping[str, Callable[[random.Random], str]] = {
    "date": lambda made: _date(made).isoformat(),
    "date-time": _moment,
    "time": lambda made: f"{made.randrange(24):02}:{made.randrange(60):02}:00Z",
    "duration": lambda made: f"PT{made.randint(1, 90)}M",
    "uuid": lambda made: str(uuid.UUID(int=made.getrandbits(128), version=4)),
    "email": lambda made: f"somebody.{made.randint(1, 999)}@olmara.example",
    "hostname": lambda made: f"host-{made.randint(1, 99)}.olmara.example",
    "ipv4": lambda made: f"192.0.2.{made.randint(1, 254)}",
    "ipv6": lambda made: f"2001:db8::{made.randint(1, 9999)}",
    "uri": lambda made: f"https://olmara.example/{made.randint(1, 999)}",
    "uri-reference": lambda made: f"/{made.randint(1, 999)}",
    "byte": lambda made: "T2xtYXJh",
    "decimal": lambda made: f"{made.randint(1, 999)}.{made.randint(0, 99):02}",
}


def _of_pattern(pattern: str, made: random.Random) -> str:
    """A text in which a pattern (ECMA 262, as Python reads it) is found. Raises NothingFits."""
    try:
        text: str = Rstr(made).xeger(pattern)
        if re.search(pattern, text) is not None:
            return text
    except (re.error, OverflowError, KeyError, ValueError, IndexError, RecursionError):
        pass
    raise NothingFits(f"no text could be found for the pattern {pattern[:60]}", where="pattern", hint="keep a sample")
