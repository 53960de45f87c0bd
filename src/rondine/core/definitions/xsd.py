"""XML Schema (XSD 1.0), as far as requests and responses of services need it: elements, types, sequences, choices,
attributes, extension, enumerations.

Documents may include and import others; each is read once. A circle of types ends where it begins again.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from lxml import etree
from msgspec import structs

from rondine.core.definitions.files import Files
from rondine.core.documents.xml import local, read_xml
from rondine.core.errors import DocumentError, Problem, did_you_mean
from rondine.core.operations.inputs import Bounds, InputType

XSD = "http://www.w3.org/2001/XMLSchema"
XSI = "http://www.w3.org/2001/XMLSchema-instance"
#: Bound to the prefix xml always, of xml:lang and its like (Namespaces in XML, section 3).
XML = "http://www.w3.org/XML/1998/namespace"
Name = tuple[str, str]  # (namespace, local name)
_PLAIN: dict[str, InputType] = {
    **dict.fromkeys(
        ("int", "integer", "long", "short", "byte", "nonNegativeInteger", "positiveInteger", "unsignedInt",
        "unsignedLong", "unsignedShort", "unsignedByte", "negativeInteger", "nonPositiveInteger"),
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


@dataclass(frozen=True, slots=True)
class Home:
    """A schema: its target namespace, whether local elements and attributes are in it, and its file."""

    target: str
    elements_qualified: bool
    attributes_qualified: bool
    file: str


@dataclass(slots=True)
class Part:
    """An element or attribute of a type. name: with its namespace, empty if it is in none.  type: None for one without
    a type of its own.  is_id: of the type xs:ID, whose values are different in all of a document (XSD 1.1 Part 2,
    section 3.4.8).  default, fixed: the value that stands for one that is missing, or the only one."""

    name: Name
    kind: str  # element or attribute
    type: etree._Element | Name | None
    least: int = 1
    is_list: bool = False
    is_nillable: bool = False
    description: str = ""
    is_id: bool = False
    default: str = ""
    fixed: str = ""


@dataclass(slots=True)
class Shape:
    """What a type is: plain, with its input type, allowed values and bounds, or made of parts; a plain one may have
    attributes. derived: the named types that extend or restrict it, however far, but for abstract ones.
    """

    plain: InputType | None = None
    allowed: list[str] = field(default_factory=list)
    bounds: Bounds = field(default_factory=Bounds)
    parts: list[Part] = field(default_factory=list)
    key: int = 0
    is_abstract: bool = False
    derived: list[Name] = field(default_factory=list)


class XmlSchemas:
    """The schemas of one definition, from its own text and the files it imports."""

    def __init__(self, files: Files) -> None:
        self.files = files
        self.elements: dict[Name, etree._Element] = {}
        self.types: dict[Name, etree._Element] = {}
        self.groups: dict[Name, etree._Element] = {}
        self.attribute_groups: dict[Name, etree._Element] = {}
        self.targets: dict[int, Home] = {}
        self.problems: list[Problem] = []
        self.read: set[str] = set()
        self.schemas: list[etree._Element] = []
        self.open_types: list[str] = []
        self._open_at: int | None = None
        self.left = MOST_STEPS
        #: (how many types there were, the types derived from each).
        self._bases: tuple[int, dict[Name, list[Name]]] | None = None
        #: By the identity of their elements, which are kept with them so that it stays theirs.
        self.shapes: dict[int, tuple[etree._Element, Shape]] = {}

    def add(self, schema: etree._Element, file: str, namespace: str | None = None) -> None:
        """A schema element, with what it includes and imports. namespace: the including one's, for a schema without its
        own."""
        target = schema.get("targetNamespace") or namespace or ""
        self.schemas.append(schema)
        self.read.add(file)
        elements, attributes = (schema.get(f"{kind}FormDefault") == "qualified" for kind in ("element", "attribute"))
        self.targets[id(schema)] = Home(target, elements, attributes, file)
        for element in schema:
            name = (target, element.get("name", ""))
            match local(element):
                case "element":
                    self.elements.setdefault(name, element)
                case "complexType" | "simpleType":
                    if name in self.types:
                        self._problem(element, file, f'the type "{name[1]}" is defined twice', "the first one counts")
                    self.types.setdefault(name, element)
                case "group":
                    self.groups.setdefault(name, element)
                case "attributeGroup":
                    self.attribute_groups.setdefault(name, element)
                case "include" | "import" | "redefine":
                    self._other(element, file, target if local(element) != "import" else None)

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
            if near and near[0] in self.read:
                return
            name = near[0] if near else name
            self.read.add(name)
            content = self.files.contents.get(name)
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
        if prefix == "xml":
            return (XML, last)
        return (element.nsmap.get(prefix if colon else None) or ("" if colon else self._home(element).target), last)

    def _home(self, element: etree._Element) -> "Home":
        """The schema that an element stands in."""
        at: Any = element
        while at is not None:
            if id(at) in self.targets:
                return self.targets[id(at)]
            at = at.getparent()
        return Home("", False, False, "")

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
            element.get("default", ""),
            element.get("fixed", ""),
        )

    def key_of(self, element: Name) -> list[str]:
        """The members that an xs:key or xs:unique declares for elements of this name (XSD 1.1 Part 1, section 3.11):
        plain children and attributes."""
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
            element = self.types.get(of)
            if element is None:
                words = f'the type "{of[1]}" of {of[0] or "no namespace"} is not defined'
                if all(problem.message != words for problem in self.problems):
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
            return self.shape(element)
        if local(of) == "simpleType":
            return self._simple(of, 0)
        if id(of) not in self.shapes:
            out = Shape(key=id(of))
            self.left = MOST_STEPS
            self._complex(of, out, 0)
            out.parts = [part for part in out.parts if _NAME.fullmatch(part.name[1])]
            out.is_abstract = of.get("abstract") == "true"
            out.derived = list(self._derived(of))
            if out.is_abstract and not out.derived:
                home, name = self._home(of), of.get("name", "")
                words = f'the type "{name}" is abstract, and no type that is here derives from it'
                self._tell_once(of, home.file, words, "what is sent is of a type that is described elsewhere")
            self.shapes[id(of)] = (of, out)
        return self.shapes[id(of)][1]

    def name_of(self, shape: Shape) -> Name | None:
        """The name of a complex type, None if it has none."""
        element = self.shapes[shape.key][0] if shape.key in self.shapes else None
        named = element.get("name") if element is not None else None
        return (self._home(element).target, named) if element is not None and named else None

    def _simple(self, element: etree._Element, depth: int) -> Shape:
        for one in element:
            if local(one) == "restriction":
                allowed = [each.get("value", "") for each in one if local(each) == "enumeration"]
                base = one.get("base")
                inner = next((each for each in one if local(each) == "simpleType"), None)
                shape = Shape("text")
                if base and depth < 20:
                    name = self.named(one, base)
                    held = self.types.get(name)
                    shape = (
                        Shape(_PLAIN.get(name[1], "text"))
                        if name[0] == XSD or held is None
                        else self._simple(held, depth + 1)
                    )
                elif inner is not None and depth < 20:
                    shape = self._simple(inner, depth + 1)
                kind = shape.plain or "text"
                return Shape(kind, allowed or shape.allowed, _bounds(one, kind, shape.bounds))
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
                case "anyAttribute" | "any":
                    self._tell_any(one)

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
        for element in group:
            self.left -= 1
            if self.left < 0:
                return
            match local(element):
                case "element":
                    part = self._local(element)
                    part.least = 0 if is_optional else part.least
                    part.is_list = part.is_list or is_many
                    out.parts.append(part)
                case "sequence" | "all" | "choice" if depth < 30:
                    self._group(element, out, depth + 1, is_choice=is_choice or local(element) == "choice")
                case "group" if depth < 30:
                    self._referred(element, self.groups, out, depth + 1)
                case "any":
                    self._tell_any(element)

    def _derived(self, element: etree._Element) -> Iterator[Name]:
        """The types that a value of this one may be of, by xsi:type (XSD 1.1 Part 1, section 3.4.1)."""
        if self._bases is None or self._bases[0] != len(self.types):
            found: dict[Name, list[Name]] = {}
            for name, one in self.types.items():
                for each in one.iter(f"{{{XSD}}}extension", f"{{{XSD}}}restriction"):
                    holder = each.getparent()
                    is_own = holder is not None and local(holder) == "complexContent" and holder.getparent() is one
                    if is_own and each.get("base"):
                        found.setdefault(self.named(each, each.get("base", "")), []).append(name)
            self._bases = (len(self.types), found)
        own = (self._home(element).target, element.get("name", ""))
        pending, seen = list(self._bases[1].get(own, [])), {own}
        while pending:
            name = pending.pop(0)
            if name in seen:
                continue
            seen.add(name)
            pending += self._bases[1].get(name, [])
            if self.types[name].get("abstract") != "true":
                yield name

    def _tell_any(self, element: etree._Element) -> None:
        """One problem for all types that may hold whatever is put into them."""
        holder: Any = next((ancestor for ancestor in element.iterancestors() if ancestor.get("name")), None)
        name = holder.get("name") if holder is not None else "a type"
        if name in self.open_types:
            return
        if self._open_at is None:
            self._open_at = len(self.problems)
            self._problem(element, self._home(element).file, "", "")
        self.open_types.append(name)
        listed = ", ".join(self.open_types[:8]) + (" ..." if len(self.open_types) > 8 else "")
        number = len(self.open_types)
        who = "one type" if number == 1 else f"{number} types"
        words = f"{who} may hold any elements or attributes besides what is described: {listed}"
        where = self.problems[self._open_at].where
        self.problems[self._open_at] = Problem(where, words, "these are not described, and no inputs are made of them")

    def _tell_once(self, element: etree._Element, file: str, message: str, hint: str) -> None:
        if all(problem.message != message for problem in self.problems):
            self._problem(element, file, message, hint)

    def _local(self, element: etree._Element) -> Part:
        home = self._home(element)
        if reference := element.get("ref"):
            name = self.named(element, reference)
            found = self.element(name) or Part(name, "element", None)
            most = element.get("maxOccurs", "1")
            found.least = _number(element.get("minOccurs", "1"), 1)
            found.is_list = most == "unbounded" or _number(most, 1) > 1
            return found
        form = element.get("form")
        qualified = form == "qualified" if form else home.elements_qualified
        return self._part(element, (home.target if qualified else "", element.get("name", "")))

    def _attribute(self, element: etree._Element, out: Shape) -> None:
        if element.get("use") == "prohibited":
            return
        if reference := element.get("ref"):
            found = self.named(element, reference)
            own = next(
                (
                    one
                    for schema in self.schemas
                    for one in schema
                    if local(one) == "attribute" and (self._home(one).target, one.get("name")) == found
                ),
                None,
            )
            name = found
        elif element.get("name"):
            home, form, own = self._home(element), element.get("form"), None
            is_qualified = form == "qualified" if form else home.attributes_qualified
            name = (home.target if is_qualified else "", element.get("name", ""))
        else:
            return
        element, use = own if own is not None else element, element
        of = element.get("type")
        inner = next((one for one in element if local(one) == "simpleType"), None)
        least = 1 if use.get("use") == "required" else 0
        kind = self.named(element, of) if of else inner
        default, fixed = (use.get(word, element.get(word, "")) for word in ("default", "fixed"))
        is_id = kind == (XSD, "ID")
        out.parts.append(Part(name, "attribute", kind, least, is_id=is_id, default=default, fixed=fixed))


_LENGTHS = {"minLength": ("min_length",), "maxLength": ("max_length",), "length": ("min_length", "max_length")}
_RANGES = {
    "minInclusive": "minimum",
    "maxInclusive": "maximum",
    "minExclusive": "exclusive_minimum",
    "maxExclusive": "exclusive_maximum",
}


def _bounds(restriction: etree._Element, kind: str, base: Bounds) -> Bounds:
    """The facets of a restriction with those of its base (XSD 1.1 Part 2, section 4.3). Several patterns of one step
    are alternatives."""
    found: dict[str, Any] = {}
    patterns = []
    for element in restriction:
        value = element.get("value", "")
        name = local(element)
        if kind == "text" and name in _LENGTHS and value.isdecimal():
            found |= dict.fromkeys(_LENGTHS[name], int(value))
        elif kind in ("integer", "decimal") and name in _RANGES and re.fullmatch(r"-?\d{1,15}(\.\d{1,6})?", value):
            found[_RANGES[name]] = float(value) if "." in value else int(value)
        elif kind == "text" and name == "pattern":
            patterns.append(value)
    if patterns:
        found["pattern"] = f"^(?:{'|'.join(patterns)})$"
    return structs.replace(base, **found)


def _number(text: str, default: int) -> int:
    return int(text) if text.isdigit() and len(text) < 9 else default


def schemas_in(root: etree._Element) -> Iterator[etree._Element]:
    """The schema elements of a document, itself if it is one."""
    yield from root.iter(f"{{{XSD}}}schema")
