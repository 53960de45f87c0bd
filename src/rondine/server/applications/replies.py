"""What an application gets for a call: the response as the service sent it, or what a mapping makes of it; or a problem
document (RFC 9457) that says whose fault it was and whether trying again helps."""

import base64
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from rondine.core.documents import ReadDocument, json_text, read_document, text_of_body
from rondine.core.documents.json import is_utf8
from rondine.core.errors import DocumentError, InputError, LimitReached, RondineError, ServiceError, TooMany
from rondine.core.mapping.compile import CompiledOutput, Mapped, check_format
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.taking import mapping_inputs
from rondine.core.media_types import bare_media_type
from rondine.core.operations.outcome import Outcome, is_conditional, unasked_304, without_sign_in
from rondine.core.protocols.classifying import HEAD, classify_response
from rondine.core.signin import NoSignIn
from rondine.engine.receiving import Received
from rondine.server.api.problems import MEDIA_TYPE, named, problem
from rondine.server.api.rendering import JsonRenderer
from rondine.server.operations.calling import ReadyOperation
from rondine.server.records.browsing import shown_data

JSON = "application/json"
_render = JsonRenderer().render


@dataclass(frozen=True, slots=True)
class Question:
    """What an application asks of an operation. mapping: what makes records of the response; empty for the response
    itself.  is_content: its body alone is wanted, byte for byte.  after: `next` of the page before."""

    operation: str
    inputs: Mapping[str, Any]
    mapping: str = ""
    is_content: bool = False
    after: str = ""


@dataclass(frozen=True, slots=True)
class Reply:
    """status: HTTP's.  is_good: it brings what was asked for."""

    status: int
    body: bytes
    media_type: str = JSON
    headers: Sequence[tuple[str, str]] = ()

    @property
    def is_good(self) -> bool:
        return self.status < 400


@dataclass(frozen=True, slots=True)
class ReadyMapping:
    """A mapping compiled, with the record types that it fills."""

    name: str
    document: MappingDocument
    outputs: Sequence[CompiledOutput]
    record_types: Mapping[str, RecordTypeDocument]


class OutsideFailed(ServiceError):
    """The service answered, and the answer is a failure. outside_status: its status.  outside_message: its own
    words."""

    def __init__(
        self, message: str, *, where: str, hint: str, outside_status: int, outside_message: str, is_passing: bool
    ) -> None:
        super().__init__(message, where=where, hint=hint)
        self.outside_status, self.outside_message = outside_status, outside_message
        self.is_passing = is_passing


class AnswerUnreadable(ServiceError):
    """The service answered, and its answer cannot be read as what it says it is."""

    code = "answer_unreadable"


class AnswerNotMapped(ServiceError):
    """The service answered, and the mapping does not fit its answer."""

    code = "answer_not_mapped"


class OutcomeUnknown(RondineError):
    """A call that writes was begun, and nobody knows whether the service has acted on it."""

    code, status = "outcome_unknown", 409


class KeyUsed(InputError):
    """An Idempotency-Key that came with another request before."""

    code, status = "key_used", 422


class KeyNeeded(InputError):
    """A call that writes came without an Idempotency-Key (draft-ietf-httpapi-idempotency-key-header, section 2.7)."""

    code = "key_needed"


@dataclass(slots=True)
class Answered:
    """A response understood. read: its document; a value of None if it has none.  mapped: by output, where a mapping
    was asked for."""

    received: Received
    outcome: Outcome
    read: ReadDocument = field(default_factory=lambda: ReadDocument(None))
    mapped: Sequence[Mapped] = ()


def understood(ready: ReadyOperation, question: Question, mapping: ReadyMapping | None, received: Received) -> Answered:
    """Raises OutsideFailed if the response is a failure, and AnswerUnreadable or AnswerNotMapped."""
    where = f"{ready.document.method} of operation {ready.name}"
    if question.is_content and 200 <= received.status < 300:
        return Answered(received, Outcome(True, "it worked"))
    read, unreadable = ReadDocument(None), ""
    if received.body and (mapping is not None or _is_structured(received)):
        try:
            read = _read(received, mapping)
        except DocumentError as error:
            unreadable = str(error)
    outcome = _outcome(ready, received, read)
    if not outcome.is_good:
        words = f"{outcome.words} - {outcome.message}" if outcome.message else outcome.words
        raise OutsideFailed(
            words,
            where=where,
            hint=outcome.hint,
            outside_status=received.status,
            outside_message=outcome.message,
            is_passing=received.status in ready.connection.retrying.statuses,
        )
    if unreadable:
        raise AnswerUnreadable(f"the answer cannot be read: {unreadable}", where=where, hint="look at the run's call")
    if mapping is None or read.value is None:
        return Answered(received, outcome, read)
    values = mapping_inputs(question.inputs, ready.standing, received.headers)
    try:
        check_format(mapping.document, read)
        mapped = [] if outcome.kind == "nothing_found" else [one.run(read.value, values) for one in mapping.outputs]
    except (DocumentError, InputError) as error:
        raise AnswerNotMapped(
            f"mapping {mapping.name} does not fit the answer: {error.message}", where=where, hint=error.hint
        ) from error
    return Answered(received, outcome, read, mapped)


