"""Credentials belong to the origins they were entered for: whose secret it is, and where it may be sent."""

from collections.abc import Iterator

from django.db.models import Q

from rondine.core.connection import ConnectionDocument
from rondine.core.errors import Problem
from rondine.core.settings import load
from rondine.core.signin import SignIn
from rondine.server.access.models import Person
from rondine.server.services.models import Connection, Credential


def uses_of(connection: Connection) -> Iterator[tuple[Credential, SignIn, str]]:
    """(credential, the sign-in it is for, its place in the document) of a connection and of its operations' own sign-ins."""
    document: ConnectionDocument = load(ConnectionDocument, connection.document)
    if connection.credential is not None and document.secret_names():
        yield connection.credential, document.sign_in, "/credential"
    for number, own in enumerate(document.own_sign_ins):
        if own.credential and own.sign_in.secret_names():
            found = Credential.objects.filter(
                project=connection.project_id, name=own.credential, environment=connection.environment_id
            ).first()
            if found is not None:
                yield found, own.sign_in, f"/own_sign_ins/{number}/credential"


def strange_origins(connection: Connection, credential: Credential, sign_in: SignIn) -> list[str]:
    """Those to which the connection would send secrets that were not entered for them."""
    if not credential.sealed:
        return []
    document: ConnectionDocument = load(ConnectionDocument, connection.document)
    return [one for one in document.secret_origins(sign_in) if one not in credential.origins]


def belonging_problems(connection: Connection) -> list[Problem]:
    """What keeps the secrets from being sent by this connection."""
    problems = []
    for credential, sign_in, place in uses_of(connection):
        if strange := strange_origins(connection, credential, sign_in):
            where = ", ".join(credential.origins) or "no address yet"
            problems.append(
                Problem(
                    place,
                    f'the secrets of credential "{credential.name}" were entered for {where}, and are not sent to {", ".join(strange)}',
                    f"enter them again: rondine credential set {credential.name} --for {strange[0]}; or an administrator permits it: "
                    f"rondine credential permit {credential.name} {strange[0]}",
                )
            )
    return problems


def let_follow(connection: Connection, person: Person | None, role: str | None) -> None:
    """Who entered the secrets knows them, and an administrator answers for them: what these two save may send them where it says."""
    for credential, sign_in, _ in uses_of(connection):
        strange = strange_origins(connection, credential, sign_in)
        is_own = person is not None and credential.set_by_id == person.pk
        if strange and (is_own or role in (None, "administrator")):
            add_origins(credential, strange)


def add_origins(credential: Credential, origins: list[str]) -> None:
    credential.origins = sorted({*credential.origins, *origins})
    credential.save(update_fields=["origins"])


def origins_in_use(credential: Credential) -> list[str]:
    """Where the connections that use it would send its secrets."""
    users = (
        Connection.objects.filter(project=credential.project_id)
        .filter(Q(credential=credential) | Q(document__own_sign_ins__contains=[{"credential": credential.name}]))
        .select_related("credential", "environment")
    )
    found: set[str] = set()
    for connection in users:
        document: ConnectionDocument = load(ConnectionDocument, connection.document)
        for used, sign_in, _ in uses_of(connection):
            if used.pk == credential.pk:
                found.update(document.secret_origins(sign_in))
    return sorted(found)
