"""Trials: an operation sent once, and what its response means."""

import json
import os
import re
from collections.abc import Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field, replace
from typing import Any

from asgiref.sync import sync_to_async
from django.db import transaction
from django.utils import timezone

from rondine.core.documents import ReadDocument
from rondine.core.documents.csv import is_csv, told_dialect
from rondine.core.documents.json import duplicate_key_notes
from rondine.core.documents.reading import text_of_body
from rondine.core.errors import (
    Conflict,
    DocumentError,
    Problem,
    RondineError,
    ServiceError,
)
from rondine.core.http.messages import Response, Send, http_text, shown_headers, without_secrets
from rondine.core.mapping.propose import RowChoice, row_choices
from rondine.core.mapping.row_lists import first_list
from rondine.core.media_types import bare_media_type
from rondine.core.operations.document import (
    OperationDocument,
    OutcomeRules,
    ResponseDescription,
    called_in_body,
    is_reading,
    response_for,
)
from rondine.core.operations.outcome import Outcome, is_conditional, unasked_304, without_sign_in
from rondine.core.pagination.recognise import PagingGuess, recognise
from rondine.core.pagination.signs import signs_of
from rondine.core.paths import parse_xpath
from rondine.core.protocols.classifying import classify_response
from rondine.core.protocols.paged import inputs_by_carrier
from rondine.core.schema import Correction, Shape
from rondine.core.schema.check import as_described, differences
from rondine.core.secret import MASK, Secret
from rondine.core.settings import dump, load
from rondine.core.signin import NoSignIn, SignInContext, SignInOperation
from rondine.engine.client import Engine
from rondine.engine.connection import cleaned, cleaned_text
from rondine.engine.receiving import Received, SideCall
from rondine.server.access.models import Person, Project
from rondine.server.connecting.models import Connection
from rondine.server.connecting.process import TRIAL_PATIENCE
from rondine.server.operations.models import Definition, Operation
from rondine.server.operations.requests import PreparedCall, prepare, shown_request
from rondine.server.runs.bodies import document_of
from rondine.server.runs.calls import here, problem_of, side_call, via_of
from rondine.server.runs.models import Body, Call, Run
from rondine.server.threads import release_database

#: Bodies up to this size are stored with a trial; larger ones are cut off from storing, not from reading.
MOST_STORED = 64 * 1024 * 1024


#: Bytes of a trial's response up to which it is looked through for names that are duplicated.
MOST_LOOKED_THROUGH = 4 * 1024 * 1024


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
    base_address: str = "",
    confirmed: bool = False,
    in_protected: bool = False,
    empty_is_meant: bool = False,
) -> Run:
    """Sends an operation from the draft once and stores the call as a run of kind trial. No database connection is held
    while it waits.

    base_address: in place of a service, for a one-off; the run keeps the draft, so that service, connection and
    operation can be made of it.

    Raises what keeps it from being sent; a failure on the way or a bad status is not an exception but part of the run.
    """
    ready = await sync_to_async(prepare)(
        project,
        document,
        service,
        environment,
        values,
        strict=True,
        operation=operation_name,
        base_address=base_address,
    )
    if not is_reading(document) and ready.environment.is_protected and not in_protected:
        raise Conflict(
            f'{document.method} may change something, and environment "{environment}" is protected',
            where="in_protected",
            hint="if it is meant, say so: in_protected: true (rondine operation try --in-protected)",
        )
    if not is_reading(document) and not confirmed:
        raise Conflict(
            f"{document.method} may change something at the service",
            where="confirmed",
            hint="look at the request first, then send with confirmed: true (rondine operation try --confirm)",
        )
    if not is_reading(document) and document.inputs and not ready.has_values and not empty_is_meant:
        count = len(document.inputs)
        none = f"none of its {count} inputs has a value" if count > 1 else "its input has no value"
        raise Conflict(
            f"{document.method} may change something, and {none}",
            where="empty_is_meant",
            hint="give them values; if it is meant, say so: empty_is_meant: true (rondine operation try --empty)",
        )
    assert ready.connection is not None
    started = timezone.now()
    replies: list[Received] = []
    sides: list[SideCall] = []
    error: RondineError | None = None
    await release_database()
    try:
        received = await engine.call(
            ready.connection, Send(ready.built.request), patience=TRIAL_PATIENCE, on_side_call=sides.append
        )
        replies.append(replace(received, read_as=document.response.read_as))
    except RondineError as failure:
        error = failure
    one_off = {"base_address": base_address, "document": dump(document)} if ready.service is None else {}
    one_off["outcomes"] = dump(document.outcomes)
    one_off["described"] = {
        "responses": dump(document.responses),
        "rows": list(document.response.rows),
        "paging": dump(document.paging) if document.paging is not None else None,
        "inputs": inputs_by_carrier(document),
        "definition": document.came_from.definition if document.came_from is not None else "",
    }
    one_off["signs_in"] = not isinstance(ready.connection.sign_in, NoSignIn)
    label = called_in_body(document)
    return await sync_to_async(_store_trial)(
        project, person, ready, replies, sides, error, started, operation_name, dict(values), one_off, label
    )


