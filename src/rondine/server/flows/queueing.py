"""Runs of flows, begun with everything that they go by."""

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone
from msgspec import structs

from rondine.core.errors import DraftError, InputError, RondineError
from rondine.core.flow.document import Asked, FlowDocument
from rondine.core.flow.history import Answered, AnyEvent, Begun, failed, failure_of
from rondine.core.flow.stepping import check_stop, recorded_before
from rondine.core.flow.tasks import Task
from rondine.core.operations.inputs import checked_inputs
from rondine.core.settings import dump
from rondine.server.access.models import Person, Project
from rondine.server.connecting.models import Environment
from rondine.server.connecting.opening import standing_values
from rondine.server.flows.kinds import FLOWS
from rondine.server.flows.log import add_events, append_events
from rondine.server.flows.models import Flow, FlowEvent
from rondine.server.releases.configuration import Configuration
from rondine.server.releases.models import Release
from rondine.server.runs.actions import defer, notify
from rondine.server.runs.models import Run

#: Runs within runs.
MOST_DEEP = 10


def queue_flow(
    project: Project,
    flow: Flow,
    environment: Environment,
    inputs: Mapping[str, Any],
    *,
    person: Person | None = None,
    role: str = "",
    caller: str = "",
    stop_before: str = "",
    recorded: tuple[Run, str] | None = None,
    **more: Any,
) -> Run:
    """A run of a flow, as the environment has it, and its job in the same transaction. role: of whoever begins it, or
    `application`.  stop_before: the step before which it stops to be looked at; EACH for each.  recorded: a run, and
    the step before which what that one recorded is taken over.  more: fields of the run.

    Raises DraftError with what keeps it from running, InputError for wrong inputs and steps that are not there."""
    configuration = Configuration(environment)
    held = configuration.item(FLOWS, flow)
    document: FlowDocument = held.loaded()
    check_runs(held, document)
    standing = standing_values(project, environment.name)
    run, begun = new_flow_run(configuration, held, document, standing, inputs, role=role, caller=caller, **more)
    run.by = person
    check_stop(document, stop_before)
    begun = structs.replace(begun, stop_before=stop_before)
    queue_begun(run, begun, [] if recorded is None else _recorded(held, document, begun, *recorded))
    return run


def _recorded(held: Flow, document: FlowDocument, begun: Begun, run: Run, step: str) -> list[AnyEvent]:
    if run.kind != "flow" or run.flow_id != held.pk:
        hint = f"see its runs: rondine run list --flow {held.name}"
        raise InputError(f"run {run.pk} is not one of {held.name}", where="recorded.run", hint=hint)
    return recorded_before(document, begun, FlowEvent.events_of(run), run.pk, step)


def queue_begun(run: Run, begun: Begun, recorded: Sequence[AnyEvent] = ()) -> None:
    """A run that is not stored yet, and its job."""
    with transaction.atomic():
        run.save(force_insert=True)
        add_events(run.pk, [begun, *recorded], 0)
        defer(run)
        notify(run.pk)


def new_flow_run(
    configuration: Configuration,
    held: Flow,
    document: FlowDocument,
    standing: Mapping[str, Any],
    inputs: Mapping[str, Any],
    *,
    role: str,
    caller: str,
    **more: Any,
) -> tuple[Run, Begun]:
    """A run with all that it goes by, not stored yet. held: the flow as the configuration has it.  standing: the values
    of the environment. Raises InputError for wrong inputs."""
    plain = plain_inputs(document, inputs, standing)
    content = {
        "flow": dump(document),
        "flow_name": held.name,
        "release": configuration.release.number if configuration.release else None,
        "caller": caller,
        "role": role,
    }
    run = Run(
        project_id=configuration.environment.project_id,
        environment=configuration.environment,
        kind="flow",
        flow_id=held.pk,
        title=held.title or held.name,
        inputs=plain,
        content=content,
        **more,
    )
    return run, Begun(at=timezone.now(), inputs=plain, standing=_all_plain(standing), caller=caller, role=role)


def plain_inputs(document: FlowDocument, inputs: Mapping[str, Any], standing: Mapping[str, Any]) -> dict[str, Any]:
    """As a run has them. Raises InputError for wrong ones."""
    values = checked_inputs(document.inputs, inputs, standing)
    return {one.name: _plain(values[one.name]) for one in document.inputs if one.name in values}


def check_runs(held: Flow, document: FlowDocument) -> None:
    """Raises DraftError for a flow that is disabled, or not ready."""
    where = f"flow {held.name}"
    if not document.enabled:
        raise DraftError(f'flow "{held.name}" is disabled', where=where, hint="ask a builder to enable it")
    if held.problems:
        first = held.problems[0]
        raise DraftError(
            f'flow "{held.name}" is not ready: {first["message"]}',
            where=f"{where}: {first['where']}",
            hint=first["hint"],
        )


def begin_within(parent: Run, task: Task) -> None:
    """A run of the flow that a task asks, which answers its parent when it ends; one that cannot begin answers at
    once. Within the transaction that writes down that it is asked."""
    assert isinstance(task.what, Asked)
    try:
        with transaction.atomic():
            if _depth(parent) >= MOST_DEEP:
                raise InputError(f"flows run within flows more than {MOST_DEEP} deep", where=task.name)
            flow = configuration_of(parent).named(FLOWS, task.what.flow)
            queue_flow(
                parent.project,
                flow,
                parent.environment,
                task.given,
                person=parent.by,
                role=parent.content.get("role", ""),
                caller=parent.content.get("caller", ""),
                begun_by=parent.begun_by,
                application_id=parent.application_id,
                parent=parent,
                parent_task=task.name,
            )
    except RondineError as error:
        answer = Answered(at=timezone.now(), task=task.name, outcome=failed(failure_of(error)))
        append_events(parent, [answer])


def _depth(run: Run | None) -> int:
    depth = 0
    while run is not None:
        run, depth = run.parent, depth + 1
    return depth


def configuration_of(run: Run) -> Configuration:
    """What a run goes by: the release that its environment went by when it began, whatever that goes by now."""
    number = run.content.get("release")
    environment = Environment.objects.select_related("project", "release").get(pk=run.environment_id)
    if number is None:
        environment.release = None
    elif environment.release is None or environment.release.number != number:
        environment.release = Release.objects.get(project=run.project_id, number=number)
    return Configuration(environment)


def _plain(value: Any) -> Any:
    return value.isoformat().replace("+00:00", "Z") if hasattr(value, "isoformat") else value


def _all_plain(values: Mapping[str, Any]) -> dict[str, Any]:
    return {name: _plain(value) for name, value in values.items()}
