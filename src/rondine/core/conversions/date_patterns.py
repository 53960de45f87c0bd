"""Dates and times in foreign forms, by the patterns of Unicode's UTS #35 (Part 4, "Date Format Patterns"): dd.MM.yyyy
HH:mm.

Read are y M d H h m s S a E, x X Z (offsets) and z of UTC and GMT alone; names of months and days are English. A
letter's number says how many digits there are: `d` takes one or two, `dd` two. Text stands in quote marks; other
characters stand for themselves.
"""

import re
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta, timezone
from functools import lru_cache
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from rondine.core.errors import InputError, did_you_mean

_MONTHS = ("january", "february", "march", "april", "may", "june", "july", "august", "september", "october",
"november", "december")  # fmt: skip
_DAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
_OFFSET = r"(?P<offset>Z|[+-]\d{2}(?::?\d{2})?)"
_FIELDS = {
    "yyyy": r"(?P<y>\d{4})", "yy": r"(?P<yy>\d{2})", "y": r"(?P<y>\d{1,4})",
    "MMMM": r"(?P<month>[A-Za-z]+)", "MMM": r"(?P<month>[A-Za-z]{3})\.?", "MM": r"(?P<M>\d{2})", "M": r"(?P<M>\d{1,2})",
    "dd": r"(?P<d>\d{2})", "d": r"(?P<d>\d{1,2})",
    "HH": r"(?P<H>\d{2})", "H": r"(?P<H>\d{1,2})", "hh": r"(?P<h>\d{2})", "h": r"(?P<h>\d{1,2})",
    "mm": r"(?P<m>\d{2})", "m": r"(?P<m>\d{1,2})", "ss": r"(?P<s>\d{2})", "s": r"(?P<s>\d{1,2})",
    "a": r"(?P<a>[AaPp]\.?[Mm]\.?)", "EEEE": r"[A-Za-z]+", "EEE": r"[A-Za-z]{3}\.?", "E": r"[A-Za-z]+\.?",
    "Z": _OFFSET, "X": _OFFSET, "XX": _OFFSET, "XXX": _OFFSET, "x": _OFFSET, "xx": _OFFSET, "xxx": _OFFSET,
    "z": r"(?P<offset>UTC|GMT|Z)",
}  # fmt: skip
_TOKEN = re.compile(r"'((?:[^']|'')*)'|([A-Za-z])\2*|[^A-Za-z']")


@dataclass(frozen=True, slots=True)
class Pattern:
    """has_time: whether it says an hour.  has_offset: whether it says where."""

    text: str
    expression: re.Pattern[str]
    has_time: bool
    has_offset: bool


@lru_cache(maxsize=500)
def parse_pattern(text: str) -> Pattern:
    """Raises InputError for letters that are not read, and for a pattern that says no whole date."""
    out, position = "", 0
    seen: set[str] = set()
    for found in _TOKEN.finditer(text):
        if found.start() != position:
            break
        position = found.end()
        token = found.group()
        if found.group(2) is None:
            out += re.escape(token if found.group(1) is None else found.group(1).replace("''", "'") or "'")
            continue
        expression = rf"(?P<S>\d{{{len(token)}}})" if token[0] == "S" else _FIELDS.get(token, "")
        label = "MMM" if token.startswith("MMM") else token[0]
        if not expression or label in seen:
            what = "is there twice" if expression else "is not read"
            raise InputError(
                f'"{token}" in the pattern "{text[:60]}" {what}',
                where="pattern",
                hint=did_you_mean(token, _FIELDS) if not expression else "keep one of them",
            )
        seen.add(label)
        out += expression
    if position != len(text):
        raise InputError(
            f'a quote mark in the pattern "{text[:60]}" is not closed', where="pattern", hint="write '' for one"
        )
    if not {"y", "d"} <= seen or not seen & {"M", "MMM"}:
        raise InputError(
            f'the pattern "{text[:60]}" says no whole date',
            where="pattern",
            hint="such as dd.MM.yyyy, or yyyy-MM-dd HH:mm",
        )
    return Pattern(text, re.compile(out, re.ASCII), bool(seen & {"H", "h"}), bool(seen & set("zZxX")))


def read_date(text: str, pattern: Pattern) -> date | None:
    """The date, None if the text is not in this form. Raises ValueError if it is, but is not a day of the calendar."""
    found = pattern.expression.fullmatch(text)
    return _date(found.groupdict()) if found else None


