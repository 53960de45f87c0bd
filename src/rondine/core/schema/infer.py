"""What samples have in common: for each part how often it is there, null, whole or fractional, and examples of it.

A `Shape` gathers observations; it never forgets one, so more samples refine it in any order. Whole numbers widen to numbers when a
fractional one is met; null and missing are counted apart.

XML says less by itself than JSON: whether an element repeats, and whether it has attributes, is settled over all samples before they are looked at,
and what its texts could be (`Shape.formats`) stands for types.
"""

import re
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from urllib.parse import urlsplit

from rondine.core.documents.elements import TEXT
from rondine.core.documents.json import json_text, kind_of

EXAMPLES = 3
_DATE = re.compile(r"\d{4}-\d{2}-\d{2}")
_DATETIME = re.compile(r"\d{4}-\d{2}-\d{2}[Tt ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?([Zz]|[+-]\d{2}:\d{2})")
_NUMERAL = re.compile(r"-?(0|[1-9]\d{0,17})(\.\d+)?")
#: A moment in JSON of OData before 4.0.
_ODATA_DATE = re.compile(r"/Date\(-?\d{1,14}([+-]\d{1,4})?\)/")
_WHOLE = re.compile(r"-?(0|[1-9]\d{0,17})")
#: A decimal comma; a comma with three digits behind it could part thousands.
_COMMA = re.compile(r"-?(\d{1,3}(\.\d{3})+|\d+),(\d{1,2}|\d{4,9})")


@dataclass(slots=True)
class Shape:
    """seen: how often the part was there, null included.  kinds: how often with each of JSON Schema's types, without null.
    fractional: numbers that were not whole.  lengths: shortest and longest list.  formats: what every text so far could be.  dates: how often a text was a
    date of each pattern (UTS #35)."""

    seen: int = 0
    nulls: int = 0
    kinds: Counter[str] = field(default_factory=Counter)
    fractional: int = 0
    examples: list[str] = field(default_factory=list)
    formats: set[str] | None = None
    lengths: tuple[int, int] | None = None
    longest: int = 0
    dates: Counter[str] = field(default_factory=Counter)
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
            self.fractional += "comma" in found or ("numeral" in found and "whole" not in found)
            if len(value) <= 10 and (pattern := date_pattern(value)):
                self.dates[pattern] += 1

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

    @property
    def date_patterns(self) -> list[str]:
        """The patterns that its texts have if every one is a date, but not all in the form of ISO 8601; the usual first."""
        found = [pattern for pattern, _ in self.dates.most_common()]
        is_all = bool(found) and sum(self.dates.values()) == self.kinds["string"]
        return found if is_all and set(found) != {"yyyy-MM-dd"} else []

    def is_unique(self) -> bool:
        """Whether every value seen was a scalar, not null, and different from all others."""
        scalars = self.kinds["string"] + self.kinds["integer"]
        return (
            self.distinct is not None and self.nulls == 0 and scalars == self.seen and len(self.distinct) == self.seen
        )


def infer(samples: Iterable[Any], *, is_xml: bool = False) -> Shape:
    """The shape of one or more documents: values as `read_json` gives them, or with is_xml as `read_elements` does."""
    shape = Shape()
    for sample in settled(list(samples)) if is_xml else samples:
        shape.add(sample)
    return shape


class _Seen:
    """What was seen of an element over all samples."""

    __slots__ = ("holds", "members", "repeats")

    def __init__(self) -> None:
        self.repeats = self.holds = False
        self.members: dict[str, _Seen] = {}

    def look(self, value: Any) -> None:
        if isinstance(value, list):
            self.repeats = True
            for one in value:
                self.look(one)
        elif isinstance(value, dict):
            self.holds = True
            for name, member in value.items():
                self.members.setdefault(name, _Seen()).look(member)

    def made(self, value: Any) -> Any:
        if isinstance(value, list):
            return [self.one(each) for each in value]
        return [self.one(value)] if self.repeats else self.one(value)

    def one(self, value: Any) -> Any:
        if isinstance(value, dict):
            return {name: self.members[name].made(member) for name, member in value.items()}
        if isinstance(value, str):
            value = value.strip()  # as conversions to other types than text do
            return {TEXT: value} if self.holds and value else {} if self.holds else value
        return value


def settled(samples: list[Any]) -> list[Any]:
    """XML values in which an element that repeats anywhere is a list everywhere, and one that has attributes or parts anywhere an object."""
    seen = _Seen()
    for sample in samples:
        seen.look(sample)
    return [seen.one(sample) if not isinstance(sample, list) else seen.made(sample) for sample in samples]


