"""What a run waits for, answered from outside: a person's yes, what became of a task, or that it is to end."""

from collections.abc import Sequence
from typing import Literal

from django.utils import timezone

from rondine.core.errors import Conflict, NotAllowed
from rondine.core.flow.advancing import advance
from rondine.core.flow.document import Approval, FlowDocument, PauseStep, steps_by_name
from rondine.core.flow.history import Answered, AnyEvent, Cancelled, History, Settled, WentOn, step_of
from rondine.core.flow.stepping import check_stop
from rondine.core.settings import load
from rondine.server.access.models import Person
from rondine.server.flows.log import tell_run
from rondine.server.runs.actions import TAKEN_BACK
from rondine.server.runs.models import Run


def answer_person(run_id: int, task: str, agrees: bool, note: str, person: Person, role: str) -> None:
    """Raises Conflict for what is not waited for, or was answered already, and NotAllowed for somebody who may not
    answer."""

    def made(run: Run, events: Sequence[AnyEvent]) -> AnyEvent:
        check_may_answer(_waited(run, task, History.of(events)), person, role, task)
        outcome = {"outcome": "good", "agreed": agrees, "by": person.name, **({"note": note} if note else {})}
        return Answered(at=timezone.now(), task=task, outcome=outcome)

    tell_run(run_id, made)


def _waited(run: Run, task: str, history: History) -> Approval:
    where = f"run {run.pk}, {task}"
    step = steps_by_name(load(FlowDocument, run.content["flow"])).get(step_of(task))
    if task in history.outcomes:
        outcome = history.outcomes[task]
        words = (
            f"it was answered with {'yes' if outcome['agreed'] else 'no'}"
            if "agreed" in outcome
            else "its time is over"
        )
        raise Conflict(f"nobody is asked any more: {words}", where=where, hint="look at the run")
    if not isinstance(step, PauseStep) or step.person is None or task not in history.begun:
        raise Conflict("the run does not wait for an answer to this", where=where, hint="see what it waits for")
    return step.person


def may_answer(asked: Approval, person: Person, role: str) -> bool:
    return (not asked.roles or role in asked.roles) and (not asked.people or person.name in asked.people)


def check_may_answer(asked: Approval, person: Person, role: str, task: str) -> None:
    if not may_answer(asked, person, role):
        others = " or ".join([*asked.people, *asked.roles])
        raise NotAllowed(f"{others} is asked, and not {person.name} ({role})", where=task, hint="ask one of them")


def settle(run_id: int, task: str, how: Literal["done", "failed", "again"], person: Person) -> None:
    """Raises Conflict for a task of which it is known what became of it."""

    def made(run: Run, events: Sequence[AnyEvent]) -> AnyEvent:
        history = History.of(events)
        failure = history.outcomes.get(task, {}).get("failure", {})
        if failure.get("kind") != "outcome_unknown" or task in history.settled:
            words = "it is known what became of it" if task in history.outcomes else "nothing came of it yet"
            raise Conflict(words, where=f"run {run.pk}, {task}", hint="see what the run waits for")
        return Settled(at=timezone.now(), task=task, how=how, by=person.name)

    tell_run(run_id, made)


def go_on(run_id: int, step: str, stop_before: str) -> None:
    """A run that stopped before a step goes on. stop_before: the later step before which it stops again; EACH for
    whichever comes next. Raises Conflict if it does not stop there, and InputError for a step that it does not have."""

    def made(run: Run, events: Sequence[AnyEvent]) -> AnyEvent:
        document, now = load(FlowDocument, run.content["flow"]), timezone.now()
        check_stop(document, stop_before)
        stops = [one.step for one in advance(document, History.of(events), now).waiting if one.kind == "step"]
        if step not in stops:
            words = f"it has stopped before {stops[0]}" if stops else "it does not stand before a step"
            raise Conflict(words, where=f"run {run.pk}, {step}", hint="see where it is")
        return WentOn(at=now, step=step, stop_before=stop_before)

    tell_run(run_id, made)


def cancel(run: Run) -> None:
    """The run is to end: what was done is taken back first, where its steps say how."""
    tell_run(run.pk, lambda run, events: Cancelled(at=timezone.now()))


TAKEN_BACK["flow"] = cancel
