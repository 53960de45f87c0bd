"""Inputs of an operation: named, typed, checked before anything is sent."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from functools import lru_cache
from typing import Annotated, Any, ClassVar, Literal

import re2
from msgspec import UNSET, Meta, UnsetType

from rondine.core.conversions.steps import Conversion, chain
from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.documents.json import as_written, json_text, read_json
from rondine.core.errors import DocumentError, InputError, Problem, did_you_mean
from rondine.core.http.files import GivenFile, has_file
from rondine.core.settings import Document

InputName = Annotated[
    str, Meta(pattern=r"^[A-Za-z][A-Za-z0-9_-]{0,62}$", description="letters, digits, - and _, beginning with a letter")
]


InputType = Literal["text", "integer", "decimal", "boolean", "date", "datetime", "json"]


class Bounds(Document, frozen=True):
    """What a value must keep to besides its type, in JSON Schema's words (2020-12 Validation, section 6)."""

    minimum: int | float | None = None
    maximum: int | float | None = None
    exclusive_minimum: int | float | None = None
    exclusive_maximum: int | float | None = None
    min_length: Annotated[int, Meta(ge=0)] | None = None
    max_length: Annotated[int, Meta(ge=0)] | None = None
    pattern: Annotated[
        str, Meta(description="found anywhere in a text, by RE2; one that RE2 does not know is shown and not held")
    ] = ""
    format: Annotated[str, Meta(description="shown, and not held")] = ""


class Input(Document, frozen=True):
    """A value that whoever calls the operation gives."""

    GIVEN: ClassVar[frozenset[str]] = frozenset({"default", "try_value"})

    name: InputName
    type: InputType = "text"
    required: bool = False
    default: Annotated[
        Any | UnsetType, Meta(description="used when nothing is given; an explicit blank text is sent as such")
    ] = UNSET
    try_value: Annotated[Any | UnsetType, Meta(description="what a trial begins with")] = UNSET
    allowed: Annotated[list[str | int], Meta(description="the only values taken, if any are named")] = []
    bounds: Bounds = Bounds()
    members: Annotated[list[str], Meta(description="what an object given for it has, as a definition says")] = []
    title: str = ""
    unit: Annotated[str, Meta(description="shown beside the value")] = ""
    description: str = ""
    field: Annotated[
        str, Meta(description="of a record that fills it, where one is given; left out, the field of its own name")
    ] = ""
    convert: Annotated[list[Conversion], Meta(description="steps that the record's value goes through")] = []


@dataclass(frozen=True, slots=True)
class Filled:
    """Values for inputs. fields: the record's field that each one came from, by the input's name."""

    values: dict[str, Any]
    fields: dict[str, str]


def filled_from(inputs: Sequence[Input], data: Mapping[str, Any], values: Mapping[str, Any]) -> Filled:
    """The inputs that a record fills, beside those that are given. data: its fields' values; null ones fill nothing.

    Raises InputError for each value that its steps do not take, and if the record fills none.
    """
    values, fields, problems = dict(values), {}, []
    for input_ in inputs:
        name = input_.field or input_.name
        value = data.get(name)
        if input_.field and input_.field not in data:
            known = did_you_mean(input_.field, data)
            problems.append(
                Problem(f"/{input_.name}", f'the record has no field "{input_.field}"', known or "name another field")
            )
        if value is None or values.get(input_.name) is not None:
            continue
        try:
            values[input_.name] = chain(input_.convert)(value) if input_.convert else value
            fields[input_.name] = name
        except ConversionError as error:
            problems.append(Problem(f"/{input_.name}", f"{name} {error}", "correct the steps of the input"))
    if not problems and not any((input_.field or input_.name) in data for input_ in inputs):
        words = "the record has no field that an input takes"
        problems = [Problem("/record", words, "name the fields in the operation's inputs")]
    if problems:
        raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
    return Filled(values, fields)


def standing_value(name: str, standing: Mapping[str, Any]) -> Any:
    """Raises InputError if the environment has no standing value of this name."""
    if name not in standing:
        raise InputError(
            f'the standing value "{name}" has no value in this environment',
            where=f"standing value {name}",
            hint=did_you_mean(name, standing) or f"give it one: rondine standing-value set {name} VALUE",
        )
    return standing[name]


def named_standing(value: object) -> str | None:
    """The name, if a value is `{"standing": name}`."""
    if isinstance(value, dict) and set(value) == {"standing"} and isinstance(value["standing"], str):
        return value["standing"]
    return None


