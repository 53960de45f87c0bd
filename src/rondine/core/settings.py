"""Settings and documents: frozen msgspec structs are the one source of their JSON Schema, their stored form and their
checks.

`load` is strict: an unknown field, a wrong type or a missing part is an InputError that says where (a JSON Pointer) and
names the nearest known field. `dump` writes plain JSON values, leaving out what equals its default, so that stored
documents stay short and old ones load.
"""

import re
from collections.abc import Mapping
from decimal import Decimal
from functools import cache
from threading import RLock
from types import UnionType
from typing import Annotated, Any, ClassVar, Literal, TypeVar, Union, get_args, get_origin, get_type_hints, overload

import msgspec

from rondine.core.documents.json import plain_decimal, pointer_text
from rondine.core.errors import InputError, did_you_mean

T = TypeVar("T")
#: Of a field's Meta: a text of several lines, for which its form has room.
LONG_TEXT = {"form": "long_text"}


class Document(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, kw_only=True):
    """Base of every settings and document value. RARE: fields that few need; forms put them behind the others.
    REFERENCES: fields that hold the name of an item -> its kind, as in the API's paths (`core/references.py`).  GIVEN:
    fields with a value for an input, which may be `{"standing": name}`; GIVEN_BY_NAME: with such values by the names of
    inputs."""

    RARE: ClassVar[frozenset[str]] = frozenset()
    REFERENCES: ClassVar[Mapping[str, str]] = {}
    GIVEN: ClassVar[frozenset[str]] = frozenset()
    GIVEN_BY_NAME: ClassVar[frozenset[str]] = frozenset()


@overload
def load(kind: type[T], value: object, *, where: str = "") -> T: ...
@overload
def load(kind: Any, value: object, *, where: str = "") -> Any: ...
def load(kind: Any, value: object, *, where: str = "") -> Any:
    """The value as `kind` (a Document class or a union of them). Raises InputError with the place."""
    make_known(kind)
    try:
        return msgspec.convert(value, type=kind)
    except msgspec.ValidationError as error:
        raise _to_input_error(str(error), kind, where, value) from error


_known: set[Any] = set()
_making_known = RLock()


def make_known(kind: Any) -> None:
    """Before a value is converted to `kind`. msgspec finds out what a class is made of when the class is first used,
    and a thread that uses it meanwhile gets half of that, which ends the process; so it is done once, by one thread."""
    if kind in _known:
        return
    with _making_known:
        msgspec.json.Decoder(kind)
        _known.add(kind)


def dump(value: object) -> Any:
    """Plain JSON values: dict, list, str, int, float, bool, None. What equals its default is left out, so that equal
    documents are stored equally."""
    if isinstance(value, Document):
        config = value.__struct_config__
        out = {str(config.tag_field): config.tag} if config.tag_field else {}
        for name, encoded, default in _fields_of(type(value)):
            held = getattr(value, name)
            if held is not msgspec.UNSET and held != default:
                out[encoded] = dump(held)
        return out
    if value is None or isinstance(value, (str, bool, int)):
        return value
    if isinstance(value, Decimal):
        return plain_decimal(value)
    if isinstance(value, (list, tuple)):
        return [dump(one) for one in value]
    if isinstance(value, dict):
        return {name: dump(one) for name, one in value.items()}
    return msgspec.to_builtins(value)


@cache
def _fields_of(kind: type[Document]) -> tuple[tuple[str, str, object], ...]:
    """(name, name in the stored form, default) of each field; a required one has UNSET for its default, which no value
    equals."""
    return tuple(
        (
            field.name,
            field.encode_name,
            (
                msgspec.UNSET
                if field.required
                else field.default_factory()
                if field.default is msgspec.NODEFAULT
                else field.default
            ),
        )
        for field in msgspec.structs.fields(kind)
    )


def _to_input_error(text: str, kind: Any, where: str, whole: object) -> InputError:
    """msgspec's message as one of ours: `Object contains unknown field `x` - at `$.a[0]``. whole: the value, so
    that only what it could be is suggested.
    """
    message, _, path = text.partition(" - at `")
    steps = [part.strip("[]").removeprefix(".") for part in re.findall(r"\.[^.\[]+|\[[^\]]*\]", path.rstrip("`"))]
    hints, value, steps = _hints_at(kind, steps, whole)
    place = where + pointer_text(tuple(steps)) or "/"
    if unknown := re.search(r"unknown field `([^`]*)`", message):
        name = unknown.group(1)
        known = {
            name
            for alternative in _alternatives(hints, value)
            if _is_struct(alternative)
            for name in alternative.__struct_encode_fields__
        }
        return InputError(
            f'there is no field "{name}" here', where=f"{place.rstrip('/')}/{name}", hint=did_you_mean(name, known)
        )
    if missing := re.search(r"missing required field `([^`]*)`", message):
        return InputError(f'"{missing.group(1)}" is missing', where=place, hint="give it a value")
    if invalid := re.fullmatch(r"Invalid (?:enum )?value '?(.*?)'?", message):
        words = f'"{invalid.group(1)[:80]}" is not allowed here'
        return InputError(words, where=place, hint=did_you_mean(invalid.group(1), _choices(hints, kind, steps, whole)))
    if "matching regex" in message and (said := _said_of(hints)):
        return InputError(f'"{str(value)[:80]}" is not allowed here', where=place, hint=said)
    if mistaken := re.fullmatch(r"Expected `([^`]+)`, got `([^`]+)`", message):
        wanted, got = (" or ".join(_KINDS.get(one, one) for one in kinds.split(" | ")) for kinds in mistaken.groups())
        return InputError(f"{wanted} is expected here, not {got}", where=place)
    return InputError(message[:1].lower() + message[1:].replace("`", '"'), where=place)


