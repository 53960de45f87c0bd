"""What documents refer to by name, declared by their classes: found and renamed in one way for all of them.

A class says in `REFERENCES` which of its fields hold the name of an item, or a list of names, and of which kind. Fixed
values and samples within documents are no documents themselves, so nothing in them is ever taken for a reference.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Any

import msgspec.inspect
from msgspec import structs

from rondine.core.documents.json import pointer_text
from rondine.core.settings import Document

_STANDING = "standing-values"
Location = tuple[str | int, ...]


@dataclass(frozen=True, slots=True)
class Reference:
    """kind: of the item, as in the API's paths.  name: of it.  pointer: JSON Pointer to the name in the stored
    document."""

    kind: str
    name: str
    pointer: str


def references(document: Any) -> Iterator[Reference]:
    """Everything that a document refers to by name, in its order."""
    yield from _within(document, ())


def _within(value: Any, location: Location) -> Iterator[Reference]:
    if isinstance(value, Document):
        for name, encoded in zip(value.__struct_fields__, value.__struct_encode_fields__, strict=True):
            held = getattr(value, name)
            kind = value.REFERENCES.get(name)
            if kind is not None and isinstance(held, str) and held:
                yield Reference(kind, held, pointer_text((*location, encoded)))
            elif kind is not None and isinstance(held, list):
                for number, one in enumerate(held):
                    yield Reference(kind, one, pointer_text((*location, encoded, number)))
            elif name in value.GIVEN:
                yield from _inputs(held, (*location, encoded))
            elif name in value.GIVEN_BY_NAME:
                for key, one in held.items():
                    yield from _inputs(one, (*location, encoded, key))
            elif name in _with_documents(type(value)):
                yield from _within(held, (*location, encoded))
    elif isinstance(value, list | tuple):
        for number, one in enumerate(value):
            yield from _within(one, (*location, number))
    elif isinstance(value, dict):
        for name, one in value.items():
            yield from _within(one, (*location, name))


@cache
def _with_documents(kind: type[Document]) -> frozenset[str]:
    """The fields of a class that may hold documents: only these are gone through, as schemas and samples may be
    large."""
    found = msgspec.inspect.type_info(kind)
    assert isinstance(found, msgspec.inspect.StructType)
    return frozenset(field.name for field in found.fields if _may_hold_document(field.type))


def _may_hold_document(kind: msgspec.inspect.Type) -> bool:
    match kind:
        case msgspec.inspect.StructType():
            return True
        case msgspec.inspect.Metadata(type=inner):
            return _may_hold_document(inner)
        case msgspec.inspect.UnionType(types=kinds) | msgspec.inspect.TupleType(item_types=kinds):
            return any(map(_may_hold_document, kinds))
        case msgspec.inspect.CollectionType(item_type=inner) | msgspec.inspect.DictType(value_type=inner):
            return _may_hold_document(inner)
    return False


def _inputs(value: Any, location: Location) -> Iterator[Reference]:
    if _is_standing(value):
        yield Reference(_STANDING, value["standing"], pointer_text((*location, "standing")))


def _is_standing(value: Any) -> bool:
    """As `protocols.inputs.named_standing` reads it."""
    return isinstance(value, dict) and set(value) == {"standing"} and isinstance(value["standing"], str)


def renamed(document: Any, kind: str, old: str, new: str) -> Any:
    """The document with a reference's new name; the same object if it does not refer to it."""
    if isinstance(document, Document):
        changes: dict[str, Any] = {}
        for name in document.__struct_fields__:
            held = getattr(document, name)
            if document.REFERENCES.get(name) == kind:
                if held == old:
                    changes[name] = new
                elif isinstance(held, list) and old in held:
                    changes[name] = [new if one == old else one for one in held]
            elif name in document.GIVEN:
                if kind == _STANDING and held == {"standing": old}:
                    changes[name] = {"standing": new}
            elif name in document.GIVEN_BY_NAME:
                if kind == _STANDING and {"standing": old} in held.values():
                    changes[name] = {
                        key: {"standing": new} if one == {"standing": old} else one for key, one in held.items()
                    }
            elif (other := renamed(held, kind, old, new)) is not held:
                changes[name] = other
        return structs.replace(document, **changes) if changes else document
    if isinstance(document, list | tuple):
        others = [renamed(one, kind, old, new) for one in document]
        is_same = all(one is other for one, other in zip(document, others, strict=True))
        return document if is_same else type(document)(others)
    if isinstance(document, dict):
        found = {name: renamed(one, kind, old, new) for name, one in document.items()}
        return document if all(found[name] is one for name, one in document.items()) else found
    return document
