"""Fixed values left in a project's operations and mappings, and each given a name in one action."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from rondine.core.errors import Conflict
from rondine.core.names import check_name, proposed_name
from rondine.core.protocols.fixed_values import FixedValue, fixed_values, make_input, make_standing
from rondine.core.settings import dump
from rondine.server.access.models import Person, Project
from rondine.server.connecting.kinds import STANDING_VALUES
from rondine.server.connecting.models import Environment, StandingValue
from rondine.server.items.actions import change_item, find_item, make_item
from rondine.server.items.kinds import ItemKind
from rondine.server.mappings.kinds import MAPPINGS
from rondine.server.operations.kinds import OPERATIONS

#: Kinds of items that have fixed values, by their words.
KINDS: dict[str, ItemKind] = {kind.word: kind for kind in (OPERATIONS, MAPPINGS)}
#: What is shown of a long value, in characters.
SHOWN = 200


@dataclass(frozen=True, slots=True)
class FixedValueOf:
    """kind: the item's word.  version: of the item.  becomes: input, or standing value."""

    kind: str
    item: str
    version: int
    place: str
    name: str
    value: str
    is_guess: bool
    becomes: str


@dataclass(frozen=True, slots=True)
class NamedValue:
    """What a fixed value was replaced by. version: of the item now."""

    kind: str
    item: str
    version: int
    becomes: str
    name: str


def fixed_values_of(project: Project) -> Iterator[FixedValueOf]:
    for kind in KINDS.values():
        items = kind.model._default_manager.filter(project=project).order_by("name")
        for item in items.iterator(200):
            for fixed in fixed_values(item.loaded()):
                yield _shown(kind, item, fixed)


def _shown(kind: ItemKind, item: Any, fixed: FixedValue) -> FixedValueOf:
    becomes = "input" if kind is OPERATIONS else "standing value"
    value = fixed.value if len(fixed.value) <= SHOWN else fixed.value[:SHOWN] + "…"
    return FixedValueOf(kind.word, item.name, item.version, fixed.place, fixed.name, value, fixed.is_guess, becomes)


@dataclass(frozen=True, slots=True)
class ValueToName:
    """kind: the item's word.  name: of the input, or the standing value; empty for a proposed one."""

    kind: str
    item: str
    place: str
    name: str = ""


def name_value(project: Project, person: Person, role: str, wanted: ValueToName, version: int | None) -> NamedValue:
    """Puts an input in place of a fixed value of an operation, or a standing value in place of one of a mapping: it
    asks for, and keeps, the same as before. version: of the item, as it was seen.

    Raises NotFound if no fixed value is there, InputError if it would be sent otherwise, Conflict for a standing value
    that is there already, and what `change_item` raises."""
    kind = KINDS[wanted.kind]
    item = find_item(kind, project, wanted.item)
    with transaction.atomic():
        if kind is OPERATIONS:
            operation, name = make_input(item.loaded(), wanted.place, wanted.name)
            becomes, document = "input", dump(operation)
        else:
            name = wanted.name or proposed_name(_name_of(item, wanted.place), taken=_standing_names(project))
            mapping, value = make_standing(item.loaded(), wanted.place, check_name(name))
            becomes, document = "standing value", dump(mapping)
            _set_everywhere(project, person, role, name, value)
        data = {"document": document, "why": f"{becomes} {name} in place of a fixed value"}
        changed = change_item(kind, project, person, wanted.item, data, version, role=role)
    return NamedValue(wanted.kind, changed.name, changed.version, becomes, name)


def _set_everywhere(project: Project, person: Person, role: str, name: str, value: Any) -> None:
    if name in _standing_names(project):
        words = f'there is a standing value "{name}" already'
        raise Conflict(words, where="/name", hint="take another name, or refer to that one in the mapping")
    environments = Environment.objects.filter(project=project).values_list("name", flat=True)
    document = {"values": dict.fromkeys(environments, value)}
    make_item(STANDING_VALUES, project, person, {"name": name, "document": document}, role=role)


def _name_of(item: Any, place: str) -> str:
    return next((one.name for one in fixed_values(item.loaded()) if one.place == place), "value")


def _standing_names(project: Project) -> set[str]:
    return set(StandingValue.objects.filter(project=project).values_list("name", flat=True))
