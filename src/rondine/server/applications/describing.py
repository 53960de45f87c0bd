"""What an application may use, described for its developer."""

from collections.abc import Mapping
from typing import Any

from msgspec import UNSET, structs

from rondine.core.definitions.offering import (
    OfferedMapping,
    OfferedOperation,
    OfferedType,
    Offering,
    offering_openapi,
    operation_examples,
    record_examples,
)
from rondine.core.errors import RondineError
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.operations.document import is_reading
from rondine.core.secret import MASK
from rondine.core.settings import dump
from rondine.server.applications.admission import Admission
from rondine.server.applications.offering import Offer
from rondine.server.feeds.models import Feed
from rondine.server.mappings.kinds import resolved_mapping
from rondine.server.mappings.models import Mapping as MappingItem
from rondine.server.operations.models import Operation
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.runs.models import Run


def offering_of(admission: Admission, origin: str) -> Offering:
    """origin: of Rondine, such as https://rondine.olmara.example."""
    environment, application, offer = admission.environment, admission.application, Offer(admission)
    types: dict[str, RecordTypeDocument] = offer.configuration.documents(RECORD_TYPES)
    return Offering(
        application.title or application.name,
        f"{origin}/api/v1/use/{environment.project.name}/{environment.name}",
        offer.configuration.words,
        _operations(offer, types),
        [OfferedType(item.name, item.title, item.loaded()) for item in offer.record_types],
    )


def _operations(offer: Offer, types: Mapping[str, RecordTypeDocument]) -> list[OfferedOperation]:
    environment = offer.admission.environment
    feeds = Feed.objects.filter(project=environment.project_id).values_list("operation", "mapping").distinct()
    tried = (
        Run.objects.filter(environment=environment, kind="trial", state="done", operation__isnull=False)
        .order_by("operation", "-pk")
        .distinct("operation")
    )
    inputs = dict(tried.values_list("operation", "inputs"))
    pairs = set(feeds)
    return [
        _operation(
            item,
            [
                one
                for held in offer.mappings(item.service_id)
                if ((item.pk, held.pk) in pairs or _goes_through(held, item))
                and (one := _mapping(offer, held, types)) is not None
            ],
            inputs.get(item.pk, {}),
        )
        for item in offer.operations
    ]


def _operation(item: Operation, mappings: list[OfferedMapping], tried: Mapping[str, Any]) -> OfferedOperation:
    """tried: inputs with which it was tried here, for the examples."""
    document = item.loaded()
    known = {name: value for name, value in tried.items() if value not in (None, "", MASK)}
    inputs = [
        structs.replace(one, try_value=known[one.name]) if one.name in known and one.try_value is UNSET else one
        for one in document.inputs
    ]
    return OfferedOperation(item.name, item.title, document.description, inputs, is_reading(document), mappings)


def _goes_through(mapping: MappingItem, operation: Operation) -> bool:
    """Whether a mapping takes the rows that somebody said the operation's responses have."""
    rows, outputs = operation.loaded().response.rows, mapping.loaded().outputs
    at = outputs[0].rows[0].at if outputs and outputs[0].rows else None
    return bool(rows) and isinstance(at, str) and at.removeprefix("$.") == rows[0].removeprefix("$.")


def _mapping(offer: Offer, item: MappingItem, types: Mapping[str, RecordTypeDocument]) -> OfferedMapping | None:
    """None for one that cannot be put together, or fills a record type that is not there."""
    try:
        document = resolved_mapping(item.project_id, item.loaded(), item.name, offer.configuration)
    except RondineError:
        return None
    filled = {output.record_type for output in document.outputs}
    if not filled <= set(types):
        return None
    return OfferedMapping(item.name, item.title, {name: types[name] for name in sorted(filled)})


def openapi_document(admission: Admission, origin: str) -> dict[str, Any]:
    return offering_openapi(offering_of(admission, origin))


def described(admission: Admission, origin: str) -> dict[str, Any]:
    """The offering with a call to copy for each thing."""
    offering, environment = offering_of(admission, origin), admission.environment
    names = (environment.project.name, environment.name)
    document = admission.document
    return {
        "application": admission.application.name,
        "title": offering.title,
        "project": names[0],
        "environment": names[1],
        "release": environment.release.number if environment.release is not None else None,
        "address": offering.address,
        "calls_a_minute": document.calls_a_minute,
        "time_limit": document.time_limit,
        "names_callers": document.callers is not None,
        "operations": [
            {
                "name": one.name,
                "title": one.title,
                "description": one.description,
                "writes": not one.is_reading,
                "inputs": [dump(given) for given in one.inputs],
                "mappings": [
                    {"name": held.name, "title": held.title, "record_types": sorted(held.record_types)}
                    for held in one.mappings
                ],
                "examples": operation_examples(one, offering.address, *names),
            }
            for one in offering.operations
        ],
        "record_types": [
            {
                "name": one.name,
                "title": one.title,
                "key": one.document.key,
                "fields": [dump(field) for field in one.document.fields],
                "examples": record_examples(one, offering.address, *names),
            }
            for one in offering.record_types
        ],
    }
