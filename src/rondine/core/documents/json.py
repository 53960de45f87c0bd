"""JSON (RFC 8259) as exact values: integers of any size stay integers, all other numbers are Decimals that keep every
digit.

Two readers give equal values. The fast one (msgspec) reads whatever is sound; what it refuses goes to the standard
library's, which keeps lone surrogates (so that one bad text costs one row, not the page) and knows the line and column
of what is really malformed.
"""

import codecs
import contextlib
import json as stdlib_json
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from decimal import Decimal
from itertools import islice
from math import isfinite
from typing import Any, NoReturn

import msgspec

from rondine.core.errors import DocumentError, short

Location = tuple[str | int, ...]
BOM = b"\xef\xbb\xbf"
_MARKS = tuple(
    (bytes(mark), charset)
    for mark, charset in (
        (codecs.BOM_UTF32_LE, "utf-32"),
        (codecs.BOM_UTF32_BE, "utf-32"),
        (codecs.BOM_UTF16_LE, "utf-16"),
        (codecs.BOM_UTF16_BE, "utf-16"),
    )
)
#: Charsets that are read as they are; none said is UTF-8 (RFC 8259, section 8.1).
UTF_8 = frozenset({"", "utf-8", "utf8", "us-ascii", "ascii"})

_decoder = msgspec.json.Decoder(float_hook=Decimal)
_encoder = msgspec.json.Encoder(decimal_format="number")


@dataclass(frozen=True, slots=True)
class Limits:
    """What a document may cost. size: bytes.  depth: nested lists and objects; 200 is five times the deepest response
    we have met.

    depth None leaves it to the decoder, which stops at about 1,000: for those who do not walk what they read.
    """

    size: int = 64 * 1024 * 1024
    depth: int | None = 200


USUAL = Limits()


def check_size(body: bytes, limits: Limits, name: str) -> None:
    """Raises DocumentError for a body that is too large to be read at once."""
    if len(body) > limits.size:
        raise DocumentError(
            f"{name} has {len(body):,} bytes, more than the {limits.size:,} that are read at once",
            where=name,
            hint="ask for less, or raise the limit",
        )


def marked_charset(body: bytes) -> str:
    """What a byte order mark at the beginning says (Unicode, section 23.8), empty without one, or with that of
    UTF-8."""
    return next((charset for mark, charset in _MARKS if body.startswith(mark)), "")


def is_utf8(charset: str) -> bool:
    """Whether a charset is UTF-8 or a part of it; none is."""
    return charset.lower().replace("_", "-") in UTF_8


def plain_decimal(value: Decimal | str) -> float | Decimal:
    """A number with a fraction as a float where that holds every digit of it, else as a Decimal."""
    exact = Decimal(value)
    number = float(exact)
    return number if isfinite(number) and Decimal(repr(number)) == exact else exact


def as_utf8(body: bytes, charset: str, name: str) -> bytes:
    """A text in UTF-8, without a byte order mark. charset: of the media type, empty if it says none. Raises
    DocumentError."""
    charset = charset or marked_charset(body)
    if not is_utf8(charset):
        try:
            body = body.decode(charset).encode()
        except (LookupError, UnicodeDecodeError) as error:
            raise DocumentError(
                f"{name} cannot be read as {charset}: {error}", where=name, hint="correct the charset of its media type"
            ) from error
    return body.removeprefix(BOM)


def read_json(body: bytes, *, charset: str = "", limits: Limits = USUAL, name: str = "the response") -> Any:
    """The document's value. Raises DocumentError with line and column in `where`."""
    check_size(body, limits, name)
    if not body.strip():
        raise DocumentError(
            f"{name} is empty, not JSON", where=name, hint="look at the status: 204 and 304 have no body"
        )
    body = as_utf8(body, charset, name)
    try:
        value = _decoder.decode(body)
    except RecursionError as error:
        raise _too_deep(name, limits) from error
    except (msgspec.DecodeError, UnicodeDecodeError, ArithmeticError):
        value = _read_slowly(body, limits, name)
    if limits.depth is not None and depth_exceeds(value, limits.depth):
        raise _too_deep(name, limits)
    return value


_CUT_OFF = "it may have been cut off; ask for it again"


