"""Runs: everything needed to understand one afterwards, and to go on with it after a crash."""

import uuid
import zlib

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from rondine.server.access.models import Project
from rondine.server.items.exact import ExactJSONField

STATES = ("queued", "running", "waiting", "done", "failed", "cancelled")
KINDS = ("trial", "feed", "webhook", "application", "live", "flow")
COMPLETENESS = ("complete", "incomplete", "unknown")


class Run(models.Model):
    """attempt: rises each time a worker takes the run; only the holder of the present one may keep anything (fencing).
    checkpoint: {"next": {"position": of the first page not yet kept} or None, "calls": calls so far, "received": rows
    of the list so far, "verdict": of the last page}.  content: the items as they were when it began.  completeness:
    whether it saw all rows; empty for trials, and until a feed's run is done.  remarks: what is odd but stopped nothing
    (`runs/remarks.py`).  begun_by: schedule, feed NAME, application NAME or flow
    schedule NAME; empty if a person did it.  due_at: when it should have.
    brings_all: its inputs leave nothing out that its feed brings.  is_dry: it tells what it would do, and keeps no
    record.  may_mark_all: a person permits that however many records are marked as gone.  marks: the highest values
    kept, by moving input; null until it has seen all.  order: what it waits for: {"position", "address"}.  rows_asked,
    rows_failed: of a feed that asks for each of many rows.  compared: responses that were compared with the schema
    on file.  wake_at: of a run that waits, when it goes on by itself; null if only something from outside lets it go
    on.  parent, parent_task: the run of a flow, and the task in it, that asked for this one."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="runs")
    environment = models.ForeignKey("connecting.Environment", on_delete=models.PROTECT, related_name="runs")
    kind = models.CharField(max_length=20, choices=[(kind, kind) for kind in KINDS])
    feed = models.ForeignKey("feeds.Feed", null=True, on_delete=models.SET_NULL, related_name="runs")
    operation = models.ForeignKey(
        "operations.Operation", null=True, on_delete=models.SET_NULL, db_index=False, related_name="runs"
    )
    application = models.ForeignKey(
        "applications.Application", null=True, on_delete=models.SET_NULL, related_name="runs"
    )
    flow = models.ForeignKey("flows.Flow", null=True, on_delete=models.SET_NULL, db_index=False, related_name="runs")
    flow_schedule = models.ForeignKey(
        "flows.FlowSchedule", null=True, on_delete=models.SET_NULL, db_index=False, related_name="runs"
    )
    parent = models.ForeignKey("self", null=True, on_delete=models.CASCADE, db_index=False, related_name="children")
    parent_task = models.CharField(max_length=200, blank=True)
    title = models.CharField(max_length=300, blank=True)
    state = models.CharField(max_length=20, choices=[(state, state) for state in STATES], default="queued")
    attempt = models.PositiveIntegerField(default=0)
    inputs = ExactJSONField(default=dict)
    checkpoint = models.JSONField(null=True)
    content = ExactJSONField(default=dict)
    expected_rows = models.BigIntegerField(null=True)
    ending = models.CharField(max_length=300, blank=True)
    completeness = models.CharField(max_length=20, choices=[(one, one) for one in COMPLETENESS], blank=True, default="")
    remarks = models.JSONField(default=list)
    error = models.JSONField(null=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    begun_by = models.CharField(max_length=80, blank=True)
    due_at = models.DateTimeField(null=True)
    brings_all = models.BooleanField(default=True)
    is_dry = models.BooleanField(default=False)
    may_mark_all = models.BooleanField(default=False)
    marks = models.JSONField(null=True)
    order = models.JSONField(null=True)
    rows_asked = models.BigIntegerField(default=0)
    rows_failed = models.BigIntegerField(default=0)
    compared = models.PositiveIntegerField(default=0)
    queued_at = models.DateTimeField(auto_now_add=True)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)
    alive_at = models.DateTimeField(null=True)
    wake_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(state__in=STATES), name="run_state_is_known"),
            models.CheckConstraint(condition=Q(completeness__in=("", *COMPLETENESS)), name="run_completeness_is_known"),
            models.UniqueConstraint(
                fields=["feed"], condition=Q(state__in=("queued", "running")), name="one_active_run_a_feed"
            ),
        ]
        indexes = [
            models.Index(fields=["project", "-id"], name="runs_newest_first"),
            models.Index(
                fields=["project", "-id"], condition=~Q(kind="application"), name="runs_but_calls_newest_first"
            ),
            models.Index(fields=["feed", "-id"], name="runs_of_a_feed"),
            models.Index(
                fields=["operation", "-id"], condition=Q(operation__isnull=False), name="runs_of_an_operation"
            ),
            models.Index(
                fields=["project"], condition=Q(state__in=("queued", "running")), name="runs_active_of_a_project"
            ),
            models.Index(
                fields=["application", "-id"], condition=Q(application__isnull=False), name="runs_of_an_application"
            ),
            models.Index(fields=["flow", "-id"], condition=Q(flow__isnull=False), name="runs_of_a_flow"),
            models.Index(
                fields=["flow_schedule", "-id"],
                condition=Q(flow_schedule__isnull=False),
                name="runs_of_a_flow_schedule",
            ),
            models.Index(fields=["parent"], condition=Q(parent__isnull=False), name="runs_within_a_run"),
            models.Index(fields=["wake_at"], condition=Q(state="waiting"), name="runs_that_wait"),
            models.Index(fields=["ended_at"], name="runs_by_age"),
            models.Index(fields=["alive_at"], condition=Q(state="running"), name="runs_running"),
        ]


class Sending(models.Model):
    """A mark that a client gave to what it wants sent, so that the same thing is sent once however often it is asked
    for.

    asked: SHA-256 of what was asked for.  run: null while it is under way, and for ever if nobody knows what became of
    it.
    """

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="+")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    mark = models.CharField(max_length=100)
    asked = models.BinaryField(max_length=32)
    run = models.ForeignKey(Run, null=True, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "person", "mark"], name="one_sending_a_mark")]
        indexes = [models.Index(fields=["at"], name="sendings_by_age")]


class RunCount(models.Model):
    """What became of the rows of one record type; every row is counted exactly once. unseen: kept records that no row
    was for, None if the run is not known to have seen all.  gone: those of them that were marked as gone."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="counts")
    record_type = models.CharField(max_length=63)
    rows = models.BigIntegerField(default=0)
    created = models.BigIntegerField(default=0)
    changed = models.BigIntegerField(default=0)
    unchanged = models.BigIntegerField(default=0)
    repeated = models.BigIntegerField(default=0)
    rejected = models.BigIntegerField(default=0)
    filtered = models.BigIntegerField(default=0)
    unseen = models.BigIntegerField(null=True)
    gone = models.BigIntegerField(default=0)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["run", "record_type"], name="one_count_a_run_and_type"),
            models.CheckConstraint(
                condition=Q(
                    rows=F("created") + F("changed") + F("unchanged") + F("repeated") + F("rejected") + F("filtered")
                ),
                name="every_row_is_counted_once",
            ),
        ]


