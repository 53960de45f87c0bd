"""The first rows of an operation that is only described so far; nothing is stored, not even a run."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from asgiref.sync import sync_to_async
from msgspec import UNSET

from rondine.core.definitions import Definition as Read
from rondine.core.documents import ReadDocument, read_document
from rondine.core.errors import (
    DocumentError,
    InputError,
    did_you_mean,
)
from rondine.core.http.messages import Send
from rondine.core.http.templates import expand_address
from rondine.core.mapping.propose import row_choices
from rondine.core.operations.document import is_reading
from rondine.core.operations.inputs import checked_inputs
from rondine.core.paths import parse_jsonpath, parse_xpath
from rondine.core.protocols.classifying import classify_response
from rondine.core.protocols.rest import build_request, with_connection
from rondine.core.signin import NoSignIn
from rondine.engine.client import Engine, OpenConnection
from rondine.server.access.models import Project
from rondine.server.connecting.models import (
    Service,
)
from rondine.server.connecting.opening import connection_for, environment_of, guard_of, open_connection
from rondine.server.connecting.process import TRIAL_PATIENCE
from rondine.server.definitions.sources import Source, read
from rondine.server.threads import in_own_thread, release_database

#: Rows that are asked for and shown.
MOST_ROWS = 10


@dataclass(frozen=True, slots=True)
class FirstRows:
    """url: what was asked, without secrets.  path: where the rows are in the response, a JSONPath.  rows: the first of
    them, as JSON."""

    url: str
    status: int
    words: str
    message: str
    path: str
    rows: list[Any]
    count: int


async def first_rows(
    project: Project,
    engine: Engine,
    source: Source,
    key: str,
    *,
    service: str,
    environment: str,
    values: Mapping[str, Any],
) -> FirstRows:
    """Asks the service for the first rows of an operation that is only described so far. Nothing is stored, not even a
    run.

    It signs in by the service's connection in the environment; without one it asks the definition's first server as it
    is.
    """
    definition = await in_own_thread(read)(source)
    described = next((operation for operation in definition.operations if operation.key == key), None)
    if described is None:
        known = [operation.key for operation in definition.operations]
        words = f'the definition has no operation "{key[:120]}"'
        raise InputError(words, where="/key", hint=did_you_mean(key, known))
    if not is_reading(described.document):
        raise InputError(f"{described.document.method} may write", where="/key", hint="choose an operation that reads")
    opened, base = await sync_to_async(_connection_to)(project, definition, service, environment)
    known_values = {
        input_.name: input_.try_value
        for input_ in described.document.inputs
        if input_.try_value is not UNSET and input_.try_value is not None
    }
    known_values |= {"top": MOST_ROWS} if any(input_.name == "top" for input_ in described.document.inputs) else {}
    inputs = checked_inputs(described.document.inputs, {**known_values, **values})
    built = with_connection(build_request(described.document, base, inputs), opened.headers, opened.query)
    await release_database()
    received = await engine.call(opened, Send(built.request), patience=TRIAL_PATIENCE)
    received = replace(received, read_as=described.document.response.read_as)
    answer = ReadDocument(None)
    try:
        answer = read_document(received.body, media_type=received.media_type, charset=received.charset)
    except DocumentError:
        if 200 <= received.status < 300:
            raise
    meaning = classify_response(
        described.document.outcomes,
        received.status,
        answer,
        received.headers,
        head=received.body,
        charset=received.charset,
    )
    if not meaning.is_good:
        return FirstRows(built.request.url, received.status, meaning.words, meaning.message, "", [], 0)
    best = row_choices(answer)[0]
    path = parse_xpath(best.path) if answer.is_xml else parse_jsonpath(best.path)
    rows = [node.value for node in path.find(answer.value)]
    return FirstRows(built.request.url, received.status, meaning.words, "", best.path, rows[:MOST_ROWS], len(rows))


def _connection_to(project: Project, found: Read, service: str, environment: str) -> tuple[OpenConnection, str]:
    held = Service.objects.filter(project=project, name=service).first() if service else None
    if held is not None:
        opened = open_connection(connection_for(held, environment_of(project, environment)))
        return opened, opened.base_address
    if not found.servers:
        raise InputError(
            "the definition names no server", where="/service", hint="connect the service first, and name it"
        )
    base = expand_address(found.servers[0].address, found.servers[0].blanks)
    return OpenConnection(
        f"definitions {project.pk}", 0, base, NoSignIn(), guard_of(project.pk), is_connection=False
    ), base
