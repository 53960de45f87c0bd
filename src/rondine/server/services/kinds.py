"""The kinds of items around services."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from cryptography import x509
from django.db.models import F, Q
from django.utils import timezone

from rondine.core.definitions.model import DefinitionDocument, references_in
from rondine.core.errors import InputError, Problem, did_you_mean
from rondine.core.items.connection import ConnectionDocument, OwnSignIn
from rondine.core.items.connection_problems import connection_problems
from rondine.core.items.credential import CredentialDocument
from rondine.core.items.sample import SampleDocument
from rondine.core.items.service import ServiceDocument
from rondine.core.items.standing_value import StandingValueDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.values import ValueOf, parts_of
from rondine.core.protocols.prepared import PreparedQueryDocument, prepared_names, prepared_problems, with_prepared
from rondine.core.protocols.problems import operation_problems
from rondine.core.settings import load
from rondine.core.signin import SignInOperation
from rondine.server.items.actions import ItemKind, refresh_problems
from rondine.server.items.models import Item
from rondine.server.services.belonging import belonging_problems, let_follow
from rondine.server.services.models import (
    AccessToken,
    Connection,
    Credential,
    Definition,
    Environment,
    Operation,
    PendingSignIn,
    Query,
    Sample,
    Service,
    StandingValue,
)


def _connection(item: Connection) -> list[Problem]:
    document: ConnectionDocument = load(ConnectionDocument, item.document)
    problems = connection_problems(document) + certificate_problems(document, timezone.now())
    wanted = document.secret_names()
    if isinstance(document.sign_in, SignInOperation) and document.sign_in.operation:
        names = Operation.objects.filter(service=item.service_id).values_list("name", flat=True)
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
    names = Operation.objects.filter(service=item.service_id).values_list("name", flat=True)
    if own.operation not in names:
        return [
            Problem(f"{here}/operation", f'there is no operation "{own.operation}"', did_you_mean(own.operation, names))
        ]
    if not own.sign_in.secret_names():
        return []
    found = Credential.objects.filter(
        project=item.project_id, name=own.credential, environment=item.environment_id
    ).first()
    if found is None:
        return [
            Problem(
                f"{here}/credential", f'there is no credential "{own.credential}" here', "name one of this environment"
            )
        ]
    missing = sorted(set(own.sign_in.secret_names()) - set(found.names) - {"tls_private_key"})
    return (
        [
            Problem(
                f"{here}/credential",
                f'credential "{found.name}" lacks {", ".join(missing)}',
                f"rondine credential set {found.name}",
            )
        ]
        if missing
        else []
    )


def _standing_in(document: ConnectionDocument) -> set[str]:
    return {
        part.standing
        for one in (*document.headers, *document.query)
        for part in parts_of(one.value)
        if one.enabled and isinstance(part, ValueOf) and part.standing
    }


def _standing_here(item: Connection) -> set[str]:
    found = StandingValue.objects.filter(project=item.project_id)
    return {one.name for one in found if item.environment.name in one.document.get("values", {})}


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
                Problem(f"/tls/{name}", "this is no certificate in PEM", "paste it from -----BEGIN CERTIFICATE----- on")
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
    """Connections that use them are looked at again, and opened again by all processes."""
    names = {one.name for one in items}
    users = Connection.objects.select_related("credential", "environment", "service").filter(
        project=items[0].project_id
    )
    concerned = [one for one in users if names & _standing_in(load(ConnectionDocument, one.document))]
    Connection.objects.filter(pk__in=[one.pk for one in concerned]).update(version=F("version") + 1)
    refresh_problems(CONNECTIONS, concerned)


def _operation(item: Operation) -> list[Problem]:
    document = load(OperationDocument, item.document)
    described = _description_problems(document, item)
    try:
        return operation_problems(with_queries(document, item.project_id)) + described
    except InputError as error:
        return [Problem(error.where, error.message, error.hint), *described]


def _description_problems(document: OperationDocument, item: Operation) -> list[Problem]:
    """Responses that are described by a definition which is not there, or by a schema that it does not have."""
    wanted = [(number, one) for number, one in enumerate(document.responses) if one.definition]
    if not wanted:
        return []
    known = dict(Definition.objects.filter(project=item.project_id).values_list("name", "schemas"))
    problems = []
    for number, one in wanted:
        here = f"/responses/{number}"
        if one.definition not in known:
            hint = did_you_mean(one.definition, known) or "import it first"
            problems.append(Problem(f"{here}/definition", f'there is no definition "{one.definition}"', hint))
            continue
        for name in references_in(one.schema):
            if name not in known[one.definition]:
                words = f'definition "{one.definition}" has no schema "{name}"'
                problems.append(Problem(f"{here}/schema", words, did_you_mean(name, known[one.definition])))
    return problems


def prepared_queries(project_id: int) -> dict[str, PreparedQueryDocument]:
    """The project's prepared queries, by name."""
    return {one.name: load(PreparedQueryDocument, one.document) for one in Query.objects.filter(project_id=project_id)}


