"""The kinds of items around services."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from cryptography import x509
from django.db.models import F
from django.utils import timezone

from rondine.core.errors import Problem, did_you_mean
from rondine.core.items.connection import ConnectionDocument, OwnSignIn
from rondine.core.items.connection_problems import connection_problems
from rondine.core.items.credential import CredentialDocument
from rondine.core.items.service import ServiceDocument
from rondine.core.items.standing_value import StandingValueDocument
from rondine.core.operations.values import ValueOf, parts_of
from rondine.core.signin import SignInOperation
from rondine.server.connecting.belonging import belonging_problems, let_follow
from rondine.server.connecting.models import (
    Connection,
    Credential,
    Environment,
    Service,
    StandingValue,
)
from rondine.server.items.kinds import ItemKind
from rondine.server.items.models import Item
from rondine.server.items.references import users_of


def _connection(item: Connection) -> list[Problem]:
    document: ConnectionDocument = item.loaded()
    problems = connection_problems(document) + certificate_problems(document, timezone.now())
    wanted = document.needed_secrets()
    if isinstance(document.sign_in, SignInOperation) and document.sign_in.operation:
        names = item.service.operations.values_list("name", flat=True)
        if document.sign_in.operation not in names:
            words = f'there is no operation "{document.sign_in.operation}" to sign in by'
            problems.append(Problem("/sign_in/operation", words, did_you_mean(document.sign_in.operation, names)))
    for number, own in enumerate(document.own_sign_ins):
        problems += _own_sign_in(item, own, f"/own_sign_ins/{number}")
    for name in sorted(_standing_in(document) - _standing_here(item)):
        problems.append(
            Problem(
                "/headers",
                f'the standing value "{name}" has no value in this environment',
                f"rondine standing-value set {name} VALUE --in {item.environment}",
            )
        )
    if wanted and item.credential is None:
        problems.append(Problem("/credential", "the sign-in needs a credential", "name one, and give it its secret"))
    elif item.credential is not None and (missing := sorted(set(wanted) - set(item.credential.names))):
        problems.append(
            Problem(
                "/credential",
                f'credential "{item.credential.name}" lacks {", ".join(missing)}',
                f"rondine credential set {item.credential.name}",
            )
        )
    problems += belonging_problems(item)
    if item.credential is not None and item.credential.environment_id != item.environment_id:
        problems.append(
            Problem(
                "/credential",
                f'credential "{item.credential.name}" belongs to another environment',
                "make one for this environment",
            )
        )
    return problems


def _own_sign_in(item: Connection, own: OwnSignIn, here: str) -> list[Problem]:
    names = item.service.operations.values_list("name", flat=True)
    if own.operation not in names:
        return [
            Problem(f"{here}/operation", f'there is no operation "{own.operation}"', did_you_mean(own.operation, names))
        ]
    if not own.sign_in.secret_names():
        return []
    credential = Credential.objects.filter(
        project=item.project_id, name=own.credential, environment=item.environment_id
    ).first()
    if credential is None:
        return [
            Problem(
                f"{here}/credential", f'there is no credential "{own.credential}" here', "name one of this environment"
            )
        ]
    missing = sorted(set(own.sign_in.secret_names()) - set(credential.names) - {"tls_private_key"})
    return (
        [
            Problem(
                f"{here}/credential",
                f'credential "{credential.name}" lacks {", ".join(missing)}',
                f"rondine credential set {credential.name}",
            )
        ]
        if missing
        else []
    )


def _standing_in(document: ConnectionDocument) -> set[str]:
    return {
        part.standing
        for standing_parameter in (*document.headers, *document.query)
        for part in parts_of(standing_parameter.value)
        if standing_parameter.enabled and isinstance(part, ValueOf) and part.standing
    }


def _standing_here(item: Connection) -> set[str]:
    found = StandingValue.objects.filter(project=item.project_id)
    return {
        standing_value.name
        for standing_value in found
        if item.environment.name in standing_value.document.get("values", {})
    }


def certificate_problems(document: ConnectionDocument, now: datetime) -> list[Problem]:
    """What is wrong with the certificates pasted into a connection."""
    problems = []
    for name in ("authority", "certificate"):
        text = getattr(document.tls, name)
        if not text:
            continue
        try:
            found = x509.load_pem_x509_certificates(text.encode())
        except ValueError:
            problems.append(
                Problem(
                    f"/tls/{name}", "this is not a certificate in PEM", "paste it from -----BEGIN CERTIFICATE----- on"
                )
            )
            continue
        if found[0].not_valid_after_utc < now:
            problems.append(
                Problem(
                    f"/tls/{name}",
                    f"the certificate expired on {found[0].not_valid_after_utc:%Y-%m-%d}",
                    "paste a new one",
                )
            )
    return problems


def _standing_value(item: StandingValue) -> list[Problem]:
    known = set(Environment.objects.filter(project=item.project_id).values_list("name", flat=True))
    return [
        Problem(f"/values/{name}", f'there is no environment "{name}"', did_you_mean(name, known))
        for name in item.document.get("values", {})
        if name not in known
    ]


def _touched_values(item: StandingValue, before: dict[str, Any] | None) -> list[Environment]:
    """The environments whose value a change touches."""
    old, new = (before or {}).get("values", {}), item.document.get("values", {})
    if before is None or before is item.document:
        names = set(new)
    else:
        names = {name for name in {*old, *new} if old.get(name) != new.get(name)}
    return list(Environment.objects.filter(project=item.project_id, name__in=names))


def standing_values_changed(items: Sequence[Item]) -> None:
    """Connections that use them are opened again by all processes."""
    users = users_of(STANDING_VALUES, {item.project_id for item in items}, {item.name for item in items})
    connections = {user.pk for pairs in users.values() for kind, user in pairs if kind is CONNECTIONS}
    Connection.objects.filter(pk__in=connections).update(version=F("version") + 1)


SERVICES = ItemKind("services", "service", Service, ServiceDocument)
CREDENTIALS = ItemKind(
    "credentials",
    "credential",
    Credential,
    CredentialDocument,
    {"environment": Environment},
)
CONNECTIONS = ItemKind(
    "connections",
    "connection",
    Connection,
    ConnectionDocument,
    {"service": Service, "environment": Environment, "credential": Credential},
    frozenset({"credential"}),
    _connection,
    admitted=let_follow,
)
STANDING_VALUES = ItemKind(
    "standing-values",
    "standing value",
    StandingValue,
    StandingValueDocument,
    problems=_standing_value,
    changed=standing_values_changed,
    environments=_touched_values,
    made_by="standing-value set",
)
