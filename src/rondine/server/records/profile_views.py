"""What the values of kept records look like, field by field."""

from typing import Any, ClassVar

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.server.access.project_views import ProjectView
from rondine.server.connecting.opening import environment_of
from rondine.server.items.actions import find_item
from rondine.server.records.actions import check_kept, record_set
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.profiling import profile_records
from rondine.server.records.views import GONE, filters_of, gone_shown


class ProfilePart(serializers.Serializer[Any]):
    """Some values of a field."""

    least = serializers.CharField(allow_blank=True, allow_null=True, help_text="null of an empty range")
    most = serializers.CharField(allow_blank=True, allow_null=True, help_text="the same as least, of a single value")
    count = serializers.IntegerField()


class FieldProfileShown(serializers.Serializer[Any]):
    name = serializers.CharField()
    type = serializers.CharField()
    missing = serializers.IntegerField(help_text="records without it, or with null")
    distinct = serializers.IntegerField()
    least = serializers.CharField(allow_null=True, allow_blank=True, help_text="null of values without an order")
    most = serializers.CharField(allow_null=True, allow_blank=True)
    by = serializers.ChoiceField(("value", "range"), help_text="what its parts are")
    parts = ProfilePart(
        many=True,
        help_text="eight at most: the commonest values (texts up to 200 characters), or ranges of equal width",
    )


class RecordProfile(serializers.Serializer[Any]):
    records = serializers.IntegerField(help_text="that were looked at")
    is_all = serializers.BooleanField(help_text="the filters leave no more than these")
    columns = FieldProfileShown(many=True)


class RecordProfileView(ProjectView):
    """What the values of kept records look like: of each field how many are missing, how many differ, and how they are
    spread. Filters as of the list; 50,000 records are looked at at most."""

    reserved: ClassVar[frozenset[str]] = frozenset({"gone"})

    def check_parameters(self, request: Request) -> None:
        """They are fields of the record type: `selection` knows them."""

    @extend_schema(operation_id="getRecordProfile", responses=RecordProfile, parameters=[GONE])
    def get(self, request: Request, project: str, environment: str, name: str) -> Response:
        records = record_set(environment_of(self.project, environment), find_item(RECORD_TYPES, self.project, name))
        document = records.loaded()
        check_kept(name, document)
        found = profile_records(records, document, filters_of(request, self.reserved), gone=gone_shown(request))
        return Response(RecordProfile(found).data)