def _store_trial(
    project: Project,
    person: Person,
    ready: PreparedCall,
    replies: list[Received],
    sides: list[SideCall],
    error: RondineError | None,
    started: Any,
    operation_name: str,
    values: dict[str, Any],
    one_off: dict[str, Any],
    label: str,
) -> Run:
    operation = Operation.objects.filter(project=project, name=operation_name).first() if operation_name else None
    received = replies[0] if replies else None
    request_text = http_text(received.request) if received else shown_request(ready)
    url = ready.built.request.url
    if sensitive := sign_in_values(ready, operation_name, values, received):
        if received is not None:
            received = replace(
                received,
                body=cleaned(received.body, sensitive),
                headers=tuple((name, cleaned_text(value, sensitive)) for name, value in received.headers),
            )
        request_text, url = cleaned_text(request_text, sensitive), cleaned_text(url, sensitive)
        names = {secret.label for secret in sensitive}
        values = {name: MASK if name in names else value for name, value in values.items()}
    nothing_found = one_off["outcomes"].get("nothing_found", {}).get("statuses", [])
    is_good = (
        error is None
        and received is not None
        and (received.status < 300 or received.status == 304 or received.status in nothing_found)
    )
    with transaction.atomic():
        run = Run.objects.create(
            project=project,
            environment=ready.environment,
            kind="trial",
            operation=operation,
            title=f"{ready.built.request.method} {url}{' · ' + label if label else ''}"[:300],
            state="done" if is_good else "failed",
            attempt=1,
            inputs=json.loads(json.dumps(values, default=str)),
            content=one_off,
            by=person,
            started_at=started,
            ended_at=timezone.now(),
            ending="" if error is None else error.message[:300],
            error=problem_of(error) if error else None,
        )
        body = None
        if received is not None and received.body and len(received.body) <= MOST_STORED:
            body = Body.of(project.pk, received.body, received.media_type, received.charset)
            body.save()
        Call.objects.create(
            run=run,
            number=1,
            method=ready.built.request.method,
            url=url,
            request=request_text,
            at=started,
            status=received.status if received else None,
            reason=received.reason[:200] if received else "",
            headers=shown_headers(received.headers) if received else [],
            size=len(received.body) if received else None,
            timings=received.timings.to_json() if received else {},
            error=run.error,
            body=body,
            via=via_of(ready.connection),
            by=here(),
        )
        Call.objects.bulk_create(
            side_call(run.pk, number, side, ready.connection) for number, side in enumerate(sides, 2)
        )
    return run


def sign_in_values(
    ready: PreparedCall, operation: str, values: Mapping[str, Any], received: Received | None
) -> list[Secret]:
    """What must not be kept of a trial of the sign-in operation: its secret inputs, by their names, and the token."""
    if ready.service is None:
        return []
    connection = Connection.objects.filter(service=ready.service, environment=ready.environment).first()
    scheme = connection.loaded().sign_in if connection else None
    if not isinstance(scheme, SignInOperation) or scheme.operation != operation:
        return []
    secrets = [Secret(str(values[name]), name) for name in scheme.secret_inputs if values.get(name)]
    if received is not None:
        context = SignInContext({}, timezone.now, os.urandom)
        try:
            response = Response(received.status, received.headers, content=received.body)
            secrets.append(scheme.read(response, context, where="trial").access)
        except RondineError:
            pass
    return secrets


