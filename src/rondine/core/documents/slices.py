"""A long list in a JSON document, an object whose keys are data, or one value a line, cut into slices that are read one
after another: memory does not grow with the document.

What separates two elements is learned from the first two; the last such place in a chunk is a likely cut. A slice that
a strict decoder takes proves that the cut was right, as it begins where an element begins. Where it does not, or
nothing was learned, the brackets are counted.
"""

import codecs
import json as stdlib_json
import re
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import chain
from typing import Any

import msgspec

from rondine.core.documents.json import BOM, is_utf8, marked_charset
from rondine.core.errors import DocumentError

#: Bytes that are read at a time, and so about what a slice has.
CHUNK = 256 * 1024
#: Of one element, of what stands around the list, and of the two together with a chunk.
MOST_OF_ONE = 16 * 1024 * 1024
#: Wrong cuts after which brackets are counted always.
_MOST_WRONG = 3

#: A quote alone is where a text begins whose end has not come yet.
_WORD = re.compile(rb'"(?:[^"\\]++|\\.)*+"|[{}\[\],:"]|[^\s{}\[\],:"]+', re.DOTALL)
#: Up to the next bracket, and up to the next bracket or comma.
_BRACKET = re.compile(rb'(?:[^{}\[\]"]++|"(?:[^"\\]++|\\.)*+")*+[{}\[\]]', re.DOTALL)
_MARK = re.compile(rb'(?:[^{}\[\],"]++|"(?:[^"\\]++|\\.)*+")*+[{}\[\],]', re.DOTALL)
_UNENDED = b'"'
_OPENING = re.compile(rb'\s*\{\s*"(?:[^"\\]++|\\.)*+"\s*:')
_SPACE = b" \t\r\n"


@dataclass(slots=True)
class Around:
    """What stands around the list: before and after its elements. Whole when all slices were read."""

    before: bytes = b""
    after: bytes = b""

    def text(self) -> bytes:
        """The document with an empty list."""
        return self.before + self.after


#: The values in a slice: of a list, or of an object by their names.
Values = list[Any] | dict[str, Any]
#: Reads a JSON list or object; raises msgspec.DecodeError or RecursionError for what it does not take.
Decode = Callable[[bytes], Values]


def list_slices(
    chunks: Iterable[bytes],
    names: Sequence[str],
    around: Around,
    decode_list: Decode,
    decode_object: Decode,
    *,
    charset: str = "",
    name: str = "the response",
) -> Iterator[tuple[bytes, Values | None]]:
    """The elements of the list that these names lead to, or the members of the object, some at a time: (a JSON list or
    object, what is in it; None if it cannot be decoded). A null in its place is an empty list.

    around: is filled with the rest of the document. Raises DocumentError if the document has no such list, ends within
    it, or if one element or what is around the list has more than 16 MB.
    """
    source = Utf8Source(chunks, charset, name)
    start = _find_list(source, names, name)
    around.before = bytes(source.held[:start])
    del source.held[:start]
    is_object = around.before.endswith(b"{")
    cutter = _Cutter(decode_object if is_object else decode_list, name, b"{}" if is_object else b"[]")
    while True:
        cut = cutter.cut(source.held)
        if cut is None:
            if len(source.held) > MOST_OF_ONE:
                raise _too_large(name, f"element {cutter.count:,} of the list or what follows has")
            if not source.more(max(CHUNK, len(source.held))):
                raise _ends(name, "within the list of rows")
            continue
        if cut:
            yield cutter.text, cutter.items
        del source.held[: cutter.following]
        if cutter.is_at_end:
            break
    while source.more(CHUNK):
        if len(source.held) > MOST_OF_ONE:
            raise _too_large(name, "what follows the list of rows has")
    around.after = bytes(source.held)


def line_slices(chunks: Iterable[bytes], *, charset: str = "", name: str = "the response") -> Iterator[bytes]:
    """Whole lines, some at a time; record separators (RFC 7464) are taken out."""
    source = Utf8Source(chunks, charset, name)
    while source.more(CHUNK):
        cut = source.held.rfind(b"\n") + 1
        if not cut and len(source.held) > MOST_OF_ONE:
            raise _too_large(name, "one line has")
        if cut:
            yield bytes(source.held[:cut]).replace(b"\x1e", b"")
            del source.held[:cut]
    if source.held.strip(_SPACE + b"\x1e"):
        yield bytes(source.held).replace(b"\x1e", b"")


class Utf8Source:
    """Chunks put together again: as UTF-8, without a byte order mark."""

    def __init__(self, chunks: Iterable[bytes], charset: str, name: str) -> None:
        self._chunks, self._charset, self._name = iter(chunks), charset, name
        if not charset:
            first = b""
            while len(first) < 4 and (chunk := next(self._chunks, b"")):
                first += chunk
            self._charset, self._chunks = marked_charset(first), chain([first] if first else [], self._chunks)
        try:
            self._decode = None if is_utf8(self._charset) else codecs.getincrementaldecoder(self._charset)()
        except LookupError as error:
            raise self._unreadable(error) from error
        self._is_first = True
        self.held = bytearray()

    def more(self, size: int) -> bool:
        """Reads at least so many bytes on, if there are so many. False at the end."""
        wanted = len(self.held) + size
        at_end = True
        for chunk in self._chunks:
            if self._decode is not None:
                try:
                    chunk = self._decode.decode(chunk).encode()
                except UnicodeError as error:
                    raise self._unreadable(error) from error
            self.held += chunk
            if self._is_first and len(self.held) >= len(BOM):
                self._is_first = False
                if self.held.startswith(BOM):
                    del self.held[: len(BOM)]
            at_end = False
            if len(self.held) >= wanted:
                break
        return not at_end

    def _unreadable(self, error: Exception) -> DocumentError:
        words, hint = (
            f"{self._name} cannot be read as {self._charset}: {error}",
            "correct the charset of its media type",
        )
        return DocumentError(words, where=self._name, hint=hint)


