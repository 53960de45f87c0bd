"""The run of a flow: what comes next is decided by the core, carried out here, and written down before it is done.

One process holds a run while anything of it is under way. What it asks goes on at once, in that process; what it waits
for besides (a time, a callback, a person, another flow) is a row, and the run is given back until then.
"""

import asyncio
from collections.abc import Container, Mapping
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime, timedelta
from typing import Any

import structlog
from django.db import OperationalError
from django.utils import timezone

from rondine.core.errors import InputError, RondineError, RunEnded
from rondine.core.flow.advancing import advance
from rondine.core.flow.document import Asked, AskStep, FlowDocument, RecordsStep, steps_by_name
from rondine.core.flow.history import Answered, AnyEvent, History, failed, failure_of, step_of
from rondine.core.flow.tasks import End, Next, Task
from rondine.core.settings import load
from rondine.engine.client import Engine
from rondine.server.flows.asking import Carrier, ReadyToAsk
from rondine.server.flows.calls import StoredCalls
from rondine.server.flows.ending import end_flow, stop_children
from rondine.server.flows.log import Log, StoredLog, rest
from rondine.server.flows.queueing import begin_within, configuration_of
from rondine.server.flows.telling import tell_of_waiting
from rondine.server.held import MOST_READY, TRUSTED, Held
from rondine.server.runs.beating import beat
from rondine.server.runs.models import Run
from rondine.server.runs.streams import hub
from rondine.server.threads import in_database

logger = structlog.get_logger("rondine.flows")
#: What runs of applications ask is trusted for as long as what is asked through their door; a builder's run is by what
#: was saved just before.
_for_applications: Held[ReadyToAsk] = Held(TRUSTED, MOST_READY)
#: A pause that is over sooner than this is waited for by the process that holds the run.
SHORT = timedelta(seconds=2)


class FlowRun:
    """One attempt at a run."""

    def __init__(self, run: Run, document: FlowDocument, carrier: Carrier, log: Log) -> None:
        self.run, self.document, self.carrier, self.log = run, document, carrier, log
        self.doing: dict[str, asyncio.Task[dict[str, Any]]] = {}

    async def go(self) -> None:
        """Until it ends or rests. Raises RunEnded if another process has it now."""
        await self.log.read()
        notices = hub.listen(self.run.pk)
        try:
            self._take_up()
            while await self._step(notices):
                pass
        finally:
            hub.leave(self.run.pk, notices)
            for task in self.doing.values():
                task.cancel()
            await asyncio.gather(*self.doing.values(), return_exceptions=True)

    def _take_up(self) -> None:
        """Goes on with what was under way when the process before died."""
        history = History.of(self.log.events)
        for name in history.open():
            task = self._task(name, history)
            if task is not None:
                self._begin(task, again=True)

    async def _step(self, notices: "asyncio.Queue[bool]") -> bool:
        """Decides what comes next, writes it down, begins it, and waits until something has come of anything. False if
        the run is over, or rests."""
        done = {name: task for name, task in self.doing.items() if task.done()}
        events: list[AnyEvent] = [
            Answered(at=timezone.now(), task=name, outcome=_outcome(task)) for name, task in done.items()
        ]
        now = timezone.now()
        following = advance(self.document, History.of([*self.log.events, *events]), now)
        events += following.events
        rests = self._rests(following, now, done)
        if (events or following.end is not None or rests) and not await self.log.add(events, following, rests=rests):
            return True
        for name in done:
            del self.doing[name]
        for name in following.stop:
            self._stop(name)
        if following.end is not None or rests:
            return False
        for task in following.tasks:
            self._begin(task)
        await self._wait(following.wake, notices)
        return True

    def _rests(self, following: Next, now: datetime, done: Container[str]) -> bool:
        """Whether only what is outside of this process can let it go on."""
        if following.end is not None or not self.log.may_rest:
            return False
        if any(name not in done and name not in following.stop for name in self.doing):
            return False
        if any(not (isinstance(task.what, Asked) and task.what.flow) for task in following.tasks):
            return False
        return following.wake is None or following.wake - now > SHORT

    def _begin(self, task: Task, *, again: bool = False) -> None:
        if isinstance(task.what, Asked) and task.what.flow:
            return  # a run of its own, which answers this one
        self.doing[task.name] = asyncio.create_task(self.carrier.do(task, again=again))

    def _stop(self, name: str) -> None:
        if (task := self.doing.pop(name, None)) is not None:
            task.cancel()

    async def _wait(self, wake: datetime | None, notices: "asyncio.Queue[bool]") -> None:
        """Until a task is done, somebody says something of the run, or it is time."""
        timeout = None if wake is None else max(0.0, (wake - timezone.now()).total_seconds())
        told = asyncio.create_task(notices.get())
        try:
            await asyncio.wait([told, *self.doing.values()], timeout=timeout, return_when=asyncio.FIRST_COMPLETED)
        finally:
            told.cancel()

    def _task(self, name: str, history: History) -> Task | None:
        """A task that was begun, as it was; None for a pause."""
        step = steps_by_name(self.document).get(step_of(name))
        what = _what(step, name)
        return None if what is None else Task(name, step_of(name), what, history.given[name])


