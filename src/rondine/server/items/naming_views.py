"""The rule by which names are proposed in a project, and names by it."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.naming import NAMED, NamingRule
from rondine.core.settings import dump, load
from rondine.server.access.project_views import ProjectView
from rondine.server.api.openapi import DocumentField
from rondine.server.api.requests import Strict
from rondine.server.items.kinds import KINDS


class NamingShown(serializers.Serializer[Any]):
    rule = DocumentField(NamingRule)


class NamingGiven(Strict):
    rule = DocumentField(NamingRule)


class NamingView(ProjectView):
    """The project's rule for names. Changing it renames nothing that is there."""

    permissions = {"GET": "view", "PUT": "build"}

    @extend_schema(operation_id="getNaming", responses=NamingShown)
    def get(self, request: Request, project: str) -> Response:
        return Response(NamingShown({"rule": self.project.naming_rule()}).data)

    @extend_schema(operation_id="setNaming", request=NamingGiven, responses=NamingShown)
    def put(self, request: Request, project: str) -> Response:
        rule = load(NamingRule, self.validated(NamingGiven, request)["rule"], where="/rule")
        self.project.naming = dump(rule)
        self.project.save(update_fields=["naming"])
        return Response(NamingShown({"rule": rule}).data)


class NameAsked(Strict):
    kind = serializers.ChoiceField(NAMED)
    text = serializers.CharField(max_length=500, help_text="what it is called in words")
    service = serializers.CharField(required=False, allow_blank=True, default="", help_text="that it belongs to")


class NameProposed(serializers.Serializer[Any]):
    name = serializers.CharField(help_text="free just now")
    wanted = serializers.CharField(help_text="by the rule alone")
    is_taken = serializers.BooleanField(help_text="whether the wanted one is there already")


class NamesView(ProjectView):
    """A name by the project's rule, and whether it clashes with one that is there."""

    permissions = {"POST": "view"}

    @extend_schema(operation_id="proposeName", request=NameAsked, responses=NameProposed)
    def post(self, request: Request, project: str) -> Response:
        data = self.validated(NameAsked, request)
        rule = self.project.naming_rule()
        wanted = rule.name(data["kind"], data["text"], service=data["service"])
        taken: set[str] = set()
        for kind in KINDS.values():
            if kind.word == data["kind"]:
                found = kind.model._default_manager.filter(project=self.project, name__startswith=wanted[:50])
                taken = set(found.values_list("name", flat=True))
        name = rule.name(data["kind"], data["text"], service=data["service"], taken=taken)
        return Response(NameProposed({"name": name, "wanted": wanted, "is_taken": wanted in taken}).data)
