"""A run made ready from the content it was queued with."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from rondine.core.http.messages import origin
from rondine.core.items.feed import FeedDocument
from rondine.core.mapping.compile import CompiledOutput, compile_mapping
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.generated import plain_part
from rondine.core.mapping.row_encoding import part_of_record
from rondine.core.mapping.rowwise import RowPlace, row_reader
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import checked_inputs
from rondine.core.pagination import PagedOperation
from rondine.core.paths import JsonPath
from rondine.core.protocols.paged import paged_operation
from rondine.core.settings import load
from rondine.server.connecting.opening import connection_for, open_connection, standing_values
from rondine.server.feeds.asking import asked_rows
from rondine.server.feeds.drift import comparison_for
from rondine.server.feeds.known import recollection_of
from rondine.server.feeds.looking_after import Order
from rondine.server.feeds.pages import PreparedFeed
from rondine.server.feeds.rejects import stored_rejects
from rondine.server.records.actions import record_set_to_fill
from rondine.server.records.keeping import Filling
from rondine.server.records.models import RecordType
from rondine.server.runs.models import Run, RunCount
from rondine.server.runs.remarks import remark_of


def load_feed(run: Run) -> PreparedFeed:
    """The run made ready from the content it was queued with. Raises what keeps it from running."""
    content = run.content
    operation = load(OperationDocument, content["operation"])
    assert run.feed is not None
    connection = open_connection(connection_for(run.feed.operation.service, run.environment), run.feed.operation.name)
    feed = load(FeedDocument, content["feed"])
    connection = replace(connection, is_spooling=True, retrying=feed.retrying or connection.retrying)
    standing = standing_values(run.project, run.environment.name)
    for_each = asked_rows(run, feed, operation)
    asked = operation.inputs if for_each is None else [one for one in operation.inputs if one.name in run.inputs]
    values = checked_inputs(asked, run.inputs, standing)
    record_types = {name: load(RecordTypeDocument, document) for name, document in content["record_types"].items()}
    mapping = load(MappingDocument, content["mapping"])
    outputs = compile_mapping(mapping, record_types)
    fillings: dict[str, Filling] = {}
    for output in outputs:
        fillings[output.record_type] = filling_of(run, str(run.feed_id), record_types[output.record_type], output)
        RunCount.objects.get_or_create(run=run, record_type=output.record_type)

    def paged(further: Mapping[str, Any]) -> PagedOperation:
        return paged_operation(
            operation,
            connection.base_address,
            {**run.inputs, **further},
            standing,
            headers=connection.headers,
            query=connection.query,
            further_origins=(origin(connection.base_address), *connection.further_origins),
        )

    position, calls, within, elements = None, 0, None, 0
    if run.checkpoint and run.checkpoint["next"]:
        position = run.checkpoint["next"]["position"]
        calls, elements = run.checkpoint["calls"], run.checkpoint.get("received", 0)
        if found := run.checkpoint.get("within"):
            within = RowPlace(found["first"], tuple(found["ordinals"]))
    rejects = stored_rejects(run)
    is_whole = operation.paging is not None and operation.paging.LOOKS_INTO_ROWS
    asked_for = _asked_for(operation, outputs)
    reader = None if is_whole else row_reader(mapping, outputs, asked_for)
    recollection = None
    if reader is not None and reader.is_row_by_row and not run.is_dry and rejects is None and for_each is None:
        [(name, filling)] = fillings.items()
        recollection = recollection_of(run, name, filling)
    return PreparedFeed(
        run.pk,
        run.feed.pk,
        run.attempt,
        run.project_id,
        connection,
        operation,
        paged,
        calls,
        mapping,
        reader,
        asked_for,
        outputs,
        fillings,
        record_types,
        values,
        standing,
        feed.parallel,
        run.is_dry,
        comparison_for(run, feed, operation, mapping) if rejects is None else None,
        position,
        within,
        elements,
        [remark_of(remark) for remark in run.remarks],
        for_each,
        rejects,
        Order(**run.order) if run.order else None,
        recollection=recollection,
    )


def filling_of(run: Run, source_id: str, document: RecordTypeDocument, output: CompiledOutput) -> Filling:
    """What an output of a run's mapping fills. source_id: of the feed or webhook that brings it.  document: the record
    type, as the run goes by it."""
    record_types = RecordType.objects.filter(project=run.project_id)
    held = run.content.get("record_type_versions", {}).get(output.record_type)
    record_type = record_types.get(pk=held[0]) if held else record_types.get(name=output.record_type)
    records = record_set_to_fill(run.environment, record_type, source_id)
    return Filling(
        records.pk,
        run.pk,
        held[1] if held else record_type.version,
        records.bit_of(source_id),
        document.history,
        part_of_record(output, document),
    )


def _asked_for(operation: OperationDocument, outputs: Sequence[CompiledOutput]) -> list[str]:
    """The places outside of the rows that are looked at with every page: what paging goes by, and the errors of
    GraphQL."""
    paging = operation.paging
    places = list(paging.wanted().values()) if paging is not None else []
    return [*places, "/errors"] if any(_is_in_data(output) for output in outputs) else places


def _is_in_data(output: CompiledOutput) -> bool:
    path = output.levels[0][1]
    return isinstance(path, JsonPath) and plain_part(path)[0][:1] == ("data",)
