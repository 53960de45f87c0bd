"""Applications and their tokens, for administrators; how much is used, for everybody in the project."""

from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from django.db.models import Count, Max, Q
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import NotFound
from rondine.core.forms import form_of
from rondine.core.items.application import ApplicationDocument
from rondine.server.access.authentication import TOKEN_DAYS
from rondine.server.access.project_views import ProjectView
from rondine.server.api.forms import FormShown
from rondine.server.api.openapi import DocumentField
from rondine.server.api.requests import Strict
from rondine.server.api.shapes import ShownSerializer
from rondine.server.applications.admission import Admission
from rondine.server.applications.kinds import APPLICATIONS
from rondine.server.applications.models import Application, ApplicationToken, UsageHour
from rondine.server.applications.offering import Offer
from rondine.server.applications.tokens import make_application_token
from rondine.server.connecting.models import UserSession
from rondine.server.items.actions import check_protected, find_item
from rondine.server.items.serializers import ItemSerializer
from rondine.server.items.views import ItemViewSet, MakesItems

#: Days of usage that are told.
USAGE_DAYS = 7
#: Sessions that are listed, the newest.
MOST_SESSIONS = 500


class ApplicationSerializer(ItemSerializer):
    document = DocumentField(ApplicationDocument, required=False)
    environment = serializers.CharField()
    tokens = serializers.IntegerField(read_only=True, source="valid_tokens", help_text="that are valid now")
    used_at = serializers.DateTimeField(read_only=True, allow_null=True, help_text="when one was used last")


class ApplicationViewSet(MakesItems, ItemViewSet):
    """Programs that use what an environment has; made and changed by administrators."""

    kind = APPLICATIONS
    serializer_class = ApplicationSerializer
    permissions = {
        **ItemViewSet.permissions,
        "create": "administer",
        "partial_update": "administer",
        "destroy": "administer",
    }

    def prepare(self, items: Sequence[Any]) -> None:
        valid = Q(tokens__expires_at__isnull=True) | Q(tokens__expires_at__gt=timezone.now())
        counted = Application.objects.filter(pk__in=[item.pk for item in items])
        found = {
            item.pk: item for item in counted.annotate(valid=Count("tokens", filter=valid), used=Max("tokens__used_at"))
        }
        for item in items:
            item.valid_tokens, item.used_at = found[item.pk].valid, found[item.pk].used


class ApplicationForms(serializers.Serializer[Any]):
    document = FormShown()


class ApplicationFormsView(ProjectView):
    """The form of what an application is set to."""

    @extend_schema(operation_id="getApplicationForms", responses=ApplicationForms)
    def get(self, request: Request, project: str) -> Response:
        return Response(ApplicationForms({"document": form_of(ApplicationDocument)}).data)


