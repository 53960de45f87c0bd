"""Releases, what differs between them, and which environment goes by which."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import InputError
from rondine.server.access.project_views import ProjectView, ProjectViewSet
from rondine.server.api.requests import Strict
from rondine.server.connecting.opening import environment_of
from rondine.server.releases.actions import (
    find_release,
    make_release,
    release_before,
    revisions_of,
    unready_items,
    use_release,
    withdraw_release,
)
from rondine.server.releases.checklist import checklist
from rondine.server.releases.comparing import compare_releases
from rondine.server.releases.configuration import in_order
from rondine.server.releases.models import Release, Switch
from rondine.server.releases.serializers import (
    LackingItem,
    NewRelease,
    ReleaseDifferenceItem,
    ReleasedItemShown,
    ReleaseSerializer,
    ReleaseUse,
    SwitchSerializer,
    UnreadyItem,
    WhyGiven,
)

#: Switches that are told, the newest ones.
MOST_SWITCHES = 100


class ReleaseViewSet(ProjectViewSet):
    """Releases, the newest first."""

    queryset = Release.objects.none()
    serializer_class = ReleaseSerializer
    permissions = {
        "list": "view",
        "retrieve": "view",
        "contents": "view",
        "create": "build",
        "withdraw": "build",
    }
    ordering = "-number"
    page_size = 50
    lookup_field = "number"
    lookup_value_converter = "int"

    @extend_schema(operation_id="listReleases")
    def list(self, request: Request, project: str) -> Response:
        releases = Release.objects.select_related("by").prefetch_related("environments").filter(project=self.project)
        return self.get_paginated_response(ReleaseSerializer(self.page(releases), many=True).data)

    @extend_schema(operation_id="makeRelease", request=NewRelease, responses={201: ReleaseSerializer})
    def create(self, request: Request, project: str) -> Response:
        data = self.validated(NewRelease, request)
        release = make_release(self.project, self.person, notes=data["notes"], waived=data["waive"])
        location = f"{request.path.rstrip('/')}/{release.number}"
        return Response(ReleaseSerializer(release).data, status=201, headers={"Location": location})

    @extend_schema(operation_id="getRelease")
    def retrieve(self, request: Request, project: str, number: int) -> Response:
        return Response(ReleaseSerializer(find_release(self.project, number)).data)

    @extend_schema(operation_id="getReleaseContents", responses=ReleasedItemShown(many=True), filters=False)
    @action(detail=True, pagination_class=None)
    def contents(self, request: Request, project: str, number: int) -> Response:
        revisions = in_order(revisions_of(self.project, find_release(self.project, number)))
        return Response(ReleasedItemShown(revisions, many=True).data)

    @extend_schema(operation_id="withdrawRelease", request=WhyGiven, responses=ReleaseSerializer)
    @action(detail=True, methods=["POST"])
    def withdraw(self, request: Request, project: str, number: int) -> Response:
        data = self.validated(WhyGiven, request)
        return Response(ReleaseSerializer(withdraw_release(find_release(self.project, number), data["why"])).data)


class ReleaseCheckView(ProjectView):
    """What keeps the draft from being released."""

    @extend_schema(operation_id="checkDraft", responses=UnreadyItem(many=True))
    def get(self, request: Request, project: str) -> Response:
        return Response(UnreadyItem(unready_items(self.project), many=True).data)


class TwoStates(Strict):
    before = serializers.CharField(max_length=20, help_text="a release's number, or draft")
    after = serializers.CharField(max_length=20, required=False, default="draft", help_text="the same")


class ReleaseDifferencesView(ProjectView):
    """What differs between two releases, or one and the draft, item by item."""

    query = {"GET": TwoStates}

    @extend_schema(operation_id="compareReleases", responses=ReleaseDifferenceItem(many=True))
    def get(self, request: Request, project: str) -> Response:
        data = self.queried(request)
        before, after = self._state("before", data["before"]), self._state("after", data["after"])
        return Response(ReleaseDifferenceItem(compare_releases(self.project, before, after), many=True).data)

    def _state(self, name: str, text: str) -> Release | None:
        if text == "draft":
            return None
        if not text.isdecimal() or len(text) > 9:
            raise InputError(f'"{text}" is not a release', where=f"?{name}", hint="give its number, or draft")
        return find_release(self.project, int(text))


class EnvironmentReleaseView(ProjectView):
    """Lets an environment go by a release, or by the draft."""

    permissions = {"PUT": "build"}

    @extend_schema(operation_id="useRelease", request=ReleaseUse, responses=SwitchSerializer)
    def put(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(ReleaseUse, request)
        environment = environment_of(self.project, name)
        release = find_release(self.project, data["release"]) if data["release"] is not None else None
        switch = use_release(environment, release, self.person, self.role, why=data["why"])
        return Response(SwitchSerializer(switch).data)


class RollBackView(ProjectView):
    """Lets an environment go by what it went by before."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="rollBack", request=WhyGiven, responses=SwitchSerializer)
    def post(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(WhyGiven, request)
        environment = environment_of(self.project, name)
        before = release_before(environment)
        switch = use_release(environment, before, self.person, self.role, why=data["why"], is_back=True)
        return Response(SwitchSerializer(switch).data)


class SwitchesView(ProjectView):
    """What an environment went by, the newest first."""

    @extend_schema(operation_id="listSwitches", responses=SwitchSerializer(many=True))
    def get(self, request: Request, project: str, name: str) -> Response:
        switches = Switch.objects.select_related("environment", "before", "after", "by")
        found = switches.filter(environment=environment_of(self.project, name)).order_by("-id")[:MOST_SWITCHES]
        return Response(SwitchSerializer(found, many=True).data)


class ChecklistQuery(Strict):
    release = serializers.IntegerField(required=False, min_value=1, help_text="by default, of the draft")


class ChecklistView(ProjectView):
    """What an environment lacks to go by a release, and who can give it."""

    query = {"GET": ChecklistQuery}

    @extend_schema(operation_id="getChecklist", responses=LackingItem(many=True))
    def get(self, request: Request, project: str, name: str) -> Response:
        number = self.queried(request).get("release")
        release = find_release(self.project, number) if number is not None else None
        lacking: Any = checklist(environment_of(self.project, name), release)
        return Response(LackingItem(lacking, many=True).data)
