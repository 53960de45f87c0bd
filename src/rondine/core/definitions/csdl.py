"""OData metadata, read into operations: CSDL 4.01 and 4.0 (XML and JSON), 3.0 and 2.0 (XML).

OData CSDL XML and JSON Representation 4.01; for the older ones [MC-CSDL] as the services write it. Each entity set becomes list, find, create,
change, replace and remove, as far as its capability annotations allow; functions and actions become operations of their own.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from lxml import etree

from rondine.core.definitions.files import Files
from rondine.core.definitions.inputs import bounds_of, input_name
from rondine.core.definitions.model import Definition, DescribedOperation, Schema, Server
from rondine.core.documents.elements import looks_like_xml
from rondine.core.documents.json import read_json
from rondine.core.documents.xml import local, read_xml
from rondine.core.errors import DocumentError, Problem, did_you_mean
from rondine.core.names import proposed_name
from rondine.core.pagination import NextAddress
from rondine.core.protocols.inputs import Bounds, Input, InputType
from rondine.core.protocols.odata import Literally, ODataQuery
from rondine.core.protocols.operation import JsonBody, Member, OperationDocument, Parameter, ResponseDescription
from rondine.core.protocols.values import ValueOf

#: With more entity sets than this, navigation is left to expanding: one operation for each would be more than anyone can look through.
MOST_NAVIGATED = 100
#: A body with more plain values than this has its other objects as json: nobody fills in a longer form.
MOST_INPUTS = 150
#: Bytes of what may be a service document: it names each set.
LARGEST_SERVICE_DOCUMENT = 2 * 1024 * 1024
#: A precision above this says nothing.
MOST_DIGITS = 60
_INPUT_TYPES: dict[str, InputType] = {
    **dict.fromkeys(("Edm.Byte", "Edm.SByte", "Edm.Int16", "Edm.Int32", "Edm.Int64"), "integer"),
    **dict.fromkeys(("Edm.Decimal", "Edm.Double", "Edm.Single"), "decimal"),
    "Edm.Boolean": "boolean",
    "Edm.Date": "date",
    "Edm.DateTimeOffset": "datetime",
}
_SCHEMAS: dict[str, dict[str, Any]] = {
    "Edm.Boolean": {"type": "boolean"},
    **{name: {"type": "integer"} for name in ("Edm.Byte", "Edm.SByte", "Edm.Int16", "Edm.Int32", "Edm.Int64")},
    **{name: {"type": "number"} for name in ("Edm.Decimal", "Edm.Double", "Edm.Single")},
    "Edm.Date": {"type": "string", "format": "date"},
    "Edm.DateTimeOffset": {"type": "string", "format": "date-time"},
    "Edm.Guid": {"type": "string", "format": "uuid"},
    "Edm.Duration": {"type": "string", "format": "duration"},
    "Edm.TimeOfDay": {"type": "string", "format": "time"},
    "Edm.Binary": {"type": "string", "contentEncoding": "base64"},
    "Edm.Untyped": {},
}


@dataclass(slots=True)
class _Property:
    """facets: MaxLength, Precision, Scale and DefaultValue as they are written (OData CSDL 4.01, section 7.2)."""

    name: str
    type: str
    is_collection: bool = False
    is_nullable: bool = True
    is_computed: bool = False
    facets: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class _Type:
    """kind: entity, complex, enum or definition (of another name for a plain type). key_paths: of the keys that have an alias, as they lead
    through complex properties.  is_flags: a value is several members, separated by commas.  facets: of a definition.
    """

    name: str
    kind: str
    line: int
    base: str = ""
    properties: dict[str, _Property] = field(default_factory=dict)
    navigation: dict[str, _Property] = field(default_factory=dict)
    keys: list[str] = field(default_factory=list)
    key_paths: dict[str, str] = field(default_factory=dict)
    members: list[str] = field(default_factory=list)
    is_flags: bool = False
    under: str = ""
    facets: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class _Callable:
    """An action or function. returns: empty for nothing."""

    name: str
    is_action: bool
    is_bound: bool
    line: int
    parameters: list[_Property] = field(default_factory=list)
    returns: str = ""
    returns_many: bool = False
    method: str = ""


@dataclass(slots=True)
class _Set:
    """An entity set or singleton. allows: create, change, remove and list, by the capability annotations."""

    name: str
    type: str
    line: int
    is_single: bool = False
    denied: set[str] = field(default_factory=set)


@dataclass(slots=True)
class _Model:
    version: str
    namespace: str = ""
    types: dict[str, _Type] = field(default_factory=dict)
    callables: list[_Callable] = field(default_factory=list)
    sets: list[_Set] = field(default_factory=list)
    imports: list[tuple[str, str, int]] = field(default_factory=list)
    aliases: dict[str, str] = field(default_factory=dict)
    associations: dict[str, dict[str, tuple[str, str]]] = field(default_factory=dict)
    warnings: list[Problem] = field(default_factory=list)
    computed: set[str] = field(default_factory=set)
    denials: dict[str, set[str]] = field(default_factory=dict)

    def qualified(self, name: str) -> str:
        """The name with its namespace in place of an alias."""
        before, _, last = name.rpartition(".")
        return f"{self.aliases.get(before, before)}.{last}" if before else name


def is_csdl_json(value: Any) -> bool:
    return isinstance(value, dict) and "$Version" in value and any(isinstance(one, dict) for one in value.values())


def is_service_document(content: bytes) -> bool:
    """Whether this is what an OData service answers at its own address (OData JSON 4.01, section 5; AtomPub, RFC 5023, section 8; OData 2.0)."""
    if len(content) > LARGEST_SERVICE_DOCUMENT:
        return False
    try:
        if looks_like_xml(content):
            return etree.QName(read_xml(content)).text == "{http://www.w3.org/2007/app}service"
        value = read_json(content)
    except DocumentError:
        return False
    if not isinstance(value, dict):
        return False
    context = value.get("@odata.context", value.get("@context"))
    if isinstance(context, str) and isinstance(value.get("value"), list):
        return context.endswith("$metadata")
    before_4 = value.get("d")
    return isinstance(before_4, dict) and list(before_4) == ["EntitySets"]


def read_csdl_xml(root: etree._Element, files: Files, address: str = "") -> Definition:
    return _Writer(_XmlReader(files.main).read(root), files, address).definition()


def read_csdl_json(value: dict[str, Any], files: Files, address: str = "") -> Definition:
    return _Writer(_read_json(value), files, address).definition()


# --- reading XML


def _parted(text: str) -> tuple[str, bool]:
    """(the type, whether it is a collection of it)."""
    text = text.strip()
    return (text[11:-1].strip(), True) if text.startswith("Collection(") and text.endswith(")") else (text, False)


_FACETS = ("MaxLength", "Precision", "Scale", "DefaultValue")


def _facets(element: etree._Element) -> dict[str, str]:
    return {name: str(element.get(name)) for name in _FACETS if element.get(name) is not None}


def _json_facets(one: dict[str, Any]) -> dict[str, str]:
    return {name: str(one[f"${name}"]) for name in _FACETS if one.get(f"${name}") is not None}


def _add_key(found: _Type, name: str, alias: str) -> None:
    """A part of the key: a property, or a path to one, which has an alias (OData CSDL 4.01, section 6.5)."""
    found.keys.append(alias or name)
    if alias:
        found.key_paths[alias] = name


class _XmlReader:
    def __init__(self, name: str) -> None:
        self.name = name

    def read(self, root: etree._Element) -> _Model:
        if any(local(one) in ("StorageModels", "Mappings", "Designer") for one in root.iter()):
            raise DocumentError(
                "this is a designer's file, of how a program keeps entities in a database, and describes no service",
                where=f"{self.name}, line {root.sourceline}",
                hint="import what the service answers at its address followed by /$metadata",
            )
        said = root.get("Version", "4.0")
        version = "4.01" if said.startswith("4.01") else "4.0"
        services = next((one for one in root.iter() if local(one) == "DataServices"), None)
        if said.startswith("1"):
            data = next(
                (
                    value
                    for key, value in (services.attrib.items() if services is not None else ())
                    if str(key).endswith("DataServiceVersion")
                ),
                "2.0",
            )
            version = "3.0" if str(data).startswith("3") else "2.0"
        elif not said.startswith("4"):
            raise DocumentError(
                f'this says it is OData "{said[:20]}", which is not read',
                where=f"{self.name}, line 1",
                hint="4.01, 4.0, 3.0 and 2.0 are",
            )
        model = _Model(version)
        schemas = [one for one in (services if services is not None else root) if local(one) == "Schema"]
        if not schemas:
            raise DocumentError(
                "there is no schema in it",
                where=f"{self.name}, line {root.sourceline}",
                hint="is this the whole of $metadata?",
            )
        for schema in schemas:
            namespace = schema.get("Namespace", "")
            model.namespace = model.namespace or namespace
            if alias := schema.get("Alias"):
                model.aliases[alias] = namespace
        for schema in schemas:
            self._schema(model, schema, schema.get("Namespace", ""))
        return model

    def _line(self, element: etree._Element) -> int:
        line: Any = element.sourceline
        return line if isinstance(line, int) else 0

    def _schema(self, model: _Model, schema: etree._Element, namespace: str) -> None:
        for one in schema:
            name = one.get("Name", "")
            match local(one):
                case "EntityType" | "ComplexType":
                    self._type(model, one, f"{namespace}.{name}")
                case "EnumType":
                    members = [each.get("Name", "") for each in one if local(each) == "Member"]
                    is_flags = one.get("IsFlags") == "true"
                    model.types[f"{namespace}.{name}"] = _Type(
                        f"{namespace}.{name}", "enum", self._line(one), members=members, is_flags=is_flags
                    )
                case "TypeDefinition":
                    under = one.get("UnderlyingType", "Edm.String")
                    model.types[f"{namespace}.{name}"] = _Type(
                        f"{namespace}.{name}", "definition", self._line(one), under=under, facets=_facets(one)
                    )
                case "Association":
                    ends = {
                        each.get("Role", ""): (model.qualified(each.get("Type", "")), each.get("Multiplicity", "1"))
                        for each in one
                        if local(each) == "End"
                    }
                    model.associations[f"{namespace}.{name}"] = ends
                case "Action" | "Function" if model.version.startswith("4"):
                    model.callables.append(self._callable(model, one, f"{namespace}.{name}", local(one) == "Action"))
                case "EntityContainer":
                    self._container(model, one, f"{namespace}.{name}")
                case "Annotations":
                    self._annotations(model, one)

    def _type(self, model: _Model, element: etree._Element, name: str) -> None:
        if name in model.types:
            model.warnings.append(
                Problem(
                    f"{self.name}, line {self._line(element)}",
                    f'the type "{name}" is defined twice',
                    "the second one counts",
                )
            )
        found = _Type(
            name,
            "entity" if local(element) == "EntityType" else "complex",
            self._line(element),
            model.qualified(element.get("BaseType", "")),
        )
        for one in element:
            match local(one):
                case "Key":
                    for each in one:
                        if local(each) == "PropertyRef":
                            _add_key(found, each.get("Name", ""), each.get("Alias", ""))
                case "Property":
                    kind, is_many = _parted(one.get("Type", "Edm.String"))
                    is_computed = any(
                        each.get("Term", "").endswith("Core.V1.Computed") and each.get("Bool", "true") == "true"
                        for each in one
                    )
                    found.properties[one.get("Name", "")] = _Property(
                        one.get("Name", ""),
                        model.qualified(kind),
                        is_many,
                        one.get("Nullable", "true") != "false",
                        is_computed,
                        _facets(one),
                    )
                case "NavigationProperty":
                    kind, is_many = _parted(one.get("Type", ""))
                    if not kind:  # before 4.0: by the association's other end
                        kind, is_many = one.get("Relationship", "") + "\0" + one.get("ToRole", ""), False
                    found.navigation[one.get("Name", "")] = _Property(
                        one.get("Name", ""), kind if "\0" in kind else model.qualified(kind), is_many
                    )
        model.types[name] = found

    def _callable(self, model: _Model, element: etree._Element, name: str, is_action: bool) -> _Callable:
        made = _Callable(name, is_action, element.get("IsBound") == "true", self._line(element))
        for one in element:
            kind, is_many = _parted(one.get("Type", ""))
            if local(one) == "Parameter":
                made.parameters.append(
                    _Property(
                        one.get("Name", ""),
                        model.qualified(kind),
                        is_many,
                        one.get("Nullable", "true") != "false",
                        facets=_facets(one),
                    )
                )
            elif local(one) == "ReturnType":
                made.returns, made.returns_many = model.qualified(kind), is_many
        return made

    def _container(self, model: _Model, container: etree._Element, name: str) -> None:
        for one in container:
            label, line = one.get("Name", ""), self._line(one)
            match local(one):
                case "EntitySet":
                    model.sets.append(_Set(label, model.qualified(one.get("EntityType", "")), line))
                    model.denials.setdefault(label, set()).update(_denied(one))
                case "Singleton":
                    model.sets.append(_Set(label, model.qualified(one.get("Type", "")), line, is_single=True))
                    model.denials.setdefault(label, set()).update(_denied(one))
                case "ActionImport":
                    model.imports.append((label, model.qualified(one.get("Action", "")), line))
                case "FunctionImport" if model.version.startswith("4"):
                    model.imports.append((label, model.qualified(one.get("Function", "")), line))
                case "FunctionImport":
                    method = next(
                        (str(value) for key, value in one.attrib.items() if str(key).endswith("HttpMethod")), ""
                    )
                    made = _Callable(label, method == "POST", False, line, method=method or "GET")
                    for each in one:
                        if local(each) == "Parameter":
                            kind, is_many = _parted(each.get("Type", "Edm.String"))
                            made.parameters.append(
                                _Property(
                                    each.get("Name", ""),
                                    model.qualified(kind),
                                    is_many,
                                    each.get("Nullable", "true") != "false",
                                    facets=_facets(each),
                                )
                            )
                    kind, made.returns_many = _parted(one.get("ReturnType", ""))
                    made.returns = model.qualified(kind)
                    model.callables.append(made)
                    model.imports.append((label, label, line))

    def _annotations(self, model: _Model, element: etree._Element) -> None:
        target = element.get("Target", "")
        if any(
            one.get("Term", "").endswith("Core.V1.Computed") and one.get("Bool", "true") == "true" for one in element
        ):
            model.computed.add(model.qualified(target.partition("/")[0]) + "/" + target.partition("/")[2])
        model.denials.setdefault(target.rpartition("/")[2], set()).update(_denied(element))


_TERMS = {
    "InsertRestrictions": ("Insertable", "create"),
    "UpdateRestrictions": ("Updatable", "change"),
    "DeleteRestrictions": ("Deletable", "remove"),
    "ReadRestrictions": ("Readable", "list"),
}


def _denied(element: etree._Element) -> set[str]:
    """What the capability annotations of an entity set do not allow (Org.OData.Capabilities.V1)."""
    out = set()
    for one in element:
        term = one.get("Term", "").rpartition(".")[2] if local(one) == "Annotation" else ""
        if term in _TERMS:
            name, what = _TERMS[term]
            for each in one.iter():
                if local(each) == "PropertyValue" and each.get("Property") == name:
                    said = each.get("Bool") or "".join(str(text) for text in each.itertext()).strip()
                    if said == "false":
                        out.add(what)
    return out


# --- reading JSON (CSDL JSON 4.01)


def _read_json(value: dict[str, Any]) -> _Model:
    version = "4.01" if str(value.get("$Version", "")).startswith("4.01") else "4.0"
    model = _Model(version)
    schemas = {name: one for name, one in value.items() if not name.startswith("$") and isinstance(one, dict)}
    for namespace, schema in schemas.items():
        model.namespace = model.namespace or namespace
        if isinstance(alias := schema.get("$Alias"), str):
            model.aliases[alias] = namespace
    for namespace, schema in schemas.items():
        for name, one in schema.items():
            if name.startswith(("$", "@")):
                continue
            for each in one if isinstance(one, list) else [one]:
                if isinstance(each, dict):
                    _json_element(model, f"{namespace}.{name}", each)
        for target, annotations in (
            (schema.get("$Annotations") or {}).items() if isinstance(schema.get("$Annotations"), dict) else ()
        ):
            if isinstance(annotations, dict):
                model.denials.setdefault(str(target).rpartition("/")[2], set()).update(_json_denied(annotations))
    return model


def _json_property(model: _Model, name: str, one: dict[str, Any], default: str = "Edm.String") -> _Property:
    computed = next(
        (value for key, value in one.items() if key.endswith("Core.V1.Computed") or key == "@Core.Computed"), False
    )
    return _Property(
        name,
        model.qualified(str(one.get("$Type", default))),
        one.get("$Collection") is True,
        one.get("$Nullable") is True,
        computed is True,
        _json_facets(one),
    )


def _json_element(model: _Model, name: str, one: dict[str, Any]) -> None:
    match one.get("$Kind"):
        case "EntityType" | "ComplexType":
            made = _Type(
                name,
                "entity" if one["$Kind"] == "EntityType" else "complex",
                0,
                model.qualified(str(one.get("$BaseType", ""))),
            )
            for key in one.get("$Key", []) if isinstance(one.get("$Key"), list) else []:
                for alias, path in key.items() if isinstance(key, dict) else [("", key)]:
                    _add_key(made, str(path), str(alias))
            for label, member in one.items():
                if label.startswith(("$", "@")) or not isinstance(member, dict):
                    continue
                found = _json_property(model, label, member)
                (made.navigation if member.get("$Kind") == "NavigationProperty" else made.properties)[label] = found
            model.types[name] = made
        case "EnumType":
            members = [
                label
                for label, value in one.items()
                if not label.startswith(("$", "@")) and "@" not in label and isinstance(value, int)
            ]
            model.types[name] = _Type(name, "enum", 0, members=members, is_flags=one.get("$IsFlags") is True)
        case "TypeDefinition":
            under = str(one.get("$UnderlyingType", "Edm.String"))
            model.types[name] = _Type(name, "definition", 0, under=under, facets=_json_facets(one))
        case "Action" | "Function":
            made_one = _Callable(name, one["$Kind"] == "Action", one.get("$IsBound") is True, 0)
            for each in one.get("$Parameter", []) if isinstance(one.get("$Parameter"), list) else []:
                if isinstance(each, dict):
                    made_one.parameters.append(_json_property(model, str(each.get("$Name", "")), each))
            if isinstance(returns := one.get("$ReturnType"), dict):
                made_one.returns, made_one.returns_many = (
                    model.qualified(str(returns.get("$Type", "Edm.String"))),
                    returns.get("$Collection") is True,
                )
            model.callables.append(made_one)
        case "EntityContainer":
            for label, member in one.items():
                if label.startswith(("$", "@")) or not isinstance(member, dict):
                    continue
                if "$Action" in member or "$Function" in member:
                    model.imports.append(
                        (label, model.qualified(str(member.get("$Action", member.get("$Function")))), 0)
                    )
                elif "$Type" in member:
                    model.sets.append(
                        _Set(
                            label,
                            model.qualified(str(member["$Type"])),
                            0,
                            is_single=member.get("$Collection") is not True,
                        )
                    )
                    model.denials.setdefault(label, set()).update(_json_denied(member))


def _json_denied(annotations: dict[str, Any]) -> set[str]:
    out = set()
    for key, value in annotations.items():
        term = key.rpartition(".")[2]
        if term in _TERMS and isinstance(value, dict) and value.get(_TERMS[term][0]) is False:
            out.add(_TERMS[term][1])
    return out


def _flags_words(one: _Type) -> str:
    return f"one or more of {', '.join(one.members)}, separated by commas"


def _limits(kind: str, facets: Mapping[str, str]) -> dict[str, Any]:
    """Facets in JSON Schema's words. Precision and scale say how large a decimal may be; "max" and "variable" say nothing."""
    out: dict[str, Any] = {}
    if kind == "Edm.String" and facets.get("MaxLength", "").isdecimal():
        out["maxLength"] = int(facets["MaxLength"])
    precision, scale = facets.get("Precision", ""), facets.get("Scale", "0")
    if kind == "Edm.Decimal" and precision.isdecimal() and scale.isdecimal() and 0 < int(precision) <= MOST_DIGITS:
        largest = 10 ** max(int(precision) - int(scale), 0)
        out |= {"exclusiveMinimum": -largest, "exclusiveMaximum": largest}
    return out


