"""A pasted address taken apart into base address, path, query and inputs, so that joining it again gives the identical
text."""

import re
from dataclasses import dataclass
from urllib.parse import unquote, urlsplit

from msgspec import structs

from rondine.core.errors import InputError
from rondine.core.http.messages import origin
from rondine.core.names import proposed_name
from rondine.core.operations.document import OperationDocument, Parameter
from rondine.core.operations.inputs import Input
from rondine.core.operations.values import ValueOf
from rondine.core.protocols.styles import encoded

#: How documentation writes a place to fill in, inside a path step or as a whole query value.
_PLACEHOLDER = re.compile(
    r"\{([A-Za-z][\w-]*)\}|<([A-Za-z][\w -]*)>|:([A-Za-z][\w-]*)|%7B([A-Za-z][\w-]*)%7D", re.ASCII
)


@dataclass(frozen=True, slots=True)
class TakenApart:
    """base_address: scheme, host and port.  operation: path, query and inputs.  joined: the address as it was."""

    base_address: str
    operation: OperationDocument
    name: str
    title: str
    joined: str


def parse_address(address: str, method: str = "GET") -> TakenApart:
    """Raises InputError if the text is not a http(s) address, or holds a user name or password."""
    address = address.strip()
    found = re.match(r"(GET|HEAD|POST|PUT|PATCH|DELETE)\s+(?=https?://)", address)
    if found:
        method, address = found.group(1), address[found.end() :]
    if not re.match(r"https?://", address, re.IGNORECASE):
        raise InputError(
            f'"{address[:80]}" is not an address',
            where="address",
            hint="paste it whole, beginning with http:// or https://",
        )
    if re.search(r"[\s\x00-\x1f]", address):
        raise InputError(
            "the address holds a blank or line break",
            where="address",
            hint="paste one address; a blank in a value is written %20",
        )
    try:
        parts = urlsplit(address)
        host, _ = parts.hostname, parts.port
    except ValueError as error:
        raise InputError(
            f"the address cannot be read: {error}", where="address", hint="check its host and port"
        ) from error
    if not host:
        raise InputError(
            "the address has no host", where="address", hint="paste it whole, such as https://register.example/v1/trees"
        )
    if "@" in parts.netloc:
        raise InputError(
            "the address holds a user name or password",
            where="address",
            hint="take it out and keep it as a credential of the connection",
        )
    inputs: dict[str, Input] = {}
    path = "/".join(_path_step(step, inputs) for step in parts.path.split("/")) or "/"
    query = [_parameter(pair, inputs) for pair in parts.query.split("&") if parts.query]
    words = [
        step
        for step in parts.path.split("/")
        if step and not _PLACEHOLDER.fullmatch(step) and not re.fullmatch(r"v?\d+(\.\d+)*", step)
    ]
    verb = (
        method.capitalize()
        if method != "GET"
        else "Find"
        if _PLACEHOLDER.fullmatch(path.rpartition("/")[2])
        else "List"
    )
    title = f"{verb} {unquote(words[-1]).replace('-', ' ').replace('_', ' ')}" if words else "New operation"
    operation = OperationDocument(method=method, path=path, inputs=list(inputs.values()), query=query)  # type: ignore[arg-type]
    joined = f"{parts.scheme}://{parts.netloc}{parts.path}" + (f"?{parts.query}" if parts.query else "")
    return TakenApart(f"{parts.scheme}://{parts.netloc}", operation, proposed_name(title), title, joined)


@dataclass(frozen=True, slots=True)
class Placed:
    """operation: with its path below a base address.  difference: where it goes instead of the pasted address, in
    words; empty if it goes there."""

    operation: OperationDocument
    difference: str


def placed_below(operation: OperationDocument, pasted_base: str, base_address: str) -> Placed:
    """An operation of a pasted address, to be sent below a base address with a path of its own: what both have in
    common stands there once.

    pasted_base: scheme, host and port that were pasted; empty if only a path was.
    """
    try:
        common = urlsplit(base_address).path.rstrip("/")
        is_there = not pasted_base or origin(pasted_base) == origin(base_address)
    except ValueError:
        return Placed(operation, "")
    is_below = not common or operation.path == common or operation.path.startswith(f"{common}/")
    path = operation.path[len(common) :] if is_below else operation.path
    placed = structs.replace(operation, path=path)
    if is_there and is_below:
        return Placed(placed, "")
    pasted = f"{pasted_base}{operation.path}"
    sent = f"{base_address.rstrip('/')}{path}"
    return Placed(placed, f"the pasted address is {pasted}, and below the connection's base address it goes to {sent}")


def _path_step(step: str, inputs: dict[str, Input]) -> str:
    if step.startswith(":") or "{" in step or "<" in step or "%7B" in step:
        return (
            _PLACEHOLDER.sub(
                lambda m: "{" + _input(next(g for g in m.groups() if g), inputs, required=True) + "}", step
            )
            .replace("%7B", "{")
            .replace("%7D", "}")
        )
    return step


def _parameter(pair: str, inputs: dict[str, Input]) -> Parameter:
    name, equals, value = pair.partition("=")
    placeholder = _PLACEHOLDER.fullmatch(value)
    plain_name = unquote(name)
    if placeholder and not value.startswith(":"):
        return Parameter(
            name=plain_name,
            value=ValueOf(input=_input(next(g for g in placeholder.groups() if g), inputs, required=False)),
        )
    plain = unquote(value)
    if equals and encoded(plain_name) == name and encoded(plain) == value:
        return Parameter(name=plain_name, value=plain)
    return Parameter(name=name if value else pair, value=value, encoded=True)


def _input(text: str, inputs: dict[str, Input], *, required: bool) -> str:
    name = re.sub(r"\W+", "_", text.strip())
    inputs.setdefault(name, Input(name=name, required=required))
    return name
