"""What comes next in a flow, given what happened: the one rule by which all runs go, crash or not.

`advance` goes through the document from its beginning, with the history beside it. A task that has an outcome is passed
over with that outcome; one that was begun is waited for; one that was not is to be begun. So the same history always
comes to the same, and a process that takes a run over needs nothing but its events. Whatever is decided here by the
clock is given back as an event, to be written down before anybody acts on it.

A task's name is its step's, with the branch or number behind it: `papers/soil`; from the second attempt on
`papers#2/soil`; what takes it back is `papers/soil~undo`; done again after a doubt, `papers/soil!2`.
"""

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any, NoReturn

from rondine.core.conversions.types import ConversionError, to_datetime
from rondine.core.documents.members import MISSING
from rondine.core.errors import PathError
from rondine.core.flow.bringing import brought, too_few
from rondine.core.flow.document import (
    All,
    Approval,
    Ask,
    Asked,
    AskStep,
    AtLeast,
    DecideStep,
    Each,
    EndStep,
    Failing,
    FailureRule,
    First,
    FlowDocument,
    Instead,
    KeepValue,
    PauseStep,
    RecordsStep,
    Repeat,
    Step,
)
from rondine.core.flow.failures import TIME_OVER, UNKNOWN, over, refused, unfit
from rondine.core.flow.history import (
    EACH,
    OVER,
    Answered,
    AnyEvent,
    History,
    Stopped,
    TimeOver,
    failed,
    is_undoing,
    step_of,
)
from rondine.core.flow.history import (
    Asked as AskedEvent,
)
from rondine.core.flow.tasks import End, Next, Outcome, Task, Waiting
from rondine.core.flow.values import Scope, holds, is_there, typed, value_of, values_of


def advance(document: FlowDocument, history: History, now: datetime) -> Next:
    """What comes next. The history is left with the events that were added."""
    events: list[AnyEvent] = []
    under_way = history.open()
    while True:
        walk = _Walk(document, history, now)
        end = walk.go()
        for event in walk.events:
            history.add(event)
        events += walk.events
        if not walk.events:
            break
    stopped = [task for task in under_way if not history.is_open(task)]
    begun: list[AnyEvent] = [AskedEvent(at=now, task=task.name, given=dict(task.given)) for task in walk.tasks]
    for event in begun:
        history.add(event)
    waiting = [one for one in walk.waiting if one.until is None or one.until > now]
    return Next(
        walk.tasks,
        [*events, *begun],
        waiting,
        stopped,
        min(walk.wakes, default=None),
        end,
        walk.scope.results,
        walk.scope.kept,
    )


def reached_steps(document: FlowDocument, history: History, now: datetime) -> list[str]:
    """The names of the steps that a history comes to, in order; the last is the one at which it is."""
    walk = _Walk(document, history, now)
    walk.go()
    return walk.reached


class _Pending(Exception):
    """Something has to happen outside first."""


class _Failed(Exception):
    """A step failed, or the whole flow."""

    def __init__(self, failure: Mapping[str, Any], at: datetime | None = None) -> None:
        super().__init__(failure.get("message", ""))
        self.failure, self.at = failure, at


class _Ended(Exception):
    def __init__(self, reply: Mapping[str, Any]) -> None:
        super().__init__()
        self.reply = reply