# --- writing operations


class _Writer:
    def __init__(self, model: _Model, files: Files, address: str) -> None:
        self.model, self.name, self.report, self.address = model, files.main, files.report, address
        self.is_old = model.version in ("2.0", "3.0")
        self.names: set[str] = set()
        self.left: list[Problem] = []
        self.found: dict[str, tuple[dict[str, _Property], dict[str, _Property], list[str]]] = {}
        self._resolve_associations()

    def definition(self) -> Definition:
        operations = []
        for number, one in enumerate(self.model.sets):
            self.report("entity sets", number, len(self.model.sets))
            one.denied = self.model.denials.get(one.name, set())
            if self._known(one.type, one.line, one.name):
                operations += list(self._set(one))
        operations += list(self._imports())
        self._tell_left()
        root = self.address.partition("?")[0].rpartition("$metadata")[0].rstrip("/")
        label = "CSDL JSON" if not self.is_old and self.name.endswith("json") else "CSDL"
        return Definition(
            format=f"OData {self.model.version} ({label})",
            title=self.model.namespace,
            version="",
            servers=(Server(root),) if root else (),
            operations=tuple(operations),
            schemas={name: self._schema(one) for name, one in self.model.types.items()},
            warnings=tuple(self.model.warnings),
            left_out=tuple(self.left),
            files=(self.name,),
        )

    def _tell_left(self) -> None:
        """What no operation is made for."""
        if (count := len(self.model.sets)) > MOST_NAVIGATED:
            words = f"there are {count} entity sets: navigation from one of them is no operation of its own"
            self.model.warnings.append(Problem(self.name, words, "expand it"))
        for one in self.model.types.values():
            if streams := [name for name, each in one.properties.items() if each.type == "Edm.Stream"]:
                words = (
                    f"{', '.join(streams)} of {one.name.rpartition('.')[2]}: streams, which have addresses of their own"
                )
                self.model.warnings.append(Problem(self._where(one.line), words, "they are no values of its records"))

    def _where(self, line: int) -> str:
        return f"{self.name}, line {line}" if line else self.name

    def _known(self, name: str, line: int, what: str) -> bool:
        if name in self.model.types:
            return True
        near = did_you_mean(name, self.model.types)
        self.left.append(Problem(self._where(line), f'"{what}" is of the type "{name}", which is not defined', near))
        return False

    def _resolve_associations(self) -> None:
        """Before 4.0, navigation leads over an association: its other end says the type and whether there are many."""
        for one in self.model.types.values():
            for name, navigation in list(one.navigation.items()):
                if "\0" not in navigation.type:
                    continue
                relation, _, role = navigation.type.partition("\0")
                end = self.model.associations.get(self.model.qualified(relation), {}).get(role)
                if end is None:
                    words = f'the relationship of "{name}" is not defined'
                    self.model.warnings.append(Problem(self._where(one.line), words, "it cannot be expanded"))
                    del one.navigation[name]
                else:
                    navigation.type, navigation.is_collection = end[0], end[1] == "*"

    def _members(self, name: str) -> tuple[dict[str, _Property], dict[str, _Property], list[str]]:
        """(properties, navigation, keys) of a type with what it inherits. A stream is no value of an entity, and not among them."""
        if name in self.found:
            return self.found[name]
        chain = self._lineage(name)
        properties: dict[str, _Property] = {}
        navigation: dict[str, _Property] = {}
        keys: list[str] = []
        for one in reversed(chain):
            properties |= {key: each for key, each in one.properties.items() if each.type != "Edm.Stream"}
            navigation |= one.navigation
            keys = one.keys or keys
        self.found[name] = (properties, navigation, [key for key in keys if self._key_property(name, key) is not None])
        return self.found[name]

    def _lineage(self, name: str) -> list[_Type]:
        """A type and its base types; a circle ends where it began."""
        chain: list[_Type] = []
        while name in self.model.types and self.model.types[name] not in chain:
            chain.append(self.model.types[name])
            name = chain[-1].base
        return chain

    def _key_property(self, name: str, key: str) -> _Property | None:
        """The property that a part of the key of this type is."""
        path = next((one.key_paths[key] for one in self._lineage(name) if key in one.key_paths), key)
        found = None
        for step in path.split("/"):
            found = next((one.properties[step] for one in self._lineage(name) if step in one.properties), None)
            if found is None:
                return None
            name = found.type
        return found

    # --- schemas

    def _schema(self, one: _Type) -> Schema:
        if one.kind == "enum":
            if one.is_flags:
                return {"type": "string", "description": _flags_words(one)}
            return {"type": "string", "enum": one.members} if one.members else {"type": "string"}
        if one.kind == "definition":
            return {**self._plain(one.under), **_limits(one.under, one.facets)}
        properties, navigation, keys = self._members(one.name)
        members = {name: self._value(each) for name, each in properties.items()}
        for name, each in navigation.items():
            inner: dict[str, Any] = {"$ref": f"#/$defs/{each.type}"}
            members[name] = (
                {"type": "array", "items": inner, "x-navigation": True}
                if each.is_collection
                else {**inner, "x-navigation": True}
            )
        required = [name for name, each in properties.items() if not each.is_nullable or name in keys]
        declared: dict[str, Any] = {"x-key": keys} if keys and all(key in properties for key in keys) else {}
        return {"type": "object", "properties": members, **({"required": required} if required else {}), **declared}

    def _value(self, one: _Property) -> dict[str, Any]:
        inner = {**self._plain(one.type), **_limits(self._under(one.type), one.facets)}
        if one.is_collection:
            return {"type": "array", "items": inner}
        if one.is_nullable and isinstance(inner.get("type"), str):
            return {**inner, "type": [inner["type"], "null"]}
        if one.is_nullable and "$ref" in inner:
            return {"anyOf": [inner, {"type": "null"}]}
        return inner

    def _plain(self, kind: str) -> dict[str, Any]:
        if kind in self.model.types:
            return {"$ref": f"#/$defs/{kind}"}
        plain = {"type": "string"} if kind.startswith("Edm.") and not kind.startswith("Edm.Geo") else {}
        return {**_SCHEMAS.get(kind, plain), "x-type": kind}

    def _responses(self, kind: str, *, many: bool, status: str = "200") -> list[ResponseDescription]:
        if not kind:
            return [ResponseDescription(status="204", description="done")]
        inner = self._plain(kind)
        plain = kind not in self.model.types or self.model.types[kind].kind in ("enum", "definition")
        schema: dict[str, Any]
        if self.is_old:
            rows = {
                "type": "object",
                "properties": {
                    "results": {"type": "array", "items": inner},
                    "__next": {"type": "string"},
                    "__count": {"type": "string"},
                },
            }
            schema = {"type": "object", "properties": {"d": rows if many else inner}}
        elif many:
            members = {
                "value": {"type": "array", "items": inner},
                "@odata.nextLink": {"type": "string"},
                "@odata.count": {"type": "integer"},
            }
            schema = {"type": "object", "required": ["value"], "properties": members}
        else:
            schema = {"type": "object", "properties": {"value": inner}} if plain else inner
        return [ResponseDescription(status=status, media_type="application/json", schema=schema)]

    # --- operations

    def _made(self, key: str, title: str, tag: str, document: OperationDocument, line: int) -> DescribedOperation:
        name = proposed_name(title, taken=self.names)
        self.names.add(name)
        return DescribedOperation(key, name, title, document, f"line {line}" if line else "", (tag,))

    def _set(self, one: _Set) -> Iterator[DescribedOperation]:
        properties, navigation, keys = self._members(one.type)
        path = f"/{one.name}"
        shown = f"({','.join(keys)})"
        if one.is_single:
            document = OperationDocument(
                path=path, odata=self._query(), responses=self._responses(one.type, many=False), tags=[one.name]
            )
            yield self._made(f"GET {path}", f"Get {one.name}", one.name, document, one.line)
            if "change" not in one.denied:
                yield self._write("PATCH", "Change", one, [], properties, path, "")
            yield from self._bound(one, [], path, "")
            return
        if "list" not in one.denied:
            next_at = "/d/__next" if self.is_old else "/@odata.nextLink"
            document = OperationDocument(
                path=path,
                inputs=[Input(name="top", type="integer", description="how many at most")],
                odata=self._query(top=ValueOf(input="top")),
                paging=NextAddress(at=next_at),
                responses=self._responses(one.type, many=True),
                tags=[one.name],
            )
            yield self._made(f"GET {path}", f"List {one.name}", one.name, document, one.line)
        if not keys:
            words = f'"{one.name}" has no key: one of it cannot be found, changed or removed'
            self.model.warnings.append(Problem(self._where(one.line), words, ""))
        elif "list" not in one.denied:
            inputs, key = self._key(one.type, keys)
            document = OperationDocument(
                path=path,
                inputs=inputs,
                odata=self._query(key=key),
                responses=self._responses(one.type, many=False),
                tags=[one.name],
            )
            yield self._made(f"GET {path}{shown}", f"Find {one.name}", one.name, document, one.line)
        if "create" not in one.denied:
            yield self._write("POST", "Create", one, [], properties, path, "")
        if keys and "change" not in one.denied:
            yield self._write("PATCH", "Change", one, keys, properties, path, shown)
            yield self._write("PUT", "Replace", one, keys, properties, path, shown)
        if keys and "remove" not in one.denied:
            inputs, key = self._key(one.type, keys)
            etag = self._etag(inputs)
            document = OperationDocument(
                method="DELETE", path=path, inputs=inputs, headers=etag, odata=self._query(key=key),
                responses=[ResponseDescription(status="204", description="removed")], tags=[one.name],
            )  # fmt: skip
            yield self._made(f"DELETE {path}{shown}", f"Remove {one.name}", one.name, document, one.line)
        if keys and len(self.model.sets) <= MOST_NAVIGATED:
            yield from self._navigation(one, keys, navigation, path, shown)
        yield from self._bound(one, keys, path, shown)

    def _navigation(
        self,
        one: _Set,
        keys: list[str],
        navigation: Mapping[str, _Property],
        path: str,
        shown: str,
    ) -> Iterator[DescribedOperation]:
        for name, each in navigation.items():
            if each.type not in self.model.types:
                continue
            inputs, key = self._key(one.type, keys)
            document = OperationDocument(
                path=path,
                inputs=inputs,
                odata=self._query(key=key, then=f"/{name}"),
                paging=NextAddress(at="/d/__next" if self.is_old else "/@odata.nextLink")
                if each.is_collection
                else None,
                responses=self._responses(each.type, many=each.is_collection),
                tags=[one.name],
            )
            yield self._made(f"GET {path}{shown}/{name}", f"{name} of {one.name}", one.name, document, one.line)

    def _query(self, **parts: Any) -> ODataQuery:
        return ODataQuery(version=self.model.version, **parts)  # type: ignore[arg-type]

    def _key(self, name: str, keys: list[str]) -> tuple[list[Input], list[Literally]]:
        """The inputs and the literals that the key of a type takes."""
        inputs, parts = [], []
        for key in keys:
            found = self._key_property(name, key)
            assert found is not None  # `_members` gives no other keys
            kind = self._under(found.type)
            inputs.append(Input(name=input_name(key), type=_INPUT_TYPES.get(kind, "text"), required=True))
            parts.append(Literally(name=key, type=kind, value=ValueOf(input=input_name(key))))
        return inputs, parts

    def _under(self, kind: str) -> str:
        """The plain type that a type definition stands for."""
        found = self.model.types.get(kind)
        return found.under if found is not None and found.kind == "definition" else kind

    def _etag(self, inputs: list[Input]) -> list[Parameter]:
        free = "if_match" if all(one.name != "if_match" for one in inputs) else "if_match_etag"
        inputs.append(
            Input(name=free, description="the ETag that was read: refused if somebody has changed it since; * for any")
        )
        return [Parameter(name="If-Match", value=ValueOf(input=free))]

    def _write(
        self,
        method: str,
        verb: str,
        one: _Set,
        keys: list[str],
        properties: Mapping[str, _Property],
        path: str,
        shown: str,
    ) -> DescribedOperation:
        inputs, key = self._key(one.type, keys)
        headers = self._etag(inputs) if method != "POST" else []
        if method == "PATCH" and self.model.version == "2.0":
            method, headers = "POST", [*headers, Parameter(name="X-HTTP-Method", value="MERGE")]
        members: list[Member] = []
        for name, each in properties.items():
            if name in keys or each.is_computed or f"{one.type}/{name}" in self.model.computed:
                continue
            is_required = verb in ("Create", "Replace") and not each.is_nullable and "DefaultValue" not in each.facets
            self._member(inputs, members, f"/{name}", name, each, required=is_required)
        document = OperationDocument(
            method=method,  # type: ignore[arg-type]
            path=path,
            inputs=inputs,
            headers=headers,
            odata=self._query(key=key),
            body=JsonBody(members=members),
            responses=[
                *self._responses(one.type, many=False, status="201" if verb == "Create" else "200"),
                ResponseDescription(status="204", description="done"),
            ],
            tags=[one.name],
        )
        return self._made(f"{verb.upper()} {path}{shown}", f"{verb} {one.name}", one.name, document, one.line)

    def _member(
        self,
        inputs: list[Input],
        members: list[Member],
        at: str,
        name: str,
        one: _Property,
        *,
        required: bool,
        depth: int = 0,
    ) -> None:
        found = self.model.types.get(one.type)
        is_apart = not one.is_collection and depth < 3 and len(inputs) < MOST_INPUTS
        if found is not None and found.kind == "complex" and is_apart:
            for inner_name, inner in self._members(one.type)[0].items():
                self._member(
                    inputs,
                    members,
                    f"{at}/{inner_name}",
                    f"{name}_{inner_name}",
                    inner,
                    required=required and not inner.is_nullable,
                    depth=depth + 1,
                )
            return
        kind = self._under(one.type)
        is_plain = not one.is_collection and (found is None or found.kind in ("enum", "definition"))
        label, taken = input_name(name), {each.name for each in inputs}
        label = label if label not in taken else f"{label[:58]}_body"
        words = _flags_words(found) if found is not None and found.is_flags else ""
        inputs.append(
            Input(
                name=label,
                type=_INPUT_TYPES.get(kind, "text") if is_plain else "json",
                required=required,
                allowed=self._allowed(one.type) if is_plain else [],
                description=words,
                bounds=self._bounds(one) if is_plain else Bounds(),
            )
        )
        members.append(Member(at=at, value=ValueOf(input=label)))

    def _bounds(self, one: _Property) -> Bounds:
        """What the facets of a property, or of its type definition, let a value be."""
        found = self.model.types.get(one.type)
        kind = self._under(one.type)
        limits = _limits(kind, {**(found.facets if found is not None else {}), **one.facets})
        return bounds_of(limits, _INPUT_TYPES.get(kind, "text"))

    def _allowed(self, kind: str) -> list[str | int]:
        """The only values of an enumeration; none for another type, or for flags, of which several may be given."""
        found = self.model.types.get(kind)
        return list(found.members) if found is not None and found.kind == "enum" and not found.is_flags else []

    # --- functions and actions

    def _imports(self) -> Iterator[DescribedOperation]:
        by_name: dict[str, list[_Callable]] = {}
        for one in self.model.callables:
            if not one.is_bound:
                by_name.setdefault(one.name, []).append(one)
        for label, target, line in self.model.imports:
            overloads = by_name.get(target, [])
            if not overloads:
                self.left.append(
                    Problem(
                        self._where(line),
                        f'"{label}" calls "{target}", which is not defined',
                        did_you_mean(target, by_name),
                    )
                )
            for one in overloads:
                if not self._is_written(one, one.parameters):
                    continue
                yield self._call(f"/{label}", "", [], one, one.parameters, label, label)

    def _bound(self, one: _Set, keys: list[str], path: str, shown: str) -> Iterator[DescribedOperation]:
        """What is bound to the set's type, or to one of its base types."""
        lineage = {each.name for each in self._lineage(one.type)}
        for each in self.model.callables:
            if not each.is_bound or not each.parameters or each.parameters[0].type not in lineage:
                continue
            many = each.parameters[0].is_collection
            if many if one.is_single else not many and not keys:
                continue
            if not self._is_written(each, each.parameters[1:]):
                continue
            inputs, key = ([], []) if many else self._key(one.type, keys)
            yield self._call(
                path,
                "" if many else shown,
                inputs,
                each,
                each.parameters[1:],
                one.name,
                each.name.rpartition(".")[2],
                key,
                f"/{each.name}",
            )

    def _is_structured(self, one: _Property) -> bool:
        """Whether a value of it is a list or an object."""
        known = self.model.types.get(one.type)
        return one.is_collection or (known is not None and known.kind in ("complex", "entity"))

    def _is_written(self, one: _Callable, parameters: list[_Property]) -> bool:
        """Whether all values that it takes can be sent: before 4.0, no lists and objects; if not, it is told."""
        for each in parameters if self.is_old and (not one.is_action or one.method) else ():
            if self._is_structured(each):
                kind = f"Collection({each.type})" if each.is_collection else each.type
                words = f'"{one.name}" takes {kind} for "{each.name}", which is not written into an address'
                self.left.append(Problem(self._where(one.line), words, "make the operation by hand"))
                return False
        return True

    def _structure_words(self, one: _Property) -> str:
        """What a list or an object is made of."""
        properties, _, _ = self._members(one.type)
        of = f"an object of {', '.join(properties)}" if properties else one.type
        return f"a list, each {of}" if one.is_collection else of

    def _call(
        self, path: str, shown: str, inputs: list[Input], one: _Callable, parameters: list[_Property], tag: str, label: str,
        key: list[Literally] | None = None, then: str = "",
    ) -> DescribedOperation:  # fmt: skip
        method = one.method or ("POST" if one.is_action else "GET")
        arguments: list[Literally] = []
        members: list[Member] = []
        for each in parameters:
            if one.is_action and not one.method:
                self._member(inputs, members, f"/{each.name}", each.name, each, required=not each.is_nullable)
                continue
            kind, is_structured = self._under(each.type), self._is_structured(each)
            given = input_name(each.name)
            given = given if all(other.name != given for other in inputs) else f"{given[:58]}_value"
            inputs.append(
                Input(
                    name=given,
                    type="json" if is_structured else _INPUT_TYPES.get(kind, "text"),
                    required=not each.is_nullable or not self.is_old,
                    allowed=[] if is_structured else self._allowed(each.type),
                    bounds=Bounds() if is_structured else self._bounds(each),
                    description=self._structure_words(each) if is_structured else "",
                )
            )
            arguments.append(Literally(name=each.name, type=kind, value=ValueOf(input=given), as_json=is_structured))
        document = OperationDocument(
            method=method,  # type: ignore[arg-type]
            path=path,
            inputs=inputs,
            odata=self._query(key=key or [], then=then, arguments=arguments, is_function=not one.is_action),
            body=JsonBody(members=members) if members else None,
            responses=self._responses(one.returns, many=one.returns_many),
            tags=[tag],
        )
        signature = f"({','.join(each.name for each in parameters)})" if not one.is_action else ""
        title = f"{label} of {tag}" if key is not None or then else label
        return self._made(f"{method} {path}{shown}{then}{signature}", title, tag, document, one.line)
