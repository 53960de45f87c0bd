"""Proposals of bindings, from the operations of a mapping's service."""

from collections.abc import Iterator, Mapping
from typing import Any

from rondine.core.errors import DocumentError, InputError, did_you_mean
from rondine.core.live.asking import Fields
from rondine.core.live.checking import output_of
from rondine.core.live.document import Role
from rondine.core.live.proposing import Known, Proposed, propose_binding
from rondine.core.schema import infer, to_json_schema
from rondine.core.schema.json_schema import Schema
from rondine.server.access.models import Project
from rondine.server.items.actions import find_item
from rondine.server.mappings.kinds import MAPPINGS, mappings_of, resolved_mapping
from rondine.server.operations.kinds import with_queries
from rondine.server.operations.models import Operation
from rondine.server.operations.trials import schemas_of
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.runs.bodies import document_of
from rondine.server.runs.models import Call

#: Bytes of an answer that is read to see what it holds.
MOST_READ = 5_000_000


def mappings_for(project: Project, record_type: str) -> list[str]:
    """The mappings that fill a record type, by name."""
    found = mappings_of(project.pk)
    return sorted(name for name, document in found.items() if output_of(document, record_type) is not None)


def proposal_for(project: Project, record_type: str, mapping: str, chosen: Mapping[Role, str]) -> Proposed:
    """mapping: empty for the only one there is. Raises InputError if it cannot be told which."""
    item = find_item(RECORD_TYPES, project, record_type)
    names = mappings_for(project, record_type)
    if not mapping:
        if len(names) != 1:
            words = "no mapping fills it" if not names else f"several mappings fill it: {', '.join(names)}"
            hint = "try an operation, and map what comes back" if not names else "say which one"
            raise InputError(f"record type {record_type}: {words}", where="/mapping", hint=hint)
        mapping = names[0]
    held = find_item(MAPPINGS, project, mapping)
    document = resolved_mapping(project.pk, held.loaded(), held.name)
    output = output_of(document, record_type)
    if output is None:
        words = f'mapping "{mapping}" fills no {record_type}'
        raise InputError(words, where="/mapping", hint=did_you_mean(mapping, names) or "take another one")
    known = list(_known(project, held.service_id))
    for role, name in chosen.items():
        if name not in {one.name for one in known}:
            hint = did_you_mean(name, [one.name for one in known])
            raise InputError(f'the service has no operation "{name}"', where=f"/operations/{role}", hint=hint)
    fields = Fields(item.loaded(), output, document.format)
    return propose_binding(record_type, mapping, fields, known, chosen=chosen)


def _known(project: Project, service_id: Any) -> Iterator[Known]:
    """The operations of a service; one that no definition describes, by what it answered the last time."""
    schemas: dict[str, Any] = {}
    for operation in Operation.objects.filter(service=service_id).order_by("name"):
        document = with_queries(operation.loaded(), project.pk)
        if not document.enabled or document.deprecated:
            continue
        name = document.came_from.definition if document.came_from is not None else ""
        if name not in schemas:
            schemas[name] = schemas_of(project.pk, name)
        answered, given = _last_answer(operation)
        yield Known(operation.name, document, schemas[name], answered, given)


def _last_answer(operation: Operation) -> tuple[Schema | None, dict[str, Any]]:
    """The schema of what an operation answered the last time, and the values that its inputs had."""
    calls = Call.objects.filter(run__operation=operation, status__gte=200, status__lt=300, body__size__lte=MOST_READ)
    call = calls.select_related("body", "run").order_by("-id").first()
    if call is None or call.body is None:
        return None, {}
    given = dict(call.run.inputs or {})
    try:
        read = document_of(call.body)
    except DocumentError:
        return None, given
    if read.value is None or read.is_xml:
        return None, given
    return to_json_schema(infer([read.value])), given
