"""The kinds of items around records."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from functools import reduce
from operator import or_
from typing import Any

from django.db.models import Q

from rondine.core.errors import Problem
from rondine.core.mapping.document import (
    RecordTypeDocument,
    link_problems,
    record_type_problems,
)
from rondine.core.settings import load
from rondine.server.items.actions import KINDS, ItemKind, refresh_problems
from rondine.server.items.models import Item
from rondine.server.records.models import RecordType


def record_types_of(project_id: int) -> dict[str, RecordTypeDocument]:
    return {
        one.name: load(RecordTypeDocument, one.document) for one in RecordType.objects.filter(project_id=project_id)
    }


def _record_type(item: RecordType) -> list[Problem]:
    document: RecordTypeDocument = load(RecordTypeDocument, item.document)
    problems = record_type_problems(document)
    if document.links:
        problems += link_problems(document, {**record_types_of(item.project_id), item.name: document})
    return problems


def users_of_record_types(items: Sequence[RecordType]) -> list[list[dict[str, str]]]:
    """What a change of each reaches: mappings that fill it, the feeds that use them, and record types whose records belong to its. Of one project."""
    names = {one.name for one in items}

    def those_with(model: type[Item], member: str) -> list[tuple[set[str], Item]]:
        """Those of a model that have one of the record types in a list in their documents, and which."""
        place = f"document__{member}__contains"
        any_of = reduce(or_, (Q(**{place: [{"record_type": name}]}) for name in names), Q(pk__in=[]))
        found = model._default_manager.filter(any_of, project_id=items[0].project_id) if items else []
        return [({line["record_type"] for line in one.document[member]}, one) for one in found]

    filling, linked = those_with(KINDS["mappings"].model, "outputs"), those_with(RecordType, "links")
    feeds = grouped_by(
        KINDS["feeds"].model._default_manager.filter(mapping__in=[one.pk for _, one in filling]), "mapping_id"
    )
    users = []
    for item in items:
        mappings = [one for types, one in filling if item.name in types]
        users.append(
            [
                *use_lines("mapping", mappings),
                *use_lines("feed", (feed for one in mappings for feed in feeds[one.pk])),
                *use_lines("record type", (one for types, one in linked if item.name in types)),
            ]
        )
    return users


def grouped_by(found: Iterable[Any], attribute: str) -> defaultdict[Any, list[Any]]:
    grouped = defaultdict(list)
    for one in found:
        grouped[getattr(one, attribute)].append(one)
    return grouped


def use_lines(kind: str, items: Iterable[Item]) -> list[dict[str, str]]:
    return [{"kind": kind, "name": one.name} for one in sorted(items, key=lambda one: one.name)]


def _record_types_changed(items: Sequence[Item]) -> None:
    project_id = items[0].project_id
    refresh_problems(KINDS["mappings"], KINDS["mappings"].model._default_manager.filter(project_id=project_id))
    linked = RecordType.objects.filter(project_id=project_id, document__links__0__isnull=False)
    refresh_problems(RECORD_TYPES, linked.exclude(pk__in=[one.pk for one in items]))


RECORD_TYPES = ItemKind(
    "record-types",
    "record type",
    RecordType,
    RecordTypeDocument,
    problems=_record_type,
    changed=_record_types_changed,
)
