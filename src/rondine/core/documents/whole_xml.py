"""An XML document as values and, for what only the document itself can tell, as the tree that lxml makes of it: on
demand, from the same bytes."""

from collections.abc import Mapping
from functools import cached_property
from typing import Any

from lxml import etree

from rondine.core.documents.elements import TEXT, Prefixes, encoded_for_parsing
from rondine.core.documents.json import Location


class XmlDocument(dict[str, Any]):
    """The value of a document: an object with its root element. It keeps what it was read from."""

    def __init__(self, value: Mapping[str, Any], body: bytes, charset: str, namespaces: Mapping[str, str]) -> None:
        """namespaces: by prefix, all that names may use."""
        super().__init__(value)
        self._body, self._charset = body, charset
        self.namespaces = dict(namespaces)

    @cached_property
    def _root(self) -> etree._Element:
        """The root element; the document was read before, and is sound."""
        text, encoding = encoded_for_parsing(self._body, self._charset)
        parser = etree.XMLParser(
            encoding=encoding, resolve_entities=False, no_network=True, load_dtd=False, huge_tree=True,
            remove_comments=True, remove_pis=True, remove_blank_text=False,
        )  # fmt: skip
        return etree.fromstring(text, parser)

    @cached_property
    def _names(self) -> Prefixes:
        return Prefixes(self.namespaces)

    def element_at(self, location: Location) -> etree._Element | etree._ElementTree | None:
        """The element at a place of an object or text, the tree itself at the document's; None if there is none."""
        found: Any = None
        steps = list(location)
        while steps:
            name = steps.pop(0)
            number = steps.pop(0) if steps and isinstance(steps[0], int) else 0
            within = [self._root] if found is None else list(found.iterchildren())
            same = [one for one in within if self._names.step(one.tag) == name]
            if not isinstance(number, int) or number >= len(same):
                return None
            found = same[number]
        return self._root.getroottree() if found is None else found

    def place_of(self, element: etree._Element) -> Location:
        """Where an element's value stands in the document's."""
        steps: list[str | int] = []
        one: etree._Element | None = element
        while one is not None:
            around = one.getparent()
            same = [one] if around is None else list(around.iterchildren(one.tag))
            if len(same) > 1:
                steps.append(same.index(one))
            steps.append(self._names.step(str(one.tag)))
            one = around
        return tuple(reversed(steps))

    def member_of(self, element: etree._Element, attribute: str | None) -> Location:
        """Where an attribute's value stands, or for None the element's own text."""
        place = self.place_of(element)
        if attribute is not None:
            return (*place, f"@{self._names.step(attribute)}")
        has_members = len(element) > 0 or bool(element.attrib)
        return (*place, TEXT) if has_members else place
