"""Reaching services: connections made ready, requests shown and tried, secrets set, responses looked at."""

import os
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import msgspec
from django.utils import timezone

from rondine.core.errors import (
    DraftError,
    HostRefused,
    InputError,
    Problem,
    RondineError,
)
from rondine.core.http.limits import meter, wait_words
from rondine.core.http.messages import Send, http_text
from rondine.core.items.connection import ConnectionDocument
from rondine.core.items.connection_problems import connection_problems
from rondine.core.operations.document import (
    OperationDocument,
    is_reading,
)
from rondine.core.operations.inputs import checked_inputs
from rondine.core.protocols.problems import operation_problems
from rondine.core.protocols.rest import Built, UnknownStanding, build_request, with_connection
from rondine.core.secret import Secret
from rondine.core.signin import NoSignIn, ReadToken, SignInContext, Token
from rondine.engine.client import OpenConnection
from rondine.server.access.models import Project
from rondine.server.connecting.kinds import SERVICES
from rondine.server.connecting.models import Connection, Environment, Service
from rondine.server.connecting.opening import connection_for, environment_of, guard_of, open_connection, standing_values
from rondine.server.connecting.usage import usage_of
from rondine.server.items.actions import find_item
from rondine.server.operations.kinds import with_queries


@dataclass(frozen=True, slots=True)
class PreparedCall:
    """A request about to be sent: by which connection, with the origin of each value. service: None for a one-off,
    which has no connection. has_values: any of its inputs has one."""

    connection: OpenConnection | None
    built: Built
    problems: list[Problem]
    environment: Environment
    service: Service | None
    has_values: bool = True


def prepare(
    project: Project,
    document: OperationDocument,
    service_name: str,
    environment_name: str,
    values: Mapping[str, Any],
    *,
    strict: bool,
    operation: str = "",
    base_address: str = "",
) -> PreparedCall:
    """The request for these values. strict: raise what keeps it from being sent; otherwise list it and show what there
    is.

    base_address: in place of a service; it goes there without a connection, and without signing in.
    """
    service: Service | None = find_item(SERVICES, project, service_name) if service_name else None
    environment = environment_of(project, environment_name)
    problems: list[Problem] = []
    try:
        document = with_queries(document, project.pk)
    except InputError as error:
        problems.append(error.as_problem())
    problems += operation_problems(document)
    if not document.enabled:
        name = f'operation "{operation}"' if operation else "the operation"
        problems.insert(0, Problem("/enabled", f"{name} is disabled", "enable it first"))
    if problems and strict:
        raise DraftError(
            f"the operation cannot be sent yet: {problems[0].message}",
            where=problems[0].where,
            hint=problems[0].hint,
            problems=problems,
        )
    connection: OpenConnection | None = None
    base = "https://base-address.invalid"
    try:
        if service is None:
            base = _one_off(base_address)
            connection = OpenConnection(
                f"one-off {project.pk}", 0, base, NoSignIn(), guard_of(project.pk), is_connection=False
            )
        else:
            item = connection_for(service, environment)
            wanted: ConnectionDocument = item.loaded()
            base = wanted.address() or base
            if not is_reading(document) and "write" not in wanted.supports:
                raise DraftError(
                    f'connection "{item.name}" is for reading only; {document.method} writes',
                    where=f"connection {item.name}",
                    hint="choose another connection, or let this one support write",
                )
            connection = open_connection(item, operation)
    except RondineError as error:
        if strict:
            raise
        problems += error.as_problems()
    checked: dict[str, Any] = {}
    standing = standing_values(project, environment.name)
    try:
        checked = checked_inputs(document.inputs, values, standing)
    except InputError as error:
        if strict:
            raise
        problems += list(error.problems)
    known = {
        input_.name: f"{{{input_.name}}}"
        for input_ in document.inputs
        if not strict and input_.name not in checked and input_.required
    }
    if any(problem.where == "/path" for problem in problems):
        document = replace_path(document)
    try:
        built = build_request(document, base, {**checked, **known}, inputs=values, standing=standing)
    except InputError as error:
        if strict:
            raise
        problems.append(error.as_problem())
        unknown = UnknownStanding(standing)
        built = build_request(replace_path(document), base, {**checked, **known}, inputs=values, standing=unknown)
    built = with_connection(built, connection.headers if connection else (), connection.query if connection else ())
    if connection is not None:
        try:
            connection.guard.permission(built.request.url)
        except HostRefused as error:
            if strict:
                raise
            problems.append(error.as_problem())
    return PreparedCall(connection, built, problems, environment, service, bool(checked))


