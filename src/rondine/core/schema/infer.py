"""What samples have in common: for each part how often it is there, null, whole or fractional, and examples of it.

A `Shape` gathers observations; it never forgets one, so more samples refine it in any order. Whole numbers widen to numbers when a
fractional one is met; null and missing are counted apart.
"""

import re
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from urllib.parse import urlsplit

from rondine.core.documents.json import json_text, kind_of

EXAMPLES = 3
_DATE = re.compile(r"\d{4}-\d{2}-\d{2}")
_DATETIME = re.compile(r"\d{4}-\d{2}-\d{2}[Tt ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?([Zz]|[+-]\d{2}:\d{2})")
_NUMERAL = re.compile(r"-?(0|[1-9]\d{0,17})(\.\d+)?")


@dataclass(slots=True)
class Shape:
    """seen: how often the part was there, null included.  kinds: how often with each of JSON Schema's types, without null.
    fractional: numbers that were not whole.  lengths: shortest and longest list.  formats: what every text so far could be."""

    seen: int = 0
    nulls: int = 0
    kinds: Counter[str] = field(default_factory=Counter)
    fractional: int = 0
    examples: list[str] = field(default_factory=list)
    formats: set[str] | None = None
    lengths: tuple[int, int] | None = None
    longest: int = 0
    members: dict[str, "Shape"] = field(default_factory=dict)
    element: "Shape | None" = None
    distinct: set[str] | None = field(default_factory=set)

    def add(self, value: Any) -> None:
        self.seen += 1
        if value is None:
            self.nulls += 1
            return
        kind = kind_of(value)
        self.kinds[kind] += 1
        if kind == "object":
            for name, member in value.items():
                self.members.setdefault(name, Shape()).add(member)
        elif kind == "array":
            low, high = self.lengths or (len(value), len(value))
            self.lengths = (min(low, len(value)), max(high, len(value)))
            self.element = self.element or Shape()
            for one in value:
                self.element.add(one)
        else:
            self._add_scalar(kind, value)

    def _add_scalar(self, kind: str, value: Any) -> None:
        text = json_text(value)
        if len(self.examples) < EXAMPLES and text[:200] not in self.examples:
            self.examples.append(text[:200])
        if self.distinct is not None:
            if text in self.distinct or len(self.distinct) >= 20_000:
                self.distinct = None  # a value that repeats is no key
            else:
                self.distinct.add(text)
        if kind == "number" and isinstance(value, Decimal) and value != value.to_integral_value():
            self.fractional += 1
        if kind == "string":
            self.longest = max(self.longest, len(value))
            found = text_formats(value)
            self.formats = found if self.formats is None else self.formats & found

    @property
    def types(self) -> list[str]:
        """JSON Schema's types: integer gives way to number when both were seen; null last."""
        found = [kind for kind in ("object", "array", "string", "integer", "number", "boolean") if self.kinds[kind]]
        if "number" in found and "integer" in found:
            found.remove("integer")
        return found + (["null"] if self.nulls or not found else [])

    @property
    def format(self) -> str | None:
        """The format all texts had, the most special one."""
        return next(
            (name for name in ("date", "date-time", "uri", "numeral") if self.formats and name in self.formats), None
        )

    def is_unique(self) -> bool:
        """Whether every value seen was a scalar, not null, and different from all others."""
        scalars = self.kinds["string"] + self.kinds["integer"]
        return (
            self.distinct is not None and self.nulls == 0 and scalars == self.seen and len(self.distinct) == self.seen
        )


def infer(samples: Iterable[Any]) -> Shape:
    """The shape of one or more documents (values as `read_json` gives them)."""
    shape = Shape()
    for sample in samples:
        shape.add(sample)
    return shape


def text_formats(text: str) -> set[str]:
    """Which of date, date-time, uri (RFC 3339, RFC 3986) and numeral a text could be; empty text fits none."""
    if len(text) > 2000:
        return set()
    found = set()
    try:
        if _DATE.fullmatch(text):
            date.fromisoformat(text)
            found.add("date")
        elif _DATETIME.fullmatch(text):
            datetime.fromisoformat(text)
            found.add("date-time")
        elif _NUMERAL.fullmatch(text):
            found.add("numeral")
        elif "://" in text and " " not in text and urlsplit(text).netloc:
            found.add("uri")
    except ValueError:
        pass
    return found


def to_json_schema(shape: Shape, *, top: bool = True) -> dict[str, Any]:
    """JSON Schema 2020-12. Members seen in every object are required; examples are given where they are short."""
    schema: dict[str, Any] = {"$schema": "https://json-schema.org/draft/2020-12/schema"} if top else {}
    types = shape.types
    schema["type"] = types[0] if len(types) == 1 else types
    if shape.kinds["object"]:
        schema["properties"] = {name: to_json_schema(member, top=False) for name, member in shape.members.items()}
        schema["required"] = [name for name, member in shape.members.items() if member.seen == shape.kinds["object"]]
    if shape.element is not None and shape.element.seen:
        schema["items"] = to_json_schema(shape.element, top=False)
    if shape.format and shape.format != "numeral" and types[0] == "string":
        schema["format"] = shape.format
    return schema
