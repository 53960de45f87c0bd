"""XML Schema (XSD 1.0), as far as requests and responses of services need it: elements, types, sequences, choices, attributes, extension, enumerations.

Documents may include and import others; each is read once. A circle of types ends where it begins again.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from lxml import etree

from rondine.core.definitions.files import Files
from rondine.core.documents.xml import local, read_xml
from rondine.core.errors import DocumentError, Problem, did_you_mean
from rondine.core.protocols.inputs import InputType

XSD = "http://www.w3.org/2001/XMLSchema"
Name = tuple[str, str]  # (namespace, local name)
_PLAIN: dict[str, InputType] = {
    **dict.fromkeys(
        ("int", "integer", "long", "short", "byte", "nonNegativeInteger", "positiveInteger", "unsignedInt", "unsignedLong", "unsignedShort", "unsignedByte", "negativeInteger", "nonPositiveInteger"),
        "integer",
    ),
    **dict.fromkeys(("decimal", "float", "double"), "decimal"),
    "boolean": "boolean",
    "date": "date",
    "dateTime": "datetime",
}  # fmt: skip


#: Elements of schemas looked at for one type: groups that hold each other would never end.
MOST_STEPS = 5_000


_NAME = re.compile(r"[A-Za-z_][\w.-]*")


@dataclass(slots=True)
class Part:
    """An element or attribute of a type. name: with its namespace, empty if it is in none.  type: None for one without a type of its own.  is_id: of
    the type xs:ID, whose values are different in all of a document (XSD 1.1 Part 2, section 3.4.8)."""

    name: Name
    kind: str  # element or attribute
    type: etree._Element | Name | None
    least: int = 1
    is_list: bool = False
    is_nillable: bool = False
    description: str = ""
    is_id: bool = False


@dataclass(slots=True)
class Shape:
    """What a type is: plain, with its input type and allowed values, or made of parts; a plain one may have attributes."""

    plain: InputType | None = None
    allowed: list[str] = field(default_factory=list)
    parts: list[Part] = field(default_factory=list)
    key: int = 0


class XmlSchemas:
    """The schemas of one definition, from its own text and the files it imports."""

    def __init__(self, files: Files) -> None:
        self.files = files
        self.elements: dict[Name, etree._Element] = {}
        self.types: dict[Name, etree._Element] = {}
        self.groups: dict[Name, etree._Element] = {}
        self.attribute_groups: dict[Name, etree._Element] = {}
        self.targets: dict[int, tuple[str, bool, str]] = {}
        self.problems: list[Problem] = []
        self.read: set[str] = set()
        self.schemas: list[etree._Element] = []
        self.left = MOST_STEPS
        #: By the identity of their elements, which are kept with them so that it stays theirs.
        self.shapes: dict[int, tuple[etree._Element, Shape]] = {}

    def add(self, schema: etree._Element, file: str, namespace: str | None = None) -> None:
        """A schema element, with what it includes and imports. namespace: the including one's, for a schema without its own."""
        target = schema.get("targetNamespace") or namespace or ""
        self.schemas.append(schema)
        self.targets[id(schema)] = (target, schema.get("elementFormDefault") == "qualified", file)
        for one in schema:
            name = (target, one.get("name", ""))
            match local(one):
                case "element":
                    self.elements.setdefault(name, one)
                case "complexType" | "simpleType":
                    if name in self.types:
                        self._problem(one, file, f'the type "{name[1]}" is defined twice', "the first one counts")
                    self.types.setdefault(name, one)
                case "group":
                    self.groups.setdefault(name, one)
                case "attributeGroup":
                    self.attribute_groups.setdefault(name, one)
                case "include" | "import" | "redefine":
                    self._other(one, file, target if local(one) != "import" else None)

    def _other(self, element: etree._Element, file: str, namespace: str | None) -> None:
        location = element.get("schemaLocation")
        if not location:
            return
        name = self.files.joined(file, location)
        if name in self.read:
            return
        self.read.add(name)
        content = self.files.contents.get(name)
        if not content:
            near = [other for other in self.files.contents if other.rpartition("/")[2] == location.rpartition("/")[2]]
            content = self.files.contents.get(near[0]) if near else None
        if not content:
            hint = "upload it too, or import by address" if "://" not in name else "it could not be fetched"
            self._problem(element, file, f'"{location[:120]}" is not here', hint)
            return
        try:
            root = read_xml(content, name=name)
        except DocumentError as error:
            self._problem(element, file, f'"{location[:120]}" cannot be read: {error}', "")
            return
        self.add(root, name, namespace)

    def _problem(self, element: etree._Element, file: str, message: str, hint: str) -> None:
        line: Any = element.sourceline
        self.problems.append(Problem(f"{file.rpartition('/')[2] or file}, line {line}", message, hint))

    # --- looking things up

    def named(self, element: etree._Element, text: str) -> Name:
        """A qualified name in an attribute, its prefix resolved where it stands."""
        prefix, colon, last = text.strip().rpartition(":")
        return (element.nsmap.get(prefix if colon else None) or ("" if colon else self._home(element)[0]), last)

    def _home(self, element: etree._Element) -> tuple[str, bool, str]:
        """(target namespace, whether local elements are in it, the file) of the schema that an element stands in."""
        at: Any = element
        while at is not None:
            if id(at) in self.targets:
                return self.targets[id(at)]
            at = at.getparent()
        return ("", False, "")

    def element(self, name: Name) -> Part | None:
        found = self.elements.get(name)
        return self._part(found, name) if found is not None else None

    def _part(self, element: etree._Element, name: Name) -> Part:
        of = element.get("type")
        inner = next((one for one in element if local(one) in ("complexType", "simpleType")), None)
        words = " ".join("".join(map(str, one.itertext())) for one in element.iter() if local(one) == "documentation")
        most = element.get("maxOccurs", "1")
        kind = self.named(element, of) if of else inner
        return Part(
            name,
            "element",
            kind,
            _number(element.get("minOccurs", "1"), 1),
            most == "unbounded" or _number(most, 1) > 1,
            element.get("nillable") == "true",
            " ".join(words.split())[:500],
            kind == (XSD, "ID"),
        )

    def key_of(self, element: Name) -> list[str]:
        """The members that an xs:key or xs:unique declares for elements of this name (XSD 1.1 Part 1, section 3.11): plain children and attributes."""
        for schema in self.schemas:
            for one in schema.iter(f"{{{XSD}}}key", f"{{{XSD}}}unique"):
                paths = [
                    (local(part), part.get("xpath", "").split("|")[0]) for part in one if isinstance(part.tag, str)
                ]
                selected = next((path for kind, path in paths if kind == "selector"), "")
                fields = [path.removeprefix("./") for kind, path in paths if kind == "field"]
                if selected.rpartition("/")[2].rpartition(":")[2] == element[1] and not any(
                    "/" in one for one in fields
                ):
                    return [one.removeprefix("@").rpartition(":")[2] for one in fields]
        return []

    def shape(self, of: etree._Element | Name | None) -> Shape:
        """What a type is; an unknown one is a text, and said once."""
        if of is None:
            return Shape("text")
        if isinstance(of, tuple):
            if of[0] == XSD:
                return Shape(_PLAIN.get(of[1], "text"))
            found = self.types.get(of)
            if found is None:
                words = f'the type "{of[1]}" of {of[0] or "no namespace"} is not defined'
                if all(one.message != words for one in self.problems):
                    known = [name for _, name in self.types]
                    hint = did_you_mean(of[1], known)
                    self.problems.append(
                        Problem(
                            self.files.main.rpartition("/")[2] or self.files.main,
                            words,
                            hint or "it is taken as a text",
                        )
                    )
                return Shape("text")
            return self.shape(found)
        if local(of) == "simpleType":
            return self._simple(of, 0)
        if id(of) not in self.shapes:
            out = Shape(key=id(of))
            self.left = MOST_STEPS
            self._complex(of, out, 0)
            out.parts = [one for one in out.parts if _NAME.fullmatch(one.name[1])]
            self.shapes[id(of)] = (of, out)
        return self.shapes[id(of)][1]

    def _simple(self, element: etree._Element, depth: int) -> Shape:
        for one in element:
            if local(one) == "restriction":
                allowed = [each.get("value", "") for each in one if local(each) == "enumeration"]
                base = one.get("base")
                inner = next((each for each in one if local(each) == "simpleType"), None)
                found = Shape("text")
                if base and depth < 20:
                    name = self.named(one, base)
                    held = self.types.get(name)
                    found = (
                        Shape(_PLAIN.get(name[1], "text"))
                        if name[0] == XSD or held is None
                        else self._simple(held, depth + 1)
                    )
                elif inner is not None and depth < 20:
                    found = self._simple(inner, depth + 1)
                return Shape(found.plain or "text", allowed or found.allowed)
        return Shape("text")

    def _complex(self, element: etree._Element, out: Shape, depth: int) -> None:
        """Gathers the parts of a complex type, those of its base first."""
        if depth > 30:
            return
        for one in element:
            self.left -= 1
            if self.left < 0:
                return
            match local(one):
                case "complexContent" | "simpleContent":
                    for inner in one:
                        if local(inner) in ("extension", "restriction"):
                            self._base(inner, out, depth)
                            self._complex(inner, out, depth + 1)
                case "sequence" | "all" | "choice":
                    self._group(one, out, depth, is_choice=local(one) == "choice")
                case "group":
                    self._referred(one, self.groups, out, depth)
                case "attributeGroup":
                    self._referred(one, self.attribute_groups, out, depth)
                case "attribute":
                    self._attribute(one, out)

    def _base(self, element: etree._Element, out: Shape, depth: int) -> None:
        base = element.get("base")
        if not base:
            return
        name = self.named(element, base)
        found = self.types.get(name)
        if name[0] == XSD or found is None:
            out.plain = (
                _PLAIN.get(name[1], "text")
                if (holder := element.getparent()) is not None and local(holder) == "simpleContent"
                else None
            )
        elif local(found) == "simpleType":
            out.plain = self._simple(found, depth + 1).plain
        elif local(element) == "extension":
            self._complex(found, out, depth + 1)

    def _referred(self, element: etree._Element, known: dict[Name, etree._Element], out: Shape, depth: int) -> None:
        reference = element.get("ref")
        found = known.get(self.named(element, reference)) if reference else None
        if found is not None:
            self._complex(found, out, depth + 1)

    def _group(self, group: etree._Element, out: Shape, depth: int, *, is_choice: bool) -> None:
        is_optional = is_choice or group.get("minOccurs") == "0"
        is_many = group.get("maxOccurs", "1") not in ("1", "0")
        for one in group:
            self.left -= 1
            if self.left < 0:
                return
            match local(one):
                case "element":
                    part = self._local(one)
                    part.least = 0 if is_optional else part.least
                    part.is_list = part.is_list or is_many
                    out.parts.append(part)
                case "sequence" | "all" | "choice" if depth < 30:
                    self._group(one, out, depth + 1, is_choice=is_choice or local(one) == "choice")
                case "group" if depth < 30:
                    self._referred(one, self.groups, out, depth + 1)

    def _local(self, element: etree._Element) -> Part:
        target, is_qualified, _ = self._home(element)
        if reference := element.get("ref"):
            name = self.named(element, reference)
            found = self.element(name) or Part(name, "element", None)
            most = element.get("maxOccurs", "1")
            found.least = _number(element.get("minOccurs", "1"), 1)
            found.is_list = most == "unbounded" or _number(most, 1) > 1
            return found
        form = element.get("form")
        qualified = form == "qualified" if form else is_qualified
        return self._part(element, (target if qualified else "", element.get("name", "")))

    def _attribute(self, element: etree._Element, out: Shape) -> None:
        if element.get("use") == "prohibited" or not (name := element.get("name")):
            return
        of = element.get("type")
        inner = next((one for one in element if local(one) == "simpleType"), None)
        least = 1 if element.get("use") == "required" else 0
        kind = self.named(element, of) if of else inner
        out.parts.append(Part(("", name), "attribute", kind, least, is_id=kind == (XSD, "ID")))


def _number(text: str, default: int) -> int:
    return int(text) if text.isdigit() and len(text) < 9 else default


def schemas_in(root: etree._Element) -> Iterator[etree._Element]:
    """The schema elements of a document, itself if it is one."""
    yield from root.iter(f"{{{XSD}}}schema")
