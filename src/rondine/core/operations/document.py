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
from rondine.core.operations.later import LaterAnswer
from rondine.core.operations.odata import ODataQuery, odata_values
from rondine.core.operations.values import Value, ValueOf, parts_of
from rondine.core.pagination import Paging
from rondine.core.schema.drift import AcceptedDrift
from rondine.core.schema.outline import Correction
from rondine.core.settings import Document

Method = Literal["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"]
READING: frozenset[str] = frozenset({"GET", "HEAD", "OPTIONS"})


class Parameter(Document, frozen=True):
    """A query parameter, header, cookie or form field."""

    name: str
    value: Value = ""
    enabled: Annotated[bool, Meta(description="off, it is not sent")] = True
    encoded: Annotated[
        bool, Meta(description="the name and value are percent-encoded already and stay as they are")
    ] = False
    style: Annotated[
        Literal["form", "spaceDelimited", "pipeDelimited", "deepObject", "json"],
        Meta(
            description=(
                'how lists and objects are written (OpenAPI 3.1, "Style Values"); json: as JSON text. A value that'
                " holds an input without a value is left out, name and all"
            )
        ),
    ] = "form"
    explode: Annotated[
        bool,
        Meta(
            description=(
                'how lists and objects are written (OpenAPI 3.1, "Style Values"); json: as JSON text. A value that'
                " holds an input without a value is left out, name and all"
            )
        ),
    ] = True


class FormBody(Document, tag="form", frozen=True):
    """Fields sent as application/x-www-form-urlencoded. A field that holds an input without a value is left out."""

    fields: list[Parameter] = []
    optional: Annotated[bool, Meta(description="where no input has a value, nothing is sent")] = False
    required: Annotated[list[str], Meta(description="fields that must be sent where any other is")] = []


class Part(Document, frozen=True):
    """One part of a multipart body."""

    name: str
    value: Value = ""
    enabled: bool = True
    file_name: Annotated[str, Meta(description="makes it a file")] = ""
    media_type: Annotated[str, Meta(description="of its content; empty for plain text")] = ""
    encoding: Annotated[Literal["text", "base64"], Meta(description="base64, if the value is bytes written so")] = (
        "text"
    )
    headers: Annotated[
        list[Parameter], Meta(description="of its own; one that holds an input without a value is left out")
    ] = []


class MultipartBody(Document, tag="multipart", frozen=True):
    """Parts sent as multipart/form-data (RFC 7578)."""

    parts: list[Part] = []
    optional: Annotated[bool, Meta(description="as of a form")] = False
    required: Annotated[list[str], Meta(description="as of a form")] = []


class Member(Document, frozen=True):
    """A value within a JSON body."""

    at: Annotated[
        str,
        Meta(
            pattern=r"^(/[\s\S]*)?$",
            description=(
                "its place, a JSON Pointer (RFC 6901); a number is an element of a list, empty is the whole body"
            ),
        ),
    ]
    value: Value = ""
    type: Annotated[
        Literal["text", "integer", "decimal", "boolean", "json", "json_text"],
        Meta(
            description=(
                "how a fixed text is read: as text, number, boolean, any JSON; json_text: the value becomes JSON within"
                " a text"
            )
        ),
    ] = "text"
    enabled: bool = True
    required_in: Annotated[
        Annotated[str, Meta(pattern=r"^(/[\s\S]*)?$")] | None,
        Meta(
            description=(
                "the place of an object that may be left out, and without this is not whole: where any input within it"
                " has a value, this one needs one too, and a fixed text goes along. A member that holds an input"
                " without a value is left out"
            )
        ),
    ] = None


class JsonBody(Document, tag="json", frozen=True):
    """A JSON body put together from members. Numbers are written unquoted, texts quoted, what has no value is left
    out."""

    members: list[Member] = []
    media_type: str = "application/json"
    optional: Annotated[bool, Meta(description="where no input has a value, nothing is sent")] = False


class TextBody(Document, tag="text", frozen=True):
    """A text sent byte for byte; a value in it is encoded by the rules of its place: in JSON as a value, or as text
    between quotes; in XML with its special characters written as references."""

    media_type: str = "application/json"
    content: Value = ""


class BytesBody(Document, tag="bytes", frozen=True):
    """Bytes, given as base64 (RFC 4648, section 4)."""

    media_type: str = "application/octet-stream"
    content: Value = ""


