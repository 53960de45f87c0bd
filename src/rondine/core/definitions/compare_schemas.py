"""What has changed in schemas, by field: in time that grows with what has changed, not with what there is.

Which named schemas have changed, by themselves or in what they refer to, is found once for a whole definition. What has
not is never looked into, and each pair of names is compared once, wherever it is referred to.
"""

from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from rondine.core.definitions.model import references_in
from rondine.core.documents.json import json_text
from rondine.core.schema.json_schema import Schema, types_of

#: Differences of one pair of schemas; of more, the rest is counted.
MOST = 500
_DEPTH = 60
_LIMITS = (
    "minimum",
    "maximum",
    "exclusiveMinimum",
    "exclusiveMaximum",
    "multipleOf",
    "minLength",
    "maxLength",
    "pattern",
    "minItems",
    "maxItems",
)


@dataclass(frozen=True, slots=True)
class FieldDifference:
    """path: `trees[*].girth`, empty for the value itself.  before, now: its type and limits in words, None where it is
    not there."""

    path: str
    before: str | None
    now: str | None


@dataclass(slots=True)
class _Level:
    """What a schema says of one value, whatever it is put together from. names: of schemas that are in it."""

    words: str | None = None
    members: dict[str, list[Any]] = field(default_factory=lambda: defaultdict(list))
    items: list[Any] = field(default_factory=list)
    required: set[str] = field(default_factory=set)
    names: list[str] = field(default_factory=list)


class SchemaComparison:
    """old, new: the named schemas of both, which may refer to each other."""

    def __init__(self, old: Mapping[str, Schema], new: Mapping[str, Schema]) -> None:
        self.old, self.new = old, new
        self._known: dict[tuple[str, str], list[FieldDifference]] = {}
        self._open: set[tuple[str, str]] = set()
        self._circles: set[tuple[tuple[str, ...], tuple[str, ...]]] = set()

    @cached_property
    def affected(self) -> set[str]:
        """Names of schemas that have changed, or refer to one that has."""
        found = {name for name in self.old if self.old[name] != self.new.get(name)}
        found |= {name for name in self.new if name not in self.old}
        users: dict[str, set[str]] = defaultdict(set)
        for schemas in (self.old, self.new):
            for name, schema in schemas.items():
                for other in references_in(schema):
                    users[other].add(name)
        pending = list(found)
        while pending:
            for user in users[pending.pop()]:
                if user not in found:
                    found.add(user)
                    pending.append(user)
        return found

    def is_same(self, before: Any, now: Any) -> bool:
        """Whether two schemas say the same, with all that they refer to."""
        return bool(before == now) and not any(name in self.affected for name in references_in(before))

    def differences(self, before: Schema | None, now: Schema | None) -> list[FieldDifference]:
        """Of two schemas, from the outside in. Never empty if they are not the same."""
        if self.is_same(before, now):
            return []
        field_differences = list(dict.fromkeys(self._compared([before], [now], "", 0)))
        if len(field_differences) > MOST:
            field_differences = [
                *field_differences[:MOST],
                FieldDifference("", f"and {len(field_differences) - MOST:,} more fields", None),
            ]
        if not field_differences and before != now:
            field_differences = [FieldDifference("", "the description differs", "the description differs")]
        elif not field_differences:
            names = sorted({name for name in references_in(before) if name in self.affected})
            field_differences = [FieldDifference("", None, f"what {', '.join(names[:3])} refers to has changed")]
        return field_differences

    def _compared(self, before: list[Any], now: list[Any], path: str, depth: int) -> Iterator[FieldDifference]:
        if depth > _DEPTH or (len(before) == len(now) and all(map(self.is_same, before, now))):
            return
        (name, was_nullable), (new_name, is_nullable) = _only_name(before), _only_name(now)
        if name and new_name:
            if was_nullable != is_nullable:
                words = [f"an object{', or null' if one else ''}" for one in (was_nullable, is_nullable)]
                yield FieldDifference(path, *words)
            for difference in self._of_names((name, new_name), depth):
                yield FieldDifference(_joined(path, difference.path), difference.before, difference.now)
            return
        was, is_now = _level(before, self.old), _level(now, self.new)
        circle = (tuple(was.names), tuple(is_now.names))
        if circle in self._circles:
            return
        if any(circle):
            self._circles.add(circle)
        yield from self._of_levels(was, is_now, path, depth)
        self._circles.discard(circle)

    def _of_levels(self, was: _Level, is_now: _Level, path: str, depth: int) -> Iterator[FieldDifference]:
        if was.words != is_now.words:
            yield FieldDifference(path, was.words, is_now.words)
        for name in dict.fromkeys([*was.members, *is_now.members]):
            here = f"{path}.{name}" if path else name
            if name not in was.members or name not in is_now.members:
                yield self._whole(here, was.members.get(name), is_now.members.get(name))
                continue
            if (name in was.required) != (name in is_now.required):
                yield FieldDifference(
                    here, *("always there" if name in level.required else "not always there" for level in (was, is_now))
                )
            yield from self._compared(was.members[name], is_now.members[name], here, depth + 1)
        if was.items and is_now.items:
            yield from self._compared(was.items, is_now.items, f"{path}[*]", depth + 1)

    def _of_names(self, pair: tuple[str, str], depth: int) -> list[FieldDifference]:
        if pair in self._known:
            return self._known[pair]
        if pair in self._open:  # a circle: what differs is told where it began
            return []
        self._open.add(pair)
        before, now = ([schemas.get(name)] for schemas, name in zip((self.old, self.new), pair, strict=True))
        field_differences = list(dict.fromkeys(self._compared(before, now, "", depth + 1)))[: MOST * 2]
        self._open.discard(pair)
        self._known[pair] = field_differences
        return field_differences

    def _whole(self, path: str, before: list[Any] | None, now: list[Any] | None) -> FieldDifference:
        """A member that came or is gone, as one."""
        words = [
            None if one is None else _level(one, schemas).words or "an object"
            for one, schemas in ((before, self.old), (now, self.new))
        ]
        return FieldDifference(path, words[0], words[1])


