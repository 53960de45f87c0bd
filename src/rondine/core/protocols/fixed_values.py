"""Values that are written into operations and mappings: found, and turned into inputs."""

import re
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from msgspec import UNSET

from rondine.core.errors import InputError, NotFound
from rondine.core.mapping.document import MappingDocument
from rondine.core.names import proposed_name, singular
from rondine.core.operations.document import OperationDocument, values_of
from rondine.core.operations.inputs import Input, checked_inputs
from rondine.core.operations.values import parts_of
from rondine.core.paths.place import parse_pointer, resolve
from rondine.core.protocols.rest import UnknownStanding, build_request
from rondine.core.settings import dump, load

#: Headers that say how the two sides speak, not what is asked for.
_OF_HTTP = {"accept", "accept-encoding", "accept-language", "content-type", "prefer", "soapaction", "user-agent"}
#: Segments of a path that look like values: a digit is in them, and they are no version of the service.
_VALUE = re.compile(r"(?=.*\d)(?!v?\d+(\.\d+)*$)[^{}]+|\d{3,}")
_WHOLE = re.compile(r"0|-?[1-9]\d{0,17}")
#: Values that stand for an input's while two requests are compared.
_EXAMPLES = {
    "text": "a",
    "integer": 1,
    "decimal": 1,
    "boolean": True,
    "date": "2026-01-02",
    "datetime": "2026-01-02T03:04:05Z",
    "json": "a",
}


@dataclass(frozen=True, slots=True)
class FixedValue:
    """place: JSON Pointer to the text in the document; of a path, /path/ and the number of the segment.  name: what it
    is sent as, or fills.  is_guess: it may belong to the address."""

    place: str
    name: str
    value: str
    is_guess: bool = False


def fixed_values(document: OperationDocument | MappingDocument) -> list[FixedValue]:
    """Every value that is sent, or kept, as it is written, in the order of the document."""
    if isinstance(document, MappingDocument):
        return list(_of_mapping(dump(document).get("outputs", []), "/outputs", ""))
    return [*_of_path(document.path), *_of_values(document)]


def _of_path(path: str) -> Iterator[FixedValue]:
    segments = path.partition("?")[0].split("/")
    for number, segment in enumerate(segments):
        if _VALUE.fullmatch(segment):
            before = segments[number - 1] if number else ""
            yield FixedValue(
                f"/path/{number}", singular(before) if before.isalpha() else "part", segment, is_guess=True
            )


def _of_values(document: OperationDocument) -> Iterator[FixedValue]:
    dumped = dump(document)
    for place, value in values_of(document):
        if value == "" or value is None:
            continue  # a part that is not there, such as an OData option
        holder = _at(dumped, place)
        is_whole = not isinstance(holder, dict) or "value" not in holder
        name = _name(holder, place)
        if isinstance(holder, dict) and holder.get("enabled") is False:
            continue
        if place.startswith("/headers/") and name.lower() in _OF_HTTP:
            continue
        at = place if is_whole else f"{place}/value"
        for number, part in enumerate(parts_of(value)):
            if isinstance(part, str) and part.strip():
                yield FixedValue(f"{at}/{number}" if isinstance(value, list) else at, name, part)


def _name(holder: Any, place: str) -> str:
    if isinstance(holder, dict):
        for member in ("name", "pointer", "at", "field", "property"):
            if isinstance(holder.get(member), str) and holder[member].strip("/"):
                return str(holder[member]).strip("/").replace("/", ".")
    return next(step for step in reversed(place.split("/")) if not step.isdecimal())


def _of_mapping(value: Any, place: str, name: str) -> Iterator[FixedValue]:
    """Sources that are a value themselves, wherever one may stand, and what fills a field that nothing fills."""
    if isinstance(value, dict):
        if isinstance(value.get("name"), str):
            name = value["name"]
        for member, held in value.items():
            if member == "default" and held is not None and "from" in value:
                yield FixedValue(f"{place}/default", name, _shown(held))
            elif member == "from" and isinstance(held, dict) and "value" in held:
                yield FixedValue(f"{place}/from/value", name, _shown(held["value"]))
            else:
                yield from _of_mapping(held, f"{place}/{member}", name)
    elif isinstance(value, list):
        for number, held in enumerate(value):
            if place.endswith(("/first_of", "/several")) and isinstance(held, dict) and "value" in held:
                yield FixedValue(f"{place}/{number}/value", name, _shown(held["value"]))
            else:
                yield from _of_mapping(held, f"{place}/{number}", name)


