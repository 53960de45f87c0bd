"""The kind of item of mappings."""

from collections import defaultdict
from collections.abc import Sequence

from rondine.core.errors import DraftError, Problem
from rondine.core.mapping.document import (
    MappingDocument,
    problems_of,
    resolved,
)
from rondine.core.settings import load
from rondine.server.connecting.models import Service
from rondine.server.items.actions import KINDS, ItemKind, refresh_problems
from rondine.server.items.models import Item
from rondine.server.mappings.models import Mapping
from rondine.server.records.kinds import grouped_by, record_types_of, use_lines


def resolved_mapping(project_id: int, document: MappingDocument, name: str = "") -> MappingDocument:
    """A mapping with all that it is based on; the database is asked only if it is based on any. name: its own, where it is not stored so yet.

    Raises DraftError.
    """
    if document.based_on is None:
        return document
    known = mappings_of(project_id)
    return resolved(document, {**known, name: document} if name else known)


def mappings_of(project_id: int) -> dict[str, MappingDocument]:
    others = Mapping.objects.filter(project_id=project_id)
    return {one.name: load(MappingDocument, one.document) for one in others}


def _mapping(item: Mapping) -> list[Problem]:
    try:
        document = resolved_mapping(item.project_id, load(MappingDocument, item.document), item.name)
    except DraftError as error:
        return [Problem(error.where, error.message, error.hint)]
    return problems_of(document, record_types_of(item.project_id))


def _based_on(item: Item, name: str) -> list[Mapping]:
    return list(Mapping.objects.filter(project_id=item.project_id, document__based_on=name).exclude(pk=item.pk))


def _mappings_changed(items: Sequence[Item]) -> None:
    for item in items:
        if based := _based_on(item, item.name):
            refresh_problems(MAPPINGS, based)


def users_of_mappings(items: Sequence[Mapping]) -> list[list[dict[str, str]]]:
    """What a change of each reaches: mappings that are based on it, and feeds that use it. Of one project."""
    names = [one.name for one in items]
    others = Mapping.objects.filter(project__in={one.project_id for one in items}, document__based_on__in=names)
    based = defaultdict(list)
    for other in others:
        if other.document["based_on"] != other.name:
            based[other.document["based_on"]].append(other)
    feeds = grouped_by(
        KINDS["feeds"].model._default_manager.filter(mapping__in=[one.pk for one in items]), "mapping_id"
    )
    return [[*use_lines("mapping", based[one.name]), *use_lines("feed", feeds[one.pk])] for one in items]


MAPPINGS = ItemKind(
    "mappings",
    "mapping",
    Mapping,
    MappingDocument,
    {"service": Service},
    problems=_mapping,
    changed=_mappings_changed,
)
