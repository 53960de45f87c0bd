"""Inputs of a feed that move with its runs: a time before the run, since the last run, from the highest value kept.

Pure: the moment, what the last runs left behind and the operation's input are arguments; what comes out is what is
sent, and stands with the run.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal, InvalidOperation
from typing import Annotated, Any, ClassVar, Literal
from zoneinfo import ZoneInfo

from msgspec import UNSET, Meta, UnsetType

from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.errors import Problem, did_you_mean
from rondine.core.items.schedule import TimeZone, duration_of, zone_problems
from rondine.core.mapping.document import FieldName, RecordTypeDocument
from rondine.core.operations.inputs import Input
from rondine.core.settings import Document

_FIRST = Meta(description="what the first run takes, and one that brings all again; left out, nothing is sent then")


class TimeInput(Document, frozen=True):
    """What inputs that are times share. They are written as the operation's input is typed: a date, a moment (RFC 3339,
    in UTC), or seconds since 1970."""

    time_zone: Annotated[TimeZone, Meta(description="whose days are meant, where a date is sent")] = "UTC"


class Ago(TimeInput, tag="ago", frozen=True, kw_only=True):
    """So long before the run begins: P30D, the last thirty days."""

    span: Annotated[str, Meta(description="a duration such as PT15M, PT6H or P30D (ISO 8601); PT0S is the run itself")]


class SinceLastRun(TimeInput, tag="since_last_run", frozen=True, kw_only=True):
    """When the last run began that saw all."""

    clock: Annotated[
        Literal["service", "rondine"], Meta(description="whose time: the Date header of its first response, or our own")
    ] = "service"
    overlap: Annotated[
        str, Meta(description="a duration: so much earlier, as clocks differ and changes may come late")
    ] = "PT5M"
    first: Annotated[Any | UnsetType, _FIRST] = UNSET


class FromHighest(TimeInput, tag="from_highest", frozen=True, kw_only=True):
    """The highest value that a field had in the records when the last run ended that saw all."""

    record_type: Annotated[FieldName, Meta(description="one that the feed fills")]
    field: Annotated[FieldName, Meta(description="a date, a time or a number; searchable")]
    overlap: Annotated[str, Meta(description="so much less: a duration, or a number; left out, none")] = ""
    first: Annotated[Any | UnsetType, _FIRST] = UNSET

    REFERENCES: ClassVar[Mapping[str, str]] = {"record_type": "record-types"}


MovingInput = Ago | SinceLastRun | FromHighest
#: Those that leave out what came before: a run with one of them brings what is new, and not all.
ONLY_NEW = (SinceLastRun, FromHighest)


@dataclass(frozen=True, slots=True)
class LastRun:
    """What the last run that saw all left behind. marks: the highest values, by input."""

    began_at: datetime
    service_time: datetime | None
    marks: Mapping[str, Any]


def moved_inputs(
    moving: Mapping[str, MovingInput], inputs: Mapping[str, Input], now: datetime, last: LastRun | None
) -> dict[str, Any]:
    """What the inputs are for a run that begins now. last: None for the first one, and for one that brings all again.
    An input that is left out is not in the result."""
    values = {}
    for name, setting in moving.items():
        value = _value(name, setting, now, last)
        if value is None and not isinstance(setting, Ago) and setting.first is not UNSET:
            values[name] = setting.first
        elif value is not None:
            values[name] = _written(value, setting, inputs[name].type if name in inputs else "text")
    return values


def _value(name: str, setting: MovingInput, now: datetime, last: LastRun | None) -> Any:
    """A moment, a date or a number; None if nothing came before."""
    if isinstance(setting, Ago):
        return now - _duration(setting.span)
    if last is None:
        return None
    if isinstance(setting, SinceLastRun):
        began = (last.service_time if setting.clock == "service" else None) or last.began_at
        return began - _duration(setting.overlap or "PT0S")
    return _lowered(last.marks.get(name), setting.overlap)


def _lowered(mark: Any, overlap: str) -> Any:
    """mark: as it is kept with a run, a text for moments, dates and decimals."""
    if mark is None or not overlap:
        return _typed(mark)
    value = _typed(mark)
    return value - (_duration(overlap) if isinstance(value, date) else Decimal(overlap))


def _typed(mark: Any) -> Any:
    if isinstance(mark, dict):
        return CONVERSIONS[mark["type"]](mark["value"])
    return mark


def _written(value: Any, setting: MovingInput, kind: str) -> Any:
    """A value as the operation's input takes it."""
    if isinstance(value, Decimal):
        return int(value) if value == value.to_integral_value() else format(value, "f")
    if not isinstance(value, date):
        return value
    zone = ZoneInfo(setting.time_zone)
    if kind == "date":
        return (value.astimezone(zone).date() if isinstance(value, datetime) else value).isoformat()
    moment = value if isinstance(value, datetime) else datetime(value.year, value.month, value.day, tzinfo=zone)
    if kind in ("integer", "decimal"):
        return int(moment.timestamp())
    if kind == "text" and not isinstance(value, datetime):
        return value.isoformat()
    moment = moment.astimezone(UTC)
    return moment.isoformat(timespec="microseconds" if moment.microsecond else "seconds").replace("+00:00", "Z")


