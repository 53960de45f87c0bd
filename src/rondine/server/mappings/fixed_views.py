"""Fixed values left in operations and mappings."""

from itertools import islice
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.server.access.project_views import ProjectView
from rondine.server.api.requests import Strict, seen_version
from rondine.server.items.views import IF_MATCH
from rondine.server.mappings.fixed import KINDS, ValueToName, fixed_values_of, name_value

#: Values that are told.
MOST = 1000


class FixedValueItem(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(list(KINDS))
    item = serializers.CharField()
    version = serializers.IntegerField(help_text="of the item")
    place = serializers.CharField(help_text="JSON Pointer; of a path, /path/ and the number of the segment")
    name = serializers.CharField(help_text="what it is sent as, or fills")
    value = serializers.CharField(help_text="its first 200 characters")
    is_guess = serializers.BooleanField(help_text="it may belong to the address")
    becomes = serializers.ChoiceField(["input", "standing value"])


class FixedValuesShown(serializers.Serializer[Any]):
    items = FixedValueItem(many=True)
    is_all = serializers.BooleanField(help_text="false: there are more than are told")


class ValueToNameGiven(Strict):
    kind = serializers.ChoiceField(list(KINDS))
    item = serializers.CharField(max_length=63)
    place = serializers.CharField()
    name = serializers.CharField(
        required=False, allow_blank=True, default="", max_length=63, help_text="of the input, or the standing value"
    )


class NamedValueShown(serializers.Serializer[Any]):
    kind = serializers.CharField()
    item = serializers.CharField()
    version = serializers.IntegerField(help_text="of the item now")
    becomes = serializers.CharField()
    name = serializers.CharField()


class FixedValuesView(ProjectView):
    """Values that are written into operations and mappings; each is replaced by an input, or by a standing value."""

    permissions = {"GET": "view", "POST": "build"}

    @extend_schema(operation_id="listFixedValues", responses=FixedValuesShown)
    def get(self, request: Request, project: str) -> Response:
        items = list(islice(fixed_values_of(self.project), MOST + 1))
        return Response(FixedValuesShown({"items": items[:MOST], "is_all": len(items) <= MOST}).data)

    @extend_schema(
        operation_id="nameFixedValue", request=ValueToNameGiven, responses=NamedValueShown, parameters=[IF_MATCH]
    )
    def post(self, request: Request, project: str) -> Response:
        wanted = ValueToName(**self.validated(ValueToNameGiven, request))
        named = name_value(self.project, self.person, self.role, wanted, seen_version(request))
        return Response(NamedValueShown(named).data)
