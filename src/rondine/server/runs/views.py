"""Runs: started, watched, cancelled, opened with their calls, counts and rejects."""

from typing import Any

from django.db.models import Q
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.server.access.project_views import ProjectView
from rondine.server.api.openapi import AnyField
from rondine.server.api.requests import checked_limit
from rondine.server.runs.actions import cancel_run, find_run
from rondine.server.runs.models import COMPLETENESS, Call, RejectedRow, Run


class CountLine(serializers.Serializer[Any]):
    record_type = serializers.CharField()
    rows = serializers.IntegerField()
    created = serializers.IntegerField()
    changed = serializers.IntegerField()
    unchanged = serializers.IntegerField()
    repeated = serializers.IntegerField()
    rejected = serializers.IntegerField()
    filtered = serializers.IntegerField()
    unseen = serializers.IntegerField(
        allow_null=True, help_text="kept records that no row was for; null unless the run saw all rows"
    )


class RemarkLine(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(
        ["incomplete", "partial", "undelimited", "drift", "rejected", "duplicates", "unseen"]
    )
    message = serializers.CharField()
    hint = serializers.CharField(allow_blank=True)
    call = serializers.IntegerField(allow_null=True, help_text="the first one that it is about")
    times = serializers.IntegerField(help_text="how many calls it is about")


class ErrorLine(serializers.Serializer[Any]):
    code = serializers.CharField()
    message = serializers.CharField()
    where = serializers.CharField()
    hint = serializers.CharField()


class RunLine(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    kind = serializers.ChoiceField(["trial", "feed"])
    title = serializers.CharField()
    state = serializers.ChoiceField(["queued", "running", "done", "failed", "cancelled"])
    environment = serializers.CharField()
    feed = serializers.CharField(allow_null=True)
    operation = serializers.CharField(allow_null=True)
    by = serializers.CharField(allow_null=True)
    attempt = serializers.IntegerField()
    inputs = serializers.DictField(child=AnyField(allow_null=True))
    calls = serializers.IntegerField()
    expected_rows = serializers.IntegerField(allow_null=True)
    ending = serializers.CharField()
    completeness = serializers.ChoiceField(
        ["", *COMPLETENESS], help_text="whether it saw all rows; empty until it is done, and for trials"
    )
    remarks = RemarkLine(many=True, help_text="what is odd but stopped nothing")
    error = ErrorLine(allow_null=True)
    counts = CountLine(many=True)
    queued_at = serializers.DateTimeField()
    started_at = serializers.DateTimeField(allow_null=True)
    ended_at = serializers.DateTimeField(allow_null=True)
    summary = serializers.CharField()


class Timing(serializers.Serializer[Any]):
    resolved = serializers.FloatField(allow_null=True)
    connected = serializers.FloatField(allow_null=True)
    first_byte = serializers.FloatField(allow_null=True)
    done = serializers.FloatField()


class CallLine(serializers.Serializer[Any]):
    number = serializers.IntegerField()
    method = serializers.CharField()
    url = serializers.CharField()
    request = serializers.CharField()
    status = serializers.IntegerField(allow_null=True)
    reason = serializers.CharField()
    headers = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))
    size = serializers.IntegerField(allow_null=True)
    timings = Timing(allow_null=True)
    rows = serializers.IntegerField(allow_null=True)
    error = ErrorLine(allow_null=True)
    body = serializers.UUIDField(allow_null=True)
    at = serializers.DateTimeField()
    purpose = serializers.CharField(
        allow_blank=True, help_text="why it was made on the way; empty for the operation's own"
    )
    via = serializers.CharField(allow_blank=True)
    by = serializers.CharField(allow_blank=True)
    operation = serializers.CharField(allow_blank=True, help_text="which one it is: many may share an address")


def shown_call(call: Call) -> dict[str, Any]:
    return {
        "number": call.number,
        "method": call.method,
        "url": call.url,
        "request": call.request,
        "status": call.status,
        "reason": call.reason,
        "headers": call.headers,
        "size": call.size,
        "timings": call.timings or None,
        "rows": call.rows,
        "error": call.error,
        "body": str(call.body_id) if call.body_id else None,
        "at": call.at,
        "purpose": call.purpose,
        "via": call.via,
        "by": call.by,
        "operation": "" if call.purpose else operation_of(call.run) or "",
    }


def shown_run(run: Run) -> dict[str, Any]:
    counts = [
        {name: getattr(one, name) for name in ("record_type", *PARTS, "unseen")}
        for one in sorted(run.counts.all(), key=lambda c: c.record_type)
    ]
    return {
        "id": run.pk,
        "kind": run.kind,
        "title": run.title,
        "state": run.state,
        "environment": run.environment.name,
        "feed": run.feed.name if run.feed else None,
        "operation": operation_of(run),
        "by": run.by.name if run.by else None,
        "attempt": run.attempt,
        "inputs": run.inputs,
        "calls": (run.checkpoint or {}).get("calls", 1 if run.kind == "trial" else 0),
        "expected_rows": run.expected_rows,
        "ending": run.ending,
        "completeness": run.completeness,
        "remarks": run.remarks,
        "error": run.error,
        "counts": counts,
        "queued_at": run.queued_at,
        "started_at": run.started_at,
        "ended_at": run.ended_at,
        "summary": summary(run, counts),
    }


def operation_of(run: Run) -> str | None:
    """The operation that a run asks: its own, or its feed's."""
    found = run.operation or (run.feed.operation if run.feed else None)
    return found.name if found else None