def _is_structured(received: Received) -> bool:
    media_type = bare_media_type(received.media_type)
    return media_type == "" or media_type.endswith(("json", "xml", "jsonlines", "jsonl", "json-seq", "csv"))


def _read(received: Received, mapping: ReadyMapping | None) -> ReadDocument:
    return read_document(
        received.body,
        media_type=received.media_type,
        charset=received.charset,
        namespaces=mapping.document.namespaces if mapping is not None else None,
    )


def _outcome(ready: ReadyOperation, received: Received, read: ReadDocument) -> Outcome:
    if received.status == 304 and not is_conditional(name for name, _ in received.request.headers):
        return unasked_304()
    rules = ready.document.outcomes
    head = received.body[:HEAD] if any(rule.text for rule in rules.failures) else b""
    outcome = classify_response(rules, received.status, read, received.headers, head=head, charset=received.charset)
    if received.status == 401 and isinstance(ready.connection.sign_in, NoSignIn):
        return without_sign_in(outcome)
    return outcome


def good_reply(
    answered: Answered, question: Question, mapping: ReadyMapping | None, run: str, part: Mapping[str, Any]
) -> Reply:
    """run: its address.  part: members that say which part of all rows these are."""
    received = answered.received
    if question.is_content:
        media_type = received.header("content-type") or "application/octet-stream"
        return Reply(200, received.body, media_type, (("Rondine-Run", run),))
    told = {
        "run": run,
        "status": received.status,
        "outcome": answered.outcome.kind,
        "message": answered.outcome.message,
        **part,
    }
    head = json.dumps(told, ensure_ascii=False)[:-1].encode("utf-8", "backslashreplace")
    if mapping is not None:
        return Reply(200, head + b", " + _render(_records(answered, mapping))[1:])
    return Reply(200, head + b", " + _body(answered) + b"}")


def _records(answered: Answered, mapping: ReadyMapping) -> dict[str, Any]:
    """Every row is told: as a record, as a reject, or as one that was filtered out."""
    records: dict[str, list[Any]] = {output.record_type: [] for output in mapping.outputs}
    rejects, filtered = [], 0
    for output, mapped in zip(mapping.outputs, answered.mapped, strict=False):
        document = mapping.record_types[output.record_type]
        records[output.record_type] += [shown_data(data, document) for data in mapped.data]
        filtered += mapped.filtered
        rejects += [
            {
                "record_type": output.record_type,
                "ordinal": reject.ordinal,
                "path": reject.path,
                "problems": [{"field": one.field, "path": one.path, "reason": one.reason} for one in reject.problems],
            }
            for reject in mapped.rejects
        ]
    return {"records": records, "rejects": rejects, "filtered": filtered}


def _body(answered: Answered) -> bytes:
    """The members media_type and body; content in place of body where it is neither JSON, XML nor text."""
    received, read = answered.received, answered.read
    media_type = json.dumps(received.media_type).encode()
    if not received.body:
        return b'"media_type": ' + media_type + b', "body": null'
    if read.format == "json" and read.value is not None and is_utf8(received.charset):
        body = received.body.removeprefix(b"\xef\xbb\xbf").strip()  # as the service sent it, digit by digit
    elif read.format in ("ndjson", "csv") and read.value is not None:
        body = json_text(read.value).encode()
    elif read.format == "xml" or _is_text(received):
        body = json_text(text_of_body(received.body, received.charset)).encode("utf-8", "backslashreplace")
    elif _is_structured(received):
        body = json_text(read.value).encode("utf-8", "backslashreplace")
    else:
        content = base64.b64encode(received.body)
        return b'"media_type": ' + media_type + b', "body": null, "content": "' + content + b'"'
    return b'"media_type": ' + media_type + b', "body": ' + body


def _is_text(received: Received) -> bool:
    return received.media_type.startswith("text/")


def problem_reply(error: Exception, *, run: str = "", headers: Sequence[tuple[str, str]] = ()) -> Reply:
    """run: the address of its run, empty if there is none."""
    found = named(error)
    document = problem(found)
    document["may_pass"] = may_pass(found)
    if isinstance(found, OutsideFailed):
        document["outside"] = {"status": found.outside_status, "message": found.outside_message}
    if run:
        document["run"] = run
    if found.status == 401:
        headers = [*headers, ("WWW-Authenticate", "Bearer")]
    return Reply(found.status, json.dumps(document).encode(), MEDIA_TYPE, headers)


def may_pass(error: RondineError) -> bool:
    """Whether the same request may succeed a while later."""
    if isinstance(error, OutsideFailed):
        return error.is_passing
    if isinstance(error, ServiceError):
        return error.may_pass
    return isinstance(error, LimitReached | TooMany) or error.status == 503


def moment_text(moment: datetime | None) -> str | None:
    return moment.isoformat().replace("+00:00", "Z") if moment is not None else None
