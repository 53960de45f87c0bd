"""XML put together from values at places: elements in the order in which their values come, attributes, texts, lists that repeat an element."""

from collections.abc import Mapping
from datetime import date
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from rondine.core.documents.elements import TEXT
from rondine.core.protocols.inputs import value_text

#: What a place's steps are parted by; a step is `prefix:name`, an attribute `@name` or `@prefix:name`, `.` the text itself.
Element = tuple[str, Any]


class _Node:
    """An element that is being put together, in the order in which its parts came."""

    __slots__ = ("attributes", "children", "name", "text")

    def __init__(self, name: str) -> None:
        self.name = name
        self.attributes: list[tuple[str, str]] = []
        self.children: list[_Node] = []
        self.text = ""

    def child(self, name: str) -> "_Node":
        """The last child of this name, made if there is none."""
        found = next((one for one in reversed(self.children) if one.name == name), None)
        if found is None:
            found = _Node(name)
            self.children.append(found)
        return found

    def written(self) -> str:
        attributes = "".join(f" {name}={quoteattr(value)}" for name, value in self.attributes)
        inner = escape(self.text) + "".join(one.written() for one in self.children)
        return f"<{self.name}{attributes}>{inner}</{self.name}>" if inner else f"<{self.name}{attributes}/>"


def document(namespaces: Mapping[str, str], root: str, elements: list[Element]) -> str:
    """A document as text. root: `prefix:name`.  elements: (place below the root, value) in order."""
    top = _Node(root)
    top.attributes += [(f"xmlns:{prefix}" if prefix else "xmlns", uri) for prefix, uri in namespaces.items()]
    for place, value in elements:
        _put(top, place.split("/"), value)
    return top.written()


def _put(node: _Node, steps: list[str], value: Any) -> None:
    for step in steps[:-1]:
        node = node.child(step)
    last = steps[-1]
    if last == "":
        _fill(node, value, node.name)
    elif last == ".":
        node.text = _text(value)
    elif last.startswith("@"):
        node.attributes.append((last[1:], _text(value)))
    else:
        for one in value if isinstance(value, list) else [value]:
            made = _Node(last)
            node.children.append(made)
            _fill(made, one, last)


def _fill(node: _Node, value: Any, name: str) -> None:
    """The content of an element: a text, or elements from an object's members, of the same prefix as the element itself."""
    if not isinstance(value, dict):
        node.text = _text(value)
        return
    prefix = f"{name.partition(':')[0]}:" if ":" in name else ""
    for key, one in value.items():
        if one is None:
            continue
        if str(key).startswith("@"):
            node.attributes.append((str(key)[1:], _text(one)))
        elif key == TEXT:
            node.text = _text(one)
        else:
            _put(node, [str(key) if ":" in str(key) else f"{prefix}{key}"], one)


def _text(value: Any) -> str:
    """A value in the lexical form of XML Schema's types (XSD 1.1 Part 2)."""
    if isinstance(value, date):
        return value.isoformat().replace("+00:00", "Z")
    text = value_text(value)
    return "".join(char for char in text if char in "\t\n\r" or char >= " ")
