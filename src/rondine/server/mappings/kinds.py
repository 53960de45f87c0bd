"""The kind of item of mappings."""

from collections.abc import Sequence

from django.db.models import prefetch_related_objects

from rondine.core.errors import DraftError, Problem
from rondine.core.mapping.document import (
    MappingDocument,
    problems_of,
    resolved,
)
from rondine.server.connecting.models import Service
from rondine.server.items.kinds import ItemKind
from rondine.server.items.references import users_of
from rondine.server.mappings.models import Mapping
from rondine.server.records.kinds import record_types_of, use_lines
from rondine.server.releases.configuration import Configuration


def resolved_mapping(
    project_id: int, document: MappingDocument, name: str = "", configuration: Configuration | None = None
) -> MappingDocument:
    """A mapping with all that it is based on; the database is asked only if it is based on any. name: its own, where it
    is not stored so yet.  configuration: of the environment that it runs in; None for the draft.

    Raises DraftError.
    """
    if document.based_on is None:
        return document
    known = mappings_of(project_id) if configuration is None else configuration.documents(MAPPINGS)
    return resolved(document, {**known, name: document} if name else known)


def mappings_of(project_id: int) -> dict[str, MappingDocument]:
    others = Mapping.objects.filter(project_id=project_id)
    return {other.name: other.loaded() for other in others}


def _mapping(item: Mapping) -> list[Problem]:
    try:
        document = resolved_mapping(item.project_id, item.loaded(), item.name)
    except DraftError as error:
        return [error.as_problem()]
    return problems_of(document, record_types_of(item.project_id))


def users_of_mappings(items: Sequence[Mapping]) -> list[list[dict[str, str]]]:
    """What a change of each reaches: mappings that are based on it, and feeds that use it. Of one project."""
    users = users_of(MAPPINGS, {item.project_id for item in items}, {item.name for item in items})
    prefetch_related_objects(items, "feeds")
    return [
        [
            *use_lines("mapping", (user for kind, user in users[item.name] if kind is MAPPINGS and user.pk != item.pk)),
            *use_lines("feed", item.feeds.all()),
        ]
        for item in items
    ]


MAPPINGS = ItemKind(
    "mappings",
    "mapping",
    Mapping,
    MappingDocument,
    {"service": Service},
    problems=_mapping,
)
