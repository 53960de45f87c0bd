"""Feeds, and runs started."""

from collections.abc import Sequence
from typing import Any, get_args

from django_filters import CharFilter
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.forms import form_of
from rondine.core.http.retrying import RetryPolicy
from rondine.core.items.feed import FeedDocument, ForEach, Gone
from rondine.core.items.moving import MovingInput, moving_words
from rondine.core.items.schedule import Schedule, schedule_words
from rondine.core.operations.document import OperationDocument
from rondine.server.access.project_views import ProjectView
from rondine.server.api.forms import FormShown
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import SENDING_MARK, Strict, sending_mark
from rondine.server.api.shapes import ProblemItem
from rondine.server.feeds.copying import copy_operation
from rondine.server.feeds.kinds import FEEDS
from rondine.server.feeds.models import Feed
from rondine.server.feeds.obstacles import obstacles
from rondine.server.feeds.queueing import go_on, queue_feed
from rondine.server.items.actions import find_item
from rondine.server.items.serializers import ItemSerializer
from rondine.server.items.views import ItemFilter, ItemViewSet, MakesItems
from rondine.server.runs.actions import find_run
from rondine.server.runs.last import last_runs
from rondine.server.runs.sendings import start_once
from rondine.server.runs.serializers import ErrorSerializer, LastRun, RunSerializer


class RefusalItem(ErrorSerializer):
    at = serializers.DateTimeField()


class FeedSerializer(ItemSerializer):
    document = DocumentField(FeedDocument, required=False)
    operation = serializers.CharField()
    mapping = serializers.CharField()
    environment = serializers.CharField()
    release = serializers.IntegerField(
        source="environment.release.number",
        read_only=True,
        allow_null=True,
        default=None,
        help_text="that its environment goes by; null: the draft",
    )
    due_at = serializers.DateTimeField(
        source="next_at",
        read_only=True,
        allow_null=True,
        help_text="when its schedule starts it next; null if none does",
    )
    schedule_words = serializers.SerializerMethodField(help_text="when it runs by itself, in words")
    moving_words = serializers.SerializerMethodField(help_text="what each of its moving inputs moves with, in words")
    refusal = RefusalItem(
        read_only=True, allow_null=True, help_text="why nothing was started the last time that it was due"
    )
    last_run = LastRun(read_only=True, allow_null=True)
    paging = DocumentField(
        OperationDocument.__annotations__["paging"],
        read_only=True,
        help_text="how its operation pages; null: nothing is known of it",
    )

    def get_moving_words(self, feed: Feed) -> dict[str, str]:
        return {name: moving_words(setting) for name, setting in feed.loaded().moving.items()}

    def get_schedule_words(self, feed: Feed) -> str:
        return schedule_words(feed.loaded().schedule)


class FeedFilter(ItemFilter):
    operation = CharFilter("operation__name", help_text="those of this operation, by its name")
    mapping = CharFilter("mapping__name", help_text="those of this mapping, by its name")
    environment = CharFilter("environment__name", help_text="those of this environment, by its name")


class FeedViewSet(MakesItems, ItemViewSet):
    kind = FEEDS
    serializer_class = FeedSerializer
    filterset_class = FeedFilter

    def get_queryset(self) -> Any:
        return super().get_queryset().select_related("environment__release")

    def prepare(self, items: Sequence[Any]) -> None:
        last = last_runs("feed", items, is_dry=False)
        for item in items:
            item.last_run, item.paging = last.get(item.pk), item.operation.document.get("paging")


class FeedInputs(Strict):
    inputs = serializers.DictField(
        child=AnyField(allow_null=True), required=False, default=dict, help_text="in place of the feed's own"
    )
    confirmed = serializers.BooleanField(
        required=False, default=False, help_text="using up a limit of days or months is meant"
    )
    brings_all = serializers.BooleanField(
        required=False, default=False, help_text="all again, also where its inputs move with what is new"
    )
    may_mark_all = serializers.BooleanField(
        required=False,
        default=False,
        help_text="records that no longer come are marked as gone, however many they are",
    )
    is_dry = serializers.BooleanField(
        required=False, default=False, help_text="it only tells what it would do, record by record"
    )
    only_rows_of = serializers.IntegerField(
        required=False, allow_null=True, default=None, help_text="a run: ask again only for the rows that failed in it"
    )
    only_rejects_of = serializers.IntegerField(
        required=False,
        allow_null=True,
        default=None,
        help_text="a run: read the rows that it rejected again, from the responses kept with it, and ask for nothing",
    )


class FeedRunsView(ProjectView):
    """Starts a run of a feed."""

    permissions = {"POST": "run"}

    @extend_schema(
        operation_id="runFeed", request=FeedInputs, responses={202: RunSerializer}, parameters=[SENDING_MARK]
    )
    def post(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(FeedInputs, request)
        feed = find_item(FEEDS, self.project, name)
        run = start_once(
            self.project,
            self.person,
            sending_mark(request),
            [name, data],
            lambda: queue_feed(self.project, feed, self.person, **data),
        )
        return Response(
            RunSerializer(find_run(self.project, run.pk)).data,
            status=202,
            headers={"Location": f"/api/v1/projects/{project}/runs/{run.pk}"},
        )


class GoOnView(ProjectView):
    """Lets a run that failed or was cancelled go on behind the last page that it kept."""

    permissions = {"POST": "run"}

    @extend_schema(operation_id="goOnWithRun", request=None, responses={202: RunSerializer})
    def post(self, request: Request, project: str, run_id: int) -> Response:
        return Response(RunSerializer(go_on(self.project, run_id)).data, status=202)


class FeedForms(serializers.Serializer[Any]):
    schedules = FormShown(many=True, help_text="a form for each kind of schedule")
    moving = FormShown(many=True, help_text="a form for each way in which an input moves with the runs")
    for_each = FormShown(help_text="the form of what the operation is called for, one after another")
    gone = FormShown(help_text="the form of what becomes of records that no longer come")
    retrying = FormShown(help_text="the form of when calls are sent again")


class FeedFormsView(ProjectView):
    """The forms of what a feed is set to, drawn from the settings' own classes."""

    @extend_schema(operation_id="getFeedForms", responses=FeedForms)
    def get(self, request: Request, project: str) -> Response:
        forms = {
            "schedules": [form_of(kind) for kind in get_args(Schedule)],
            "moving": [form_of(kind) for kind in get_args(MovingInput)],
            "for_each": form_of(ForEach),
            "gone": form_of(Gone),
            "retrying": form_of(RetryPolicy),
        }
        return Response(FeedForms(forms).data)


class ObstacleItem(serializers.Serializer[Any]):
    kind = serializers.CharField()
    name = serializers.CharField()
    environment = serializers.CharField()
    reasons = ProblemItem(many=True)


class ObstaclesView(ProjectView):
    """Everything that is set up but cannot start, each with every reason."""

    @extend_schema(operation_id="listObstacles", responses=ObstacleItem(many=True))
    def get(self, request: Request, project: str) -> Response:
        return Response(ObstacleItem(obstacles(self.project), many=True).data)


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
        data = self.validated(CopyGiven, request)
        operation, samples, mapping = copy_operation(self.project, self.person, self.role, name, data)
        copied = {"name": operation.name, "samples": samples, "mapping": mapping}
        return Response(CopyMade(copied).data, status=201)
