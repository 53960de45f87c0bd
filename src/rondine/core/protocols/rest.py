"""REST: an operation made into a Request, with the origin of every value in it."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any
from urllib.parse import parse_qsl, quote, urlsplit

import uritemplate

from rondine.core.documents.json import json_text
from rondine.core.errors import InputError
from rondine.core.http.files import FileBody, has_file, shown_files
from rondine.core.http.messages import QUERY_SAFE, Headers, Request, SecretBody
from rondine.core.operations.document import READING, GraphQLBody, OperationDocument, Parameter, SoapBody, body_values
from rondine.core.operations.inputs import standing_value, value_text
from rondine.core.operations.odata import ODataQuery
from rondine.core.operations.values import Value, ValueOf, as_literal, parts_of
from rondine.core.protocols.bodies import body_content, graphql_parts
from rondine.core.protocols.odata import odata_headers, odata_pairs, odata_path
from rondine.core.protocols.styles import check_template, encoded, expand, header_line, header_text, query_pairs
from rondine.core.secret import Secret

#: What is asked for where neither operation nor connection says: JSON if there is a choice (RFC 9110, section 12.5.1).
ACCEPT = "application/json, */*;q=0.5"


@dataclass(frozen=True, slots=True)
class Origin:
    """Where one value of a request comes from. place: path, query, header or body.  source: operation, an input, its
    default, a standing value, connection or Rondine.  replaces: what it stands in place of, if the connection has a
    value of this name too.
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


@dataclass(frozen=True, slots=True)
class _Values:
    """What an operation's values are made of: its inputs' values, those that the caller gave, the environment's
    standing values."""

    values: Mapping[str, Any]
    inputs: Mapping[str, Any] | None
    standing: Mapping[str, Any]

    def of(self, part: str | ValueOf) -> Any:
        """A part's value, None if its input has none. Raises InputError for a standing value without one."""
        if not isinstance(part, ValueOf):
            return part
        found = standing_value(part.standing, self.standing) if part.standing else self.values.get(part.input)
        return found if found is None or not part.written else as_literal(found, part.written)

    def source(self, part: ValueOf) -> str:
        if part.standing:
            return f"standing value {part.standing}"
        is_given = self.inputs is None or self.inputs.get(part.input) not in (None, "")
        return f"{'input' if is_given else 'default'} {part.input}"

    def read(self, value: Value) -> Any:
        """The value: what a lone place holds, texts joined otherwise; None if an input in it has none."""
        parts = [self.of(part) for part in parts_of(value)]
        if any(part is None for part in parts):
            return None
        return parts[0] if len(parts) == 1 else "".join(map(value_text, parts))

    def origin(self, place: str, name: str, value: Value, shown: str) -> Origin:
        sources = [self.source(part) for part in parts_of(value) if isinstance(part, ValueOf)]
        return Origin(place, name, shown, " and ".join(sources) or "operation")


class UnknownStanding(dict[str, Any]):
    """Standing values, of which those that have none are shown by their names."""

    def __contains__(self, name: object) -> bool:
        return True

    def __missing__(self, name: str) -> str:
        return f"{{{name}}}"


def build_request(
    operation: OperationDocument,
    base_address: str,
    values: Mapping[str, Any],
    *,
    inputs: Mapping[str, Any] | None = None,
    standing: Mapping[str, Any] | None = None,
) -> Built:
    """The request for these values (as `checked_inputs` gives them), before sign-in.

    inputs: what the caller gave, to tell defaults from inputs in the origins.  standing: the environment's standing
    values. Raises InputError if the path lacks a value, or a standing value has none here.
    """
    known = _Values(values, inputs, {} if standing is None else standing)
    origins: list[Origin] = []
    path = _path(operation.path, known, origins)
    pairs: list[str] = []
    for parameter, value in _sent(operation.query, known, "query", origins):
        if parameter.encoded:
            text = value_text(value)
            pairs.append(f"{parameter.name}={text}" if text else parameter.name)
        else:
            pairs += query_pairs(parameter.name, value, parameter.style, explode=parameter.explode)
    headers = []
    for parameter, value in _sent(operation.headers, known, "header", origins):
        headers.append((parameter.name, header_line(parameter.name, value, explode=parameter.explode)))
    cookies = [
        f"{parameter.name}={quote(header_text(value, explode=False), safe=QUERY_SAFE)}"
        for parameter, value in _sent(operation.cookies, known, "cookie", origins)
    ]
    if cookies:
        headers.append(("Cookie", "; ".join(cookies)))
    if operation.odata is not None:
        path, more = _odata(operation.odata, path, known, origins)
        pairs += more
        sent = {name.lower() for name, _ in headers}
        headers += [(name, value) for name, value in odata_headers(operation.odata.version) if name.lower() not in sent]
    if isinstance(operation.body, GraphQLBody) and operation.method in READING:
        for name, value in graphql_parts(operation.body, known.read).items():
            pairs.append(f"{name}={encoded(value if isinstance(value, str) else json_text(value))}")
    if isinstance(operation.body, SoapBody) and operation.body.version == "1.1":
        headers.append(("SOAPAction", f'"{operation.body.action}"'))
    if isinstance(operation.body, SoapBody) and not any(name.lower() == "accept" for name, _ in headers):
        headers.append(("Accept", "text/xml" if operation.body.version == "1.1" else "application/soap+xml"))
    url = join_address(base_address, path)
    if pairs:
        url += ("&" if "?" in url else "?") + "&".join(pairs)
    request = with_body(Request(operation.method, url, tuple(headers)), operation, values, standing=standing)
    for _, value in body_values(operation.body):
        for part in parts_of(value):
            if isinstance(part, ValueOf) and (found := known.of(part)) is not None:
                shown = shown_files(found) if has_file(found) else value_text(found)
                origins.append(Origin("body", part.input or part.standing, shown, known.source(part)))
    return Built(request, origins)