#: msgspec's names of kinds, in words.
_KINDS = {
    "array": "a list",
    "object": "an object",
    "str": "a text",
    "null": "null",
    "int": "a whole number",
    "float": "a number",
    "bool": "true or false",
}


def _hints_at(kind: Any, steps: list[str], value: object) -> tuple[list[Any], object, list[str]]:
    """(the types that a place of a document may have, the value there, the steps that lead to it). A step that msgspec
    writes as two points is a member of an object, the first that does not fit.
    """
    hints: list[Any] = [kind]
    taken: list[str] = []
    for step in steps:
        if step == ".." and isinstance(value, dict):
            step = next(
                (name for name, one in value.items() if not any(_fits(hint, {name: one}) for hint in hints)), step
            )
        taken.append(step)
        following: list[Any] = []
        for alternative in _alternatives(hints, value):
            if _is_struct(alternative):
                encoded = dict(zip(alternative.__struct_encode_fields__, alternative.__struct_fields__, strict=True))
                following += (
                    [get_type_hints(alternative, include_extras=True)[encoded[step]]] if step in encoded else []
                )
            elif get_origin(alternative) is dict:
                following.append(get_args(alternative)[1])
            else:
                following += [arg for arg in get_args(alternative) if arg is not Ellipsis]
        hints = following
        if isinstance(value, dict):
            value = value.get(step)
        else:
            value = value[int(step)] if isinstance(value, list) and step.isdigit() and int(step) < len(value) else None
    return hints, value, taken


def _fits(hint: Any, value: object) -> bool:
    try:
        msgspec.convert(value, type=hint)
    except msgspec.ValidationError:
        return False
    return True


def _alternatives(hints: list[Any], value: object) -> list[Any]:
    """What a value may be: unions opened; of tagged classes only the one that the value says it is, if it says one of
    them."""
    out: list[Any] = []
    for hint in hints:
        if get_origin(hint) is Annotated:
            out += _alternatives([get_args(hint)[0]], value)
        elif get_origin(hint) in (Union, UnionType):
            out += _alternatives(list(get_args(hint)), value)
        else:
            out.append(hint)
    tagged = [one for one in out if _is_struct(one) and isinstance(value, dict) and one.__struct_config__.tag]
    meant = [one for one in tagged if value.get(one.__struct_config__.tag_field) == one.__struct_config__.tag]  # type: ignore[attr-defined]
    return meant or out


def _choices(hints: list[Any], kind: Any, steps: list[str], whole: object) -> list[str]:
    """The plain values allowed at a place: those of a Literal, or the tags of what is around it."""
    found = [
        str(arg)
        for alternative in _alternatives(hints, None)
        if get_origin(alternative) is Literal
        for arg in get_args(alternative)
    ]
    around, _, _ = _hints_at(kind, steps[:-1], whole)
    structs = [alternative for alternative in _alternatives(around, None) if _is_struct(alternative)]
    return found or [
        str(struct.__struct_config__.tag) for struct in structs if struct.__struct_config__.tag_field == steps[-1]
    ]


def _said_of(hints: list[Any]) -> str:
    """What a type says of itself in words."""
    metas = [arg for hint in hints if get_origin(hint) is Annotated for arg in get_args(hint)[1:]]
    return next((meta.description for meta in metas if isinstance(meta, msgspec.Meta) and meta.description), "")


def _is_struct(hint: Any) -> bool:
    return isinstance(hint, type) and issubclass(hint, msgspec.Struct)


def documents_in(kind: Any) -> dict[str, type[Document]]:
    """Every document class that a document is made of, itself among them, by name."""
    found: dict[str, type[Document]] = {}
    ahead = [kind]
    while ahead:
        for alternative in _alternatives([ahead.pop()], None):
            if not (isinstance(alternative, type) and issubclass(alternative, Document)):
                ahead += [arg for arg in get_args(alternative) if arg is not Ellipsis]
            elif alternative.__name__ not in found:
                found[alternative.__name__] = alternative
                ahead += get_type_hints(alternative).values()
    return found
