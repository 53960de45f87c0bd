"""Reaching services: connections made ready, requests shown and tried, secrets set, responses looked at."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import msgspec
from asgiref.sync import sync_to_async
from django.db import connections, transaction
from django.utils import timezone

from rondine.core.connection import ConnectionDocument, SampleDocument
from rondine.core.documents import read_json
from rondine.core.errors import (
    Conflict,
    DocumentError,
    DraftError,
    HostRefused,
    InputError,
    NotFound,
    Problem,
    RondineError,
)
from rondine.core.http import Request, Response, Send, http_text, once, shown_headers, through
from rondine.core.mapping.propose import row_choices
from rondine.core.pagination.recognise import recognise
from rondine.core.protocols.inputs import checked_inputs
from rondine.core.protocols.outcome import outcome
from rondine.core.protocols.rest import (
    READING,
    Built,
    OperationDocument,
    build_request,
    operation_problems,
    with_connection,
)
from rondine.core.secret import Secret
from rondine.core.settings import dump, load
from rondine.engine.client import Arrival, Engine, Line, TimeOuts
from rondine.engine.guard import Guard, PermittedHost
from rondine.server.access.models import Person, Project
from rondine.server.items.actions import find_item, make_item, refresh_problems
from rondine.server.runs.models import Call, Run
from rondine.server.services.kinds import CONNECTIONS, CREDENTIALS, OPERATIONS, SAMPLES, SERVICES
from rondine.server.services.models import Body, Connection, Credential, Environment, Sample, Service
from rondine.server.services.sealing import seal, unseal

#: Bodies up to this size are stored with a trial; larger ones are cut off from storing, not from reading.
MOST_STORED = 64 * 1024 * 1024


def connection_for(service: Service, environment: Environment) -> Connection:
    found = (
        Connection.objects.select_related("credential", "service", "environment")
        .filter(service=service, environment=environment)
        .first()
    )
    if found is None:
        raise NotFound(
            f'service "{service.name}" has no connection in "{environment.name}"',
            where="connection",
            hint="make one: rondine connection make",
        )
    return found


def line_of(connection: Connection) -> Line:
    """The connection ready to use, its secrets opened. Raises DraftError with what is missing."""
    if connection.problems:
        first = connection.problems[0]
        raise DraftError(
            f'connection "{connection.name}" is not ready: {first["message"]}',
            where=f"connection {connection.name}",
            hint=first["hint"],
            problems=[Problem(**one) for one in connection.problems],
        )
    document: ConnectionDocument = load(ConnectionDocument, connection.document)
    secrets: dict[str, Secret] = {}
    credential = connection.credential
    if credential is not None and document.sign_in.secret_names():
        values = unseal(credential.key_version, bytes(credential.sealed), str(credential.pk))
        secrets = {name: Secret(value, credential.name) for name, value in values.items()}
    times = document.time_outs
    return Line(
        id=str(connection.pk),
        version=connection.version,
        base_address=document.base_address,
        sign_in=document.sign_in,
        guard=guard_of(connection.project_id),
        secrets=secrets,
        headers=tuple((one.name, one.value) for one in document.headers),
        time_outs=TimeOuts(times.connect, times.first_byte, times.idle, times.whole),
        max_size=document.most_bytes,
    )


def guard_of(project_id: int) -> Guard:
    from rondine.server.access.models import PermittedHost as Row

    return Guard(
        [PermittedHost(row.host, row.port, row.is_private) for row in Row.objects.filter(project_id=project_id)]
    )


def set_secrets(project: Project, name: str, secrets: Mapping[str, str], person: Person) -> Credential:
    """Replaces a credential's secrets; they are never given back."""
    credential: Credential = find_item(CREDENTIALS, project, name)
    if not secrets:
        raise InputError("no secret was given", where="/secrets", hint='such as {"key": "..."}')
    for secret_name, value in secrets.items():
        if not value or not value.isprintable() or value != value.strip():
            raise InputError(
                f'the secret "{secret_name}" is empty, or has blanks around it or characters that cannot be printed',
                where=f"/secrets/{secret_name}",
                hint="copy it again, without line breaks",
            )
    with transaction.atomic():
        credential.key_version, credential.sealed = seal(dict(secrets), str(credential.pk))
        credential.names = sorted(secrets)
        credential.version += 1
        credential.save()
        for connection in credential.connections.all():
            connection.version += 1
            connection.save(update_fields=["version"])
        refresh_problems(CONNECTIONS, credential.connections.select_related("credential"))
    return credential


