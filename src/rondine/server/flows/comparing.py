"""Two runs of flows beside each other, as the API gives them."""

from typing import Any

from rondine.core.errors import NotFound
from rondine.core.flow.comparing import RunSeen, TaskPair, TaskSeen, compare_runs
from rondine.core.flow.history import History
from rondine.server.flows.models import FlowEvent
from rondine.server.runs.models import Run


def compared(first: Run, second: Run) -> dict[str, Any]:
    """Raises NotFound for a run of something else than a flow."""
    found = compare_runs(_seen(first), _seen(second))
    return {
        "first": first.pk,
        "second": second.pk,
        "inputs": found.inputs,
        "document": found.document,
        "tasks": [_pair(one) for one in found.tasks],
        "end": found.end,
    }


def _seen(run: Run) -> RunSeen:
    if run.kind != "flow":
        raise NotFound(f"run {run.pk} is not of a flow", where=f"run {run.pk}", hint="compare runs of flows")
    history = History.of(FlowEvent.events_of(run))
    tasks = [
        TaskSeen(task, history.given[task], history.outcomes.get(task), at, history.answered.get(task))
        for task, at in history.begun.items()
    ]
    content = run.content
    return RunSeen(run.inputs, content["flow"], tasks, content.get("reply"), content.get("failure"))


def _pair(pair: TaskPair) -> dict[str, Any]:
    return {
        "task": pair.task,
        "first": _side(pair.first),
        "second": _side(pair.second),
        "differences": pair.differences,
    }


def _side(task: TaskSeen | None) -> dict[str, Any] | None:
    if task is None:
        return None
    outcome = task.outcome or {}
    failure = outcome.get("failure") if outcome.get("outcome") == "failure" else None
    return {
        "outcome": outcome.get("outcome", ""),
        "message": str(failure.get("message", "")) if isinstance(failure, dict) else "",
        "milliseconds": task.milliseconds,
    }
