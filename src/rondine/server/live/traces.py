"""What is kept of a question to a service about live records: a run with its calls. What the service sent is kept only
where a call failed, or somebody chose to keep it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from rondine.core.errors import RondineError
from rondine.core.http.messages import Request, storable_text
from rondine.engine.client import OpenConnection
from rondine.engine.receiving import Received, SideCall
from rondine.server.connecting.models import Environment
from rondine.server.connecting.user_sessions import OpenSession
from rondine.server.live.ready import ReadyBinding
from rondine.server.operations.calling import ReadyOperation
from rondine.server.runs.actions import notify
from rondine.server.runs.calls import call_row, side_call, stored_problem
from rondine.server.runs.models import Body, Call, Run
from rondine.server.runs.presence import is_alive, presence

#: Bytes of a body that is kept.
MOST_KEPT = 16 * 1024 * 1024
#: A run that writes ends so when its process has died.
UNKNOWN = "the process that made the call ended meanwhile, and nobody knows whether the service has acted on it"


@dataclass(frozen=True, slots=True)
class Asker:
    """On whose behalf a question is asked. run: fields of its run that say so.  keeps_responses: also of calls that
    ended well.  time_limit: seconds for each call.  key: that goes with a write, if the service takes one.
    run_number: of a run that is stored already.  caller: the user of an application whom it is for.  sessions: in which
    that user has signed in at services; None for who is no user of an application."""

    run: Mapping[str, Any]
    keeps_responses: bool = False
    time_limit: float = 30.0
    key: str = ""
    run_number: int | None = None
    caller: str = ""
    sessions: Sequence[OpenSession] | None = None

    def session_at(self, opened: OpenConnection) -> str:
        """The id of the session by which a connection is signed in; empty for its own sign-in."""
        if self.sessions is None or not opened.callers_sign_in:
            return ""
        return next((one.seal.id for one in self.sessions if one.connection == opened.id), "")


@dataclass(slots=True)
class MadeCall:
    """received: None if nothing came back."""

    operation: ReadyOperation
    request: Request
    at: datetime
    received: Received | None = None
    sides: Sequence[SideCall] = ()
    error: RondineError | None = None


@dataclass
class Tracing:
    """One question, from its first call to its last. run: its number, None while nothing of it is stored."""

    asker: Asker
    ready: ReadyBinding
    role: str
    inputs: Mapping[str, Any]
    calls: list[MadeCall] = field(default_factory=list)
    started_at: datetime = field(default_factory=timezone.now)
    run: int | None = None

    def __post_init__(self) -> None:
        self.run = self.asker.run_number

    @property
    def milliseconds(self) -> float:
        """What the services took."""
        received = [one for call in self.calls for one in (call.received, *(side.received for side in call.sides))]
        return sum(one.timings.done for one in received if one is not None)

    def new_run(self, **fields: Any) -> Run:
        environment: Environment = self.ready.environment
        content: dict[str, Any] = {
            "record_type": self.ready.record_type_name,
            "role": self.role,
            "binding": self.ready.name,
        }
        if self.ready.release is not None:
            content["release"] = self.ready.release
        bound = self.ready.roles.get(self.role)  # type: ignore[call-overload]
        return Run(
            **{
                "project_id": environment.project_id,
                "environment": environment,
                "kind": "live",
                "operation_id": bound.operation.id if bound is not None else None,
                "title": f"{self.role} {self.ready.record_type_name}"[:300],
                "attempt": 1,
                "inputs": self.inputs,
                "content": content,
                "started_at": self.started_at,
                **self.asker.run,
                **fields,
            }
        )

    def begin(self) -> None:
        """Writes down that something is about to be written at the service, and by which process."""
        if self.run is not None:
            return
        run = self.new_run(state="running")
        run.content["process"] = presence.number()
        run.save(force_insert=True)
        self.run = run.pk

    def end(self, error: RondineError | None = None) -> None:
        """Stores the run and its calls."""
        fields = {
            "state": "done" if error is None else "failed",
            "ending": storable_text(error.message)[:300] if error else "",
            "error": stored_problem(error) if error else None,
            "ended_at": timezone.now(),
            "checkpoint": {"next": None, "calls": len(self.calls)},
        }
        with transaction.atomic():
            if self.run is None:
                run = self.new_run(**fields)
                run.save(force_insert=True)
                self.run = run.pk
            else:
                Run.objects.filter(pk=self.run).update(**fields)
            self._store_calls(self.run)
            notify(self.run)

    def _store_calls(self, run: int) -> None:
        calls: list[Call] = []
        bodies: list[Body] = []
        for made in self.calls:
            body, received = None, made.received
            is_kept = self.asker.keeps_responses or made.error is not None
            if is_kept and received is not None and received.body and len(received.body) <= MOST_KEPT:
                project = self.ready.environment.project_id
                body = Body.of(project, received.body, received.media_type, received.charset)
                bodies.append(body)
            opened = made.operation.connection
            number = len(calls) + 1
            calls.append(
                call_row(run, made.request, received, made.error, opened, at=made.at, number=number, body=body)
            )
            calls += [side_call(run, number + more, side, opened, made.at) for more, side in enumerate(made.sides, 1)]
        Body.objects.bulk_create(bodies)
        Call.objects.bulk_create(calls)


def settle_lost_writes() -> int:
    """Ends the runs that were writing when their process died: how many."""
    before = timezone.now() - timedelta(seconds=10)
    count = 0
    lost = Run.objects.filter(kind="live", state="running", alive_at__isnull=True, started_at__lt=before)
    for run_id, number in lost.values_list("pk", "content__process"):
        if number is None or is_alive(int(number)):
            continue
        error = {"code": "outcome_unknown", "message": UNKNOWN, "where": f"run {run_id}", "hint": "look at the service"}
        count += Run.objects.filter(pk=run_id, state="running").update(
            state="failed", ending=UNKNOWN[:300], error=error, ended_at=timezone.now()
        )
    return count
