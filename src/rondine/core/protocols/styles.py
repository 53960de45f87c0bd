"""How lists and objects are written into a path, query, header or cookie (OpenAPI 3.1, "Style Values"; RFC 6570).

A plain value is written the same way in every style.
"""

import re
from collections.abc import Mapping
from typing import Any
from urllib.parse import quote

import uritemplate

from rondine.core.documents.json import json_text
from rondine.core.errors import InputError
from rondine.core.http.messages import QUERY_SAFE
from rondine.core.http.templates import PREFIXED, template_fault
from rondine.core.operations.inputs import value_text

#: What may stand unencoded in one of several values that a comma, blank or bar parts.
_ELEMENT_SAFE = QUERY_SAFE.replace(",", "")
#: What parts several values of one pair, unencoded.
BETWEEN = {"form": ",", "spaceDelimited": " ", "pipeDelimited": "|"}
_BETWEEN = {style: quote(text, safe=",") for style, text in BETWEEN.items()}


def query_pairs(name: str, value: Any, style: str, *, explode: bool) -> list[str]:
    """The pairs `name=value` of a query, percent-encoded (RFC 3986); none for an empty list or object."""
    is_parted = isinstance(value, (list, dict)) and not explode and style in _BETWEEN
    between, safe = (_BETWEEN[style], _ELEMENT_SAFE) if is_parted else ("", QUERY_SAFE)
    return [
        f"{encoded(key)}={between.join(quote(text, safe=safe) for text in texts)}"
        for key, texts in styled_pairs(name, value, style, explode=explode)
    ]


def styled_pairs(name: str, value: Any, style: str, *, explode: bool) -> list[tuple[str, list[str]]]:
    """(name, the texts of its value) of each pair, unencoded. Several texts of one pair are parted as BETWEEN says;
    there is at least one."""
    if style == "json":
        return [(name, [json_text(value)])]
    if isinstance(value, dict):
        members = [(str(key), one) for key, one in value.items() if one is not None]
        if style == "deepObject":
            return [pair for key, one in members for pair in _deep(f"{name}[{key}]", one)]
        if explode:
            return [(key, [scalar_text(one)]) for key, one in members]
        flat = [text for key, one in members for text in (key, scalar_text(one))]
    elif isinstance(value, list):
        flat = [scalar_text(one) for one in value if one is not None]
        if explode or style == "deepObject":
            return [(name, [text]) for text in flat]
    else:
        return [(name, [value_text(value)])]
    return [(name, flat)] if flat else []


def _deep(name: str, value: Any) -> list[tuple[str, list[str]]]:
    if isinstance(value, dict):
        return [pair for key, one in value.items() if one is not None for pair in _deep(f"{name}[{key}]", one)]
    if isinstance(value, list):
        return [pair for one in value for pair in _deep(name, one)]
    return [(name, [scalar_text(value)])]


def header_text(value: Any, *, explode: bool) -> str:
    """A header's value, style "simple": elements parted by commas, members as `key=value` or `key,value`."""
    if isinstance(value, list):
        return ",".join(scalar_text(one) for one in value if one is not None)
    if isinstance(value, dict):
        between = "=" if explode else ","
        return ",".join(f"{key}{between}{scalar_text(one)}" for key, one in value.items() if one is not None)
    return value_text(value)


def header_line(name: str, value: Any, *, explode: bool) -> str:
    """A header's value, which is one line. Raises InputError for one that is not."""
    text = header_text(value, explode=explode)
    if re.search(r"[\r\n\0]", text):
        raise InputError(
            f'the value for header "{name}" has a line break', where=f"/{name}", hint="give it on one line"
        )
    return text


def path_value(value: Any) -> Any:
    """A value as a path template takes it: a text, a list of texts, or pairs in their order."""
    if isinstance(value, list):
        return [scalar_text(one) for one in value if one is not None]
    if isinstance(value, dict):
        return [(str(key), scalar_text(one)) for key, one in value.items() if one is not None]
    return value_text(value)


def expand(template: str, values: Mapping[str, Any]) -> str:
    """A path template filled in (RFC 6570); what has no value is left out. Raises InputError for one that is not
    well-formed."""
    check_template(template)
    for found in PREFIXED.finditer(template):
        if isinstance(values.get(found.group(1)), (list, dict)):
            words = f'"{found.group(1)}" is a list or an object, of which "{found.group(0)}" cannot be taken'
            raise InputError(
                words, where="/path", hint="a length goes with plain values alone (RFC 6570, section 2.4.1)"
            )
    return uritemplate.URITemplate(template).expand(
        {name: path_value(value) for name, value in values.items() if value is not None}
    )


def check_template(template: str) -> None:
    """Raises InputError for what is not a template (RFC 6570, section 2)."""
    if fault := template_fault(template):
        words = fault.replace("the braces", "the path's braces")
        raise InputError(words, where="/path", hint="such as {name}, {name*}, {.name}, {;name}, {?name} (RFC 6570)")


def scalar_text(value: Any) -> str:
    """One element of a list: as it is written alone, JSON if it is a list or object itself."""
    return json_text(value) if isinstance(value, (dict, list)) else value_text(value)


def encoded(text: str) -> str:
    """Text as a query's name or value (RFC 3986): only what must be is percent-encoded, and "+" too, since forms read
    it as a blank."""
    return quote(text, safe=QUERY_SAFE)