#: Dates as people write them; those that could be read in two ways are not guessed.
_DATES = (
    (re.compile(r"\d{4}-\d{2}-\d{2}"), "yyyy-MM-dd"),
    (re.compile(r"\d{2}\.\d{2}\.\d{4}"), "dd.MM.yyyy"),
    (re.compile(r"\d{1,2}\.\d{1,2}\.\d{4}"), "d.M.yyyy"),
    (re.compile(r"\d{4}/\d{2}/\d{2}"), "yyyy/MM/dd"),
    (re.compile(r"\d{2}-\d{2}-\d{4}"), "dd-MM-yyyy"),
)


def date_pattern(text: str) -> str:
    """The pattern (UTS #35) of a text that is a date, empty for any other."""
    for expression, pattern in _DATES:
        if expression.fullmatch(text):
            numbers = [int(one) for one in re.split(r"\D", text)]
            year, month, day = numbers if pattern.startswith("y") else reversed(numbers)
            try:
                date(year, month, day)
            except ValueError:
                return ""
            return pattern
    return ""


def text_formats(text: str) -> set[str]:
    """Which of date, date-time, uri (RFC 3339, RFC 3986), numeral, whole, comma (a decimal one) and boolean a text could be; empty text fits none."""
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
        elif _ODATA_DATE.fullmatch(text):
            found.add("date-time")
        elif _NUMERAL.fullmatch(text):
            found |= {"numeral", "whole"} if _WHOLE.fullmatch(text) else {"numeral"}
        elif _COMMA.fullmatch(text):
            found.add("comma")
        elif text in ("true", "false"):
            found.add("boolean")
        elif "://" in text and " " not in text and urlsplit(text).netloc:
            found.add("uri")
    except ValueError:
        pass
    return found


#: What the texts of an element could be, as JSON Schema's types, the most special first.
_OF_TEXTS = {"whole": "integer", "numeral": "number", "boolean": "boolean"}


def text_type(shape: Shape) -> str:
    """JSON Schema's type that all texts of an element have: integer, number, boolean, or string."""
    return next((kind for word, kind in _OF_TEXTS.items() if shape.formats and word in shape.formats), "string")


def to_json_schema(
    shape: Shape, *, top: bool = True, is_xml: bool = False, namespaces: Mapping[str, str] | None = None
) -> dict[str, Any]:
    """JSON Schema 2020-12. Members seen in every object are required; examples are given where they are short.

    is_xml: members are called by their local names, with what they are in XML beside them (OpenAPI 3.1, "XML Object"). namespaces: by prefix.
    """
    schema: dict[str, Any] = {"$schema": "https://json-schema.org/draft/2020-12/schema"} if top else {}
    types = shape.types
    if is_xml and types[0] == "string":
        types = [text_type(shape), *types[1:]]
    schema["type"] = types[0] if len(types) == 1 else types
    if is_xml:
        return _xml_schema(schema, shape, namespaces or {})
    if shape.kinds["object"]:
        schema["properties"] = {name: to_json_schema(member, top=False) for name, member in shape.members.items()}
        schema["required"] = [name for name, member in shape.members.items() if member.seen == shape.kinds["object"]]
    if shape.element is not None and shape.element.seen:
        schema["items"] = to_json_schema(shape.element, top=False)
    if shape.format and shape.format != "numeral" and types[0] == "string":
        schema["format"] = shape.format
    return schema


def _xml_schema(schema: dict[str, Any], shape: Shape, namespaces: Mapping[str, str]) -> dict[str, Any]:
    if shape.kinds["object"]:
        called = {name: name.removeprefix("@").rpartition(":")[2] for name in shape.members}
        once = Counter(called.values())
        names = {name: plain if once[plain] == 1 else name for name, plain in called.items()}
        schema["properties"] = {}
        for name, member in shape.members.items():
            made = to_json_schema(member, top=False, is_xml=True, namespaces=namespaces)
            about = _xml_object(name, names[name], namespaces)
            holder = made["items"] if made.get("type") == "array" and isinstance(made.get("items"), dict) else made
            schema["properties"][names[name]] = made
            if about:
                holder["xml"] = about
        schema["required"] = [names[name] for name, one in shape.members.items() if one.seen == shape.kinds["object"]]
    if shape.element is not None and shape.element.seen:
        schema["items"] = to_json_schema(shape.element, top=False, is_xml=True, namespaces=namespaces)
    if schema["type"] == "string" and shape.format in ("date", "date-time", "uri"):
        schema["format"] = shape.format
    return schema


def _xml_object(step: str, name: str, namespaces: Mapping[str, str]) -> dict[str, Any]:
    """What a member is in XML, beside its name in JSON; nodeType is OpenAPI 3.2's word for what 3.1 cannot say."""
    if step == TEXT:
        return {"nodeType": "text"}
    prefix, _, plain = step.removeprefix("@").rpartition(":")
    about: dict[str, Any] = {"attribute": True} if step.startswith("@") else {}
    if plain != name:
        about["name"] = plain
    if prefix in namespaces:
        about |= {"namespace": namespaces[prefix], "prefix": prefix}
    return about