@dataclass(frozen=True, slots=True)
class ReadyCall:
    """A request about to be sent: by which connection, with the origin of each value."""

    line: Line | None
    built: Built
    problems: list[Problem]
    environment: Environment
    service: Service


def prepare(
    project: Project,
    document: OperationDocument,
    service_name: str,
    environment_name: str,
    values: Mapping[str, Any],
    *,
    strict: bool,
) -> ReadyCall:
    """The request for these values. strict: raise what keeps it from being sent; otherwise list it and show what there is."""
    service: Service = find_item(SERVICES, project, service_name)
    environment = environment_of(project, environment_name)
    problems = operation_problems(document)
    if problems and strict:
        raise DraftError(
            f"the operation cannot be sent yet: {problems[0].message}",
            where=problems[0].where,
            hint=problems[0].hint,
            problems=problems,
        )
    line: Line | None = None
    base = "https://base-address.invalid"
    try:
        connection = connection_for(service, environment)
        base = connection.document.get("base_address") or base
        line = line_of(connection)
    except RondineError as error:
        if strict:
            raise
        problems += list(error.problems) or [Problem(error.where, error.message, error.hint)]
    checked: dict[str, Any] = {}
    try:
        checked = checked_inputs(document.inputs, values)
    except InputError as error:
        if strict:
            raise
        problems += list(error.problems)
    known = {
        one.name: f"{{{one.name}}}"
        for one in document.inputs
        if not strict and one.name not in checked and one.required
    }
    if any(problem.where == "/path" for problem in problems):
        document = replace_path(document)
    try:
        built = build_request(document, base, {**checked, **known}, given=values)
    except InputError as error:
        if strict:
            raise
        problems.append(Problem(error.where, error.message, error.hint))
        built = build_request(replace_path(document), base, {**checked, **known}, given=values)
    built = with_connection(built, line.headers if line else ())
    if line is not None:
        try:
            line.guard.permission(built.request.url)
        except HostRefused as error:
            if strict:
                raise
            problems.append(Problem(error.where, error.message, error.hint))
    return ReadyCall(line, built, problems, environment, service)


def replace_path(document: OperationDocument) -> OperationDocument:
    """The operation with a path that can be written although its template cannot."""
    return msgspec.structs.replace(document, path="/" + document.path.replace("{", "").replace("}", "").lstrip("/"))


def shown_request(ready: ReadyCall) -> str:
    """The request as it will be sent, signed in, with secrets masked."""
    line = ready.line
    if line is None:
        return http_text(ready.built.request)
    signed = through(once(ready.built.request), lambda ask: line.sign_in.exchange(ask, line.secrets))
    try:
        return http_text(next(signed).request)
    finally:
        signed.close()


def environment_of(project: Project, name: str) -> Environment:
    found = Environment.objects.filter(project=project, name=name).first()
    if found is None:
        names = ", ".join(Environment.objects.filter(project=project).values_list("name", flat=True))
        raise NotFound(f'there is no environment "{name}"', where="environment", hint=f"known here: {names}")
    return found


