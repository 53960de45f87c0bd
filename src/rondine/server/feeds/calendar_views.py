"""What ran and what will, over some days."""

from datetime import UTC, datetime, timedelta
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.server.access.project_views import ProjectView
from rondine.server.api.requests import Strict
from rondine.server.feeds.calendar import days_of


class RanItem(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    state = serializers.CharField()
    completeness = serializers.CharField(allow_blank=True)
    at = serializers.DateTimeField(source="queued_at")
    ended_at = serializers.DateTimeField(allow_null=True)
    begun_by = serializers.CharField(allow_blank=True)


class FeedDaysItem(serializers.Serializer[Any]):
    feed = serializers.CharField(source="feed.name")
    environment = serializers.CharField(source="feed.environment.name")
    schedule_words = serializers.CharField(source="words")
    ran = RanItem(many=True, help_text="the newest runs of these days, the oldest first")
    due = serializers.ListField(child=serializers.DateTimeField(), help_text="from now on, without jitter")
    is_cut = serializers.BooleanField(help_text="there are more runs or times than are told")


class CalendarShown(serializers.Serializer[Any]):
    start = serializers.DateTimeField()
    end = serializers.DateTimeField()
    now = serializers.DateTimeField()
    is_all = serializers.BooleanField(help_text="false: the project has more feeds than are told")
    feeds = FeedDaysItem(many=True, help_text="those that have a schedule, or ran in these days, by name")


class CalendarQuery(Strict):
    start = serializers.DateField(required=False, help_text="the first day, in UTC; by default yesterday")
    days = serializers.IntegerField(required=False, min_value=1, max_value=31, default=7)


class CalendarView(ProjectView):
    """What ran and what will, by feed, over some days."""

    query = {"GET": CalendarQuery}

    @extend_schema(operation_id="getCalendar", responses=CalendarShown)
    def get(self, request: Request, project: str) -> Response:
        data, now = self.queried(request), timezone.now()
        first = data.get("start") or (now - timedelta(days=1)).date()
        start = datetime.combine(first, datetime.min.time(), UTC)
        end = start + timedelta(days=data["days"])
        feeds, is_all = days_of(self.project, start, end, now)
        shown = {"start": start, "end": end, "now": now, "feeds": feeds, "is_all": is_all}
        return Response(CalendarShown(shown).data)
