"""What an application may use, described for its developer."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from msgspec import UNSET, structs

from rondine.core.definitions.offering import (
    OfferedFlow,
    OfferedMapping,
    OfferedMember,
    OfferedOperation,
    OfferedSignIn,
    OfferedType,
    Offering,
    flow_examples,
    offering_openapi,
    operation_examples,
    record_examples,
)
from rondine.core.errors import RondineError
from rondine.core.live.document import WRITING
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.operations.document import file_inputs, is_reading
from rondine.core.secret import MASK
from rondine.core.settings import dump
from rondine.server.applications.admission import Admission
from rondine.server.applications.offering import Offer
from rondine.server.applications.sessions import sign_ins
from rondine.server.feeds.models import Feed
from rondine.server.flows.models import Flow
from rondine.server.live.using import uses_of
from rondine.server.mappings.kinds import resolved_mapping
from rondine.server.mappings.models import Mapping as MappingItem
from rondine.server.operations.models import Operation
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import RecordType
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
        [_flow(offer, item, types) for item in offer.flows if not item.problems],
        [one for item in offer.record_types if (one := _type(admission, item)) is not None],
    )


def _type(admission: Admission, item: RecordType) -> OfferedType | None:
    """None for one whose records are passing, or live and not ready."""
    document: RecordTypeDocument = item.loaded()
    if document.kind == "kept":
        return OfferedType(item.name, item.title, document)
    uses = uses_of(admission.environment, item)
    if document.kind == "passing" or uses["problem"]:
        return None
    roles = [role["role"] for role in uses["roles"] if not role["problem"] and role["role"] in WRITING]
    return OfferedType(
        item.name,
        item.title,
        document,
        {one["field"]: one["compare"] for one in uses["fields"]},
        [one["field"] for one in uses["fields"] if one["is_sorted"]],
        roles if admission.document.may_write else [],
        _sign_in_of(admission, {role["operation"] for role in uses["roles"]}),
    )


def _sign_in_of(admission: Admission, operations: set[str]) -> OfferedSignIn | None:
    """How users sign in where the operations of a live type are; they are all of one service."""
    own = sign_ins(admission)
    project = admission.environment.project_id
    held = Operation.objects.filter(project=project, name__in=operations).values_list("service", "name")
    return next((found for service, name in held if (found := own.of(service, name)) is not None), None)


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
    own = sign_ins(offer.admission)
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
            own.of(item.service_id, item.name),
        )
        for item in offer.operations
    ]


def _operation(
    item: Operation, mappings: list[OfferedMapping], tried: Mapping[str, Any], sign_in: OfferedSignIn | None
) -> OfferedOperation:
    """tried: inputs with which it was tried here, for the examples."""
    document = item.loaded()
    known = {name: value for name, value in tried.items() if value not in (None, "", MASK)}
    inputs = [
        structs.replace(one, try_value=known[one.name]) if one.name in known and one.try_value is UNSET else one
        for one in document.inputs
    ]
    return OfferedOperation(
        item.name,
        item.title,
        document.description,
        inputs,
        is_reading(document),
        mappings,
        sign_in,
        file_inputs(document),
    )


def _flow(offer: Offer, item: Flow, types: Mapping[str, RecordTypeDocument]) -> OfferedFlow:
    document, effects = item.loaded(), offer.effects(item)
    filled = {one.records: types[one.records] for one in document.reply if one.records in types}
    return OfferedFlow(
        item.name,
        item.title,
        document.description,
        document.inputs,
        [OfferedMember(one.name, one.title, one.type, one.records, one.required) for one in document.reply],
        filled,
        is_reading=not effects.writes,
        is_short=effects.is_short,
    )


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
                "sign_in": None if one.sign_in is None else asdict(one.sign_in),
                "inputs": [dump(given) for given in one.inputs],
                "files": sorted(one.files),
                "mappings": [
                    {"name": held.name, "title": held.title, "record_types": sorted(held.record_types)}
                    for held in one.mappings
                ],
                "examples": operation_examples(one, offering.address, *names),
            }
            for one in offering.operations
        ],
        "flows": [
            {
                "name": one.name,
                "title": one.title,
                "description": one.description,
                "writes": not one.is_reading,
                "may_take_long": not one.is_short,
                "inputs": [dump(given) for given in one.inputs],
                "reply": [asdict(member) for member in one.reply],
                "examples": flow_examples(one, offering.address, *names),
            }
            for one in offering.flows
        ],
        "record_types": [
            {
                "name": one.name,
                "title": one.title,
                "key": one.document.key,
                "kind": one.document.kind,
                "roles": list(one.roles),
                "sign_in": None if one.sign_in is None else asdict(one.sign_in),
                "fields": [dump(field) for field in one.document.fields],
                "examples": record_examples(one, offering.address, *names),
            }
            for one in offering.record_types
        ],
    }
