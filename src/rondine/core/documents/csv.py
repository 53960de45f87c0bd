"""CSV (RFC 4180) as rows: one object a record, its fields by the names in the header line, each a text.

What the standard leaves open is said by parameters of the media type, of which `charset` and `header` are registered
ones: `text/csv; delimiter=semicolon; header=absent`. Without `delimiter` it is the one that parts the header line into
most names. text/tab-separated-values is read in the same way, parted by tabs.
"""

import csv
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from rondine.core.documents.json import USUAL, Limits, as_utf8, check_size, looks_like_html
from rondine.core.documents.slices import CHUNK, MOST_OF_ONE, Utf8Source
from rondine.core.errors import DocumentError
from rondine.core.media_types import bare_media_type, parameters_of

MEDIA_TYPES = frozenset({"text/csv", "application/csv", "text/x-csv", "text/tab-separated-values"})
DELIMITERS = {"comma": ",", "semicolon": ";", "tab": "\t", "pipe": "|"}
#: What a field becomes that has nothing in it: null, no member, or a blank text.
Empty = Literal["null", "absent", "text"]
_EMPTY_WORDS: dict[Empty, str] = {"null": "null", "absent": "left out", "text": "a blank text"}
#: Rows that are given on at a time.
AT_ONCE = 2_000

# Of one field; the reader's own limit is for the whole process, and is meant for files from nobody knows where.
csv.field_size_limit(MOST_OF_ONE)


@dataclass(frozen=True, slots=True)
class Dialect:
    """delimiter: empty to find it in the first line."""

    delimiter: str = ""
    quote: str = '"'
    has_header: bool = True
    empty: Empty = "null"


def is_csv(media_type: str) -> bool:
    return bare_media_type(media_type) in MEDIA_TYPES


def dialect_of(media_type: str) -> Dialect:
    """What a media type says of how it is written. Raises DocumentError for a parameter that says nothing known."""
    parameters = parameters_of(media_type)
    delimiter = parameters.get("delimiter", "")
    if bare_media_type(media_type) == "text/tab-separated-values":
        delimiter = delimiter or "tab"
    delimiter = DELIMITERS.get(delimiter, delimiter)
    quote = parameters.get("quote", '"')
    empty = parameters.get("empty", "null")
    header = parameters.get("header", "present")
    for name, value, is_known in (
        ("delimiter", delimiter, len(delimiter) <= 1),
        ("quote", quote, len(quote) == 1),
        ("empty", empty, empty in ("null", "absent", "text")),
        ("header", header, header in ("present", "absent")),
    ):
        if not is_known:
            raise DocumentError(
                f'"{value}" is no {name} of CSV',
                where=f"media type {media_type}",
                hint="such as text/csv; delimiter=semicolon; header=absent; empty=absent",
            )
    return Dialect(delimiter, quote, header == "present", empty)  # type: ignore[arg-type]


def read_csv(
    body: bytes, *, media_type: str = "text/csv", charset: str = "", limits: Limits = USUAL, name: str = "the response"
) -> list[dict[str, Any]]:
    """All rows of a body. Raises DocumentError with the line."""
    check_size(body, limits, name)
    body = as_utf8(body, charset, name)
    return [row for rows in csv_rows([body], media_type=media_type, charset="utf-8", name=name) for row in rows]


def csv_rows(
    chunks: Iterable[bytes], *, media_type: str, charset: str = "", name: str = "the response"
) -> Iterator[list[dict[str, Any]]]:
    """The rows of a body of any size, some at a time. Raises DocumentError with the line for a record that has more or
    fewer fields than the header line has names, and for a quote that is not closed."""
    lines = _lines(Utf8Source(chunks, charset, name), name)
    first = next(lines, "")
    if looks_like_html(first):
        raise DocumentError(
            f"{name} is not CSV: it looks like a page of HTML", where=name, hint="look at it; it may be an error page"
        )
    dialect = dialect_of(media_type)
    delimiter = dialect.delimiter or _delimiter_of(first, dialect.quote)
    reader = csv.reader(
        _again(first, lines), delimiter=delimiter, quotechar=dialect.quote, strict=True, doublequote=True
    )
    names: Sequence[str] = []
    rows: list[dict[str, Any]] = []
    try:
        for fields in reader:
            if not fields:  # a blank line
                continue
            if not names:
                names = _names(fields, dialect)
                if dialect.has_header:
                    continue
            if len(fields) != len(names):
                raise _uneven(len(fields), len(names), delimiter, f"{name}, line {reader.line_num}")
            rows.append(_row(names, fields, dialect.empty))
            if len(rows) == AT_ONCE:
                yield rows
                rows = []
    except csv.Error as error:
        raise DocumentError(
            f"{name} cannot be read as CSV: {error}",
            where=f"{name}, line {reader.line_num}",
            hint="it may have broken off, or have another quote or delimiter: see text/csv in the docs",
        ) from error
    if rows or not names:
        yield rows


