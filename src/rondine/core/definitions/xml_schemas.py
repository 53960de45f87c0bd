"""XML Schema made into JSON Schema 2020-12: members by their local names, with what they are in XML beside them
(OpenAPI 3.1, "XML Object").

Each named type is translated once, under `$defs`, whatever circles they make. Text beside attributes is a member
`text()`, which OpenAPI calls `nodeType: text`.
"""

from typing import Any

from rondine.core.definitions.files import Files
from rondine.core.definitions.inputs import schema_of_bounds
from rondine.core.definitions.json_schema import file_stem
from rondine.core.definitions.model import Definition
from rondine.core.definitions.xsd import Name, Part, Shape, XmlSchemas
from rondine.core.documents.elements import TEXT
from rondine.core.documents.xml import local, read_xml
from rondine.core.errors import DocumentError, did_you_mean
from rondine.core.names import free_name

#: Of one definition, all types together; more is nothing that a person wrote.
MOST_NODES = 100_000
#: Types without a name within each other.
MOST_DEPTH = 30
_PLAIN: dict[str, dict[str, Any]] = {
    "integer": {"type": "integer"},
    "decimal": {"type": "number"},
    "boolean": {"type": "boolean"},
    "date": {"type": "string", "format": "date"},
    "datetime": {"type": "string", "format": "date-time"},
}


class XmlDefs:
    """The schemas of elements and types, by name."""

    def __init__(self, schemas: XmlSchemas) -> None:
        self.schemas = schemas
        self.defs: dict[str, Any] = {}
        self.names: dict[Name, str] = {}
        self.left = MOST_NODES
        self._pending: list[tuple[str, Name]] = []

    def element(self, name: Name) -> dict[str, Any] | None:
        """The schema of an element defined at the top, None if there is none."""
        part = self.schemas.element(name)
        if part is None:
            return None
        found = self._of(part.type, 0)
        self._finish()
        return {**({"description": part.description} if part.description else {}), **found}

    def _finish(self) -> None:
        while self._pending:
            label, name = self._pending.pop()
            self.defs[label] = self._shape(self.schemas.shape(name), 0)

    def _of(self, of: Any, depth: int) -> dict[str, Any]:
        shape = self.schemas.shape(of)
        if not (shape.parts or shape.derived) or self.left <= 0 or depth > MOST_DEPTH:
            return _plain(shape)
        if isinstance(of, tuple):
            if of not in self.names:
                self.names[of] = free_name(of[1] or "type", self.defs, separator="_")
                self.defs[self.names[of]] = True
                self._pending.append((self.names[of], of))
            return {"$ref": f"#/$defs/{self.names[of]}"}
        return self._shape(shape, depth)

    def _shape(self, shape: Shape, depth: int) -> dict[str, Any]:
        if not (shape.parts or shape.derived):
            return _plain(shape)
        properties: dict[str, Any] = {}
        required: list[str] = []
        if shape.plain:
            properties[TEXT] = {**_plain(shape), "xml": {"nodeType": "text"}}
        for part in shape.parts:
            self.left -= 1
            if self.left <= 0:
                break
            label = part.name[1]
            if label in properties:
                label = f"@{label}" if part.kind == "attribute" else f"{label}_2"
            properties[label] = self._member(part, label, depth)
            if part.least > 0:
                required.append(label)
        self._derived_members(shape, properties, depth)
        ids = [part.name[1] for part in shape.parts if part.is_id and part.name[1] in properties]
        declared: dict[str, Any] = {"x-key": ids} if len(ids) == 1 else {}
        return {"type": "object", "properties": properties, **({"required": required} if required else {}), **declared}

    def _derived_members(self, shape: Shape, properties: dict[str, Any], depth: int) -> None:
        """What the types that derive from this one add: a value of it may be of any of them."""
        for name in shape.derived:
            for part in self.schemas.shape(name).parts:
                self.left -= 1
                if self.left <= 0:
                    return
                if part.name[1] not in properties:
                    properties[part.name[1]] = self._member(part, part.name[1], depth)

    def _member(self, part: Part, label: str, depth: int) -> dict[str, Any]:
        found = self._of(part.type, depth + 1)
        if part.kind == "element" and (key := self.schemas.key_of(part.name)):
            found = {**found, "x-key": key}
        if part.is_nillable:
            found = {"anyOf": [found, {"type": "null"}]}
        about: dict[str, Any] = {"attribute": True} if part.kind == "attribute" else {}
        about |= {"name": part.name[1]} if label != part.name[1] else {}
        about |= {"namespace": part.name[0]} if part.name[0] else {}
        found = {
            **found,
            **({"description": part.description} if part.description else {}),
            **({"xml": about} if about else {}),
        }
        return {"type": "array", "items": found} if part.is_list else found


def _plain(shape: Shape) -> dict[str, Any]:
    found = dict(_PLAIN.get(shape.plain or "", {"type": "string"}))
    if shape.allowed and found == {"type": "string"}:
        found["enum"] = list(shape.allowed)
    return {**found, **schema_of_bounds(shape.bounds)}


def read_xsd(files: Files) -> Definition:
    """A schema alone (XSD 1.0): the elements that documents may begin with, and the types they are made of. Raises
    DocumentError if it has none."""
    schemas = XmlSchemas(files)
    root = read_xml(files.contents[files.main], name=files.main)
    schemas.add(root, files.main)
    defs = XmlDefs(schemas)
    target = root.get("targetNamespace", "")
    roots: dict[str, Any] = {}
    for name in list(schemas.elements):
        if name[0] == target and (found := defs.element(name)) is not None:
            roots[name[1]] = {**found, "xml": {"name": name[1], **({"namespace": target} if target else {})}}
    if not roots:
        known = [local(one) for one in root]
        raise DocumentError(
            "the schema defines no element at its top that a document could begin with",
            where=files.main,
            hint=did_you_mean("element", known) or "is this a part that another schema includes?",
        )
    named = {
        name if name not in defs.defs else free_name(name, [*defs.defs, *roots], separator="_"): one
        for name, one in roots.items()
    }
    words = next((element for element in root if local(element) == "annotation"), None)
    return Definition(
        format="XML Schema",
        title=file_stem(files.main),
        version=root.get("version", ""),
        description=" ".join("".join(map(str, words.itertext())).split()) if words is not None else "",
        schemas={**defs.defs, **named},
        roots=tuple(named),
        warnings=tuple(schemas.problems),
        files=tuple(files.contents),
    )
