"""A run of a flow played again with what its tasks came to: nothing is asked, no time passes, and the same recording
comes to the same."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from rondine.core.errors import InputError
from rondine.core.flow.advancing import advance
from rondine.core.flow.document import FlowDocument
from rondine.core.flow.history import Answered, Begun, History, Settled
from rondine.core.flow.tasks import End

#: Turns, so that a flow that asks again and again ends.
MOST = 20_000
#: Members of failures that are other ones in each run.
_OWN = ("call", "run")


@dataclass(frozen=True, slots=True)
class Replayed:
    """asked: what each task was given, in the order in which they were begun. end: how the run ended."""

    asked: dict[str, dict[str, Any]]
    end: End

    @property
    def failure(self) -> dict[str, Any] | None:
        failure = self.end.failure
        return None if failure is None else {name: one for name, one in failure.items() if name not in _OWN}


def replay(
    document: FlowDocument,
    start: Begun,
    answers: Sequence[tuple[str, Mapping[str, Any]]],
    settled: Mapping[str, Any] | None = None,
) -> Replayed:
    """answers: what each task came to, pauses among them, in the order in which they did.  settled: what was said of
    tasks of which nobody knew. Raises InputError for a task of which nothing is recorded."""
    history, now = History.of([start]), start.at
    asked: dict[str, dict[str, Any]] = {}
    for _ in range(MOST):
        following = advance(document, history, now)
        asked |= {task.name: dict(task.given) for task in following.tasks}
        if following.end is not None:
            return Replayed(asked, following.end)
        now = _go_on(history, now, following.wake, answers, settled or {}, [one.task for one in following.waiting])
    raise InputError(
        f"it has not ended after {MOST:,} turns", where="/steps", hint="see whether a rule repeats for ever"
    )


def _go_on(
    history: History,
    now: datetime,
    wake: datetime | None,
    answers: Sequence[tuple[str, Mapping[str, Any]]],
    settled: Mapping[str, Any],
    waiting: Sequence[str],
) -> datetime:
    """Adds the first thing that is recorded of what is open, or lets time pass where nothing else can come."""
    for task in waiting:
        if task in settled and task not in history.settled:
            history.add(Settled(at=now, task=task, how=settled[task]))
            return now
    for task, outcome in answers:
        if history.is_open(task):
            history.add(Answered(at=now, task=task, outcome=dict(outcome)))
            return now
    if wake is not None and not history.open():
        return max(now, wake)
    missing = ", ".join(history.open() or waiting)
    hint = "record the case anew from a run of the flow as it is now"
    raise InputError(f"nothing is recorded of {missing or 'what comes next'}", where="/recording/answers", hint=hint)
