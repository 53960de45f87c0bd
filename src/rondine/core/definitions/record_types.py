"""Record types that the schemas of chosen operations suggest: one for each object, nested ones and lists of objects with a key to their parent."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from rondine.core.definitions.json_schema import types_of
from rondine.core.definitions.model import Schema
from rondine.core.documents.elements import TEXT
from rondine.core.mapping.document import RecordField, RecordTypeDocument
from rondine.core.mapping.propose import KEY_NAMES
from rondine.core.mapping.types import FieldType
from rondine.core.names import proposed_name, singular
from rondine.core.naming import USUAL_RULE, NamingRule
from rondine.core.protocols.operation import OperationDocument

#: Objects within objects: what is deeper becomes a json field.
MOST_LEVELS = 4


@dataclass(frozen=True, slots=True)
class ProposedType:
    """name: free among those proposed.  parent: the record type it hangs on, empty for none.  source: where it stands: a schema's name, or a
    path.  is_list: there may be several for one parent.
    """

    name: str
    document: RecordTypeDocument
    parent: str = ""
    source: str = ""
    is_list: bool = False


def proposed_types(
    operations: Iterable[OperationDocument],
    schemas: Mapping[str, Schema],
    roots: Iterable[str] = (),
    rule: NamingRule = USUAL_RULE,
) -> list[ProposedType]:
    """One record type for each object that the good responses of these operations, and documents with these roots, hold; each schema once.

    rule: for the names of record types and fields.
    """
    maker = _Maker(schemas, rule)
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
    def __init__(self, schemas: Mapping[str, Schema], rule: NamingRule) -> None:
        self.schemas, self.rule = schemas, rule
        self.made: list[ProposedType] = []
        self.known: set[str] = set()
        self.pending: list[tuple[Any, str, ProposedType | None, bool, int]] = []

    def finish(self) -> None:
        """What is nested comes after all that stands alone; a schema that has its type already is not made again for another parent."""
        while self.pending:
            schema, name, parent, is_list, level = self.pending.pop(0)
            self._object_of(schema, name, parent, is_list=is_list, level=level)

    def response(self, schema: dict[str, Any], fallback: str) -> None:
        """The rows of a response: its list of objects if it has one, alone or in an envelope, otherwise itself."""
        found, name = self._open(schema)
        if types_of(found) == ["array"]:
            self._object_of(found.get("items"), singular(name) if name else fallback)
            return
        if set(_members(found)) == {"data", "errors"}:  # GraphQL: one field of the root, a connection's nodes perhaps
            for key, one in _members(self._open(_members(found)["data"])[0]).items():
                self._relay(one, singular(key))
            return
        if set(_members(found)) == {"d"}:  # OData before 4.0 wraps everything so
            self.response(self._open(_members(found)["d"])[0], fallback)
            return
        lists = [
            (key, inner)
            for key, one in _members(found).items()
            if types_of(inner := self._open(one)[0]) == ["array"] and self._is_object(inner.get("items"))
        ]
        plain = [
            (key, inner.get("items"))
            for key, one in _members(found).items()
            if types_of(inner := self._open(one)[0]) == ["array"] and not self._is_object(inner.get("items"))
        ]
        if not lists and len(plain) == 1 and len(_members(found)) == 1:
            self._plain(*plain[0])
        elif len(lists) == 1 and len(_members(found)) <= 8 and not _key_field(found):
            key, inner = lists[0]
            self._object_of(inner.get("items"), singular(key))
        elif types_of(found) == ["object"] and _members(found):
            self._object_of(schema, name or fallback)

    def _relay(self, schema: Any, name: str) -> None:
        """A field of GraphQL's root: of a connection the nodes, of a list its elements, otherwise itself."""
        found, _ = self._open(schema)
        members = _members(found)
        for holder in ("nodes", "edges", "items", "results"):
            inner = self._open(members.get(holder))[0] if holder in members else {}
            if types_of(inner) == ["array"]:
                element = self._open(inner.get("items"))[0]
                self._object_of(_members(element).get("node", inner.get("items")), name)
                return
        self.response(schema, name)

    def _plain(self, name: str, schema: Any) -> None:
        """A list of plain values: each is a record of one field."""
        kind = self._type(self._open(schema)[0])
        label = self.rule.name("field", singular(name))
        document = RecordTypeDocument(fields=[RecordField(name=label, type=kind, searchable=True)], key=[label])
        if kind != "json" and not any(one.source == name for one in self.made):
            free = self.rule.name("record type", singular(name), taken={one.name for one in self.made})
            self.made.append(ProposedType(free, document, "", name))

    def _object_of(
        self, schema: Any, fallback: str, parent: ProposedType | None = None, *, is_list: bool = False, level: int = 0
    ) -> None:
        found, named = self._open(schema)
        members = _members(found)
        if not members:
            return
        if named in self.known:
            return
        if named:
            self.known.add(named)
        wanted = named or (f"{parent.name} {fallback}" if parent else fallback)
        name = self.rule.name("record type", wanted, taken={one.name for one in self.made})
        fields: list[RecordField] = []
        parent_key = [one for one in parent.document.fields if one.name in parent.document.key] if parent else []
        for one in parent_key:
            title = f"{parent.name if parent else ''} {one.name}".replace("-", "_")
            fields.append(RecordField(name=self._free(title, fields), type=one.type, searchable=True))
        key = [one.name for one in fields]
        nested: list[tuple[Any, str, bool]] = []
        own_key = _key_field(found)
        for member, one in members.items():
            if isinstance(one, dict) and one.get("x-navigation"):
                continue  # it comes only when it is asked for
            inner, inner_name = self._open(one)
            kinds = types_of(inner)
            if TEXT in _members(inner):  # an element of XML with attributes: its text, and each of them
                text, *others = sorted(_members(inner).items(), key=lambda pair: pair[0] != TEXT)
                for label, part in [(member, text[1]), *((f"{member} {name}", held) for name, held in others)]:
                    kind = self._type(self._open(part)[0])
                    fields.append(RecordField(name=self._free(label, fields), type=kind, searchable=kind != "json"))
                continue
            is_many = kinds == ["array"] and self._is_object(inner.get("items"))
            of = self._open(inner.get("items"))[1] if is_many else inner_name
            if (is_many or (kinds == ["object"] and _members(inner))) and level < MOST_LEVELS and of not in self.known:
                nested.append(
                    (inner.get("items") if is_many else one, singular(member) if is_many else member, is_many)
                )
            else:
                kind = self._type(inner)
                fields.append(RecordField(name=self._free(member, fields), type=kind, searchable=kind != "json"))
                if member == own_key and (is_list or not parent):
                    key = [*key, fields[-1].name]
        if len(fields) == len(parent_key) and nested:  # it only holds others
            self.pending += [(schema, member, parent, repeats, level + 1) for schema, member, repeats in nested]
            return
        made = ProposedType(
            name, RecordTypeDocument(fields=fields, key=key), parent.name if parent else "", named or fallback, is_list
        )
        self.made.append(made)
        self.pending += [(schema, member, made, repeats, level + 1) for schema, member, repeats in nested]

    def _free(self, text: str, fields: list[RecordField]) -> str:
        return self.rule.name("field", text, taken={one.name for one in fields})

    def _is_object(self, schema: Any) -> bool:
        return bool(_members(self._open(schema)[0]))

    def _open(self, schema: Any, seen: set[str] | None = None) -> tuple[dict[str, Any], str]:
        """(the schema with references followed and parts merged, the name it has). seen: names that are merged already, by whatever way."""
        if not isinstance(schema, dict):
            return {}, ""
        seen = set() if seen is None else seen
        out, name = dict(schema), ""
        if isinstance(reference := out.pop("$ref", None), str):
            name = reference.removeprefix("#/$defs/")
            if name in seen:
                return {}, name
            seen.add(name)
            base, _ = self._open(self.schemas.get(name), seen)
            out = {**base, **out}
        for part in out.pop("allOf", None) or []:
            found, inner = self._open(part, seen)
            name = name or inner
            required = [*found.get("required", []), *out.get("required", [])]
            out = {**found, **out, "properties": {**_members(found), **_members(out)}, "required": required}
        for word in ("anyOf", "oneOf"):
            others = [one for one in out.get(word) or [] if one != {"type": "null"}]
            if len(others) == 1:
                out.pop(word)
                found, inner = self._open(others[0], seen)
                out, name = {**found, **out}, name or inner
        return out, re.sub(r"^.*[.]", "", name)

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


def _members(schema: dict[str, Any]) -> dict[str, Any]:
    found = schema.get("properties")
    return found if isinstance(found, dict) else {}


def _key_field(schema: dict[str, Any]) -> str | None:
    """The required plain member whose name is one that keys have, the surest first."""
    required = schema.get("required")
    plain = [
        name
        for name, one in _members(schema).items()
        if isinstance(one, dict)
        and types_of(one) in (["string"], ["integer"])
        and (not isinstance(required, list) or not required or name in required)
    ]
    for ending in KEY_NAMES:
        for name in plain:
            if proposed_name(name, separator="_") == ending:
                return name
    return None
