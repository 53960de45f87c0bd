"""What was seen of one part of a document, over any number of samples."""

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from decimal import Decimal
from itertools import islice
from typing import Any

from rondine.core.documents.json import json_text, kind_of
from rondine.core.schema.alternatives import Variants
from rondine.core.schema.formats import FORMATS, date_patterns, decided, text_formats

Number = int | Decimal | float
EXAMPLES = 3
#: Values up to which it is known that all were different.
MOST_DISTINCT = 20_000


@dataclass(slots=True)
class Shape:
    """seen: how often the part was there, null included.  kinds: how often with each of JSON Schema's types, without
    null. fractional, fractional_texts: numbers, and texts of them, that were not whole.  lengths: shortest and longest
    list.  formats: what every text so far could be.  dates: how often a text was a date of which patterns (UTS #35).
    least, most: of numbers, and of texts that are numerals.  variants: which members its objects had together.

    keys: of an object whose keys are data, the keys; `values` is then what stands under them, and members is empty (see
    `data_keys`)."""

    seen: int = 0
    nulls: int = 0
    kinds: Counter[str] = field(default_factory=Counter)
    fractional: int = 0
    fractional_texts: int = 0
    examples: list[str] = field(default_factory=list)
    formats: frozenset[str] | None = None
    lengths: tuple[int, int] | None = None
    longest: int = 0
    dates: Counter[tuple[str, ...]] = field(default_factory=Counter)
    least: Number | None = None
    most: Number | None = None
    members: dict[str, "Shape"] = field(default_factory=dict)
    element: "Shape | None" = None
    distinct: set[Any] | None = field(default_factory=set)
    variants: Variants = field(default_factory=Variants)
    keys: list[str] = field(default_factory=list)
    values: "Shape | None" = None

    def add(self, value: Any) -> None:
        self.seen += 1
        if value is None:
            self.nulls += 1
            return
        kind = kind_of(value)
        self.kinds[kind] += 1
        if kind == "object":
            self.variants.add(value)
            for name, member in value.items():
                shape = self.members.get(name)
                if shape is None:
                    shape = self.members[name] = Shape()
                shape.add(member)
        elif kind == "array":
            low, high = self.lengths or (len(value), len(value))
            self.lengths = (min(low, len(value)), max(high, len(value)))
            self.element = self.element or Shape()
            for one in value:
                self.element.add(one)
        else:
            self._add_scalar(kind, value)

    def _add_scalar(self, kind: str, value: Any) -> None:
        if len(self.examples) < EXAMPLES and (text := json_text(value)[:200]) not in self.examples:
            self.examples.append(text)
        if self.distinct is not None:
            if value in self.distinct or len(self.distinct) >= MOST_DISTINCT:
                self.distinct = None  # a value that repeats is not a key
            else:
                self.distinct.add(value)
        if kind == "string":
            if len(value) > self.longest:
                self.longest = len(value)
            if self.formats is None or self.formats:
                self._add_text(value)
        elif kind != "boolean":
            self._widen(value, value)
            self.fractional += kind == "number" and value != int(value)

    def _add_text(self, value: str) -> None:
        """What the text could be; not looked at any more once two had nothing in common."""
        found = text_formats(value)
        self.formats = found if self.formats is None else self.formats & found
        self.fractional_texts += "comma" in found or ("numeral" in found and "whole" not in found)
        if "dated" in found:
            self.dates[date_patterns(value)] += 1
        if "numeral" in found:
            number = Decimal(value)
            self._widen(number, number)

    def _widen(self, least: Number, most: Number) -> None:
        if self.least is None or least < self.least:
            self.least = least
        if self.most is None or most > self.most:
            self.most = most

    def absorb(self, other: "Shape") -> None:
        """Takes in what another shape has seen, as if its samples had been added to this one; examples keep their
        order."""
        self.seen += other.seen
        self.nulls += other.nulls
        self.kinds += other.kinds
        self.fractional += other.fractional
        self.fractional_texts += other.fractional_texts
        self.examples = list(islice(dict.fromkeys([*self.examples, *other.examples]), EXAMPLES))
        if other.formats is not None:
            self.formats = other.formats if self.formats is None else self.formats & other.formats
        if other.lengths is not None:
            low, high = self.lengths or other.lengths
            self.lengths = (min(low, other.lengths[0]), max(high, other.lengths[1]))
        self.longest = max(self.longest, other.longest)
        self.dates += other.dates
        if other.least is not None and other.most is not None:
            self._widen(other.least, other.most)
        for name, member in other.members.items():
            self.members.setdefault(name, Shape()).absorb(member)
        if other.element is not None:
            self.element = self.element or Shape()
            self.element.absorb(other.element)
        if (
            self.distinct is None
            or other.distinct is None
            or self.distinct & other.distinct
            or len(self.distinct) + len(other.distinct) > MOST_DISTINCT
        ):
            self.distinct = None
        else:
            self.distinct |= other.distinct
        self.variants.absorb(other.variants)

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
        return next((name for name in FORMATS if self.formats and name in self.formats), None)

    @property
    def range(self) -> tuple[str, str] | None:
        """Least and most, as numerals, if every value was a number or every text a numeral; None otherwise."""
        numbers = self.kinds["integer"] + self.kinds["number"]
        is_all = numbers == self.seen - self.nulls or (
            self.kinds["string"] == self.seen - self.nulls and self.format == "numeral"
        )
        if not is_all or self.least is None or self.most is None:
            return None
        return json_text(self.least), json_text(self.most)

    @property
    def date_patterns(self) -> list[str]:
        """The patterns that its texts have if every one is a date, but not all in the form of ISO 8601; the usual
        first."""
        if not self.formats or "dated" not in self.formats or set(self.dates) == {("yyyy-MM-dd",)}:
            return []
        return decided(self.dates)

    @property
    def fractions(self) -> int:
        """Numbers, or texts of them if all texts are, that were not whole."""
        return self.fractional + (self.fractional_texts if self.formats else 0)

    def is_unique(self) -> bool:
        """Whether every value seen was a scalar, not null, and different from all others."""
        scalars = self.kinds["string"] + self.kinds["integer"]
        return (
            self.distinct is not None and self.nulls == 0 and scalars == self.seen and len(self.distinct) == self.seen
        )


def together(shapes: Iterable[Shape]) -> Shape:
    """What several parts have in common, as if they were one."""
    found = Shape()
    for shape in shapes:
        found.absorb(shape)
    return found
