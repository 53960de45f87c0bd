"""OData requests: keys, functions and system query options, with every value written as a literal of its type.

OData 4.01 Part 1 "Requesting Data" and Part 2 "Literal Data Values"; OData 3.0 and 2.0 "URI Conventions" where they
differ. Nothing is glued into a query text: a quote mark in a value stays within its literal.
"""

import re
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from rondine.core.documents.json import json_text
from rondine.core.errors import InputError
from rondine.core.operations.inputs import value_text
from rondine.core.operations.odata import Condition, Expand, Literally, ODataQuery, Order, Version
from rondine.core.operations.values import Value, ValueOf
from rondine.core.protocols.styles import encoded

Read = Callable[[Value], Any]


def odata_path(query: ODataQuery, read: Read) -> str:
    """The key and what follows it. Raises InputError if a part of the key has no value."""
    out = ""
    if query.key:
        parts = []
        for one in query.key:
            value = read(one.value)
            if value is None:
                raise InputError(
                    f'the key needs a value for "{one.name}"', where=f"/{one.name}", hint="give the input a value"
                )
            text = literal(value, one.type, query.version)
            parts.append(_in_path(f"{one.name}={text}" if len(query.key) > 1 else text))
        out = f"({','.join(parts)})"
    out += query.then
    if query.is_function and not query.is_before_4:
        given = [(argument, read(argument.value)) for argument in query.arguments]
        texts = [
            (
                f"{one.name}=@{one.name}"
                if one.as_json
                else _in_path(f"{one.name}={literal(value, one.type, query.version)}")
            )
            for one, value in given
            if value is not None
        ]
        out += f"({','.join(texts)})"
    return out


_NUMBERS = frozenset(
    {"Edm.Byte", "Edm.SByte", "Edm.Int16", "Edm.Int32", "Edm.Int64", "Edm.Decimal", "Edm.Double", "Edm.Single"}
)
#: A value of each type, by which a literal shows what stands around the value.
_SAMPLES = {
    "Edm.Boolean": "true", "Edm.Guid": "00000000-0000-0000-0000-000000000000", "Edm.Date": "2026-01-01",
    "Edm.TimeOfDay": "00:00:00",
    "Edm.DateTime": "2026-01-01T00:00:00", "Edm.DateTimeOffset": "2026-01-01T00:00:00Z", "Edm.Duration": "P1D",
    "Edm.Time": "P1D",
    **dict.fromkeys(_NUMBERS, "7"),
}  # fmt: skip


def path_template(query: ODataQuery) -> str:
    """The key, what follows it and a function's arguments as a template (RFC 6570), with the inputs' names in the
    places of their values."""
    if not query.key and not query.then and not query.is_function:
        return ""
    out = ""
    if query.key:
        out = f"({','.join(_template(one, query, is_named=len(query.key) > 1) for one in query.key)})"
    out += query.then
    if query.is_function and not query.is_before_4:
        out += f"({','.join(_template(argument, query, is_named=True) for argument in query.arguments)})"
    return out


def _template(one: Literally, query: ODataQuery, *, is_named: bool) -> str:
    if one.as_json:
        return f"{one.name}=@{one.name}"
    sample = _SAMPLES.get(one.type, "x")
    around = literal(sample, one.type, query.version)
    inner = one.value
    text = (
        f"{{{inner.input}}}"
        if isinstance(inner, ValueOf) and inner.input
        else value_text(inner)
        if isinstance(inner, str)
        else "{value}"
    )
    found = around.replace(sample, text, 1)
    return f"{one.name}={found}" if is_named else found


def _in_path(text: str) -> str:
    """Percent-encoded for a path segment: a slash in a literal would part it (OData 4.01 Part 2, section 2)."""
    return encoded(text).replace("/", "%2F").replace("?", "%3F")


