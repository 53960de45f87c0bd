"""From a response to records, before anything is kept: proposals and previews; and the sets that keep them."""

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from rondine.core.errors import Conflict, InputError
from rondine.core.mapping.compile import CompiledOutput, RowTrace
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.mapping.taking import mapping_inputs
from rondine.core.paths import pointer_text
from rondine.server.connecting.models import Environment
from rondine.server.connecting.opening import standing_values
from rondine.server.items.kinds import KINDS
from rondine.server.records.browsing import shown_data
from rondine.server.records.models import RecordSet, RecordType
from rondine.server.records.sql_views import queue_views
from rondine.server.runs.models import Body, Call


def inputs_of(body: Body, inputs: Mapping[str, Any]) -> dict[Any, Any]:
    """What a mapping is given besides a stored body: inputs, the headers it came with, and the standing values of where
    it came from."""
    call = Call.objects.select_related("run__environment", "run__project").filter(body=body).order_by("id").first()
    if call is None:
        return mapping_inputs(inputs)
    return mapping_inputs(inputs, standing_values(call.run.project, call.run.environment.name), call.headers)


def shown_trace(trace: RowTrace, document: RecordTypeDocument, compiled: CompiledOutput) -> dict[str, Any]:
    """A row with the place of each of its values: pointer for programs, normalized path or XPath for people."""
    return {
        "ordinal": trace.ordinal,
        "pointer": pointer_text(trace.location),
        "path": compiled.shown(trace.location),
        "data": None if trace.data is None else shown_data(trace.data, document),
        "fields": [
            {
                "field": field.field,
                "pointer": None if field.location is None else pointer_text(field.location),
                "note": field.note,
            }
            for field in trace.fields
        ],
        "problems": [
            {"field": problem.field, "path": problem.path, "reason": problem.reason} for problem in trace.problems
        ],
    }


def check_kept(name: str, document: RecordTypeDocument) -> None:
    """Raises InputError for a record type whose records are not kept: copies of before would pass for what is now."""
    if document.kind != "kept":
        raise InputError(
            f"records of {name} are {document.kind}, and not kept",
            where=f"record type {name}",
            hint="read them as a list, or let the type be kept",
        )


def record_set(environment: Environment, record_type: RecordType) -> RecordSet:
    """The kept records of a type, to be read; one that was never filled is empty, and is not made by being looked
    at."""
    kept = RecordSet.objects.filter(environment=environment, record_type=record_type).first()
    return kept or RecordSet(environment=environment, record_type=record_type)


def names_of_feeds(records: RecordSet) -> dict[int, str]:
    """The feeds and webhooks that bring records of a set, by their bits; one that was removed since is said to be."""
    names = {
        str(pk): name
        for kind in ("feeds", "webhooks")
        for pk, name in KINDS[kind].model._default_manager.filter(pk__in=records.feeds).values_list("pk", "name")
    }
    return {1 << bit: names.get(feed, "a feed that was removed") for bit, feed in enumerate(records.feeds)}


def bits_alive(records: RecordSet) -> int:
    """The bits of the feeds and webhooks that are there still: one that was removed brings nothing any more."""
    there = {
        str(pk)
        for kind in ("feeds", "webhooks")
        for pk in KINDS[kind].model._default_manager.filter(pk__in=records.feeds).values_list("pk", flat=True)
    }
    return sum(1 << bit for bit, feed in enumerate(records.feeds) if feed in there)


#: Feeds that can bring records of one set: the bits of a signed 64-bit number.
MOST_FEEDS = 63


def record_set_to_fill(environment: Environment, record_type: RecordType, feed_id: str) -> RecordSet:
    """The kept records of a type, with the feed among those that bring them. Raises Conflict if there are too many."""
    RecordSet.objects.get_or_create(environment=environment, record_type=record_type)
    with transaction.atomic():
        records = RecordSet.objects.select_for_update().get(environment=environment, record_type=record_type)
        if feed_id not in records.feeds:
            if len(records.feeds) == MOST_FEEDS:
                raise Conflict(
                    f"{MOST_FEEDS} feeds have brought records of {record_type.name} already, in {environment.name}",
                    where=f"record type {record_type.name}",
                    hint="let some of them fill another record type",
                )
            records.feeds = [*records.feeds, feed_id]
            records.save(update_fields=["feeds"])
            queue_views()
    return records
