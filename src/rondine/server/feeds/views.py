"""Feeds, and runs started."""

from collections.abc import Sequence
from typing import Any

from django.db.models import OuterRef, Subquery
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.operations.document import OperationDocument
from rondine.server.access.project_views import ProjectView
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import SENDING_MARK, Strict, sending_mark
from rondine.server.api.shapes import ProblemLine
from rondine.server.feeds.copying import copy_operation
from rondine.server.feeds.kinds import FEEDS
from rondine.server.feeds.models import Feed
from rondine.server.feeds.obstacles import obstacles
from rondine.server.feeds.queueing import queue_feed
from rondine.server.items.actions import find_item
from rondine.server.items.views import item_views
from rondine.server.runs.actions import find_run
from rondine.server.runs.models import Run
from rondine.server.runs.sendings import start_once
from rondine.server.runs.views import RunLine, shown_run


def _last_runs(items: Sequence[Feed]) -> list[dict[str, Any]]:
    newest = Run.objects.filter(feed=OuterRef("pk")).order_by("-id").values("pk")[:1]
    feeds = Feed.objects.filter(pk__in=[one.pk for one in items]).values(newest=Subquery(newest))
    last = {
        run.feed_id: {
            "id": run.pk,
            "state": run.state,
            "completeness": run.completeness,
            "at": run.ended_at or run.started_at or run.queued_at,
        }
        for run in Run.objects.filter(pk__in=feeds).defer("content", "inputs", "checkpoint")
    }
    return [{"last_run": last.get(one.pk), "paging": one.operation.document.get("paging")} for one in items]


class LastRun(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    state = serializers.CharField()
    completeness = serializers.CharField(
        allow_blank=True, help_text="complete, incomplete or unknown; empty until it is done"
    )
    at = serializers.DateTimeField()


FeedList, FeedDetail, FeedRevisions = item_views(
    FEEDS,
    extra={
        "last_run": LastRun(allow_null=True),
        "paging": DocumentField(
            OperationDocument.__annotations__["paging"],
            help_text="how its operation pages; null: nothing is known of it",
        ),
    },
    describe=_last_runs,
)


class FeedInputs(Strict):
    inputs = serializers.DictField(
        child=AnyField(allow_null=True), required=False, default=dict, help_text="in place of the feed's own"
    )
    confirmed = serializers.BooleanField(
        required=False, default=False, help_text="using up a limit of days or months is meant"
    )


class FeedRunsView(ProjectView):
    """Starts a run of a feed."""

    permissions = {"POST": "run"}

    @extend_schema(operation_id="runFeed", request=FeedInputs, responses={202: RunLine}, parameters=[SENDING_MARK])
    def post(self, request: Request, project: str, name: str) -> Response:
        given = self.given(FeedInputs, request)
        feed = find_item(FEEDS, self.project, name)
        run = start_once(
            self.project,
            self.person,
            sending_mark(request),
            [name, given],
            lambda: queue_feed(self.project, feed, self.person, given["inputs"], confirmed=given["confirmed"]),
        )
        return Response(
            shown_run(find_run(self.project, run.pk)),
            status=202,
            headers={"Location": f"/api/v1/projects/{project}/runs/{run.pk}"},
        )


class ObstacleLine(serializers.Serializer[Any]):
    kind = serializers.CharField()
    name = serializers.CharField()
    environment = serializers.CharField()
    reasons = ProblemLine(many=True)


class ObstaclesView(ProjectView):
    """Everything that is set up but cannot start, each with every reason."""

    @extend_schema(operation_id="listObstacles", responses=ObstacleLine(many=True))
    def get(self, request: Request, project: str) -> Response:
        return Response(
            [
                {
                    "kind": one.kind,
                    "name": one.name,
                    "environment": one.environment,
                    "reasons": [reason.to_json() for reason in one.reasons],
                }
                for one in obstacles(self.project)
            ]
        )


class CopyGiven(Strict):
    name = serializers.CharField(max_length=63)
    title = serializers.CharField(required=False, allow_blank=True, max_length=200)


class CopyMade(serializers.Serializer[Any]):
    name = serializers.CharField()
    samples = serializers.ListField(child=serializers.CharField())
    mapping = serializers.CharField(allow_null=True)


class CopyView(ProjectView):
    """An operation copied as the start of another, with its samples and its mapping; nothing links back."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="copyOperation", request=CopyGiven, responses={201: CopyMade})
    def post(self, request: Request, project: str, name: str) -> Response:
        given = self.given(CopyGiven, request)
        made, samples, mapping = copy_operation(self.project, self.person, self.role, name, given)
        return Response({"name": made.name, "samples": samples, "mapping": mapping}, status=201)
