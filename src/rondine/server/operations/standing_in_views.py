"""The stand-in of a service: where it is, and what it responds with."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.forms import form_of
from rondine.core.protocols.standing_in import StandIn
from rondine.server.access.project_views import ProjectView
from rondine.server.api.forms import FormShown
from rondine.server.connecting.kinds import SERVICES
from rondine.server.items.actions import find_item
from rondine.server.operations.standing_in import stand_in_path, stood_in


class StoodInItem(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField(allow_blank=True)
    method = serializers.CharField()
    path = serializers.CharField()
    responds = serializers.ChoiceField(["sample", "invented", "nothing"])
    words = serializers.CharField(help_text="which sample, or why nothing")


class StandInShown(serializers.Serializer[Any]):
    is_on = serializers.BooleanField()
    address = serializers.CharField(help_text="for the base address of a connection; it is a secret")
    operations = StoodInItem(many=True)
    form = FormShown()


class StandInView(ProjectView):
    """Switched on and set by `stand_in` of the service's document."""

    permissions = {"GET": "build"}

    @extend_schema(operation_id="getStandIn", responses=StandInShown)
    def get(self, request: Request, project: str, name: str) -> Response:
        service = find_item(SERVICES, self.project, name)
        shown = {
            "is_on": service.loaded().stand_in is not None,
            "address": request.build_absolute_uri(stand_in_path(service)),
            "operations": stood_in(service),
            "form": form_of(StandIn),
        }
        return Response(StandInShown(shown).data)
