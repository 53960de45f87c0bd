"""The kinds of items around records."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from functools import reduce
from operator import or_
from typing import Any

from django.db.models import Q

from rondine.core.errors import DraftError, InputError, Problem
from rondine.core.items.feed import FeedDocument
from rondine.core.mapping.document import (
    MappingDocument,
    RecordTypeDocument,
    link_problems,
    problems_of,
    record_type_problems,
    resolved,
)
from rondine.core.operations.document import OperationDocument, is_reading
from rondine.core.operations.inputs import checked_inputs
from rondine.core.settings import load
from rondine.server.access.models import Person
from rondine.server.items.actions import ItemKind, refresh_problems
from rondine.server.items.models import Item
from rondine.server.records.models import Feed, Mapping, RecordType
from rondine.server.services.adopting import adopt_paging
from rondine.server.services.models import Environment, Operation, Service


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


def users_of_record_types(items: Sequence[RecordType]) -> list[list[dict[str, str]]]:
    """What a change of each reaches: mappings that fill it, the feeds that use them, and record types whose records belong to its. Of one project."""
    names = {one.name for one in items}

    def those_with(model: type[Item], member: str) -> list[tuple[set[str], Item]]:
        """Those of a model that have one of the record types in a list in their documents, and which."""
        place = f"document__{member}__contains"
        any_of = reduce(or_, (Q(**{place: [{"record_type": name}]}) for name in names), Q(pk__in=[]))
        found = model._default_manager.filter(any_of, project_id=items[0].project_id) if items else []
        return [({line["record_type"] for line in one.document[member]}, one) for one in found]

    filling, linked = those_with(Mapping, "outputs"), those_with(RecordType, "links")
    feeds = _by(Feed.objects.filter(mapping__in=[one.pk for _, one in filling]), "mapping_id")
    users = []
    for item in items:
        mappings = [one for types, one in filling if item.name in types]
        users.append(
            [
                *_lines("mapping", mappings),
                *_lines("feed", (feed for one in mappings for feed in feeds[one.pk])),
                *_lines("record type", (one for types, one in linked if item.name in types)),
            ]
        )
    return users


def users_of_mappings(items: Sequence[Mapping]) -> list[list[dict[str, str]]]:
    """What a change of each reaches: mappings that are based on it, and feeds that use it. Of one project."""
    names = [one.name for one in items]
    others = Mapping.objects.filter(project__in={one.project_id for one in items}, document__based_on__in=names)
    based = defaultdict(list)
    for other in others:
        if other.document["based_on"] != other.name:
            based[other.document["based_on"]].append(other)
    feeds = _by(Feed.objects.filter(mapping__in=[one.pk for one in items]), "mapping_id")
    return [[*_lines("mapping", based[one.name]), *_lines("feed", feeds[one.pk])] for one in items]


def _by(found: Iterable[Any], attribute: str) -> defaultdict[Any, list[Any]]:
    grouped = defaultdict(list)
    for one in found:
        grouped[getattr(one, attribute)].append(one)
    return grouped


def _lines(kind: str, items: Iterable[Item]) -> list[dict[str, str]]:
    return [{"kind": kind, "name": one.name} for one in sorted(items, key=lambda one: one.name)]


def _feed(item: Feed) -> list[Problem]:
    problems = []
    operation: OperationDocument = load(OperationDocument, item.operation.document)
    feed: FeedDocument = load(FeedDocument, item.document)
    try:
        checked_inputs(operation.inputs, feed.inputs)
    except InputError as error:
        problems += [Problem(f"/inputs{one.where}", one.message, one.hint) for one in error.problems]
    if not is_reading(operation) or operation.method in ("HEAD", "OPTIONS"):
        problems.append(
            Problem(
                "/operation",
                f"{item.operation.name} is a {operation.method}, and a feed only reads",
                "take one that reads",
            )
        )
    if item.operation.problems:
        problems.append(
            Problem(
                "/operation",
                f'operation "{item.operation.name}" is not ready: {item.operation.problems[0]["message"]}',
                "mend it first",
            )
        )
    if item.mapping.problems:
        problems.append(
            Problem(
                "/mapping",
                f'mapping "{item.mapping.name}" is not ready: {item.mapping.problems[0]["message"]}',
                "mend it first",
            )
        )
    if item.mapping.service_id != item.operation.service_id:
        problems.append(
            Problem(
                "/mapping",
                f'mapping "{item.mapping.name}" belongs to another service than the operation',
                "take a mapping of the same service",
            )
        )
    return problems


def _record_types_changed(items: Sequence[Item]) -> None:
    project_id = items[0].project_id
    refresh_problems(MAPPINGS, Mapping.objects.filter(project_id=project_id))
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
MAPPINGS = ItemKind(
    "mappings",
    "mapping",
    Mapping,
    MappingDocument,
    {"service": Service},
    problems=_mapping,
    changed=_mappings_changed,
)


def _feed_made(item: Feed, person: Person | None, role: str | None) -> None:
    """A feed brings all rows: its operation follows the paging that its responses have shown."""
    adopt_paging(item.operation, person, role, why=f'recognised when feed "{item.name}" was made')


FEEDS = ItemKind(
    "feeds",
    "feed",
    Feed,
    FeedDocument,
    {"operation": Operation, "mapping": Mapping, "environment": Environment},
    problems=_feed,
    made=_feed_made,
)
