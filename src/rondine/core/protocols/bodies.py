"""Bodies of requests: forms, multipart, JSON put together from members, texts with places for values, bytes."""

import base64
import binascii
import hashlib
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any, TypeVar
from urllib.parse import quote_plus
from xml.sax.saxutils import escape

from rondine.core.conversions.types import CONVERSIONS, ConversionError
from rondine.core.documents.json import json_text, read_json
from rondine.core.errors import DocumentError, InputError
from rondine.core.http.files import FileBody, GivenFile
from rondine.core.media_types import bare_media_type
from rondine.core.operations.document import (
    Body,
    BytesBody,
    FormBody,
    GraphQLBody,
    JsonBody,
    Member,
    MultipartBody,
    Parameter,
    Part,
    SoapBody,
    TextBody,
    XmlBody,
    XmlElement,
)
from rondine.core.operations.inputs import value_text
from rondine.core.operations.values import Value, ValueOf, parts_of
from rondine.core.protocols.graphql import one_line
from rondine.core.protocols.soap import envelope, media_type
from rondine.core.protocols.styles import BETWEEN, header_line, scalar_text, styled_pairs
from rondine.core.protocols.xml_writing import Element, Types, document
from rondine.core.secret import MASK

#: Gives a value its text, number or whatever it is; None if an input in it has none.
Read = Callable[[Value], Any]
_MISSING = object()
#: What a body is called whose kind nobody knows (RFC 9110, section 8.3).
UNKNOWN = "application/octet-stream"
One = TypeVar("One", Member, XmlElement, Parameter, Part)
Field = TypeVar("Field", Parameter, Part)


@dataclass(frozen=True, slots=True)
class Content:
    """A body to send. content: None if nothing is left of it.  media_type: as its header says it.  charset: of its
    characters."""

    content: bytes | FileBody | None
    media_type: str
    charset: str = "utf-8"


def body_content(body: Body, read: Read, *, header: str = "", is_shown: bool = False) -> Content:
    """header: the Content-Type that goes with it, if the operation or connection sets one: the characters are written
    as it says, and values as its media type wants them.  is_shown: masks stand in place of secrets and stay readable.

    Raises InputError for a character that the charset does not have.
    """
    match body:
        case FormBody():
            said = header or "application/x-www-form-urlencoded"
            charset = charset_of(said)
            fields = _sent(body.fields, read, body.required)
            is_left_out = body.optional and not _has_given(fields)
            return Content(None if is_left_out else _form(fields, charset, is_shown).encode(), said, charset)
        case MultipartBody():
            return _multipart(body, read, header)
        case JsonBody():
            found = json_value(body, read)
            said = header or body.media_type
            return Content(None, said) if found is _MISSING else _written(json_text(found), said)
        case TextBody():
            said = header or body.media_type
            if isinstance(body.content, ValueOf) and read(body.content) is None:
                return Content(None, said)
            return _written(_text(body, read, said), said)
        case GraphQLBody():
            return _written(json_text(graphql_parts(body, read)), header or "application/json")
        case SoapBody():
            parts = [_elements(group, read) for group in (body.elements, body.headers)]
            said = header or media_type(body.version, body.action)
            children = {
                name: [(xml_child.name, xml_child.type) for xml_child in listed] for name, listed in body.types.items()
            }
            types = Types(children, body.derived)
            text = envelope(body.version, body.namespaces, body.root, *parts, charset=charset_of(said), types=types)
            return _written(text, said)
        case XmlBody():
            text = document(body.namespaces, body.root, _elements(body.elements, read))
            said = header or body.media_type
            declared = charset_of(said).upper()
            return _written(f'<?xml version="1.0" encoding="{declared}"?>\n{text}', said)
        case BytesBody():
            found = read(body.content)
            if isinstance(found, GivenFile):
                return Content(FileBody((found,)), header or _media_type(body.media_type, found))
            content = None if found is None else _decoded(value_text(found), "/body/content")
            return Content(content, header or body.media_type)