def _duration(text: str) -> timedelta:
    duration = duration_of(text)
    assert duration is not None, "problems are found before anything runs"
    return duration


def moving_problems(
    moving: Mapping[str, MovingInput],
    inputs: Mapping[str, Input],
    fixed: Mapping[str, Any],
    filled: Mapping[str, RecordTypeDocument],
) -> list[Problem]:
    """What keeps them from working, each with its place below the feed's `moving`. fixed: the feed's other inputs.
    filled: the record types that it fills, by name."""
    problems = []
    for name, setting in moving.items():
        if name not in inputs:
            hint = did_you_mean(name, inputs) or "name one that the operation has"
            problems.append(Problem(f"/{name}", f'the operation has no input "{name}"', hint))
        elif inputs[name].type in ("boolean", "json"):
            words = f"{name} is a {inputs[name].type}, and no time or number"
            problems.append(Problem(f"/{name}", words, "let another input move"))
        if name in fixed:
            problems.append(Problem(f"/{name}", f"{name} has a fixed value, too", "take one of the two away"))
        problems += [
            Problem(f"/{name}{problem.where}", problem.message, problem.hint)
            for problem in _setting_problems(setting, filled)
        ]
    return problems


def _setting_problems(setting: MovingInput, filled: Mapping[str, RecordTypeDocument]) -> list[Problem]:
    problems = zone_problems(setting.time_zone)
    if isinstance(setting, Ago):
        return problems + _duration_problems("/span", setting.span)
    if isinstance(setting, SinceLastRun):
        return problems + (_duration_problems("/overlap", setting.overlap) if setting.overlap else [])
    record_type = filled.get(setting.record_type)
    if record_type is None:
        hint = did_you_mean(setting.record_type, filled) or "name one that its mapping fills"
        return [*problems, Problem("/record_type", f"the feed does not fill {setting.record_type}", hint)]
    field = record_type.field(setting.field)
    if field is None:
        hint = did_you_mean(setting.field, [known.name for known in record_type.fields])
        return [*problems, Problem("/field", f'{setting.record_type} has no field "{setting.field}"', hint)]
    if field.type not in ("date", "datetime", "integer", "decimal"):
        words = f"{field.name} is {field.type}, which has no highest value to go on from"
        return [*problems, Problem("/field", words, "name a date, a time or a number")]
    if not field.searchable:
        words = f"{field.name} is not searchable, so its highest value cannot be found quickly"
        problems.append(Problem("/field", words, "mark it searchable in the record type"))
    if setting.overlap and field.type in ("date", "datetime"):
        return problems + _duration_problems("/overlap", setting.overlap)
    if setting.overlap and not _is_number(setting.overlap):
        problems.append(Problem("/overlap", f'"{setting.overlap}" is not a number', "give a number, such as 100"))
    return problems


def _duration_problems(where: str, text: str) -> list[Problem]:
    if duration_of(text) is not None:
        return []
    return [Problem(where, f'"{text}" is not a duration', "write it as PT15M, PT6H or P30D (ISO 8601)")]


def _is_number(text: str) -> bool:
    try:
        return Decimal(text).is_finite()
    except InvalidOperation:
        return False


def mark_of(value: Any, kind: str) -> dict[str, Any]:
    """A highest value as it is kept with a run, every digit of it."""
    text = value.isoformat() if isinstance(value, date) else str(value)
    try:
        CONVERSIONS[kind](text)
    except ConversionError as error:  # pragma: no cover - what was kept is of its type
        raise ValueError(f"{text} is no {kind}") from error
    return {"type": kind, "value": text}


def moving_words(setting: MovingInput) -> str:
    """What an input moves with, in words."""
    match setting:
        case Ago(span=span):
            return f"{span} before the run" if span != "PT0S" else "when the run begins"
        case SinceLastRun(overlap=overlap, clock=clock):
            whose = "the service's clock" if clock == "service" else "Rondine's clock"
            return f"when the last run began that saw all, by {whose}{f', {overlap} earlier' if overlap else ''}"
        case FromHighest(record_type=record_type, field=field, overlap=overlap):
            less = f", less {overlap}" if overlap else ""
            return f"the highest {field} of {record_type} after the last run that saw all{less}"