class Worker(models.Model):
    """A worker process that lives: host and process number, and the site where it runs, empty for none."""

    name = models.CharField(max_length=200, unique=True)
    site = models.CharField(max_length=63, blank=True)
    alive_at = models.DateTimeField()


class Body(models.Model):
    """A body as it came, byte for byte. stored: compressed (zlib)."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="+")
    media_type = models.CharField(max_length=200, blank=True)
    charset = models.CharField(max_length=60, default="utf-8")
    size = models.BigIntegerField()
    stored = models.BinaryField()
    made_at = models.DateTimeField(auto_now_add=True)

    @classmethod
    def of(cls, project_id: int, body: bytes, media_type: str, charset: str) -> "Body":
        return cls(
            project_id=project_id,
            media_type=media_type[:200],
            charset=charset[:60],
            size=len(body),
            stored=zlib.compress(body, 3),
        )

    def content(self) -> bytes:
        return zlib.decompress(bytes(self.stored))


class Call(models.Model):
    """One request and its response. request: HTTP text with secrets masked.  error: what went wrong, as a problem
    document.  purpose: empty for a call of the operation, else why it was made on the way.  via: direct or by which
    proxy.  by: the process that called.  task, operation: in the run of a flow, what it was made for."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="calls")
    number = models.PositiveIntegerField()
    method = models.CharField(max_length=10)
    url = models.TextField()
    request = models.TextField()
    status = models.PositiveIntegerField(null=True)
    reason = models.CharField(max_length=200, blank=True)
    headers = models.JSONField(default=list)
    size = models.BigIntegerField(null=True)
    timings = models.JSONField(default=dict)
    rows = models.BigIntegerField(null=True)
    error = models.JSONField(null=True)
    body = models.ForeignKey(Body, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField()
    purpose = models.CharField(max_length=60, blank=True)
    via = models.CharField(max_length=300, blank=True)
    by = models.CharField(max_length=200, blank=True)
    task = models.CharField(max_length=200, blank=True, default="")
    operation = models.CharField(max_length=63, blank=True, default="")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["run", "number"], name="one_call_a_number")]
        indexes = [models.Index(fields=["at"], condition=Q(body__isnull=False), name="calls_with_bodies_by_age")]


class RowFailure(models.Model):
    """A row that a feed's operation was asked for in vain. row_id: of the record, or its number in a list.  key: as
    people know it.  call: the last one made for it, null if none could be made."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="row_failures")
    row_id = models.BigIntegerField()
    key = models.JSONField()
    call = models.PositiveIntegerField(null=True)
    error = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["run", "row_id"], name="one_failure_a_row")]


class RejectedRow(models.Model):
    """A row that could not become a record: the reasons and the row itself, as text."""

    run_id = models.BigIntegerField()
    record_type = models.CharField(max_length=63)
    call = models.PositiveIntegerField()
    ordinal = models.PositiveIntegerField()
    path = models.TextField()
    problems = models.JSONField()
    row = models.TextField()

    class Meta:
        indexes = [models.Index(fields=["run_id", "id"], name="rejects_of_a_run")]
