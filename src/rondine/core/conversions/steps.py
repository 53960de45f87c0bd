"""Conversions: what becomes of a value between its place and its field, one named step after the other.

Each is a frozen document with typed arguments and one method, `made`, which takes a JSON value (never null) and gives
another, or raises ConversionError with the reason. A step for single values goes through the elements of a list. A new
one is a class here and a line in `Conversion`.
"""

import base64
import binascii
import re
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta
from decimal import ROUND_HALF_EVEN, Context, Decimal, InvalidOperation
from functools import lru_cache
from typing import Annotated, Any, ClassVar, Literal

from msgspec import UNSET, Meta

from rondine.core.conversions.date_patterns import parse_pattern, read_date, read_moment, zone_named
from rondine.core.conversions.types import ConversionError, to_decimal, to_text
from rondine.core.documents.elements import read_elements, write_elements
from rondine.core.documents.json import json_text, read_json
from rondine.core.errors import InputError, RondineError, short
from rondine.core.paths.iregexp import NotIRegexp, compiled
from rondine.core.settings import Document

#: Digits that arithmetic keeps: far more than any measure has, and every step is exact to them.
_CONTEXT = Context(prec=60, rounding=ROUND_HALF_EVEN)
#: What a text within a text may cost.
MOST_INNER = 4 * 1024 * 1024
Decimals = Annotated[str, Meta(pattern=r"^[+-]?\d{1,30}(\.\d{1,30})?$")]


#: (the class of the values that it takes, what makes of them the same as the steps do, what they must not hold if that
#: is anything).
Quick = tuple[type, Callable[[Any], Any], Any]


class Step(Document, frozen=True):
    """Base of conversions. TAKES_LIST: it is given a list whole, not element by element.  FITS: the kinds of values
    (JSON Schema's) it is offered for."""

    TAKES_LIST: ClassVar[bool] = False
    FITS: ClassVar[frozenset[str]] = frozenset({"string"})

    def check(self) -> None:
        """Raises InputError for arguments that can never work."""

    def made(self, value: Any) -> Any:
        raise NotImplementedError

    def quick(self) -> Quick | None:
        """A function for the usual values alone, without a look at what they are; it may fail with any exception where
        `made` has to tell."""
        return None


# --- numbers


class Number(Step, tag="number", frozen=True):
    """A text as a number."""

    decimal: Annotated[str, Meta(max_length=1, description="the mark before the fraction")] = "."
    grouping: Annotated[
        str,
        Meta(
            max_length=4,
            description=(
                "marks between groups of digits, taken away; blanks always are. The last group has three digits, so"
                " that 2.5 is no 25 where the mark is a point"
            ),
        ),
    ] = ""
    percent: Annotated[bool, Meta(description="a sign % behind it divides by 100")] = False

    def check(self) -> None:
        if self.decimal and self.decimal in self.grouping:
            raise InputError(
                f'"{self.decimal}" cannot part groups and fractions', where="grouping", hint="leave one out"
            )

    def made(self, value: Any) -> Any:
        if isinstance(value, (int, Decimal)) and not isinstance(value, bool):
            return value
        text = to_text(value)
        plain = "".join(char for char in text if not char.isspace() and char != "\u2019")
        is_percent = self.percent and plain.endswith("%")
        plain = plain.removesuffix("%") if self.percent else plain
        plain = plain.replace("\u2212", "-")
        if any(mark in plain for mark in self.grouping):
            whole, mark, fraction = plain.partition(self.decimal) if self.decimal else (plain, "", "")
            if not _grouped(self.grouping).fullmatch(whole):
                raise ConversionError(
                    f'is the text {short(text)}, whose digits are not in groups of three by "{self.grouping}"'
                )
            plain = f"{''.join(char for char in whole if char not in self.grouping)}{mark}{fraction}"
        if self.decimal != "." and "." in plain:
            raise ConversionError(f'is {short(text)}, no number with "{self.decimal}" before its fraction')
        try:
            number = to_decimal(plain.replace(self.decimal, ".") if self.decimal else plain)
        except ConversionError as error:
            raise ConversionError(f"is the text {short(text)}, not a decimal number") from error
        return _CONTEXT.divide(number, Decimal(100)) if is_percent else number


@lru_cache(maxsize=100)
def _grouped(marks: str) -> re.Pattern[str]:
    """Whole numbers in groups: of three digits, or but for the last of two, as in India."""
    mark = f"[{re.escape(marks)}]"
    return re.compile(rf"[+-]?\d{{1,3}}({mark}\d{{2,3}})*{mark}\d{{3}}", re.ASCII)