def looks_like_csv(body: bytes) -> bool:
    """Whether the first two lines are parted alike, by one of the usual delimiters."""
    lines = body[:CHUNK].decode("utf-8", "replace").splitlines()[:2]
    if len(lines) < 2:
        return False
    delimiter = _delimiter_of(lines[0], '"')
    try:
        fields = [len(next(csv.reader([line], delimiter=delimiter), [])) for line in lines]
    except csv.Error:
        return False
    return fields[0] == fields[1] > 1


def told_dialect(body: bytes, media_type: str, charset: str = "") -> str:
    """In words, how a body was read that can be read: what was guessed is said to be."""
    dialect = dialect_of(media_type)
    first = next(_lines(Utf8Source([body], charset, "it"), "it"), "")
    delimiter = dialect.delimiter or _delimiter_of(first, dialect.quote)
    parted = next((name for name, sign in DELIMITERS.items() if sign == delimiter), delimiter)
    names = "the first line has the names" if dialect.has_header else "no line has names"
    guessed = "" if dialect.delimiter else ", which is a guess"
    return f"it is read as CSV parted by {parted}{guessed}; {names}; what is empty is {_EMPTY_WORDS[dialect.empty]}"


def _row(names: Sequence[str], fields: Sequence[str], empty: Empty) -> dict[str, Any]:
    if empty == "text":
        return dict(zip(names, fields, strict=True))
    if empty == "absent":
        return {name: field for name, field in zip(names, fields, strict=True) if field}
    return {name: field or None for name, field in zip(names, fields, strict=True)}


def _names(fields: Sequence[str], dialect: Dialect) -> list[str]:
    """Names of the columns, each once: a name that comes again gets a number."""
    names: list[str] = []
    for number, field in enumerate(fields, 1):
        name = (field.strip() if dialect.has_header else "") or f"column_{number}"
        if name in names:
            name = next(other for n in range(2, len(fields) + 2) if (other := f"{name}_{n}") not in names)
        names.append(name)
    return names


def _delimiter_of(line: str, quote: str) -> str:
    """The one that parts a line into most fields, the comma first."""
    counts = {}
    for delimiter in DELIMITERS.values():
        try:
            counts[delimiter] = len(next(csv.reader([line], delimiter=delimiter, quotechar=quote), []))
        except csv.Error:
            counts[delimiter] = 0
    return max(counts, key=lambda delimiter: counts[delimiter])


def _uneven(there: int, wanted: int, delimiter: str, where: str) -> DocumentError:
    parted = next(name for name, sign in [*DELIMITERS.items(), ("another sign", delimiter)] if sign == delimiter)
    return DocumentError(
        f"a record has {there:,} fields, and the header line {wanted:,}",
        where=where,
        hint=f"it was parted by {parted}; if that is wrong, read it as text/csv; delimiter=...",
    )


def _lines(source: Utf8Source, name: str) -> Iterator[str]:
    """Lines with what ends them; a record may go over several. A carriage return alone ends none."""
    while source.more(CHUNK):
        cut = source.held.rfind(b"\n") + 1
        if not cut and len(source.held) > MOST_OF_ONE:
            raise DocumentError(f"a line of {name} has more than 16 MB", where=name, hint="ask for less at a time")
        yield from _texts(bytes(source.held[:cut]), name)
        del source.held[:cut]
    yield from _texts(bytes(source.held), name)


def _texts(part: bytes, name: str) -> Iterator[str]:
    try:
        for line in part.splitlines(keepends=True) if b"\r" not in part else _ended_by_line_feeds(part):
            yield line.decode()
    except UnicodeDecodeError as error:
        raise DocumentError(
            f"{name} is not UTF-8: {error.reason}", where=name, hint="say its charset: text/csv; charset=..."
        ) from error


def _ended_by_line_feeds(part: bytes) -> list[bytes]:
    lines = part.split(b"\n")
    return [line + b"\n" for line in lines[:-1]] + [line for line in lines[-1:] if line]


def _again(first: str, rest: Iterator[str]) -> Iterator[str]:
    if first:
        yield first
    yield from rest
