"""Settings and documents: frozen msgspec structs are the one source of their JSON Schema, their stored form and their checks.

`load` is strict: an unknown field, a wrong type or a missing part is an InputError that says where (a JSON Pointer) and names the nearest
known field. `dump` writes plain JSON values, leaving out what equals its default, so that stored documents stay short and old ones load.
"""

import re
from functools import cache
from typing import Any, ClassVar, TypeVar, get_args, get_type_hints

import msgspec

from rondine.core.errors import InputError, did_you_mean

T = TypeVar("T")


class Document(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, kw_only=True):
    """Base of every settings and document value. RARE: fields that few need; forms put them behind the others."""

    RARE: ClassVar[frozenset[str]] = frozenset()


def load(kind: Any, value: object, *, where: str = "") -> Any:
    """The value as `kind` (a Document class or a union of them). Raises InputError with the place."""
    try:
        return msgspec.convert(value, type=kind)
    except msgspec.ValidationError as error:
        raise to_input_error(str(error), kind, where) from error


def dump(value: object) -> Any:
    """Plain JSON values: dict, list, str, int, float, bool, None. What equals its default is left out, so that equal documents are stored equally."""
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
    if isinstance(value, (list, tuple)):
        return [dump(one) for one in value]
    if isinstance(value, dict):
        return {name: dump(one) for name, one in value.items()}
    return msgspec.to_builtins(value)


@cache
def _fields_of(kind: type[Document]) -> tuple[tuple[str, str, object], ...]:
    """(name, name in the stored form, default) of each field; a required one has UNSET for its default, which no value equals."""
    return tuple(
        (
            one.name,
            one.encode_name,
            msgspec.UNSET
            if one.required
            else one.default_factory()
            if one.default is msgspec.NODEFAULT
            else one.default,
        )
        for one in msgspec.structs.fields(kind)
    )


def to_input_error(text: str, kind: Any, where: str) -> InputError:
    """msgspec's message as one of ours: `Object contains unknown field `x` - at `$.a[0]``."""
    message, _, path = text.partition(" - at `")
    pointer = "".join("/" + part.strip("[].") for part in re.findall(r"\.[^.\[]+|\[[^\]]*\]", path.rstrip("`")))
    unknown = re.search(r"unknown field `([^`]*)`", message)
    place = f"{where}{pointer}" or "/"
    if unknown:
        name = unknown.group(1)
        known = _fields_at(kind, pointer)
        return InputError(
            f'there is no field "{name}" here', where=f"{place.rstrip('/')}/{name}", hint=did_you_mean(name, known)
        )
    missing = re.search(r"missing required field `([^`]*)`", message)
    if missing:
        return InputError(f'"{missing.group(1)}" is missing', where=place, hint="give it a value")
    return InputError(message[:1].lower() + message[1:].replace("`", '"'), where=place)


def _fields_at(kind: Any, pointer: str) -> list[str]:
    """The field names known at a pointer of a document, gathered over the members of a union."""
    kinds = [kind]
    for part in pointer.split("/")[1:]:
        if part.isdigit() or part == "...":
            continue  # an element or a member: `_flat` has opened the container already
        following: list[Any] = []
        for one in _flat(kinds):
            if isinstance(one, type) and issubclass(one, msgspec.Struct):
                encoded = dict(zip(one.__struct_encode_fields__, one.__struct_fields__, strict=True))
                following += [get_type_hints(one)[encoded[part]]] if part in encoded else []
        kinds = following
    return sorted(
        {
            name
            for one in _flat(kinds)
            if isinstance(one, type) and issubclass(one, msgspec.Struct)
            for name in one.__struct_encode_fields__
        }
    )


def documents_in(kind: Any) -> dict[str, type[Document]]:
    """Every document class that a document is made of, itself among them, by name."""
    found: dict[str, type[Document]] = {}
    ahead = _flat([kind])
    while ahead:
        one = ahead.pop()
        if isinstance(one, type) and issubclass(one, Document) and one.__name__ not in found:
            found[one.__name__] = one
            ahead += _flat(list(get_type_hints(one).values()))
    return found


def _flat(kinds: list[Any]) -> list[Any]:
    """Unions and containers opened up to the classes they hold."""
    out: list[Any] = []
    for kind in kinds:
        args = get_args(kind)
        if isinstance(kind, type) and not args:
            out.append(kind)
        else:
            out += _flat([arg for arg in args if arg is not Ellipsis and not isinstance(arg, (str, int))])
    return out
