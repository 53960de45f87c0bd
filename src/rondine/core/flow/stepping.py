"""A run that goes on from a step, with what another run recorded before it."""

from collections.abc import Sequence

from msgspec import structs

from rondine.core.errors import InputError
from rondine.core.flow.advancing import reached_steps
from rondine.core.flow.document import FlowDocument, steps_by_name
from rondine.core.flow.history import (
    EACH,
    AnyEvent,
    Begun,
    History,
    Recorded,
    Settled,
    TimeOver,
    is_undoing,
    step_of,
)


def check_step(document: FlowDocument, name: str, where: str) -> None:
    """Raises InputError for a step that the flow does not have."""
    names = steps_by_name(document)
    if name not in names:
        raise InputError(f'the flow has no step "{name}"', where=where, hint=f"one of {', '.join(names) or 'none'}")


def check_stop(document: FlowDocument, stop_before: str) -> None:
    """Raises InputError for a step that the flow does not have; EACH and none are good."""
    if stop_before and stop_before != EACH:
        check_step(document, stop_before, "stop_before")


def recorded_before(
    document: FlowDocument, start: Begun, before: Sequence[AnyEvent], run: int, step: str
) -> list[AnyEvent]:
    """The events with which a run begins that goes on from a step: what each task before it came to in another run.
    Nothing of it is asked again, nor taken back later.

    start: of the new run.  before: the events of the other one, whose number is run.  Raises InputError if the step is
    not in the flow, is not reached with what was recorded, or if something before it was taken back in that run."""
    check_step(document, step, "recorded.before")
    earlier = History.of(before)
    kept = [task for task in earlier.outcomes if not is_undoing(task)]
    taken: list[AnyEvent] = [
        Recorded(at=start.at, task=task, given=dict(earlier.given[task]), outcome=dict(earlier.outcomes[task]), run=run)
        for task in kept
    ]
    taken += [structs.replace(event, at=start.at) for event in before if isinstance(event, Settled)]
    taken += [TimeOver(at=start.at, step=name) for name in earlier.over if name]
    reached = reached_steps(document, History.of([structs.replace(start, stop_before=step), *taken]), start.at)
    if reached[-1:] != [step]:
        words = f'with what run {run} recorded, "{step}" is not reached'
        last = f'go on from "{reached[-1]}", or from a step before that' if reached else "begin a run of its own"
        raise InputError(words, where="recorded.before", hint=last)
    passed = set(reached[:-1])
    for undoing in filter(is_undoing, earlier.begun):
        step = step_of(undoing)
        if step in passed:
            words = f'run {run} took back "{undoing.removesuffix("~undo")}", so that what it recorded holds no more'
            raise InputError(words, where="recorded.before", hint=f'go on from "{step}", or a step before that')
    return [event for event in taken if _step(event) in passed]


def _step(event: AnyEvent) -> str:
    match event:
        case Recorded(task=task) | Settled(task=task):
            return step_of(task)
        case TimeOver(step=step):
            return step
    return ""