async def try_operation(
    project: Project,
    person: Person,
    engine: Engine,
    *,
    document: OperationDocument,
    service: str,
    environment: str,
    values: Mapping[str, Any],
    operation_name: str = "",
    confirmed: bool = False,
) -> Run:
    """Sends an operation from the draft once and stores the call as a run of kind trial. No database connection is held while it waits.

    Raises what keeps it from being sent; a failure on the way or a bad status is no exception but part of the run.
    """
    ready = await sync_to_async(prepare)(project, document, service, environment, values, strict=True)
    if document.method not in READING and not confirmed:
        raise Conflict(
            f"{document.method} may change something at the service",
            where="confirmed",
            hint="look at the request first, then send with confirmed: true (rondine operation try --confirm)",
        )
    assert ready.line is not None
    started = timezone.now()
    arrivals: list[Arrival] = []

    async def read(arrival: Arrival, ask: Send) -> Response:
        arrivals.append(arrival)
        return Response(arrival.status, arrival.headers, ask.request.url)

    error: RondineError | None = None
    await release_database()
    try:
        await engine.carry(ready.line, once(ready.built.request), read)
    except RondineError as failure:
        error = failure
    return await sync_to_async(_store_trial)(
        project, person, ready, arrivals, error, started, operation_name, dict(values)
    )


async def release_database() -> None:
    """Gives this request's database connection back before it waits for an outside service."""
    await sync_to_async(connections.close_all)()


def _store_trial(
    project: Project,
    person: Person,
    ready: ReadyCall,
    arrivals: list[Arrival],
    error: RondineError | None,
    started: Any,
    operation_name: str,
    values: dict[str, Any],
) -> Run:
    operation = (
        OPERATIONS.model._default_manager.filter(project=project, name=operation_name).first()
        if operation_name
        else None
    )
    arrival = arrivals[0] if arrivals else None
    is_good = error is None and arrival is not None and arrival.status < 300
    with transaction.atomic():
        run = Run.objects.create(
            project=project,
            environment=ready.environment,
            kind="trial",
            operation=operation,
            title=f"{ready.built.request.method} {ready.built.request.url}"[:300],
            state="done" if is_good else "failed",
            attempt=1,
            inputs=json.loads(json.dumps(values, default=str)),
            by=person,
            started_at=started,
            ended_at=timezone.now(),
            ending="" if error is None else error.message[:300],
            is_complete=is_good,
            error=problem_of(error) if error else None,
        )
        body = None
        if arrival is not None and arrival.body and len(arrival.body) <= MOST_STORED:
            body = Body.of(project.pk, arrival.body, arrival.media_type, arrival.charset)
            body.save()
        Call.objects.create(
            run=run,
            number=1,
            method=ready.built.request.method,
            url=ready.built.request.url,
            request=shown_request(ready),
            at=started,
            status=arrival.status if arrival else None,
            reason=arrival.reason if arrival else "",
            headers=shown_headers(arrival.headers) if arrival else [],
            size=len(arrival.body) if arrival else None,
            timings=arrival.timings.to_json() if arrival else {},
            error=run.error,
            body=body,
        )
    return run


def problem_of(error: RondineError) -> dict[str, Any]:
    return {"code": error.code, "message": error.message, "where": error.where, "hint": error.hint}


def trial_report(run: Run) -> dict[str, Any]:
    """What a person wants to see of a trial: the call, its meaning, and what could become rows."""
    call = run.calls.select_related("body").get(number=1)
    report: dict[str, Any] = {
        "run": run.pk,
        "call": call,
        "outcome": None,
        "body": None,
        "unreadable": "",
        "row_choices": [],
        "paging": [],
    }
    value: Any = None
    if call.body is not None:
        report["body"] = str(call.body.pk)
        try:
            value = value_of(call.body)
            report["row_choices"] = shown_row_choices(value)
            report["paging"] = [
                {"paging": dump(one.paging), "reason": one.reason}
                for one in recognise(call.url, tuple(map(tuple, call.headers)), value)
            ]
        except DocumentError as error:
            report["unreadable"] = str(error)
    if call.status is not None:
        meaning = outcome(call.status, value, tuple(map(tuple, call.headers)))
        report["outcome"] = {
            "is_good": meaning.is_good,
            "words": meaning.words,
            "hint": meaning.hint,
            "message": meaning.message,
        }
    return report


