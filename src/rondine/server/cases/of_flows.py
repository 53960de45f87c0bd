"""Cases of flows: a run that is played again with what was recorded, and without a network."""

from typing import Any

from django.utils import timezone

from rondine.core.documents.json import json_text, read_json
from rondine.core.errors import InputError
from rondine.core.flow.history import Begun, History
from rondine.core.flow.replaying import replay
from rondine.core.items.case import CaseDocument, Expected, RecordedAnswer, Recording
from rondine.server.access.models import Project
from rondine.server.flows.kinds import FLOWS
from rondine.server.flows.models import FlowEvent
from rondine.server.flows.queueing import plain_inputs
from rondine.server.items.actions import find_item
from rondine.server.operations.samples import without_keys
from rondine.server.runs.actions import find_run


def recorded_case(project: Project, run_id: int, keys: str | None, description: str = "") -> CaseDocument:
    """A case of a flow, of one of its runs that is over. keys: what becomes of values in it that look like keys: mask
    or keep. Raises NotFound, InputError for a run that is under way or is none of a flow, and Conflict for keys of
    which nothing was said."""
    run = find_run(project, run_id)
    if run.kind != "flow" or run.flow is None:
        raise InputError(f"run {run_id} is none of a flow", where="/run", hint="give a run of the flow")
    if run.state not in ("done", "failed"):
        hint = "wait until it is done or has failed"
        raise InputError(f"run {run_id} is {run.state}, and not at its end", where="/run", hint=hint)
    history = History.of(FlowEvent.events_of(run))
    if history.over.get(""):
        hint = "record one that came to an end of its own"
        raise InputError(f"run {run_id} ended when its time was over", where="/run", hint=hint)
    found = [[task, dict(outcome)] for task, outcome in history.outcomes.items()]
    read: Any = read_json(without_keys(json_text(found).encode(), keys, "recording"))
    recording = Recording(
        answers=[RecordedAnswer(task=task, outcome=outcome) for task, outcome in read],
        settled=dict(history.settled),  # type: ignore[arg-type]
        begun_at=history.start.at,
        role=history.start.role,
        caller=history.start.caller,
    )
    return CaseDocument(
        flow=run.flow.name,
        inputs=dict(run.inputs),
        standing=dict(history.start.standing),
        recording=recording,
        description=description,
    )


def played_again(project: Project, case: CaseDocument) -> Expected:
    """What comes of a case of a flow now. Raises RondineError if nothing can."""
    document = find_item(FLOWS, project, case.flow).loaded()
    recording = case.recording or Recording()
    start = Begun(
        at=recording.begun_at or timezone.now(),
        inputs=plain_inputs(document, case.inputs, case.standing),
        standing=case.standing,
        caller=recording.caller,
        role=recording.role,
    )
    answers = [(one.task, one.outcome) for one in recording.answers]
    found = replay(document, start, answers, recording.settled)
    return Expected(
        outcome="failure" if found.end.failure else "good",
        asked=found.asked,
        reply=None if found.end.reply is None else dict(found.end.reply),
        failure=found.failure,
        undone=list(found.end.undone),
    )
