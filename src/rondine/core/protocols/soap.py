"""SOAP 1.1 and 1.2: the envelope put together from elements, media types and actions by version, and faults read as failures.

SOAP 1.1 (W3C Note, sections 4 and 6), SOAP 1.2 Part 1 (section 5) and Part 2 (section 6.5). Attachments are not supported.
"""

from collections.abc import Mapping
from datetime import date
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from rondine.core.documents.elements import text_of
from rondine.core.protocols.inputs import value_text

ENVELOPES = {"1.1": "http://schemas.xmlsoap.org/soap/envelope/", "1.2": "http://www.w3.org/2003/05/soap-envelope"}
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


def envelope(
    version: str, namespaces: Mapping[str, str], root: str, elements: list[Element], headers: list[Element]
) -> str:
    """The envelope as text. root: the element in the body, `prefix:name`.  elements: (place below the root, value) in order; headers: below the
    SOAP header. A list repeats its element; an object becomes elements of the same prefix.
    """
    body = _Node(root)
    for place, value in elements:
        _put(body, place.split("/"), value)
    head = _Node("soap:Header")
    for place, value in headers:
        _put(head, place.split("/"), value)
    declared = "".join(f" xmlns:{prefix}={quoteattr(uri)}" for prefix, uri in namespaces.items())
    return (
        f'<?xml version="1.0" encoding="utf-8"?>\n<soap:Envelope xmlns:soap="{ENVELOPES[version]}"{declared}>'
        f"{head.written() if headers else '<soap:Header/>'}<soap:Body>{body.written()}</soap:Body></soap:Envelope>"
    )


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
        else:
            _put(node, [f"{prefix}{key}"], one)


def _text(value: Any) -> str:
    """A value in the lexical form of XML Schema's types (XSD 1.1 Part 2)."""
    if isinstance(value, date):
        return value.isoformat().replace("+00:00", "Z")
    text = value_text(value)
    return "".join(char for char in text if char in "\t\n\r" or char >= " ")


def media_type(version: str, action: str) -> str:
    if version == "1.1":
        return "text/xml; charset=utf-8"
    return "application/soap+xml; charset=utf-8" + (f'; action="{action}"' if action else "")


def fault_of(document: Any) -> str:
    """The message of a fault in a document as `read_elements` gives it, empty if it holds none: its reason, code, and what is in its detail."""
    fault = _member(_member(_member(document, "Envelope"), "Body"), "Fault")
    if not isinstance(fault, dict):
        return ""
    parts = {
        "reason": (("faultstring",), ("Reason", "Text")),
        "code": (("faultcode",), ("Code", "Value")),
        "detail": (("detail",), ("Detail",)),
    }
    found: dict[str, str] = {}
    for part, ways in parts.items():
        for way in ways:
            value: Any = fault
            for name in way:
                value = _member(value, name)
            value = value[0] if isinstance(value, list) and value else value
            if text := " ".join(str(text_of(value) or "").split()):
                found[part] = text.rpartition(":")[2] if part == "code" else text
    text = found.get("reason", "")
    extra = [found[name] for name in ("code", "detail") if found.get(name) and found[name] != text]
    return (text + (f" ({'; '.join(extra)})" if extra else ""))[:500]


def _member(value: Any, name: str) -> Any:
    """The element of this local name within another, None if there is none."""
    if not isinstance(value, dict):
        return None
    return next((one for step, one in value.items() if step.rpartition(":")[2] == name), None)
