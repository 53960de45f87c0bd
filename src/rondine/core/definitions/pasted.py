"""What people paste from documentation: an address, a whole request as HTTP text, or a list or table of parameters;
made into an operation."""

import re
from dataclasses import dataclass
from typing import Any

from msgspec import UNSET, structs

from rondine.core.definitions.inputs import Inputs, input_name
from rondine.core.definitions.sampled_body import body_from_sample
from rondine.core.errors import DocumentError, InputError
from rondine.core.operations.document import OperationDocument, Parameter
from rondine.core.operations.inputs import Input, InputType
from rondine.core.operations.values import ValueOf
from rondine.core.protocols.address import parse_address
from rondine.core.protocols.problems import FIELD_NAME, OWN_HEADERS

_REQUEST = re.compile(r"(GET|HEAD|POST|PUT|PATCH|DELETE|OPTIONS)[ \t]+(\S+)(?:[ \t]+HTTP/[\d.]+)?[ \t]*\r?$")
_TYPES: dict[str, InputType] = {
    **dict.fromkeys(("string", "str", "text", "varchar", "char", "enum", "uuid", "uri", "url", "email"), "text"),
    **dict.fromkeys(("integer", "int", "int32", "int64", "long", "short", "bigint"), "integer"),
    **dict.fromkeys(("number", "decimal", "float", "double", "numeric"), "decimal"),
    **dict.fromkeys(("boolean", "bool", "flag"), "boolean"),
    "date": "date",
    **dict.fromkeys(("datetime", "date-time", "timestamp"), "datetime"),
    **dict.fromkeys(("array", "list", "object", "json", "map"), "json"),
}
_REQUIRED = frozenset({"required", "yes", "mandatory", "y", "true", "x", "\u2713", "must"})
_OPTIONAL = frozenset({"optional", "no", "n", "false", "-", ""})
_HEADS = frozenset(
    {"name", "parameter", "field", "param", "key", "property", "argument", "parameters", "query parameter"}
)


@dataclass(frozen=True, slots=True)
class Pasted:
    """kind: address, request, parameters or body.  base_address: empty if the text does not say it.  operation: what
    was read; of parameters, the inputs and query alone.
    """

    kind: str
    base_address: str
    operation: OperationDocument
    name: str = ""
    title: str = ""


def read_pasted(text: str) -> Pasted:
    """Raises InputError with what to paste instead."""
    text = text.strip("\ufeff \t\r\n")
    lines = text.splitlines()
    if not lines:
        raise InputError(
            "nothing was pasted", where="text", hint="paste an address, a request as HTTP text, or a list of parameters"
        )
    first = _REQUEST.match(lines[0])
    if (
        len(lines) == 1
        and (first is None or "://" in first.group(2))
        and re.match(r"([A-Z]+\s+)?https?://", text, re.IGNORECASE)
    ):
        found = parse_address(text)
        return Pasted("address", found.base_address, found.operation, found.name, found.title)
    if first:
        return _request(first.group(1), first.group(2), lines[1:])
    return _parameters(lines)


def _request(method: str, target: str, rest: list[str]) -> Pasted:
    """RFC 9112, section 2: the request line, header lines, an empty line, the body."""
    split = next((number for number, line in enumerate(rest) if not line.strip()), len(rest))
    headers: list[tuple[str, str]] = []
    for number, line in enumerate(rest[:split]):
        name, colon, value = line.partition(":")
        if not colon or not FIELD_NAME.fullmatch(name.strip()):
            raise InputError(
                f'line {number + 2} is not a header: "{line[:80]}"',
                where=f"line {number + 2}",
                hint="Name: value, and an empty line before the body",
            )
        headers.append((name.strip(), value.strip()))
    host = next((value for name, value in headers if name.lower() == "host"), "")
    if target.startswith("/"):
        if not host:
            found = parse_address(f"https://base-address.invalid{target}", method)
        else:
            found = parse_address(
                f"{'http' if re.match(r'(localhost|127[.])', host) else 'https'}://{host}{target}", method
            )
    else:
        found = parse_address(target, method)
    inputs = Inputs(list(found.operation.inputs))
    query = [_as_input(parameter, inputs) for parameter in found.operation.query]
    kept = [
        Parameter(name=name, value=value)
        for name, value in headers
        if name.lower() not in OWN_HEADERS | {"content-type", "user-agent", "accept-encoding", "cookie"}
    ]
    media = next((value for name, value in headers if name.lower() == "content-type"), "")
    body = _body("\n".join(rest[split + 1 :]).strip(), media, inputs)
    operation = structs.replace(found.operation, inputs=inputs.found, query=query, headers=kept, body=body)
    base = "" if found.base_address.endswith(".invalid") else found.base_address
    return Pasted("request", base, operation, found.name, found.title)