def charset_of(content_type: str) -> str:
    """The charset that a Content-Type says (RFC 9110, section 8.3.2), UTF-8 if it says none. Raises InputError for one
    that is not known."""
    found = re.search(r";\s*charset\s*=\s*\"?([^\s;\"]+)", content_type, re.IGNORECASE)
    name = found.group(1) if found else "utf-8"
    try:
        "".encode(name)  # codecs that are no charsets refuse a text
    except LookupError as error:
        raise InputError(
            f'there is no charset "{name[:60]}"', where="/body/media_type", hint="such as utf-8 or iso-8859-1"
        ) from error
    return name.lower()


def _written(text: str, said: str) -> Content:
    content, charset = _encoded(text, said)
    return Content(content, said, charset)


def _encoded(text: str, said: str) -> tuple[bytes, str]:
    """A text in the charset that its Content-Type says, and that; where it says none, an XML declaration in the text
    does (XML 1.0, section 4.3.3)."""
    charset = charset_of(said)
    declared = re.match(r"<\?xml[^>]*\sencoding\s*=\s*[\"']([\w.-]+)", text)
    if declared and "charset" not in said.lower():
        charset = charset_of(f"; charset={declared.group(1)}")
    try:
        return text.encode(charset), charset
    except UnicodeEncodeError as error:
        raise InputError(
            f'the character "{text[error.start]}" of the body cannot be written in {charset}',
            where=f"/body, character {error.start + 1}",
            hint="take it out, or let the Content-Type say charset=utf-8",
        ) from error


def _elements(elements: list[XmlElement], read: Read) -> list[Element]:
    """The elements that have a value."""
    found = _with_required(
        [(element, element.at, element.required_in) for element in elements if element.enabled], read
    )
    return [Element(xml_element.at, value, xml_element.type) for xml_element, value in found]


def _with_required(places: Sequence[tuple[One, str, str | None]], read: Read) -> list[tuple[One, Any]]:
    """What is sent, of (what has a value, its place, the object with which it must be sent). Raises InputError for an
    input that is then missing."""
    values = [(one, at, within, read(one.value)) for one, at, within in places]
    given: dict[str, str] = {}  # by the place of an object: an input that has a value there
    for one, at, _, value in values:
        if value is not None and (name := _input_in(one.value)):
            for above in _above(at):
                given.setdefault(above, name)
    out = []
    for one, at, within, value in values:
        if within is not None and within in given and value is None:
            raise _missing(_input_in(one.value), at, within, given[within])
        if value is not None and (within is None or within in given or _input_in(one.value)):
            out.append((one, value))
    return out


def _above(at: str) -> Iterator[str]:
    """The places of the objects that hold a place, and the place itself: "" is the whole."""
    yield ""
    steps = at.split("/")
    yield from filter(None, ("/".join(steps[:count]) for count in range(1, len(steps) + 1)))


def _input_in(value: Value) -> str:
    """The first input, standing value or prepared text that a value holds, by name; empty for a fixed text."""
    places = [part for part in parts_of(value) if isinstance(part, ValueOf)]
    return places[0].input or places[0].standing or places[0].prepared if places else ""


def _missing(name: str, at: str, within: str, other: str) -> InputError:
    whole = f'"{within.strip("/")}"' if within else "the body"
    return InputError(
        f'the input "{name}" is required: {whole} is sent with "{other}", and is not whole without it',
        where=f"/{name or at}",
        hint=f'give it a value, or give none to "{other}"',
    )


def _sent(parts: list[Field], read: Read, required: list[str]) -> list[tuple[Field, Any]]:
    """The fields or parts that have a value."""
    return _with_required(
        [(part, part.name, "" if part.name in required else None) for part in parts if part.enabled], read
    )


def _has_given(found: Sequence[tuple[Parameter | Part, Any]]) -> bool:
    return any(_input_in(one.value) for one, _ in found)