class Arithmetic(Step, tag="arithmetic", frozen=True):
    """A number reckoned with, in this order."""

    FITS = frozenset({"string", "integer", "number"})
    multiply: Annotated[Decimals | None, Meta(description="a number each")] = None
    divide: Annotated[Decimals | None, Meta(description="a number each")] = None
    add: Annotated[Decimals | None, Meta(description="a number each")] = None
    digits: Annotated[
        Annotated[int, Meta(ge=0, le=30)] | None,
        Meta(description="it is rounded to; behind the point, to the nearest, halves to even"),
    ] = None

    def check(self) -> None:
        if self.divide is not None and Decimal(self.divide) == 0:
            raise InputError("nothing is divided by 0", where="divide", hint="give another number")
        if self.multiply is self.divide is self.add is None and self.digits is None:
            raise InputError(
                "it does nothing", where="arithmetic", hint="say what to multiply, divide, add or round by"
            )

    def made(self, value: Any) -> Any:
        number = to_decimal(value)
        try:
            if self.multiply is not None:
                number = _CONTEXT.multiply(number, Decimal(self.multiply))
            if self.divide is not None:
                number = _CONTEXT.divide(number, Decimal(self.divide))
            if self.add is not None:
                number = _CONTEXT.add(number, Decimal(self.add))
            return (
                number.quantize(Decimal(1).scaleb(-self.digits), context=_CONTEXT)
                if self.digits is not None
                else number
            )
        except InvalidOperation as error:
            raise ConversionError(f"is {short(str(value))}, too large to calculate with") from error


# --- dates and times


class DateOf(Step, tag="date", frozen=True):
    """A text as a date."""

    patterns: Annotated[
        list[str],
        Meta(
            min_length=1, max_length=20, description="forms it may have, by UTS #35 (dd.MM.yyyy); the first that fits"
        ),
    ]

    def check(self) -> None:
        for pattern in self.patterns:
            parse_pattern(pattern)

    def made(self, value: Any) -> Any:
        text = to_text(value).strip()
        for pattern in self.patterns:
            try:
                found = read_date(text, parse_pattern(pattern))
            except ValueError as error:
                raise ConversionError(f"is {short(text)}, which is not a day of the calendar ({error})") from error
            if found is not None:
                return found.isoformat()
        raise ConversionError(f"is {short(text)}, not a date as {' or '.join(self.patterns)}")


class MomentOf(Step, tag="datetime", frozen=True):
    """A text as a date and time."""

    patterns: Annotated[list[str], Meta(min_length=1, max_length=20, description="by UTS #35 (dd.MM.yyyy HH:mm)")]
    zone: Annotated[str, Meta(description="where times without an offset were written (Europe/Rome)")] = ""

    def check(self) -> None:
        for pattern in self.patterns:
            if not parse_pattern(pattern).has_offset and not self.zone:
                words = f'"{pattern}" says no offset from UTC'
                raise InputError(words, where="zone", hint="name the zone of these times, such as Europe/Rome")
        if self.zone:
            zone_named(self.zone)

    def made(self, value: Any) -> Any:
        text = to_text(value).strip()
        zone = zone_named(self.zone) if self.zone else None
        for pattern in self.patterns:
            try:
                found = read_moment(text, parse_pattern(pattern), zone)
            except (ValueError, OverflowError) as error:
                raise ConversionError(f"is {short(text)}, which is not a date and time ({error})") from error
            if found is not None:
                return found.isoformat().replace("+00:00", "Z")
        raise ConversionError(f"is {short(text)}, not a date and time as {' or '.join(self.patterns)}")


class Epoch(Step, tag="epoch", frozen=True):
    """A number since 1970-01-01 UTC as a date and time."""

    FITS = frozenset({"string", "integer", "number"})
    unit: Annotated[Literal["seconds", "milliseconds"], Meta(description="of the number")] = "seconds"

    def made(self, value: Any) -> Any:
        number = to_decimal(value)
        micros = number * (1_000_000 if self.unit == "seconds" else 1_000)
        try:
            moment = datetime(1970, 1, 1, tzinfo=UTC) + timedelta(microseconds=int(micros))
        except (OverflowError, ValueError) as error:
            raise ConversionError(f"is {short(str(value))}, which is not a moment in {self.unit} since 1970") from error
        return moment.isoformat().replace("+00:00", "Z")


# --- words and values


class YesNo(Step, tag="boolean", frozen=True):
    """Words as true or false, whatever their case."""

    as_true: Annotated[tuple[str, ...], Meta(description="those that stand for it")] = ("true", "yes", "1")
    as_false: Annotated[tuple[str, ...], Meta(description="those that stand for it")] = ("false", "no", "0")

    def made(self, value: Any) -> Any:
        if isinstance(value, bool):
            return value
        text = to_text(value).strip().lower()
        if text in _lowered(self.as_true):
            return True
        if text in _lowered(self.as_false):
            return False
        raise ConversionError(f"is {short(text)}, neither {_listed(self.as_true)} nor {_listed(self.as_false)}")


