"""What has happened to a run of a flow: events, and what they come to. Events are only ever added; the same events come
to the same."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal

from msgspec import Struct

from rondine.core.errors import RondineError


class Event(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """at: when it happened, with its zone."""

    at: datetime


class Begun(Event, tag="begun", frozen=True, kw_only=True):
    """The run. caller: the application's user.  role: of whoever began it, or `application`.  stop_before: the step
    before which it stops, to be looked at; EACH for the first one; empty for none."""

    inputs: dict[str, Any] = {}
    standing: dict[str, Any] = {}
    caller: str = ""
    role: str = ""
    stop_before: str = ""


class Recorded(Event, tag="recorded", frozen=True, kw_only=True):
    """What a task came to in another run, taken over instead of asking again."""

    task: str
    given: dict[str, Any] = {}
    outcome: dict[str, Any]
    run: int


class WentOn(Event, tag="went_on", frozen=True, kw_only=True):
    """Somebody has looked at a run that stopped before a step. stop_before: the later step before which it stops
    again; EACH for whichever comes next; empty for none."""

    step: str
    stop_before: str = ""


class Asked(Event, tag="asked", frozen=True, kw_only=True):
    """A task was queued, or a pause begun. given: its inputs."""

    task: str
    given: dict[str, Any] = {}


class Answered(Event, tag="answered", frozen=True, kw_only=True):
    """What came of a task or pause."""

    task: str
    outcome: dict[str, Any]


class Stopped(Event, tag="stopped", frozen=True, kw_only=True):
    """A task that nobody waits for any more; what it would still answer does not count."""

    task: str


class TimeOver(Event, tag="time_over", frozen=True, kw_only=True):
    """A step's time is over; the whole run's, if the name is empty."""

    step: str


class Settled(Event, tag="settled", frozen=True, kw_only=True):
    """Somebody says what became of a task that may have had its effect: it is done, it failed, or it is to be done
    again."""

    task: str
    how: Literal["done", "failed", "again"]
    by: str = ""


class Cancelled(Event, tag="cancelled", frozen=True, kw_only=True):
    """The run is to end. undoes: what was done is taken back first."""

    by: str = ""
    undoes: bool = True


AnyEvent = Begun | Recorded | WentOn | Asked | Answered | Stopped | TimeOver | Settled | Cancelled
#: In place of a step's name: each of them.
EACH = "*"


@dataclass(slots=True)
class History:
    """begun, given: when each task was, and with what.  outcomes, answered: of tasks, in the order in which they came.
    settled: how, by task.  over: steps whose time is over, and when.  recorded: of tasks that were taken over, the run.
    passed: the step before which it stopped, and from which it went on."""

    start: Begun
    begun: dict[str, datetime] = field(default_factory=dict)
    given: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    outcomes: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    answered: dict[str, datetime] = field(default_factory=dict)
    settled: dict[str, str] = field(default_factory=dict)
    over: dict[str, datetime] = field(default_factory=dict)
    cancelled: Cancelled | None = None
    recorded: dict[str, int] = field(default_factory=dict)
    passed: str = ""
    stop_before: str = ""

    @classmethod
    def of(cls, events: Iterable[AnyEvent]) -> "History":
        """Raises ValueError if the first event is not that the run began."""
        events = iter(events)
        start = next(events, None)
        if not isinstance(start, Begun):
            raise ValueError("the first event is that the run began")
        history = cls(start, stop_before=start.stop_before)
        for event in events:
            history.add(event)
        return history

    def add(self, event: AnyEvent) -> None:
        """An answer that comes twice, or to what was stopped or is over, does not count."""
        match event:
            case Asked(task=task, given=given, at=at):
                self.begun.setdefault(task, at)
                self.given.setdefault(task, given)
            case Recorded(task=task, given=given, outcome=outcome, run=run, at=at):
                if task not in self.begun:
                    self.begun[task], self.given[task], self.recorded[task] = at, given, run
                    self.outcomes[task], self.answered[task] = outcome, at
            case WentOn(step=step, stop_before=stop_before):
                self.passed, self.stop_before = step, stop_before
            case Answered(task=task, outcome=outcome, at=at):
                if task not in self.outcomes:
                    self.outcomes[task], self.answered[task] = outcome, at
            case Stopped(task=task, at=at):
                if task not in self.outcomes:
                    self.outcomes[task], self.answered[task] = failed(_STOPPED), at
            case TimeOver(step=step, at=at):
                self.over.setdefault(step, at)
                for task in self.open():
                    if not is_undoing(task) and step in ("", step_of(task)):
                        self.outcomes[task], self.answered[task] = failed(OVER), at
            case Settled(task=task, how=how):
                self.settled.setdefault(task, how)
            case Cancelled():
                self.cancelled = self.cancelled or event

    def open(self) -> list[str]:
        """Tasks that are under way."""
        return [task for task in self.begun if task not in self.outcomes]

    def is_open(self, task: str) -> bool:
        """Whether it was begun and nothing came of it yet."""
        return task in self.begun and task not in self.outcomes


def step_of(task: str) -> str:
    """The step of a task: `papers`, `papers/soil`, `papers#2/soil`, `papers/soil!2`, `papers/soil~undo`."""
    for mark in "/#!~":
        task = task.partition(mark)[0]
    return task


def is_undoing(task: str) -> bool:
    return task.endswith("~undo")


def failed(failure: Mapping[str, Any]) -> dict[str, Any]:
    """A failure as what came of a task."""
    return {"outcome": "failure", "failure": dict(failure)}


def failure_of(error: RondineError, **more: Any) -> dict[str, Any]:
    """An error as data, which flows branch on: kind, message, where, hint, and what is known besides."""
    named = {"kind": error.code, "message": error.message, "where": error.where, "hint": error.hint}
    return {name: value for name, value in {**named, **more}.items() if value not in (None, "")}


#: A step's time is over.
OVER = {"kind": "time_over", "message": "it has not answered within the step's time"}
_STOPPED = {"kind": "stopped", "message": "it was stopped, as the step had ended without it"}
