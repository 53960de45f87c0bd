"""What a service answered, understood: a failure told as one, its body read, and what a mapping makes of it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from rondine.core.documents import ReadDocument, read_document
from rondine.core.errors import DocumentError, InputError, ServiceError
from rondine.core.mapping.compile import CompiledOutput, Mapped, check_format
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.taking import mapping_inputs
from rondine.core.media_types import bare_media_type
from rondine.core.operations.outcome import Outcome, is_conditional, unasked_304, without_sign_in
from rondine.core.protocols.classifying import HEAD, classify_response
from rondine.core.signin import NoSignIn
from rondine.engine.receiving import Received
from rondine.server.operations.calling import ReadyOperation


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


@dataclass(slots=True)
class Answered:
    """A response understood. read: its document; a value of None if it has none.  mapped: by output, where a mapping
    was asked for."""

    received: Received
    outcome: Outcome
    read: ReadDocument = field(default_factory=lambda: ReadDocument(None))
    mapped: Sequence[Mapped] = ()


def understood(
    ready: ReadyOperation,
    inputs: Mapping[str, Any],
    mapping: ReadyMapping | None,
    received: Received,
    *,
    is_content: bool = False,
) -> Answered:
    """inputs: of the call.  is_content: the body is wanted as it is, and not read.

    Raises OutsideFailed if the response is a failure, and AnswerUnreadable or AnswerNotMapped."""
    where = f"{ready.document.method} of operation {ready.name}"
    if is_content and 200 <= received.status < 300:
        return Answered(received, Outcome(True, "it worked"))
    read, unreadable = ReadDocument(None), ""
    if received.body and (mapping is not None or is_structured(received)):
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
    values = mapping_inputs(inputs, ready.standing, received.headers)
    try:
        check_format(mapping.document, read)
        mapped = [] if outcome.kind == "nothing_found" else [one.run(read.value, values) for one in mapping.outputs]
    except (DocumentError, InputError) as error:
        raise AnswerNotMapped(
            f"mapping {mapping.name} does not fit the answer: {error.message}", where=where, hint=error.hint
        ) from error
    return Answered(received, outcome, read, mapped)


def is_structured(received: Received) -> bool:
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