def _read_slowly(body: bytes, limits: Limits, name: str) -> Any:
    try:
        text = body.decode("utf-8")
    except UnicodeDecodeError as error:
        line = body.count(b"\n", 0, error.start) + 1
        raise DocumentError(
            f"byte {error.start} is not UTF-8",
            where=f"{name}, line {line}",
            hint="correct the charset of its media type",
        ) from error
    try:
        return stdlib_json.loads(text, parse_float=Decimal, parse_constant=_refuse_constant)
    except stdlib_json.JSONDecodeError as error:
        if error.msg == "Extra data" and text.lstrip()[:1] not in "{[":  # such as "404: Not Found", whose 404 is JSON
            raise DocumentError(
                f"not JSON: it is a text, {short(text.strip())}", where=f"{name}, line 1", hint="look at what came back"
            ) from error
        at_end = error.pos >= len(text.rstrip())
        begins = text[error.pos : error.pos + 20]
        found = "the text ends here" if at_end else f'found "{begins.splitlines()[0] if begins.strip() else " "}"'
        raise DocumentError(
            f"not JSON: {_in_words(error.msg)}, {found}",
            where=f"{name}, line {error.lineno}, column {error.colno}",
            hint=_markup(text)
            or (_CUT_OFF if at_end or "Unterminated" in error.msg else "look at what stands before that place"),
        ) from error
    except RecursionError as error:
        raise _too_deep(name, limits) from error
    except (ValueError, ArithmeticError) as error:
        words = "a whole number has more than 4,300 digits" if "integer string conversion" in str(error) else error
        raise DocumentError(
            f"not JSON: {words}", where=name, hint="tell its provider; JSON has no such numbers (RFC 8259, section 6)"
        ) from error


_HTML = re.compile(r"[\ufeff\s]*<(!doctype html|html|head|body)", re.IGNORECASE)


def looks_like_html(text: str) -> bool:
    """Whether a text begins as a page of HTML does."""
    return _HTML.match(text) is not None


def _markup(text: str) -> str:
    """What a text seems to be that is not JSON."""
    if looks_like_html(text):
        return "it looks like a page of HTML"
    return "it looks like XML" if text.lstrip("\ufeff \t\r\n").startswith("<") else ""


def _refuse_constant(text: str) -> NoReturn:
    raise ValueError(f"{text} is not a JSON number")


def _in_words(message: str) -> str:
    words = {
        "Expecting value": "a value is expected",
        "Expecting ',' delimiter": 'a "," or a closing bracket is expected',
        "Expecting ':' delimiter": 'a ":" is expected',
        "Expecting property name enclosed in double quotes": "a name in double quotes is expected",
        "Extra data": "there is more text after the end of the document",
        "Unterminated string starting at": "a text begins here and never ends",
    }
    return words.get(message, message[:1].lower() + message[1:])


def _too_deep(name: str, limits: Limits) -> DocumentError:
    return DocumentError(
        f"{name} is nested more than {limits.depth or 1000:,} levels deep",
        where=name,
        hint="ask the service for a flatter form",
    )


def depth_exceeds(value: Any, most: int) -> bool:
    """Whether lists and objects are nested more than `most` deep; walks level by level, so no recursion."""
    level = [value]
    for _ in range(most):
        following: list[Any] = []
        for one in level:
            kind = type(one)
            if kind is dict:
                following.extend(v for v in one.values() if type(v) is dict or type(v) is list)
            elif kind is list:
                following.extend(v for v in one if type(v) is dict or type(v) is list)
        if not following:
            return False
        level = following
    return True


def as_written(number: float | Decimal) -> Decimal:
    """A number as somebody wrote it: exact, and of a float, as which those of stored documents are read, the shortest
    that means it."""
    return Decimal(repr(number)) if isinstance(number, float) else Decimal(number)


def json_text(value: Any) -> str:
    """Compact JSON with exact numbers; lone surrogates stay escaped."""
    try:
        return _encoder.encode(value).decode()
    except UnicodeEncodeError:
        return _escaped(value)


