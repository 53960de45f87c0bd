"""Flows, runs of them started, and what these wait for answered."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.flow.document import FlowDocument
from rondine.core.items.flow_schedule import FlowScheduleDocument
from rondine.core.items.schedule import schedule_words
from rondine.core.settings import dump
from rondine.server.access.project_views import ProjectView, ProjectViewSet
from rondine.server.api.openapi import AnyField, DocumentField
from rondine.server.api.requests import SENDING_MARK, Strict, sending_mark
from rondine.server.api.shapes import ProblemItem, ValueDifferenceItem
from rondine.server.connecting.opening import environment_of
from rondine.server.feeds.views import RefusalItem
from rondine.server.flows.answering import answer_person, go_on, settle
from rondine.server.flows.comparing import compared
from rondine.server.flows.kinds import FLOW_SCHEDULES, FLOWS
from rondine.server.flows.models import WAITS, FlowPause, FlowSchedule
from rondine.server.flows.obstacles import obstacles_of
from rondine.server.flows.queueing import queue_flow
from rondine.server.flows.showing import shown_run
from rondine.server.items.actions import find_item
from rondine.server.items.serializers import ItemSerializer
from rondine.server.items.views import ItemViewSet, MakesItems
from rondine.server.releases.configuration import Configuration
from rondine.server.runs.actions import find_run
from rondine.server.runs.last import last_runs
from rondine.server.runs.models import Run
from rondine.server.runs.sendings import start_once
from rondine.server.runs.serializers import LastRun, RunSerializer


class FlowSerializer(ItemSerializer):
    document = DocumentField(FlowDocument, required=False)
    warnings = ProblemItem(many=True, read_only=True, help_text="what is odd in it, though it runs")

    def to_representation(self, instance: Any) -> Any:
        """Its members in the order in which one tells them; the database has an order of its own."""
        return {**super().to_representation(instance), "document": dump(instance.loaded())}


class FlowViewSet(MakesItems, ItemViewSet):
    kind = FLOWS
    serializer_class = FlowSerializer


class FlowScheduleSerializer(ItemSerializer):
    document = DocumentField(FlowScheduleDocument, required=False)
    environment = serializers.CharField()
    due_at = serializers.DateTimeField(
        source="next_at", read_only=True, allow_null=True, help_text="when it is due next; null if at no time"
    )
    schedule_words = serializers.SerializerMethodField(help_text="when the flow is run, in words")
    refusal = RefusalItem(
        read_only=True, allow_null=True, help_text="why nothing was begun the last time that it was due"
    )
    last_run = LastRun(read_only=True, allow_null=True)

    def get_schedule_words(self, item: FlowSchedule) -> str:
        return schedule_words(item.schedule)


class FlowScheduleViewSet(MakesItems, ItemViewSet):
    kind = FLOW_SCHEDULES
    serializer_class = FlowScheduleSerializer

    def get_queryset(self) -> Any:
        return super().get_queryset().select_related("environment")

    def prepare(self, items: Sequence[Any]) -> None:
        found = last_runs("flow_schedule", items)
        for item in items:
            item.last_run = found.get(item.pk)


class RecordedBefore(Strict):
    run = serializers.IntegerField(min_value=1, help_text="a run of the same flow")
    before = serializers.CharField(
        max_length=63, help_text="the step from which on it is asked anew; what came before is taken from that run"
    )


class FlowInputs(Strict):
    inputs = serializers.DictField(child=AnyField(allow_null=True), required=False, default=dict)
    environment = serializers.CharField(max_length=63, required=False, default="test")
    stop_before = serializers.CharField(
        max_length=63,
        required=False,
        allow_blank=True,
        default="",
        help_text="the step before which it stops until somebody lets it go on; `*` for each of them",
    )
    recorded = RecordedBefore(required=False, allow_null=True, default=None)


class FlowObstaclesQuery(Strict):
    environment = serializers.CharField(max_length=63, required=False, default="test")


class FlowObstaclesView(ProjectView):
    """What would keep a flow's steps from being carried out in an environment: whatever is not ready, disabled, without
    connection or sign-in, or not permitted."""

    query = {"GET": FlowObstaclesQuery}

    @extend_schema(operation_id="listFlowObstacles", responses=ProblemItem(many=True))
    def get(self, request: Request, project: str, name: str) -> Response:
        environment = environment_of(self.project, self.queried(request)["environment"])
        found = obstacles_of(find_item(FLOWS, self.project, name), Configuration(environment))
        return Response(ProblemItem([one.to_json() for one in found], many=True).data)


class FlowRunsView(ProjectView):
    """Starts a run of a flow, as the environment has it."""

    permissions = {"POST": "run"}

    @extend_schema(
        operation_id="runFlow", request=FlowInputs, responses={202: RunSerializer}, parameters=[SENDING_MARK]
    )
    def post(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(FlowInputs, request)
        flow = find_item(FLOWS, self.project, name)
        environment = environment_of(self.project, data["environment"])
        run = start_once(
            self.project,
            self.person,
            sending_mark(request),
            [name, data],
            lambda: queue_flow(
                self.project,
                flow,
                environment,
                data["inputs"],
                person=self.person,
                role=self.role,
                stop_before=data["stop_before"],
                recorded=self._recorded(data["recorded"]),
            ),
        )
        address = f"/api/v1/projects/{project}/runs/{run.pk}"
        shown = RunSerializer(find_run(self.project, run.pk)).data
        return Response(shown, status=202, headers={"Location": address})

    def _recorded(self, given: Mapping[str, Any] | None) -> tuple[Run, str] | None:
        return None if given is None else (find_run(self.project, given["run"]), given["before"])


class TaskItem(serializers.Serializer[Any]):
    """Something that a step asked, or waited for."""

    task = serializers.CharField()
    step = serializers.CharField()
    begun_at = serializers.DateTimeField()
    ended_at = serializers.DateTimeField(allow_null=True)
    given = serializers.DictField(child=AnyField(allow_null=True))
    outcome = AnyField(allow_null=True, help_text="what came of it; null while nothing has")
    run = serializers.IntegerField(allow_null=True, help_text="of the flow that was asked")
    recorded = serializers.IntegerField(
        allow_null=True, help_text="the run from which its outcome was taken over; null if it was asked in this one"
    )


class PauseItem(serializers.Serializer[Any]):
    task = serializers.CharField()
    step = serializers.CharField()
    kind = serializers.ChoiceField(WAITS)
    until = serializers.DateTimeField(allow_null=True)
    question = serializers.CharField(allow_blank=True)
    shows = serializers.DictField(child=AnyField(allow_null=True))
    may_answer = serializers.BooleanField(help_text="whether whoever asks this may answer")


class FlowRunShown(serializers.Serializer[Any]):
    document = DocumentField(FlowDocument, help_text="the flow as it was when the run began")
    tasks = TaskItem(many=True)
    pauses = PauseItem(many=True, help_text="what it waits for besides its tasks")
    results = AnyField(help_text="what steps have come to so far, by name")
    kept = AnyField(help_text="the values kept so far, by name")
    reply = AnyField(allow_null=True)
    failure = AnyField(allow_null=True)
    undone = serializers.ListField(child=serializers.CharField(), help_text="tasks that were taken back")


class FlowRunView(ProjectView):
    """The run of a flow, step by step."""

    @extend_schema(operation_id="getFlowRun", responses=FlowRunShown)
    def get(self, request: Request, project: str, run_id: int) -> Response:
        run = find_run(self.project, run_id)
        return Response(FlowRunShown(shown_run(run, self.person, self.role)).data)


class TaskSide(serializers.Serializer[Any]):
    outcome = serializers.CharField(allow_blank=True, help_text="blank while nothing has come of it")
    message = serializers.CharField(allow_blank=True, help_text="of a failure")
    milliseconds = serializers.FloatField(allow_null=True)


class TaskPairItem(serializers.Serializer[Any]):
    task = serializers.CharField()
    first = TaskSide(allow_null=True, help_text="null: that run has it not")
    second = TaskSide(allow_null=True)
    differences = ValueDifferenceItem(many=True, help_text="in what it was given, and what it came to")


class FlowRunsCompared(serializers.Serializer[Any]):
    """At most 500 differences of each part are told."""

    first = serializers.IntegerField()
    second = serializers.IntegerField()
    inputs = ValueDifferenceItem(many=True)
    document = ValueDifferenceItem(many=True, help_text="of the flow, as each went by it")
    tasks = TaskPairItem(many=True)
    end = ValueDifferenceItem(many=True, help_text="of reply and failure")


class OtherRun(Strict):
    run = serializers.IntegerField(min_value=1, help_text="the other run")


class FlowComparisonView(ProjectView):
    """The run of a flow beside another one."""

    query = {"GET": OtherRun}

    @extend_schema(operation_id="compareFlowRuns", responses=FlowRunsCompared)
    def get(self, request: Request, project: str, run_id: int) -> Response:
        other = find_run(self.project, self.queried(request)["run"])
        return Response(FlowRunsCompared(compared(find_run(self.project, run_id), other)).data)


class ApprovalGiven(Strict):
    task = serializers.CharField(max_length=200)
    agrees = serializers.BooleanField(help_text="yes or no")
    note = serializers.CharField(required=False, allow_blank=True, default="", max_length=1000)


class AnswerView(ProjectView):
    """A person's yes or no, for which a run waits."""

    permissions = {"POST": "run"}

    @extend_schema(operation_id="answerFlowRun", request=ApprovalGiven, responses={202: RunSerializer})
    def post(self, request: Request, project: str, run_id: int) -> Response:
        data = self.validated(ApprovalGiven, request)
        find_run(self.project, run_id)
        answer_person(run_id, data["task"], data["agrees"], data["note"], self.person, self.role)
        return Response(RunSerializer(find_run(self.project, run_id)).data, status=202)


