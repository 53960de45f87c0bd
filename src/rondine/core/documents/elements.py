"""XML as values: elements become objects, so that everything that looks at documents looks at XML too.

A document is an object with one member, its root element. An element is its text if it has neither attributes nor
elements within it, null if it is `xsi:nil`, and otherwise an object: attributes as `@name`, elements by their name, its
own text as `text()`, the words of XPath. Elements of one name stand in a list only if there are several; paths
(`core/paths/xpath.py`) and schemas go over that difference. Where text stands between elements, their order is kept for
the text of it all (`Mixed`).

Names are `prefix:name`. A namespace keeps the prefix that the reader was given for it, else the document's own; the
default namespace gets one made from its last word, so that a name always says its namespace (XPath 1.0, section 2.3,
knows no default one).
"""

import codecs
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, NoReturn
from xml.parsers import expat
from xml.sax.saxutils import escape, quoteattr

from rondine.core.documents.json import USUAL, Limits, check_size, json_text
from rondine.core.errors import DocumentError

TEXT = "text()"
XSI = "http://www.w3.org/2001/XMLSchema-instance"
#: Namespaces that have their prefix without being declared for it.
KNOWN = {"http://www.w3.org/XML/1998/namespace": "xml", XSI: "xsi"}
#: What expat decodes by itself; every other charset is decoded before.
_OWN_CHARSETS = frozenset({"", "utf-8", "utf8", "utf-16", "iso-8859-1", "us-ascii", "ascii"})
_DECLARED = re.compile(rb"""\A<\?xml[^>]*?\bencoding\s*=\s*["']([A-Za-z][A-Za-z0-9._-]*)["']""")


class Mixed(dict[str, Any]):
    """An element with text between its elements. whole: all text in it, in the order of the document."""

    __slots__ = ("whole",)

    def __init__(self, members: Mapping[str, Any], pieces: Iterable[Any]) -> None:
        """pieces: its texts, and its elements as values, in their order."""
        super().__init__(members)
        self.whole = "".join(text_of(piece) or "" for piece in pieces)


@dataclass(frozen=True, slots=True)
class Elements:
    """value: the document, an object with its root element.  namespaces: by prefix, those that its names use.  known:
    those that they could use."""

    value: dict[str, Any]
    namespaces: dict[str, str]
    known: dict[str, str] = field(default_factory=dict)


def read_elements(
    body: bytes,
    *,
    charset: str = "",
    limits: Limits = USUAL,
    namespaces: Mapping[str, str] | None = None,
    name: str = "the response",
) -> Elements:
    """charset: of the media type, empty if it says none; it goes before the document's own declaration (RFC 7303,
    section 3.2).  namespaces: by prefix.

    Raises DocumentError with line and column. A document type is refused, as it could define entities.
    """
    check_size(body, limits, name)
    parsing = Parsing(body, charset=charset, name=name)
    builder = Builder(parsing.parser, limits, dict(namespaces or {}), name)
    parsing.feed(body, is_last=True)
    names = builder.names
    by_prefix = names.by_prefix()
    used = {prefix: uri for prefix, uri in by_prefix.items() if prefix in names.used}
    return Elements(builder.root, used, by_prefix)


