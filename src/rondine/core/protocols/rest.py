"""REST: an operation described by method, path template (RFC 6570), query and headers, made into a Request.

Texts that hold values are structures: a text, `{"input": "name"}`, or a list of both. No text is scanned for braces; only the path is a
template, and only RFC 6570's.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal
from urllib.parse import quote, urlsplit

import uritemplate

from rondine.core.errors import InputError, Problem, did_you_mean
from rondine.core.http import QUERY_SAFE, Headers, Request
from rondine.core.pagination import Paging
from rondine.core.protocols.inputs import Input, value_text
from rondine.core.schema.outline import Correction
from rondine.core.settings import Document

Method = Literal["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"]
READING: frozenset[str] = frozenset({"GET", "HEAD"})
#: Fields that the engine writes itself (RFC 9112).
OWN_HEADERS = frozenset({"host", "content-length", "transfer-encoding", "connection", "te", "upgrade"})
_FIELD_NAME = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")


class FromInput(Document, frozen=True):
    """The place of an input's value."""

    input: str


Value = str | FromInput | list[str | FromInput]


class Parameter(Document, frozen=True):
    """A query parameter or header. enabled: off, it is not sent.  encoded: the name and value are percent-encoded already and stay as they are.

    A value that holds an input without a value is left out, name and all.
    """

    name: str
    value: Value = ""
    enabled: bool = True
    encoded: bool = False


class ResponseView(Document, frozen=True):
    """What people said of the response. rows: what becomes one row, a JSONPath a level.  corrections: of its schema."""

    rows: list[str] = []
    corrections: list[Correction] = []


class OperationDocument(Document, frozen=True):
    """One request that a service can answer. path: an RFC 6570 template below the connection's base address."""

    method: Method = "GET"
    path: str = "/"
    inputs: list[Input] = []
    query: list[Parameter] = []
    headers: list[Parameter] = []
    paging: Paging | None = None
    response: ResponseView = ResponseView()
    description: str = ""


@dataclass(frozen=True, slots=True)
class Origin:
    """Where one value of a request comes from: place path, query or header; `from_`: typed, input, default, connection or credential."""

    place: str
    name: str
    value: str
    source: str


@dataclass(frozen=True, slots=True)
class Built:
    """A request and the origin of every value in it."""

    request: Request
    origins: list[Origin] = field(default_factory=list)


def parts_of(value: Value) -> list[str | FromInput]:
    return value if isinstance(value, list) else [value]


def operation_problems(operation: OperationDocument) -> list[Problem]:
    """Everything that keeps an operation from being sent, with places in its document."""
    problems = []
    names = [one.name for one in operation.inputs]
    for number, name in enumerate(names):
        if name in names[:number]:
            problems.append(
                Problem(f"/inputs/{number}/name", f'the input "{name}" is there twice', "rename one of them")
            )
    try:
        variables = set(uritemplate.URITemplate(operation.path).variable_names)
    except ValueError:
        variables = set()
    if operation.path.count("{") != operation.path.count("}") or re.search(r"\{[^}]*\{|\{\}", operation.path):
        problems.append(
            Problem("/path", "the path's braces do not match", "a placeholder is written {name} (RFC 6570)")
        )
    if operation.path and not operation.path.startswith(("/", "{/")):
        problems.append(
            Problem("/path", 'the path does not begin with "/"', "it is joined to the connection's base address")
        )
    problems += [
        Problem("/path", f'"{{{name}}}" is no input', did_you_mean(name, names) or f'add an input named "{name}"')
        for name in sorted(variables - set(names))
    ]
    used = set(variables)
    for group in ("query", "headers"):
        for number, parameter in enumerate(getattr(operation, group)):
            here = f"/{group}/{number}"
            if group == "headers" and (
                not _FIELD_NAME.fullmatch(parameter.name) or parameter.name.lower() in OWN_HEADERS
            ):
                reason = (
                    "is written by Rondine itself" if parameter.name.lower() in OWN_HEADERS else "is not a header name"
                )
                problems.append(Problem(f"{here}/name", f'"{parameter.name[:80]}" {reason}', "take it away"))
            for part in parts_of(parameter.value):
                if isinstance(part, FromInput):
                    used.add(part.input)
                    if part.input not in names:
                        problems.append(
                            Problem(
                                f"{here}/value",
                                f'there is no input "{part.input}"',
                                did_you_mean(part.input, names) or "add the input first",
                            )
                        )
                elif group == "headers" and re.search(r"[\r\n\0]", part):
                    problems.append(
                        Problem(f"{here}/value", "a header value has no line breaks", "write it on one line")
                    )
    problems += [
        Problem(
            f"/inputs/{names.index(name)}",
            f'nothing uses the input "{name}"',
            "put it into the path, the query or a header",
        )
        for name in names
        if name not in used
    ]
    return problems