def odata_pairs(query: ODataQuery, read: Read) -> list[tuple[str, str]]:
    """The system query options as pairs, not yet encoded."""
    pairs: list[tuple[str, str]] = []
    if query.is_before_4:
        for argument in query.arguments:
            if (value := read(argument.value)) is not None:
                pairs.append((argument.name, literal(value, argument.type, query.version)))
    pairs += [
        (f"@{argument.name}", json_text(value))
        for argument in query.arguments
        if argument.as_json and not query.is_before_4 and (value := read(argument.value)) is not None
    ]
    select = list(query.select)
    if query.is_before_4 and query.expand:
        select = [*(select or ["*"]), *_flat_select(query.expand, "")] if select or _selects(query.expand) else []
    if select:
        pairs.append(("$select", ",".join(select)))
    if text := filter_text(query.filter, query.version, read):
        pairs.append(("$filter", text))
    if query.order:
        pairs.append(("$orderby", _order(query.order)))
    if query.expand:
        before_4 = ",".join(_flat_expand(query.expand, ""))
        pairs.append(
            (
                "$expand",
                before_4 if query.is_before_4 else ",".join(_expand(one, query.version, read) for one in query.expand),
            )
        )
    if query.count:
        pairs.append(("$inlinecount", "allpages") if query.is_before_4 else ("$count", "true"))
    for name, value in (("$top", query.top), ("$skip", query.skip), ("$search", query.search)):
        found = read(value)
        if found is None or found == "":
            continue
        if name != "$search" and not re.fullmatch(r"\d{1,12}", value_text(found)):
            raise InputError(f"{name} takes a whole number", where=f"/odata/{name[1:]}", hint="such as 50")
        pairs.append((name, search_text(value_text(found)) if name == "$search" else value_text(found)))
    return pairs


def search_text(text: str) -> str:
    """A phrase of a search: in quote marks, so that its words are no operators (OData 4.01 Part 2, "Search")."""
    if re.fullmatch(r"\w+", text) and text not in ("AND", "OR", "NOT"):
        return text
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def filter_text(conditions: list[Condition], version: Version, read: Read) -> str:
    """The conditions, joined by "and"; those without a value are left out."""
    texts = []
    for condition in conditions:
        value = read(condition.value)
        if value is not None:
            texts.append(_condition(condition, value, version))
    return " and ".join(texts)


def _condition(one: Condition, value: Any, version: Version) -> str:
    def text(each: Any) -> str:
        return literal(each, one.type, version)

    match one.operator:
        case "contains":
            old = version in ("3.0", "2.0")
            return f"substringof({text(value)},{one.property})" if old else f"contains({one.property},{text(value)})"
        case "startswith" | "endswith":
            return f"{one.operator}({one.property},{text(value)})"
        case "in":
            values = value if isinstance(value, list) else [value]
            if not values:
                return "false"
            if version == "4.01":
                return f"{one.property} in ({','.join(map(text, values))})"
            return "(" + " or ".join(f"{one.property} eq {text(each)}" for each in values) + ")"
    return f"{one.property} {one.operator} {text(value)}"


def _order(orders: list[Order]) -> str:
    return ",".join(f"{order.property} desc" if order.is_descending else order.property for order in orders)


def _expand(one: Expand, version: Version, read: Read) -> str:
    options = []
    if one.select:
        options.append(f"$select={','.join(one.select)}")
    if text := filter_text(one.filter, version, read):
        options.append(f"$filter={text}")
    if one.order:
        options.append(f"$orderby={_order(one.order)}")
    if one.top is not None:
        options.append(f"$top={one.top}")
    if one.expand:
        options.append(f"$expand={','.join(_expand(each, version, read) for each in one.expand)}")
    return f"{one.property}({';'.join(options)})" if options else one.property


def _flat_expand(expands: list[Expand], before: str) -> list[str]:
    return [
        text
        for expand in expands
        for text in (
            _flat_expand(expand.expand, f"{before}{expand.property}/") if expand.expand else [before + expand.property]
        )
    ]


