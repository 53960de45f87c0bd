"""Searching a project for a text: in the names, titles and settings of all items, in kept records by their keys, and in
runs by their numbers."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from django.db.models import Q, TextField
from django.db.models.functions import Cast

from rondine.core.documents.json import pointer_text
from rondine.core.mapping.row_encoding import key_digest, key_text
from rondine.server.access.models import Project
from rondine.server.items.kinds import KINDS, ItemKind
from rondine.server.records.models import Record, RecordSet
from rondine.server.runs.models import Run

#: Items of one kind that are told; records and runs.
MOST_OF_A_KIND, MOST_OTHERS = 20, 10


@dataclass(frozen=True, slots=True)
class Found:
    """kind: of an item, as in addresses; records or runs.  name: of an item; a run's number.  where: name, title, or
    the place in the settings that has the text.  text: what stands there.  environment, record_type, key: of a
    record."""

    kind: str
    word: str
    name: str
    title: str
    where: str
    text: str
    environment: str = ""
    record_type: str = ""
    key: str = ""


@dataclass(frozen=True, slots=True)
class Search:
    """is_all: no more than these have the text."""

    items: list[Found]
    is_all: bool


def search(project: Project, text: str) -> Search:
    """What has a text, in small and capital letters alike; items whose names have it come first."""
    found: list[Found] = []
    is_all = True
    for kind in KINDS.values():
        items = kind.model._default_manager.filter(project=project)
        items = items.annotate(settings_text=Cast("document", TextField()))
        has = Q(name__icontains=text) | Q(title__icontains=text) | Q(settings_text__icontains=text)
        some = list(items.filter(has).order_by("name")[: MOST_OF_A_KIND + 1])
        is_all = is_all and len(some) <= MOST_OF_A_KIND
        found += [_found(kind, item, text) for item in some[:MOST_OF_A_KIND]]
    ranks = {"name": 0, "title": 1}
    found.sort(key=lambda one: ranks.get(one.where, 2))
    return Search([*_records(project, text), *_runs(project, text), *found], is_all)


def _found(kind: ItemKind, item: Any, text: str) -> Found:
    wanted = text.casefold()
    if wanted in item.name.casefold():
        where, words = "name", item.name
    elif wanted in item.title.casefold():
        where, words = "title", item.title
    else:
        where, words = next(_places(item.document, wanted, ()), ("settings", ""))
    return Found(kind.name, kind.word, item.name, item.title, where, words[:200])


def _places(value: Any, wanted: str, location: tuple[str | int, ...]) -> Iterator[tuple[str, str]]:
    """(pointer, text) of the values, and the names of members, that have a text."""
    if isinstance(value, dict):
        for name, one in value.items():
            if wanted in name.casefold():
                yield pointer_text((*location, name)), name
            yield from _places(one, wanted, (*location, name))
    elif isinstance(value, list):
        for number, one in enumerate(value):
            yield from _places(one, wanted, (*location, number))
    elif value is not None and wanted in str(value).casefold():
        yield pointer_text(location), str(value)


def _records(project: Project, text: str) -> Iterator[Found]:
    """Kept records whose key is the text."""
    sets = RecordSet.objects.select_related("environment", "record_type").filter(environment__project=project)
    keys: list[Any] = [text]
    if text.isascii() and text.isdecimal() and len(text) <= 18:
        keys.append(int(text))
    digests = [key_digest(key_text([key])) for key in keys]
    for records in sets:
        ids = Record.objects.ids_of(records.pk, digests)
        for record in Record.objects.filter(pk__in=ids)[:MOST_OTHERS]:
            name = records.record_type.name
            place = records.environment.name
            yield Found("records", "record", text, "", "key", record.key, place, name, text)


def _runs(project: Project, text: str) -> Iterator[Found]:
    """The run of this number."""
    if text.isascii() and text.isdecimal() and len(text) <= 18:
        for run in Run.objects.filter(project=project, pk=int(text)):
            yield Found("runs", "run", text, run.title, "number", run.state)
