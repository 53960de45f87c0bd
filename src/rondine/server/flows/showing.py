"""The run of a flow as the API gives it: its tasks, what it waits for, and what its steps have come to."""

from typing import Any

from django.utils import timezone

from rondine.core.errors import NotFound
from rondine.core.flow.advancing import advance
from rondine.core.flow.document import FlowDocument, PauseStep, steps_by_name
from rondine.core.flow.history import History, step_of
from rondine.core.settings import load
from rondine.server.access.models import Person
from rondine.server.flows.answering import may_answer
from rondine.server.flows.models import FlowEvent
from rondine.server.runs.models import Run


def shown_run(run: Run, person: Person, role: str) -> dict[str, Any]:
    """Raises NotFound for a run of something else."""
    if run.kind != "flow":
        raise NotFound(f"run {run.pk} is not of a flow", where=f"run {run.pk}", hint="look at the run itself")
    document = load(FlowDocument, run.content["flow"])
    steps = steps_by_name(document)
    events = FlowEvent.events_of(run)
    history = History.of(events)
    children = dict(run.children.values_list("parent_task", "pk"))
    tasks = [
        {
            "task": task,
            "step": step_of(task),
            "begun_at": at,
            "ended_at": history.answered.get(task),
            "given": history.given[task],
            "outcome": history.outcomes.get(task),
            "run": children.get(task),
            "recorded": history.recorded.get(task),
        }
        for task, at in history.begun.items()
    ]
    following = advance(document, History.of(events), run.ended_at or timezone.now())
    pauses = []
    for one in following.waiting if run.state in ("queued", "running", "waiting") else []:
        step = steps.get(one.step)
        asked = step.person if isinstance(step, PauseStep) else None
        may = may_answer(asked, person, role) if asked is not None else one.kind in ("doubt", "step")
        pauses.append(
            {
                "task": one.task,
                "step": one.step,
                "kind": one.kind,
                "until": one.until,
                "question": asked.question if asked is not None else "",
                "shows": dict(one.shows),
                "may_answer": may and role != "viewer",
            }
        )
    return {
        "document": document,
        "tasks": tasks,
        "pauses": pauses,
        "results": following.results,
        "kept": following.kept,
        "reply": run.content.get("reply"),
        "failure": run.content.get("failure"),
        "undone": run.content.get("undone", []),
    }