def _what(step: Any, name: str) -> Asked | RecordsStep | None:
    """What a task of a step asks."""
    if isinstance(step, RecordsStep):
        return step
    if not isinstance(step, AskStep):
        return None
    is_undoing = name.endswith("~undo")
    part = name.removesuffix("~undo").partition("/")[2].partition("!")[0]
    ask = step.ask or (
        step.each.ask if step.each is not None else next(one for one in step.together if one.name == part)
    )
    return ask.undo if is_undoing else ask


def _outcome(task: "asyncio.Task[dict[str, Any]]") -> dict[str, Any]:
    """What came of a task; a fault of ours is a failure that says so. Raises OperationalError if the database went
    away: the run is taken up again when it is there, and what was under way is looked at again."""
    if task.cancelled():
        return failed({"kind": "stopped", "message": "it was stopped"})
    error = task.exception()
    if error is None:
        return task.result()
    if isinstance(error, OperationalError):
        raise error
    logger.error("a task of a flow failed by a fault of Rondine's", exc_info=error)
    return failed(_own_fault(error))


def _own_fault(error: BaseException) -> dict[str, Any]:
    hint = "see in the run what was done; the worker's log has the details, report it"
    return {"kind": "error", "message": f"a fault of Rondine's: {type(error).__name__}", "hint": hint}


async def carry_out_flow(run: Run, engine: Engine, pool: ThreadPoolExecutor) -> None:
    beating = asyncio.create_task(beat(run, pool))
    try:
        try:
            document, configuration = await in_database(pool, _loaded, run)
        except RondineError as error:
            await in_database(pool, end_flow, run, End(failure=failure_of(error)))
            return
        sessions = None if run.application_id is None else ()
        caller = run.content.get("caller", "")
        carrier = Carrier(run, configuration, engine, pool, StoredCalls(run, pool), caller, sessions)
        if run.application_id is not None:
            carrier.ready = _for_applications

        def then(following: Next, rests: bool) -> None:
            for task in following.tasks:
                if isinstance(task.what, Asked) and task.what.flow:
                    begin_within(run, task)
            if following.stop:
                stop_children(run, following.stop)
            if following.end is not None:
                end_flow(run, following.end)
            elif rests:
                rest(run, document, following.waiting, following.wake)
                tell_of_waiting(run, document, following.waiting)

        log = StoredLog(run.pk, run.attempt, pool, then, parent=run.parent_id)
        try:
            await FlowRun(run, document, carrier, log).go()
        except RunEnded:
            pass
        except OperationalError:  # the database is away, and the run is taken up again when it is there
            raise
        except Exception as error:
            logger.error("the run of a flow failed by a fault of Rondine's", run=run.pk, exc_info=error)
            await in_database(pool, end_flow, run, End(failure=_own_fault(error)))
    finally:
        beating.cancel()


def _loaded(run: Run) -> tuple[FlowDocument, Any]:
    document: Mapping[str, Any] = run.content["flow"]
    try:
        return load(FlowDocument, document), configuration_of(run)
    except InputError as error:
        raise InputError(f"the flow cannot be read: {error.message}", where=error.where, hint=error.hint) from error
