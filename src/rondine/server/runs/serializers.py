"""Runs, their calls and rejected rows, as the API shows them."""

from datetime import datetime
from typing import Any, get_args

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from rondine.server.api.openapi import AnyField
from rondine.server.api.shapes import ShownSerializer
from rondine.server.runs.models import COMPLETENESS, KINDS, STATES, Call, RejectedRow, RowFailure, Run, RunCount
from rondine.server.runs.remarks import Kind

#: Into which a run's rows are counted, each row once.
OUTCOMES = ("created", "changed", "unchanged", "repeated", "rejected", "filtered")
_WARNINGS = {
    "incomplete": "NOT COMPLETE",
    "partial": "the service answered in part",
    "undelimited": "a response may have broken off",
    "drift": "the service differs from the schema on file",
    "rejected": "a whole response was rejected",
    "not_marked": "records that did not come were not marked as gone",
}


class RunCountSerializer(ShownSerializer):
    class Meta:
        model = RunCount
        fields = ("record_type", "rows", *OUTCOMES, "unseen", "gone")
        extra_kwargs = {
            "unseen": {"help_text": "kept records that no row was for; null unless the run saw all rows"},
            "gone": {"help_text": "those of them that were marked as gone"},
        }


class RemarkSerializer(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(list(get_args(Kind)))
    message = serializers.CharField()
    hint = serializers.CharField(allow_blank=True)
    call = serializers.IntegerField(allow_null=True, help_text="the first one that it is about")
    times = serializers.IntegerField(help_text="how many calls it is about")


class ErrorSerializer(serializers.Serializer[Any]):
    """What ended a run or a call, as it is kept with it."""

    code = serializers.CharField()
    message = serializers.CharField()
    where = serializers.CharField()
    hint = serializers.CharField()


class RunSerializer(ShownSerializer):
    kind = serializers.ChoiceField(KINDS)
    state = serializers.ChoiceField(STATES)
    environment = serializers.CharField(source="environment.name")
    feed = serializers.CharField(source="feed.name", allow_null=True, default=None)
    operation = serializers.SerializerMethodField()
    flow = serializers.CharField(source="flow.name", allow_null=True, default=None)
    release = serializers.SerializerMethodField(help_text="that it went by, by its number; null: the draft")
    by = serializers.CharField(source="by.name", allow_null=True, default=None)
    inputs = serializers.DictField(child=AnyField(allow_null=True))
    calls = serializers.SerializerMethodField()
    completeness = serializers.ChoiceField(
        ["", *COMPLETENESS], help_text="whether it saw all rows; empty until it is done, and for trials"
    )
    remarks = RemarkSerializer(many=True, help_text="what is odd but stopped nothing")
    error = ErrorSerializer(allow_null=True)
    counts = serializers.SerializerMethodField()
    summary = serializers.SerializerMethodField(help_text="the run in one sentence; what is odd about it comes first")

    class Meta:
        model = Run
        fields = (
            *("id", "kind", "title", "state", "environment", "feed", "operation", "flow", "release"),
            *("by", "begun_by", "due_at", "parent"),
            *("attempt", "inputs", "brings_all", "is_dry", "calls", "rows_asked", "rows_failed", "compared"),
            *("expected_rows", "ending", "completeness", "remarks", "error", "counts"),
            *("queued_at", "started_at", "ended_at", "summary"),
        )
        extra_kwargs = {
            "rows_asked": {"help_text": "of a feed that asks for each of many rows: how many are done"},
            "compared": {"help_text": "responses that were compared with the schema on file"},
            "is_dry": {"help_text": "it tells what it would do, and keeps no record"},
            "parent": {"help_text": "the run of a flow that asked for this one"},
            "rows_failed": {"help_text": "those of them that failed"},
            "brings_all": {"help_text": "its inputs leave nothing out that its feed brings; not so, if they move"},
        }

    def get_operation(self, run: Run) -> str | None:
        return operation_of(run)

    def get_release(self, run: Run) -> int | None:
        number: int | None = run.content.get("release")
        return number

    def get_calls(self, run: Run) -> int:
        is_one = run.kind == "trial" or (run.kind == "application" and run.state in ("done", "failed"))
        return int((run.checkpoint or {}).get("calls", 1 if is_one else 0))

    @extend_schema_field(RunCountSerializer(many=True))
    def get_counts(self, run: Run) -> Any:
        return RunCountSerializer(counts_of(run), many=True).data

    def get_summary(self, run: Run) -> str:
        return summary(run)


class TimingSerializer(serializers.Serializer[Any]):
    """Milliseconds since the call began, at which each was done; null for what was not needed."""

    resolved = serializers.FloatField(allow_null=True)
    connected = serializers.FloatField(allow_null=True)
    first_byte = serializers.FloatField(allow_null=True)
    done = serializers.FloatField()
    waited = serializers.FloatField(default=None, allow_null=True, help_text="before it began, for limits; no moment")
    read = serializers.FloatField(default=None, allow_null=True, help_text="read and mapped")
    kept = serializers.FloatField(default=None, allow_null=True, help_text="its batch of rows began to be kept")


class CallSerializer(ShownSerializer):
    headers = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))
    timings = serializers.SerializerMethodField()
    error = ErrorSerializer(allow_null=True)
    body = serializers.UUIDField(source="body_id", allow_null=True)
    operation = serializers.SerializerMethodField(help_text="which one it is: many may share an address")

    class Meta:
        model = Call
        fields = (
            *("number", "method", "url", "request", "status", "reason", "headers", "size", "timings", "rows"),
            *("error", "body", "at", "purpose", "via", "by", "operation", "task"),
        )
        extra_kwargs = {
            "purpose": {"help_text": "why it was made on the way; empty for the operation's own"},
            "task": {"help_text": "in the run of a flow, what it was made for"},
        }

    @extend_schema_field(TimingSerializer(allow_null=True))
    def get_timings(self, call: Call) -> Any:
        return TimingSerializer(call.timings).data if call.timings else None

    def get_operation(self, call: Call) -> str:
        return "" if call.purpose else call.operation or operation_of(call.run) or ""


