"""Operations, schemas and inputs made of OData metadata: list, find, create, change, replace and remove of each set, as
far as its capability annotations allow, navigation, functions and actions.
"""

from collections.abc import Iterator, Mapping
from typing import Any

from rondine.core.definitions.csdl_model import EntitySet, FunctionOrAction, Model, Property, Type
from rondine.core.definitions.files import Files
from rondine.core.definitions.inputs import bounds_of, input_name
from rondine.core.definitions.model import Definition, DescribedOperation, Server
from rondine.core.errors import Problem, did_you_mean
from rondine.core.names import proposed_name
from rondine.core.operations.document import JsonBody, Member, OperationDocument, Parameter, ResponseDescription
from rondine.core.operations.inputs import Bounds, Input, InputType
from rondine.core.operations.odata import Literally, ODataQuery
from rondine.core.operations.values import ValueOf
from rondine.core.pagination import NextAddress
from rondine.core.schema.json_schema import Schema

#: With more entity sets than this, navigation is left to expanding: one operation for each would be more than anyone
#: can look through.
MOST_NAVIGATED = 100
#: A body with more plain values than this has its other objects as json: nobody fills in a longer form.
MOST_INPUTS = 150
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


def _flags_words(one: Type) -> str:
    return f"one or more of {', '.join(one.members)}, separated by commas"


def _limits(kind: str, facets: Mapping[str, str]) -> dict[str, Any]:
    """Facets in JSON Schema's words. Precision and scale say how large a decimal may be; "max" and "variable" say
    nothing."""
    out: dict[str, Any] = {}
    if kind == "Edm.String" and facets.get("MaxLength", "").isdecimal():
        out["maxLength"] = int(facets["MaxLength"])
    precision, scale = facets.get("Precision", ""), facets.get("Scale", "0")
    if kind == "Edm.Decimal" and precision.isdecimal() and scale.isdecimal() and 0 < int(precision) <= MOST_DIGITS:
        largest = 10 ** max(int(precision) - int(scale), 0)
        out |= {"exclusiveMinimum": -largest, "exclusiveMaximum": largest}
    return out


class Writer:
    """Makes a definition of a model."""

    def __init__(self, model: Model, files: Files, address: str) -> None:
        self.model, self.name, self.report, self.address = model, files.main, files.report, address
        self.is_old = model.version in ("2.0", "3.0")
        self.names: set[str] = set()
        self.left: list[Problem] = []
        self.found: dict[str, tuple[dict[str, Property], dict[str, Property], list[str]]] = {}
        self._resolve_associations()

    def definition(self) -> Definition:
        operations = []
        for number, entity_set in enumerate(self.model.sets):
            self.report("entity sets", number, len(self.model.sets))
            entity_set.denied = self.model.denials.get(entity_set.name, set())
            if self._known(entity_set.type, entity_set.line, entity_set.name):
                operations += list(self._set(entity_set))
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
            words = f"there are {count} entity sets: navigation from one of them is not an operation of its own"
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

    def _members(self, name: str) -> tuple[dict[str, Property], dict[str, Property], list[str]]:
        """(properties, navigation, keys) of a type with what it inherits. A stream is not a value of an entity, and not
        among them."""
        if name in self.found:
            return self.found[name]
        chain = self._lineage(name)
        properties: dict[str, Property] = {}
        navigation: dict[str, Property] = {}
        keys: list[str] = []
        for one in reversed(chain):
            properties |= {key: each for key, each in one.properties.items() if each.type != "Edm.Stream"}
            navigation |= one.navigation
            keys = one.keys or keys
        self.found[name] = (properties, navigation, [key for key in keys if self._key_property(name, key) is not None])
        return self.found[name]

    def _lineage(self, name: str) -> list[Type]:
        """A type and its base types; a circle ends where it began."""
        chain: list[Type] = []
        while name in self.model.types and self.model.types[name] not in chain:
            chain.append(self.model.types[name])
            name = chain[-1].base
        return chain

    def _key_property(self, name: str, key: str) -> Property | None:
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

    def _schema(self, one: Type) -> Schema:
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

    def _value(self, one: Property) -> dict[str, Any]:
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

    def _set(self, one: EntitySet) -> Iterator[DescribedOperation]:
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
        one: EntitySet,
        keys: list[str],
        navigation: Mapping[str, Property],
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
                paging=(
                    NextAddress(at="/d/__next" if self.is_old else "/@odata.nextLink") if each.is_collection else None
                ),
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
        free = "if_match" if all(input_.name != "if_match" for input_ in inputs) else "if_match_etag"
        inputs.append(
            Input(name=free, description="the ETag that was read: refused if somebody has changed it since; * for any")
        )
        return [Parameter(name="If-Match", value=ValueOf(input=free))]

    def _write(
        self,
        method: str,
        verb: str,
        one: EntitySet,
        keys: list[str],
        properties: Mapping[str, Property],
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
        one: Property,
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

    def _bounds(self, one: Property) -> Bounds:
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
        by_name: dict[str, list[FunctionOrAction]] = {}
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
            for overload in overloads:
                if not self._is_written(overload, overload.parameters):
                    continue
                yield self._call(f"/{label}", "", [], overload, overload.parameters, label, label)

    def _bound(self, one: EntitySet, keys: list[str], path: str, shown: str) -> Iterator[DescribedOperation]:
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

    def _is_structured(self, one: Property) -> bool:
        """Whether a value of it is a list or an object."""
        known = self.model.types.get(one.type)
        return one.is_collection or (known is not None and known.kind in ("complex", "entity"))

    def _is_written(self, one: FunctionOrAction, parameters: list[Property]) -> bool:
        """Whether all values that it takes can be sent: before 4.0, no lists and objects; if not, it is told."""
        for each in parameters if self.is_old and (not one.is_action or one.method) else ():
            if self._is_structured(each):
                kind = f"Collection({each.type})" if each.is_collection else each.type
                words = f'"{one.name}" takes {kind} for "{each.name}", which is not written into an address'
                self.left.append(Problem(self._where(one.line), words, "make the operation by hand"))
                return False
        return True

    def _structure_words(self, one: Property) -> str:
        """What a list or an object is made of."""
        properties, _, _ = self._members(one.type)
        of = f"an object of {', '.join(properties)}" if properties else one.type
        return f"a list, each {of}" if one.is_collection else of

    def _call(
        self, path: str, shown: str, inputs: list[Input], one: FunctionOrAction, parameters: list[Property], tag: str,
        label: str,
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
