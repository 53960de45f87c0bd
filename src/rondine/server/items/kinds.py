"""Kinds of items: what tells one from another."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db import models

from rondine.core.errors import Problem
from rondine.server.access.models import Person
from rondine.server.items.models import Item

#: All kinds, by name.
KINDS: "dict[str, ItemKind]" = {}
#: Asked before an item is removed: each gives what holds it besides other items, in words.
HOLDERS: "list[Callable[[ItemKind, Item], list[str]]]" = []


@dataclass(frozen=True)
class ItemKind:
    """name: in URLs, plural.  word: for one, in messages.  document: its class in the core.  references: field -> model
    of the same project, given by name.  problems: what keeps an item from running.  renamed: rewrites what holds its
    name besides documents, which declare it (`core/items/references.py`).  changed: after every change, also of many of
    one project at once. made: after one was made, by whom and in which role.  admitted: before one is judged and saved,
    by whom and in which role.  environments: those that a change (from the document before, None if new or removed)
    touches.  made_by: the words of the command that makes one, if not its word and make.  owns: kinds whose items go
    with one without a word, as they tell of nothing else."""

    name: str
    word: str
    model: type[Item]
    document: Any
    references: Mapping[str, type[models.Model]] = field(default_factory=dict)
    optional: frozenset[str] = frozenset()
    problems: Callable[[Any], list[Problem]] = lambda item: []
    renamed: Callable[[Item, str], None] = lambda item, old: None
    changed: Callable[[Sequence[Any]], None] = lambda items: None
    made: Callable[[Any, Person | None, str | None], None] = lambda item, person, role: None
    admitted: Callable[[Any, Person | None, str | None], None] = lambda item, person, role: None
    environments: Callable[[Any, Any], list[Any]] = lambda item, before: (
        [item.environment] if "environment" in {field.name for field in item._meta.fields} else []
    )
    made_by: str = ""
    owns: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        KINDS[self.name] = self

    def fields_for(self, model: type[models.Model]) -> list[str]:
        """The fields in which one refers to things of a model."""
        return [field for field, target in self.references.items() if target is model]

    def belongs_by(self, field: str) -> bool:
        """Whether one goes when what its field refers to goes."""
        relation: Any = self.model._meta.get_field(field).remote_field
        return bool(relation.on_delete is models.CASCADE)

    @property
    def command(self) -> str:
        """That makes one."""
        return f"rondine {self.made_by or self.word.replace(' ', '-') + ' make'}"
