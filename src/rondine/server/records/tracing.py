"""The way between kept records and the responses they came from, both ways: where a record's values stand in the
response, and what a place in a response fed."""

import json
from collections.abc import Mapping
from itertools import islice
from typing import Any

from rondine.core.errors import RondineError
from rondine.core.mapping.compile import CompiledOutput, RowTrace, compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.row_encoding import key_digest, key_text
from rondine.core.paths import Location, parse_pointer
from rondine.core.settings import dump, load
from rondine.server.records.actions import inputs_of, shown_trace
from rondine.server.records.models import Record, RecordSet
from rondine.server.runs.bodies import read_for
from rondine.server.runs.models import Body, Call, Run

#: Rows of a response that are looked through for a place, and how many that it fed are told.
MOST_ROWS = 50_000
SHOWN = 100
NOT_KEPT = (
    "this call's body is not kept: the first page of a run, failures and pages with rejects are, for as long as the"
    " environment says"
)


def places_of(
    body: Body,
    mapping: MappingDocument,
    record_types: dict[str, RecordTypeDocument],
    record_type: str,
    ordinal: int,
    inputs: Mapping[str, Any],
) -> dict[str, Any] | None:
    """How the record of one row of a stored response was made, None if the row is not there (any more)."""
    for compiled in compile_mapping(mapping, record_types):
        if compiled.record_type == record_type:
            for trace in compiled.explain(read_for(mapping, body).value, inputs_of(body, inputs), only=[ordinal]):
                return shown_trace(trace, record_types[record_type], compiled)
    return None


def _content_of(run: Run) -> tuple[MappingDocument, dict[str, RecordTypeDocument]]:
    """The mapping and record types that a run went by, as they were then."""
    types = {one: load(RecordTypeDocument, document) for one, document in run.content["record_types"].items()}
    return load(MappingDocument, run.content["mapping"]), types


def trace_of(project_id: int, record: Record, record_type: str) -> dict[str, Any]:
    """Run, call and place of each of a record's values; `note` says why, where that is not known any more."""
    call = (
        Call.objects.select_related("body", "run")
        .filter(run_id=record.run_id, number=record.call, run__project=project_id)
        .first()
    )
    trace: dict[str, Any] = {"run": record.run_id, "call": record.call}
    trace |= {"body": None, "row": None, "mapping": None, "note": ""}
    if call is None:
        return {**trace, "note": "the run is not stored any more"}
    if call.body is None:
        return {**trace, "note": NOT_KEPT}
    try:
        mapping, types = _content_of(call.run)
        row = places_of(call.body, mapping, types, record_type, record.ordinal, call.run.inputs)
    except RondineError as error:
        return {**trace, "body": str(call.body.pk), "note": str(error)}
    return {**trace, "body": str(call.body.pk), "row": row, "mapping": call.run.content["mapping"]}


def rows_fed(call: Call, place: str = "") -> dict[str, Any]:
    """What a stored response fed: for each output the rows with their records, fields and places. place: a JSON
    Pointer; only rows of which a value came from there, or from within. Raises PathError for a place that is none.
    """
    wanted = parse_pointer(place)
    found: dict[str, Any] = {"outputs": [], "note": ""}
    if "mapping" not in call.run.content:
        return {**found, "note": "a trial keeps nothing; runs of feeds do"}
    if call.body is None:
        return {**found, "note": NOT_KEPT}
    try:
        mapping, types = _content_of(call.run)
        value, inputs = read_for(mapping, call.body).value, inputs_of(call.body, call.run.inputs)
        for compiled in compile_mapping(mapping, types):
            looked = islice(compiled.explain(value, inputs, only=_only(compiled, wanted)), MOST_ROWS)
            fed = list(islice((one for one in looked if not one.is_filtered and _fed(one, wanted)), SHOWN + 1))
            document = types[compiled.record_type]
            rows = [shown_trace(row_trace, document, compiled) for row_trace in fed[:SHOWN]]
            _add_records(rows, fed, document, call, compiled.record_type)
            shown = {"record_type": compiled.record_type, "document": dump(document), "shown": rows}
            found["outputs"].append({**shown, "is_all": len(fed) <= SHOWN})
    except RondineError as error:
        found["note"] = str(error)
    return found


def _only(compiled: CompiledOutput, place: tuple[str, ...]) -> list[int] | None:
    """The one row that a place is in, where that can be told by its number alone; None for all."""
    if len(compiled.levels) > 1 or not place:
        return None
    names = compiled.first_names()
    if names is None or len(place) <= len(names) or place[: len(names)] != names:
        return None
    index = place[len(names)]
    return [int(index)] if index.isdigit() else None


def _fed(trace: RowTrace, place: tuple[str, ...]) -> bool:
    """Whether a value of the row came from a place or from within it, or the place is within what became a value."""
    return not place or any(field.location is not None and _meet(field.location, place) for field in trace.fields)


def _meet(location: Location, place: tuple[str, ...]) -> bool:
    length = min(len(location), len(place))
    return all(str(location[at]) == place[at] for at in range(length))


def _add_records(
    rows: list[dict[str, Any]], traces: list[RowTrace], document: RecordTypeDocument, call: Call, record_type: str
) -> None:
    """Adds each row's record: its key, and the run that changed it last; None if there is none (any more)."""
    records = RecordSet.objects.filter(environment=call.run.environment_id, record_type__name=record_type).first()
    keys = [trace.data and key_text([trace.data.get(name) for name in document.key]) for trace in traces]
    digests = {key_digest(key) for key in keys if key}
    held = Record.objects.filter(pk__in=Record.objects.ids_of(records.pk, digests)) if records else ()
    known = {one.key: one.run_id for one in held}
    for row, key in zip(rows, keys, strict=False):
        row["record"] = {"key": json.loads(key), "run": known[key]} if isinstance(key, str) and key in known else None