def _selects(expands: list[Expand]) -> bool:
    return any(expand.select or _selects(expand.expand) for expand in expands)


def _flat_select(expands: list[Expand], before: str) -> list[str]:
    return [
        text
        for expand in expands
        for text in [f"{before}{expand.property}/{name}" for name in expand.select or ["*"]]
        + _flat_select(expand.expand, f"{before}{expand.property}/")
    ]


_BARE = re.compile(r"[+-]?\d+(\.\d+)?([eE][+-]?\d+)?|-?INF|NaN")
_GUID = re.compile(r"[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}")
_SUFFIXES = {"Edm.Int64": "L", "Edm.Decimal": "M", "Edm.Double": "d", "Edm.Single": "f"}


def literal(value: Any, kind: str, version: Version) -> str:
    """A value as a literal of its type. Raises InputError if it is none of that type; nothing that is not a literal
    gets out."""
    old = version in ("3.0", "2.0")
    text = value_text(value)
    if kind == "Edm.Boolean":
        if text not in ("true", "false"):
            raise _wrong(value, kind)
        return text
    if kind in _NUMBERS:
        if isinstance(value, Decimal):
            text = format(value, "f")
        if not _BARE.fullmatch(text):
            raise _wrong(value, kind)
        return text + (_SUFFIXES.get(kind, "") if old else "")
    if kind == "Edm.Guid":
        if not _GUID.fullmatch(text):
            raise _wrong(value, kind)
        return f"guid'{text}'" if old else text
    if kind in ("Edm.Date", "Edm.DateTimeOffset", "Edm.DateTime", "Edm.TimeOfDay"):
        return _moment(value, text, kind, old=old)
    if kind in ("Edm.Duration", "Edm.Time"):
        if not re.fullmatch(r"-?P(\d+D)?(T(\d+H)?(\d+M)?(\d+(\.\d+)?S)?)?", text):
            raise _wrong(value, kind)
        return f"time'{text}'" if old else f"duration'{text}'"
    if kind == "Edm.Binary":
        if not re.fullmatch(r"[A-Za-z0-9+/=_-]*", text):
            raise _wrong(value, kind)
        return f"X'{text}'" if old else f"binary'{text}'"
    quoted = "'" + text.replace("'", "''") + "'"
    return quoted if kind.startswith("Edm.") or not kind else f"{kind}{quoted}"


def _moment(value: Any, text: str, kind: str, *, old: bool) -> str:
    if isinstance(value, datetime):
        text = text if kind == "Edm.DateTimeOffset" else value.replace(tzinfo=None).isoformat()
        text = text[:10] if kind == "Edm.Date" else text
    elif isinstance(value, date) and kind in ("Edm.DateTime", "Edm.DateTimeOffset"):
        text = f"{text}T00:00:00" + ("Z" if kind == "Edm.DateTimeOffset" else "")
    pattern = {
        "Edm.Date": r"-?\d{4,}-\d\d-\d\d",
        "Edm.TimeOfDay": r"\d\d:\d\d(:\d\d(\.\d+)?)?",
        "Edm.DateTime": r"\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d+)?)?",
    }.get(kind, r"-?\d{4,}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:\d\d)")
    if not re.fullmatch(pattern, text):
        raise _wrong(value, kind)
    if not old:
        return text
    return f"{'datetimeoffset' if kind == 'Edm.DateTimeOffset' else 'datetime'}'{text}'"


def _wrong(value: Any, kind: str) -> InputError:
    return InputError(f'"{value_text(value)[:80]}" is no {kind}', where=kind, hint="give a value of that type")


def odata_headers(version: Version) -> list[tuple[str, str]]:
    """Fields that say which version is spoken (OData 4.01 Part 1, section 8.1; OData 3.0 Core, section 3.2.6)."""
    if version in ("3.0", "2.0"):
        return [("MaxDataServiceVersion", version)]
    return [("OData-MaxVersion", version)]