def _path(template: str, known: _Values, origins: list[Origin]) -> str:
    """The path, its template (RFC 6570) filled in. Raises InputError if a value is missing or would lead elsewhere."""
    check_template(template)
    parsed = uritemplate.URITemplate(template)
    optional = {
        name
        for variable in parsed.variables
        if variable.operator.value in ("?", "&")
        for name in variable.variable_names
    }
    filled: dict[str, Any] = {}
    for name in sorted(parsed.variable_names):
        value = known.values.get(name)
        if value is None and name not in optional:
            raise InputError(f'the path needs a value for "{name}"', where=f"/{name}", hint="give the input a value")
        if value is not None:
            filled[name] = value
            origins.append(Origin("path", name, value_text(value), known.source(ValueOf(input=name))))
    path = expand(template, filled)
    if re.search(r"(^|/)\.{1,2}(/|$)", path) and any(
        isinstance(value, str) and value.strip(".") == "" for value in filled.values()
    ):
        raise InputError(
            'a path value of "." or ".." would lead to another place',
            where="path",
            hint="give the value the service's documentation names",
        )
    return path


def _odata(query: ODataQuery, path: str, known: _Values, origins: list[Origin]) -> tuple[str, list[str]]:
    """(the path with the key and what follows, the query's pairs)."""
    behind = odata_path(query, known.read)
    for one in query.key:
        origins.append(known.origin("path", one.name, one.value, value_text(known.read(one.value))))
    pairs = []
    for name, text in odata_pairs(query, known.read):
        pairs.append(f"{encoded(name)}={quote(text, safe=QUERY_SAFE + '=')}")
        origins.append(Origin("query", name, text, "operation"))
    return path.rstrip("/") + behind, pairs


def _sent(
    parameters: Sequence[Parameter], known: _Values, place: str, origins: list[Origin]
) -> list[tuple[Parameter, Any]]:
    """Parameters that are sent, with their values."""
    out = []
    for parameter in parameters:
        if parameter.enabled and (value := known.read(parameter.value)) is not None and value != []:
            origins.append(known.origin(place, parameter.name, parameter.value, value_text(value)))
            out.append((parameter, value))
    return out


def with_body(
    request: Request,
    operation: OperationDocument,
    values: Mapping[str, Any],
    *,
    standing: Mapping[str, Any] | None = None,
    masked: Mapping[str, str] | None = None,
    label: str = "",
) -> Request:
    """The request with the operation's body and its Content-Type. masked: shown in place of inputs that are secrets of
    the credential `label`."""
    if operation.body is None or (isinstance(operation.body, GraphQLBody) and operation.method in READING):
        return request
    read = _Values(values, None, {} if standing is None else standing).read
    header = str(request.header("Content-Type") or "")
    content = body_content(operation.body, read, header=header)
    if content.content is None:
        return request
    if content.media_type != header:
        request = request.with_header("Content-Type", content.media_type)
    if not masked:
        return replace(request, body=content.content)
    masking = _Values({**values, **masked}, None, standing or {}).read
    shown = body_content(operation.body, masking, header=header, is_shown=True).content
    assert isinstance(content.content, bytes) and not isinstance(shown, FileBody), "who signs in sends no file"
    secret = Secret(content.content.decode(content.charset), label)
    return replace(request, body=SecretBody(shown or b"", secret, content.charset))


def with_connection(built: Built, headers: Headers, query: Headers = ()) -> Built:
    """The request with what goes with every request of its connection. The operation's own stand in place of the
    connection's of the same name; nothing is sent twice.
    """
    own_headers, origins = list(built.request.headers), list(built.origins)
    own_names = {"header": {name.lower() for name, _ in own_headers}, "query": query_names(built.request.url)}
    for name, value in headers:
        if name.lower() in own_names["header"]:
            origins = _replacing(origins, "header", name, value)
        else:
            own_headers.append((name, value))
            origins.append(Origin("header", name, value, "connection"))
    if not any(name.lower() == "accept" for name, _ in own_headers):
        own_headers.append(("Accept", ACCEPT))
        origins.append(Origin("header", "Accept", ACCEPT, "Rondine"))
    url = built.request.url
    for name, value in query:
        if name in own_names["query"]:
            origins = _replacing(origins, "query", name, value)
        else:
            url += f"{'&' if '?' in url else '?'}{encoded(name)}={encoded(value)}"
            origins.append(Origin("query", name, value, "connection"))
    return Built(replace(built.request, url=url, headers=tuple(own_headers)), origins)


def query_names(url: str) -> set[str]:
    return {name for name, _ in parse_qsl(urlsplit(url).query, keep_blank_values=True)}


def _replacing(origins: list[Origin], place: str, name: str, value: str) -> list[Origin]:
    return [
        replace(origin, replaces=f"connection: {value}")
        if origin.place == place and origin.name.lower() == name.lower()
        else origin
        for origin in origins
    ]


def join_address(base: str, path: str) -> str:
    """The base address with the operation's path below it; a query of the base stays in front of the operation's."""
    parts = urlsplit(base)
    joined = parts.path.rstrip("/") + path if path and path != "/" else parts.path or "/"
    if path == "/" and not parts.path.endswith("/"):
        joined = parts.path + "/"
    return parts._replace(path=joined, fragment="").geturl()
