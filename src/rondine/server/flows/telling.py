"""Who is asked is told, and what became of runs: written down for subscriptions, in the transaction in which it is."""

from collections.abc import Mapping, Sequence
from typing import Any

from django.conf import settings

from rondine.core.flow.document import FlowDocument, PauseStep, steps_by_name
from rondine.core.flow.tasks import End, Waiting
from rondine.server.flows.ending import ENDED, state_of
from rondine.server.runs.models import Run
from rondine.server.subscriptions.events import is_told_of_flows, write_down_flow
from rondine.server.subscriptions.models import Event

#: Characters of a value that is shown in a message.
LONGEST = 300


def tell_of_waiting(run: Run, document: FlowDocument, waiting: Sequence[Waiting]) -> None:
    """That somebody is asked; each is told once, however often the run rests."""
    steps = steps_by_name(document)
    for one in waiting:
        if one.kind not in ("person", "doubt") or not is_told_of_flows(run.environment):
            continue
        kind = "flow_asks" if one.kind == "person" else "flow_doubt"
        told = Event.objects.filter(run_id=run.pk, kind=kind, data__task=one.task, at__gte=run.queued_at)
        if told.exists():
            continue
        step = steps.get(one.step)
        asked = step.person if isinstance(step, PauseStep) else None
        if asked is not None:
            words, hint = asked.question, f"rondine flow answer {run.pk} {one.task} yes (or no)"
        else:
            words = f"nobody knows whether {one.task} had its effect: look at the service, and say what became of it"
            hint = f"rondine flow settle {run.pk} {one.task} done (or failed, or again)"
        data: dict[str, Any] = {"task": one.task, "message": words, "hint": hint, "shows": _shown(one.shows)}
        if one.until is not None:
            data["until"] = one.until.isoformat()
        _write(run, kind, data)


def _shown(values: Mapping[str, Any]) -> dict[str, str]:
    return {name: str(value)[:LONGEST] for name, value in values.items() if name != "failure"}


def tell_of_end(run: Run, end: End) -> None:
    if run.parent_id is not None:
        return  # what it was asked by tells how it ended
    state = state_of(end)
    if end.failure is not None and state == "failed":
        told = {name: str(end.failure.get(name, "")) for name in ("message", "hint", "step")}
        _write(run, "flow_failed", told)
    _write(run, "flow_ended", {"message": f"it is {state}", "hint": "", "state": state})


def _write(run: Run, kind: Any, data: dict[str, Any]) -> None:
    link = f"{settings.ADDRESS}/p/{run.project.name}/runs/{run.pk}" if settings.ADDRESS else ""
    flow = run.content.get("flow_name", "")
    write_down_flow(run.environment, kind, flow, run.pk, {**data, **({"link": link} if link else {})})


ENDED.append(tell_of_end)