class SettledGiven(Strict):
    task = serializers.CharField(max_length=200)
    how = serializers.ChoiceField(["done", "failed", "again"])


class SettleView(ProjectView):
    """What became of a task that may have had its effect, said by somebody who has looked."""

    permissions = {"POST": "run"}

    @extend_schema(operation_id="settleFlowTask", request=SettledGiven, responses={202: RunSerializer})
    def post(self, request: Request, project: str, run_id: int) -> Response:
        data = self.validated(SettledGiven, request)
        find_run(self.project, run_id)
        settle(run_id, data["task"], data["how"], self.person)
        return Response(RunSerializer(find_run(self.project, run_id)).data, status=202)


class GoingOn(Strict):
    step = serializers.CharField(max_length=63, help_text="before which it has stopped")
    stop_before = serializers.CharField(
        max_length=63,
        required=False,
        allow_blank=True,
        default="",
        help_text="a later step before which it stops again; `*` for whichever comes next; by default none",
    )


class GoingOnView(ProjectView):
    """Lets a run go on that has stopped before a step."""

    permissions = {"POST": "run"}

    @extend_schema(operation_id="continueFlowRun", request=GoingOn, responses={202: RunSerializer})
    def post(self, request: Request, project: str, run_id: int) -> Response:
        data = self.validated(GoingOn, request)
        find_run(self.project, run_id)
        go_on(run_id, data["step"], data["stop_before"])
        return Response(RunSerializer(find_run(self.project, run_id)).data, status=202)


class WaitingItem(serializers.Serializer[Any]):
    run = serializers.IntegerField(source="run_id")
    flow = serializers.CharField(source="run.content.flow_name")
    environment = serializers.CharField(source="run.environment.name")
    task = serializers.CharField()
    kind = serializers.ChoiceField(WAITS)
    question = serializers.SerializerMethodField()
    since = serializers.SerializerMethodField()
    until = serializers.DateTimeField(allow_null=True)

    def get_question(self, pause: FlowPause) -> str:
        return str(pause.content.get("question", ""))

    def get_since(self, pause: FlowPause) -> datetime:
        return pause.run.started_at or timezone.now()


class FlowPauseViewSet(ProjectViewSet):
    """What runs of flows wait for, the oldest first."""

    queryset = FlowPause.objects.none()
    serializer_class = WaitingItem
    permissions = {"list": "view"}
    ordering = "pk"

    @extend_schema(operation_id="listFlowPauses")
    def list(self, request: Request, project: str) -> Response:
        pauses = FlowPause.objects.filter(run__project=self.project).select_related("run__environment")
        return self.get_paginated_response(WaitingItem(self.page(pauses), many=True).data)
