"""An operation as it is described and stored: method, path template (RFC 6570), inputs, what is sent with it, what
comes back.

Texts that hold values are structures: a text, `{"input": "name"}`, or a list of both. No text is scanned for braces;
only the path is a template, and only RFC 6570's.
"""

import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

from msgspec import Meta

from rondine.core.http.templates import template_names
from rondine.core.mapping.document import Condition, Source
from rondine.core.operations.inputs import Input
from rondine.core.operations.odata import ODataQuery, odata_values
from rondine.core.operations.values import Value, ValueOf, parts_of
from rondine.core.pagination import Paging
from rondine.core.schema.outline import Correction
from rondine.core.settings import Document

Method = Literal["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"]
READING: frozenset[str] = frozenset({"GET", "HEAD", "OPTIONS"})


class Parameter(Document, frozen=True):
    """A query parameter, header, cookie or form field.

    enabled: off, it is not sent.  encoded: the name and value are percent-encoded already and stay as they are.  style, explode: how lists and
    objects are written (OpenAPI 3.1, "Style Values"); json: as JSON text.

    A value that holds an input without a value is left out, name and all.
    """

    name: str
    value: Value = ""
    enabled: bool = True
    encoded: bool = False
    style: Literal["form", "spaceDelimited", "pipeDelimited", "deepObject", "json"] = "form"
    explode: bool = True


class FormBody(Document, tag="form", frozen=True):
    """Fields sent as application/x-www-form-urlencoded. A field that holds an input without a value is left out.

    optional: where no input has a value, nothing is sent.  required: fields that must be sent where any other is.
    """

    fields: list[Parameter] = []
    optional: bool = False
    required: list[str] = []


class Part(Document, frozen=True):
    """One part of a multipart body. file_name: makes it a file.  media_type: of its content; empty for plain text.  encoding: base64, if the
    value is bytes written so.  headers: of its own; one that holds an input without a value is left out.
    """

    name: str
    value: Value = ""
    enabled: bool = True
    file_name: str = ""
    media_type: str = ""
    encoding: Literal["text", "base64"] = "text"
    headers: list[Parameter] = []


class MultipartBody(Document, tag="multipart", frozen=True):
    """Parts sent as multipart/form-data (RFC 7578). optional, required: as of a form."""

    parts: list[Part] = []
    optional: bool = False
    required: list[str] = []


class Member(Document, frozen=True):
    """A value within a JSON body. at: its place, a JSON Pointer (RFC 6901); a number is an element of a list, empty is the whole body.

    type: how a fixed text is read: as text, number, boolean, any JSON; json_text: the value becomes JSON within a text.
    required_in: the place of an object that may be left out, and without this is not whole: where any input within it has a value, this one
    needs one too, and a fixed text goes along.  A member that holds an input without a value is left out.
    """

    at: Annotated[str, Meta(pattern=r"^(/[\s\S]*)?$")]
    value: Value = ""
    type: Literal["text", "integer", "decimal", "boolean", "json", "json_text"] = "text"
    enabled: bool = True
    required_in: Annotated[str, Meta(pattern=r"^(/[\s\S]*)?$")] | None = None


class JsonBody(Document, tag="json", frozen=True):
    """A JSON body put together from members. Numbers are written unquoted, texts quoted, what has no value is left out.

    optional: where no input has a value, nothing is sent.
    """

    members: list[Member] = []
    media_type: str = "application/json"
    optional: bool = False


class TextBody(Document, tag="text", frozen=True):
    """A text sent byte for byte; a value in it is encoded by the rules of its place: in JSON as a value, or as text between quotes; in XML
    with its special characters written as references.
    """

    media_type: str = "application/json"
    content: Value = ""


class BytesBody(Document, tag="bytes", frozen=True):
    """Bytes, given as base64 (RFC 4648, section 4)."""

    media_type: str = "application/octet-stream"
    content: Value = ""


class GraphQLBody(Document, tag="graphql", frozen=True):
    """A GraphQL document with its variables (GraphQL over HTTP). Sent as JSON, or in the query if the method is GET.

    prepared: the name of a prepared query that stands in place of the text.  kind: a query reads, a mutation writes.  operation_name: which one is sent, if the document has several.  variables: by place in the
    variables' object.  one_line: line breaks and comments are taken out, for services that refuse them.
    """

    REFERENCES: ClassVar[Mapping[str, str]] = {"prepared": "queries"}

    query: str = ""
    prepared: str = ""
    kind: Literal["query", "mutation"] = "query"
    operation_name: str = ""
    variables: list[Member] = []
    one_line: bool = False