class GraphQLBody(Document, tag="graphql", frozen=True):
    """A GraphQL document with its variables (GraphQL over HTTP). Sent as JSON, or in the query if the method is GET."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"prepared": "queries"}

    query: str = ""
    prepared: Annotated[str, Meta(description="the name of a prepared query that stands in place of the text")] = ""
    kind: Annotated[Literal["query", "mutation"], Meta(description="a query reads, a mutation writes")] = "query"
    operation_name: Annotated[str, Meta(description="which one is sent, if the document has several")] = ""
    variables: Annotated[list[Member], Meta(description="by place in the variables' object")] = []
    one_line: Annotated[
        bool, Meta(description="line breaks and comments are taken out, for services that refuse them")
    ] = False


class XmlElement(Document, frozen=True):
    """A value within XML."""

    at: Annotated[
        str,
        Meta(
            description=(
                "its place below the root, steps of `prefix:name` parted by slashes; `@name` is an attribute, `.` the"
                " element's own text. A list repeats the element, an object becomes elements within it: in the order"
                " and the namespaces of its type, one of the body's types, if it has one. One that holds an input"
                " without a value is left out"
            )
        ),
    ]
    value: Value = ""
    type: str = ""
    enabled: bool = True
    required_in: Annotated[str | None, Meta(description="as of a member of a JSON body, by place")] = None


class XmlChild(Document, frozen=True):
    """A child element `prefix:name`, or an attribute `@name`, of a structured element."""

    name: str
    type: Annotated[str, Meta(description="its own children, one of the body's types")] = ""


#: An element's name, with or without a prefix.
ElementName = Annotated[str, Meta(pattern=r"^([A-Za-z_][\w.-]*:)?[A-Za-z_][\w.-]*$")]


class XmlBody(Document, tag="xml", frozen=True):
    """An XML document put together from elements, in the order in which they are written."""

    namespaces: Annotated[dict[str, str], Meta(description="by prefix; the empty one is the default namespace")] = {}
    root: Annotated[ElementName, Meta(description="the outermost element, `prefix:name`")] = "request"
    elements: list[XmlElement] = []
    media_type: str = "application/xml"


class SoapBody(Document, tag="soap", frozen=True):
    """A SOAP envelope."""

    version: Literal["1.1", "1.2"] = "1.1"
    action: Annotated[str, Meta(description="of the request (SOAPAction)")] = ""
    namespaces: Annotated[dict[str, str], Meta(description="by prefix")] = {}
    root: Annotated[ElementName, Meta(description="the element in the body, `prefix:name`")] = "request"
    elements: Annotated[
        list[XmlElement],
        Meta(description="in the order in which they are written; one that holds an input without a value is left out"),
    ] = []
    headers: Annotated[
        list[XmlElement],
        Meta(description="in the order in which they are written; one that holds an input without a value is left out"),
    ] = []
    types: Annotated[
        dict[str, list[XmlChild]], Meta(description="of structured elements, their children in order")
    ] = {}
    derived: Annotated[
        dict[str, dict[str, str]],
        Meta(
            description=(
                'of which of them a value of one may be, by qualified names: the value says it as a member "@xsi:type";'
                " an abstract one is not among its own"
            )
        ),
    ] = {}
    reads: Annotated[bool, Meta(description="it changes nothing")] = False


Body = FormBody | MultipartBody | JsonBody | XmlBody | TextBody | BytesBody | GraphQLBody | SoapBody


class OtherBody(Document, frozen=True):
    """A body that the service takes in place of the one that is sent."""

    media_type: str
    body: Body
    inputs: Annotated[list[Input], Meta(description="that it takes, beside those of path, query and headers")] = []


class NothingFound(Document, frozen=True):
    """When a response says that there is nothing, which is an outcome of its own and no failure."""

    statuses: Annotated[list[Annotated[int, Meta(ge=100, le=599)]], Meta(description="such as 404")] = []
    empty: Annotated[
        str | Source | None,
        Meta(description="a path, short or written out, that finds nothing, null or an empty list in a good response"),
    ] = None


class FailureRule(Document, frozen=True):
    """When a response is a failure although its status is good."""

    when: Annotated[list[Condition], Meta(description="conditions on the response, all of them")] = []
    message: Annotated[str | Source | None, Meta(description="where its own words stand")] = None
    text: Annotated[
        str, Meta(description="or a text that the first 64 kB of the body have, also of one that cannot be read")
    ] = ""


class OutcomeRules(Document, frozen=True):
    """What responses of an operation mean beside their status."""

    nothing_found: NothingFound = NothingFound()
    failures: list[FailureRule] = []
    forms: Annotated[
        list[Literal["graphql", "odata", "soap", "problem"]] | None,
        Meta(description="the standards' forms of errors that are recognised in good responses; None: all"),
    ] = None


class ResponseView(Document, frozen=True):
    """What people said of the response."""

    rows: Annotated[list[str], Meta(description="what becomes one row, a JSONPath a level")] = []
    corrections: Annotated[list[Correction], Meta(description="of its schema")] = []
    accepted: Annotated[
        list[AcceptedDrift], Meta(description="differences from the schema on file that are as they should be")
    ] = []
    read_as: Annotated[
        str,
        Meta(
            description=(
                "a media type, in place of what its Content-Type says: text/csv; delimiter=semicolon; header=absent;"
                " charset=windows-1252; empty=absent"
            )
        ),
    ] = ""


class ResponseHeader(Document, frozen=True):
    """A header that a response is said to have (OpenAPI 3.1, "Header Object")."""

    name: str
    schema: Annotated[dict[str, Any] | bool, Meta(description="of its value")] = True
    required: Annotated[bool, Meta(description="the response always has it")] = False
    description: str = ""


class ResponseDescription(Document, frozen=True):
    """What a definition says of a response."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"definition": "definitions"}

    status: Annotated[
        str,
        Meta(pattern=r"^([1-5]\d\d|[1-5]XX|default)$", description="three digits, a family such as 4XX, or default"),
    ]
    media_type: str = ""
    schema: Annotated[
        dict[str, Any] | bool | None,
        Meta(
            description=(
                "JSON Schema 2020-12; it may refer to `#/$defs/...`, the schemas of a definition: the named one, or"
                " that from which the operation came"
            )
        ),
    ] = None
    description: str = ""
    definition: str = ""
    headers: Annotated[list[ResponseHeader], Meta(description="beside Content-Type")] = []


