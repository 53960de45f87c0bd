"""Two runs of a flow beside each other: what each task was given and came to, how long it took, where they differ."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from rondine.core.documents.reading import ReadDocument
from rondine.core.schema.compare_values import ValueDifference, compare_documents

#: Members of an outcome that are other ones in each run.
_OWN = ("call", "run")


@dataclass(frozen=True, slots=True)
class TaskSeen:
    """A task of one run. outcome: None while nothing has come of it."""

    task: str
    given: Mapping[str, Any]
    outcome: Mapping[str, Any] | None
    begun_at: datetime
    ended_at: datetime | None

    @property
    def milliseconds(self) -> float | None:
        return None if self.ended_at is None else (self.ended_at - self.begun_at).total_seconds() * 1000


@dataclass(frozen=True, slots=True)
class RunSeen:
    inputs: Mapping[str, Any]
    document: Mapping[str, Any]
    tasks: Sequence[TaskSeen]
    reply: Any
    failure: Any


@dataclass(frozen=True, slots=True)
class TaskPair:
    """The same task in both runs; None where a run has it not. differences: below $.given and $.outcome."""

    task: str
    first: TaskSeen | None
    second: TaskSeen | None
    differences: Sequence[ValueDifference]


@dataclass(frozen=True, slots=True)
class Comparison:
    """document: where the flow itself differs.  end: below $.reply and $.failure."""

    inputs: Sequence[ValueDifference]
    document: Sequence[ValueDifference]
    tasks: Sequence[TaskPair]
    end: Sequence[ValueDifference]


def compare_runs(first: RunSeen, second: RunSeen) -> Comparison:
    """Tasks in the order of the first run, then those that only the second has."""
    ours, theirs = ({one.task: one for one in run.tasks} for run in (first, second))
    names = [*ours, *(name for name in theirs if name not in ours)]
    return Comparison(
        _differences(dict(first.inputs), dict(second.inputs)),
        _differences(dict(first.document), dict(second.document)),
        [_pair(name, ours.get(name), theirs.get(name)) for name in names],
        _differences(_end(first), _end(second)),
    )


def _pair(name: str, first: TaskSeen | None, second: TaskSeen | None) -> TaskPair:
    differences: Sequence[ValueDifference] = ()
    if first is not None and second is not None:
        differences = _differences(_compared(first), _compared(second))
    return TaskPair(name, first, second, differences)


def _compared(task: TaskSeen) -> dict[str, Any]:
    outcome: Any = task.outcome
    if outcome is not None:
        outcome = {name: value for name, value in outcome.items() if name not in _OWN}
        if isinstance(outcome.get("failure"), Mapping):
            failure = {name: value for name, value in outcome["failure"].items() if name not in _OWN}
            outcome = {**outcome, "failure": failure}
    return {"given": dict(task.given), "outcome": outcome}


def _end(run: RunSeen) -> dict[str, Any]:
    return {"reply": run.reply, "failure": run.failure}


def _differences(before: Any, after: Any) -> list[ValueDifference]:
    return compare_documents(ReadDocument(before), ReadDocument(after))
