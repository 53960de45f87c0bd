"""What a text could be: a date, a moment, a number, an address; what JSON Schema calls a format, and the forms that need a conversion."""

import re
from datetime import date, datetime
from functools import lru_cache
from urllib.parse import urlsplit

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


@lru_cache(maxsize=8192)
def text_formats(text: str) -> frozenset[str]:
    """Which of date, date-time, time (RFC 3339), uuid (RFC 9562), email, uri (RFC 3986), numeral, whole, comma (a decimal one), dated (in a
    pattern that `date_pattern` knows) and boolean a text could be; empty text fits none."""
    if len(text) > 2000:
        return frozenset()
    found = {"dated"} if len(text) <= 10 and date_pattern(text) else set()
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
