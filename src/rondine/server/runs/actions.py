"""Queueing, taking, cancelling and ending runs."""

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

from django.db import IntegrityError, connection, models, transaction
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.exceptions import ConnectorException

from rondine.core.errors import Conflict, DraftError, NotFound, Problem
from rondine.core.http.limits import meter
from rondine.core.items.connection import ConnectionDocument
from rondine.core.items.feed import FeedDocument
from rondine.core.mapping.document import MappingDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.operations.inputs import checked_inputs
from rondine.core.settings import dump, load
from rondine.server.access.models import Person, Project
from rondine.server.records.kinds import FEEDS, record_types_of, resolved_mapping
from rondine.server.records.models import Feed
from rondine.server.runs.completeness import Completeness
from rondine.server.runs.models import Call, Run
from rondine.server.runs.places import queue_of
from rondine.server.runs.remarks import Remark
from rondine.server.services.actions import connection_for, line_of, standing_values
from rondine.server.services.kinds import with_queries
from rondine.server.services.models import Connection
from rondine.server.services.shared import usage_of

CHANNEL = "rondine_runs"
#: A running run whose worker has not said that it lives for this long is taken by another.
SILENT = timedelta(seconds=20)


def notify(run_id: int) -> None:
    """Tells whoever watches; within a transaction it is told when that commits."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", (CHANNEL, str(run_id)))


def queue_feed(
    project: Project, feed: Feed, person: Person | None, inputs: Mapping[str, Any], *, confirmed: bool = False
) -> Run:
    """A run of the feed, and its job in the same transaction. Raises DraftError with every reason why it cannot run, and Conflict if it would
    use up a limit of days or months, unless that is confirmed.
    """
    problems = FEEDS.problems(feed)
    try:
        connection = connection_for(feed.operation.service, feed.environment)
        line_of(connection, feed.operation.name)
        if "copy" not in load(ConnectionDocument, connection.document).supports:
            problems = [*problems, _no_copy(connection)]
    except (DraftError, NotFound) as error:
        problems = [*problems, Problem("/environment", error.message, error.hint)]
    if problems:
        raise DraftError(
            f'feed "{feed.name}" cannot run: {problems[0].message}',
            where=f"feed {feed.name}",
            hint=problems[0].hint,
            problems=problems,
        )
    if not confirmed:
        warn_of_limits(feed, connection)
    document: FeedDocument = load(FeedDocument, feed.document)
    operation: OperationDocument = load(OperationDocument, feed.operation.document)
    if not operation.enabled:
        raise DraftError(
            f'operation "{feed.operation.name}" is disabled',
            where=f"operation {feed.operation.name}",
            hint=f"enable it: rondine operation enable {feed.operation.name}",
        )
    values = {**document.inputs, **inputs}
    checked_inputs(operation.inputs, values, standing_values(project, feed.environment.name))
    record_types = record_types_of(project.pk)
    mapping = resolved_mapping(feed.project_id, load(MappingDocument, feed.mapping.document))
    used = {output.record_type for output in mapping.outputs}
    content = {
        "operation": dump(with_queries(operation, project.pk)),
        "operation_name": feed.operation.name,
        "mapping": dump(mapping),
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


def warn_of_limits(feed: Feed, connection: Connection) -> None:
    """Raises Conflict if the feed, calling as often as its last whole run did, would use up what is left of a day or month."""
    last = feed.runs.filter(state="done").order_by("-id").first()
    calls = last.calls.count() if last else 1
    limits = load(ConnectionDocument, connection.document).limits
    usage, now = usage_of(connection.pk)
    for one in meter(limits, usage, now=now):
        if one.limit.span in ("day", "month") and calls >= one.left:
            when = f"{datetime.fromtimestamp(one.refills_at, UTC):%Y-%m-%d %H:%M} UTC" if one.refills_at else "now"
            raise Conflict(
                f"the feed needs about {calls:,} calls, and {one.left:,} are left of {one.limit.words}; it refills from {when}",
                where=f"connection {connection.name}: limits",
                hint="wait until then, or start it all the same: confirmed (rondine feed run --confirm)",
            )


def _no_copy(connection: Connection) -> Problem:
    return Problem(
        "/environment",
        f'connection "{connection.name}" is not for keeping copies',
        "let it support copy, or read the service live",
    )


def _defer(run: Run) -> None:
    from rondine.server.runs.tasks import carry_out

    place = ""
    if run.feed is not None:
        found = Connection.objects.filter(service=run.feed.operation.service, environment=run.environment_id).first()
        place = found.document.get("place", "") if found else ""
    carry_out.configure(queue=queue_of(place)).defer(run_id=run.pk)


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


def retry_stalled_jobs() -> list[int]:
    """Lets other workers take over the jobs, of every kind, whose worker has fallen silent; with a job goes the lock that it held."""
    now = timezone.now()
    is_silent = models.Q(worker=None) | models.Q(worker__last_heartbeat__lt=now - SILENT)
    retried = []
    for job_id in ProcrastinateJob.objects.filter(is_silent, status="doing").values_list("pk", flat=True):
        try:
            app.job_manager.retry_job_by_id(job_id, retry_at=now)
        except ConnectorException:  # another worker was quicker, or it has ended after all
            continue
        retried.append(job_id)
    return retried


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


def find_call(project: Project, run_id: int, number: int) -> Call:
    run = find_run(project, run_id)
    found = Call.objects.select_related("body", "run__environment").filter(run=run, number=number).first()
    if found is None:
        raise NotFound(
            f"run {run_id} has no call {number}",
            where=f"run {run_id}",
            hint=f"see its calls: rondine run calls {run_id}",
        )
    return found


def end_run(
    run_id: int,
    attempt: int,
    *,
    state: str,
    ending: str,
    completeness: Completeness = "",
    error: dict[str, Any] | None = None,
    remarks: Sequence[Remark] | None = None,
) -> bool:
    """False if the run was no longer mine to end."""
    fields: dict[str, Any] = {} if remarks is None else {"remarks": [one.to_json() for one in remarks]}
    ended = Run.objects.filter(pk=run_id, attempt=attempt, state="running").update(
        state=state, ending=ending[:300], completeness=completeness, error=error, ended_at=timezone.now(), **fields
    )
    notify(run_id)
    return bool(ended)