@dataclass(slots=True)
class TrialReport:
    """What a person wants to see of a trial. run: its number.  body: of the response, if it is stored.  format: json,
    ndjson, csv or xml, empty if there is nothing to read.  unreadable: why, where it cannot be read.  described: which
    response of the definition it is, such as 200, 4XX or default. differences: from that.  notes: what to mind when it
    is read."""

    run: int
    call: Call
    outcome: Outcome | None = None
    body: Any = None
    format: str = ""
    unreadable: str = ""
    row_choices: Sequence[Any] = ()
    paging: Sequence[PagingGuess] = ()
    described: str = ""
    differences: Sequence[Problem] = ()
    notes: list[str] = field(default_factory=list)


def trial_report(run: Run) -> TrialReport:
    """The call of a trial, its meaning, and what could become rows. The run then says the same of how it ended."""
    call = run.calls.select_related("body").get(number=1)
    report = TrialReport(run.pk, call)
    read = _read_response(run, call, report)
    if call.status is None:
        return report
    if report.body and not report.unreadable:
        names = {name.lower() for name, _ in call.headers}
        report.described, report.differences = against_definition(run, call.status, read, names)
    report.outcome = _outcome_of(run, call, call.status, read, report.unreadable)
    if not report.outcome.is_good and run.error is None:
        outcome = report.outcome
        words = f"{outcome.words} - {outcome.message}" if outcome.message else outcome.words
        error = ServiceError(words, where=f"{call.method} {without_secrets(call.url)}", hint=outcome.hint)
        run.state, run.ending, run.error = "failed", words[:300], problem_of(error)
        run.save(update_fields=["state", "ending", "error"])
    return report


def _read_response(run: Run, call: Call, report: TrialReport) -> ReadDocument:
    """The response's document, and in the report what can be said of it without knowing the operation."""
    if call.body is None:
        return ReadDocument(None)
    report.body = call.body_id
    try:
        read = document_of(call.body)
    except DocumentError as error:
        report.unreadable = str(error)
        return ReadDocument(None)
    report.format = read.format
    if read.format == "json" and call.body.size <= MOST_LOOKED_THROUGH:
        report.notes += duplicate_key_notes(text_of_body(call.body.content(), call.body.charset), 5)
    media_type = call.body.media_type
    if read.format == "csv":
        report.notes.append(told_dialect(call.body.content(), media_type, call.body.charset))
    if (read.format == "xml") != bool(re.search(r"\bxml$", media_type)) and _is_structured(media_type):
        report.notes.append(f"its Content-Type says {media_type}, and it is {read.format.upper()}")
    report.row_choices = likely_rows(read)
    inputs = run.content.get("described", {}).get("inputs", {})
    headers = tuple(map(tuple, call.headers))
    report.paging = recognise(call.url, headers, read.value, is_xml=read.is_xml, inputs=inputs)
    report.notes += _more_than_came(run, call, read, report.row_choices)
    return read


def _outcome_of(run: Run, call: Call, status: int, read: ReadDocument, unreadable: str) -> Outcome:
    """What the response means: by the rules of the operation, by its status, and by what was asked for."""
    if status == 304 and not is_conditional(re.findall(r"^([\w-]+):", call.request, re.MULTILINE)):
        return unasked_304()
    rules = outcome_rules(run)
    head, charset = b"", ""
    if call.body is not None and any(rule.text for rule in rules.failures):
        head, charset = call.body.content(), call.body.charset
    outcome = classify_response(rules, status, read, tuple(map(tuple, call.headers)), head=head, charset=charset)
    if status == 401 and not run.content.get("signs_in", True):
        return without_sign_in(outcome, is_one_off="base_address" in run.content)
    if outcome.is_good and unreadable and _wants_to_read(run, call):
        return Outcome(False, "the answer cannot be read", "see why below", unreadable[:500])
    return outcome


