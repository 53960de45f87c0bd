"""The kinds of items around services."""

from rondine.core.connection import (
    ConnectionDocument,
    CredentialDocument,
    SampleDocument,
    ServiceDocument,
    connection_problems,
)
from rondine.core.errors import Problem
from rondine.core.protocols.rest import OperationDocument, operation_problems
from rondine.core.settings import load
from rondine.server.items.actions import ItemKind
from rondine.server.services.models import Connection, Credential, Environment, Operation, Sample, Service


def _connection(item: Connection) -> list[Problem]:
    document: ConnectionDocument = load(ConnectionDocument, item.document)
    problems = connection_problems(document)
    wanted = document.sign_in.secret_names()
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
    if item.credential is not None and item.credential.environment_id != item.environment_id:
        problems.append(
            Problem(
                "/credential",
                f'credential "{item.credential.name}" belongs to another environment',
                "make one for this environment",
            )
        )
    return problems


def _operation(item: Operation) -> list[Problem]:
    return operation_problems(load(OperationDocument, item.document))


SERVICES = ItemKind("services", "service", Service, ServiceDocument)
CREDENTIALS = ItemKind("credentials", "credential", Credential, CredentialDocument, {"environment": Environment})
CONNECTIONS = ItemKind(
    "connections",
    "connection",
    Connection,
    ConnectionDocument,
    {"service": Service, "environment": Environment, "credential": Credential},
    frozenset({"credential"}),
    _connection,
)
OPERATIONS = ItemKind(
    "operations", "operation", Operation, OperationDocument, {"service": Service}, problems=_operation
)
SAMPLES = ItemKind("samples", "sample", Sample, SampleDocument, {"operation": Operation}, frozenset({"operation"}))