def _one_off(base_address: str) -> str:
    """The base address of a one-off. Raises InputError if it is none."""
    if not base_address:
        raise InputError(
            "neither a service nor a base address was given",
            where="/base_address",
            hint="paste a whole address, or choose a service",
        )
    problems = connection_problems(ConnectionDocument(base_address=base_address))
    if "{" in base_address or problems:
        words, hint = (problems[0].message, problems[0].hint) if problems else ("it has blanks", "write it out")
        raise InputError(f'"{base_address[:120]}" cannot be called: {words}', where="/base_address", hint=hint)
    return base_address


def replace_path(document: OperationDocument) -> OperationDocument:
    """The operation with a path that can be written although its template cannot."""
    return msgspec.structs.replace(document, path="/" + document.path.replace("{", "").replace("}", "").lstrip("/"))


def shown_request(ready: PreparedCall) -> str:
    """The request as it will be sent, signed in, with secrets masked."""
    connection = ready.connection
    if connection is None:
        return http_text(ready.built.request)
    context = SignInContext(
        connection.secrets[0], timezone.now, os.urandom, connection.base_address, connection.operations, {}
    )
    exchange = connection.sign_in.exchange(Send(ready.built.request), context)
    try:
        asked = next(exchange)
        if isinstance(asked, ReadToken):  # what is shown is a call with a token, whether there is one just now or not
            moment = timezone.now()
            asked = exchange.send(Token(Secret("", "access token"), moment))
        return http_text(asked.request if isinstance(asked, Send) else ready.built.request)
    except InputError:
        return http_text(ready.built.request)
    finally:
        exchange.close()


def sign_in_source(ready: PreparedCall) -> str:
    """Whether the operation signs in as its connection does, by its own sign-in, or not at all."""
    connection = ready.connection
    if connection is None or isinstance(connection.sign_in, NoSignIn):
        return "none"
    return "own" if connection.own_operation else "from connection"


def supported_uses(ready: PreparedCall) -> list[str]:
    """What the connection may be used for: live, copy, write; everything, while there is none."""
    connection = None
    if ready.service is not None:
        connection = Connection.objects.filter(service=ready.service, environment=ready.environment).first()
    document = connection.loaded() if connection else ConnectionDocument()
    return list(document.supports)


def trial_warnings(ready: PreparedCall) -> list[Problem]:
    """What a person should know before sending: limits that this call would use up, and what the connection warns
    of."""
    if ready.connection is None or ready.service is None:
        return []
    usage, now = usage_of(ready.connection.id)
    warnings = []
    if usage.held_until > now:
        words = f"all calls wait {wait_words(usage.held_until - now)} more: {usage.held_why}"
        warnings.append(Problem("limits", words, "it goes on by itself then"))
    for one in meter(ready.connection.limits, usage, now=now):
        if one.left <= 1 and (one.limit.calls > 1 or one.limit.span != "second"):
            when = f"{datetime.fromtimestamp(one.refills_at, UTC):%Y-%m-%d %H:%M:%S} UTC" if one.refills_at else "now"
            what = "nothing is left of" if one.left == 0 else "this call uses up the rest of"
            warnings.append(Problem("limits", f"{what} {one.limit.words}", f"it refills from {when}"))
    return warnings
