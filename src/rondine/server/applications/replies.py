"""What an application gets for a call: the response as the service sent it, or what a mapping makes of it; or a problem
document (RFC 9457) that says whose fault it was and whether trying again helps."""

import base64
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from rondine.core.documents import json_text, text_of_body
from rondine.core.documents.json import is_utf8
from rondine.core.errors import InputError, RondineError
from rondine.core.flow.tasks import End
from rondine.engine.receiving import Received
from rondine.engine.spool import LargeBody
from rondine.server.api.problems import MEDIA_TYPE, named, problem
from rondine.server.api.rendering import JsonRenderer
from rondine.server.connecting.user_sessions import OpenSession
from rondine.server.operations.answering import Answered, OutsideFailed, ReadyMapping, is_structured
from rondine.server.operations.replying import may_pass, records_of

JSON = "application/json"
_render = JsonRenderer().render


@dataclass(frozen=True, slots=True)
class Caller:
    """The user of an application whom a request is for. name: empty for nobody in particular.  sessions: in which the
    user has signed in at services."""

    name: str = ""
    sessions: Sequence[OpenSession] = ()


@dataclass(frozen=True, slots=True)
class Question:
    """What an application asks of an operation. mapping: what makes records of the response; empty for the response
    itself.  is_content: its body alone is wanted, byte for byte.  after: `next` of the page before.  byte_range,
    if_range: of the request for a content, as its header fields of that name say it."""

    operation: str
    inputs: Mapping[str, Any]
    mapping: str = ""
    is_content: bool = False
    after: str = ""
    caller: Caller = Caller()
    byte_range: str = ""
    if_range: str = ""


@dataclass(frozen=True, slots=True)
class FlowQuestion:
    """What an application asks of a flow."""

    flow: str
    inputs: Mapping[str, Any]
    caller: Caller = Caller()


@dataclass(frozen=True, slots=True)
class Reply:
    """status: HTTP's.  is_good: it brings what was asked for.  large: the body, if it is too large for memory; `body`
    is empty then.  cut: the numbers of the first byte of it that is sent, and of the one after the last."""

    status: int
    body: bytes
    media_type: str = JSON
    headers: Sequence[tuple[str, str]] = ()
    large: LargeBody | None = None
    cut: tuple[int, int] | None = None

    @property
    def size(self) -> int:
        """Of the body, in bytes."""
        if self.large is None:
            return len(self.body)
        return self.large.size if self.cut is None else self.cut[1] - self.cut[0]

    def chunks(self) -> Iterator[bytes]:
        if self.large is None:
            yield self.body
        else:
            yield from self.large.chunks(*self.cut or ())

    @property
    def is_good(self) -> bool:
        return self.status < 400


class OutcomeUnknown(RondineError):
    """A call that writes was begun, and nobody knows whether the service has acted on it."""

    code, status = "outcome_unknown", 409


class KeyUsed(InputError):
    """An Idempotency-Key that came with another request before."""

    code, status = "key_used", 422


class KeyNeeded(InputError):
    """A call that writes came without an Idempotency-Key (draft-ietf-httpapi-idempotency-key-header, section 2.7)."""

    code = "key_needed"


def key_needed(words: str) -> KeyNeeded:
    """words: what writes."""
    return KeyNeeded(
        f"{words}, and the request has no key",
        where="Idempotency-Key header",
        hint="send one, such as a new UUID for everything that is to be done: repeated with the same key, it is done"
        " once",
    )


class FlowFailed(RondineError):
    """A flow has ended as failed. end: with its failure as data, and what was taken back."""

    code, status = "flow_failed", 502

    def __init__(self, end: End, *, where: str) -> None:
        self.end, failure = end, end.failure or {}
        super().__init__(
            str(failure.get("message", "")) or "it failed",
            where=str(failure.get("where") or failure.get("step") or "") or where,
            hint=str(failure.get("hint", "")) or "see its run",
        )

    @property
    def may_pass(self) -> bool:
        return bool((self.end.failure or {}).get("may_pass"))


class FlowTooSlow(FlowFailed):
    """Its own time, or that of one of its steps, is over."""

    status = 504


class FlowRefused(FlowFailed):
    """It says so itself, or what it was given lets it come to nothing."""

    status = 422


class FlowCancelled(FlowFailed):
    """Somebody has cancelled it."""

    status = 409


class FlowBroken(FlowFailed):
    """A fault of Rondine's."""

    status = 500


_FLOW_FAILURES: Mapping[str, type[FlowFailed]] = {
    "flow_failed": FlowRefused,
    "not_allowed": FlowRefused,
    "wrong_input": FlowRefused,
    "value_does_not_fit": FlowRefused,
    "cancelled": FlowCancelled,
    "time_over": FlowTooSlow,
    "service_too_slow": FlowTooSlow,
    "error": FlowBroken,
}


def flow_reply(flow: str, end: End, run: str) -> Reply:
    """run: its address."""
    if end.failure is None:
        return Reply(200, _render({"run": run, "flow": flow, "reply": dict(end.reply or {})}))
    made = _FLOW_FAILURES.get(str(end.failure.get("kind")), FlowFailed)
    return problem_reply(made(end, where=f"flow {flow}"), run=run)


def good_reply(answered: Answered, mapping: ReadyMapping | None, run: str, part: Mapping[str, Any]) -> Reply:
    """run: its address.  part: members that say which part of all rows these are."""
    received = answered.received
    told = {
        "run": run,
        "status": received.status,
        "outcome": answered.outcome.kind,
        "message": answered.outcome.message,
        **part,
    }
    head = json.dumps(told, ensure_ascii=False)[:-1].encode("utf-8", "backslashreplace")
    if mapping is not None:
        return Reply(200, head + b", " + _render(records_of(answered, mapping))[1:])
    return Reply(200, head + b", " + _body(answered) + b"}")


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
    elif is_structured(received):
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
    document["may_pass"] = found.may_pass if isinstance(found, FlowFailed) else may_pass(found)
    if isinstance(found, OutsideFailed):
        document["outside"] = {"status": found.outside_status, "message": found.outside_message}
    if isinstance(found, FlowFailed):
        document["failure"] = dict(found.end.failure or {})
        document["undone"] = list(found.end.undone)
        document["not_undone"] = {task: dict(why) for task, why in found.end.not_undone.items()}
    if run:
        document["run"] = run
    if found.status == 401:
        headers = [*headers, ("WWW-Authenticate", "Bearer")]
    return Reply(found.status, _render(document), MEDIA_TYPE, headers)


def moment_text(moment: datetime | None) -> str | None:
    return moment.isoformat().replace("+00:00", "Z") if moment is not None else None
