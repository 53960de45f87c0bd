"""Record types that the schemas of chosen operations suggest: one for each object, nested ones and lists of objects
with a key to their parent."""

import re
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

from rondine.core.conversions.types import FieldType
from rondine.core.definitions.declared import members_of, opened_with_name
from rondine.core.documents.elements import TEXT
from rondine.core.mapping.document import RecordField, RecordTypeDocument
from rondine.core.mapping.propose import KEY_NAMES
from rondine.core.names import proposed_name, singular
from rondine.core.naming import USUAL_RULE, NamingRule
from rondine.core.operations.document import OperationDocument
from rondine.core.schema.json_schema import Schema, types_of

#: Objects within objects: what is deeper becomes a json field.
MOST_LEVELS = 4


@dataclass(frozen=True, slots=True)
class ProposedType:
    """name: free among those proposed, and in the project.  wanted: the name that is taken by something else there,
    empty if it is not.  parent: the record type it hangs on, empty for none.  source: where it stands: a schema's name,
    or a path.  is_list: there may be several for one parent.
    """

    name: str
    document: RecordTypeDocument
    parent: str = ""
    source: str = ""
    is_list: bool = False
    wanted: str = ""


def proposed_types(
    operations: Iterable[OperationDocument],
    schemas: Mapping[str, Schema],
    roots: Iterable[str] = (),
    rule: NamingRule = USUAL_RULE,
    *,
    taken: Collection[str] = (),
    made: Mapping[str, str] = MappingProxyType({}),
) -> list[ProposedType]:
    """One record type for each object that the good responses of these operations, and documents with these roots,
    hold; each schema once.

    rule: for the names of record types and fields.  taken: names of record types of something else.  made: those that
    came of this definition before, by their source.
    """
    operations = list(operations)
    maker = _Maker(schemas, rule, taken, made, _keys_in_paths(operations))
    for root in roots:
        maker.response({"$ref": f"#/$defs/{root}"}, singular(root))
    for operation in operations:
        words = [step for step in operation.path.split("/") if step and "{" not in step]
        fallback = singular(words[-1]) if words else "record"
        for response in operation.responses:
            if response.status.startswith("2") and isinstance(response.schema, dict):
                maker.response(response.schema, fallback)
    maker.finish()
    return maker.made


