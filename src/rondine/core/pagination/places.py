"""Places in responses that strategies go by: JSON Pointers, XPaths, and JSONPaths from `$` on."""

from collections.abc import Mapping
from typing import Any

from rondine.core.documents.elements import text_of
from rondine.core.documents.reading import ReadDocument
from rondine.core.errors import PathError
from rondine.core.paths import parse_jsonpath, parse_pointer, parse_xpath, resolve


def check_place(text: str) -> None:
    """Raises ValueError, which settings tell with their field, if a text is no place at all."""
    try:
        parse_jsonpath(text) if text.startswith("$") else parse_pointer(text)
    except PathError as error:
        try:
            parse_xpath(text)
        except PathError:
            raise ValueError(str(error)) from error


def wanted_values(read: ReadDocument, wanted: Mapping[str, str]) -> dict[str, Any]:
    """What a strategy asked for: the values at places, by name; what is not there is left out."""
    return {name: found for name, place in wanted.items() if (found := value_at(read, place)) is not None}


def value_at(read: ReadDocument, place: str) -> Any:
    """The value at a place that a strategy asked for: a JSON Pointer or JSONPath, in XML an XPath; None if there is
    none."""
    if read.is_xml:
        elements = parse_xpath(place).find(read.value)
        return text_of(elements[0].value) if elements else None
    if place.startswith("$"):
        nodes = parse_jsonpath(place).find(read.value)
        return nodes[0].value if nodes else None
    found = resolve(read.value, parse_pointer(place))
    return found[1] if found is not None else None
