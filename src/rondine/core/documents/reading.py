"""A body read by what it is: JSON, one JSON value a line, CSV, or XML; told by its media type, and by its first
character where that says something else."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from rondine.core.documents.csv import MEDIA_TYPES, looks_like_csv, read_csv
from rondine.core.documents.elements import declared_encoding, looks_like_xml, read_elements
from rondine.core.documents.json import USUAL, Limits, as_utf8, check_size, looks_like_html, marked_charset, read_json
from rondine.core.documents.whole_xml import XmlDocument
from rondine.core.errors import DocumentError
from rondine.core.media_types import bare_media_type

DocumentFormat = Literal["json", "ndjson", "csv", "xml"]
#: Media types of one JSON value a line; none is registered, these are in use. application/json-seq is RFC 7464.
_LINES = frozenset(
    {"application/x-ndjson", "application/ndjson", "application/jsonl", "application/jsonlines",
     "application/x-jsonlines", "application/json-seq", "text/x-ndjson"}
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class ReadDocument:
    """A body's value with its format. value: of NDJSON, a list of its lines' values;
    of CSV, a list of its rows.  namespaces: of XML, by the
    prefixes in its names."""

    value: Any
    format: DocumentFormat = "json"
    namespaces: Mapping[str, str] = field(default_factory=dict)

    @property
    def is_xml(self) -> bool:
        return self.format == "xml"


@dataclass(frozen=True, slots=True)
class BodyForm:
    """How a body is written. media_type: with the parameters that say how CSV is.  charset: empty if none is said."""

    format: DocumentFormat = "json"
    charset: str = ""
    media_type: str = ""


#: JSON, of which nothing else is said.
JSON = BodyForm()


def text_of_body(body: bytes, charset: str = "") -> str:
    """A body as text for people; what cannot be decoded is shown as U+FFFD. An XML document may say its encoding
    itself."""
    wanted = charset or (declared_encoding(body) if looks_like_xml(body) else "") or marked_charset(body) or "utf-8"
    try:
        return body.decode(wanted, "replace")
    except LookupError:
        return body.decode("utf-8", "replace")


def likely_media_type(body: bytes) -> str:
    """The media type of a document that comes without one: XML, one JSON value a line if its first line is whole, else
    JSON."""
    if looks_like_xml(body):
        return "application/xml"
    first, _, rest = body.strip().partition(b"\n")
    if rest and first.strip().endswith((b"}", b"]")):
        try:
            read_json(first)
            return "application/x-ndjson"
        except DocumentError:
            pass
    return "application/json"


def format_of(body: bytes, media_type: str = "") -> DocumentFormat:
    """Which format a body has. media_type: in any case; empty if it is not known."""
    plain = bare_media_type(media_type)
    if plain in _LINES:
        return "ndjson"
    if plain in MEDIA_TYPES:
        return "csv"
    if looks_like_xml(body):
        is_named = plain.endswith(("/xml", "+xml"))
        return "xml" if is_named or not looks_like_html(body[:400].decode("utf-8", "replace")) else "json"
    return "json"


def form_of_body(body: bytes, media_type: str = "", charset: str = "") -> BodyForm:
    """body: its beginning is enough."""
    return BodyForm(format_of(body, media_type), charset, media_type)


def read_document(
    body: bytes,
    *,
    media_type: str = "",
    charset: str = "",
    limits: Limits = USUAL,
    namespaces: Mapping[str, str] | None = None,
    name: str = "the response",
) -> ReadDocument:
    """media_type: with the parameters that say how CSV is written.  namespaces: prefixes that XML names are told with.
    charset: empty if the media type says none. Raises DocumentError with the place."""
    check_unpacked(body, name)
    match format_of(body, media_type):
        case "xml":
            elements = read_elements(body, charset=charset, limits=limits, namespaces=namespaces, name=name)
            whole = XmlDocument(elements.value, body, charset, elements.known)
            return ReadDocument(whole, "xml", elements.namespaces)
        case "ndjson":
            return ReadDocument(read_lines(body, charset=charset, limits=limits, name=name), "ndjson")
        case "csv":
            rows = read_csv(body, media_type=media_type, charset=charset, limits=limits, name=name)
            return ReadDocument(rows, "csv")
        case _:
            try:
                return ReadDocument(read_json(body, charset=charset, limits=limits, name=name))
            except DocumentError as error:
                if body.lstrip()[:1] in (b"{", b"[") or not looks_like_csv(body):
                    raise
                hint = 'it looks like CSV, and its media type says otherwise: let it be read as "text/csv"'
                raise DocumentError(error.message, where=error.where, hint=hint) from error


#: How compressed content begins, which no text does.
_PACKED = {
    b"\x1f\x8b\x08": "gzip",
    b"\x28\xb5\x2f\xfd": "zstd",
    b"PK\x03\x04": "a zip archive",
    b"BZh": "bzip2",
    b"\xfd7zXZ": "xz",
}


def check_unpacked(body: bytes, name: str) -> None:
    """Raises DocumentError for content that is compressed once more than its headers say, or without saying so."""
    for mark, kind in _PACKED.items():
        if body.startswith(mark):
            raise DocumentError(
                f"{name} is compressed: it is {kind}, which its Content-Encoding does not say",
                where=name,
                hint="tell the service's provider; perhaps it was compressed twice on the way",
            )


def read_lines(body: bytes, *, charset: str = "", limits: Limits = USUAL, name: str = "the response") -> list[Any]:
    """The values of a body of one JSON value a line; empty lines and record separators (RFC 7464) are passed over.

    Raises DocumentError with the line.
    """
    check_size(body, limits, name)
    values = []
    for number, line in enumerate(as_utf8(body, charset, name).split(b"\n"), 1):
        plain = line.strip(b"\x1e \t\r")
        if plain:
            try:
                values.append(read_json(plain, charset="utf-8", limits=limits, name=name))
            except DocumentError as error:
                where = f"{name}, line {number}" + error.where.removeprefix(name).replace(", line 1", "")
                raise DocumentError(error.message, where=where, hint=error.hint) from error
    return values
