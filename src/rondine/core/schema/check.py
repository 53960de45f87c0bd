"""Whether a value is as its schema says: what differs, each with its place in the value."""

from collections.abc import Iterator, Mapping
from typing import Any

from jsonschema import Draft202012Validator
from jsonschema.exceptions import UnknownType, ValidationError
from jsonschema.validators import extend
from referencing.exceptions import Unresolvable

from rondine.core.errors import Problem, short
from rondine.core.paths import normalized_path

#: Differences that are told; a response that is another one altogether has thousands.
MOST_TOLD = 50


def _nothing(*_: Any) -> Iterator[ValidationError]:
    """Rules that are not looked at: patterns come from outside and may take for ever, and what else a response holds is no fault."""
    return iter(())


_Validator = extend(
    Draft202012Validator,
    {
        "pattern": _nothing,
        "patternProperties": _nothing,
        "additionalProperties": _nothing,
        "unevaluatedProperties": _nothing,
    },
)


def differences(value: Any, schema: Any, schemas: Mapping[str, Any]) -> list[Problem]:
    """schema: JSON Schema 2020-12; it may refer to `#/$defs/...`, which are `schemas`. Problems have a normalized path (RFC 9535) in `where`."""
    if not isinstance(schema, dict):
        return [] if schema is not False else [Problem("$", "nothing is expected here", "")]
    whole = {**schema, "$defs": dict(schemas)}
    out: list[Problem] = []
    try:
        for error in _Validator(whole).iter_errors(value):
            out.append(_told(error))
            if len(out) >= MOST_TOLD:
                break
    except (Unresolvable, UnknownType, RecursionError, TypeError, ValueError, KeyError, AttributeError) as error:
        out.append(Problem("$", f"the schema cannot be used here: {short(str(error)[:200])}", "correct the definition"))
    return out


def _told(error: ValidationError) -> Problem:
    where = normalized_path(tuple(error.absolute_path))
    kinds = error.validator_value
    match error.validator:
        case "type":
            wanted = " or ".join(kinds) if isinstance(kinds, list) else str(kinds)
            return Problem(
                where,
                f"{short(_plain(error.instance))} is not of the type {wanted}",
                "correct the definition, or its schema here",
            )
        case "required":
            missing = next(
                (name for name in kinds if isinstance(error.instance, dict) and name not in error.instance), ""
            )
            return Problem(where, f'"{missing}" is missing', "it is described as always there")
        case "enum" | "const":
            return Problem(where, f"{short(_plain(error.instance))} is none of the values described", "")
        case "anyOf" | "oneOf":
            return Problem(where, f"{short(_plain(error.instance))} is none of the alternatives described", "")
    return Problem(where, error.message[:200], "")


def _plain(value: Any) -> Any:
    return (
        value
        if isinstance(value, str)
        else f"{value!s}"[:80]
        if not isinstance(value, (dict, list))
        else "a list"
        if isinstance(value, list)
        else "an object"
    )
