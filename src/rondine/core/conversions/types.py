"""The types of fields and inputs, and the strict conversions to them.

Each conversion takes a JSON value (not null) and gives a value that survives exactly, or raises ConversionError with
the reason. Decimals are normalised (2.0 and 2 are the same number and are kept the same); datetimes become UTC.
"""

import re
from collections.abc import Callable
from datetime import UTC, date, datetime, time, timedelta
from decimal import Context, Decimal, InvalidOperation
from math import isfinite
from typing import Any, Literal

from rondine.core.documents.json import as_written, json_text, kind_of
from rondine.core.errors import short

FieldType = Literal["text", "integer", "decimal", "boolean", "date", "datetime", "json"]
FIELD_TYPES: tuple[FieldType, ...] = ("text", "integer", "decimal", "boolean", "date", "datetime", "json")

_INTEGER = re.compile(r"[+-]?\d{1,1000}", re.ASCII)
_DECIMAL = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,6})?", re.ASCII)
#: Most decimals in texts: few digits, a fraction.
PLAIN_DECIMAL = re.compile(r"\d{1,13}\.\d{1,13}", re.ASCII).fullmatch
#: A number of more digits, before or after the point, is refused: PostgreSQL would hold it, but nobody meant it.
MOST_DIGITS = 1_000
_exact = Context(prec=MOST_DIGITS * 2)


class ConversionError(ValueError):
    """A value that is not of the wanted type; the text says why."""


def to_text(value: Any) -> str:
    if type(value) is str:
        return value
    if isinstance(value, (dict, list)):
        raise ConversionError(f"is {in_words(value)}, not a text")
    return json_text(value)


def to_integer(value: Any) -> int:
    if type(value) is int:
        return _checked_integer(value)
    if type(value) is float and isfinite(value):
        value = as_written(value)
    if type(value) is Decimal:
        if value.adjusted() < MOST_DIGITS and value == value.to_integral_value(context=_exact):
            return int(value)
        raise ConversionError(f"is {short(str(value)).strip(chr(34))}, not a whole number")
    if type(value) is str and _INTEGER.fullmatch(value):
        return int(value)
    raise ConversionError(f"is {in_words(value)}, not a whole number")


def _checked_integer(value: int) -> int:
    if value.bit_length() > 3 * MOST_DIGITS:
        raise ConversionError(f"has more than {MOST_DIGITS:,} digits")
    return value


def to_decimal(value: Any) -> Decimal:
    kind = type(value)
    if kind is str and PLAIN_DECIMAL(value):
        return (
            Decimal(value) if value[-1] != "0" else Decimal(value).normalize()
        )  # 26 digits at most: the usual context is exact
    if kind is int:
        number = Decimal(_checked_integer(value))
    elif kind is Decimal:
        number = value
    elif kind is float and isfinite(value):
        number = as_written(value)
    elif kind is str and _DECIMAL.fullmatch(value):
        try:
            number = Decimal(value)
        except InvalidOperation as error:
            raise ConversionError(f"is {short(value)}, not a decimal number") from error
    else:
        hint = ", a decimal comma?" if kind is str and re.fullmatch(r"[+-]?\d+,\d+", value) else ""
        raise ConversionError(f"is {in_words(value)}, not a decimal number{hint}")
    exponent = number.as_tuple().exponent
    if not isinstance(exponent, int) or abs(number.adjusted()) >= MOST_DIGITS or -exponent >= MOST_DIGITS:
        if number == 0 and isinstance(exponent, int):
            return Decimal(0)
        raise ConversionError(f"has more than {MOST_DIGITS:,} digits")
    return number.normalize(_exact) if number else Decimal(0)


def to_boolean(value: Any) -> bool:
    if type(value) is bool:
        return value
    if value in ("true", "false"):
        return bool(value == "true")
    raise ConversionError(f"is {in_words(value)}, not true or false")


#: A date and time in JSON of OData before 4.0: milliseconds since 1970 and minutes from UTC (OData 3.0, "JSON Verbose
#: Format", section 4.1).
_ODATA_DATE = re.compile(r"/Date\((-?\d{1,15})(?:([+-]\d{1,4}))?\)/", re.ASCII)


def odata_moment(text: str) -> datetime | None:
    """The moment that OData's `/Date(...)/` names, in UTC; None for any other text."""
    found = _ODATA_DATE.fullmatch(text) if text.startswith("/Date(") else None
    if found is None:
        return None
    try:
        return datetime(1970, 1, 1, tzinfo=UTC) + timedelta(milliseconds=int(found.group(1)))
    except OverflowError:
        return None


def to_date(value: Any) -> date:
    if type(value) is str and value[:6] == "/Date(" and (moment := odata_moment(value)) is not None:
        if moment.time() != time():
            raise ConversionError(f"is {short(value)}, a moment and not a date: its time is {moment.time()}")
        return moment.date()
    if type(value) is str and len(value) == 10 and value[7] == "-":  # not 2025-W09-1
        try:
            return date.fromisoformat(value)
        except ValueError as error:
            raise ConversionError(f"is {short(value)}, which is not a day of the calendar ({error})") from error
    raise ConversionError(f"is {in_words(value)}, not a date as year-month-day")


def to_datetime(value: Any) -> datetime:
    if type(value) is str and len(value) > 10:
        try:
            moment = odata_moment(value) or datetime.fromisoformat(value)
            if moment.tzinfo is UTC:
                return moment
            if moment.tzinfo is None:
                raise ConversionError(f"is {short(value)}, a date and time without an offset from UTC")
            return moment.astimezone(UTC)
        except ConversionError:
            raise
        except (ValueError, OverflowError) as error:
            raise ConversionError(f"is {short(value)}, which is not a date and time ({error})") from error
    raise ConversionError(f"is {in_words(value)}, not a date and time (RFC 3339)")


#: How deep a json field may be nested.
MOST_DEPTH = 200


def to_json(value: Any, depth: int = 0) -> Any:
    """The value with its numbers normalised and its members in order, so that equal contents are equal bytes."""
    kind = type(value)
    if kind is list and depth < MOST_DEPTH:
        return [one if one.__class__ is str else to_json(one, depth + 1) for one in value]
    if isinstance(value, dict) and depth < MOST_DEPTH:
        return {name: to_json(value[name], depth + 1) for name in sorted(value)}
    if kind is Decimal or kind is float:
        number = to_decimal(value)
        return int(number) if number == number.to_integral_value(context=_exact) else number
    if isinstance(value, (dict, list)):
        raise ConversionError(f"is nested more than {MOST_DEPTH} levels deep")
    return _checked_integer(value) if kind is int else value


CONVERSIONS: dict[str, Callable[[Any], Any]] = {
    "text": to_text,
    "integer": to_integer,
    "decimal": to_decimal,
    "boolean": to_boolean,
    "date": to_date,
    "datetime": to_datetime,
    "json": to_json,
}


def in_words(value: Any) -> str:
    """A value as errors tell it: its kind, and of a scalar the value."""
    kind = kind_of(value)
    return {
        "object": "an object",
        "array": "a list",
        "null": "null",
        "boolean": f"the boolean {json_text(value)}",
        "string": f"the text {short(value) if isinstance(value, str) else ''}",
    }.get(kind, f"the number {short(json_text(value)).strip(chr(34))}")