def summary(run: Run, counts: list[dict[str, Any]]) -> str:
    """A run in one sentence; what is odd about it comes first."""
    if run.kind == "trial":
        return run.error["message"] if run.error else "the call was answered"
    words = [_warning(one) for one in run.remarks if one["kind"] in _WARNINGS]
    for count in counts:
        parts = [f"{count[name]:,} {name}" for name in PARTS[1:] if count[name]]
        if run.state == "done" and count["rows"] and count["rows"] == count["unchanged"]:
            parts = [f"nothing changed: all {count['rows']:,} rows are as they were"]
        if count["unseen"]:
            parts.append(f"{count['unseen']:,} kept records not seen")
        words.append(f"{count['record_type']}: {', '.join(parts) or 'no rows'}")
    return "; ".join(dict.fromkeys(words)) or {"queued": "waiting for a worker", "running": "just begun"}.get(
        run.state, run.ending
    )


PARTS = ("rows", "created", "changed", "unchanged", "repeated", "rejected", "filtered")
_WARNINGS = {
    "incomplete": "NOT COMPLETE",
    "partial": "the service answered in part",
    "undelimited": "a response may have broken off",
    "drift": "the service differs from the schema on file",
    "rejected": "a whole response was rejected",
}


def _warning(remark: dict[str, Any]) -> str:
    words = _WARNINGS[remark["kind"]]
    return f"{words} ({remark['message']})" if remark["kind"] == "incomplete" else words


class RunPage(serializers.Serializer[Any]):
    items = RunLine(many=True)
    next = serializers.CharField(allow_null=True)


class RunsView(ProjectView):
    """Runs, newest first."""

    @extend_schema(
        operation_id="listRuns",
        responses=RunPage,
        parameters=[
            OpenApiParameter(name, str) for name in ("feed", "operation", "state", "kind", "environment", "after")
        ]
        + [OpenApiParameter("limit", int)],
    )
    def get(self, request: Request, project: str) -> Response:
        found = (
            Run.objects.select_related("environment", "feed__operation", "operation", "by")
            .prefetch_related("counts")
            .filter(project=self.project)
            .order_by("-id")
        )
        query = request.query_params
        for name, path in (
            ("feed", "feed__name"),
            ("state", "state"),
            ("kind", "kind"),
            ("environment", "environment__name"),
        ):
            if query.get(name):
                found = found.filter(**{path: query[name]})
        if query.get("operation"):
            named = query["operation"]
            found = found.filter(Q(operation__name=named) | Q(operation=None, feed__operation__name=named))
        if query.get("after", "").isdigit():
            found = found.filter(pk__lt=int(query["after"]))
        limit = checked_limit(query.get("limit"))
        rows = list(found[: limit + 1])
        return Response(
            {
                "items": [shown_run(one) for one in rows[:limit]],
                "next": str(rows[limit - 1].pk) if len(rows) > limit else None,
            }
        )


class RunView(ProjectView):
    @extend_schema(operation_id="getRun", responses=RunLine)
    def get(self, request: Request, project: str, run_id: int) -> Response:
        return Response(shown_run(find_run(self.project, run_id)))


class CancelView(ProjectView):
    permissions = {"POST": "run"}

    @extend_schema(operation_id="cancelRun", request=None, responses=RunLine)
    def post(self, request: Request, project: str, run_id: int) -> Response:
        return Response(shown_run(cancel_run(self.project, run_id)))


class CallPage(serializers.Serializer[Any]):
    items = CallLine(many=True)
    next = serializers.CharField(allow_null=True)


class CallsView(ProjectView):
    @extend_schema(
        operation_id="listCalls",
        responses=CallPage,
        parameters=[OpenApiParameter("after", int), OpenApiParameter("limit", int)],
    )
    def get(self, request: Request, project: str, run_id: int) -> Response:
        run = find_run(self.project, run_id)
        found = Call.objects.filter(run=run).select_related("run__operation", "run__feed__operation")
        return Response(page_by_number(found, request, "number", shown_call, 100))


class RejectLine(serializers.Serializer[Any]):
    record_type = serializers.CharField()
    call = serializers.IntegerField()
    ordinal = serializers.IntegerField()
    path = serializers.CharField()
    problems = serializers.ListField(child=serializers.DictField(child=serializers.CharField()))
    row = serializers.CharField()


class RejectPage(serializers.Serializer[Any]):
    items = RejectLine(many=True)
    next = serializers.CharField(allow_null=True)


class RejectsView(ProjectView):
    @extend_schema(
        operation_id="listRejects",
        responses=RejectPage,
        parameters=[OpenApiParameter("after", int), OpenApiParameter("limit", int)],
    )
    def get(self, request: Request, project: str, run_id: int) -> Response:
        found = RejectedRow.objects.filter(run_id=find_run(self.project, run_id).pk)
        return Response(page_by_number(found, request, "id", shown_reject, 50))


def shown_reject(one: RejectedRow) -> dict[str, Any]:
    return {name: getattr(one, name) for name in ("record_type", "call", "ordinal", "path", "problems", "row")}


def page_by_number(found: Any, request: Request, field: str, shown: Any, default: int) -> dict[str, Any]:
    """One page in the order of a number; the cursor is the last one."""
    after, limit = request.query_params.get("after", ""), checked_limit(request.query_params.get("limit"), default)
    if after.isdigit():
        found = found.filter(**{f"{field}__gt": int(after)})
    rows = list(found.order_by(field)[: limit + 1])
    return {
        "items": [shown(one) for one in rows[:limit]],
        "next": str(getattr(rows[limit - 1], field)) if len(rows) > limit else None,
    }
