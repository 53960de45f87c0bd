"""Paging that a response shows, taken over by its operation: at once, shown with its reason, to be changed or declined.

An operation without paging has not decided; `one_response` is a decision, and stands.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from msgspec import structs

from rondine.core.documents import ReadDocument
from rondine.core.errors import RondineError
from rondine.core.http.messages import Headers
from rondine.core.operations.document import OperationDocument, is_reading
from rondine.core.pagination import Paging
from rondine.core.pagination.recognise import PagingGuess, recognise
from rondine.core.protocols.paged import inputs_by_carrier
from rondine.core.settings import dump
from rondine.server.access.models import Person
from rondine.server.items.actions import change_item
from rondine.server.operations.kinds import OPERATIONS
from rondine.server.operations.models import Operation, Sample
from rondine.server.runs.bodies import document_of
from rondine.server.runs.models import Call

#: Trials and samples of an operation that are looked at, the newest first.
MOST_LOOKED_AT = 3
#: Bytes of a body that is read for this alone.
MOST_BYTES = 16 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Adopted:
    """operation: its name.  reason: what the paging was recognised by."""

    operation: str
    paging: Paging
    reason: str

    def to_json(self) -> dict[str, Any]:
        return {"operation": self.operation, "paging": dump(self.paging), "reason": self.reason}


def shown_paging(call: Call, document: OperationDocument) -> PagingGuess | None:
    """The surest paging that a call's response shows, None if it shows none or cannot be read. document: of the
    operation that it answered."""
    if call.status is None or not 200 <= call.status < 300:
        return None
    read = ReadDocument(None)
    if call.body is not None and call.body.size <= MOST_BYTES:
        try:
            read = document_of(call.body)
        except RondineError:
            return None
    headers: Headers = tuple((name, value) for name, value in call.headers)
    guesses = recognise(call.url, headers, read.value, is_xml=read.is_xml, inputs=inputs_by_carrier(document))
    return next(iter(guesses), None)


def with_shown_paging(document: OperationDocument, call: Call | None) -> tuple[OperationDocument, PagingGuess | None]:
    """(the operation with the paging that a call's response shows, what it was recognised by); as it was if it has
    decided, writes, or nothing is shown."""
    if call is None or document.paging is not None or not is_reading(document):
        return document, None
    paging_guess = shown_paging(call, document)
    return (
        (document, None)
        if paging_guess is None
        else (structs.replace(document, paging=paging_guess.paging), paging_guess)
    )


def adopt_paging(
    operation: Operation, person: Person | None, role: str | None, *, why: str, call: Call | None = None
) -> Adopted | None:
    """Lets an operation follow the paging that its responses have shown: of this call, or else of its newest trials and
    samples.

    Within the caller's transaction. None if it has decided before, or none was shown.
    """
    document = operation.loaded()
    if document.paging is not None:
        return None
    for one in [call] if call is not None else _calls(operation):
        changed, paging_guess = with_shown_paging(document, one)
        if paging_guess is not None:
            content = {"document": dump(changed), "why": f"{why}: {paging_guess.reason}"}
            change_item(OPERATIONS, operation.project, person, operation.name, content, operation.version, role=role)
            operation.refresh_from_db()
            return Adopted(operation.name, paging_guess.paging, paging_guess.reason)
    return None


def _calls(operation: Operation) -> Iterator[Call]:
    trials = Call.objects.filter(run__operation=operation, run__kind="trial", number=1, status__range=(200, 299))
    yield from trials.select_related("body").order_by("-run_id")[:MOST_LOOKED_AT]
    for sample in (
        Sample.objects.filter(operation=operation).select_related("body").order_by("-changed_at")[:MOST_LOOKED_AT]
    ):
        yield call_of_sample(sample)


def call_of_sample(sample: Sample) -> Call:
    """A kept response as the call that it came with, as far as that is known."""
    first = sample.document.get("request", "").partition("\n")[0].split(" ")
    url = first[1] if len(first) > 1 else ""
    return Call(
        url=url,
        status=sample.document.get("status") or 200,
        headers=sample.document.get("headers", []),
        body=sample.body,
    )
