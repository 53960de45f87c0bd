"""Credentials belong to the origins they were entered for: whose secret it is, and where it may be sent."""

from collections.abc import Iterator
from dataclasses import dataclass

from django.db.models import Q, QuerySet

from rondine.core.errors import Problem
from rondine.server.access.models import Person
from rondine.server.connecting.models import Connection, Credential


@dataclass(frozen=True, slots=True)
class Use:
    """A credential that a connection uses. place: where in its document.  origins: where its secrets would be sent."""

    credential: Credential
    place: str
    origins: list[str]

    @property
    def strange(self) -> list[str]:
        """The origins that its secrets were not entered for."""
        return (
            [origin for origin in self.origins if origin not in self.credential.origins]
            if self.credential.encrypted
            else []
        )


def uses_of(connection: Connection) -> Iterator[Use]:
    """For its own sign-in, and for those that operations have of their own."""
    document = connection.loaded()
    if connection.credential is not None and document.secret_names():
        yield Use(connection.credential, "/credential", document.secret_origins(document.sign_in))
    for number, own in enumerate(document.own_sign_ins):
        if own.credential and own.sign_in.secret_names():
            credential = Credential.objects.filter(
                project=connection.project_id, name=own.credential, environment=connection.environment_id
            ).first()
            if credential is not None:
                yield Use(credential, f"/own_sign_ins/{number}/credential", document.secret_origins(own.sign_in))


def belonging_problems(connection: Connection) -> list[Problem]:
    """What keeps the secrets from being sent by this connection."""
    problems = []
    for use in uses_of(connection):
        if strange := use.strange:
            name, where = use.credential.name, ", ".join(use.credential.origins) or "no address yet"
            problems.append(
                Problem(
                    use.place,
                    f'the secrets of credential "{name}" were entered for {where}, and are not sent to'
                    f" {', '.join(strange)}",
                    f"enter them again: rondine credential set {name} --for {strange[0]}; or an administrator permits"
                    f" it: rondine credential permit {name} {strange[0]}",
                )
            )
    return problems


def let_follow(connection: Connection, person: Person | None, role: str | None) -> None:
    """Who entered the secrets knows them, and an administrator answers for them: what these two save may send them
    where it says."""
    for use in uses_of(connection):
        is_own = person is not None and use.credential.set_by_id == person.pk
        if use.strange and (is_own or role in (None, "administrator")):
            add_origins(use.credential, use.strange)


def add_origins(credential: Credential, origins: list[str]) -> None:
    credential.origins = sorted({*credential.origins, *origins})
    credential.save(update_fields=["origins"])


def connections_with(credential: Credential) -> QuerySet[Connection]:
    """The connections that sign in with it, or one of whose operations does."""
    return Connection.objects.filter(project=credential.project_id).filter(
        Q(credential=credential) | Q(document__own_sign_ins__contains=[{"credential": credential.name}])
    )


def origins_in_use(credential: Credential) -> list[str]:
    """Where the connections that use it would send its secrets."""
    users = connections_with(credential).select_related("credential", "environment")
    return sorted(
        {
            origin
            for user in users
            for use in uses_of(user)
            if use.credential.pk == credential.pk
            for origin in use.origins
        }
    )