def _is_structured(media_type: str) -> bool:
    """Whether a media type is one of JSON, XML or CSV."""
    return bool(re.search(r"\b(json|xml|x-ndjson|ndjson)$", bare_media_type(media_type))) or is_csv(media_type)


def _wants_to_read(run: Run, call: Call) -> bool:
    """Whether the body was to be read as a structure: it says that it is JSON or XML, or the operation describes it, or
    makes rows of it."""
    media_type = call.body.media_type.lower() if call.body is not None else ""
    described = run.content.get("described", {})
    is_structure = _is_structured(media_type)
    has_feeds = run.operation is not None and run.operation.feeds.exists()
    good = [
        response
        for response in described.get("responses", [])
        if response["status"] in ("2XX", "default", str(call.status))
    ]
    wants = any("json" in one.get("media_type", "") or "xml" in one.get("media_type", "") for one in good)
    return is_structure or wants or bool(described.get("rows")) or has_feeds


def _more_than_came(run: Run, call: Call, read: ReadDocument, choices: Sequence[RowChoice]) -> list[str]:
    """What says that the likeliest rows of a response are not all, where the operation follows no paging."""
    paging = run.content.get("described", {}).get("paging") or {"type": "one_response"}
    if paging["type"] != "one_response" or not choices:
        return []
    way = (parse_xpath(choices[0].path).names() or ()) if read.is_xml else first_list(choices[0].path)
    if way is None:
        return []
    signs = signs_of(tuple(map(tuple, call.headers)), read.value, [way], status=call.status or 200, is_xml=read.is_xml)
    missing = signs.missing(choices[0].count)
    return (
        [f"these rows are not all: {missing}; a feed has to follow the paging, or says that it is not complete"]
        if missing
        else []
    )


def outcome_rules(run: Run) -> OutcomeRules:
    """The rules by which a trial's response is judged: those of the draft that was sent, or of the operation."""
    held = run.content.get("outcomes")
    if held is None and run.operation is not None:
        held = run.operation.document.get("outcomes")
    return load(OutcomeRules, held or {})


def against_definition(
    run: Run, status: int, read: ReadDocument, headers: AbstractSet[str]
) -> tuple[str, list[Problem]]:
    """(which described response it is, such as 200, 4XX or default; what differs from it). Empty if the operation
    describes none.

    headers: the names of those that came, in small letters.
    """
    held = run.content.get("described")
    if held is None:  # of a trial from before drafts were described with their runs
        held = {"responses": run.operation.document.get("responses", []) if run.operation else [], "definition": ""}
    document = OperationDocument(responses=load(list[ResponseDescription], held["responses"]))
    described = response_for(document, status)
    if described is None:
        return "", []
    missing = [
        Problem(f"header {header.name}", "the definition says that it is always there", "it did not come")
        for header in described.headers
        if header.required and header.name.lower() not in headers
    ]
    if described.schema is None:
        return (described.status, missing) if missing else ("", [])
    came_from = run.operation.document.get("came_from", {}).get("definition", "") if run.operation else ""
    schemas = schemas_of(run.project_id, described.definition or held["definition"] or came_from)
    value = as_described(read.value, described.schema, schemas) if read.is_xml else read.value
    problems = differences(value, described.schema, schemas)
    return described.status, [*missing, *problems]


def described_schemas(project_id: int, operation: Operation, described: ResponseDescription) -> dict[str, Any]:
    """The schemas that the description of a response refers to, by name."""
    return schemas_of(project_id, described.definition or operation.document.get("came_from", {}).get("definition", ""))


def schemas_of(project_id: int, name: str) -> dict[str, Any]:
    """The schemas of a definition, by name; none if it is not there."""
    definition = Definition.objects.filter(project=project_id, name=name).first() if name else None
    return definition.schemas if definition is not None else {}


def likely_rows(
    document: ReadDocument, corrections: Sequence[Correction] = (), shape: Shape | None = None
) -> list[RowChoice]:
    """What could become rows, the twenty likeliest."""
    return row_choices(document, corrections, shape)[:20]
