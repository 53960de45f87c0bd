"""XML put together from values at places: elements in the order in which their values come, attributes, texts, lists
that repeat an element."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from rondine.core.documents.elements import TEXT
from rondine.core.errors import InputError, did_you_mean
from rondine.core.operations.inputs import value_text


@dataclass(frozen=True, slots=True)
class Element:
    """A value and its place. at: steps below the root, parted by "/": `prefix:name`, an attribute `@name` or
    `@prefix:name`, `.` the text itself. type: what its children are, one of the types that go with it, if it is
    structured."""

    at: str
    value: Any
    type: str = ""


#: The prefix that XML Schema's instance attributes have in what is written.
XSI_TYPE = "xsi:type"


@dataclass(frozen=True, slots=True)
class Types:
    """The types of structured elements, by name. children: in order, (step, type).  derived: the types of which a value
    of this one may be, by their qualified names; an abstract one is not among its own (XSD 1.1 Part 1, section 3.4.1).
    """

    children: Mapping[str, Sequence[tuple[str, str]]] = field(default_factory=dict)
    derived: Mapping[str, Mapping[str, str]] = field(default_factory=dict)


NO_TYPES = Types()


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


def document(namespaces: Mapping[str, str], root: str, elements: list[Element], types: Types = NO_TYPES) -> str:
    """A document as text. root: `prefix:name`.  elements: in order.

    Raises InputError for a member of a structured value that its type does not have.
    """
    top = _Node(root)
    top.attributes += [(f"xmlns:{prefix}" if prefix else "xmlns", uri) for prefix, uri in namespaces.items()]
    for element in elements:
        _put(top, element.at.split("/"), element.value, types, element.type)
    return top.written()


def _put(node: _Node, steps: list[str], value: Any, types: Types, kind: str) -> None:
    for step in steps[:-1]:
        node = node.child(step)
    last = steps[-1]
    if last == "":
        _fill(node, value, node.name, types, kind)
    elif last == ".":
        node.text = _text(value)
    elif last.startswith("@"):
        node.attributes.append((last[1:], _text(value)))
    else:
        for one in value if isinstance(value, list) else [value]:
            made = _Node(last)
            node.children.append(made)
            _fill(made, one, last, types, kind)


def _fill(node: _Node, value: Any, name: str, types: Types, kind: str) -> None:
    """The content of an element: a text, or elements from an object's members; by its type in order and namespace, else
    of the element's own prefix."""
    if not isinstance(value, dict):
        node.text = _text(value)
        return
    if kind in types.derived:
        value, kind = _of_derived(node, value, types.derived[kind], kind)
    if kind in types.children:
        _fill_by_type(node, value, types, types.children[kind])
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
            _put(node, [str(key) if ":" in str(key) else f"{prefix}{key}"], one, types, "")


def _of_derived(
    node: _Node, value: dict[str, Any], choices: Mapping[str, str], kind: str
) -> tuple[dict[str, Any], str]:
    """(the value without what says its type, that type), which the element then says (xsi:type). Raises InputError if
    it is none, or none is said of an abstract one."""
    said = next((value[name] for name in (f"@{XSI_TYPE}", XSI_TYPE) if name in value), None)
    remaining = {name: one for name, one in value.items() if name not in (f"@{XSI_TYPE}", XSI_TYPE)}
    if said is None and kind in choices.values():
        return remaining, kind
    if said is None and len(choices) == 1:
        said = next(iter(choices))
    known = {name.rpartition(":")[2]: name for name in choices}
    qualified = known.get(str(said).rpartition(":")[2])
    local = node.name.rpartition(":")[2]
    if qualified is None:
        words = f'"{local}" does not say its type' if said is None else f'"{local}" is of no type "{str(said)[:60]}"'
        hint = did_you_mean(str(said or ""), known)
        raise InputError(f"{words}: give it as @{XSI_TYPE}", where=f"/{node.name}/@{XSI_TYPE}", hint=hint)
    node.attributes.append((XSI_TYPE, qualified))
    return remaining, choices[qualified]


def _fill_by_type(node: _Node, value: dict[str, Any], types: Types, children: Sequence[tuple[str, str]]) -> None:
    """Members may be called by their local names, or with the prefix; attributes with "@" or without."""
    remaining = dict(value)
    if TEXT in remaining:
        node.text = _text(remaining.pop(TEXT))
    for step, kind in children:
        local = step.removeprefix("@").rpartition(":")[2]
        names = [step, step.removeprefix("@"), local, f"@{local}"]
        key = next((name for name in names if name in remaining), None)
        if key is None:
            continue
        held = remaining.pop(key)
        if held is not None:
            _put(node, [step], held, types, kind)
    if remaining:
        known = [step.removeprefix("@").rpartition(":")[2] for step, _ in children]
        wrong = next(iter(remaining))
        raise InputError(
            f'"{node.name.rpartition(":")[2]}" has no member "{str(wrong)[:60]}"',
            where=f"/{node.name}/{wrong}",
            hint=did_you_mean(str(wrong), known) or f"it has {', '.join(known[:10])}",
        )


def _text(value: Any) -> str:
    """A value in the lexical form of XML Schema's types (XSD 1.1 Part 2)."""
    if isinstance(value, date):
        return value.isoformat().replace("+00:00", "Z")
    text = value_text(value)
    return "".join(char for char in text if char in "\t\n\r" or char >= " ")
