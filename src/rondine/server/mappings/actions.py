"""From a response to records, before anything is kept: outlines, comparisons, proposals and previews."""

from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID

from rondine.core.definitions.declared import Declared, declared_of
from rondine.core.documents import ReadDocument
from rondine.core.errors import InputError, did_you_mean
from rondine.core.mapping.compile import check_format, compile_mapping
from rondine.core.mapping.coverage import coverage
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.fitting import Fitted, fit
from rondine.core.mapping.propose import propose
from rondine.core.operations.document import response_for
from rondine.core.schema import Correction, decided_keys, document_outline, infer, to_json_schema
from rondine.core.schema.compare import compare_outlines
from rondine.core.schema.compare_values import MOST_TOLD, compare_documents
from rondine.core.settings import load
from rondine.server.access.models import Project
from rondine.server.mappings.kinds import resolved_mapping
from rondine.server.operations.models import Sample
from rondine.server.operations.trials import described_schemas, likely_rows
from rondine.server.records.actions import inputs_of, shown_trace
from rondine.server.records.kinds import record_types_of
from rondine.server.records.models import RecordSet
from rondine.server.runs.bodies import body_of, document_to_look_at, read_for
from rondine.server.runs.models import Call

#: Rows shown in a preview; the counts cover all.
SHOWN = 200


def stored(project: Project, bodies: Sequence[str]) -> list[ReadDocument]:
    """Stored bodies, read."""
    return [document_to_look_at(body_of(project, body)) for body in bodies]


def _is_xml(documents: Sequence[ReadDocument]) -> bool:
    """Whether documents, which have to be of one format, are XML."""
    if len({document.is_xml for document in documents}) > 1:
        raise InputError("some bodies are XML and some are JSON", where="/bodies", hint="choose those of one format")
    return documents[0].is_xml


def structure_comparison_of(
    before: Sequence[ReadDocument], after: Sequence[ReadDocument], corrections: list[Any]
) -> dict[str, Any]:
    """What newer documents have that older ones do not allow, by path. after: of XML, read with the prefixes of the
    first of the older."""
    is_xml = _is_xml((*before, *after))
    corrected = load(list[Correction], corrections, where="/corrections")
    keys = decided_keys(corrected)
    lines = [
        document_outline(
            infer([document.value for document in documents], is_xml=is_xml, keys=keys), corrected, is_xml=is_xml
        )
        for documents in (before, after)
    ]
    structure_differences = compare_outlines(*lines)
    return {"differences": structure_differences, "is_all": len(structure_differences) < MOST_TOLD}


def outline_of(documents: Sequence[ReadDocument], corrections: list[Any]) -> dict[str, Any]:
    """The schema of one or more documents: its lines for people and as JSON Schema."""
    is_xml = _is_xml(documents)
    corrected = load(list[Correction], corrections, where="/corrections")
    shape = infer([document.value for document in documents], is_xml=is_xml, keys=decided_keys(corrected))
    namespaces = {prefix: uri for document in documents for prefix, uri in document.namespaces.items()}
    return {
        "lines": document_outline(shape, corrected, is_xml=is_xml),
        "schema": to_json_schema(shape, is_xml=is_xml, namespaces=namespaces),
        "row_choices": likely_rows(documents[0], corrected, shape if len(documents) == 1 else None),
        "namespaces": namespaces,
    }


def comparison_of(before: ReadDocument, after: ReadDocument) -> dict[str, Any]:
    """What differs in the second of two documents, by place. after: read with the prefixes of the first."""
    value_differences = compare_documents(before, after)
    return {"differences": value_differences, "is_all": len(value_differences) < MOST_TOLD}


NOTHING_DECLARED = Declared()