class _Maker:
    def __init__(
        self,
        schemas: Mapping[str, Schema],
        rule: NamingRule,
        taken: Collection[str],
        before: Mapping[str, str],
        keys_in_paths: Mapping[str, str],
    ) -> None:
        self.schemas, self.rule, self.taken, self.before, self.keys_in_paths = (
            schemas,
            rule,
            taken,
            before,
            keys_in_paths,
        )
        self.made: list[ProposedType] = []
        self.names: set[str] = set()
        self.reserved = {*taken, *before.values()}
        self.known: set[str] = set()
        self.pending: list[tuple[Any, str, ProposedType | None, bool, int]] = []

    def finish(self) -> None:
        """What is nested comes after all that stands alone; a schema that has its type already is not made again for
        another parent."""
        while self.pending:
            schema, name, parent, is_list, level = self.pending.pop(0)
            self._object_of(schema, name, parent, is_list=is_list, level=level)

    def response(self, schema: dict[str, Any], fallback: str) -> None:
        """The rows of a response: its list of objects if it has one, alone or in an envelope, otherwise itself."""
        found, name = self._open(schema)
        if types_of(found) == ["array"]:
            self._object_of(found.get("items"), singular(name) if name else fallback)
            return
        if set(members_of(found)) == {"data", "errors"}:  # GraphQL: one field of the root, a connection's nodes perhaps
            for key, one in members_of(self._open(members_of(found)["data"])[0]).items():
                self._relay(one, singular(key))
            return
        if set(members_of(found)) == {"d"}:  # OData before 4.0 wraps everything so
            self.response(members_of(found)["d"], fallback)
            return
        lists = [
            (key, inner)
            for key, one in members_of(found).items()
            if types_of(inner := self._open(one)[0]) == ["array"] and self._is_object(inner.get("items"))
        ]
        plain = [
            (key, inner.get("items"))
            for key, one in members_of(found).items()
            if types_of(inner := self._open(one)[0]) == ["array"] and not self._is_object(inner.get("items"))
        ]
        if not lists and len(plain) == 1 and len(members_of(found)) == 1:
            self._plain(*plain[0])
        elif len(lists) == 1 and len(members_of(found)) <= 8 and not (_declared_key(found) or _key_field(found)):
            key, inner = lists[0]
            self._object_of(inner.get("items"), singular(key))
        elif types_of(found) == ["object"] and members_of(found):
            self._object_of(schema, name or fallback)

    def _relay(self, schema: Any, name: str) -> None:
        """A field of GraphQL's root: of a connection the nodes, of a list its elements, otherwise itself."""
        found, _ = self._open(schema)
        members = members_of(found)
        for holder in ("nodes", "edges", "items", "results"):
            inner = self._open(members.get(holder))[0] if holder in members else {}
            if types_of(inner) == ["array"]:
                element = self._open(inner.get("items"))[0]
                self._object_of(members_of(element).get("node", inner.get("items")), name)
                return
        self.response(schema, name)

    def _plain(self, name: str, schema: Any) -> None:
        """A list of plain values: each is a record of one field."""
        kind = self._type(self._open(schema)[0])
        label = self.rule.name("field", singular(name))
        document = RecordTypeDocument(fields=[RecordField(name=label, type=kind, searchable=True)], key=[label])
        if kind != "json" and not any(proposed_type.source == name for proposed_type in self.made):
            free, wanted = self._name(singular(name), name)
            self.made.append(ProposedType(free, document, "", name, wanted=wanted))

    def _name(self, text: str, source: str) -> tuple[str, str]:
        """(a free name, the one that it would have if that were not something else's, empty if it is free)."""
        if (name := self.before.get(source)) is not None and name not in self.names:
            free, plain = name, ""
        else:
            plain = self.rule.name("record type", text, taken=self.names)
            free = self.rule.name("record type", text, taken=self.reserved)
        self.names.add(free)
        self.reserved.add(free)
        return free, plain if plain in self.taken else ""

    def _object_of(
        self, schema: Any, fallback: str, parent: ProposedType | None = None, *, is_list: bool = False, level: int = 0
    ) -> None:
        found, named = self._open(schema)
        members = members_of(found)
        if not members:
            return
        if named in self.known:
            return
        if named:
            self.known.add(named)
        wanted = named or (f"{parent.name} {fallback}" if parent else fallback)
        source = named or (f"{parent.source}.{fallback}" if parent else fallback)
        name, plain_name = self._name(wanted, source)
        fields: list[RecordField] = []
        parent_key = [field for field in parent.document.fields if field.name in parent.document.key] if parent else []
        for record_field in parent_key:
            title = f"{parent.name if parent else ''} {record_field.name}".replace("-", "_")
            fields.append(RecordField(name=self._free(title, fields), type=record_field.type, searchable=True))
        key = [field.name for field in fields]
        nested: list[tuple[Any, str, bool]] = []
        own_key = _declared_key(found) or self._key_in_path(named, members) or _key_field(found)
        own_fields: dict[str, str] = {}
        for member, record_field in members.items():
            if isinstance(record_field, dict) and record_field.get("x-navigation"):
                continue  # it comes only when it is asked for
            inner, inner_name = self._open(record_field)
            kinds = types_of(inner)
            if TEXT in members_of(inner):  # an element of XML with attributes: its text, and each of them
                text, *others = sorted(members_of(inner).items(), key=lambda pair: pair[0] != TEXT)
                for label, part in [(member, text[1]), *((f"{member} {name}", held) for name, held in others)]:
                    kind = self._type(self._open(part)[0])
                    fields.append(RecordField(name=self._free(label, fields), type=kind, searchable=kind != "json"))
                continue
            is_many = kinds == ["array"] and self._is_object(inner.get("items"))
            of = self._open(inner.get("items"))[1] if is_many else inner_name
            if (
                (is_many or (kinds == ["object"] and members_of(inner)))
                and level < MOST_LEVELS
                and of not in self.known
            ):
                nested.append(
                    (inner.get("items") if is_many else record_field, singular(member) if is_many else member, is_many)
                )
            else:
                kind = self._type(inner)
                fields.append(RecordField(name=self._free(member, fields), type=kind, searchable=kind != "json"))
                own_fields[member] = fields[-1].name
        if len(fields) == len(parent_key) and nested:  # it only holds others
            self.pending += [(schema, member, parent, repeats, level + 1) for schema, member, repeats in nested]
            return
        if is_list or not parent:
            key = [*key, *(own_fields[member] for member in own_key if member in own_fields)]
        document = RecordTypeDocument(fields=fields, key=key)
        proposed_type = ProposedType(name, document, parent.name if parent else "", source, is_list, plain_name)
        self.made.append(proposed_type)
        self.pending += [(schema, member, proposed_type, repeats, level + 1) for schema, member, repeats in nested]

    def _key_in_path(self, named: str, members: Mapping[str, Any]) -> list[str]:
        """The member by which one of them is asked for: /trees/{number}."""
        variable = self.keys_in_paths.get(named, "")
        plain = _letters(variable)
        return [member for member in members if plain and _letters(member) in (plain, _letters(named) + plain)][:1]

    def _free(self, text: str, fields: list[RecordField]) -> str:
        return self.rule.name("field", text, taken={field.name for field in fields})

    def _is_object(self, schema: Any) -> bool:
        return bool(members_of(self._open(schema)[0]))

    def _open(self, schema: Any) -> tuple[dict[str, Any], str]:
        return opened_with_name(schema, self.schemas)

    @staticmethod
    def _type(schema: dict[str, Any]) -> FieldType:
        kinds = types_of(schema)
        if set(kinds) == {"integer", "number"}:
            return "decimal"
        match kinds:
            case ["string"]:
                return {"date": "date", "date-time": "datetime"}.get(str(schema.get("format")), "text")  # type: ignore[return-value]
            case ["integer"]:
                return "integer"
            case ["number"]:
                return "decimal"
            case ["boolean"]:
                return "boolean"
        return "text" if set(kinds) and set(kinds) <= {"string", "integer", "number", "boolean"} else "json"