def _form(fields: list[tuple[Parameter, Any]], charset: str, is_shown: bool) -> str:
    pairs = []
    for parameter, value in fields:
        for name, texts in styled_pairs(parameter.name, value, parameter.style, explode=parameter.explode):
            text = BETWEEN.get(parameter.style, ",").join(texts)
            try:
                shown = text if is_shown and MASK in text else quote_plus(text, encoding=charset, errors="strict")
                pairs.append(f"{quote_plus(name, encoding=charset, errors='strict')}={shown}")
            except UnicodeEncodeError as error:
                raise InputError(
                    f'the character "{error.object[error.start]}" of the field "{parameter.name}" cannot be written in'
                    f" {charset}",
                    where=f"/body/fields/{parameter.name}",
                    hint="take it out, or let the Content-Type say charset=utf-8",
                ) from error
    return "&".join(pairs)


def _multipart(body: MultipartBody, read: Read, header: str) -> Content:
    """RFC 7578. The boundary comes from the content, so that equal bodies are equal; a header's own stands in its
    place."""
    parts = _sent(body.parts, read, body.required)
    if body.optional and not _has_given(parts):
        return Content(None, header or "multipart/form-data")
    sections: list[tuple[bytes, bytes | GivenFile]] = []
    for one, value in parts:
        for each in value if isinstance(value, list) else [value]:
            content = each if isinstance(each, GivenFile) else _part_content(one, scalar_text(each))
            sections.append((_part_head(one, read, each) + b"\r\n\r\n", content))
    said = re.search(r";\s*boundary\s*=\s*\"?([^\s;\"]+)", header, re.IGNORECASE)
    boundary = said.group(1) if said else "rondine-" + _digest(sections)[:24]
    mark = f"--{boundary}".encode()
    pieces = [piece for head, content in sections for piece in (mark + b"\r\n" + head, content, b"\r\n")]
    media_type = header if said else f"{header.rstrip('; ') or 'multipart/form-data'}; boundary={boundary}"
    return Content(_joined([*pieces, mark + b"--\r\n"]), media_type)


def _digest(sections: Sequence[tuple[bytes, bytes | GivenFile]]) -> str:
    digest = hashlib.sha256()
    for head, content in sections:
        digest.update(head)
        digest.update(content.digest.encode() if isinstance(content, GivenFile) else content)
    return digest.hexdigest()


def _joined(pieces: Sequence[bytes | GivenFile]) -> bytes | FileBody:
    """As bytes, if there is no file among them."""
    bare = [piece for piece in pieces if isinstance(piece, bytes)]
    return b"".join(bare) if len(bare) == len(pieces) else FileBody(tuple(pieces))


def _media_type(said: str, file: GivenFile) -> str:
    """What the operation says of a file's media type, unless it says nothing; then what goes with the file."""
    return said if said not in ("", UNKNOWN) else file.media_type or said or UNKNOWN


def _part_head(part: Part, read: Read, value: Any) -> bytes:
    """The fields before a part's content (RFC 7578, section 4). Raises InputError for one that would end its line."""

    def quoted(name: str) -> str:
        return name.replace('"', "%22").replace("\r", "%0D").replace("\n", "%0A")

    head = f'Content-Disposition: form-data; name="{quoted(part.name)}"'
    file = value if isinstance(value, GivenFile) else None
    file_name = (file.name if file is not None else "") or part.file_name
    media_type = part.media_type if file is None else _media_type(part.media_type, file)
    if file_name:
        head += f'; filename="{quoted(file_name)}"'
    if media_type:
        head += f"\r\nContent-Type: {quoted(media_type)}"
    for header in part.headers:
        if header.enabled and (value := read(header.value)) is not None:
            head += f"\r\n{header.name}: {header_line(header.name, value, explode=header.explode)}"
    return head.encode()


def _part_content(part: Part, text: str) -> bytes:
    return _decoded(text, part.name) if part.encoding == "base64" else _encoded(text, part.media_type)[0]


def _decoded(text: str, where: str) -> bytes:
    try:
        return base64.b64decode(re.sub(r"\s", "", text), validate=True)
    except (binascii.Error, ValueError) as error:
        raise InputError(f"the value is not base64: {error}", where=where, hint="encode the bytes first") from error


