"""An operation made ready to be called again and again, as an environment goes by it: everything about it that does not
depend on a call's inputs."""

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

from django.utils import timezone

from rondine.core.errors import DraftError, NotAllowed, Problem
from rondine.core.http.messages import Position, Request, origin
from rondine.core.http.retrying import IDEMPOTENT
from rondine.core.operations.document import GraphQLBody, OperationDocument, SoapBody, is_reading
from rondine.core.pagination import OneResponse
from rondine.core.pagination.one_page import OnePage
from rondine.core.protocols.paged import paged_operation
from rondine.core.protocols.problems import operation_problems
from rondine.core.secret import Secret
from rondine.core.signin import SignInOperation
from rondine.core.signin.jwt import assertion
from rondine.engine.client import OpenConnection
from rondine.server.connecting.models import Connection, Service
from rondine.server.connecting.opening import connection_for, open_connection, standing_values
from rondine.server.connecting.user_sessions import OpenSession, signed_in
from rondine.server.operations.kinds import with_queries
from rondine.server.operations.models import Operation
from rondine.server.releases.configuration import Configuration

KEY_HEADER = "Idempotency-Key"


@dataclass(frozen=True, slots=True)
class ReadyOperation:
    """document: with the texts of its prepared queries.  is_reading: it changes nothing at the service."""

    id: UUID
    name: str
    service_id: UUID
    document: OperationDocument
    connection: OpenConnection
    standing: Mapping[str, Any]
    is_reading: bool

    def page(self, inputs: Mapping[str, Any], position: Position = None) -> OnePage:
        """What to send for these inputs, and for the page at a position, before sign-in. Raises InputError for wrong
        inputs, HostRefused for a host that is not permitted."""
        connection = self.connection
        paged = paged_operation(
            self.document,
            connection.base_address,
            inputs,
            self.standing,
            headers=connection.headers,
            query=connection.query,
            further_origins=(origin(connection.base_address), *connection.further_origins),
        )
        page = OnePage(self.document.paging or OneResponse(), paged, position)
        connection.guard.permission(page.ask.request.url)
        return page

    def with_key(self, request: Request, key: str) -> Request:
        """The request with a key of its own, if the service takes one."""
        if not self.document.takes_key or request.header(KEY_HEADER) is not None:
            return request
        return request.with_header(KEY_HEADER, key)

    def with_caller(self, request: Request, caller: str) -> Request:
        """The request with the user of an application that it is made for, if the connection says how. caller: empty
        for nobody in particular."""
        identity = self.connection.caller
        if identity is None or not caller:
            return request
        if identity.form == "plain":
            return request.with_header(identity.header, identity.prefix + caller)
        claims = {
            "iss": identity.issuer,
            "sub": caller,
            "aud": identity.audience or self.connection.base_address,
        }
        key = self.connection.secrets[0]["caller_key"]
        signed = assertion(claims, key, identity.algorithm, identity.key_id, now=timezone.now(), unique=os.urandom(16))
        return request.with_header(identity.header, Secret(identity.prefix + signed.reveal(), signed.label))

    def signed_in(self, sessions: Sequence[OpenSession] | None) -> "ReadyOperation":
        """The operation with the sign-in of the user whom a call is for: see `signed_in`."""
        own = signed_in(self.connection, sessions)
        return self if own is self.connection else replace(self, connection=own)

    def may_repeat(self, request: Request) -> bool:
        """Whether the request may be sent again, when nobody knows whether it was: then it has the effect of once (RFC
        9110, section 9.2), or the connection says that it does no harm."""
        return (
            self._does_no_harm
            or request.method in IDEMPOTENT
            or (self.document.takes_key and request.header(KEY_HEADER) is not None)
        )

    @property
    def has_effect_of_once(self) -> bool:
        """Whether any request of it may be sent again so, if it goes with a key wherever it takes one."""
        by_method = not isinstance(self.document.body, GraphQLBody | SoapBody) and self.document.method in IDEMPOTENT
        return self._does_no_harm or by_method or self.document.takes_key

    @property
    def _does_no_harm(self) -> bool:
        return self.is_reading or self.connection.retrying.repeats == "always"


def ready_operation(configuration: Configuration, operation: Operation) -> ReadyOperation:
    """operation: as the environment has it. Raises DraftError with what keeps it from being called, NotAllowed for one
    that signs in."""
    document = with_queries(operation.loaded(), operation.project_id, configuration)
    where = f"operation {operation.name}"
    if not document.enabled:
        raise DraftError(f'operation "{operation.name}" is disabled', where=where, hint="ask a builder to enable it")
    problems = [*map(_problem, operation.problems), *operation_problems(document)]
    if problems:
        first = problems[0]
        raise DraftError(
            f'operation "{operation.name}" is not ready: {first.message}',
            where=where,
            hint=first.hint,
            problems=problems,
        )
    service = Service.objects.get(pk=operation.service_id)
    connection = connection_for(service, configuration.environment)
    check_signs_nobody_in(connection, operation.name)
    reads = is_reading(document)
    supports = connection.loaded().supports
    if (wanted := "live" if reads else "write") not in supports:
        uses = {"live": "reading live", "write": "writing"}
        raise DraftError(
            f'connection "{connection.name}" is not for {uses[wanted]}',
            where=f"connection {connection.name}",
            hint=f"ask a builder to let it support {wanted}",
        )
    standing = standing_values(connection.project, configuration.environment.name)
    return ReadyOperation(
        operation.pk,
        operation.name,
        service.pk,
        document,
        open_connection(connection, operation.name, for_callers=True, standing=standing),
        standing,
        reads,
    )


def _problem(stored: Mapping[str, str]) -> Problem:
    return Problem(**stored)


def check_signs_nobody_in(connection: Connection, operation: str) -> None:
    """Raises NotAllowed for the operation by which a connection signs in: its response is a secret."""
    document = connection.loaded()
    schemes = [document.sign_in, *(own.sign_in for own in document.own_sign_ins)]
    if any(isinstance(scheme, SignInOperation) and scheme.operation == operation for scheme in schemes):
        raise NotAllowed(
            f'operation "{operation}" signs in for connection "{connection.name}": what it returns is a secret',
            where=f"operation {operation}",
            hint="call the operations that need the sign-in; it is done by itself",
        )