class CameFrom(Document, frozen=True):
    """Where an imported operation stands."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"definition": "definitions"}

    definition: Annotated[str, Meta(description="by name")]
    pointer: Annotated[str, Meta(description="JSON Pointer in it")] = ""
    key: Annotated[str, Meta(description="what it is called there, whatever its name is here")] = ""


class OperationDocument(Document, frozen=True):
    """One request that a service can answer."""

    enabled: Annotated[bool, Meta(description="off, it is not sent")] = True
    method: Method = "GET"
    reads: Annotated[
        bool,
        Meta(
            description=(
                "sending it changes nothing at the service although its method may, as of a search that is posted"
            )
        ),
    ] = False
    takes_key: Annotated[
        bool,
        Meta(
            description=(
                "the service takes an Idempotency-Key and acts once for each key: one goes with every call of an"
                " application, so that it can be sent again after a failure"
            )
        ),
    ] = False
    path: Annotated[str, Meta(description="an RFC 6570 template below the connection's base address")] = "/"
    inputs: list[Input] = []
    query: list[Parameter] = []
    headers: list[Parameter] = []
    cookies: list[Parameter] = []
    odata: Annotated[
        ODataQuery | None,
        Meta(description="the key, path and system query options of an OData request, put behind the path"),
    ] = None
    body: Body | None = None
    other_bodies: Annotated[list[OtherBody], Meta(description="of other media types, of which one may be chosen")] = []
    paging: Paging | None = None
    response: ResponseView = ResponseView()
    outcomes: OutcomeRules = OutcomeRules()
    later: Annotated[
        LaterAnswer | None,
        Meta(description="it orders something that is ready later; none, if its response is the answer"),
    ] = None
    responses: Annotated[list[ResponseDescription], Meta(description="as a definition describes them")] = []
    description: str = ""
    documentation: str = ""
    tags: list[str] = []
    left_out: Annotated[list[str], Meta(description="inputs that a definition offers and nobody wants")] = []
    deprecated: Annotated[bool, Meta(description="the service says that it will go")] = False
    came_from: Annotated[CameFrom | None, Meta(description="the definition")] = None


def body_values(body: Body | None) -> Iterator[tuple[str, Value]]:
    """Every value of a body with its place in the document."""
    match body:
        case FormBody(fields=fields):
            yield from ((f"/body/fields/{number}", parameter.value) for number, parameter in enumerate(fields))
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
            yield from ((f"/body/headers/{number}", xml_element.value) for number, xml_element in enumerate(headers))
        case GraphQLBody(variables=variables):
            yield from ((f"/body/variables/{number}", member.value) for number, member in enumerate(variables))
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


def file_inputs(operation: OperationDocument) -> frozenset[str]:
    """Inputs that may be files: each is a whole body, or the whole of parts that are files, and stands nowhere else."""
    files = set()
    parts = operation.body.parts if isinstance(operation.body, MultipartBody) else []
    takes = {f"/body/parts/{number}" for number, one in enumerate(parts) if one.file_name or one.encoding == "base64"}
    takes |= {"/body/content"} if isinstance(operation.body, BytesBody) else set()
    others = path_variables(operation.path)
    for place, value in values_of(operation):
        if isinstance(value, ValueOf) and not value.written and place in takes:
            files.add(value.input)
        else:
            others |= {part.input for part in parts_of(value) if isinstance(part, ValueOf)}
    return frozenset(files - others - {""})


def response_for(operation: OperationDocument, status: int) -> ResponseDescription | None:
    """What the definition says of a response with this status: of the status itself, its family, or by default (OpenAPI
    3.1, "Responses Object")."""
    for wanted in (str(status), f"{status // 100}XX", "default"):
        response_descriptions = [response for response in operation.responses if response.status == wanted]
        if response_descriptions:
            return next(
                (
                    response_description
                    for response_description in response_descriptions
                    if "json" in response_description.media_type
                ),
                response_descriptions[0],
            )
    return None


def is_reading(operation: OperationDocument) -> bool:
    """Whether sending it changes nothing at the service: by its method (RFC 9110, section 9.2.1), as a GraphQL query,
    or because somebody says so."""
    if isinstance(operation.body, GraphQLBody):
        return operation.body.kind == "query"
    if isinstance(operation.body, SoapBody):
        return operation.body.reads
    return operation.reads or operation.method in READING


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