def _shown(value: Any) -> str:
    return value if isinstance(value, str) else str(value)


def make_input(document: OperationDocument, place: str, name: str = "") -> tuple[OperationDocument, str]:
    """The operation with an input in place of a fixed value, whose default is that value, so that it asks for the same
    as before; and the input's name.

    place: as `fixed_values` tells it.  name: of the input, by default after what the value is sent as. Raises NotFound
    if no fixed value is there, and InputError if an input would be sent otherwise.
    """
    fixed = next((one for one in fixed_values(document) if one.place == place), None)
    if fixed is None:
        raise NotFound("no fixed value is there", where=place, hint="see which there are: rondine release fixed-values")
    taken = {one.name for one in document.inputs}
    if name in taken:
        raise InputError(f'there is an input "{name}" already', where="/name", hint="take another name")
    name = name or proposed_name(fixed.name, separator="_", taken=taken)
    types = ["integer", "text"] if _WHOLE.fullmatch(fixed.value) else ["text"]
    before = _request(document)
    for kind in types if before is not None else ():
        default = int(fixed.value) if kind == "integer" else fixed.value
        changed = _placed(document, fixed, name)
        made = load(
            OperationDocument,
            {**changed, "inputs": [*changed.get("inputs", []), {"name": name, "type": kind, "default": default}]},
        )
        if _request(made) == before:
            return made, name
    words = "would be sent otherwise" if before is not None else "cannot be shown to be sent as it is"
    raise InputError(
        f'"{fixed.value[:60]}" {words} if it were the value of an input',
        where=place,
        hint="put an input there by hand, and look at the request",
    )


def make_standing(document: MappingDocument, place: str, name: str) -> tuple[MappingDocument, str | int | bool]:
    """The mapping with a standing value in place of a fixed one, and that value, which is to be set where it runs.

    Raises NotFound if no fixed value is there, and InputError for one that a standing value cannot be."""
    if place not in {one.place for one in fixed_values(document)}:
        raise NotFound("no fixed value is there", where=place, hint="see which there are: rondine release fixed-values")
    changed = dump(document)
    parent = place.rpartition("/")[0]
    source = _at(changed, parent)
    value = source.get("value")
    if place.endswith("/default") or not isinstance(value, (str, int, bool)):
        raise InputError(
            "what stands there cannot be a standing value",
            where=place,
            hint="a standing value is a text, a whole number or a yes or no, in place of where a field comes from",
        )
    del source["value"]
    source["standing"] = name
    return load(MappingDocument, changed), value


def _placed(document: OperationDocument, fixed: FixedValue, name: str) -> dict[str, Any]:
    """The document with the input's place where the value was."""
    changed: dict[str, Any] = dump(document)
    if fixed.place.startswith("/path/"):
        path, question, query = document.path.partition("?")
        segments = path.split("/")
        segments[int(fixed.place.rpartition("/")[2])] = f"{{{name}}}"
        return {**changed, "path": "/".join(segments) + question + query}
    parent, _, last = fixed.place.rpartition("/")
    holder = _at(changed, parent)
    holder[int(last) if isinstance(holder, list) else last] = {"input": name}
    return changed


def _request(document: OperationDocument) -> Any:
    """What is sent with the defaults, and some value for each input without one; None if that cannot be told."""
    with suppress(InputError):
        values = {one.name: _example(one) for one in document.inputs if one.default is UNSET}
        checked = checked_inputs(document.inputs, values, {})
        request = build_request(document, "https://service.invalid", checked, standing=UnknownStanding()).request
        return request.method, request.url, request.headers, request.body
    return None


def _example(input_: Input) -> Any:
    return input_.allowed[0] if input_.allowed else _EXAMPLES[input_.type]


def _at(document: Any, pointer: str) -> Any:
    found = resolve(document, parse_pointer(pointer))
    assert found is not None, "the place was told by the document itself"
    return found[1]