def _as_input(one: Parameter, inputs: Inputs) -> Parameter:
    """A query parameter with a fixed value becomes an input that has it as try value."""
    if not isinstance(one.value, str) or not one.value or one.encoded:
        return one
    kind = "integer" if re.fullmatch(r"-?\d{1,15}", one.value) else "string"
    example: Any = int(one.value) if kind == "integer" else one.value
    return structs.replace(
        one, value=ValueOf(input=inputs.add(one.name, {"type": kind}, required=False, example=example))
    )


def read_body(text: str, media_type: str = "") -> Pasted:
    """A sample of a request's body alone. Raises InputError with the place of what is wrong."""
    if not text.strip():
        raise InputError("nothing was pasted", where="text", hint="paste a body as the service takes it")
    inputs = Inputs()
    body = _body(text, media_type, inputs)
    return Pasted("body", "", OperationDocument(method="POST", inputs=inputs.found, body=body))


def _body(text: str, media_type: str, inputs: Inputs) -> Any:
    if not text:
        return None
    try:
        return body_from_sample(text, media_type, inputs)
    except DocumentError as error:
        raise InputError(
            error.message, where=error.where, hint=error.hint or "mend the body, or paste the request without it"
        ) from error


def _parameters(lines: list[str]) -> Pasted:
    """One parameter a line: a name, and in any order its type, whether it is required, and what it is."""
    inputs: list[Input] = []
    query: list[Parameter] = []
    for number, line in enumerate(lines):
        cells = _cells(line)
        if not cells or (number == 0 and cells[0].lower() in _HEADS) or re.fullmatch(r"[-:|+\s=]*", line):
            continue
        name = cells[0].strip("`*\"' :")
        is_required = name.endswith("*") or cells[0].rstrip("`").endswith("*")
        name = name.rstrip("*")
        if not re.fullmatch(r"[\w.$\[\]@-]{1,80}", name):
            raise InputError(
                f'line {number + 1} begins with no name: "{line[:80]}"',
                where=f"line {number + 1}",
                hint=(
                    "paste an address, a request as HTTP text, or one parameter a line: name, type, required,"
                    " description"
                ),
            )
        kind: InputType = "text"
        words: list[str] = []
        for cell in cells[1:]:
            plain = cell.strip("`*() ").lower()
            if plain in _TYPES and kind == "text" and not words:
                kind = _TYPES[plain]
            elif plain in _REQUIRED:
                is_required = True
            elif plain not in _OPTIONAL:
                words.append(cell)
        label = input_name(name)
        while any(input_.name == label for input_ in inputs):
            label = f"{label[:60]}_2"
        inputs.append(Input(name=label, type=kind, required=is_required, default=UNSET, description=" ".join(words)))
        query.append(Parameter(name=name, value=ValueOf(input=label)))
    if not inputs:
        raise InputError("no parameter was found", where="text", hint="one a line: name, type, required, description")
    return Pasted("parameters", "", OperationDocument(inputs=inputs, query=query))


_LISTED = re.compile(r"(\S+)\s*\((\w[\w-]*)(?:,\s*(\w+))?\)\s*[:-]?\s*(.*)")


def _cells(line: str) -> list[str]:
    """The parts of one line of a table or list: by bars, tabs, wide blanks or commas, or `name (type, required): what
    it is`."""
    line = line.strip().removeprefix("- ").removeprefix("* ").strip()
    if found := _LISTED.fullmatch(line):
        return [group for group in found.groups() if group]
    for pattern in (r"\s*\|\s*", r"\t+", r"\s{2,}", r"\s*[;,]\s*"):
        parts = [one.strip() for one in re.split(pattern, line.strip("|"))]
        if len(parts) > 1:
            return parts
    name, _, rest = line.partition(" ")
    return [name.rstrip(":"), *([rest.strip(" :-")] if rest.strip() else [])]