def with_queries(document: OperationDocument, project_id: int) -> OperationDocument:
    """The operation with its prepared queries' texts in it; the database is asked only if it refers to any. Raises InputError for a missing one."""
    return with_prepared(document, prepared_queries(project_id)) if prepared_names(document) else document


def operations_using(item: Item, name: str) -> list[Operation]:
    """The operations that refer to a prepared query."""
    return uses_of_queries(item.project_id).get(name, [])


def uses_of_queries(project_id: int) -> dict[str, list[Operation]]:
    """The operations that refer to prepared queries, by the name of the query."""
    used: dict[str, list[Operation]] = {}
    for one in Operation.objects.filter(project_id=project_id).select_related("service").order_by("name"):
        for name in prepared_names(load(OperationDocument, one.document)):
            used.setdefault(name, []).append(one)
    return used


def _queries_changed(items: Sequence[Item]) -> None:
    for item in items:
        refresh_problems(OPERATIONS, operations_using(item, item.name))


def _query(item: Query) -> list[Problem]:
    return prepared_problems(load(PreparedQueryDocument, item.document))


def _operation_renamed(item: Operation, old: str) -> None:
    """The token of its own sign-in, and a person's pending one, go on under the new name."""
    for model in (AccessToken, PendingSignIn):
        model._default_manager.filter(connection__service=item.service_id, operation=old).update(operation=item.name)


def _sign_ins_changed(items: Sequence[Item]) -> None:
    """Connections whose sign-ins refer to operations or credentials by name are looked at again."""
    by_name = Q(document__own_sign_ins__0__isnull=False) | Q(document__sign_in__type="sign_in_operation")
    found = Connection.objects.select_related("credential", "environment", "service")
    refresh_problems(CONNECTIONS, found.filter(by_name, project=items[0].project_id))


DEFINITIONS = ItemKind(
    "definitions",
    "definition",
    Definition,
    DefinitionDocument,
    {"service": Service},
    made_by="definition import",
)
SERVICES = ItemKind("services", "service", Service, ServiceDocument)
CREDENTIALS = ItemKind(
    "credentials",
    "credential",
    Credential,
    CredentialDocument,
    {"environment": Environment},
    changed=_sign_ins_changed,
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
OPERATIONS = ItemKind(
    "operations",
    "operation",
    Operation,
    OperationDocument,
    {"service": Service},
    problems=_operation,
    renamed=_operation_renamed,
    changed=_sign_ins_changed,
)
QUERIES = ItemKind(
    "queries",
    "prepared query",
    Query,
    PreparedQueryDocument,
    problems=_query,
    changed=_queries_changed,
    made_by="query make",
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
SAMPLES = ItemKind(
    "samples",
    "sample",
    Sample,
    SampleDocument,
    {"operation": Operation},
    frozenset({"operation"}),
    made_by="sample keep",
)
