r"""XPath 1.0 as most mappings use it: location paths of child, attribute, descendant and self steps, with predicates
that choose by number or by text. All else is in `xpath_whole.py`.

    path      = [ "/" / "//" ] step *( ( "/" / "//" ) step )
    step      = ( name / "*" / "@" name / "@*" / "text()" / "." ) *predicate
    predicate = "[" ( number / "last()" / step [ "=" literal ] ) "]"

A name is `name` or `prefix:name`; what a prefix stands for is said beside the path. Paths go over XML as
`core/documents/elements.py` reads it: an element's value may be a text, an object or one of a list. An absolute path
starts from the document.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, NoReturn

from rondine.core.documents.elements import TEXT, text_of
from rondine.core.errors import PathError
from rondine.core.paths.place import Location, Node

_NAME = r"[A-Za-z_\u00c0-\ud7ff\ue000-\uffff][\w.\-\u00b7]*"
_QNAME = re.compile(rf"{_NAME}(?::{_NAME})?")
_NUMBER = re.compile(r"[1-9]\d{0,8}")


@dataclass(frozen=True, slots=True)
class Predicate:
    """Which of the values of a step stay. number: counted from 1, 0 for the last.  step: one that must be there, with
    this text if text is given."""

    number: int | None = None
    step: "Step | None" = None
    text: str | None = None


@dataclass(frozen=True, slots=True)
class Step:
    """name: of elements, "@..." of attributes, "*", "@*", "text()" or ".".  descendant: at any depth below."""

    name: str
    descendant: bool = False
    predicates: tuple[Predicate, ...] = ()


@dataclass(frozen=True, slots=True)
class XPath:
    """A parsed path; `text` is what was parsed."""

    text: str
    steps: tuple[Step, ...]
    is_absolute: bool = False

    def find(self, value: Any) -> list[Node]:
        nodes = [Node((), value)]
        for step in self.steps:
            nodes = [found for node in nodes for found in _apply(step, node)]
        return nodes

    def names(self) -> tuple[str, ...] | None:
        """The names that the path goes through, if it does nothing else; `.` goes through none."""
        if any(step.descendant or step.predicates or "*" in step.name for step in self.steps):
            return None
        return tuple(step.name for step in self.steps if step.name != ".")

    def prefixes(self) -> set[str]:
        """The prefixes in its names, those of predicates too."""
        found: set[str] = set()
        pending = list(self.steps)
        while pending:
            step = pending.pop()
            prefix, colon, _ = step.name.removeprefix("@").partition(":")
            if colon:
                found.add(prefix)
            pending += [predicate.step for predicate in step.predicates if predicate.step is not None]
        return found


def each(value: Any, location: Location) -> Iterator[Node]:
    """The values under one name: all of a list, or the one there is."""
    if isinstance(value, list):
        for number, one in enumerate(value):
            yield Node((*location, number), one)
    else:
        yield Node(location, value)


def _apply(step: Step, node: Node) -> list[Node]:
    bases = _below(node) if step.descendant else (node,)
    out: list[Node] = []
    for base in bases:
        found = list(_named(step.name, base))
        for predicate in step.predicates:
            found = _chosen(predicate, found)
        out += found
    return out


def _named(name: str, node: Node) -> Iterator[Node]:
    value = node.value
    if name == ".":
        yield node
    elif name == TEXT and isinstance(value, str):
        if value:
            yield node
    elif not isinstance(value, dict):
        return
    elif name in ("*", "@*"):
        for member, held in value.items():
            if member != TEXT and member.startswith("@") == (name == "@*"):
                yield from each(held, (*node.location, member))
    elif name in value:
        yield from each(value[name], (*node.location, name))


def _below(node: Node) -> Iterator[Node]:
    """The node and every element below it, in the order in which their values stand."""
    pending = [node]
    while pending:
        one = pending.pop()
        yield one
        if isinstance(one.value, dict):
            pending += reversed(
                [
                    found
                    for member, held in one.value.items()
                    if member != TEXT and member[:1] != "@"
                    for found in each(held, (*one.location, member))
                ]
            )


def _chosen(predicate: Predicate, nodes: list[Node]) -> list[Node]:
    if predicate.number is not None:
        at = predicate.number - 1
        return nodes[at : at + 1] if at >= 0 else nodes[-1:]
    assert predicate.step is not None
    step = predicate.step
    return [
        node
        for node in nodes
        if any(predicate.text is None or text_of(found.value) == predicate.text for found in _named(step.name, node))
    ]


def xpath_of(location: Location) -> str:
    """A place in an XML document as a path to it: `/lab:results/lab:result[2]/@number`."""
    out = ""
    for part in location:
        out += f"[{part + 1}]" if isinstance(part, int) else f"/{part}"
    return out or "/"


@lru_cache(maxsize=2000)
def parse_location_path(text: str) -> XPath:
    """Raises PathError with the column of what is wrong, or of what these paths do not have."""
    return _Parser(text).path()


class _Parser:
    def __init__(self, text: str) -> None:
        self.text, self.at = text, 0

    def fail(self, message: str, hint: str = "") -> NoReturn:
        raise PathError(f'"{self.text[:80]}" is not a path: {message}', where=f"column {self.at + 1}", hint=hint)

    def take(self, token: str) -> bool:
        if self.text.startswith(token, self.at):
            self.at += len(token)
            return True
        return False

    def blank(self) -> None:
        while self.at < len(self.text) and self.text[self.at] in " \t\r\n":
            self.at += 1

    def path(self) -> XPath:
        self.blank()
        if not self.text.strip():
            self.fail("it is empty", 'such as "soil:result/@number"; "." is the row itself')
        is_absolute = self.text.startswith("/", self.at)
        steps: list[Step] = []
        descendant = self.take("//")
        if not descendant and self.take("/"):
            self.blank()
            if self.at == len(self.text):
                return XPath(self.text, (), is_absolute=True)
        while True:
            self.blank()
            steps.append(self.step(descendant=descendant))
            self.blank()
            if self.at == len(self.text):
                return XPath(self.text, tuple(steps), is_absolute)
            descendant = self.take("//")
            if not descendant and not self.take("/"):
                self.fail(f'"{self.text[self.at]}" is not expected here', "steps are parted by /")

    def step(self, *, descendant: bool = False) -> Step:
        if self.text.startswith("..", self.at):
            self.fail("the step to the parent is not read", "start from a level around the row instead")
        for token in (".", TEXT, "@*", "*"):
            if self.take(token):
                return Step(token, descendant, self.predicates())
        sign = "@" if self.take("@") else ""
        found = _QNAME.match(self.text, self.at)
        if not found:
            self.fail("a name is expected", 'a step is a name, "@name", "*", "text()" or "."')
        self.at = found.end()
        if self.text.startswith(("::", "("), self.at):
            self.fail(f'"{found.group()}" is not a step that is read', "axes are written short: child, @attribute, //")
        return Step(sign + found.group(), descendant, self.predicates())

    def predicates(self) -> tuple[Predicate, ...]:
        found: list[Predicate] = []
        self.blank()
        while self.take("["):
            self.blank()
            found.append(self.predicate())
            self.blank()
            if not self.take("]"):
                self.fail('"]" is expected')
            self.blank()
        return tuple(found)

    def predicate(self) -> Predicate:
        if self.take("last()"):
            return Predicate(number=0)
        if number := _NUMBER.match(self.text, self.at):
            self.at = number.end()
            return Predicate(number=int(number.group()))
        step = self.step()
        self.blank()
        if not self.take("="):
            return Predicate(step=step)
        self.blank()
        quote = self.text[self.at : self.at + 1]
        end = self.text.find(quote, self.at + 1) if quote and quote in "'\"" else -1
        if end < 0:
            self.fail("a text in quotes is expected", "such as [@unit='%']")
        text = self.text[self.at + 1 : end]
        self.at = end + 1
        return Predicate(step=step, text=text)
