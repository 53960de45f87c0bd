"""What a text could be: a date, a moment, a number, an address; what JSON Schema calls a format, and the forms that
need a conversion."""

import re
from collections import Counter
from collections.abc import Mapping
from datetime import date, datetime
from functools import lru_cache
from urllib.parse import urlsplit

from rondine.core.conversions.date_patterns import parse_pattern, read_date

_DATE = re.compile(r"\d{4}-\d{2}-\d{2}")
_DATETIME = re.compile(r"\d{4}-\d{2}-\d{2}[Tt ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?([Zz]|[+-]\d{2}:\d{2})")
_NUMERAL = re.compile(r"-?(0|[1-9]\d{0,17})(\.\d+)?")
#: A moment in JSON of OData before 4.0.
_ODATA_DATE = re.compile(r"/Date\(-?\d{1,14}([+-]\d{1,4})?\)/")
_UUID = re.compile(r"[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}")
#: RFC 3339's full-time; hours without an offset are no `time` of JSON Schema.
_TIME = re.compile(r"([01]\d|2[0-3]):[0-5]\d:[0-5]\d(\.\d+)?([Zz]|[+-]([01]\d|2[0-3]):[0-5]\d)")
#: Addresses as they are in use, not all that RFC 5321 allows.
_EMAIL = re.compile(r"[\w.%+-]{1,64}@[\w-]{1,63}(\.[\w-]{1,63}){1,8}")
_WHOLE = re.compile(r"-?(0|[1-9]\d{0,17})")
#: A decimal comma; a comma with three digits behind it could part thousands.
_COMMA = re.compile(r"-?(\d{1,3}(\.\d{3})+|\d+),(\d{1,2}|\d{4,9})")

#: What `text_formats` may tell that can be said of a value, the most special first.
FORMATS = ("date", "date-time", "time", "uuid", "email", "uri", "numeral")
#: Those of JSON Schema 2020-12 (Validation, section 7.3); the others need a type or a conversion.
JSON_SCHEMA_FORMATS = frozenset(FORMATS[:-1])

#: Dates as people write them, each with the patterns (UTS #35) that it may have.
_DATES = (
    (re.compile(r"\d{4}-\d{2}-\d{2}"), ("yyyy-MM-dd",)),
    (re.compile(r"\d{2}\.\d{2}\.\d{4}"), ("dd.MM.yyyy",)),
    (re.compile(r"\d{1,2}\.\d{1,2}\.\d{4}"), ("d.M.yyyy",)),
    (re.compile(r"\d{4}/\d{2}/\d{2}"), ("yyyy/MM/dd",)),
    (re.compile(r"\d{2}-\d{2}-\d{4}"), ("dd-MM-yyyy",)),
    (re.compile(r"\d{2}/\d{2}/\d{4}"), ("dd/MM/yyyy", "MM/dd/yyyy")),
    (re.compile(r"\d{1,2}/\d{1,2}/\d{4}"), ("d/M/yyyy", "M/d/yyyy")),
    (re.compile(r"\d{1,2}-[A-Za-z]{3}-\d{4}"), ("d-MMM-yyyy",)),
    (re.compile(r"\d{1,2} [A-Za-z]{3} \d{4}"), ("d MMM yyyy",)),
    (re.compile(r"\d{1,2} [A-Za-z]{4,9} \d{4}"), ("d MMMM yyyy",)),
)
LONGEST_DATE = 17
#: A date and time that does not say where.
LOCAL_MOMENT = re.compile(
    r"(\d{4}-\d{2}-\d{2}[Tt ]|\d{4}/\d{2}/\d{2} |\d{1,2}([./-])\d{1,2}\2\d{4},? )\d{1,2}:\d{2}(:\d{2}(\.\d+)?)?("
    r" ?[AaPp][Mm])?"
)


def date_patterns(text: str) -> tuple[str, ...]:
    """The patterns of a text that is a date, empty for any other: two where nothing in it says whether the day or the
    month is first."""
    for expression, patterns in _DATES:
        if expression.fullmatch(text):
            return tuple(pattern for pattern in patterns if _is_day(text, pattern))
    return ()


def _is_day(text: str, pattern: str) -> bool:
    try:
        return read_date(text, parse_pattern(pattern)) is not None
    except ValueError:
        return False


def decided(counts: Mapping[tuple[str, ...], int]) -> list[str]:
    """The patterns of many dates, the usual first: what one date leaves open the others decide, as the day is in one
    place in all of them. Empty where they contradict each other, or none decides.
    """
    begins = {patterns[0].lower()[0] for patterns in counts if len(patterns) == 1 and "/" in patterns[0][:3]}
    if len(begins) > 1 or (not begins and any(len(patterns) > 1 for patterns in counts)):
        return []
    found: Counter[str] = Counter()
    for patterns, count in counts.items():
        found[next(one for one in patterns if len(patterns) == 1 or one.lower()[0] in begins)] += count
    return [pattern for pattern, _ in found.most_common()]


@lru_cache(maxsize=8192)
def text_formats(text: str) -> frozenset[str]:
    """Which of date, date-time, time (RFC 3339), uuid (RFC 9562), email, uri (RFC 3986), numeral, whole, comma (a
    decimal one), dated (in a pattern that `date_patterns` knows) and boolean a text could be; empty text fits none."""
    if len(text) > 2000:
        return frozenset()
    found = {"dated"} if len(text) <= LONGEST_DATE and date_patterns(text) else set()
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
        elif _UUID.fullmatch(text):
            found.add("uuid")
        elif _TIME.fullmatch(text):
            found.add("time")
        elif "@" in text and _EMAIL.fullmatch(text):
            found.add("email")
        elif "://" in text and " " not in text and urlsplit(text).netloc:
            found.add("uri")
    except ValueError:
        pass
    return frozenset(found)
