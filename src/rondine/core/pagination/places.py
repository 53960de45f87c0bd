"""Places in responses that strategies go by: JSON Pointers, XPaths, and JSONPaths from `$` on."""

from rondine.core.errors import PathError
from rondine.core.paths import parse_jsonpath, parse_pointer, parse_xpath


def check_place(text: str) -> None:
    """Raises ValueError, which settings tell with their field, if a text is no place at all."""
    try:
        parse_jsonpath(text) if text.startswith("$") else parse_pointer(text)
    except PathError as error:
        try:
            parse_xpath(text)
        except PathError:
            raise ValueError(str(error)) from error
