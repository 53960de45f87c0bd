"""XML read for a few of its places: everything else passes by, without becoming a value.

`Wanted` is a tree of the names that paths go through. What is read so has the values and places that the whole document has at those paths, so that a
mapping makes the same records of it; elements outside of them cost no more than the parser's own work.
"""

from collections.abc import Iterable, Mapping
from typing import Any

from rondine.core.documents.elements import KNOWN, TEXT, XSI, parsed, parser_for, too_deep
from rondine.core.documents.json import USUAL, Limits

_NIL = f"{XSI} nil"


class Wanted:
    """One element on the way to what is wanted. is_whole: it is itself, with all that is in it."""

    __slots__ = ("attributes", "children", "is_whole", "step")

    def __init__(self, step: str = "") -> None:
        self.step = step
        self.is_whole = False
        self.attributes: dict[str, str] = {}
        self.children: dict[str, Wanted] = {}


def wanted_of(
    paths: Iterable[tuple[str, ...]], on_the_way: Iterable[tuple[str, ...]], namespaces: Mapping[str, str]
) -> Wanted | None:
    """The tree of these paths, each the names that it goes through from the document on; elements at their ends are wanted with their text.

    on_the_way: paths of elements that must be there, whatever is in them.  None if an element is wanted with its text and with elements in it.
    """
    root = Wanted()
    known = {prefix: uri for uri, prefix in KNOWN.items()} | dict(namespaces)

    def tag_of(step: str) -> str:
        prefix, _, local = step.removeprefix("@").rpartition(":")
        return f"{known[prefix]} {local}" if prefix else local

    def element_at(path: tuple[str, ...]) -> Wanted:
        here = root
        for step in path:
            here = here.children.setdefault(tag_of(step), Wanted(step))
        return here

    for path in on_the_way:
        element_at(path)
    for path in paths:
        last = path[-1]
        if last.startswith("@"):
            element_at(path[:-1]).attributes[tag_of(last)] = last
        else:
            element_at(path[:-1] if last == TEXT else path).is_whole = True
    pending = [root]
    while pending:
        one = pending.pop()
        if one.is_whole and one.children:
            return None
        pending += one.children.values()
    return root


def read_wanted(
    body: bytes, wanted: Wanted, *, charset: str = "", limits: Limits = USUAL, name: str = "the response"
) -> dict[str, Any] | None:
    """The document with what is wanted of it; None if an element that is wanted whole holds others, which only the whole reading can give.

    Raises DocumentError with line and column, as `read_elements` does.
    """
    parser, content = parser_for(body, charset=charset, limits=limits, name=name)
    root: dict[str, Any] = {}
    #: Of each element that is open and holds others that are wanted: (it, its members).
    opened: list[tuple[Wanted, dict[str, Any]]] = []
    here, members = wanted, root
    #: The element that is open and wanted with its text, its wanted attributes, whether it has any, and whether it is null.
    leaf: Wanted | None = None
    given_to_leaf: dict[str, Any] = {}
    has_attributes = is_nil = False
    skipped, is_complex, most = 0, False, limits.depth or 1_000
    texts: list[str] = []
    clear = texts.clear

    def start(tag: str, given: dict[str, str]) -> None:
        nonlocal here, members, leaf, given_to_leaf, has_attributes, is_nil, skipped, is_complex
        if skipped or leaf is not None or (found := here.children.get(tag)) is None:
            skipped += 1
            is_complex = is_complex or leaf is not None
            if skipped + len(opened) >= most:
                raise too_deep(name, parser.CurrentLineNumber, limits)
            return
        if found.is_whole:
            leaf = found
            clear()
            has_attributes = is_nil = False
            if given:
                has_attributes, is_nil = True, given.get(_NIL) in ("true", "1")
                given_to_leaf = {step: given[key] for key, step in found.attributes.items() if key in given}
            return
        opened.append((here, members))
        if len(opened) >= most:
            raise too_deep(name, parser.CurrentLineNumber, limits)
        here, members = found, {}
        if given:
            for key, step in found.attributes.items():
                if key in given:
                    members[step] = given[key]
            if given.get(_NIL) in ("true", "1"):
                members[_NIL] = ""

    def end(_: str) -> None:
        nonlocal here, members, leaf, skipped
        if skipped:
            skipped -= 1
            return
        value: Any
        if leaf is not None:
            step, leaf = leaf.step, None
            value = "".join(texts) if texts else ""
            if has_attributes:
                value = "" if value.isspace() else value
                value = None if is_nil else {**given_to_leaf, TEXT: value} if given_to_leaf else value
        else:
            step, value = here.step, members if _NIL not in members else None
            here, members = opened.pop()
        if step not in members:
            members[step] = value
            return
        before = members[step]
        if before.__class__ is list:
            before.append(value)
        else:
            members[step] = [before, value]

    parser.StartElementHandler = start
    parser.EndElementHandler = end
    parser.CharacterDataHandler = texts.append
    parsed(parser, content, body, name)
    return None if is_complex else root
