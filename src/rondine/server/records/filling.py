"""Inputs filled from a kept record: the sending side of a mapping."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from rondine.core.operations.inputs import Filled, Input, filled_from
from rondine.core.protocols.rest import Built
from rondine.server.access.models import Project
from rondine.server.connecting.opening import environment_of
from rondine.server.items.actions import find_item
from rondine.server.records.actions import record_set
from rondine.server.records.browsing import find_record, shown_data
from rondine.server.records.kinds import RECORD_TYPES


def filled(
    project: Project, environment: str, inputs: Sequence[Input], values: Mapping[str, Any], record: Mapping[str, Any]
) -> Filled:
    """record: {record_type, key}. Raises NotFound if it is not kept, InputError for what does not fit."""
    item = find_item(RECORD_TYPES, project, record["record_type"])
    records = record_set(environment_of(project, environment), item)
    document = records.loaded()
    found = find_record(records, document, record["key"])
    return filled_from(inputs, shown_data(found.data, document), values)


def told_origins(built: Built, filled: Filled | None, record: Mapping[str, Any] | None) -> Built:
    """The request with the record's fields named as the origins of what they fill."""
    if filled is None or record is None:
        return built
    name = f"{record['record_type']} {', '.join(record['key'])}"
    told = {f"input {one}": f"field {field} of {name}" for one, field in filled.fields.items()}
    return replace(
        built,
        origins=[
            replace(origin, source=" and ".join(told.get(each, each) for each in origin.source.split(" and ")))
            for origin in built.origins
        ],
    )