def _keys_in_paths(operations: Iterable[OperationDocument]) -> dict[str, str]:
    """By the name of a schema, the variable at the end of a path that answers with one of it."""
    found = {}
    for operation in operations:
        variable = re.search(r"/\{([\w-]+)\}$", operation.path)
        for response in operation.responses if variable and operation.method == "GET" else ():
            reference = response.schema.get("$ref") if isinstance(response.schema, dict) else None
            if response.status.startswith("2") and isinstance(reference, str) and variable:
                found[re.sub(r"^.*[.]", "", reference.removeprefix("#/$defs/"))] = variable.group(1)
    return found


def _letters(text: str) -> str:
    return re.sub(r"[^a-z0-9]", "", text.lower())


def _declared_key(schema: dict[str, Any]) -> list[str]:
    """The members that the definition says are the key; none if it says nothing, or names some that are not there."""
    declared = schema.get("x-key")
    members = members_of(schema)
    return list(declared) if isinstance(declared, list) and all(one in members for one in declared) else []


def _key_field(schema: dict[str, Any]) -> list[str]:
    """The required plain member whose name is one that keys have, the surest first; a guess."""
    required = schema.get("required")
    plain = [
        name
        for name, one in members_of(schema).items()
        if isinstance(one, dict)
        and types_of(one) in (["string"], ["integer"])
        and (not isinstance(required, list) or not required or name in required)
    ]
    for ending in KEY_NAMES:
        for name in plain:
            if proposed_name(name, separator="_") == ending:
                return [name]
    return []