def _escaped(value: Any) -> str:
    if isinstance(value, dict):
        return "{" + ",".join(f"{stdlib_json.dumps(k)}:{_escaped(v)}" for k, v in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ",".join(map(_escaped, value)) + "]"
    return str(value) if isinstance(value, Decimal) else stdlib_json.dumps(value)


# --- looking ------------------------------------------------------------------------------------------------------


def kind_of(value: Any) -> str:
    """JSON Schema's word for a value: object, array, string, integer, number, boolean, null. 2.0 is a number, 2 an
    integer."""
    kind = type(value)
    if kind is str:
        return "string"
    if kind is bool:
        return "boolean"
    if kind is int:
        return "integer"
    if kind is Decimal or kind is float:
        return "number"
    if kind is dict or isinstance(value, dict):
        return "object"
    return "array" if kind is list else "null"


@dataclass(frozen=True, slots=True)
class MemberNode:
    """One line of a document's tree. text: the value as JSON, for scalars, up to 2,000 characters.  count: members or
    elements."""

    location: Location
    name: str
    kind: str
    text: str
    count: int


def node_at(value: Any, location: Location) -> Any:
    """The value at a place. Raises DocumentError if there is none."""
    for depth, part in enumerate(location):
        try:
            value = value[part]
        except (KeyError, IndexError, TypeError) as error:
            raise DocumentError(
                f"there is nothing at {part!r}",
                where=pointer_text(location[: depth + 1]),
                hint="the document has changed; read it again",
            ) from error
    return value


def nodes_below(
    value: Any, location: Location = (), *, offset: int = 0, limit: int = 200, depth: int = 3
) -> Iterator[MemberNode]:
    """The members below a place, from `offset` on, each followed by its own down to `depth`; at most `limit` of any one
    list or object, so that a large document is looked at in parts."""
    parent = node_at(value, location)
    members = parent.items() if isinstance(parent, dict) else enumerate(parent) if isinstance(parent, list) else ()
    for name, member in islice(members, offset, offset + limit):
        kind = kind_of(member)
        holds = kind in ("object", "array")
        here = (*location, name)
        yield MemberNode(here, str(name), kind, "" if holds else json_text(member)[:2000], len(member) if holds else 0)
        if holds and depth > 1:
            for node in nodes_below(member, limit=limit, depth=depth - 1):
                yield replace(node, location=here + node.location)


def positions_of(value: Any, location: Location) -> list[int]:
    """Where each step of a place stands among the members around it, from 0. Raises DocumentError if there is nothing
    at the place."""
    found = []
    for depth, part in enumerate(location):
        around = node_at(value, location[:depth])
        node_at(value, location[: depth + 1])
        found.append(part if isinstance(part, int) else next(at for at, name in enumerate(around) if name == part))
    return found


def places_of(value: Any, text: str) -> Iterator[tuple[Location, list[int]]]:
    """The places whose name or plain value has this text in it, in the document's order, and their positions as
    `positions_of` gives them.

    Upper and lower case are the same. Numbers are looked through as they are written.
    """
    wanted = text.casefold()
    pending: list[Iterator[tuple[int, str | int, Any]]] = [_members(value)]
    place: list[str | int] = []
    positions: list[int] = []
    while pending:
        at, name, member = next(pending[-1], (-1, "", None))
        if at < 0:
            pending.pop()
            if place:
                place.pop()
                positions.pop()
            continue
        holds = isinstance(member, (dict, list))
        is_named = isinstance(name, str) and wanted in name.casefold()
        if is_named or (not holds and wanted in _plain_text(member)):
            yield (*place, name), [*positions, at]
        if holds and member:
            place.append(name)
            positions.append(at)
            pending.append(_members(member))


def _members(value: Any) -> Iterator[tuple[int, str | int, Any]]:
    if isinstance(value, dict):
        return ((at, name, member) for at, (name, member) in enumerate(value.items()))
    return ((at, at, member) for at, member in enumerate(value)) if isinstance(value, list) else iter(())


def _plain_text(value: Any) -> str:
    return value.casefold() if isinstance(value, str) else json_text(value)


def pointer_text(location: Location) -> str:
    """A place as JSON Pointer (RFC 6901)."""
    return "".join("/" + str(part).replace("~", "~0").replace("/", "~1") for part in location)


_TOKEN = re.compile(r'"(?:[^"\\]|\\.)*"|[{}\[\],:]|[^\s{}\[\],:"]+|\n')


def json_lines(text: str, wanted: set[Location]) -> dict[Location, int]:
    """The line (from 1) on which each of these places of a sound document begins; of places that are not there,
    nothing."""
    found: dict[Location, int] = {}
    path: list[str | int] = []
    kinds: list[bool] = []  # of the open containers: whether it is an object
    line, is_key = 1, False
    for match in _TOKEN.finditer(text):
        token = match.group()
        if token == "\n":
            line += 1
            continue
        if token == ",":
            is_key = bool(kinds) and kinds[-1]
            if kinds and not kinds[-1]:
                path[-1] = int(path[-1]) + 1
                if tuple(path) in wanted:
                    found.setdefault(tuple(path), line)
        elif token in "}]":
            kinds.pop()
            path.pop()
        elif token == ":":
            is_key = False
        elif is_key and kinds and kinds[-1]:
            path[-1] = stdlib_json.loads(token)
            if tuple(path) in wanted:
                found.setdefault(tuple(path), line)
        elif token in "{[":
            kinds.append(token == "{")
            path.append("" if token == "{" else 0)
            is_key = token == "{"
            if token == "[" and tuple(path) in wanted:
                found.setdefault(tuple(path), line)
    return found


def duplicate_key_notes(text: str, most: int) -> list[str]:
    """What is lost by names that are duplicated, in words; of `most` names."""
    return [
        f'"{duplicate_key[:80]}" is duplicated in one object: the last of them counts'
        for duplicate_key in duplicate_keys(text)[:most]
    ]


def duplicate_keys(text: str) -> list[str]:
    """Names that are duplicated in one object, each once; the last of them counts. The text may end early."""
    found: dict[str, None] = {}

    def pairs(members: list[tuple[str, Any]]) -> None:
        if len({name for name, _ in members}) != len(members):
            seen: set[str] = set()
            for name, _ in members:
                if name in seen:
                    found[name] = None
                seen.add(name)

    with contextlib.suppress(ValueError, RecursionError):
        stdlib_json.loads(text, object_pairs_hook=pairs)
    return list(found)