def declared_encoding(body: bytes) -> str:
    """The encoding that an XML document says it has, by its byte order mark or declaration; empty if it says none."""
    if body[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    found = _DECLARED.match(body.removeprefix(b"\xef\xbb\xbf"))
    return found.group(1).decode() if found else ""


def looks_like_xml(body: bytes) -> bool:
    """Whether a body begins as an XML document does, in UTF-8 or UTF-16."""
    return body[:400].replace(b"\0", b"").lstrip(b"\xef\xbb\xbf\xff\xfe \t\r\n")[:1] == b"<"


def text_of(value: Any) -> Any:
    """An element's text: its own and that of all elements within it (XPath's string-value); null stays null, a list has
    none."""
    if not isinstance(value, dict):
        return value
    if isinstance(value, Mixed):
        return value.whole
    if not any(not name.startswith("@") and name != TEXT for name in value):
        return value.get(TEXT, "")
    pieces: list[str] = []
    pending: list[Any] = [value]
    while pending:
        one = pending.pop()
        if isinstance(one, Mixed):
            pieces.append(one.whole)
        elif isinstance(one, dict):
            pending += [each for name, each in reversed(one.items()) if not name.startswith("@")]
        elif isinstance(one, list):
            pending += reversed(one)
        elif one is not None:
            pieces.append(one)
    return "".join(pieces)


_NAME = re.compile(r"[^\W\d][\w.-]*")
#: Characters that XML 1.0 (section 2.2) does not have.
_NO_CHARACTER = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")


def write_elements(value: Any) -> str:
    """The way back: a value as `read_elements` gives it, as text. Its names have no prefixes, as a value does not say
    what they stand for.

    Raises ValueError, with the reason, for what is not such a value.
    """
    if not isinstance(value, dict) or len(value) != 1 or isinstance(next(iter(value.values())), list):
        raise ValueError("is not an object with one member, the root element")
    pieces: list[str] = []
    _write_element(pieces, *next(iter(value.items())))
    return "".join(pieces)


def _write_element(pieces: list[str], name: str, value: Any, depth: int = 0) -> None:
    if depth > 200:
        raise ValueError("is nested more than 200 levels deep")
    pieces.append(f"<{_checked_name(name)}")
    if value is None:
        pieces.append(f' xmlns:xsi="{XSI}" xsi:nil="true"/>')
        return
    members = value if isinstance(value, dict) else {TEXT: value}
    for attribute, held in members.items():
        if attribute.startswith("@"):
            pieces.append(f" {_checked_name(attribute[1:])}={quoteattr(_plain_text(held))}")
    pieces.append(">")
    for member, held in members.items():
        if member == TEXT:
            pieces.append(escape(_plain_text(held), {"\r": "&#13;"}))
        elif not member.startswith("@"):
            for one in held if isinstance(held, list) else [held]:
                _write_element(pieces, member, one, depth + 1)
    pieces.append(f"</{name}>")


def _checked_name(name: str) -> str:
    if not _NAME.fullmatch(name):
        raise ValueError(
            f'holds the name "{name[:80]}", which XML does not have' + (" without its namespace" if ":" in name else "")
        )
    return name


def _plain_text(value: Any) -> str:
    if isinstance(value, (dict, list)):
        raise ValueError("holds a list or object where a text belongs")
    text = value if isinstance(value, str) else json_text(value)
    if found := _NO_CHARACTER.search(text):
        raise ValueError(f"holds the character U+{ord(found.group()):04X}, which XML does not have")
    return text


class Parsing:
    """A parser that calls elements "namespace name" and refuses document types; what it is fed may come in pieces.

    Raises DocumentError if the document is empty or in an encoding that is not known, and with line and column for what
    is not XML.
    """

    def __init__(self, head: bytes, *, charset: str, name: str) -> None:
        """head: how the document begins, as much of it as there is at hand."""
        if not head.strip():
            raise DocumentError(
                f"{name} is empty, not XML", where=name, hint="look at the status: 204 and 304 have no body"
            )
        self._head, self._name = head, name
        self.encoding, self._decode = _encoding(head, charset, name)
        self.parser = expat.ParserCreate(self.encoding, " ")
        self.parser.buffer_text = True
        self.parser.buffer_size = 65_536
        self.parser.StartDoctypeDeclHandler = self._refuse

    def feed(self, piece: bytes, *, is_last: bool) -> None:
        self.parse(self.decoded(piece, is_last=is_last), is_last=is_last)

    def decoded(self, piece: bytes, *, is_last: bool) -> bytes:
        """A piece in an encoding that expat reads."""
        if self._decode is None:
            return piece
        try:
            return self._decode.decode(piece, is_last).encode()
        except UnicodeError as error:
            raise DocumentError(
                f"{self._name} cannot be read: {error}", where=self._name, hint="correct the charset of its media type"
            ) from error

    def parse(self, text: bytes, *, is_last: bool) -> None:
        try:
            self.parser.Parse(text, is_last)
        except expat.ExpatError as error:
            raise self.problem(error.code, error.lineno, error.offset) from error
        except (LookupError, ValueError) as error:
            raise DocumentError(
                f"not XML: {error}", where=self._name, hint="correct its encoding declaration"
            ) from error

    def problem(self, code: int, line: int, offset: int) -> DocumentError:
        words = expat.ErrorString(code)
        where = f"{self._name}, line {line}, column {offset + 1}"
        return DocumentError(f"not XML: {words}", where=where, hint=_hint(self._head, words))

    def _refuse(self, *_: Any) -> NoReturn:
        raise DocumentError(
            "it has a document type, which is not read",
            where=f"{self._name}, line {self.parser.CurrentLineNumber}",
            hint="ask the service for the same without <!DOCTYPE ...>: it could define entities",
        )


def _encoding(head: bytes, charset: str, name: str) -> tuple[str | None, codecs.IncrementalDecoder | None]:
    """(the encoding to tell the parser; None: it finds out by itself, what decodes the document before). A byte order
    mark goes before the media type."""
    if head[:3] == b"\xef\xbb\xbf" or head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return None, None
    wanted = (charset or declared_encoding(head)).lower()
    if wanted in _OWN_CHARSETS:
        return wanted.replace("utf8", "utf-8") if charset and wanted else None, None
    try:
        return "utf-8", codecs.getincrementaldecoder(wanted)()
    except LookupError as error:
        raise DocumentError(
            f"{name} cannot be read as {wanted}: {error}", where=name, hint="correct the charset of its media type"
        ) from error


def encoded_for_parsing(body: bytes, charset: str) -> tuple[bytes, str | None]:
    """(a sound document, the encoding to parse it with; None if it says it itself), as it was read before with this
    charset."""
    encoding, decode = _encoding(body, charset, "the document")
    return (body if decode is None else decode.decode(body, True).encode()), encoding


def too_deep(name: str, line: int, limits: Limits) -> DocumentError:
    return DocumentError(
        f"{name} is nested more than {limits.depth or 1_000:,} levels deep",
        where=f"{name}, line {line}",
        hint="ask the service for a flatter form",
    )


def _hint(body: bytes, words: str) -> str:
    if body.lstrip()[:1] in (b"{", b"["):
        return "it looks like JSON"
    return (
        "an element is not closed as it was opened"
        if words == "mismatched tag"
        else "look at what stands before that place"
    )


class Prefixes:
    """Names in paths for the names of a document: a namespace keeps the prefix given for it, else the document's own,
    else one made from its last word.

    used: the prefixes in names that were asked for.
    """

    def __init__(self, namespaces: Mapping[str, str] | None = None) -> None:
        """namespaces: by prefix."""
        self.prefixes = dict(KNOWN) | {uri: prefix for prefix, uri in (namespaces or {}).items()}
        self.used: set[str] = set()
        self._taken = set(self.prefixes.values())
        self._steps: dict[str, str] = {}

    def declare(self, prefix: str | None, uri: str | None) -> None:
        if uri and uri not in self.prefixes:
            wanted = prefix or _made_prefix(uri)
            free, number = wanted, 2
            while free in self._taken:
                free, number = f"{wanted}{number}", number + 1
            self.prefixes[uri] = free
            self._taken.add(free)

    def step(self, tag: str) -> str:
        """The name in a path of an element or attribute that a parser calls "namespace name" or "{namespace}name"."""
        found = self._steps.get(tag)
        if found is None:
            uri, _, local = tag.removeprefix("{").replace("}", " ").rpartition(" ")
            found = self._steps[tag] = f"{self._prefix(uri)}:{local}" if uri else local
        return found

    def _prefix(self, uri: str) -> str:
        self.declare(None, uri)
        self.used.add(self.prefixes[uri])
        return self.prefixes[uri]

    def by_prefix(self) -> dict[str, str]:
        return {prefix: uri for uri, prefix in self.prefixes.items()}


class Builder:
    """Puts values together while the parser goes through a document; a stack of open elements, no recursion."""

    def __init__(self, parser: expat.XMLParserType, limits: Limits, namespaces: dict[str, str], name: str) -> None:
        self.parser, self.limits, self.name = parser, limits, name
        self.names = Prefixes(namespaces)
        self.root: dict[str, Any] = {}
        #: Of each open element: its name, its members (None until it has any), its text so far, and what is in it in
        #: its order.
        self.open: list[list[Any]] = [["", self.root, None, []]]
        parser.StartElementHandler = self.start
        parser.EndElementHandler = self.end
        parser.CharacterDataHandler = self.text
        parser.StartNamespaceDeclHandler = self.names.declare

    def start(self, tag: str, attributes: dict[str, str]) -> None:
        members = {f"@{self.names.step(name)}": value for name, value in attributes.items()} if attributes else None
        if len(self.open) > (self.limits.depth or 1_000):
            raise too_deep(self.name, self.parser.CurrentLineNumber, self.limits)
        self.open.append([self.names.step(tag), members, None, []])

    def text(self, data: str) -> None:
        frame = self.open[-1]
        frame[2] = data if frame[2] is None else frame[2] + data
        frame[3].append(data)

    def end(self, _: str) -> None:
        name, members, text, pieces = self.open.pop()
        value: Any
        if members is None:
            value = text or ""
        else:
            if members.get("@xsi:nil") in ("true", "1"):
                value = None
            else:
                value = members
                if text is not None and not text.isspace():
                    members[TEXT] = text
                    value = Mixed(members, pieces) if len(pieces) > 1 else members
        parent = self.open[-1]
        parent[3].append(value)
        if parent[1] is None:
            parent[1] = {name: value}
            return
        held = parent[1].get(name, parent)
        if held is parent:
            parent[1][name] = value
        elif held.__class__ is list:
            held.append(value)
        else:
            parent[1][name] = [held, value]


def _made_prefix(uri: str) -> str:
    """A prefix from the last word of a namespace: urn:soil:2 gives soil, http://www.w3.org/2005/Atom atom."""
    words = re.findall(r"[A-Za-z][A-Za-z0-9]*", uri)
    return next((word.lower()[:12] for word in reversed(words) if not re.fullmatch(r"[vV]\d+", word)), "ns")