class RowFailureSerializer(ShownSerializer):
    key = serializers.ListField(child=AnyField())
    error = ErrorSerializer()

    class Meta:
        model = RowFailure
        fields = ("key", "call", "error")


class RejectedRowSerializer(ShownSerializer):
    problems = serializers.ListField(child=serializers.DictField(child=serializers.CharField()))

    class Meta:
        model = RejectedRow
        fields = ("record_type", "call", "ordinal", "path", "problems", "row")


class RejectReason(serializers.Serializer[Any]):
    record_type = serializers.CharField()
    field = serializers.CharField(allow_blank=True, help_text="empty for the row as a whole")
    rows = serializers.IntegerField(help_text="rejected for it, of the first 20,000 rejects")
    reason = serializers.CharField(help_text="of the first of them")


def operation_of(run: Run) -> str | None:
    """The name of the operation that a run asks: its own, or its feed's."""
    operation = run.operation or (run.feed.operation if run.feed else None)
    return operation.name if operation else None


def counts_of(run: Run) -> list[RunCount]:
    return sorted(run.counts.all(), key=lambda count: count.record_type)


class LastRun(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    state = serializers.CharField()
    completeness = serializers.CharField(
        allow_blank=True, help_text="complete, incomplete or unknown; empty until it is done, and of single calls"
    )
    at = serializers.SerializerMethodField()

    def get_at(self, run: Run) -> datetime:
        return run.ended_at or run.started_at or run.queued_at


def summary(run: Run) -> str:
    """A run in one sentence; what is odd about it comes first."""
    if run.kind in ("trial", "application") and run.state in ("done", "failed"):
        return run.error["message"] if run.error else "the call was answered"
    if run.kind == "live":
        calls = int((run.checkpoint or {}).get("calls", 0))
        answered = f"answered with {calls} {'call' if calls == 1 else 'calls'}" if run.state == "done" else run.state
        return run.error["message"] if run.error else answered
    if run.kind == "flow":
        waits = {"waiting": "it waits", "running": "under way", "queued": "waiting for a worker", "done": "it replied"}
        return run.error["message"] if run.error else waits.get(run.state, run.state)
    words = ["dry run, nothing was kept"] if run.is_dry and run.state in ("done", "failed") else []
    words += [_warning(remark) for remark in run.remarks if remark["kind"] in _WARNINGS]
    for count in counts_of(run):
        parts = [f"{getattr(count, name):,} {name}" for name in OUTCOMES if getattr(count, name)]
        if run.state == "done" and count.rows and count.rows == count.unchanged:
            parts = [f"nothing changed: all {count.rows:,} rows are as they were"]
        if count.gone:
            parts.append(f"{count.gone:,} gone")
        if count.unseen and count.unseen > count.gone:
            parts.append(f"{count.unseen - count.gone:,} not seen")
        words.append(f"{count.record_type}: {', '.join(parts) or 'no rows'}")
    if run.rows_asked:
        failed = f", {run.rows_failed:,} of them failed" if run.rows_failed else ""
        words.append(f"asked for {run.rows_asked:,} rows{failed}")
    begun = {"queued": "waiting for a worker", "running": "just begun"}
    return "; ".join(dict.fromkeys(words)) or begun.get(run.state, run.ending)


def _warning(remark: dict[str, Any]) -> str:
    words = _WARNINGS[remark["kind"]]
    return f"{words} ({remark['message']})" if remark["kind"] == "incomplete" else words
