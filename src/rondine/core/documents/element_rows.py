"""Elements that repeat in an XML document, read one part of the document after another: memory does not grow with it.

The parser of the standard library's ElementTree builds them without a call of ours for each; what was given out is
taken from its tree. What an element becomes as a value is what `read_elements` makes of it. Document types are refused
here too.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from itertools import chain
from typing import Any
from xml.etree import ElementTree
from xml.etree.ElementTree import Element

from rondine.core.documents.elements import TEXT, XSI, Mixed, Parsing, Prefixes, too_deep
from rondine.core.documents.json import Limits
from rondine.core.documents.slices import MOST_OF_ONE
from rondine.core.errors import DocumentError

NIL = f"{{{XSI}}}nil"
#: Bytes that are parsed at a time.
PIECE = 64 * 1024
_HEAD = 1_024
_MOST_DEPTH = 400


class NotApart(Exception):
    """Rows cannot be told from the rest in this way: what should be around them is there more than once."""


def tag_of(step: str, namespaces: Mapping[str, str]) -> str:
    """ElementTree's name, "{namespace}name", of an element or attribute in a path."""
    prefix, _, local = step.removeprefix("@").rpartition(":")
    return f"{{{namespaces[prefix]}}}{local}" if prefix else local


class ElementRows:
    """One reading of a document. around: the document without its rows, once all parts were read."""

    def __init__(
        self,
        names: tuple[str, ...],
        namespaces: Mapping[str, str],
        *,
        charset: str = "",
        limits: Limits,
        name: str = "the response",
    ) -> None:
        """names: two or more steps that lead to the rows, from the document on.  namespaces: by prefix."""
        self._charset, self._name = charset, name
        self._depth = min(limits.depth or _MOST_DEPTH, _MOST_DEPTH)
        self._limits = replace(limits, depth=self._depth)
        self._prefixes = Prefixes(namespaces)
        self._tags = [tag_of(step, self._prefixes.by_prefix()) for step in names]
        self._kept = 0
        self.around: dict[str, Any] = {}

    def parts(self, chunks: Iterable[bytes]) -> Iterator[list[Element]]:
        """The rows, some at a time; the first time at least two, if there are so many. Raises NotApart, and
        DocumentError with the place."""
        source, head = iter(chunks), b""
        for chunk in source:
            head += chunk
            if len(head) >= _HEAD:
                break
        parser = _Parser(head, self._charset, self._name, self._prefixes)
        waiting: list[Element] = []
        is_first, size = True, 0
        for piece in _pieces(chain((head,), source)):
            parser.feed(piece)
            size += len(piece)
            holder = self._holder(parser.root())
            if holder is not None and len(holder) - self._kept > 1 and (rows := self._take(holder, 1)):
                waiting, size = waiting + rows, 0
                if len(waiting) > is_first:
                    yield waiting
                    waiting, is_first = [], False
            if size > MOST_OF_ONE:
                raise DocumentError(
                    f"one row, or what is around the rows, has more than {MOST_OF_ONE:,} bytes",
                    where=self._name,
                    hint="ask the service for less at a time",
                )
        root = parser.close()
        holder = self._holder(root)
        if holder is not None and (rows := waiting + self._take(holder, 0)):
            yield rows
        self.around = {self._prefixes.step(root.tag): self.value_of(root)}

    def value_of(self, element: Element) -> Any:
        """What `read_elements` makes of an element."""
        try:
            return element_value(element, self._prefixes.step, self._depth)
        except RecursionError as error:
            raise too_deep(self._name, 0, self._limits) from error

    def _holder(self, root: Element | None) -> Element | None:
        """The element that holds the rows; None if it has not come yet."""
        if root is None or root.tag != self._tags[0]:
            return None
        for tag in self._tags[1:-1]:
            found = root.findall(tag)
            if len(found) > 1:
                raise NotApart
            if not found:
                return None
            root = found[0]
        return root

    def _take(self, holder: Element, open_ones: int) -> list[Element]:
        """Takes the rows out of the tree, all but the last ones, which may not have come wholly; what else stands among
        them stays."""
        upto, tag = len(holder) - open_ones, self._tags[-1]
        found = holder[self._kept : upto]
        rows = [one for one in found if one.tag == tag]
        holder[self._kept : upto] = [one for one in found if one.tag != tag]
        self._kept += len(found) - len(rows)
        return rows


def element_value(element: Element, step: Callable[[str], str], most: int = _MOST_DEPTH) -> Any:
    """An element as a value. step: the name for a tag.  most: how deep it may be. Raises RecursionError."""
    if not most:
        raise RecursionError
    if element.get(NIL) in ("true", "1"):
        return None
    members: dict[str, Any] = {f"@{step(name)}": value for name, value in element.items()}
    own = element.text or ""
    pieces: list[Any] = [own]
    for child in element:
        own += child.tail or ""
        name, value = step(child.tag), element_value(child, step, most - 1)
        pieces += (value, child.tail)
        if name not in members:
            members[name] = value
        elif members[name].__class__ is list:
            members[name].append(value)
        else:
            members[name] = [members[name], value]
    if not members:
        return own
    if own and not own.isspace():
        members[TEXT] = own
        return Mixed(members, pieces) if len(pieces) > 1 else members
    return members


class _Parser:
    """ElementTree's parser, let go ahead once all that is before the first element was looked at, so that no document
    type comes through."""

    def __init__(self, head: bytes, charset: str, name: str, prefixes: Prefixes) -> None:
        self._looking = Parsing(head, charset=charset, name=name)
        self._builder = ElementTree.TreeBuilder()
        self._parser = ElementTree.XMLParser(target=self._builder, encoding=self._looking.encoding)
        self._is_begun = False
        self._root: Element | None = None
        self._looking.parser.StartElementHandler = self._begin
        self._looking.parser.StartNamespaceDeclHandler = prefixes.declare

    def _begin(self, *_: Any) -> None:
        self._is_begun = True
        self._looking.parser.StartElementHandler = None
        self._looking.parser.StartNamespaceDeclHandler = None

    def feed(self, piece: bytes) -> None:
        text = self._looking.decoded(piece, is_last=False)
        if not self._is_begun:
            self._looking.parse(text, is_last=False)
        try:
            self._parser.feed(text)
        except ElementTree.ParseError as error:
            raise self._looking.problem(error.code, *error.position) from error

    def root(self) -> Element | None:
        """The document's element as far as it has come."""
        if self._root is None and self._is_begun:
            self._root = self._builder.close()
        return self._root

    def close(self) -> Element:
        self._looking.decoded(b"", is_last=True)
        if not self._is_begun:
            self._looking.parse(b"", is_last=True)
        try:
            root: Element = self._parser.close()
        except ElementTree.ParseError as error:
            raise self._looking.problem(error.code, *error.position) from error
        return root


def _pieces(chunks: Iterable[bytes]) -> Iterator[bytes]:
    for chunk in chunks:
        for at in range(0, len(chunk), PIECE):
            yield chunk[at : at + PIECE]
