"""XPath 1.0, all of it: expressions that the compiled location paths of `xpath.py` do not cover, by libxml2 over the
document itself.

Axes, functions, arithmetic and comparisons are as in the recommendation; extension functions are not there. An
expression may give elements, attributes and texts, each with its place, or one text, number or boolean, which has none.
"""

import math
import re
from decimal import Decimal
from functools import lru_cache
from typing import Any

from lxml import etree

from rondine.core.documents.whole_xml import XmlDocument
from rondine.core.errors import MappingError, PathError, did_you_mean
from rondine.core.paths.place import Location, Node
from rondine.core.paths.xpath import Step, XPath, parse_location_path

#: Section 4, the core function library.
FUNCTIONS = frozenset(
    [
        "last",
        "position",
        "count",
        "id",
        "local-name",
        "namespace-uri",
        "name",
        "string",
        "concat",
        "starts-with",
        "contains",
        "substring-before",
        "substring-after",
        "substring",
        "string-length",
        "normalize-space",
        "translate",
        "boolean",
        "not",
        "true",
        "false",
        "lang",
        "number",
        "sum",
        "floor",
        "ceiling",
        "round",
    ]
)
_NODE_TESTS = frozenset({"comment", "text", "processing-instruction", "node"})
_LITERAL = re.compile(r"\"[^\"]*\"|'[^']*'")
_CALLED = re.compile(r"([A-Za-z_][\w.-]*(?::[A-Za-z_][\w.-]*)?)\s*\(")
_PREFIX = re.compile(r"([A-Za-z_][\w.-]*):(?!:)(?=[A-Za-z_*])")
_VARIABLE = re.compile(r"\$[\w.-]+")
#: Texts that would pass for expressions, and are none that anyone means: a number alone, or a text.
_NO_PATH = re.compile(r"^\s*(\.?\d|[\"'])")
#: Nodes that one expression may give.
MOST_NODES = 1_000_000


class WholeXPath(XPath):
    """An expression that needs the document itself; `text` is what was parsed."""

    __slots__ = ()

    def find(self, value: Any) -> list[Node]:
        return self.find_from(Node((), value), Node((), value))

    def find_from(self, document: Node, base: Node) -> list[Node]:
        """What the expression gives for the element at `base`. Raises MappingError if the document is not at hand, or
        it cannot be evaluated."""
        whole = document.value
        if not isinstance(whole, XmlDocument):
            words = f"{self.text} needs the whole document"
            raise MappingError(words, where=self.text, hint="use it with documents that are read at once")
        element = whole.element_at(base.location)
        if element is None:
            return []
        try:
            found = _compiled(self.text, tuple(sorted(whole.namespaces.items())))(element)
        except etree.XPathError as error:
            raise MappingError(f"{self.text} cannot be evaluated: {error}", where=self.text) from error
        if not isinstance(found, list):
            return [Node((), _plain(found))]
        return [self._node(whole, base.location, one) for one in found[:MOST_NODES]]

    def names(self) -> None:
        return None

    def prefixes(self) -> set[str]:
        return set(_PREFIX.findall(_LITERAL.sub('""', self.text)))

    def _node(self, whole: XmlDocument, base: Location, found: Any) -> Node:
        """A node with its value and its place from the base; from the document where it lies outside."""
        if isinstance(found, etree._Element):
            place = whole.place_of(found)
        else:
            place = whole.member_of(found.getparent(), found.attrname if found.is_attribute else None)
        value: Any = whole
        for part in place:
            value = value[part]
        return Outside(place, value) if place[: len(base)] != base else Node(place[len(base) :], value)


class Outside(Node):
    """A node that does not lie in what the path started from: its location is from the document."""

    __slots__ = ()


def place_from(base: Node, found: Node) -> Location:
    """A found node's place in the document."""
    return found.location if isinstance(found, Outside) else base.location + found.location


@lru_cache(maxsize=2000)
def parse_xpath(text: str) -> XPath:
    """A location path that goes inwards, compiled; any other expression as a `WholeXPath`. Raises PathError with what
    is wrong."""
    try:
        found = parse_location_path(text)
        # the number of an element among those of other names is known in the document alone: values have the elements
        # of a name together
        return _expression(text) if any(map(_counts_across_names, found.steps)) else found
    except PathError as error:
        if not text.strip() or _NO_PATH.search(text):
            raise
        try:
            return _expression(text)
        except etree.XPathSyntaxError:
            raise error from None


def _counts_across_names(step: Step) -> bool:
    return step.name == "*" and any(predicate.number is not None for predicate in step.predicates)


def _expression(text: str) -> WholeXPath:
    """Raises PathError for what XPath 1.0 does not have, XPathSyntaxError for what is not an expression."""
    bare = _LITERAL.sub('""', text)
    if variable := _VARIABLE.search(bare):
        raise PathError(
            f'"{text[:80]}" is not a path: there are no variables', where=f"column {variable.start() + 1}",
            hint="write the value itself, or take an input as a source of its own",
        )  # fmt: skip
    for name in _CALLED.findall(bare):
        if name not in FUNCTIONS and name not in _NODE_TESTS and name not in ("and", "or", "div", "mod"):
            raise PathError(
                f'"{text[:80]}" is not a path: XPath 1.0 has no function {name}', where=name,
                hint=did_you_mean(name, sorted(FUNCTIONS)),
            )  # fmt: skip
    etree.XPath(text, regexp=False)
    return WholeXPath(text, (), text.lstrip().startswith("/"))


@lru_cache(maxsize=200)
def _compiled(text: str, namespaces: tuple[tuple[str, str], ...]) -> etree.XPath:
    return etree.XPath(text, namespaces={prefix: uri for prefix, uri in namespaces if prefix}, regexp=False)


def _plain(found: Any) -> Any:
    """A text, number or boolean as a value; a number that is none is null."""
    if isinstance(found, float):
        if not math.isfinite(found):
            return None
        return int(found) if found.is_integer() else Decimal(repr(found))
    return found if isinstance(found, bool) else str(found)
