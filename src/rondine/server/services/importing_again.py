"""Importing again: what a definition says otherwise than before, shown with what it touches before anything of it is taken."""

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction
from msgspec import structs

from rondine.core.connection import ConnectionDocument
from rondine.core.definitions import Definition as Read
from rondine.core.definitions.compare import Difference, Merged, fields_of, merged
from rondine.core.definitions.model import schemas_needed
from rondine.core.errors import (
    Conflict,
    InputError,
    did_you_mean,
)
from rondine.core.protocols.operation import CameFrom, OperationDocument
from rondine.core.settings import dump, load
from rondine.server.access.models import Person, Project
from rondine.server.items.actions import change_item, find_item, make_item
from rondine.server.records.models import Feed
from rondine.server.services.importing import as_imported, described, free_names, store_files
from rondine.server.services.kinds import DEFINITIONS, OPERATIONS
from rondine.server.services.models import (
    Connection,
    Definition,
    Operation,
)
from rondine.server.services.sources import Source, read, stored_source


@dataclass(frozen=True, slots=True)
class Change:
    """One operation, or schema that stands alone, of which the definition says otherwise than before. kind: added, removed or changed.  name: of
    the operation here, empty if it is not imported or no operation.  used_by: what may be hit.
    """

    kind: str
    key: str
    name: str
    title: str
    merged: Merged | None
    used_by: list[str]
    schema: str = ""


@dataclass(frozen=True, slots=True)
class Comparison:
    source: Source
    definition: Read
    changes: list[Change]
    unchanged: int


def compare(project: Project, name: str, source: Source) -> Comparison:
    """What has changed since it was imported, of imported operations and new ones; nothing is written."""
    item: Definition = find_item(DEFINITIONS, project, name)
    found = read(source)
    now = {one.key: one for one in found.operations}
    before = read(stored_source(item))
    held = {
        one.document["came_from"]["key"]: one
        for one in Operation.objects.filter(project=project, document__came_from__definition=name)
    }
    changes: list[Change] = []
    unchanged = 0
    for key, operation in held.items():
        users = used_by(operation)
        if key not in now:
            if operation.document.get("enabled", True):
                changes.append(Change("removed", key, operation.name, operation.title, None, users))
            continue
        offered = load(OperationDocument, item.offered.get(key, {}))
        own = load(OperationDocument, operation.document)
        result = merged(offered, now[key].document, own, item.schemas, found.schemas)
        if result.differences:
            changes.append(Change("changed", key, operation.name, operation.title, result, users))
        else:
            unchanged += 1
    known = {one.key for one in before.operations} | set(held)
    changes += [Change("added", key, "", one.title, None, []) for key, one in now.items() if key not in known]
    schemas = _schema_changes(project, item, found)
    return Comparison(source, found, [*changes, *schemas], unchanged + len(found.roots) - len(schemas))


def _schema_changes(project: Project, item: Definition, found: Read) -> list[Change]:
    """What a schema or sample that stands alone says otherwise, by field."""
    before = item.document.get("roots", [])
    users: list[str] = []
    for one in Operation.objects.filter(project=project, document__responses__contains=[{"definition": item.name}]):
        users += [f"operation {one.name}", *used_by(one)]
    changes = []
    for root in dict.fromkeys([*before, *found.roots]):
        reference = {"$ref": f"#/$defs/{root}"}
        was = fields_of(reference, item.schemas) if root in before else {}
        now = fields_of(reference, found.schemas) if root in found.roots else {}
        differ = [
            Difference(path, was.get(path), now.get(path)) for path in {**was, **now} if was.get(path) != now.get(path)
        ]
        if differ:
            kind = (
                "changed" if root in before and root in found.roots else "added" if root in found.roots else "removed"
            )
            result = Merged(OperationDocument(), differ)
            changes.append(Change(kind, f"schema {root}", "", root, result, list(dict.fromkeys(users)), schema=root))
    return changes


def used_by(operation: Operation) -> list[str]:
    """What uses an operation: feeds with their mappings, connections that sign in by it."""
    found = []
    for feed in Feed.objects.filter(operation=operation).select_related("mapping"):
        found += [f"feed {feed.name}", f"mapping {feed.mapping.name}"]
    for connection in Connection.objects.filter(service=operation.service_id):
        document: ConnectionDocument = load(ConnectionDocument, connection.document)
        if getattr(document.sign_in, "operation", "") == operation.name or document.own_sign_in(operation.name):
            found.append(f"connection {connection.name}")
    return list(dict.fromkeys(found))


def update(
    project: Project,
    person: Person,
    role: str,
    name: str,
    source: Source,
    *,
    accept: Sequence[str] | None,
    add: Sequence[str],
    seen_hash: str = "",
) -> Comparison:
    """Takes the accepted changes (keys; None for all of imported operations), adds new operations, and keeps the definition as it is now.

    Removed operations stay, disabled: what uses them says so instead of failing. All of it is written, or nothing.
    """
    if seen_hash and seen_hash != source.hash:
        raise Conflict("the definition has changed since it was compared", where="/hash", hint="compare it again")
    found = compare(project, name, source)
    changes = {one.key: one for one in found.changes}
    for key in [*(accept or []), *add]:
        if key not in changes:
            raise InputError(f'nothing has changed at "{key[:120]}"', where="/accept", hint=did_you_mean(key, changes))
    now = {one.key: one for one in found.definition.operations}
    chosen, adding = set(accept or ()), set(add)
    taken = [one for one in found.changes if one.kind != "added" and (accept is None or one.key in chosen)]
    with transaction.atomic():
        item: Definition = find_item(DEFINITIONS, project, name)
        why = f"imported again: {found.definition.title} {found.definition.version}".strip()
        for change in taken:
            if change.schema:
                continue  # it belongs to no operation; the schemas are taken below
            operation = Operation.objects.get(project=project, name=change.name)
            document = dict(operation.document)
            if change.merged is None:
                document["enabled"] = False
            else:
                fresh = now[change.key]
                came_from = CameFrom(definition=name, pointer=fresh.pointer, key=fresh.key)
                document = dump(structs.replace(change.merged.document, came_from=came_from))
            content = {"document": document, "why": why}
            change_item(OPERATIONS, project, person, operation.name, content, operation.version, role=role)
        names, _ = free_names(project, found.definition, item.service.name)
        for one in found.definition.operations:
            if one.key not in adding:
                continue
            content = {
                "name": names[one.key],
                "title": one.title,
                "service": item.service.name,
                "document": dump(as_imported(one, name)),
            }
            make_item(OPERATIONS, project, person, content, role=role)
        accepted = {one.key for one in taken} | adding
        _accept(item, found, accepted)
        store_files(item, source)
        content = {"document": dump(described(source, found.definition)), "why": why}
        change_item(DEFINITIONS, project, person, name, content, item.version, role=role)
    return found


def _accept(item: Definition, found: Comparison, accepted: set[str]) -> None:
    now = {one.key: one for one in found.definition.operations}
    offered = {key: one for key, one in item.offered.items() if key not in accepted}
    offered |= {key: dump(now[key].document) for key in accepted if key in now}
    item.offered = offered
    documents = [load(OperationDocument, one) for one in offered.values()]
    if found.definition.roots and accepted:
        item.schemas = dict(found.definition.schemas)
    item.schemas = {**item.schemas, **schemas_needed(documents, found.definition.schemas)}
    item.save(update_fields=["offered", "schemas"])
