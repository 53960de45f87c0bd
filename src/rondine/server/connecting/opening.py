"""Connections opened: their settings, secrets and standing values, ready for the engine."""

from collections.abc import Mapping, Sequence
from typing import Any

from rondine.core.errors import (
    DraftError,
    NotFound,
    Problem,
)
from rondine.core.items.connection import ConnectionDocument, StandingParameter
from rondine.core.operations.document import (
    OperationDocument,
)
from rondine.core.operations.inputs import standing_value, value_text
from rondine.core.operations.values import ValueOf, parts_of
from rondine.core.secret import Secret
from rondine.core.signin import SignIn, SignInOperation
from rondine.core.signin.own import own_secrets
from rondine.engine.client import OpenConnection
from rondine.engine.guard import Guard, PermittedHost
from rondine.server.access.models import PermittedHost as PermittedHostRow
from rondine.server.access.models import Project
from rondine.server.connecting.belonging import belonging_problems
from rondine.server.connecting.kinds import CREDENTIALS
from rondine.server.connecting.models import Connection, Credential, Environment, Service, StandingValue
from rondine.server.connecting.secrets import secret_sets
from rondine.server.items.actions import find_item


def connection_for(service: Service, environment: Environment) -> Connection:
    connections = Connection.objects.select_related("credential")
    connection = connections.filter(service=service, environment=environment).first()
    if connection is None:
        raise NotFound(
            f'service "{service.name}" has no connection in "{environment.name}"',
            where="connection",
            hint="make one: rondine connection make",
        )
    connection.service, connection.environment, connection.project = service, environment, environment.project
    return connection


def open_connection(
    connection: Connection,
    operation: str = "",
    *,
    for_callers: bool = False,
    standing: Mapping[str, Any] | None = None,
) -> OpenConnection:
    """The connection ready to use, its secrets opened. operation: the name of one that may have a sign-in of its own.
    for_callers: it may lack what users of applications give; see `signed_in`.  standing: the environment's values, if
    they are read already.

    Raises DraftError with what is missing.
    """
    if connection.problems:
        first = connection.problems[0]
        raise DraftError(
            f'connection "{connection.name}" is not ready: {first["message"]}',
            where=f"connection {connection.name}",
            hint=first["hint"],
            problems=[Problem(**problem) for problem in connection.problems],
        )
    if strange := belonging_problems(connection):  # whatever was judged when it was saved
        raise DraftError(strange[0].message, where=f"connection {connection.name}", hint=strange[0].hint)
    document = connection.loaded()
    if not document.enabled:
        raise DraftError(
            f'connection "{connection.name}" is disabled',
            where=f"connection {connection.name}",
            hint=f"enable it: rondine connection enable {connection.name}",
        )
    own = document.own_sign_in(operation)
    token_id = f"{connection.pk}/{own.operation if own else ''}"
    sign_in = own.sign_in if own else document.sign_in
    secrets: tuple[Mapping[str, Secret], ...] = ({},)
    if connection.credential is not None and document.secret_names():
        secrets = secret_sets(connection.credential)
    if own and own.credential:
        wanted: Credential = find_item(CREDENTIALS, connection.project, own.credential)
        always = {
            name: value
            for name, value in secrets[0].items()
            if name in ("tls_private_key", "proxy_password", "caller_key")
        }
        secrets = tuple({**always, **secret_set} for secret_set in secret_sets(wanted))
    needed = {*sign_in.secret_names(), *({"caller_key"} if _signs_callers(document) else ())}
    lacking = sorted(needed - set(secrets[0] if secrets else ()))
    is_of_callers = document.callers_sign_in and own is None
    if lacking and not (for_callers and is_of_callers and set(lacking) <= set(own_secrets(sign_in))):
        raise cannot_sign_in(connection.name, lacking, own.credential if own else str(connection.credential or "NAME"))
    if standing is None:
        standing = standing_values(connection.project, connection.environment.name)
    return OpenConnection(
        id=str(connection.pk),
        version=connection.version,
        token_id=token_id,
        name=connection.name,
        base_address=document.address(),
        sign_in=sign_in,
        guard=guard_of(connection.project_id),
        secrets=secrets,
        headers=standing_parameters(document.headers, standing),
        query=standing_parameters(document.query, standing),
        time_outs=document.time_outs,
        retrying=document.retrying,
        breaker=document.breaker,
        max_size=document.most_bytes,
        authority=document.tls.authority,
        certificate=document.tls.certificate,
        proxy=document.proxy.address,
        proxy_user=document.proxy.user_name,
        further_origins=tuple(document.further_origins),
        limits=tuple(document.limits),
        parallel=document.parallel,
        operations=sign_in_operations(connection, sign_in),
        memory=_memory_of(token_id, connection.version),
        caller=document.caller,
        callers_sign_in=is_of_callers,
        lacking=tuple(lacking),
    )