def shown_row_choices(value: Any) -> list[dict[str, Any]]:
    """What could become rows, the twenty likeliest."""
    return [{"path": one.path, "count": one.count, "holds": one.holds} for one in row_choices(value)[:20]]


def value_of(body: Body) -> Any:
    """The body's JSON value. Raises DocumentError with line and column."""
    return read_json(body.content(), charset=body.charset)


def body_of(project: Project, body_id: str) -> Body:
    found = Body.objects.filter(project=project, pk=body_id).first()
    if found is None:
        raise NotFound(
            "this body is not stored, or not any more", where=f"body {body_id}", hint="try the operation again"
        )
    return found


def keep_sample(project: Project, person: Person, given: Mapping[str, Any]) -> Sample:
    """A sample from a trial's call (`run`) or from pasted text. Raises DocumentError if the text is not sound."""
    text = given.get("text")
    if (text is None) == (given.get("run") is None):
        raise InputError(
            "give either a run or a text", where="/run", hint="run: the number of a trial; text: a response pasted"
        )
    if text is not None:
        content = text.encode("utf-8", "surrogatepass")
        media_type = given.get("media_type") or "application/json"
        if "json" not in media_type:
            raise InputError(f'samples of "{media_type}" are not read yet', where="/media_type", hint="paste JSON")
        read_json(content, name="the sample")
        document, body = SampleDocument(), Body.of(project.pk, content, media_type, "utf-8")
    else:
        call = Call.objects.select_related("body").filter(run__project=project, run_id=given["run"], number=1).first()
        if call is None or call.body is None:
            raise NotFound(
                f"run {given['run']} has no stored response",
                where="/run",
                hint="try the operation again, then keep its response",
            )
        document, body = (
            SampleDocument(request=call.request, status=call.status, headers=[list(one) for one in call.headers]),
            call.body,
        )
    body.save()
    wanted = {
        "name": given["name"],
        "title": given.get("title", ""),
        "operation": given.get("operation"),
        "document": dump(document),
    }
    return make_item(SAMPLES, project, person, wanted, body=body)


async def check_connection(project: Project, name: str, engine: Engine, person: Person) -> dict[str, Any]:
    """Whether a connection works: permitted, reached, signed in; each step with its outcome in words. Sends one GET to the base address."""
    connection = await sync_to_async(find_item)(CONNECTIONS, project, name)
    steps: list[dict[str, Any]] = []

    def step(title: str, is_good: bool, words: str, hint: str = "") -> None:
        steps.append({"step": title, "is_good": is_good, "words": words, "hint": hint})

    try:
        line = await sync_to_async(line_of)(connection)
        step("settings", True, "complete")
        line.guard.permission(line.base_address)
        step("permission", True, "the host is permitted")
        arrivals: list[Arrival] = []

        async def read(arrival: Arrival, ask: Send) -> Response:
            arrivals.append(arrival)
            return Response(arrival.status, arrival.headers)

        request = Request("GET", line.base_address, tuple(line.headers))
        await release_database()
        await engine.carry(line, once(request), read)
        arrival = arrivals[0]
        step("reach", True, f"the service responds after {arrival.timings.first_byte:.0f} ms")
        if arrival.status in (401, 403):
            value = None
            try:
                value = read_json(arrival.body)
            except DocumentError:
                pass
            meaning = outcome(arrival.status, value)
            step(
                "sign-in",
                False,
                f"{arrival.status}: {meaning.words}{' - ' + meaning.message if meaning.message else ''}",
                meaning.hint,
            )
        else:
            step("sign-in", True, f"not refused (the base address answered {arrival.status})")
    except RondineError as error:
        step(
            {"host_not_permitted": "permission", "not_ready": "settings"}.get(error.code, "reach"),
            False,
            error.message,
            error.hint,
        )
    result = {"works": all(one["is_good"] for one in steps), "steps": steps, "at": timezone.now().isoformat()}
    await Connection.objects.filter(pk=connection.pk).aupdate(check_result=result)
    return result