class Table(Step, tag="table", frozen=True):
    """One value for another."""

    FITS = frozenset({"string", "integer", "boolean"})
    values: Annotated[dict[str, Any], Meta(description="by text")]
    otherwise: Annotated[
        Literal["reject", "keep", "empty"],
        Meta(description="what becomes of one that is not there: reject, keep, or empty"),
    ] = "reject"

    def made(self, value: Any) -> Any:
        text = to_text(value)
        if text in self.values:
            return self.values[text]
        if self.otherwise == "reject":
            raise ConversionError(f"is {short(text)}, which is not in the table ({_listed(list(self.values))})")
        return value if self.otherwise == "keep" else None


class Default(Step, tag="default", frozen=True):
    """A value in place of an empty text."""

    value: Annotated[str, Meta(description="that one")]

    def made(self, value: Any) -> Any:
        return self.value if value == "" else value


# --- texts


class Trim(Step, tag="trim", frozen=True):
    """A text without blanks around it."""

    characters: Annotated[str, Meta(description="these are taken away instead")] = ""

    def made(self, value: Any) -> Any:
        return to_text(value).strip(self.characters or None)

    def quick(self) -> Quick | None:
        return None if self.characters else (str, str.strip, None)


class Case(Step, tag="case", frozen=True):
    """A text in other letters."""

    to: Annotated[Literal["lower", "upper", "first"], Meta(description="small ones, capitals, or a capital first")]

    def made(self, value: Any) -> Any:
        text = to_text(value)
        match self.to:
            case "lower":
                return text.lower()
            case "upper":
                return text.upper()
        return text[:1].upper() + text[1:]

    def quick(self) -> Quick | None:
        return (str, str.lower if self.to == "lower" else str.upper, None) if self.to != "first" else None


class Replace(Step, tag="replace", frozen=True, rename={"instead": "with"}):
    """A part of a text by another, everywhere."""

    text: Annotated[str, Meta(min_length=1, description="what is looked for")]
    instead: Annotated[str, Meta(description="what is put in its place")] = ""
    expression: Annotated[
        bool, Meta(description="what is looked for is a regular expression (RFC 9485), run in linear time")
    ] = False

    def check(self) -> None:
        if self.expression:
            _checked_expression(self.text, "text")

    def made(self, value: Any) -> Any:
        text = to_text(value)
        if not self.expression:
            return text.replace(self.text, self.instead)
        return compiled(self.text).sub(lambda _: self.instead, text)


class Extract(Step, tag="extract", frozen=True):
    """A part of a text."""

    expression: Annotated[
        str, Meta(min_length=1, description="a regular one (RFC 9485); the first part that it finds is taken")
    ]

    def check(self) -> None:
        _checked_expression(self.expression, "expression")

    def made(self, value: Any) -> Any:
        text = to_text(value)
        found = compiled(self.expression).search(text)
        if not found:
            raise ConversionError(f'is {short(text)}, in which "{self.expression}" finds nothing')
        return found.group()


class Split(Step, tag="split", frozen=True):
    """A text as a list of its parts, without blanks around them; empty ones are left out."""

    at: Annotated[str, Meta(min_length=1, description="what stands between them")]

    def made(self, value: Any) -> Any:
        return [one.strip() for one in to_text(value).split(self.at) if one.strip()]


class Join(Step, tag="join", frozen=True, rename={"between": "with"}):
    """A list of plain values as one text; what is null or empty is left out."""

    TAKES_LIST = True
    FITS = frozenset({"array"})
    between: Annotated[str, Meta(description="what is put between them")] = ", "

    def made(self, value: Any) -> Any:
        values = value if isinstance(value, list) else [value]
        return self.between.join(to_text(one) for one in values if one not in (None, ""))

    def quick(self) -> Quick | None:
        return list, self.between.join, ""


class Substring(Step, tag="substring", frozen=True):
    """A part of a text."""

    begin: Annotated[int, Meta(description="its first character, from 0, negative from the end")] = 0
    length: Annotated[Annotated[int, Meta(ge=1)] | None, Meta(description="how many at most")] = None

    def made(self, value: Any) -> Any:
        text = to_text(value)[self.begin :]
        return text[: self.length] if self.length is not None else text


