"""Bodies of requests: forms, multipart, JSON put together from members, texts with places for values, bytes."""

import base64
import binascii
import hashlib
import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any
from urllib.parse import quote_plus
from xml.sax.saxutils import escape

from rondine.core.documents.json import json_text, read_json
from rondine.core.errors import DocumentError, InputError
from rondine.core.mapping.types import CONVERSIONS, ConversionError
from rondine.core.protocols.graphql import one_line
from rondine.core.protocols.inputs import value_text
from rondine.core.protocols.operation import (
    Body,
    BytesBody,
    FormBody,
    GraphQLBody,
    JsonBody,
    Member,
    MultipartBody,
    Part,
    SoapBody,
    TextBody,
    XmlBody,
    XmlElement,
)
from rondine.core.protocols.soap import envelope, media_type
from rondine.core.protocols.styles import BETWEEN, scalar_text, styled_pairs
from rondine.core.protocols.values import Value, parts_of
from rondine.core.protocols.xml_writing import Element, document
from rondine.core.secret import MASK

#: Gives a value its text, number or whatever it is; None if an input in it has none.
Read = Callable[[Value], Any]
_MISSING = object()


@dataclass(frozen=True, slots=True)
class Content:
    """A body to send. content: None if nothing is left of it.  media_type: as its header says it.  charset: of its characters."""

    content: bytes | None
    media_type: str
    charset: str = "utf-8"


def body_content(body: Body, read: Read, *, header: str = "", is_shown: bool = False) -> Content:
    """header: the Content-Type that goes with it, if the operation or connection sets one: the characters are written as it says, and values as its
    media type wants them.  is_shown: masks stand in place of secrets and stay readable.

    Raises InputError for a character that the charset does not have.
    """
    match body:
        case FormBody():
            said = header or "application/x-www-form-urlencoded"
            charset = charset_of(said)
            return Content(_form(body, read, charset, is_shown).encode(), said, charset)
        case MultipartBody():
            return _multipart(body, read, header)
        case JsonBody():
            found = json_value(body, read)
            said = header or body.media_type
            return Content(None, said) if found is _MISSING else _written(json_text(found), said)
        case TextBody():
            said = header or body.media_type
            return _written(_text(body, read, said), said)
        case GraphQLBody():
            return _written(json_text(graphql_parts(body, read)), header or "application/json")
        case SoapBody():
            parts = [_elements(group, read) for group in (body.elements, body.headers)]
            said = header or media_type(body.version, body.action)
            types = {name: [(one.name, one.type) for one in children] for name, children in body.types.items()}
            text = envelope(body.version, body.namespaces, body.root, *parts, charset=charset_of(said), types=types)
            return _written(text, said)
        case XmlBody():
            text = document(body.namespaces, body.root, _elements(body.elements, read))
            said = header or body.media_type
            declared = charset_of(said).upper()
            return _written(f'<?xml version="1.0" encoding="{declared}"?>\n{text}', said)
        case BytesBody():
            found = read(body.content)
            content = None if found is None else _decoded(value_text(found), "/body/content")
            return Content(content, header or body.media_type)


def charset_of(content_type: str) -> str:
    """The charset that a Content-Type says (RFC 9110, section 8.3.2), UTF-8 if it says none. Raises InputError for one that is not known."""
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
    """A text in the charset that its Content-Type says; where that says none, an XML declaration in it does (XML 1.0, section 4.3.3)."""
    charset = charset_of(said)
    declared = re.match(r"<\?xml[^>]*\sencoding\s*=\s*[\"']([\w.-]+)", text)
    if declared and "charset" not in said.lower():
        charset = charset_of(f"; charset={declared.group(1)}")
    try:
        return Content(text.encode(charset), said, charset)
    except UnicodeEncodeError as error:
        raise InputError(
            f'the character "{text[error.start]}" of the body cannot be written in {charset}',
            where=f"/body, character {error.start + 1}",
            hint="take it out, or let the Content-Type say charset=utf-8",
        ) from error


def _elements(elements: list[XmlElement], read: Read) -> list[Element]:
    """The elements that have a value."""
    return [
        Element(one.at, value, one.type) for one in elements if one.enabled and (value := read(one.value)) is not None
    ]


def _form(body: FormBody, read: Read, charset: str, is_shown: bool) -> str:
    pairs = []
    for one in body.fields:
        value = read(one.value) if one.enabled else None
        if value is None:
            continue
        for name, texts in styled_pairs(one.name, value, one.style, explode=one.explode):
            text = BETWEEN.get(one.style, ",").join(texts)
            try:
                shown = text if is_shown and MASK in text else quote_plus(text, encoding=charset, errors="strict")
                pairs.append(f"{quote_plus(name, encoding=charset, errors='strict')}={shown}")
            except UnicodeEncodeError as error:
                raise InputError(
                    f'the character "{error.object[error.start]}" of the field "{one.name}" cannot be written in {charset}',
                    where=f"/body/fields/{one.name}",
                    hint="take it out, or let the Content-Type say charset=utf-8",
                ) from error
    return "&".join(pairs)


def _multipart(body: MultipartBody, read: Read, header: str) -> Content:
    """RFC 7578. The boundary comes from the content, so that equal bodies are equal; a header's own stands in its place."""
    sections: list[bytes] = []
    for one in body.parts:
        value = read(one.value) if one.enabled else None
        for text in (
            [] if value is None else [scalar_text(each) for each in (value if isinstance(value, list) else [value])]
        ):
            sections.append(_section(one, text))
    said = re.search(r";\s*boundary\s*=\s*\"?([^\s;\"]+)", header, re.IGNORECASE)
    boundary = said.group(1) if said else "rondine-" + hashlib.sha256(b"".join(sections)).hexdigest()[:24]
    mark = f"--{boundary}".encode()
    content = b"".join(mark + b"\r\n" + section + b"\r\n" for section in sections) + mark + b"--\r\n"
    if said:
        return Content(content, header)
    return Content(content, f"{header.rstrip('; ') or 'multipart/form-data'}; boundary={boundary}")


def _section(part: Part, text: str) -> bytes:
    def quoted(name: str) -> str:
        return name.replace('"', "%22").replace("\r", "%0D").replace("\n", "%0A")

    head = f'Content-Disposition: form-data; name="{quoted(part.name)}"'
    if part.file_name:
        head += f'; filename="{quoted(part.file_name)}"'
    if part.media_type:
        head += f"\r\nContent-Type: {quoted(part.media_type)}"
    content = _decoded(text, part.name) if part.encoding == "base64" else _written(text, part.media_type).content or b""
    return head.encode() + b"\r\n\r\n" + content


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
    """The body's value; _MISSING if its one member has none."""
    root = put_together(body.members, read)
    is_whole = len(body.members) == 1 and body.members[0].at == ""
    return {} if root is _MISSING and not is_whole else root


def put_together(members: list[Member], read: Read) -> Any:
    """The value that the members make; _MISSING if none has a value."""
    root: Any = _MISSING
    for one in members:
        value = _member_value(one, read) if one.enabled else _MISSING
        if value is _MISSING:
            continue
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


def _member_value(member: Member, read: Read) -> Any:
    """The value to write, which may be null; _MISSING if an input in it has none."""
    value = read(member.value)
    if value is None:
        return _MISSING
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
    kind = said.partition(";")[0].strip().lower()
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