def graphql_parts(body: GraphQLBody, read: Read) -> dict[str, Any]:
    """query, operationName and variables, as they are sent in JSON."""
    out: dict[str, Any] = {"query": one_line(body.query) if body.one_line else body.query}
    if body.operation_name:
        out["operationName"] = body.operation_name
    variables = put_together(body.variables, read)
    if variables is not _MISSING:
        out["variables"] = variables
    return out


def json_value(body: JsonBody, read: Read) -> Any:
    """The body's value; _MISSING if its one member has none, or nothing is given of an optional one."""
    root = put_together(body.members, read, optional=body.optional)
    is_whole = len(body.members) == 1 and body.members[0].at == ""
    return {} if root is _MISSING and not is_whole and not body.optional else root


def put_together(members: list[Member], read: Read, *, optional: bool = False) -> Any:
    """The value that the members make; _MISSING if none has a value, or, of an optional one, no input has."""
    root: Any = _MISSING
    found = _with_required([(member, member.at, member.required_in) for member in members if member.enabled], read)
    if optional and not any(_input_in(one.value) for one, _ in found):
        return _MISSING
    for one, held in found:
        value = _member_value(one, held)
        if one.at == "":
            return value
        tokens = [token.replace("~1", "/").replace("~0", "~") for token in one.at.split("/")[1:]]
        root = _container(tokens[0]) if root is _MISSING else root
        _put(root, tokens, value)
    return root


def _container(token: str) -> Any:
    """What a place with this first step is in: a number is the element of a list."""
    return [] if re.fullmatch(r"0|[1-9]\d*|-", token) else {}


def _put(container: Any, tokens: list[str], value: Any) -> None:
    for number, token in enumerate(tokens):
        is_last = number == len(tokens) - 1
        if isinstance(container, list):
            index = int(token) if token.isdigit() else len(container)
            if index >= len(container):  # those before it may have been left out
                container.append(value if is_last else _container(tokens[number + 1]))
                index = len(container) - 1
            container = container[index]
        elif is_last:
            container[token] = value
        else:
            container = container.setdefault(token, _container(tokens[number + 1]))


def _member_value(member: Member, value: Any) -> Any:
    """The value to write, which may be null, for what its place holds."""
    if member.type == "json_text":
        return json_text(value)
    if member.type == "json" and isinstance(member.value, str):
        try:
            return read_json(member.value.encode("utf-8", "surrogatepass"), name="the value")
        except DocumentError as error:
            hint = "write it as JSON, or read it as text"
            raise InputError(error.message, where=f"body{member.at}", hint=hint) from error
    if member.type != "text" and isinstance(value, str):
        try:
            value = CONVERSIONS[member.type](value)
        except ConversionError as error:
            hint = f"it is read as {member.type}; correct the value, or read it as text"
            raise InputError(f"the value {error}", where=f"body{member.at}", hint=hint) from error
    return value.isoformat().replace("+00:00", "Z") if isinstance(value, date) else value


def _text(body: TextBody, read: Read, said: str) -> str:
    """said: the media type, by which values in it are encoded."""
    out = ""
    kind = bare_media_type(said)
    is_json = kind == "application/json" or kind.endswith("+json")
    is_xml = kind in ("application/xml", "text/xml") or kind.endswith("+xml")
    for part in parts_of(body.content):
        if isinstance(part, str):
            out += part
            continue
        value = read(part)
        if is_json:
            quoted = json_text(value_text(value) if _is_within_string(out) or not _is_plain_json(value) else value)
            out += quoted[1:-1] if _is_within_string(out) else quoted
        else:
            text = "" if value is None else scalar_text(value)
            out += escape(text, {'"': "&quot;", "'": "&apos;"}) if is_xml else text
    return out


def _is_plain_json(value: Any) -> bool:
    return value is None or isinstance(value, (str, bool, int, float, Decimal, dict, list))


def _is_within_string(text: str) -> bool:
    """Whether a JSON text that breaks off here does so between quotes."""
    return len(re.findall(r'(?<!\\)(?:\\\\)*"', text)) % 2 == 1