class Affix(Step, tag="affix", frozen=True):
    """A text with others before and after it, such as a unit."""

    FITS = frozenset({"string", "integer", "number"})
    prefix: Annotated[str, Meta(description="put before it")] = ""
    suffix: Annotated[str, Meta(description="put after it")] = ""

    def made(self, value: Any) -> Any:
        return f"{self.prefix}{to_text(value)}{self.suffix}"


# --- lists


class Pick(Step, tag="pick", frozen=True):
    """One of a list; an empty list gives nothing."""

    TAKES_LIST = True
    FITS = frozenset({"array"})
    which: Annotated[
        Literal["first", "last", "at"], Meta(description="the first, the last, or the one at a position")
    ] = "first"
    position: Annotated[int, Meta(description="from 0, negative from the end")] = 0

    def made(self, value: Any) -> Any:
        values = value if isinstance(value, list) else [value]
        at = {"first": 0, "last": -1, "at": self.position}[self.which]
        return values[at] if -len(values) <= at < len(values) else None


class Aggregate(Step, tag="aggregate", frozen=True):
    """A number from a list; nulls do not count."""

    TAKES_LIST = True
    FITS = frozenset({"array"})
    function: Annotated[
        Literal["count", "sum", "min", "max"],
        Meta(description="how many there are, their sum, or the lowest or highest of them"),
    ]

    def made(self, value: Any) -> Any:
        values = [one for one in (value if isinstance(value, list) else [value]) if one is not None]
        if self.function == "count":
            return len(values)
        numbers = [to_decimal(one) for one in values]
        if self.function == "sum":
            return sum(numbers, Decimal(0))
        return None if not numbers else min(numbers) if self.function == "min" else max(numbers)


# --- texts that hold something else


class Read(Step, tag="read", frozen=True):
    """A text read as what it holds."""

    format: Annotated[Literal["json", "xml", "base64"], Meta(description="JSON, XML, or a text in base64")]

    def made(self, value: Any) -> Any:
        text = to_text(value)
        if len(text) > MOST_INNER:
            raise ConversionError(f"has more than {MOST_INNER:,} characters")
        try:
            if self.format == "json":
                return read_json(text.encode("utf-8", "surrogatepass"), name="the text")
            if self.format == "xml":
                return read_elements(text.encode("utf-8", "replace"), charset="utf-8", name="the text").value
            return base64.b64decode(re.sub(r"\s", "", text), validate=True).decode()
        except RondineError as error:
            raise ConversionError(f"holds no {self.format.upper()}: {error.message}") from error
        except (binascii.Error, ValueError) as error:
            raise ConversionError(f"holds no text in base64: {error}") from error


class Write(Step, tag="write", frozen=True):
    """A value as a text."""

    TAKES_LIST = True
    FITS = frozenset({"array", "object", "string"})
    format: Annotated[
        Literal["json", "xml", "base64"],
        Meta(description="of the text: JSON, XML (of an object as reading XML gives it), or base64 of a text"),
    ] = "json"

    def made(self, value: Any) -> Any:
        if self.format == "base64":
            return base64.b64encode(to_text(value).encode("utf-8", "surrogatepass")).decode()
        if self.format == "json":
            return json_text(value)
        try:
            return write_elements(value)
        except ValueError as error:
            raise ConversionError(f"cannot be written as XML: it {error}") from error


Conversion = (
    Number | Arithmetic | DateOf | MomentOf | Epoch | YesNo | Table | Default | Trim | Case | Replace | Extract
    | Split | Join | Substring | Affix | Pick | Aggregate | Read | Write
)  # fmt: skip


def chain(steps: Sequence[Conversion]) -> Callable[[Any], Any]:
    """The steps one after the other. What is missing or null passes by; a null that a step makes ends them."""

    def through(value: Any) -> Any:
        for step in steps:
            if value is None or value is UNSET:
                return value
            if isinstance(value, list) and not step.TAKES_LIST:
                value = [one if one is None else step.made(one) for one in value]
            else:
                value = step.made(value)
        return value

    return through


def quick_of(steps: Sequence[Conversion]) -> Quick | None:
    """The quick way of a single step; None where there is none, or several steps."""
    return steps[0].quick() if len(steps) == 1 else None


def _checked_expression(text: str, where: str) -> None:
    try:
        compiled(text)
    except NotIRegexp as error:
        raise InputError(f'"{text[:80]}" is not a regular expression: {error}', where=where, hint="RFC 9485") from error


@lru_cache(maxsize=500)
def _lowered(words: tuple[str, ...]) -> frozenset[str]:
    return frozenset(word.lower() for word in words)


def _listed(values: Sequence[Any]) -> str:
    return ", ".join(map(str, values[:6])) + (" ..." if len(values) > 6 else "")