class OfferedOperationItem(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField(allow_blank=True)


class OfferShown(serializers.Serializer[Any]):
    goes_by = serializers.CharField(help_text="a release, or the draft")
    operations = OfferedOperationItem(many=True)
    flows = OfferedOperationItem(many=True)
    record_types = OfferedOperationItem(many=True)


class OfferView(ProjectView):
    """What an application may use now, as its environment goes by it."""

    @extend_schema(operation_id="getOffer", responses=OfferShown)
    def get(self, request: Request, project: str, name: str) -> Response:
        application = find_item(APPLICATIONS, self.project, name)
        offer = Offer(Admission(application, application.loaded(), application.environment))
        shown = {
            "goes_by": offer.configuration.words,
            "operations": offer.operations,
            "flows": offer.flows,
            "record_types": offer.record_types,
        }
        return Response(OfferShown(shown).data)


class NewApplicationToken(Strict):
    title = serializers.CharField(max_length=200, help_text="where it is used")
    days = serializers.IntegerField(
        required=False, allow_null=True, default=TOKEN_DAYS, min_value=1, max_value=3650, help_text="null for ever"
    )


class ApplicationTokenSerializer(ShownSerializer):
    by = serializers.CharField(allow_null=True, help_text="who made it")

    class Meta:
        model = ApplicationToken
        fields = ("id", "title", "by", "made_at", "used_at", "expires_at")


class MadeApplicationToken(ShownSerializer):
    by = serializers.CharField(allow_null=True, help_text="who made it")
    token = serializers.CharField(help_text="it is shown this once, and stored nowhere")

    class Meta:
        model = ApplicationToken
        fields = ("id", "title", "by", "made_at", "used_at", "expires_at", "token")


class ApplicationTokensView(ProjectView):
    """The tokens of an application."""

    permissions = {"GET": "view", "POST": "administer"}

    @extend_schema(operation_id="listApplicationTokens", responses=ApplicationTokenSerializer(many=True))
    def get(self, request: Request, project: str, name: str) -> Response:
        tokens = find_item(APPLICATIONS, self.project, name).tokens.select_related("by").order_by("-pk")
        return Response(ApplicationTokenSerializer(tokens, many=True).data)

    @extend_schema(
        operation_id="makeApplicationToken", request=NewApplicationToken, responses={201: MadeApplicationToken}
    )
    def post(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(NewApplicationToken, request)
        application = find_item(APPLICATIONS, self.project, name)
        check_protected([application.environment], self.role)
        token, stored = make_application_token(application, self.person, data["title"], data["days"])
        stored.token = token  # type: ignore[attr-defined]
        return Response(MadeApplicationToken(stored).data, status=201)


class ApplicationTokenView(ProjectView):
    permissions = {"DELETE": "administer"}

    @extend_schema(operation_id="revokeApplicationToken", request=None, responses={204: None})
    def delete(self, request: Request, project: str, name: str, token_id: int) -> Response:
        application = find_item(APPLICATIONS, self.project, name)
        if not application.tokens.filter(pk=token_id).delete()[0]:
            raise NotFound("there is no such token", where=f"application {name}", hint="it may be revoked already")
        return Response(status=204)


class UserSessionItem(ShownSerializer):
    service = serializers.CharField(source="connection.service.name")
    is_begun = serializers.BooleanField(help_text="the user has not come back from the page of consent yet")

    class Meta:
        model = UserSession
        fields = ("id", "service", "caller", "is_begun", "made_at", "used_at", "expires_at")


class UserSessionsView(ProjectView):
    """The users of an application who are signed in at services."""

    permissions = {"GET": "view", "DELETE": "administer"}

    @extend_schema(operation_id="listUserSessions", responses=UserSessionItem(many=True))
    def get(self, request: Request, project: str, name: str) -> Response:
        sessions = find_item(APPLICATIONS, self.project, name).sessions.filter(expires_at__gt=timezone.now())
        rows = list(sessions.select_related("connection__service").order_by("-made_at")[:MOST_SESSIONS])
        for row in rows:
            row.is_begun = row.state_digest is not None
        return Response(UserSessionItem(rows, many=True).data)

    @extend_schema(operation_id="endUserSessions", request=None, responses={204: None})
    def delete(self, request: Request, project: str, name: str) -> Response:
        """Signs all of them out, at once."""
        application = find_item(APPLICATIONS, self.project, name)
        check_protected([application.environment], self.role)
        application.sessions.all().delete()
        return Response(status=204)


class UsageItem(ShownSerializer):
    application = serializers.CharField()

    class Meta:
        model = UsageHour
        fields = ("application", "hour", "what", "calls", "failed", "busy_ms", "service_ms")
        extra_kwargs = {
            "what": {"help_text": "the operation, flow and its name, or records and the record type"},
            "busy_ms": {"help_text": "milliseconds that its calls took in all"},
            "service_ms": {"help_text": "those of them that the services took"},
        }


class UsageQuery(Strict):
    application = serializers.CharField(required=False, max_length=63)
    days = serializers.IntegerField(required=False, default=USAGE_DAYS, min_value=1, max_value=90)


class UsageView(ProjectView):
    """How much applications used, hour by hour, the newest first."""

    query = {"GET": UsageQuery}

    @extend_schema(operation_id="listUsage", responses=UsageItem(many=True))
    def get(self, request: Request, project: str) -> Response:
        data = self.queried(request)
        since = timezone.now() - timedelta(days=data["days"])
        hours = UsageHour.objects.filter(application__project=self.project, hour__gte=since)
        if "application" in data:
            hours = hours.filter(application=find_item(APPLICATIONS, self.project, data["application"]))
        return Response(UsageItem(hours.select_related("application").order_by("-hour", "what")[:5000], many=True).data)
