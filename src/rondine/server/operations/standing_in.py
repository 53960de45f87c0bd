"""Stand-ins of services: /stand-ins/{id}-{secret}/..., a small ASGI application beside Django, as it waits. The address
is all that a caller needs, and is made of the service's id and the installation's key; a call of it never goes further.
"""

import asyncio
import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db.models import Count, Max, QuerySet, Sum
from django.utils.crypto import constant_time_compare, salted_hmac

from rondine.core.errors import NotFound, RondineError
from rondine.core.operations.document import OperationDocument
from rondine.core.protocols.standing_in import (
    PATH,
    Asked,
    StandIn,
    StoodIn,
    described_response,
    failure,
    invented_response,
    operation_of,
)
from rondine.server.api.problems import MEDIA_TYPE, named, problem
from rondine.server.api.rendering import JsonRenderer
from rondine.server.connecting.models import Service
from rondine.server.connecting.process import parts
from rondine.server.operations.models import Definition, Operation, Sample
from rondine.server.threads import in_database

ADDRESS = re.compile(PATH + "(/.*)?", re.DOTALL)
#: Bytes of a request's body.
MOST = 16 * 1024 * 1024
#: Services whose operations a process holds.
MOST_HELD = 50
_calls: Counter[UUID] = Counter()


def stand_in_path(service: Service) -> str:
    return f"/stand-ins/{service.pk.hex}-{_secret(service.pk)}"


def _secret(service: UUID) -> str:
    return salted_hmac("rondine.stand-in", service.hex).hexdigest()[:24]


@dataclass(frozen=True, slots=True)
class OperationStoodIn:
    """How a stand-in responds to an operation. responds: sample, invented or nothing.  words: which, or why not."""

    name: str
    title: str
    method: str
    path: str
    responds: str
    words: str


def stood_in(service: Service) -> list[OperationStoodIn]:
    """For each operation of the service, what its stand-in has."""
    samples = {one.operation_id: one for one in _good(Sample.objects.filter(operation__service=service))}
    return [
        OperationStoodIn(one.name, one.title, document.method, document.path, *_known(document, samples.get(one.pk)))
        for one in Operation.objects.filter(service=service).order_by("name")
        for document in [one.loaded()]
    ]


def _known(document: OperationDocument, sample: Sample | None) -> tuple[str, str]:
    if sample is not None:
        return "sample", f"the sample {sample.name}"
    described = described_response(document)
    if described is None:
        return "nothing", "no response is described, and no sample is kept"
    if described.schema is not None and described.media_type and "json" not in described.media_type:
        return "nothing", f"{described.media_type} is not invented, and no sample is kept"
    return "invented", f"as status {described.status} is described"


def _good(samples: QuerySet[Sample]) -> list[Sample]:
    """Of good responses, the newest at the end."""
    return [one for one in samples.order_by("pk") if (one.loaded().status or 200) < 400]


@dataclass(frozen=True, slots=True)
class _Described:
    """A service's operations, as they were at a moment. state: how many there were, and the last change."""

    state: tuple[Any, ...]
    operations: Mapping[str, Operation]
    documents: Mapping[str, OperationDocument]


_held: dict[UUID, _Described] = {}


def _described(service: Service) -> _Described:
    """Of a service with many operations, not read anew for each call."""
    found = Operation.objects.filter(service=service)
    state = tuple(found.aggregate(Count("pk"), Max("changed_at"), Sum("version")).values())
    held = _held.get(service.pk)
    if held is None or held.state != state:
        operations = {one.name: one for one in found}
        held = _Described(state, operations, {name: one.loaded() for name, one in operations.items()})
        if len(_held) >= MOST_HELD:
            _held.clear()
        _held[service.pk] = held
    return held


def respond(service: Service, stand_in: StandIn, asked: Asked) -> StoodIn:
    """Raises NotFound for what the service has no operation for, and NothingFits."""
    held = _described(service)
    name = operation_of(held.documents, asked)
    operation, document = held.operations[name], held.documents[name]
    if samples := _good(Sample.objects.filter(operation=operation)):
        sample = samples[-1]
        body = sample.body
        charset = f"; charset={body.charset}" if body.charset else ""
        return StoodIn(
            sample.loaded().status or 200, body.media_type + charset, body.content(), f"sample {sample.name}"
        )
    described = described_response(document)
    if described is None:
        raise NotFound(
            f'operation "{operation.name}" describes no good response, and no sample of one is kept',
            where=f"operation {operation.name}",
            hint="keep a sample: paste a response, or try the operation where the service is",
        )
    schemas: Mapping[str, Any] = {}
    name = described.definition or (document.came_from.definition if document.came_from is not None else "")
    if name and (definition := Definition.objects.filter(project=service.project_id, name=name).first()):
        schemas = definition.schemas
    return invented_response(document, described, schemas, stand_in, asked)


def _found(service_id: str, secret: str, asked: Asked) -> tuple[StandIn, StoodIn | RondineError]:
    """Raises NotFound for a stand-in that is not there."""
    service = Service.objects.filter(pk=UUID(service_id)).first()
    stand_in = service.loaded().stand_in if service is not None else None
    if service is None or stand_in is None or not constant_time_compare(secret, _secret(service.pk)):
        raise NotFound("there is no stand-in at this address", where="the address", hint="switch it on at its service")
    _calls[service.pk] += 1
    if stand_in.fail_every and _calls[service.pk] % stand_in.fail_every == 0:
        return stand_in, failure(stand_in)
    try:
        return stand_in, respond(service, stand_in, asked)
    except RondineError as error:
        return stand_in, error


async def serve(scope: Any, receive: Any, send: Any, service_id: str, secret: str, path: str) -> None:
    """One request."""
    headers = {name.decode("latin-1"): value.decode("latin-1") for name, value in scope["headers"]}
    base = f"{scope.get('scheme', 'http')}://{headers.get('host', '127.0.0.1')}/stand-ins/{service_id}-{secret}"
    asked = Asked(scope["method"], path or "/", scope["query_string"].decode("latin-1"), await _body(receive), base)
    try:
        stand_in, found = await in_database(parts()[1], _found, service_id, secret, asked)
        await asyncio.sleep(stand_in.delay)
    except RondineError as error:
        found = error
    if isinstance(found, RondineError):
        found = StoodIn(
            501 if found.status == 400 else found.status,
            MEDIA_TYPE,
            JsonRenderer().render(problem(named(found))),
            "nothing",
        )
    told = [("content-type", found.media_type), ("rondine-stand-in", found.made), *found.headers]
    await send(
        {
            "type": "http.response.start",
            "status": found.status,
            "headers": [
                (b"content-length", str(len(found.body)).encode()),
                (b"x-content-type-options", b"nosniff"),
                (b"content-security-policy", b"sandbox"),
                *((name.lower().encode(), value.encode("latin-1", "replace")) for name, value in told if value),
            ],
        }
    )
    await send({"type": "http.response.body", "body": b"" if scope["method"] == "HEAD" else found.body})


async def _body(receive: Any) -> bytes:
    body, more = b"", True
    while more and len(body) < MOST:
        message = await receive()
        body += message.get("body", b"")
        more = message.get("more_body", False)
    return body
