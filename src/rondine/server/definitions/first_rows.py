"""The first rows of an operation that is only described so far; nothing is stored, not even a run."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import uritemplate
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
from rondine.core.mapping.propose import row_choices
from rondine.core.operations.document import is_reading
from rondine.core.operations.inputs import checked_inputs
from rondine.core.paths import parse_jsonpath, parse_xpath
from rondine.core.protocols.judging import judged
from rondine.core.protocols.rest import build_request, with_connection
from rondine.core.signin import NoSignIn
from rondine.engine.client import Engine, Line
from rondine.server.access.models import Project
from rondine.server.connecting.models import (
    Service,
)
from rondine.server.connecting.opening import connection_for, environment_of, guard_of, line_of
from rondine.server.connecting.process import TRIAL_PATIENCE
from rondine.server.definitions.sources import Source, read
from rondine.server.threads import apart, release_database

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
    found = await apart(read)(source)
    described = next((one for one in found.operations if one.key == key), None)
    if described is None:
        known = [one.key for one in found.operations]
        words = f'the definition has no operation "{key[:120]}"'
        raise InputError(words, where="/key", hint=did_you_mean(key, known))
    if not is_reading(described.document):
        raise InputError(f"{described.document.method} may write", where="/key", hint="choose an operation that reads")
    line, base = await sync_to_async(_line_to)(project, found, service, environment)
    known_values = {
        one.name: one.try_value
        for one in described.document.inputs
        if one.try_value is not UNSET and one.try_value is not None
    }
    known_values |= {"top": MOST_ROWS} if any(one.name == "top" for one in described.document.inputs) else {}
    inputs = checked_inputs(described.document.inputs, {**known_values, **values})
    built = with_connection(build_request(described.document, base, inputs), line.headers, line.query)
    await release_database()
    arrival = await engine.call(line, Send(built.request), patience=TRIAL_PATIENCE)
    answer = ReadDocument(None)
    try:
        answer = read_document(arrival.body, media_type=arrival.media_type, charset=arrival.charset)
    except DocumentError:
        if 200 <= arrival.status < 300:
            raise
    meaning = judged(
        described.document.outcomes, arrival.status, answer, arrival.headers, head=arrival.body, charset=arrival.charset
    )
    if not meaning.is_good:
        return FirstRows(built.request.url, arrival.status, meaning.words, meaning.message, "", [], 0)
    best = row_choices(answer)[0]
    path = parse_xpath(best.path) if answer.is_xml else parse_jsonpath(best.path)
    rows = [node.value for node in path.find(answer.value)]
    return FirstRows(built.request.url, arrival.status, meaning.words, "", best.path, rows[:MOST_ROWS], len(rows))


def _line_to(project: Project, found: Read, service: str, environment: str) -> tuple[Line, str]:
    held = Service.objects.filter(project=project, name=service).first() if service else None
    if held is not None:
        line = line_of(connection_for(held, environment_of(project, environment)))
        return line, line.base_address
    if not found.servers:
        raise InputError(
            "the definition names no server", where="/service", hint="connect the service first, and name it"
        )
    base = uritemplate.expand(found.servers[0].address, dict(found.servers[0].blanks))
    return Line(f"definitions {project.pk}", 0, base, NoSignIn(), guard_of(project.pk), is_connection=False), base