def _find_list(source: Utf8Source, names: Sequence[str], name: str) -> int:
    """The place after the opening bracket of the list; a null in its place is made one."""
    size = CHUNK
    while source.more(size):
        found = _list_start(bytes(source.held), names, name)
        if found < 0:
            source.held[-found - len(b"null") : -found] = b"[]"
            return -found - len(b"null") + 1
        if found:
            return found
        if len(source.held) > MOST_OF_ONE:
            raise _too_large(name, "what stands before the list of rows has")
        size = len(source.held)
    raise _no_list(name, names)


def _list_start(text: bytes, names: Sequence[str], name: str) -> int:
    """The place after the opening bracket, or, negative, after a null in the list's place. 0 if the text ends before it
    is clear."""
    depth, wanted, is_key, inside = 0, 0, False, 0
    for match in _WORD.finditer(text):
        word = match.group()
        mark = word[0]
        if word == _UNENDED:
            return 0
        if inside:  # a value that is not on the way
            inside += (mark in b"{[") - (mark in b"}]")
            continue
        if mark == 0x3A:
            continue
        if wanted == len(names) and not is_key:
            if mark in b"[{":
                return match.end()
            if word == b"null" and match.end() < len(text):
                return -match.end()
            raise _no_list(name, names)
        if depth == wanted:  # the object whose member is looked for begins here
            if mark != 0x7B:
                raise _no_list(name, names)
            depth, is_key = depth + 1, True
        elif mark == 0x7D:
            raise _no_list(name, names)
        elif mark == 0x2C:
            is_key = True
        elif is_key and mark == 0x22:
            is_key = False
            if match.end() < len(text) and _name_of(word) == names[wanted]:
                wanted += 1
        elif mark in b"{[":
            inside = 1
    return 0


def _name_of(word: bytes) -> str:
    try:
        found = stdlib_json.loads(word)
    except ValueError:
        return ""
    return found if isinstance(found, str) else ""


class _Cutter:
    """Finds where the elements in a buffer can be cut. brackets: those of the list, or of the object.

    text, items: of the last cut, a JSON list or object and what is in it, None if it could not be decoded.  following:
    where the next element begins.
    """

    def __init__(self, decode: Decode, name: str, brackets: bytes = b"[]") -> None:
        self._decode, self._name = decode, name
        self._opening, self._closing = brackets[:1], brackets[1:]
        self.text = b""
        self.items: Values | None = None
        self._between: bytes | None = None
        self._wrong = 0
        self.following = 0
        self.is_at_end = False
        self.count = 0

    def cut(self, held: bytearray) -> int | None:
        """The end of the last whole element, None if the first is not whole yet. At the end of the list, is_at_end is
        set and `following` is its bracket."""
        if self._between is None and self._wrong < _MOST_WRONG:
            self._learn(held)
        if self._between is not None and self._wrong < _MOST_WRONG:
            cut = held.rfind(self._between) + 1
            if cut and self._take(held, cut):
                self.following = held.index(b",", cut) + 1
                return cut
            self._wrong += cut > 0
        last = deque(self._ends(held), maxlen=1)
        if not last:
            return None
        end, self.following = last[0]
        if end:
            self._take(held, end)
        return end

    def _learn(self, held: bytearray) -> None:
        """What stands between the first two elements, if they are objects: the closing bracket, the comma, up to the
        second one's first name."""
        end, following = next(self._ends(held), (0, 0))
        found = _OPENING.match(held, following) if end and held[end - 1] == 0x7D else None
        if found:
            self._between = bytes(held[end - 1 : found.end()])
        elif end or self.is_at_end:
            self._wrong = _MOST_WRONG

    def _ends(self, held: bytearray) -> Iterator[tuple[int, int]]:
        """Where elements end and what is after the comma begins, by counting brackets; sets is_at_end at the end of the
        list."""
        depth, at = 0, 0
        while match := (_BRACKET if depth else _MARK).match(held, at):
            at = match.end()
            mark = held[at - 1]
            if mark in b"{[":
                depth += 1
            elif depth:
                depth -= mark != 0x2C
            elif mark == 0x2C:
                yield len(held[: at - 1].rstrip()), at
            elif mark == self._closing[0]:
                self.is_at_end = True
                yield len(held[: at - 1].rstrip()), at - 1
                return
            else:
                words, hint = f"not JSON: the list of rows ends with a {chr(mark)}", "look at the end of the list"
                raise DocumentError(words, where=self._name, hint=hint)

    def _take(self, held: bytearray, cut: int) -> bool:
        self.text = self._opening + held[:cut] + self._closing
        try:
            self.items = self._decode(self.text)
        except (msgspec.DecodeError, UnicodeDecodeError, ArithmeticError, RecursionError):
            self.items = None
        else:
            self.count += len(self.items)
        return self.items is not None


def _ends(name: str, where: str) -> DocumentError:
    return DocumentError(
        f"not JSON: the text ends {where}", where=name, hint="the response may have been cut off; ask for it again"
    )


def _too_large(name: str, what: str) -> DocumentError:
    return DocumentError(
        f"{what} more than {MOST_OF_ONE:,} bytes", where=name, hint="read the response another way, or ask for less"
    )


def _no_list(name: str, names: Sequence[str]) -> DocumentError:
    place = ".".join(names) or "the document"
    return DocumentError(
        f"{place} is not a list or object in this response", where=name, hint="look at what came back; point at a list"
    )