class XmlElement(Document, frozen=True):
    """A value within XML. at: its place below the root, steps of `prefix:name` parted by slashes; `@name` is an attribute, `.` the element's own
    text.  A list repeats the element, an object becomes elements within it: in the order and the namespaces of its type, one of the body's types, if
    it has one.  One that holds an input without a value is left out.  required_in: as of a member of a JSON body, by place.
    """

    at: str
    value: Value = ""
    type: str = ""
    enabled: bool = True
    required_in: str | None = None


class XmlChild(Document, frozen=True):
    """A child element `prefix:name`, or an attribute `@name`, of a structured element. type: its own children, one of the body's types."""

    name: str
    type: str = ""


#: An element's name, with or without a prefix.
ElementName = Annotated[str, Meta(pattern=r"^([A-Za-z_][\w.-]*:)?[A-Za-z_][\w.-]*$")]


class XmlBody(Document, tag="xml", frozen=True):
    """An XML document put together from elements, in the order in which they are written. namespaces: by prefix; the empty one is the default
    namespace.  root: the outermost element, `prefix:name`.
    """

    namespaces: dict[str, str] = {}
    root: ElementName = "request"
    elements: list[XmlElement] = []
    media_type: str = "application/xml"


class SoapBody(Document, tag="soap", frozen=True):
    """A SOAP envelope. action: of the request (SOAPAction).  namespaces: by prefix.  root: the element in the body, `prefix:name`.

    elements, headers: in the order in which they are written; one that holds an input without a value is left out.  types: of structured elements,
    their children in order.  derived: of which of them a value of one may be, by qualified names: the value says it as a member "@xsi:type"; an
    abstract one is not among its own.  reads: it changes nothing.
    """

    version: Literal["1.1", "1.2"] = "1.1"
    action: str = ""
    namespaces: dict[str, str] = {}
    root: ElementName = "request"
    elements: list[XmlElement] = []
    headers: list[XmlElement] = []
    types: dict[str, list[XmlChild]] = {}
    derived: dict[str, dict[str, str]] = {}
    reads: bool = False


Body = FormBody | MultipartBody | JsonBody | XmlBody | TextBody | BytesBody | GraphQLBody | SoapBody


class OtherBody(Document, frozen=True):
    """A body that the service takes in place of the one that is sent. inputs: that it takes, beside those of path, query and headers."""

    media_type: str
    body: Body
    inputs: list[Input] = []


class NothingFound(Document, frozen=True):
    """When a response says that there is nothing, which is an outcome of its own and no failure. statuses: such as 404.  empty: a path, short or
    written out, that finds nothing, null or an empty list in a good response.
    """

    statuses: list[Annotated[int, Meta(ge=100, le=599)]] = []
    empty: str | Source | None = None


class FailureRule(Document, frozen=True):
    """When a response is a failure although its status is good. when: conditions on the response, all of them.  message: where its own words stand.
    text: or a text that the first 64 kB of the body have, also of one that cannot be read.
    """

    when: list[Condition] = []
    message: str | Source | None = None
    text: str = ""


class OutcomeRules(Document, frozen=True):
    """What responses of an operation mean beside their status. forms: the standards' forms of errors that are recognised in good responses; None: all."""

    nothing_found: NothingFound = NothingFound()
    failures: list[FailureRule] = []
    forms: list[Literal["graphql", "odata", "soap", "problem"]] | None = None


class ResponseView(Document, frozen=True):
    """What people said of the response. rows: what becomes one row, a JSONPath a level.  corrections: of its schema."""

    rows: list[str] = []
    corrections: list[Correction] = []


class ResponseHeader(Document, frozen=True):
    """A header that a response is said to have (OpenAPI 3.1, "Header Object"). schema: of its value.  required: the response always has it."""

    name: str
    schema: dict[str, Any] | bool = True
    required: bool = False
    description: str = ""


class ResponseDescription(Document, frozen=True):
    """What a definition says of a response. status: three digits, a family such as 4XX, or default.  schema: JSON Schema 2020-12; it may
    refer to `#/$defs/...`, the schemas of a definition: the named one, or that from which the operation came.  headers: beside Content-Type.
    """

    REFERENCES: ClassVar[Mapping[str, str]] = {"definition": "definitions"}

    status: Annotated[str, Meta(pattern=r"^([1-5]\d\d|[1-5]XX|default)$")]
    media_type: str = ""
    schema: dict[str, Any] | bool | None = None
    description: str = ""
    definition: str = ""
    headers: list[ResponseHeader] = []


