"""Queueing, taking, cancelling and ending runs."""

from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from django.db import IntegrityError, connection, models, transaction
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from rondine.core.connection import FeedDocument
from rondine.core.errors import Conflict, DraftError, NotFound, Problem
from rondine.core.protocols.inputs import checked_inputs
from rondine.core.protocols.rest import OperationDocument
from rondine.core.settings import dump, load
from rondine.server.access.models import Person, Project
from rondine.server.records.kinds import FEEDS, record_types_of
from rondine.server.records.models import Feed
from rondine.server.runs.models import Run
from rondine.server.services.actions import connection_for, line_of

CHANNEL = "rondine_runs"
#: A running run whose worker has not said that it lives for this long is taken by another.
SILENT = timedelta(seconds=20)


def notify(run_id: int) -> None:
    """Tells whoever watches; within a transaction it is told when that commits."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", (CHANNEL, str(run_id)))


def queue_feed(project: Project, feed: Feed, person: Person | None, inputs: Mapping[str, Any]) -> Run:
    """A run of the feed, and its job in the same transaction. Raises DraftError with every reason why it cannot run."""
    problems = FEEDS.problems(feed)
    try:
        line_of(connection_for(feed.operation.service, feed.environment))
    except (DraftError, NotFound) as error:
        problems = [*problems, Problem("/environment", error.message, error.hint)]
    if problems:
        raise DraftError(
            f'feed "{feed.name}" cannot run: {problems[0].message}',
            where=f"feed {feed.name}",
            hint=problems[0].hint,
            problems=problems,
        )
    document: FeedDocument = load(FeedDocument, feed.document)
    operation: OperationDocument = load(OperationDocument, feed.operation.document)
    values = {**document.inputs, **inputs}
    checked_inputs(operation.inputs, values)
    record_types = record_types_of(project.pk)
    used = {output["record_type"] for output in feed.mapping.document.get("outputs", [])}
    content = {
        "operation": feed.operation.document,
        "operation_name": feed.operation.name,
        "mapping": feed.mapping.document,
        "mapping_name": feed.mapping.name,
        "feed": feed.document,
        "record_types": {name: dump(record_types[name]) for name in used},
    }
    try:
        with transaction.atomic():
            run = Run.objects.create(
                project=project,
                environment=feed.environment,
                kind="feed",
                feed=feed,
                operation=feed.operation,
                title=feed.title or feed.name,
                inputs=values,
                content=content,
                by=person,
            )
            _defer(run)
            notify(run.pk)
    except IntegrityError as error:
        active = Run.objects.filter(feed=feed, state__in=("queued", "running")).first()
        raise Conflict(
            f'feed "{feed.name}" is running already',
            where=f"run {active.pk if active else ''}",
            hint="wait for it, or cancel it first",
        ) from error
    return run


def _defer(run: Run) -> None:
    from rondine.server.runs.tasks import carry_out

    carry_out.defer(run_id=run.pk)


def take_run(run_id: int) -> Run | None:
    """The run as mine, with a new attempt number; None if it is not there to be taken."""
    now = timezone.now()
    taken = Run.objects.filter(pk=run_id, state="queued").update(
        state="running",
        attempt=models.F("attempt") + 1,
        alive_at=now,
        started_at=models.functions.Coalesce("started_at", now),
    )
    if not taken:
        return None
    notify(run_id)
    return Run.objects.select_related("environment", "project", "feed__operation__service", "feed__mapping").get(
        pk=run_id
    )


def say_alive(run_id: int, attempt: int) -> bool:
    """False if the run is no longer mine: cancelled, or taken by another worker."""
    return bool(Run.objects.filter(pk=run_id, attempt=attempt, state="running").update(alive_at=timezone.now()))


def put_back(run_id: int, attempt: int) -> None:
    """Gives a run back to the queue, to go on behind its checkpoint."""
    with transaction.atomic():
        if Run.objects.filter(pk=run_id, attempt=attempt, state="running").update(state="queued", alive_at=None):
            _defer(Run.objects.get(pk=run_id))
            notify(run_id)


def sweep() -> list[int]:
    """Puts back the runs whose workers have fallen silent, and queues again those whose job is gone."""
    now = timezone.now()
    silent = list(Run.objects.filter(state="running", alive_at__lt=now - SILENT).values_list("pk", "attempt"))
    for run_id, attempt in silent:
        put_back(run_id, attempt)
    waiting = set(Run.objects.filter(state="queued", queued_at__lt=now - SILENT).values_list("pk", flat=True))
    if waiting:
        jobs = ProcrastinateJob.objects.filter(task_name="rondine.carry_out", status__in=("todo", "doing"))
        waiting -= {job["run_id"] for job in jobs.values_list("args", flat=True)}
        for run_id in waiting:
            _defer(Run.objects.get(pk=run_id))
    return [*(run_id for run_id, _ in silent), *waiting]


def cancel_run(project: Project, run_id: int) -> Run:
    """What was kept stays kept. Raises Conflict if the run is over already."""
    changed = Run.objects.filter(project=project, pk=run_id, state__in=("queued", "running")).update(
        state="cancelled", ended_at=timezone.now(), ending="cancelled by a person"
    )
    run = find_run(project, run_id)
    if not changed:
        raise Conflict(f"run {run_id} is over already ({run.state})", where=f"run {run_id}", hint="nothing to do")
    notify(run_id)
    return run


def find_run(project: Project, run_id: int) -> Run:
    found = (
        Run.objects.select_related("environment", "feed", "operation", "by")
        .prefetch_related("counts")
        .filter(project=project, pk=run_id)
        .first()
    )
    if found is None:
        raise NotFound(
            f"there is no run {run_id}", where=f"runs of {project.name}", hint="see what there is: rondine run list"
        )
    return found


def end_run(
    run_id: int,
    attempt: int,
    *,
    state: str,
    ending: str,
    is_complete: bool = False,
    error: dict[str, Any] | None = None,
) -> bool:
    """False if the run was no longer mine to end."""
    ended = Run.objects.filter(pk=run_id, attempt=attempt, state="running").update(
        state=state, ending=ending[:300], is_complete=is_complete, error=error, ended_at=timezone.now()
    )
    notify(run_id)
    return bool(ended)
