"""JSONPath (RFC 9535), all of it: names, indexes, slices, wildcards, descendants, filters (`filters.py`) with their
functions.

A path is parsed into segments, each a tuple of selectors; `find` walks them breadth by breadth and gives nodes with
their places, in the order of section 2.5.2.2.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache
from typing import Any, NoReturn

from rondine.core.errors import PathError
from rondine.core.paths.filters import Evaluate, parse_filter
from rondine.core.paths.place import Location, Node, normalized_path

#: RFC 9535, section 2.5.1.1: member-name-shorthand.
SHORTHAND = re.compile(r"[A-Za-z_\u0080-\ud7ff\ue000-\U0010ffff][A-Za-z0-9_\u0080-\ud7ff\ue000-\U0010ffff]*")
_INT = re.compile(r"-?(?:0|[1-9][0-9]*)")
_BLANK = re.compile(r"[ \t\n\r]*")
_MOST = 2**53 - 1  # section 2.1: integers are within I-JSON's range


@dataclass(frozen=True, slots=True)
class Name:
    name: str


@dataclass(frozen=True, slots=True)
class Index:
    index: int


@dataclass(frozen=True, slots=True)
class Slice:
    start: int | None
    stop: int | None
    step: int


@dataclass(frozen=True, slots=True)
class Wildcard:
    pass


@dataclass(frozen=True, slots=True)
class Filter:
    """test: of (the root, a child's value) whether the child stays."""

    test: Evaluate


Selector = Name | Index | Slice | Wildcard | Filter
#: Those that may select several children.
Several = (Wildcard, Slice, Filter)


@dataclass(frozen=True, slots=True)
class Segment:
    selectors: tuple[Selector, ...]
    descendant: bool = False


@dataclass(frozen=True, slots=True)
class JsonPath:
    """A parsed query; `text` is what was parsed."""

    text: str
    segments: tuple[Segment, ...]

    def find(self, value: Any, *, root: Any = None) -> list[Node]:
        """root: what `$` in a filter stands for, if it is not the value itself."""
        nodes = [Node((), value)]
        for segment in self.segments:
            nodes = [found for node in nodes for found in _apply(segment, node, value if root is None else root)]
        return nodes

    def is_singular(self) -> bool:
        """Whether it selects at most one value (section 2.3.5.1)."""
        return all(
            not segment.descendant and len(segment.selectors) == 1 and isinstance(segment.selectors[0], (Name, Index))
            for segment in self.segments
        )

    def selects_several(self) -> bool:
        """Whether a wildcard, slice or filter in it may select several."""
        return any(isinstance(selector, Several) for segment in self.segments for selector in segment.selectors)

    def singular(self) -> Location | None:
        """The place it names if it can select at most one value (section 2.3.5.1), else None. A negative index is not
        one."""
        parts: list[str | int] = []
        for segment in self.segments:
            only = segment.selectors[0]
            if segment.descendant or len(segment.selectors) != 1 or not isinstance(only, (Name, Index)):
                return None
            if isinstance(only, Index) and only.index < 0:
                return None
            parts.append(only.name if isinstance(only, Name) else only.index)
        return tuple(parts)


def _apply(segment: Segment, node: Node, root: Any) -> Iterator[Node]:
    for base in _descendants(node) if segment.descendant else (node,):
        for selector in segment.selectors:
            yield from _select(selector, base, root)


def _descendants(node: Node) -> Iterator[Node]:
    stack = [node]
    while stack:
        node = stack.pop()
        yield node
        stack.extend(reversed(list(_children(node))))


def _children(node: Node) -> Iterator[Node]:
    if isinstance(node.value, dict):
        for name, value in node.value.items():
            yield Node((*node.location, name), value)
    elif isinstance(node.value, list):
        for index, value in enumerate(node.value):
            yield Node((*node.location, index), value)


def _select(selector: Selector, node: Node, root: Any) -> Iterator[Node]:
    value = node.value
    match selector:
        case Name(name):
            if isinstance(value, dict) and name in value:
                yield Node((*node.location, name), value[name])
        case Index(index):
            if isinstance(value, list) and -len(value) <= index < len(value):
                at = index % len(value)
                yield Node((*node.location, at), value[at])
        case Slice(start, stop, step):
            if isinstance(value, list) and step != 0:
                for at in range(*slice(start, stop, step).indices(len(value))):
                    yield Node((*node.location, at), value[at])
        case Wildcard():
            yield from _children(node)
        case Filter(test):
            yield from (child for child in _children(node) if test(root, child.value))


def step_text(name: str) -> str:
    """The step to a member, short where RFC 9535's shorthand allows it."""
    return f".{name}" if SHORTHAND.fullmatch(name) else normalized_path((name,))[1:]


@lru_cache(maxsize=2000)
def parse_jsonpath(text: str) -> JsonPath:
    """Raises PathError with the column of what is wrong."""
    return Parser(text).query()


#: Filters and brackets within each other; nobody writes more.
MOST_DEPTH = 60
_NUMBER = re.compile(r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?")
_FUNCTION = re.compile(r"([a-z][a-z_0-9]*)\(")


class Parser:
    """Where a path is being read; filters read on from here."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0
        self.depth = 0

    def fail(self, message: str, hint: str = "") -> NoReturn:
        raise PathError(f'"{self.text[:80]}" is not a path: {message}', where=f"column {self.at + 1}", hint=hint)

    def query(self) -> JsonPath:
        if not self.text.startswith("$"):
            self.fail('it begins with "$"', hint='"$" is the start of the document or row, as in $.trees[*]')
        self.at = 1
        segments: list[Segment] = []
        while True:
            mark = self.at
            self.blank()
            if self.at == len(self.text):
                if mark != self.at:
                    self.fail("it ends with a blank")
                return JsonPath(self.text, tuple(segments))
            segments.append(self.segment())

    def deeper(self) -> None:
        self.depth += 1
        if self.depth > MOST_DEPTH:
            self.fail(f"it is nested more than {MOST_DEPTH} deep")

    def embedded(self) -> JsonPath:
        """The segments of a query within a filter."""
        start = self.at
        segments: list[Segment] = []
        while True:
            mark = self.at
            self.blank()
            if self.text[self.at : self.at + 1] not in (".", "["):
                self.at = mark
                return JsonPath(self.text[start : self.at], tuple(segments))
            segments.append(self.segment())

    def literal(self) -> tuple[bool, Any]:
        """(whether there is a number, true, false or null here, its value)."""
        for word, value in (("true", True), ("false", False), ("null", None)):
            if self.text.startswith(word, self.at) and not re.match(
                r"[A-Za-z0-9_(]", self.text[self.at + len(word) :][:1]
            ):
                self.at += len(word)
                return True, value
        found = _NUMBER.match(self.text, self.at)
        if not found:
            return False, None
        self.at = found.end()
        text = found.group()
        return True, int(text) if re.fullmatch(r"-?\d+", text) and text != "-0" else Decimal(text)

    def function_name(self) -> str:
        """The name of a function, its opening bracket taken; empty if there is none."""
        found = _FUNCTION.match(self.text, self.at)
        if not found:
            return ""
        self.at = found.end()
        return found.group(1)

    def blank(self) -> None:
        found = _BLANK.match(self.text, self.at)
        self.at = found.end() if found else self.at

    def take(self, token: str) -> bool:
        if self.text.startswith(token, self.at):
            self.at += len(token)
            return True
        return False

    def segment(self) -> Segment:
        if self.take(".."):
            if self.take("["):
                return Segment(self.bracketed(), descendant=True)
            return Segment((self.dotted(),), descendant=True)
        if self.take("."):
            return Segment((self.dotted(),))
        if self.take("["):
            return Segment(self.bracketed())
        self.fail(
            f'"{self.text[self.at]}" is not expected here', hint='a step is ".name", "[0]", "[*]" or "[\'name\']"'
        )

    def dotted(self) -> Selector:
        if self.take("*"):
            return Wildcard()
        found = SHORTHAND.match(self.text, self.at)
        if not found:
            self.fail('a name or "*" is expected after the dot', hint="write a name with other characters as ['...']")
        self.at = found.end()
        return Name(found.group())

    def bracketed(self) -> tuple[Selector, ...]:
        selectors = []
        while True:
            self.blank()
            selectors.append(self.selector())
            self.blank()
            if self.take("]"):
                return tuple(selectors)
            if not self.take(","):
                self.fail('"," or "]" is expected')

    def selector(self) -> Selector:
        if self.take("*"):
            return Wildcard()
        if self.at < len(self.text) and self.text[self.at] in "'\"":
            return Name(self.quoted())
        if self.take("?"):
            self.deeper()
            test = parse_filter(self)
            self.depth -= 1
            return Filter(test)
        start = self.integer()
        mark = self.at
        self.blank()
        if not self.take(":"):
            self.at = mark
            if start is None:
                self.fail('a name in quotes, an index, a slice or "*" is expected')
            return Index(start)
        self.blank()
        stop = self.integer()
        mark = self.at
        self.blank()
        step: int | None = 1
        if self.take(":"):
            self.blank()
            step = self.integer()
        else:
            self.at = mark
        return Slice(start, stop, 1 if step is None else step)

    def integer(self) -> int | None:
        found = _INT.match(self.text, self.at)
        if not found:
            return None
        if found.group() == "-0":
            self.fail('"-0" is not an index')
        if len(found.group()) > 17 or abs(int(found.group())) > _MOST:
            self.fail("the number is too large")
        self.at = found.end()
        return int(found.group())

    def quoted(self) -> str:
        quote = self.text[self.at]
        self.at += 1
        out: list[str] = []
        while True:
            if self.at >= len(self.text):
                self.fail("the quoted name never ends")
            char = self.text[self.at]
            self.at += 1
            if char == quote:
                return "".join(out)
            if char != "\\":
                if ord(char) < 0x20:
                    self.fail("a control character must be escaped")
                out.append(char)
                continue
            out.append(self.escaped(quote))

    def escaped(self, quote: str) -> str:
        char = self.text[self.at : self.at + 1]
        self.at += 1
        plain = {"b": "\b", "f": "\f", "n": "\n", "r": "\r", "t": "\t", "/": "/", "\\": "\\", quote: quote}
        if char in plain and char:
            return plain[char]
        if char == "u":
            code = self.hexadecimal()
            if 0xDC00 <= code <= 0xDFFF:
                self.fail("a low surrogate stands alone")
            if 0xD800 <= code <= 0xDBFF:
                if not self.take("\\u"):
                    self.fail("a high surrogate stands alone")
                low = self.hexadecimal()
                if not 0xDC00 <= low <= 0xDFFF:
                    self.fail("a high surrogate stands alone")
                code = 0x10000 + (code - 0xD800) * 0x400 + (low - 0xDC00)
            return chr(code)
        self.fail("this escape is not known")

    def hexadecimal(self) -> int:
        digits = self.text[self.at : self.at + 4]
        if not re.fullmatch(r"[0-9A-Fa-f]{4}", digits):
            self.fail("four hexadecimal digits are expected")
        self.at += 4
        return int(digits, 16)


def parse_normalized(text: str) -> Location:
    """The location that a normalized path names. Raises PathError for any other path."""
    parts = parse_jsonpath(text).singular()
    if parts is None:
        raise PathError(
            f'"{text[:80]}" may select more than one value', where=text[:80], hint="name one place, without wildcards"
        )
    return parts