class CameFrom(Document, frozen=True):
    """Where an imported operation stands. definition: by name.  pointer: JSON Pointer in it.  key: what it is called there, whatever its
    name is here.
    """

    REFERENCES: ClassVar[Mapping[str, str]] = {"definition": "definitions"}

    definition: str
    pointer: str = ""
    key: str = ""


class OperationDocument(Document, frozen=True):
    """One request that a service can answer. path: an RFC 6570 template below the connection's base address.  enabled: off, it is not sent.

    odata: the key, path and system query options of an OData request, put behind the path.
    other_bodies: of other media types, of which one may be chosen.
    responses: as a definition describes them.  left_out: inputs that a definition offers and nobody wants.
    deprecated: the service says that it will go.  came_from: the definition.
    """

    enabled: bool = True
    method: Method = "GET"
    path: str = "/"
    inputs: list[Input] = []
    query: list[Parameter] = []
    headers: list[Parameter] = []
    cookies: list[Parameter] = []
    odata: ODataQuery | None = None
    body: Body | None = None
    other_bodies: list[OtherBody] = []
    paging: Paging | None = None
    response: ResponseView = ResponseView()
    outcomes: OutcomeRules = OutcomeRules()
    responses: list[ResponseDescription] = []
    description: str = ""
    documentation: str = ""
    tags: list[str] = []
    left_out: list[str] = []
    deprecated: bool = False
    came_from: CameFrom | None = None


def body_values(body: Body | None) -> Iterator[tuple[str, Value]]:
    """Every value of a body with its place in the document."""
    match body:
        case FormBody(fields=fields):
            yield from ((f"/body/fields/{number}", one.value) for number, one in enumerate(fields))
        case MultipartBody(parts=parts):
            for number, one in enumerate(parts):
                yield f"/body/parts/{number}", one.value
                yield from ((f"/body/parts/{number}/headers/{at}", each.value) for at, each in enumerate(one.headers))
        case JsonBody(members=members):
            yield from ((f"/body/members/{number}", one.value) for number, one in enumerate(members))
        case XmlBody(elements=elements):
            yield from ((f"/body/elements/{number}", one.value) for number, one in enumerate(elements))
        case SoapBody(elements=elements, headers=headers):
            yield from ((f"/body/elements/{number}", one.value) for number, one in enumerate(elements))
            yield from ((f"/body/headers/{number}", one.value) for number, one in enumerate(headers))
        case GraphQLBody(variables=variables):
            yield from ((f"/body/variables/{number}", one.value) for number, one in enumerate(variables))
        case TextBody(content=content) | BytesBody(content=content):
            yield "/body/content", content
        case None:
            pass


def values_of(operation: OperationDocument) -> Iterator[tuple[str, Value]]:
    """Every value that an operation sends, but for the path's, with its place in the document."""
    for group in ("query", "headers", "cookies"):
        for number, one in enumerate(getattr(operation, group)):
            yield f"/{group}/{number}", one.value
    if operation.odata is not None:
        yield from odata_values(operation.odata)
    yield from body_values(operation.body)


def response_for(operation: OperationDocument, status: int) -> ResponseDescription | None:
    """What the definition says of a response with this status: of the status itself, its family, or by default (OpenAPI
    3.1, "Responses Object")."""
    for wanted in (str(status), f"{status // 100}XX", "default"):
        found = [response for response in operation.responses if response.status == wanted]
        if found:
            return next((one for one in found if "json" in one.media_type), found[0])
    return None


def is_reading(operation: OperationDocument) -> bool:
    """Whether sending it changes nothing at the service: by its method (RFC 9110, section 9.2.1), or as a GraphQL
    query."""
    if isinstance(operation.body, GraphQLBody):
        return operation.body.kind == "query"
    if isinstance(operation.body, SoapBody):
        return operation.body.reads
    return operation.method in READING


def called_in_body(operation: OperationDocument) -> str:
    """What tells an operation from others at the same address: a GraphQL operation's name, a SOAP request's root; empty
    for all others."""
    match operation.body:
        case GraphQLBody(kind=kind, operation_name=name, query=query):
            found = re.search(r"\b(?:query|mutation)\s+([A-Za-z_]\w*)", query)
            return f"{kind} {name or (found.group(1) if found else '')}".strip()
        case SoapBody(root=root):
            return root.rpartition(":")[2]
    return ""


def path_variables(path: str) -> set[str]:
    """The names in a path template; none if it is not well-formed."""
    return set(template_names(path))


def inputs_in(values: Iterable[tuple[str, Value]]) -> set[str]:
    """The names of the inputs that values take. values: with their places, as `values_of` gives them."""
    return {part.input for _, value in values for part in parts_of(value) if isinstance(part, ValueOf) and part.input}