def build_request(
    operation: OperationDocument,
    base_address: str,
    values: Mapping[str, Any],
    *,
    given: Mapping[str, Any] | None = None,
) -> Built:
    """The request for these values (as `checked_inputs` gives them), before sign-in.

    given: what the caller gave, to tell defaults from inputs in the origins. Raises InputError if the path lacks a value.
    """
    origins: list[Origin] = []

    def source(name: str) -> str:
        return "input" if given is None or given.get(name) not in (None, "") else "default"

    def text(parameter: Parameter, place: str) -> str | None:
        out, sources = [], []
        for part in parts_of(parameter.value):
            if isinstance(part, FromInput):
                if part.input not in values:
                    return None
                out.append(value_text(values[part.input]))
                sources.append(f"{source(part.input)} {part.input}")
            else:
                out.append(part)
        origins.append(Origin(place, parameter.name, "".join(out), " and ".join(sources) or "operation"))
        return "".join(out)

    template = uritemplate.URITemplate(operation.path)
    for name in sorted(template.variable_names):
        if name not in values:
            raise InputError(f'the path needs a value for "{name}"', where=f"/{name}", hint="give the input a value")
        origins.append(Origin("path", name, value_text(values[name]), f"{source(name)} {name}"))
    path = template.expand({name: value_text(values[name]) for name in template.variable_names})
    if re.search(r"(^|/)\.{1,2}(/|$)", path) and any(
        value_text(values[name]).strip(".") == "" for name in template.variable_names
    ):
        raise InputError(
            'a path value of "." or ".." would lead to another place',
            where="path",
            hint="give the value the service's documentation names",
        )
    pairs = []
    for parameter in operation.query:
        if parameter.enabled and (value := text(parameter, "query")) is not None:
            pairs.append(
                (f"{parameter.name}={value}" if value else parameter.name)
                if parameter.encoded
                else f"{encoded(parameter.name)}={encoded(value)}"
            )
    headers = []
    for parameter in operation.headers:
        if parameter.enabled and (value := text(parameter, "header")) is not None:
            if re.search(r"[\r\n\0]", value):
                raise InputError(
                    f'the value for header "{parameter.name}" has a line break',
                    where=f"/{parameter.name}",
                    hint="give it on one line",
                )
            headers.append((parameter.name, value))
    url = join_address(base_address, path)
    if pairs:
        url += ("&" if "?" in url else "?") + "&".join(pairs)
    return Built(Request(operation.method, url, tuple(headers)), origins)


def with_connection(built: Built, standing: Headers) -> Built:
    """The request with what goes with every request of its connection; the operation's own headers come first, "Accept" last."""
    headers, origins = list(built.request.headers), list(built.origins)
    for (name, value), source in [
        *((pair, "connection") for pair in standing),
        (("Accept", "application/json"), "Rondine"),
    ]:
        if not any(name.lower() == own.lower() for own, _ in headers):
            headers.append((name, value))
            origins.append(Origin("header", name, value, source))
    return Built(replace(built.request, headers=tuple(headers)), origins)


def encoded(text: str) -> str:
    """Text as a query's name or value (RFC 3986): only what must be is percent-encoded, and "+" too, since forms read it as a blank."""
    return quote(text, safe=QUERY_SAFE)


def join_address(base: str, path: str) -> str:
    """The base address with the operation's path below it; a query of the base stays in front of the operation's."""
    parts = urlsplit(base)
    joined = parts.path.rstrip("/") + path if path and path != "/" else parts.path or "/"
    if path == "/" and not parts.path.endswith("/"):
        joined = parts.path + "/"
    return parts._replace(path=joined, fragment="").geturl()