def declared_for(project: Project, body: UUID, rows: Sequence[str]) -> Declared:
    """What a definition says of the rows of a stored response, by its operation; nothing, if it has none or says
    nothing."""
    call = (
        Call.objects.filter(body=body).select_related("run__operation", "run__feed__operation").order_by("id").first()
    )
    sample = Sample.objects.filter(body=body).select_related("operation").first()
    operation = sample.operation if sample is not None else None
    if operation is None and call is not None:
        operation = call.run.operation or (call.run.feed.operation if call.run.feed else None)
    if operation is None:
        return Declared()
    described = response_for(operation.loaded(), (call.status if call else None) or 200)
    if described is None or described.schema is None or any(not path.startswith("$") for path in rows):
        return Declared()
    return declared_of(described.schema, described_schemas(project.pk, operation, described), rows)


def proposal(
    project: Project, documents: Sequence[ReadDocument], data: Mapping[str, Any], declared: Declared = NOTHING_DECLARED
) -> dict[str, Any]:
    """A record type and a mapping for what was pointed at. declared: what a definition says of it."""
    made = propose(
        documents,
        rows=data["rows"],
        name=data["name"],
        take=data.get("take"),
        corrections=load(list[Correction], data.get("corrections") or [], where="/corrections"),
        rule=project.naming_rule(),
        types=declared.types,
        declared_key=declared.key,
    )
    fitted = Fitted(made, (), ())
    if data.get("onto"):
        name = data["name"]
        known = record_types_of(project.pk)
        if name not in known:
            hint = did_you_mean(name, known) or "leave onto out, to propose one"
            raise InputError(f'there is no record type "{name}"', where="/name", hint=hint)
        fitted = fit(made, name, known[name], known_values(project.pk, name))
        made = fitted.proposal
    return {
        "pairs": fitted.pairs,
        "open": fitted.open,
        "name": made.record_type_name,
        "record_type": made.record_type,
        "mapping": made.mapping,
        "left_out": made.left_out,
        "notes": made.notes,
        "parts": made.parts,
    }


def known_values(project_id: int, record_type: str) -> dict[str, list[str]]:
    """Some texts that kept records of a type have, by field: of the newest in each environment."""
    found: dict[str, list[str]] = {}
    sets = RecordSet.objects.filter(environment__project_id=project_id, record_type__name=record_type)
    for record_set in sets:
        for record in record_set.records.order_by("-id")[:100]:
            for name, value in record.data.items():
                if isinstance(value, str):
                    found.setdefault(name, []).append(value)
    return found


def drafted_types(project: Project, drafts: Mapping[str, Any] | None) -> dict[str, RecordTypeDocument]:
    """The project's record types by name, with drafts in place of the saved ones."""
    record_types = record_types_of(project.pk)
    for name, document in (drafts or {}).items():
        record_types[name] = load(RecordTypeDocument, document, where=f"/record_types/{name}")
    return record_types


def preview(project: Project, data: Mapping[str, Any]) -> dict[str, Any]:
    """What a mapping makes of a stored response: records, rejects, and the place of every value. Keeps nothing."""
    mapping = resolved_mapping(project.pk, load(MappingDocument, data["mapping"], where="/mapping"))
    body = body_of(project, data["body"])
    read = read_for(mapping, body) if mapping.format == "xml" else document_to_look_at(body)
    check_format(mapping, read)
    values = inputs_of(body, data.get("inputs") or {})
    record_types = drafted_types(project, data.get("record_types"))
    outputs = []
    for output, compiled in zip(mapping.outputs, compile_mapping(mapping, record_types, is_kept=False), strict=True):
        mapped = compiled.run(read.value, values)
        wanted = {*mapped.ordinals[:SHOWN]} | {reject.ordinal for reject in mapped.rejects[:SHOWN]}
        rows = [
            shown_trace(trace, record_types[compiled.record_type], compiled)
            for trace in compiled.explain(read.value, values, only=wanted)
        ]
        outputs.append(
            {
                "record_type": compiled.record_type,
                "rows": mapped.rows,
                "records": len(mapped.data),
                "rejected": len(mapped.rejects),
                "filtered": mapped.filtered,
                "shown": rows,
                "coverage": coverage(mapping, output, record_types[compiled.record_type], [read]),
            }
        )
    return {"outputs": outputs}
