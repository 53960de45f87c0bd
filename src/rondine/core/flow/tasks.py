"""What a run of a flow does next: tasks, what it waits for, how it ends."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal

from rondine.core.flow.document import Asked, RecordsStep
from rondine.core.flow.history import AnyEvent, is_undoing

#: What came of a task: `outcome` good or failure, and what it brought or why it failed.
Outcome = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Task:
    """Something to be done outside. what: an operation, record type or flow asked, or a record found or written.
    given: its inputs.  key, fields: of a record."""

    name: str
    step: str
    what: Asked | RecordsStep
    given: Mapping[str, Any]
    attempt: int = 1

    @property
    def is_undoing(self) -> bool:
        return is_undoing(self.name)


@dataclass(frozen=True, slots=True)
class Waiting:
    """What a run waits for besides its tasks. kind: a time; a signed callback; a person's yes; that somebody says what
    became of a task that may have had its effect; or, before a step, that somebody has looked.  until: when its time is
    over; None if it has none.  shows: what whoever looks is shown."""

    task: str
    kind: Literal["time", "callback", "person", "doubt", "step"]
    step: str
    until: datetime | None = None
    shows: Mapping[str, Any] = field(default_factory=dict)
    matches: Sequence[Any] = ()


@dataclass(frozen=True, slots=True)
class End:
    """How a run ended: with a reply, or with a failure. not_undone: tasks that could not be taken back, with why."""

    reply: Mapping[str, Any] | None = None
    failure: Mapping[str, Any] | None = None
    undone: Sequence[str] = ()
    not_undone: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Next:
    """tasks: to be begun now.  events: to be written down, those that begin the tasks among them.  stop: tasks that
    were under way, and for which nobody waits any more.  wake: when to look again, at the latest.  results, kept: what
    is known so far, by name."""

    tasks: Sequence[Task]
    events: Sequence[AnyEvent]
    waiting: Sequence[Waiting]
    stop: Sequence[str]
    wake: datetime | None
    end: End | None
    results: Mapping[str, Any]
    kept: Mapping[str, Any]