def cannot_sign_in(name: str, lacking: Sequence[str], credential: str = "NAME") -> DraftError:
    """What cannot sign in is never sent."""
    return DraftError(
        f'connection "{name}" cannot sign in: {", ".join(lacking)} is missing',
        where=f"connection {name}",
        hint=f"rondine credential set {credential}",
    )


def _signs_callers(document: ConnectionDocument) -> bool:
    return document.caller is not None and document.caller.form == "signed"


#: What the sign-ins of this process keep between calls, such as digest challenges.
_memories: dict[str, tuple[int, dict[str, Any]]] = {}


def _memory_of(token_id: str, version: int) -> dict[str, Any]:
    """What is kept for a sign-in; another version of its connection begins anew."""
    held = _memories.get(token_id)
    if held is None or held[0] != version:
        held = _memories[token_id] = (version, {})
    return held[1]


def sign_in_operations(connection: Connection, sign_in: SignIn) -> dict[str, OperationDocument]:
    if not isinstance(sign_in, SignInOperation):
        return {}
    operation = connection.service.operations.filter(name=sign_in.operation).first()
    return {sign_in.operation: operation.loaded()} if operation else {}


def credential_of_connection(opened: OpenConnection) -> Credential | None:
    connection = Connection.objects.select_related("credential").filter(pk=opened.id).first()
    if connection is None:
        return None
    document = connection.loaded()
    own = document.own_sign_in(opened.own_operation)
    if own and own.credential:
        return Credential.objects.filter(project=connection.project, name=own.credential).first()
    return connection.credential


def standing_values(project: Project, environment: str) -> dict[str, Any]:
    """The values of one environment, by name."""
    found = {}
    for item in StandingValue.objects.filter(project=project):
        values = item.document.get("values", {})
        if environment in values:
            found[item.name] = values[environment]
    return found


def standing_parameters(
    parameters: Sequence[StandingParameter], standing: Mapping[str, Any]
) -> tuple[tuple[str, str], ...]:
    """Headers or query parameters that go with every request, their standing values filled in. Raises InputError for
    one without a value."""
    return tuple(
        (
            parameter.name,
            "".join(
                value_text(standing_value(part.standing, standing)) if isinstance(part, ValueOf) else part
                for part in parts_of(parameter.value)
            ),
        )
        for parameter in parameters
        if parameter.enabled
    )


def guard_of(project_id: int) -> Guard:
    return Guard(
        [
            PermittedHost(row.host, row.port, row.is_private)
            for row in PermittedHostRow.objects.filter(project_id=project_id)
        ]
    )


def environment_of(project: Project, name: str) -> Environment:
    environment = Environment.objects.filter(project=project, name=name).first()
    if environment is None:
        names = ", ".join(Environment.objects.filter(project=project).values_list("name", flat=True))
        raise NotFound(f'there is no environment "{name}"', where="environment", hint=f"known here: {names}")
    return environment
