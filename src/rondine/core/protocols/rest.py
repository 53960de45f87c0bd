"""REST: an operation described by method, path template (RFC 6570), query and headers, made into a Request.

Texts that hold values are structures: a text, `{"input": "name"}`, or a list of both. No text is scanned for braces; only the path is a
template, and only RFC 6570's.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any, Literal
from urllib.parse import parse_qsl, quote, quote_plus, urlsplit

import uritemplate

from rondine.core.documents.json import json_text
from rondine.core.errors import InputError, Problem, did_you_mean
from rondine.core.http import QUERY_SAFE, Headers, Request, SecretBody
from rondine.core.pagination import Paging
from rondine.core.protocols.inputs import Input, standing_value, value_text
from rondine.core.schema.outline import Correction
from rondine.core.secret import MASK, Secret
from rondine.core.settings import Document

Method = Literal["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"]
READING: frozenset[str] = frozenset({"GET", "HEAD"})
#: Fields that the engine writes itself (RFC 9112).
OWN_HEADERS = frozenset({"host", "content-length", "transfer-encoding", "connection", "te", "upgrade"})
_FIELD_NAME = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")


class ValueOf(Document, frozen=True):
    """The place of a value: of the operation's input, or of the environment's standing value of this name."""

    input: str = ""
    standing: str = ""


Value = str | ValueOf | list[str | ValueOf]


class Parameter(Document, frozen=True):
    """A query parameter or header. enabled: off, it is not sent.  encoded: the name and value are percent-encoded already and stay as they are.

    A value that holds an input without a value is left out, name and all.
    """

    name: str
    value: Value = ""
    enabled: bool = True
    encoded: bool = False


class FormBody(Document, tag="form", frozen=True):
    """Fields sent as application/x-www-form-urlencoded. A field that holds an input without a value is left out."""

    fields: list[Parameter] = []


class TextBody(Document, tag="text", frozen=True):
    """A text sent byte for byte; a value in it is encoded by the rules of its place: in JSON as a value, or as text between quotes."""

    media_type: str = "application/json"
    content: Value = ""


class ResponseView(Document, frozen=True):
    """What people said of the response. rows: what becomes one row, a JSONPath a level.  corrections: of its schema."""

    rows: list[str] = []
    corrections: list[Correction] = []


class OperationDocument(Document, frozen=True):
    """One request that a service can answer. path: an RFC 6570 template below the connection's base address.  enabled: off, it is not sent."""

    enabled: bool = True
    method: Method = "GET"
    path: str = "/"
    inputs: list[Input] = []
    query: list[Parameter] = []
    headers: list[Parameter] = []
    body: FormBody | TextBody | None = None
    paging: Paging | None = None
    response: ResponseView = ResponseView()
    description: str = ""


@dataclass(frozen=True, slots=True)
class Origin:
    """Where one value of a request comes from. place: path, query, header or body.  source: operation, an input, its default, a standing
    value, connection or Rondine.  replaces: what it stands in place of, if the connection has a value of this name too.
    """

    place: str
    name: str
    value: str
    source: str
    replaces: str = ""


@dataclass(frozen=True, slots=True)
class Built:
    """A request and the origin of every value in it."""

    request: Request
    origins: list[Origin] = field(default_factory=list)


def parts_of(value: Value) -> list[str | ValueOf]:
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
    if operation.body is not None and operation.method in READING:
        problems.append(
            Problem(
                "/body", f"{operation.method} sends no body", "take it away, or choose the method the service wants"
            )
        )
    groups = {"query": operation.query, "headers": operation.headers}
    match operation.body:
        case FormBody(fields=fields):
            groups["body/fields"] = fields
        case TextBody(content=content):
            groups["body"] = [Parameter(name="body", value=content)]
        case None:
            pass
    for group, parameters in groups.items():
        for number, parameter in enumerate(parameters):
            here = f"/{group}/{number}"
            if group == "headers" and (
                not _FIELD_NAME.fullmatch(parameter.name) or parameter.name.lower() in OWN_HEADERS
            ):
                reason = (
                    "is written by Rondine itself" if parameter.name.lower() in OWN_HEADERS else "is not a header name"
                )
                problems.append(Problem(f"{here}/name", f'"{parameter.name[:80]}" {reason}', "take it away"))
            for part in parts_of(parameter.value):
                if isinstance(part, ValueOf):
                    used.add(part.input)
                    if bool(part.input) == bool(part.standing):
                        problems.append(
                            Problem(
                                f"{here}/value", "a place takes either an input or a standing value", "name one of them"
                            )
                        )
                    elif part.input and part.input not in names:
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
            "put it into the path, the query, a header or the body",
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
    standing: Mapping[str, Any] | None = None,
) -> Built:
    """The request for these values (as `checked_inputs` gives them), before sign-in.

    given: what the caller gave, to tell defaults from inputs in the origins.  standing: the environment's standing values. Raises InputError if
    the path lacks a value, or a standing value has none here.
    """
    origins: list[Origin] = []

    def source(name: str) -> str:
        return "input" if given is None or given.get(name) not in (None, "") else "default"

    def text(parameter: Parameter, place: str) -> str | None:
        out, sources = [], []
        for part in parts_of(parameter.value):
            found = _value_of(part, values, standing)
            if found is None:
                return None
            out.append(value_text(found))
            if isinstance(part, ValueOf):
                sources.append(
                    f"standing value {part.standing}" if part.standing else f"{source(part.input)} {part.input}"
                )
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
    request = with_body(Request(operation.method, url, tuple(headers)), operation, values, standing=standing)
    if isinstance(operation.body, FormBody):
        for parameter in operation.body.fields:
            if parameter.enabled:
                text(parameter, "body")
    elif operation.body is not None:
        origins += [
            Origin(
                "body",
                part.input or part.standing,
                value_text(_value_of(part, values, standing)),
                f"standing value {part.standing}" if part.standing else f"{source(part.input)} {part.input}",
            )
            for part in parts_of(operation.body.content)
            if isinstance(part, ValueOf) and _value_of(part, values, standing) is not None
        ]
    return Built(request, origins)