#: Words beside a reference that say nothing of what it may hold.
_NOTES = frozenset(
    {
        "description",
        "title",
        "deprecated",
        "xml",
        "x-navigation",
        "x-type",
        "example",
        "examples",
        "readOnly",
        "writeOnly",
    }
)


def _only_name(schemas: list[Any]) -> tuple[str, bool]:
    """(the name, whether it may be null) if this is a reference and nothing else; an empty name for all others."""
    if len(schemas) != 1 or not isinstance(schemas[0], dict):
        return "", False
    words = set(schemas[0]) - _NOTES
    if words == {"$ref"}:
        return str(schemas[0]["$ref"]).removeprefix("#/$defs/"), False
    if words in ({"anyOf"}, {"oneOf"}):
        parts = schemas[0][next(iter(words))]
        others = [part for part in parts if part != {"type": "null"}] if isinstance(parts, list) else []
        if len(others) == 1 and (found := _only_name(others)[0]):
            return found, len(others) < len(parts)
    return "", False


def _level(schemas: list[Any], named: Mapping[str, Schema]) -> _Level:
    """What these schemas together say of a value: references followed, parts and alternatives put side by side."""
    out = _Level()
    words: list[str] = []
    seen: set[str] = set()
    pending = list(reversed(schemas))
    while pending:
        one = pending.pop()
        if not isinstance(one, dict):
            continue
        if isinstance(reference := one.get("$ref"), str):
            name = reference.removeprefix("#/$defs/")
            if name not in seen:
                seen.add(name)
                out.names.append(name)
                pending.append(named.get(name))
        for word in ("allOf", "anyOf", "oneOf"):
            parts = one.get(word)
            pending += reversed(parts) if isinstance(parts, list) else []
        properties = one.get("properties")
        for name, member in properties.items() if isinstance(properties, dict) else ():
            out.members[name].append(member)
        if isinstance(one.get("items"), dict):
            out.items.append(one["items"])
        if isinstance(one.get("additionalProperties"), dict):
            out.members["*"].append(one["additionalProperties"])
        if isinstance(required := one.get("required"), list):
            out.required |= {name for name in required if isinstance(name, str)}
        if told := _words(one):
            words.append(told)
    out.words = " or ".join(dict.fromkeys(words)) or None
    return out


def _words(schema: dict[str, Any]) -> str:
    """Type, format and limits of a plain value; of a list that it is one; nothing of an object, whose members say it
    all."""
    kinds = types_of(schema)
    plain = [kind for kind in kinds if kind != "object"]
    if "enum" not in schema and "const" not in schema and not plain:
        return ""
    is_nullable = "null" in kinds or "null" in (schema.get("type") or ())
    words = [" or ".join(kind for kind in plain if kind != "null")]
    if isinstance(schema.get("format"), str):
        words.append(schema["format"])
    for name in ("enum", "const"):
        if name in schema:
            values = (
                [one for one in schema[name] if one is not None] if isinstance(schema[name], list) else [schema[name]]
            )
            words.append(
                "one of " + ", ".join(value if isinstance(value, str) else json_text(value) for value in values)
            )
    words += [f"{name} {schema[name]}" for name in _LIMITS if name in schema]
    return ", ".join(filter(None, words)) + (", or null" if is_nullable else "")


def _joined(path: str, inner: str) -> str:
    return path + inner if not inner or inner.startswith("[") or not path else f"{path}.{inner}"
