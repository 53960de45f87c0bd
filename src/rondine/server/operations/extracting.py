"""Key-like text moved into a credential in one action: out of an operation or a connection, into the sign-in, and out
of the revisions too."""

import base64
from collections.abc import Mapping
from typing import Any

import msgspec
from django.db import transaction

from rondine.core.errors import Conflict, InputError
from rondine.core.items.connection import ConnectionDocument
from rondine.core.operations.document import FormBody, OperationDocument
from rondine.core.settings import dump, load
from rondine.core.signin import ApiKey, Basic, Bearer, NoSignIn, SignIn
from rondine.core.signin.bearer import bare
from rondine.server.access.models import Person, Project
from rondine.server.connecting.kinds import CONNECTIONS, CREDENTIALS, SERVICES
from rondine.server.connecting.models import Connection, Credential
from rondine.server.connecting.opening import connection_for, environment_of
from rondine.server.connecting.secrets import set_secrets
from rondine.server.items.actions import change_item, find_item, make_item
from rondine.server.operations.forgetting import forget
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.releases.configuration import check_no_release_sends


def extract_secret(project: Project, person: Person, role: str, data: Mapping[str, Any]) -> dict[str, Any]:
    """Moves a fixed value into the credential of the service's connection and lets the sign-in carry it in the same
    place.

    data: service, environment, place (JSON Pointer of a finding), and either document (an operation not saved yet),
    operation (the name of a saved one), or neither: then the place is in the connection. Gives the document without the
    value, and the names of connection and credential. Raises Conflict if the connection signs in another way already,
    or a release that an environment goes by sends the value: it is overwritten there, too.
    """
    environment = environment_of(project, data["environment"])
    connection = connection_for(find_item(SERVICES, project, data["service"]), environment)
    saved: Any = None
    with transaction.atomic():
        document: dict[str, Any]
        if "document" in data:
            document = dump(load(OperationDocument, data["document"], where="/document"))
        else:
            saved = find_item(OPERATIONS, project, data["operation"]) if data.get("operation") else connection
            document = saved.document
        group, name, value = _taken(document, data["place"], is_operation=saved is not connection)
        check_no_release_sends(project, value)
        scheme, secrets = scheme_for(group, name, value)
        held = connection.loaded()
        if not isinstance(held.sign_in, NoSignIn) and held.sign_in != scheme:
            raise Conflict(
                f'connection "{connection.name}" signs in by {dump(held.sign_in)["type"].replace("_", " ")} already',
                where=f"connection {connection.name}",
                hint="take the value away where it stands, or let it be the connection's sign-in instead",
            )
        rest = _without(document, data["place"])
        credential = connection.credential or _new_credential(project, person, connection, role)
        set_secrets(project, person, credential.name, secrets, role)
        if saved is connection:
            wanted = load(ConnectionDocument, rest)
        else:
            wanted = held
            if saved is not None:
                changed = {"document": rest, "why": f"moved {name} into credential {credential.name}"}
                change_item(OPERATIONS, project, person, saved.name, changed, saved.version, role=role)
        connection.refresh_from_db()
        new = dump(msgspec.structs.replace(wanted, sign_in=scheme))
        change = {
            "document": new,
            "credential": credential.name,
            "why": f"moved {name} into credential {credential.name}",
        }
        change_item(CONNECTIONS, project, person, connection.name, change, connection.version, role=role)
        forget(project, connection.service, [value, *secrets.values()])
    return {"document": rest, "connection": connection.name, "credential": credential.name, "name": name}


def scheme_for(group: str, name: str, value: str) -> tuple[SignIn, dict[str, str]]:
    """The sign-in that sends this value in the same place."""
    if group == "headers" and name.lower() == "authorization":
        word = value.split()[0] if " " in value.strip() else ""
        if word.lower() == "basic":
            try:
                user, _, password = base64.b64decode(value.split()[1]).decode().partition(":")
                return Basic(user_name=user), {"password": password}
            except (ValueError, IndexError) as error:
                raise InputError(
                    "the Authorization header is not a user name and password", where="/headers", hint="enter them anew"
                ) from error
        return Bearer(prefix=word), {"token": bare(value, word)}
    carrier = {"headers": "header", "query": "query", "body": "body"}[group]
    return ApiKey(name=name, carrier=carrier), {"key": value.strip()}  # type: ignore[arg-type]


def _taken(document: Mapping[str, Any], place: str, *, is_operation: bool) -> tuple[str, str, str]:
    """(headers, query or body; the name; the fixed value) at a place."""
    kind: Any = OperationDocument if is_operation else ConnectionDocument
    whole = load(kind, document)
    steps = place.split("/")[1:]
    parameters: Any = None
    if len(steps) == 2 and steps[0] in ("headers", "query"):
        parameters = getattr(whole, steps[0])
    elif steps[:2] == ["body", "fields"] and len(steps) == 3 and isinstance(getattr(whole, "body", None), FormBody):
        parameters = whole.body.fields
    number = steps[-1] if steps else ""
    if parameters is None or not number.isdigit() or int(number) >= len(parameters):
        raise InputError(
            f"from {place or 'there'} nothing can be moved",
            where="/place",
            hint="name a header, query parameter or form field",
        )
    one = parameters[int(number)]
    if not isinstance(one.value, str) or not one.value:
        raise InputError(f'"{one.name}" has no fixed value', where="/place", hint="only a fixed value can be moved")
    return steps[0], one.name, one.value


def _without(document: Mapping[str, Any], place: str) -> dict[str, Any]:
    steps = place.split("/")[1:]
    out: dict[str, Any] = msgspec.json.decode(msgspec.json.encode(document))
    inner: Any = out
    for step in steps[:-1]:
        inner = inner[step]
    del inner[int(steps[-1])]
    return out


def _new_credential(project: Project, person: Person, connection: Connection, role: str) -> Credential:
    name = f"{connection.name}-key"[:63]
    credential = Credential.objects.filter(project=project, name=name, environment=connection.environment).first()
    data = {"name": name, "environment": connection.environment.name}
    return credential or make_item(CREDENTIALS, project, person, data, role=role)
