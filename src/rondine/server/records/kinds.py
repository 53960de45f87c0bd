"""The kinds of items around records."""

from collections.abc import Collection, Iterable, Sequence
from typing import Any

from django.db.models import prefetch_related_objects

from rondine.core.errors import Problem
from rondine.core.mapping.document import (
    RecordTypeDocument,
    link_problems,
    record_type_problems,
)
from rondine.core.settings import dump
from rondine.server.items.kinds import ItemKind
from rondine.server.items.models import Item
from rondine.server.items.references import users_of
from rondine.server.records.models import RecordType
from rondine.server.records.sql_views import queue_views
from rondine.server.releases.configuration import Configuration


def record_types_of(project_id: int) -> dict[str, RecordTypeDocument]:
    return {record_type.name: record_type.loaded() for record_type in RecordType.objects.filter(project_id=project_id)}


def record_types_in(configuration: Configuration, names: Collection[str]) -> dict[str, Any]:
    """What a run's content has of the record types that it fills: their documents, and [id, version] of each, by the
    names that they have in its environment."""
    items = {item.name: item for item in configuration.items(RECORD_TYPES) if item.name in names}
    return {
        "record_types": {name: dump(items[name].loaded()) for name in names},
        "record_type_versions": {name: [str(items[name].pk), items[name].version] for name in names},
    }


def _record_type(item: RecordType) -> list[Problem]:
    document: RecordTypeDocument = item.loaded()
    problems = record_type_problems(document)
    if document.links:
        problems += link_problems(document, {**record_types_of(item.project_id), item.name: document})
    return problems


def users_of_record_types(items: Sequence[RecordType]) -> list[list[dict[str, str]]]:
    """What a change of each reaches: mappings that fill it, the feeds that use them, and record types whose records
    belong to its. Of one project."""
    users = users_of(RECORD_TYPES, {one.project_id for one in items}, {record_type.name for record_type in items})
    mappings = {user.pk: user for pairs in users.values() for kind, user in pairs if kind.name == "mappings"}
    prefetch_related_objects(list(mappings.values()), "feeds")
    lines = []
    for item in items:
        filling = [mappings[user.pk] for kind, user in users[item.name] if kind.name == "mappings"]
        lines.append(
            [
                *use_lines("mapping", filling),
                *use_lines("feed", (feed for one in filling for feed in one.feeds.all())),  # type: ignore[attr-defined]
                *use_lines("record type", (user for kind, user in users[item.name] if kind is RECORD_TYPES)),
            ]
        )
    return lines


def use_lines(kind: str, items: Iterable[Item]) -> list[dict[str, str]]:
    return [{"kind": kind, "name": one.name} for one in sorted(items, key=lambda one: one.name)]


RECORD_TYPES = ItemKind(
    "record-types",
    "record type",
    RecordType,
    RecordTypeDocument,
    problems=_record_type,
    changed=lambda items: queue_views(),
)