def read_moment(text: str, pattern: Pattern, zone: ZoneInfo | None) -> datetime | None:
    """The moment in UTC, None if the text is not in this form. zone: where a time without an offset was written;
    without one it is an error.

    Raises ValueError if it is in this form, but is not a moment: a day that is not there, or an hour that the zone's
    clocks skip.
    """
    found = pattern.expression.fullmatch(text)
    if not found:
        return None
    parts = found.groupdict()
    local = datetime.combine(_date(parts), _time(parts))
    if offset := parts.get("offset"):
        return local.replace(tzinfo=_zone_of(offset)).astimezone(UTC)
    if zone is None:
        raise ValueError("it says no offset from UTC, and no zone is given for it")
    moment = local.replace(tzinfo=zone).astimezone(UTC)
    if moment.astimezone(zone).replace(tzinfo=None) != local:
        raise ValueError(f"the clocks of {zone.key} skip this hour")
    return moment


def written_date(moment: date, pattern: str) -> str:
    """A date, or a date and time with its offset, in this form. Names are English and whole, or their first three
    letters."""
    parse_pattern(pattern)
    return _TOKEN.sub(lambda found: _written(found, moment), pattern)


def _written(found: re.Match[str], moment: date) -> str:
    token = found.group()
    if found.group(1) is not None:
        return found.group(1).replace("''", "'") or "'"
    if found.group(2) is None:
        return token
    at = moment if isinstance(moment, datetime) else datetime.combine(moment, time(), UTC)
    letter, width = token[0], len(token)
    if letter == "y":
        return f"{at.year % 100:02d}" if width == 2 else f"{at.year:0{width}d}"
    if letter == "M" and width >= 3:
        return _MONTHS[at.month - 1].capitalize()[: 3 if width == 3 else None]
    if letter == "E":
        return _DAYS[at.weekday()].capitalize()[: None if width == 4 else 3]
    if letter == "S":
        return f"{at.microsecond:06d}".ljust(width, "0")[:width]
    if letter == "a":
        return "PM" if at.hour >= 12 else "AM"
    if letter in "zZxX":
        return _written_offset(at, letter, width)
    number = {"M": at.month, "d": at.day, "H": at.hour, "h": (at.hour + 11) % 12 + 1, "m": at.minute, "s": at.second}
    return f"{number[letter]:0{width}d}"


def _written_offset(at: datetime, letter: str, width: int) -> str:
    minutes = int((at.utcoffset() or timedelta()).total_seconds() // 60)
    if letter == "z":
        return "UTC"
    if letter == "X" and not minutes:
        return "Z"
    hours, rest = divmod(abs(minutes), 60)
    between = ":" if width == 3 else ""
    return f"{'-' if minutes < 0 else '+'}{hours:02d}{between}{rest:02d}"


def zone_named(name: str) -> ZoneInfo:
    """Raises InputError for a zone that there is not."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise InputError(
            f'there is no time zone "{name[:60]}"',
            where="zone",
            hint="a name of the IANA time zone database, such as Europe/Rome",
        ) from error


def _date(parts: dict[str, str | None]) -> date:
    year = int(parts.get("y") or 0)
    if short := parts.get("yy"):
        # UTS #35: within 80 years before and 20 after; the middle is fixed here, so that no clock is asked
        year = int(short) + (2000 if int(short) < 70 else 1900)
    return date(year, _month(parts), int(parts["d"] or 0))


def _month(parts: dict[str, str | None]) -> int:
    if parts.get("M"):
        return int(parts["M"] or 0)
    name = (parts.get("month") or "").lower()
    for number, month in enumerate(_MONTHS, 1):
        if len(name) >= 3 and month.startswith(name):
            return number
    raise ValueError(f'"{name}" is not a month')


def _time(parts: dict[str, str | None]) -> time:
    hour = int(parts.get("H") or 0)
    if parts.get("h"):
        given = int(parts["h"] or 0)
        if not 1 <= given <= 12:
            raise ValueError("an hour of twelve is 1 to 12")
        is_after = (parts.get("a") or "").lower().startswith("p")
        hour = given % 12 + (12 if is_after else 0)
    fraction = (parts.get("S") or "0")[:6].ljust(6, "0")
    return time(hour, int(parts.get("m") or 0), int(parts.get("s") or 0), int(fraction))


def _zone_of(text: str) -> timezone:
    if text in ("Z", "UTC", "GMT"):
        return UTC
    digits = text[1:].replace(":", "").ljust(4, "0")
    offset = timedelta(hours=int(digits[:2]), minutes=int(digits[2:]))
    return timezone(offset if text[0] == "+" else -offset)