def with_body(
    request: Request,
    operation: OperationDocument,
    values: Mapping[str, Any],
    *,
    standing: Mapping[str, Any] | None = None,
    masked: Mapping[str, str] | None = None,
    label: str = "",
) -> Request:
    """The request with the operation's body and its Content-Type. masked: shown in place of inputs that are secrets of the credential `label`."""
    body = operation.body
    if body is None:
        return request
    media_type = "application/x-www-form-urlencoded" if isinstance(body, FormBody) else body.media_type
    sent = _body_text(body, values, standing)
    if request.header("Content-Type") is None:
        request = request.with_header("Content-Type", media_type)
    if not masked:
        return replace(request, body=sent.encode())
    shown = _body_text(body, {**values, **masked}, standing, is_shown=True)
    return replace(request, body=SecretBody(shown.encode(), Secret(sent, label)))


def _body_text(
    body: FormBody | TextBody, values: Mapping[str, Any], standing: Mapping[str, Any] | None, *, is_shown: bool = False
) -> str:
    if isinstance(body, FormBody):
        pairs = []
        for one in body.fields:
            found = [_value_of(part, values, standing) for part in parts_of(one.value)]
            if one.enabled and None not in found:
                text = "".join(map(value_text, found))
                pairs.append(f"{quote_plus(one.name)}={text if is_shown and MASK in text else quote_plus(text)}")
        return "&".join(pairs)
    out = ""
    kind = body.media_type.partition(";")[0].strip().lower()
    is_json = kind == "application/json" or kind.endswith("+json")
    for part in parts_of(body.content):
        value = _value_of(part, values, standing)
        if not isinstance(part, ValueOf):
            out += part
        elif is_json:
            quoted = json_text(value_text(value) if _is_within_string(out) or not _is_plain_json(value) else value)
            out += quoted[1:-1] if _is_within_string(out) else quoted
        else:
            out += value_text("" if value is None else value)
    return out


def _is_plain_json(value: Any) -> bool:
    return value is None or isinstance(value, (str, bool, int, float, Decimal))


def _is_within_string(text: str) -> bool:
    """Whether a JSON text that breaks off here does so between quotes."""
    return len(re.findall(r'(?<!\\)(?:\\\\)*"', text)) % 2 == 1


def _value_of(part: str | ValueOf, values: Mapping[str, Any], standing: Mapping[str, Any] | None) -> Any:
    """A part's value, None if its input has none. Raises InputError for a standing value without one."""
    if not isinstance(part, ValueOf):
        return part
    return (
        standing_value(part.standing, {} if standing is None else standing) if part.standing else values.get(part.input)
    )


def with_connection(built: Built, headers: Headers, query: Headers = ()) -> Built:
    """The request with what goes with every request of its connection. The operation's own stand in place of the connection's of the same
    name; nothing is sent twice.
    """
    own_headers, origins = list(built.request.headers), list(built.origins)
    given = {"header": {name.lower() for name, _ in own_headers}, "query": query_names(built.request.url)}
    for name, value in headers:
        if name.lower() in given["header"]:
            origins = _replacing(origins, "header", name, value)
        else:
            own_headers.append((name, value))
            origins.append(Origin("header", name, value, "connection"))
    if not any(name.lower() == "accept" for name, _ in own_headers):
        own_headers.append(("Accept", "application/json"))
        origins.append(Origin("header", "Accept", "application/json", "Rondine"))
    url = built.request.url
    for name, value in query:
        if name in given["query"]:
            origins = _replacing(origins, "query", name, value)
        else:
            url += f"{'&' if '?' in url else '?'}{encoded(name)}={encoded(value)}"
            origins.append(Origin("query", name, value, "connection"))
    return Built(replace(built.request, url=url, headers=tuple(own_headers)), origins)


def query_names(url: str) -> set[str]:
    return {name for name, _ in parse_qsl(urlsplit(url).query, keep_blank_values=True)}


def _replacing(origins: list[Origin], place: str, name: str, value: str) -> list[Origin]:
    return [
        replace(one, replaces=f"connection: {value}")
        if one.place == place and one.name.lower() == name.lower()
        else one
        for one in origins
    ]


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
