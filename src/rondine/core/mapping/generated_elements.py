"""The fast way from XML elements, as ElementTree has them, to records; see `generated.py`."""

from collections.abc import Mapping, Sequence
from typing import Any
from xml.etree.ElementTree import Element

from rondine.core.documents.element_rows import NIL, element_value, tag_of
from rondine.core.documents.elements import KNOWN, TEXT, text_of
from rondine.core.documents.members import Members
from rondine.core.mapping.document import ROOT, Path
from rondine.core.mapping.generated import Condition, FastWay, Level, Writer, sources_of
from rondine.core.mapping.taking import Rule, Taken
from rondine.core.paths import XPath


def element_way(
    levels: Sequence[Level], rules: Sequence[Rule], conditions: Sequence[Condition], namespaces: Mapping[str, str]
) -> FastWay | None:
    """None if anything takes more than texts and attributes on plain paths: then rows are read as values."""
    is_plain = all(map(_is_text, sources_of(rules, conditions)))
    if not all(_is_named(path) for _, path in levels[1:]) or not is_plain:
        return None
    return _ElementWriter(levels, rules, conditions, namespaces).function()


def _is_named(path: Path) -> bool:
    names = path.names() if isinstance(path, XPath) else None
    return bool(names) and TEXT not in names and not any(name.startswith("@") for name in names)  # type: ignore[operator, union-attr]


def _is_text(source: Taken) -> bool:
    if source.path is None or source.level == ROOT:
        return True
    names = source.path.names() if isinstance(source.path, XPath) else None
    return bool(names) and not source.is_all and source.is_text and TEXT not in names  # type: ignore[operator]


class _ElementWriter(Writer):
    """Reads from elements: their children by tag, gathered once for each, and texts where nothing else is in them."""

    def __init__(
        self,
        levels: Sequence[Level],
        rules: Sequence[Rule],
        conditions: Sequence[Condition],
        namespaces: Mapping[str, str],
    ) -> None:
        super().__init__(levels, rules, conditions, None)
        self._namespaces = dict(namespaces) | {prefix: uri for uri, prefix in KNOWN.items()}
        self._tags = {
            tag_of(name, self._namespaces)
            for source in self._sources
            if isinstance(source.path, XPath)
            for name in source.path.names() or ()
        }
        self._slots["EMPTY"] = Element("none")
        #: An element's variable -> that of its children by tag.
        self._children: dict[str, str] = {}

    def _inner_rows(self, depth: int, base: str, path: Path) -> tuple[str, Members | None]:
        assert isinstance(path, XPath)
        tags = [tag_of(name, self._namespaces) for name in path.names() or ()]

        def elements(element: Element) -> list[Element]:
            found = [element]
            for tag in tags:
                found = [
                    child for one in found if one.get(NIL) not in ("true", "1") for child in one if child.tag == tag
                ]
            return found

        return f"{self._slot(elements)}({base})", None

    def _check_kind(self, row: str) -> None:
        """A row that is null goes the exact way."""
        self._write(f"if {row}.get({self._slot(NIL)}): raise TypeError")

    def _value(self, source: Taken, v: str, *, is_needed: bool = False, is_bare: bool = False) -> None:
        if source.path is None or source.level == ROOT:
            super()._value(source, v, is_needed=is_needed, is_bare=is_bare)
            return
        assert isinstance(source.path, XPath)
        *way, last = source.path.names() or ()
        base = self._variables[source.level][0]
        holder = base
        for length, name in enumerate(way, 1):
            prefix = (base, tuple(way[:length]))
            if prefix not in self._prefixes:
                variable = f"p{len(self._read_as)}"
                self._read_as[variable] = None
                self._prefixes[prefix] = variable
                self._write(f"{variable} = {self._gathered(holder)}.get({self._tag(name)}, EMPTY)")
                self._write(f"if {variable}.get({self._slot(NIL)}): raise LookupError")
            holder = self._prefixes[prefix]
        if last.startswith("@"):
            self._write(f"{v} = {holder}.get({self._tag(last)}, MISSING)")
        else:
            self._write(f"e = {self._gathered(holder)}.get({self._tag(last)})")
            self._write(f"if e is None: {v} = MISSING")
            self._write(f"elif len(e) or e.keys(): {v} = {self._slot(_text_of)}(e)")
            text = "(e.text or '').strip()" if is_bare else "e.text or ''"
            self._write(f"else: {v} = {text}")

    def _kept(self, rule: Rule, v: str) -> None:
        if rule.kind == "integer" and rule.path is not None:
            self._write(
                f"if {v}.__class__ is str and {v}.isascii() and {v}.isdigit() and len({v}) < 19: {v} = int({v})"
            )
            self._write("else:")
            self._indent += "    "
            super()._kept(rule, v)
            self._indent = self._indent[:-4]
        else:
            super()._kept(rule, v)

    def _gathered(self, holder: str) -> str:
        """The children of an element by tag; more than one of a tag that is wanted go the exact way."""
        if holder not in self._children:
            variable = f"h{len(self._children)}"
            self._children[holder] = variable
            self._write(f"{variable} = {{c.tag: c for c in {holder}}}")
            self._write(f"if len({variable}) != len({holder}): {self._slot(self._once)}({holder})")
        return self._children[holder]

    def _once(self, element: Element) -> None:
        """Raises LookupError if an element that is wanted anywhere is there twice."""
        tags = [child.tag for child in element]
        if any(tag in self._tags and tags.count(tag) > 1 for tag in set(tags)):
            raise LookupError(element.tag)

    def _tag(self, name: str) -> str:
        return self._slot(tag_of(name, self._namespaces))


def _text_of(element: Element) -> Any:
    """As `text_of` of its value; attributes alone cost no value."""
    if len(element):
        return text_of(element_value(element, str))
    if element.get(NIL) in ("true", "1"):
        return None
    text = element.text or ""
    return "" if text.isspace() and element.keys() else text
