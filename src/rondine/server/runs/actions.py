"""Queueing, taking, cancelling and ending runs."""

from collections.abc import Callable, Sequence
from datetime import timedelta
from typing import Any

from django.db import connection, models, transaction
from django.db.models.functions import Coalesce
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.exceptions import ConnectorException

from rondine.core.errors import Conflict, NotFound
from rondine.server.access.models import Project
from rondine.server.runs.completeness import Completeness
from rondine.server.runs.models import Call, Run
from rondine.server.runs.remarks import Remark
from rondine.server.runs.sites import queue_of

CHANNEL = "rondine_runs"
#: The task that executes a run, by its name.
CARRY_OUT = "rondine.carry_out"
#: A run whose feed took longer the last time is one that takes long.
LONG = timedelta(seconds=60)
#: By how much what a person started goes before what schedules started.
BY_PERSON = 10_000
#: A running run whose worker has not said that it lives for this long is taken by another.
SILENT = timedelta(seconds=20)


#: What else happens when a run is cancelled that nobody has begun to execute, by its kind; in the same transaction.
CANCELLED: dict[str, Callable[[Run], None]] = {}


#: What cancels a run in place of ending it at once, by its kind: one that has something to take back first.
TAKEN_BACK: dict[str, Callable[[Run], None]] = {}


def notify(run_id: int) -> None:
    """Tells whoever watches; within a transaction it is told when that commits."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", (CHANNEL, str(run_id)))


def defer(run: Run) -> None:
    """Queues the job of a run, for the workers of the site of its connection."""
    site = ""
    operation = run.feed.operation if run.feed is not None else run.operation
    if operation is not None:
        service = operation.service
        document = service.connections.filter(environment=run.environment_id).values_list("document", flat=True).first()
        site = (document or {}).get("site", "")
    queue = queue_of(site, is_long=_takes_long(run))
    app.configure_task(CARRY_OUT, queue=queue, priority=_priority(run)).defer(run_id=run.pk)


def _takes_long(run: Run) -> bool:
    """Whether the feed's last run took so long that others are not to wait for this one."""
    before = Run.objects.filter(feed=run.feed_id, pk__lt=run.pk, started_at__isnull=False, ended_at__isnull=False)
    last = before.order_by("-pk").first() if run.feed_id else None
    return last is not None and last.ended_at > last.started_at + LONG  # type: ignore[operator]


def _priority(run: Run) -> int:
    """Which of the waiting runs is taken next: what a person waits for, and of projects that have many, as many from
    each. So the more a project has waiting, the later comes the next."""
    waiting = Run.objects.filter(project=run.project_id, state__in=("queued", "running")).exclude(pk=run.pk).count()
    return (0 if run.begun_by else BY_PERSON) - min(waiting, BY_PERSON - 1)


def take_run(run_id: int) -> Run | None:
    """The run as mine, with a new attempt number; None if it is not there to be taken."""
    now = timezone.now()
    taken = Run.objects.filter(pk=run_id, state="queued").update(
        state="running",
        attempt=models.F("attempt") + 1,
        alive_at=now,
        started_at=Coalesce("started_at", now),
    )
    if not taken:
        return None
    notify(run_id)
    run = Run.objects.select_related("environment", "project").get(pk=run_id)
    if run.feed_id is not None:
        models.prefetch_related_objects([run], "feed__operation__service", "feed__mapping")
    return run


def say_alive(run_id: int, attempt: int) -> bool:
    """False if the run is no longer mine: cancelled, or taken by another worker."""
    return bool(Run.objects.filter(pk=run_id, attempt=attempt, state="running").update(alive_at=timezone.now()))


def is_mine(run_id: int, attempt: int) -> bool:
    """Whether the run is still executed by whoever has this attempt."""
    return Run.objects.filter(pk=run_id, attempt=attempt, state="running").exists()


def put_back(run_id: int, attempt: int) -> None:
    """Gives a run back to the queue, to go on behind its checkpoint."""
    with transaction.atomic():
        if Run.objects.filter(pk=run_id, attempt=attempt, state="running").update(state="queued", alive_at=None):
            defer(Run.objects.get(pk=run_id))
            notify(run_id)


def sweep() -> list[int]:
    """Puts back the runs whose workers have fallen silent, and queues again those whose job is gone."""
    now = timezone.now()
    silent = list(Run.objects.filter(state="running", alive_at__lt=now - SILENT).values_list("pk", "attempt"))
    for run_id, attempt in silent:
        put_back(run_id, attempt)
    waiting = set(Run.objects.filter(state="queued", queued_at__lt=now - SILENT).values_list("pk", flat=True))
    if waiting:
        jobs = ProcrastinateJob.objects.filter(task_name=CARRY_OUT, status__in=("todo", "doing"))
        waiting -= {job["run_id"] for job in jobs.values_list("args", flat=True)}
        for run_id in waiting:
            defer(Run.objects.get(pk=run_id))
    return [*(run_id for run_id, _ in silent), *waiting]


def retry_stalled_jobs() -> list[int]:
    """Lets other workers take over the jobs, of every kind, whose worker has fallen silent; with a job goes the lock
    that it held."""
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
    run = find_run(project, run_id)
    if run.kind in TAKEN_BACK:
        TAKEN_BACK[run.kind](run)
        return find_run(project, run_id)
    ended = {"state": "cancelled", "ended_at": timezone.now(), "ending": "cancelled by a person"}
    with transaction.atomic():
        found = Run.objects.filter(project=project, pk=run_id)
        was_queued = bool(found.filter(state="queued").update(**ended))
        changed = was_queued or found.filter(state="running").update(**ended)
        run = find_run(project, run_id)
        if not changed:
            raise Conflict(f"run {run_id} is over already ({run.state})", where=f"run {run_id}", hint="nothing to do")
        if was_queued and run.kind in CANCELLED:
            CANCELLED[run.kind](run)
        notify(run_id)
    return run


def find_run(project: Project, run_id: int) -> Run:
    run = (
        Run.objects.select_related("environment", "feed", "operation", "by")
        .prefetch_related("counts")
        .filter(project=project, pk=run_id)
        .first()
    )
    if run is None:
        raise NotFound(
            f"there is no run {run_id}", where=f"runs of {project.name}", hint="see what there is: rondine run list"
        )
    return run


def find_call(project: Project, run_id: int, number: int) -> Call:
    run = find_run(project, run_id)
    call = Call.objects.select_related("body", "run__environment").filter(run=run, number=number).first()
    if call is None:
        raise NotFound(
            f"run {run_id} has no call {number}",
            where=f"run {run_id}",
            hint=f"see its calls: rondine run calls {run_id}",
        )
    return call


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
    fields: dict[str, Any] = {} if remarks is None else {"remarks": [remark.to_json() for remark in remarks]}
    ended = Run.objects.filter(pk=run_id, attempt=attempt, state="running").update(
        state=state, ending=ending[:300], completeness=completeness, error=error, ended_at=timezone.now(), **fields
    )
    notify(run_id)
    return bool(ended)