def checked_inputs(
    inputs: Sequence[Input], values: Mapping[str, Any], standing: Mapping[str, Any] | None = None
) -> dict[str, Any]:
    """The values to use, by name, converted; inputs without a value are absent. Nothing given (or null) takes the
    default. A value or default of the form `{"standing": name}` is the environment's standing value.

    Raises InputError with a Problem for each input that is missing, unknown or wrong.
    """
    known = {input_.name: input_ for input_ in inputs}
    problems = [
        Problem(f"/{name}", f'there is no input "{name}"', did_you_mean(name, known) or "the operation takes no inputs")
        for name in values
        if name not in known
    ]
    out: dict[str, Any] = {}
    for input_ in inputs:
        value = values.get(input_.name)
        if has_file(value):
            out[input_.name] = value
            continue
        if value is None or (value == "" and input_.type != "text"):
            value = None if input_.default is UNSET else input_.default
        if (name := named_standing(value)) is not None:
            try:
                value = standing_value(name, standing or {})
            except InputError as error:
                problems.append(error.as_problem(f"/{input_.name}"))
                continue
        if value is None:
            if input_.required:
                problems.append(
                    Problem(
                        f"/{input_.name}",
                        f'the input "{input_.name}" is required',
                        f"give it a value of type {input_.type}",
                    )
                )
            continue
        if value == "" and input_.required:
            problems.append(
                Problem(
                    f"/{input_.name}",
                    f'the input "{input_.name}" is required and is blank',
                    f"give it a value of type {input_.type}",
                )
            )
            continue
        try:
            value = CONVERSIONS[input_.type](_parsed(value) if input_.type == "json" else value)
        except ConversionError as error:
            problems.append(
                Problem(f"/{input_.name}", f'"{input_.name}" {error}', f"the input takes a value of type {input_.type}")
            )
            continue
        if input_.allowed and value_text(value) not in [str(allowed) for allowed in input_.allowed]:
            problems.append(
                Problem(
                    f"/{input_.name}",
                    f'"{value_text(value)[:80]}" is not allowed for "{input_.name}"',
                    f"take one of {', '.join(map(str, input_.allowed))}",
                )
            )
            continue
        if broken := broken_bound(input_.bounds, value):
            problems.append(
                Problem(
                    f"/{input_.name}",
                    f'"{input_.name}" {broken}',
                    "the definition says so; correct the value, or the input",
                )
            )
            continue
        out[input_.name] = value
    if problems:
        raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
    return out


def broken_bound(bounds: Bounds, value: Any) -> str:
    """Which bound a typed value does not keep to, in words; empty if it keeps to all."""
    if isinstance(value, int | Decimal) and not isinstance(value, bool):
        number = Decimal(value)
        for limit, breaks, words in (
            (bounds.minimum, number.__lt__, "is less than"),
            (bounds.maximum, number.__gt__, "is more than"),
            (bounds.exclusive_minimum, number.__le__, "is not more than"),
            (bounds.exclusive_maximum, number.__ge__, "is not less than"),
        ):
            if limit is not None and breaks(as_written(limit)):
                return f"{words} {limit}"
    if isinstance(value, str):
        if bounds.min_length is not None and len(value) < bounds.min_length:
            return f"is shorter than {bounds.min_length} characters"
        if bounds.max_length is not None and len(value) > bounds.max_length:
            return f"is longer than {bounds.max_length} characters"
        if bounds.pattern and (found := _searcher(bounds.pattern)) is not None and found.search(value) is None:
            return f"does not match {bounds.pattern}"
    return ""


@lru_cache(maxsize=1000)
def _searcher(pattern: str) -> Any:
    """None for what RE2 does not know: a look-ahead of ECMA 262, for one."""
    options = re2.Options()
    options.log_errors = False
    try:
        return re2.compile(pattern, options)
    except re2.error:
        return None


def _parsed(value: Any) -> Any:
    """A JSON value as it is, or written as text, as people and command lines give it."""
    if not isinstance(value, str):
        return value
    try:
        return read_json(value.encode())
    except DocumentError as error:
        raise ConversionError(f'is not JSON: {error.message}; a text is written "so", a list ["so"]') from error


def value_text(value: Any) -> str:
    """A typed value as it is written into an address or header."""
    if isinstance(value, str):
        return value
    if isinstance(value, GivenFile):
        raise InputError(
            f"the file {value.name or value.digest[:12]} stands where a text is sent",
            where="inputs",
            hint="only a whole body, or a part of a multipart body, is a file",
        )
    if isinstance(value, (date, datetime)):
        return value.isoformat().replace("+00:00", "Z")
    return format(value, "f") if isinstance(value, Decimal) else json_text(value)
