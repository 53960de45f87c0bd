"""Finding things in a project: where an item is used, a search over everything, a check of everything."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import NotFound, did_you_mean
from rondine.server.access.project_views import ProjectView
from rondine.server.api.requests import Strict
from rondine.server.finding.checking import check_project
from rondine.server.finding.searching import search
from rondine.server.finding.where_used import uses_of
from rondine.server.items.actions import find_item
from rondine.server.items.kinds import KINDS


class LastResultShown(serializers.Serializer[Any]):
    at = serializers.DateTimeField(allow_null=True)
    state = serializers.CharField()
    words = serializers.CharField(allow_blank=True)
    run = serializers.IntegerField(allow_null=True)


class ItemUse(serializers.Serializer[Any]):
    kind = serializers.CharField(help_text="as in addresses")
    word = serializers.CharField(help_text="for one of the kind")
    name = serializers.CharField()
    title = serializers.CharField(allow_blank=True)
    how = serializers.CharField(help_text="where in its document, or by which of its fields")
    environment = serializers.CharField(allow_blank=True)
    last = LastResultShown(allow_null=True, help_text="how it went the last time")
    belongs = serializers.BooleanField(help_text="it goes with the item, and does not hold it back")


class WhereUsedView(ProjectView):
    """Where an item is used, with the last result of each use."""

    @extend_schema(operation_id="getWhereUsed", responses=ItemUse(many=True))
    def get(self, request: Request, project: str, kind: str, name: str) -> Response:
        if kind not in KINDS:
            raise NotFound(f'there is no kind of items "{kind}"', where="kind", hint=did_you_mean(kind, KINDS))
        item = find_item(KINDS[kind], self.project, name)
        return Response(ItemUse(uses_of(KINDS[kind], item), many=True).data)


class SearchQuery(Strict):
    q = serializers.CharField(min_length=2, max_length=200)


class FoundItem(serializers.Serializer[Any]):
    kind = serializers.CharField(help_text="of an item, as in addresses; records or runs")
    word = serializers.CharField()
    name = serializers.CharField(help_text="of an item; a run's number; a record's key")
    title = serializers.CharField(allow_blank=True)
    where = serializers.CharField(help_text="name, title, key, number, or the place in the settings")
    text = serializers.CharField(allow_blank=True, help_text="what stands there")
    environment = serializers.CharField(allow_blank=True, help_text="of a record")
    record_type = serializers.CharField(allow_blank=True)
    key = serializers.CharField(allow_blank=True)


class SearchShown(serializers.Serializer[Any]):
    items = FoundItem(many=True)
    is_all = serializers.BooleanField(help_text="no more than these have the text")


class SearchView(ProjectView):
    """What has a text: in names, titles and settings of items; kept records by their keys, runs by their numbers."""

    query = {"GET": SearchQuery}

    @extend_schema(operation_id="searchProject", responses=SearchShown)
    def get(self, request: Request, project: str) -> Response:
        return Response(SearchShown(search(self.project, self.queried(request)["q"])).data)


class WrongItem(serializers.Serializer[Any]):
    kind = serializers.CharField(help_text="as in addresses")
    word = serializers.CharField()
    name = serializers.CharField()
    environment = serializers.CharField(allow_blank=True)
    where = serializers.CharField(allow_blank=True)
    message = serializers.CharField()
    hint = serializers.CharField(allow_blank=True)


class ProjectCheckView(ProjectView):
    """Everything in the project that is not ready, or is set up but cannot start."""

    @extend_schema(operation_id="checkProject", responses=WrongItem(many=True))
    def get(self, request: Request, project: str) -> Response:
        return Response(WrongItem(check_project(self.project), many=True).data)
