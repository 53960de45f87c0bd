"""OData metadata, read into operations: CSDL 4.01 and 4.0 (XML and JSON), 3.0 and 2.0 (XML).

OData CSDL XML and JSON Representation 4.01; for the older ones [MC-CSDL] as the services write it. Each entity set
becomes list, find, create, change, replace and remove, as far as its capability annotations allow; functions and
actions become operations of their own.
"""

from typing import Any

from lxml import etree

from rondine.core.definitions.csdl_model import EntitySet, FunctionOrAction, Model, Property, Type
from rondine.core.definitions.csdl_operations import Writer
from rondine.core.definitions.files import Files
from rondine.core.definitions.model import Definition
from rondine.core.documents.elements import looks_like_xml
from rondine.core.documents.json import read_json
from rondine.core.documents.xml import local, read_xml
from rondine.core.errors import DocumentError, Problem

#: Bytes of what may be a service document: it names each set.
LARGEST_SERVICE_DOCUMENT = 2 * 1024 * 1024


def is_csdl_json(value: Any) -> bool:
    return isinstance(value, dict) and "$Version" in value and any(isinstance(one, dict) for one in value.values())


def is_service_document(content: bytes) -> bool:
    """Whether this is what an OData service answers at its own address (OData JSON 4.01, section 5; AtomPub, RFC 5023,
    section 8; OData 2.0)."""
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
    return Writer(_XmlReader(files.main).read(root), files, address).definition()


def read_csdl_json(value: dict[str, Any], files: Files, address: str = "") -> Definition:
    return Writer(_read_json(value), files, address).definition()


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


def _add_key(found: Type, name: str, alias: str) -> None:
    """A part of the key: a property, or a path to one, which has an alias (OData CSDL 4.01, section 6.5)."""
    found.keys.append(alias or name)
    if alias:
        found.key_paths[alias] = name


class _XmlReader:
    def __init__(self, name: str) -> None:
        self.name = name

    def read(self, root: etree._Element) -> Model:
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
        model = Model(version)
        schemas = [element for element in (services if services is not None else root) if local(element) == "Schema"]
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

    def _schema(self, model: Model, schema: etree._Element, namespace: str) -> None:
        for element in schema:
            name = element.get("Name", "")
            match local(element):
                case "EntityType" | "ComplexType":
                    self._type(model, element, f"{namespace}.{name}")
                case "EnumType":
                    members = [each.get("Name", "") for each in element if local(each) == "Member"]
                    is_flags = element.get("IsFlags") == "true"
                    model.types[f"{namespace}.{name}"] = Type(
                        f"{namespace}.{name}", "enum", self._line(element), members=members, is_flags=is_flags
                    )
                case "TypeDefinition":
                    under = element.get("UnderlyingType", "Edm.String")
                    model.types[f"{namespace}.{name}"] = Type(
                        f"{namespace}.{name}", "definition", self._line(element), under=under, facets=_facets(element)
                    )
                case "Association":
                    ends = {
                        each.get("Role", ""): (model.qualified(each.get("Type", "")), each.get("Multiplicity", "1"))
                        for each in element
                        if local(each) == "End"
                    }
                    model.associations[f"{namespace}.{name}"] = ends
                case "Action" | "Function" if model.version.startswith("4"):
                    model.callables.append(
                        self._callable(model, element, f"{namespace}.{name}", local(element) == "Action")
                    )
                case "EntityContainer":
                    self._container(model, element, f"{namespace}.{name}")
                case "Annotations":
                    self._annotations(model, element)

    def _type(self, model: Model, element: etree._Element, name: str) -> None:
        if name in model.types:
            model.warnings.append(
                Problem(
                    f"{self.name}, line {self._line(element)}",
                    f'the type "{name}" is defined twice',
                    "the second one counts",
                )
            )
        found = Type(
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
                    found.properties[one.get("Name", "")] = Property(
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
                    found.navigation[one.get("Name", "")] = Property(
                        one.get("Name", ""), kind if "\0" in kind else model.qualified(kind), is_many
                    )
        model.types[name] = found

    def _callable(self, model: Model, element: etree._Element, name: str, is_action: bool) -> FunctionOrAction:
        made = FunctionOrAction(name, is_action, element.get("IsBound") == "true", self._line(element))
        for one in element:
            kind, is_many = _parted(one.get("Type", ""))
            if local(one) == "Parameter":
                made.parameters.append(
                    Property(
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

    def _container(self, model: Model, container: etree._Element, name: str) -> None:
        for element in container:
            label, line = element.get("Name", ""), self._line(element)
            match local(element):
                case "EntitySet":
                    model.sets.append(EntitySet(label, model.qualified(element.get("EntityType", "")), line))
                    model.denials.setdefault(label, set()).update(_denied(element))
                case "Singleton":
                    model.sets.append(EntitySet(label, model.qualified(element.get("Type", "")), line, is_single=True))
                    model.denials.setdefault(label, set()).update(_denied(element))
                case "ActionImport":
                    model.imports.append((label, model.qualified(element.get("Action", "")), line))
                case "FunctionImport" if model.version.startswith("4"):
                    model.imports.append((label, model.qualified(element.get("Function", "")), line))
                case "FunctionImport":
                    method = next(
                        (str(value) for key, value in element.attrib.items() if str(key).endswith("HttpMethod")), ""
                    )
                    made = FunctionOrAction(label, method == "POST", False, line, method=method or "GET")
                    for each in element:
                        if local(each) == "Parameter":
                            kind, is_many = _parted(each.get("Type", "Edm.String"))
                            made.parameters.append(
                                Property(
                                    each.get("Name", ""),
                                    model.qualified(kind),
                                    is_many,
                                    each.get("Nullable", "true") != "false",
                                    facets=_facets(each),
                                )
                            )
                    kind, made.returns_many = _parted(element.get("ReturnType", ""))
                    made.returns = model.qualified(kind)
                    model.callables.append(made)
                    model.imports.append((label, label, line))

    def _annotations(self, model: Model, element: etree._Element) -> None:
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


def _read_json(value: dict[str, Any]) -> Model:
    version = "4.01" if str(value.get("$Version", "")).startswith("4.01") else "4.0"
    model = Model(version)
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


def _json_property(model: Model, name: str, one: dict[str, Any], default: str = "Edm.String") -> Property:
    computed = next(
        (value for key, value in one.items() if key.endswith("Core.V1.Computed") or key == "@Core.Computed"), False
    )
    return Property(
        name,
        model.qualified(str(one.get("$Type", default))),
        one.get("$Collection") is True,
        one.get("$Nullable") is True,
        computed is True,
        _json_facets(one),
    )


def _json_element(model: Model, name: str, one: dict[str, Any]) -> None:
    match one.get("$Kind"):
        case "EntityType" | "ComplexType":
            made = Type(
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
            model.types[name] = Type(name, "enum", 0, members=members, is_flags=one.get("$IsFlags") is True)
        case "TypeDefinition":
            under = str(one.get("$UnderlyingType", "Edm.String"))
            model.types[name] = Type(name, "definition", 0, under=under, facets=_json_facets(one))
        case "Action" | "Function":
            made_one = FunctionOrAction(name, one["$Kind"] == "Action", one.get("$IsBound") is True, 0)
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
                        EntitySet(
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