class _Walk:
    """One way through the document."""

    def __init__(self, document: FlowDocument, history: History, now: datetime) -> None:
        start = history.start
        self.document, self.history, self.now = document, history, now
        self.scope = Scope(start.inputs, start.standing, start.caller)
        self.tasks: list[Task] = []
        self.events: list[AnyEvent] = []
        self.waiting: list[Waiting] = []
        self.wakes: list[datetime] = []
        self.done: dict[str, tuple[Asked, Outcome, Scope]] = {}
        #: Steps that it has come to.
        self.reached: list[str] = []
        #: In which outcomes came.
        self.order = {task: number for number, task in enumerate(history.outcomes)}

    def go(self) -> End | None:
        ending = self._failure_of_whole()
        if ending is not None:
            self._look()
            return self._undone(ending)
        try:
            self._steps(self.document.steps, self.scope)
            return self._replied({})
        except _Ended as ended:
            return self._replied(ended.reply)
        except _Failed as failure:
            return self._undone(failure.failure)
        except _Pending:
            return None

    # --- the whole run

    def _failure_of_whole(self) -> Mapping[str, Any] | None:
        """Why the run ends wherever it is."""
        cancelled, limit = self.history.cancelled, self.document.time_limit
        if cancelled is not None:
            by = f" by {cancelled.by}" if cancelled.by else ""
            return {"kind": "cancelled", "message": f"the run was cancelled{by}"}
        if "" in self.history.over:
            return over(f"the flow has not ended within {limit:g} s")
        if limit is not None:
            until = self.history.start.at + timedelta(seconds=limit)
            if self.now >= until:
                self.events.append(TimeOver(at=self.now, step=""))
            self.wakes.append(until)
        return None

    def _look(self) -> None:
        """Goes through what has been done, to know what there is to undo."""
        with suppress(_Pending, _Failed, _Ended):
            self._steps(self.document.steps, self.scope)
        self.events.clear()

    def _replied(self, reply: Mapping[str, Any]) -> End | None:
        try:
            return self._stop_rest(End(reply=self._fitting(reply)))
        except _Failed as failure:
            return self._undone(failure.failure)

    def _fitting(self, reply: Mapping[str, Any]) -> dict[str, Any]:
        """Raises _Failed for a reply that is not as the flow says."""
        made: dict[str, Any] = {}
        for member in self.document.reply:
            value = reply.get(member.name)
            if value is None:
                if member.required:
                    raise _Failed(unfit(f'the reply has no "{member.name}"'))
                continue
            if member.records and not (isinstance(value, list) and all(isinstance(one, dict) for one in value)):
                raise _Failed(unfit(f'"{member.name}" of the reply is no list of records'))
            try:
                made[member.name] = value if member.records else typed(value, member.type)
            except ConversionError as error:
                raise _Failed(unfit(f'"{member.name}" of the reply {error}')) from error
        return made

    def _undone(self, failure: Mapping[str, Any]) -> End | None:
        """The end of a run that failed, when what it did was taken back, the last first."""
        self._forget()
        self._stop(lambda task: not is_undoing(task))
        cancelled = self.history.cancelled
        undone, rest = [], {}
        done = [] if cancelled is not None and not cancelled.undoes else [*self.history.outcomes]
        for task in reversed(done):
            if task not in self.done or task in self.history.recorded:
                continue
            ask, outcome, scope = self.done[task]
            name = f"{task}~undo"
            found = self._outcome(name, "", ask, replace(scope, undone=outcome))
            if found is None:
                return None
            if found["outcome"] == "failure":
                rest[task] = found["failure"]
            else:
                undone.append(task)
        return End(failure=failure, undone=undone, not_undone=rest)

    def _forget(self) -> None:
        """What was to be begun or waited for before it was clear that the run ends."""
        self.tasks.clear()
        self.waiting.clear()
        self.wakes.clear()

    def _stop_rest(self, end: End) -> End:
        self._forget()
        self._stop(lambda task: True)
        return end

    def _stop(self, which: Callable[[str], bool]) -> None:
        self.events += [
            Stopped(at=self.now, task=task) for task in self.history.begun if self.history.is_open(task) and which(task)
        ]

    # --- steps

    def _steps(self, steps: Sequence[Step], scope: Scope) -> None:
        for step in steps:
            self._stop_before(step, scope)
            match step:
                case DecideStep():
                    self._check_only(step, scope)
                    self._decide(step, scope)
                case EndStep():
                    self._check_only(step, scope)
                    self._end(step, scope)
                case _:
                    self._failing(step, scope)

    def _stop_before(self, step: Step, scope: Scope) -> None:
        """Raises _Pending before a step before which the run is to stop, to be looked at."""
        history = self.history
        is_behind = not history.passed or history.passed in self.reached
        self.reached.append(step.name)
        if is_behind and history.stop_before in (EACH, step.name):
            self.waiting.append(Waiting(step.name, "step", step.name, shows=self._preview(step, scope)))
            raise _Pending

    def _preview(self, step: Step, scope: Scope) -> dict[str, Any]:
        """What a step would be given, by the names of its inputs; of several, by their names."""
        try:
            match step:
                case AskStep(ask=Ask() as ask):
                    return values_of(ask.inputs, scope)
                case AskStep():
                    return {label: values_of(ask.inputs, inner) for label, ask, inner in self._branches(step, scope)}
                case RecordsStep():
                    return values_of({**step.key, **step.fields}, scope)
                case EndStep(reply=dict() as reply):
                    return values_of(reply, scope)
                case PauseStep(person=Approval() as person):
                    return values_of(person.shows, scope)
        except (ConversionError, PathError) as error:
            return {"problem": str(error)}
        except _Failed as failure:
            return {"problem": str(failure)}
        return {}

    def _check_only(self, step: Step, scope: Scope) -> None:
        only = step.only
        if only is None:
            return
        role = self.history.start.role
        if only.roles and role not in only.roles:
            raise _Failed(refused(step.name, f"it may be caused by {' and '.join(only.roles)}, not by {role}"))
        for condition in only.when:
            if not self._holds(condition, scope, step.name):
                raise _Failed(refused(step.name, "the state that it asks for is not there"))

    def _decide(self, step: DecideStep, scope: Scope) -> None:
        for way in step.ways:
            if all(self._holds(condition, scope, step.name) for condition in way.when):
                self._steps(way.steps, scope)
                return
        self._steps(step.otherwise, scope)

    def _holds(self, condition: Any, scope: Scope, name: str) -> bool:
        try:
            return holds(condition, scope)
        except (ConversionError, PathError) as error:
            raise _Failed(unfit(f"a value that is compared {error}", name)) from error

    def _end(self, step: EndStep, scope: Scope) -> NoReturn:
        try:
            if step.reply is not None:
                raise _Ended(values_of(step.reply, scope))
            assert step.fail is not None
            reason = value_of(step.fail, scope)
        except (ConversionError, PathError) as error:
            raise _Failed(unfit(str(error), step.name)) from error
        words = reason if isinstance(reason, str) and reason else "the flow says that it failed"
        raise _Failed({"kind": "flow_failed", "message": words, "step": step.name})

    def _failing(self, step: AskStep | RecordsStep | PauseStep, scope: Scope) -> None:
        """A step with its repetitions, until it has come to something, or has failed for good."""
        used = [0] * len(step.on_failure)
        attempt = 1
        while True:
            name = step.name if attempt == 1 else f"{step.name}#{attempt}"
            try:
                self._check_only(step, scope)
                self._attempted(step, scope, name)
                return
            except _Failed as failure:
                data = {"step": step.name, **failure.failure}
                number, rule = self._rule(step, data, used)
                if isinstance(rule, Repeat):
                    if self._is_time_to_repeat(step, rule, used[number], failure.at or self._last(name)):
                        used[number] += 1
                        attempt += 1
                        continue
                    data = {"step": step.name, **over(f"its time was over; before that: {data.get('message', '')}")}
                    number, rule = self._rule(step, data, used)
                if rule is None:
                    raise _Failed(data) from failure
                scope.results[step.name] = {"outcome": "failure", **_parts_of(failure), "failure": data}
                if isinstance(rule, Instead):
                    self._steps(rule.steps, replace(scope, failure=data))
                return

    def _last(self, name: str) -> datetime:
        """When something last came of an attempt. Nothing may depend on the clock alone, which a crash forgets, nor on
        what comes later, such as the next attempt or what takes it back."""
        moments = [
            at
            for task, at in self.history.answered.items()
            if not is_undoing(task) and (task == name or task.startswith((f"{name}/", f"{name}!")))
        ]
        return max(moments, default=self.history.start.at)

    def _rule(self, step: Failing, failure: Mapping[str, Any], used: Sequence[int]) -> tuple[int, FailureRule | None]:
        kind = failure.get("kind")
        for number, rule in enumerate(step.on_failure):
            if isinstance(rule, Repeat):
                fits = kind in rule.kinds if rule.kinds else bool(failure.get("may_pass"))
                if fits and kind != TIME_OVER and used[number] < rule.times:
                    return number, rule
            elif not rule.kinds or kind in rule.kinds:
                return number, rule
        return -1, None

    def _is_time_to_repeat(self, step: Failing, rule: Repeat, times: int, failed_at: datetime) -> bool:
        """False if the step's time was over before the next attempt. Raises _Pending until it is time for that."""
        at = failed_at + timedelta(seconds=rule.pause * rule.factor**times)
        if (over := self.history.over.get(step.name)) is not None and over < at:
            return False
        if self.now >= at:
            return True
        self._check_limit(step)
        self.wakes.append(at)
        raise _Pending

    def _attempted(self, step: AskStep | RecordsStep | PauseStep, scope: Scope, name: str) -> None:
        """name: of this attempt. Raises _Pending, and _Failed."""
        try:
            result = self._result(step, name, scope)
        except _Pending:
            self._check_limit(step)
            raise
        self._keep(step.keep, replace(scope, results={**scope.results, step.name: result}), step.name)
        scope.results[step.name] = result

    def _check_limit(self, step: Failing) -> None:
        """Says that a step's time is over, when it is; otherwise, when that will be."""
        if step.time_limit is None or step.name in self.history.over:
            return
        began = [at for task, at in self.history.begun.items() if step_of(task) == step.name]
        until = min(began, default=self.now) + timedelta(seconds=step.time_limit)
        if self.now >= until:
            self.events.append(TimeOver(at=self.now, step=step.name))
        self.wakes.append(until)

    def _keep(self, values: Sequence[KeepValue], scope: Scope, name: str) -> None:
        for one in values:
            try:
                value = value_of(one.source, scope)
                if is_there(value):
                    scope.kept[one.name] = typed(value, one.type)
                    continue
            except (ConversionError, PathError) as error:
                raise _Failed(unfit(f'"{one.name}" {error}', name)) from error
            if one.required:
                raise _Failed(unfit(f'"{one.name}" has no value', name))

    def _result(self, step: AskStep | RecordsStep | PauseStep, name: str, scope: Scope) -> Outcome:
        if isinstance(step, PauseStep):
            return self._paused(step, name, scope)
        if isinstance(step, AskStep) and step.ask is None:
            return self._gathered(step, name, scope)
        what = step if isinstance(step, RecordsStep) else step.ask
        assert what is not None
        outcome = self._outcome(name, step.name, what, scope, step)
        if outcome is None:
            raise _Pending
        if outcome["outcome"] == "failure":
            raise _Failed(outcome["failure"], self._answered(name))
        return outcome

    # --- tasks

    def _outcome(
        self, name: str, step: str, what: Asked | RecordsStep, scope: Scope, failing: Failing | None = None
    ) -> Outcome | None:
        """What came of a task; None if it is yet to come, after it was begun."""
        history = self.history
        outcome = history.outcomes.get(name)
        if outcome is None and step and step in history.over:
            return failed(OVER)
        if outcome is None and name not in history.begun:
            try:
                self.tasks.append(Task(name, step, what, _given(what, scope)))
            except (ConversionError, PathError) as error:
                return failed(unfit(str(error)))
            return None
        if outcome is None:
            return None
        if outcome["outcome"] == "failure" and outcome["failure"].get("kind") == UNKNOWN:
            outcome = self._settled(name, step, what, scope, outcome, failing)
        if outcome is not None and outcome["outcome"] != "failure" and isinstance(what, Ask) and what.undo is not None:
            self.done[name] = (what.undo, outcome, scope)
        return outcome

    def _settled(
        self,
        name: str,
        step: str,
        what: Asked | RecordsStep,
        scope: Scope,
        outcome: Outcome,
        failing: Failing | None,
    ) -> Outcome | None:
        """What became of a task that may have had its effect: as a rule of the step says, or as somebody says."""
        if failing is not None and any(UNKNOWN in rule.kinds for rule in failing.on_failure):
            return outcome
        match self.history.settled.get(name):
            case "done":
                return {"outcome": "good"}
            case "failed":
                return outcome
            case "again":
                root, _, number = name.partition("!")
                return self._outcome(f"{root}!{int(number or 1) + 1}", step, what, scope, failing)
        self.waiting.append(Waiting(name, "doubt", step, shows={"failure": outcome["failure"]}))
        return None

    def _answered(self, name: str) -> datetime | None:
        return self.history.answered.get(name)

    def _gathered(self, step: AskStep, name: str, scope: Scope) -> Outcome:
        """What came of several tasks, when it is clear."""
        parts = self._branches(step, scope)
        labels = [label for label, _, _ in parts]
        at_once = step.each.at_once if step.each is not None else len(parts)
        outcomes: dict[str, Outcome] = {}
        under_way = sum(self.history.is_open(f"{name}/{label}") for label in labels)
        for label, ask, inner in parts:
            task = f"{name}/{label}"
            is_new = task not in self.history.begun and step.name not in self.history.over
            if is_new and under_way >= at_once:
                continue
            outcome = self._outcome(task, step.name, ask, inner, step)
            if outcome is not None:
                outcomes[label] = outcome
            elif not self.history.is_open(task):
                under_way += 1
        order = sorted(outcomes, key=lambda label: self.order.get(f"{name}/{label}", -1))
        good = [label for label in order if outcomes[label]["outcome"] != "failure"]
        bad = [label for label in order if outcomes[label]["outcome"] == "failure"]
        is_all = len(outcomes) == len(parts)
        match step.success:
            case All() if bad:
                self._leave_rest(step, name)
                failure = outcomes[bad[0]]["failure"]
                raise _Failed({**failure, "part": bad[0]}, self._answered(f"{name}/{bad[0]}"))
            case First() if good:
                self._leave_rest(step, name)
                return brought(step, {good[0]: outcomes[good[0]]}, labels)
            case First() if is_all and parts:
                raise _Failed(too_few(outcomes, bad, 1), self._answered(f"{name}/{bad[-1]}"))
        if not is_all:
            raise _Pending
        if isinstance(step.success, AtLeast) and len(good) < step.success.count:
            last = self._answered(f"{name}/{bad[-1]}") if bad else None
            raise _Failed(too_few(outcomes, bad, step.success.count), last)
        return brought(step, {label: outcomes[label] for label in labels}, labels)

    def _branches(self, step: AskStep, scope: Scope) -> list[tuple[str, Ask, Scope]]:
        """(name, what is asked, what it sees) of each. Raises _Failed for what is no list, or too long."""
        if step.each is None:
            return [(branch.name, branch, scope) for branch in step.together]
        each: Each = step.each
        try:
            items = value_of(each.of, scope)
        except (ConversionError, PathError) as error:
            raise _Failed(unfit(f"the list {error}", step.name)) from error
        if items is MISSING or items is None:
            items = []
        if not isinstance(items, list):
            raise _Failed(unfit("what it is asked for each of is no list", step.name))
        if len(items) > each.most:
            raise _Failed(unfit(f"the list has {len(items):,} items, and {each.most:,} at most are asked for"))
        return [
            (str(number), each.ask, replace(scope, item=item, position=number)) for number, item in enumerate(items)
        ]

    def _leave_rest(self, step: AskStep, name: str) -> None:
        """Begins no more of a step's tasks, and stops those under way."""
        self.tasks[:] = [task for task in self.tasks if task.step != step.name or task.is_undoing]
        self.waiting[:] = [one for one in self.waiting if one.step != step.name]
        self._stop(lambda task: task.startswith(f"{name}/"))

    # --- pauses

    def _paused(self, step: PauseStep, name: str, scope: Scope) -> Outcome:
        history = self.history
        if name in history.outcomes:
            outcome = history.outcomes[name]
            if outcome["outcome"] == "failure":
                raise _Failed(outcome["failure"], self._answered(name))
            return outcome
        if name not in history.begun:
            self.events.append(AskedEvent(at=self.now, task=name))
            raise _Pending
        began = history.begun[name]
        limit = None if step.time_limit is None else began + timedelta(seconds=step.time_limit)
        try:
            waiting = self._waiting(step, name, scope, began, limit)
        except (ConversionError, PathError) as error:
            raise _Failed(unfit(str(error), step.name)) from error
        if waiting.kind == "time":
            assert waiting.until is not None
            if self.now >= waiting.until:
                self.events.append(Answered(at=self.now, task=name, outcome={"outcome": "good"}))
            self.wakes.append(waiting.until)
        self.waiting.append(waiting)
        raise _Pending

    def _waiting(self, step: PauseStep, name: str, scope: Scope, began: datetime, limit: datetime | None) -> Waiting:
        """Raises ConversionError."""
        if step.seconds is not None:
            return Waiting(name, "time", step.name, began + timedelta(seconds=step.seconds))
        if step.until is not None:
            found = value_of(step.until, scope)
            moment = to_datetime(found) if is_there(found) else began
            return Waiting(name, "time", step.name, moment.astimezone(UTC))
        if step.callback is not None:
            matches = [(one.at, value_of(one.equals, scope)) for one in step.callback.matches]
            return Waiting(name, "callback", step.name, limit, matches=matches)
        assert step.person is not None
        return Waiting(name, "person", step.name, limit, shows=values_of(step.person.shows, scope))


def _given(what: Asked | RecordsStep, scope: Scope) -> dict[str, Any]:
    if isinstance(what, RecordsStep):
        return {"key": values_of(what.key, scope), "fields": values_of(what.fields, scope)}
    return values_of(what.inputs, scope)


def _parts_of(failure: _Failed) -> dict[str, Any]:
    return {"failures": failure.failure["failures"]} if "failures" in failure.failure else {}
