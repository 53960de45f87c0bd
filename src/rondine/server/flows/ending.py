"""How the run of a flow ends, and whom that is told."""

from collections.abc import Callable, Collection, Mapping
from contextlib import suppress
from typing import Any

from django.db import transaction
from django.utils import timezone

from rondine.core.errors import Conflict
from rondine.core.flow.history import Answered, AnyEvent, Cancelled, failed
from rondine.core.flow.tasks import End
from rondine.core.http.messages import storable_text
from rondine.server.flows.log import append_events, lock_parent, tell_run, wake
from rondine.server.runs.actions import notify
from rondine.server.runs.models import Run
from rondine.server.runs.remarks import Remark

#: Who is told, within the transaction of the last events, that a run has ended.
ENDED: list[Callable[[Run, End], None]] = []


def end_flow(run: Run, end: End) -> None:
    """With the last events, or on its own. What could not be taken back is told with the run; a run that asked for this
    one is answered. Nothing comes of it if the run is not this attempt's any more."""
    mine = Run.objects.filter(pk=run.pk, attempt=run.attempt, state="running")
    ended = {**ended_fields(run, end), "checkpoint": {"next": None, "calls": run.calls.count()}, "alive_at": None}
    with transaction.atomic(savepoint=False):
        lock_parent(run.parent_id)
        if not mine.update(**ended):
            return
        if end.failure is not None:
            stop_children(run)
        notify(run.pk)
        if run.parent_id is not None:
            _answer(run.parent_id, run, end)
        for tell in ENDED:
            tell(run, end)


def stop_children(run: Run, tasks: Collection[str] | None = None) -> None:
    """Flows that a run asked, and for which it waits no more, are cancelled, and take back what they did. Within the
    transaction of the run's events. tasks: that asked them; by default all."""
    children = run.children.exclude(state__in=("done", "failed", "cancelled"))
    if tasks is not None:
        children = children.filter(parent_task__in=tasks)
    for child in children.values_list("pk", flat=True):
        with suppress(Conflict):  # it has just ended by itself
            tell_run(child, lambda _run, _events: Cancelled(at=timezone.now(), by=f"run {run.pk}"))


def state_of(end: End) -> str:
    """done, cancelled or failed."""
    if end.failure is None:
        return "done"
    return "cancelled" if end.failure.get("kind") == "cancelled" else "failed"


def ended_fields(run: Run, end: End) -> dict[str, Any]:
    """What a run says of its end."""
    failure = end.failure
    remarks = [
        Remark(
            "not_undone", f"{task} could not be taken back: {why.get('message', '')}", "look at the service"
        ).to_json()
        for task, why in end.not_undone.items()
    ]
    words = "" if failure is None else str(failure.get("message", ""))
    return {
        "state": state_of(end),
        "ending": storable_text(words)[:300],
        "error": None
        if failure is None
        else {
            "code": str(failure.get("kind", "flow_failed")),
            "message": words,
            "where": str(failure.get("where") or failure.get("step") or ""),
            "hint": str(failure.get("hint", "")),
        },
        "content": {**run.content, "reply": end.reply, "failure": failure, "undone": list(end.undone)},
        "remarks": [*run.remarks, *remarks],
        "ended_at": timezone.now(),
    }


def _answer(parent_id: int, run: Run, end: End) -> None:
    parent = Run.objects.select_for_update(no_key=True).get(pk=parent_id)
    if parent.state not in ("queued", "running", "waiting"):
        return
    outcome = (
        {"outcome": "good", "reply": dict(end.reply or {}), "run": run.pk}
        if end.failure is None
        else failed({**_inner(end.failure), "run": run.pk})
    )
    answer: AnyEvent = Answered(at=timezone.now(), task=run.parent_task, outcome=outcome)
    append_events(parent, [answer])
    wake(parent)
    notify(parent.pk)


def _inner(failure: Mapping[str, Any]) -> dict[str, Any]:
    """The failure of a flow as that of the step that asked it: its steps are its own."""
    told = dict(failure)
    step = told.pop("step", "")
    return {**told, "inner_step": step} if step else told
