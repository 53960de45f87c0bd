"""A mapping's conversions undone: what the service has to be sent, so that its response is read as a value.

A step is undone by its own rule; then the result goes forward through all steps again. Only what comes back as the same
value is sent, so that nothing is guessed: steps that lose something (the case of letters, all but one of a list) are
refused where they would.
"""

from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime
from decimal import Context, Decimal, InvalidOperation
from functools import singledispatch
from typing import Any

from rondine.core.conversions.date_patterns import written_date, zone_named
from rondine.core.conversions.steps import (
    Affix,
    Arithmetic,
    Case,
    Conversion,
    DateOf,
    Default,
    Epoch,
    Join,
    MomentOf,
    Number,
    Replace,
    Split,
    Step,
    Table,
    Trim,
    YesNo,
    chain,
)
from rondine.core.conversions.types import CONVERSIONS, ConversionError, FieldType
from rondine.core.errors import InputError
from rondine.core.operations.inputs import value_text

_CONTEXT = Context(prec=60)
_START = datetime(1970, 1, 1, tzinfo=UTC)


def undone(value: Any, kind: FieldType, steps: Sequence[Conversion]) -> Any:
    """What the steps make this value of. value: of the field's type, not null.

    Raises ConversionError if there is no such value, or none that is known.
    """
    if not steps:
        return value
    found = value
    for step in reversed(steps):
        found = _undo(step, found)
    try:
        again = CONVERSIONS[kind](chain(steps)(found))
    except (ConversionError, InputError) as error:
        raise ConversionError(f"cannot be written: {error}") from error
    if again != value:
        raise ConversionError(f"cannot be written: it would be read as {value_text(again)[:60]}")
    return found


def can_undo(steps: Sequence[Conversion]) -> bool:
    """Whether there is a rule for each of them."""
    return all(_undo.dispatch(type(step)) is not _undo.dispatch(Step) for step in steps)


@singledispatch
def _undo(step: Step, value: Any) -> Any:
    raise ConversionError("is made by a step that cannot be undone")


@_undo.register(Trim)
@_undo.register(Case)
@_undo.register(Default)
def _as_it_is(step: Step, value: Any) -> Any:
    return value


@_undo.register
def _number(step: Number, value: Any) -> Any:
    number = Decimal(str(value))
    text = format(_CONTEXT.multiply(number, Decimal(100)) if step.percent else number, "f")
    return text.replace(".", step.decimal) + ("%" if step.percent else "")


@_undo.register
def _arithmetic(step: Arithmetic, value: Any) -> Any:
    number = Decimal(str(value))
    try:
        if step.add is not None:
            number = _CONTEXT.subtract(number, Decimal(step.add))
        if step.divide is not None:
            number = _CONTEXT.multiply(number, Decimal(step.divide))
        if step.multiply is not None:
            number = _CONTEXT.divide(number, Decimal(step.multiply))
    except InvalidOperation as error:
        raise ConversionError("is too large to calculate with") from error
    if len(number.as_tuple().digits) > 40:  # a division that never ends
        number = number.quantize(Decimal(1).scaleb(-20), context=_CONTEXT)
    return number.normalize() if number == number.to_integral_value() else number


@_undo.register
def _date(step: DateOf, value: Any) -> Any:
    moment = value if isinstance(value, date) else date.fromisoformat(str(value)[:10])
    return _first(step.patterns, lambda pattern: written_date(moment, pattern))


@_undo.register
def _moment(step: MomentOf, value: Any) -> Any:
    moment = value if isinstance(value, datetime) else datetime.fromisoformat(str(value))
    local = moment.astimezone(zone_named(step.zone) if step.zone else UTC)
    return _first(step.patterns, lambda pattern: written_date(local, pattern))


def _first(patterns: Sequence[str], write: Callable[[str], str]) -> str:
    if len(patterns) > 1:
        raise ConversionError("may be written in several forms, and nothing says which")
    return write(patterns[0])


@_undo.register
def _epoch(step: Epoch, value: Any) -> Any:
    moment = value if isinstance(value, datetime) else datetime.fromisoformat(str(value))
    micros = Decimal((moment - _START).days * 86_400 + (moment - _START).seconds) * 1_000_000
    micros += (moment - _START).microseconds
    number = micros / (1_000_000 if step.unit == "seconds" else 1_000)
    return int(number) if number == number.to_integral_value() else number


@_undo.register
def _yes_no(step: YesNo, value: Any) -> Any:
    words = step.as_true if value else step.as_false
    if not words:
        raise ConversionError("has no word in the service's answers")
    return words[0]


@_undo.register
def _table(step: Table, value: Any) -> Any:
    known = [text for text, made in step.values.items() if made == value or str(made) == value_text(value)]
    if len(known) > 1:
        raise ConversionError(f"stands for {' and '.join(known[:3])}, and nothing says which")
    if not known and step.otherwise != "keep":
        raise ConversionError("is not among the values of the mapping's table")
    return known[0] if known else value


@_undo.register
def _affix(step: Affix, value: Any) -> Any:
    text = value_text(value)
    if not (text.startswith(step.prefix) and text.endswith(step.suffix)):
        raise ConversionError(f'does not begin with "{step.prefix}" and end with "{step.suffix}"')
    return text[len(step.prefix) : len(text) - len(step.suffix)]


@_undo.register
def _replace(step: Replace, value: Any) -> Any:
    return value_text(value).replace(step.instead, step.text) if step.instead and not step.expression else value


@_undo.register
def _split(step: Split, value: Any) -> Any:
    return step.at.join(value_text(one) for one in value) if isinstance(value, list) else value


@_undo.register
def _join(step: Join, value: Any) -> Any:
    return value_text(value).split(step.between) if step.between else [value]
