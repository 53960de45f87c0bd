"""Importing again: what has changed in a definition, shown with what it touches before anything of it is
taken."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from django.db import transaction
from msgspec import structs

from rondine.core.definitions import Definition as Read
from rondine.core.definitions.compare import Difference, Merged, is_same, merged
from rondine.core.definitions.compare_schemas import SchemaComparison
from rondine.core.definitions.model import schemas_needed
from rondine.core.errors import (
    Conflict,
    InputError,
    did_you_mean,
)
from rondine.core.operations.document import CameFrom, OperationDocument
from rondine.core.schema.json_schema import Schema, fields_of
from rondine.core.settings import dump, load
from rondine.server.access.models import Person, Project
from rondine.server.connecting.models import Connection
from rondine.server.definitions.importing import as_imported, described, free_names, store_files
from rondine.server.definitions.sources import Source, read, stored_source
from rondine.server.items.actions import change_item, find_item, make_item
from rondine.server.operations.kinds import DEFINITIONS, OPERATIONS
from rondine.server.operations.models import Definition, Operation


@dataclass(frozen=True, slots=True)
class Change:
    """One operation, or schema that stands alone, whose definition has changed. kind: added,
    removed or changed.  name: of the operation here, empty if it is not imported or no operation.  used_by: what may be
    hit.
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
    source = replace(source, part=source.part or item.document.get("part", ""))
    definition = read(source)
    now = {one.key: one for one in definition.operations}
    is_identical = all(item.document.get(name, "") == getattr(source, name) for name in ("hash", "main", "part"))
    before = definition if is_identical else read(stored_source(item))
    held = {
        one.document["came_from"]["key"]: one
        for one in Operation.objects.filter(project=project, document__came_from__definition=name)
    }
    needed = schemas_needed([now[key].document for key in held if key in now], definition.schemas)
    schemas = SchemaComparison(item.schemas, {name: plainly(one) for name, one in needed.items()})
    changes: list[Change] = []
    unchanged = 0
    for key, operation in held.items():
        if key not in now:
            if operation.document.get("enabled", True):
                changes.append(Change("removed", key, operation.name, operation.title, None, used_by(operation)))
            continue
        offered = load(OperationDocument, item.offered.get(key, {}))
        fresh = load(OperationDocument, dump(now[key].document))
        if is_same(offered, fresh, schemas):
            unchanged += 1
            continue
        result = merged(offered, fresh, operation.loaded(), schemas)
        if result.differences:
            changes.append(Change("changed", key, operation.name, operation.title, result, used_by(operation)))
        else:
            unchanged += 1
    known = {one.key for one in before.operations} | set(held)
    changes += [
        Change("added", key, "", described_operation.title, None, [])
        for key, described_operation in now.items()
        if key not in known
    ]
    alone = _schema_changes(project, item, definition)
    return Comparison(source, definition, [*changes, *alone], unchanged + len(definition.roots) - len(alone))


def _schema_changes(project: Project, item: Definition, found: Read) -> list[Change]:
    """What has changed in a schema or sample that stands alone, by field."""
    before = item.document.get("roots", [])
    if not before and not found.roots:
        return []
    comparison = SchemaComparison(item.schemas, {name: plainly(one) for name, one in found.schemas.items()})
    users: list[str] = []
    for operation in Operation.objects.filter(
        project=project, document__responses__contains=[{"definition": item.name}]
    ):
        users += [f"operation {operation.name}", *used_by(operation)]
    changes = []
    for root in dict.fromkeys([*before, *found.roots]):
        reference = {"$ref": f"#/$defs/{root}"}
        is_in_both = root in before and root in found.roots
        differ = (
            [
                Difference(difference.path or "$", difference.before, difference.now)
                for difference in comparison.differences(reference, reference)
            ]
            if is_in_both
            else _all_fields(reference, item.schemas, found.schemas, is_new=root in found.roots)
        )
        if differ:
            kind = (
                "changed" if root in before and root in found.roots else "added" if root in found.roots else "removed"
            )
            result = Merged(OperationDocument(), differ)
            changes.append(Change(kind, f"schema {root}", "", root, result, list(dict.fromkeys(users)), schema=root))
    return changes


def _all_fields(
    reference: Schema, old: Mapping[str, Schema], new: Mapping[str, Schema], *, is_new: bool
) -> list[Difference]:
    """The fields of a schema that came or is gone."""
    fields = fields_of(reference, new if is_new else old)
    return [Difference(path, None if is_new else words, words if is_new else None) for path, words in fields.items()]


def plainly(schema: Schema) -> Schema:
    """A schema as it is stored, so that both sides have their numbers alike."""
    found: Schema = dump(schema)
    return found


def used_by(operation: Operation) -> list[str]:
    """What uses an operation: feeds with their mappings, connections that sign in by it."""
    found = []
    for feed in operation.feeds.select_related("mapping"):
        found += [f"feed {feed.name}", f"mapping {feed.mapping.name}"]
    for connection in Connection.objects.filter(service=operation.service_id):
        document = connection.loaded()
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
    """Takes the accepted changes (keys; None for all of imported operations), adds new operations, and keeps the
    definition as it is now.

    Removed operations stay, disabled: what uses them says so instead of failing. All of it is written, or nothing.
    """
    if seen_hash and seen_hash != source.hash:
        raise Conflict("the definition has changed since it was compared", where="/hash", hint="compare it again")
    comparison = compare(project, name, source)
    changes = {one.key: one for one in comparison.changes}
    for key in [*(accept or []), *add]:
        if key not in changes:
            raise InputError(f'nothing has changed at "{key[:120]}"', where="/accept", hint=did_you_mean(key, changes))
    now = {one.key: one for one in comparison.definition.operations}
    chosen, adding = set(accept or ()), set(add)
    taken = [one for one in comparison.changes if one.kind != "added" and (accept is None or one.key in chosen)]
    with transaction.atomic():
        item: Definition = find_item(DEFINITIONS, project, name)
        why = f"imported again: {comparison.definition.title} {comparison.definition.version}".strip()
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
        names, _ = free_names(project, comparison.definition, item.service.name)
        for described_operation in comparison.definition.operations:
            if described_operation.key not in adding:
                continue
            content = {
                "name": names[described_operation.key],
                "title": described_operation.title,
                "service": item.service.name,
                "document": dump(as_imported(described_operation, name)),
            }
            make_item(OPERATIONS, project, person, content, role=role)
        accepted = {one.key for one in taken} | adding
        _accept(item, comparison, accepted)
        store_files(item, source)
        content = {"document": dump(described(source, comparison.definition)), "why": why}
        change_item(DEFINITIONS, project, person, name, content, item.version, role=role)
    return comparison


def _accept(item: Definition, found: Comparison, accepted: set[str]) -> None:
    now = {operation.key: operation for operation in found.definition.operations}
    offered = {key: one for key, one in item.offered.items() if key not in accepted}
    offered |= {key: dump(now[key].document) for key in accepted if key in now}
    item.offered = offered
    documents = [load(OperationDocument, one) for one in offered.values()]
    if found.definition.roots and accepted:
        item.schemas = dict(found.definition.schemas)
    item.schemas = {**item.schemas, **schemas_needed(documents, found.definition.schemas)}
    item.save(update_fields=["offered", "schemas"])
