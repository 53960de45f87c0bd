"""Environments, standing values, secrets, sign-in, limits, checks: what belongs to connecting."""

from collections.abc import Sequence
from typing import Any

from django_filters import CharFilter
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import Problem
from rondine.core.items.connection import ConnectionDocument
from rondine.core.items.connection_problems import connection_warnings
from rondine.core.operations.keylike import why_key_like
from rondine.server.access.project_views import ProjectView
from rondine.server.connecting.environments import (
    change_environment,
    make_environment,
    remove_environment,
)
from rondine.server.connecting.kinds import CONNECTIONS, CREDENTIALS, SERVICES, STANDING_VALUES
from rondine.server.connecting.models import Connection, Credential, Service
from rondine.server.connecting.opening import environment_of
from rondine.server.connecting.serializers import (
    ChangedEnvironment,
    ConnectionSerializer,
    CredentialSerializer,
    EnvironmentSerializer,
    NewEnvironment,
    ProofShown,
    ServiceSerializer,
    StandingValueSerializer,
)
from rondine.server.connecting.signing_in import (
    callback_path,
    proof_address,
)
from rondine.server.items.references import counts_of_members, users_of
from rondine.server.items.views import ItemFilter, ItemViewSet, MakesItems


class ServiceViewSet(MakesItems, ItemViewSet):
    kind = SERVICES
    serializer_class = ServiceSerializer

    def prepare(self, items: Sequence[Service]) -> None:
        """What belongs to each service, and how its connections are."""
        counts = counts_of_members(Service, items)
        connections: dict[Any, list[dict[str, Any]]] = {item.pk: [] for item in items}
        rows = Connection.objects.select_related("environment").filter(service__in=items)
        for row in rows.order_by("environment__name", "name"):
            connections[row.service_id].append(
                {
                    "name": row.name,
                    "title": row.title,
                    "base_address": row.document.get("base_address", ""),
                    "environment": row.environment.name,
                    "is_enabled": row.document.get("enabled", True),
                    "is_ready": not row.problems,
                    "works": (row.check_result or {}).get("works"),
                }
            )
        for item in items:
            item.counts = counts[item.pk]  # type: ignore[attr-defined]
            item.shown_connections = connections[item.pk]  # type: ignore[attr-defined]


class CredentialFilter(ItemFilter):
    environment = CharFilter("environment__name", help_text="those of this environment, by its name")


class CredentialViewSet(MakesItems, ItemViewSet):
    kind = CREDENTIALS
    serializer_class = CredentialSerializer
    filterset_class = CredentialFilter
    permissions = {**ItemViewSet.permissions, **dict.fromkeys(("create", "partial_update", "destroy"), "write_secret")}

    def prepare(self, items: Sequence[Credential]) -> None:
        for item in items:
            item.has_second = bool(item.second_encrypted)  # type: ignore[attr-defined]


class ConnectionFilter(ItemFilter):
    service = CharFilter("service__name", help_text="those of this service, by its name")
    environment = CharFilter("environment__name", help_text="those of this environment, by its name")
    credential = CharFilter("credential__name", help_text="those of this credential, by its name")


class ConnectionViewSet(MakesItems, ItemViewSet):
    kind = CONNECTIONS
    serializer_class = ConnectionSerializer
    filterset_class = ConnectionFilter

    def get_queryset(self) -> Any:
        return super().get_queryset().select_related("project")

    def prepare(self, items: Sequence[Any]) -> None:
        for item in items:
            document: ConnectionDocument = item.loaded()
            own = document.own_sign_ins
            item.warnings = [connection_warning.to_json() for connection_warning in connection_warnings(document)]
            item.secret_names = document.secret_names()
            item.own_secret_names = {one.operation: one.sign_in.secret_names() for one in own}
            item.secret_origins = document.secret_origins(document.sign_in)
            item.own_secret_origins = {
                own_sign_in.operation: document.secret_origins(own_sign_in.sign_in) for own_sign_in in own
            }
            item.callback_path = callback_path(item.project.name, item.environment.name)


class StandingValueViewSet(MakesItems, ItemViewSet):
    kind = STANDING_VALUES
    serializer_class = StandingValueSerializer

    def prepare(self, items: Sequence[Any]) -> None:
        """Where each standing value is used, by kind and name; and whether it looks like a key."""
        users = users_of(STANDING_VALUES, {one.project_id for one in items}, {one.name for one in items})
        for item in items:
            item.used_by = [{"kind": kind.word, "name": user.name} for kind, user in users[item.name]]
            item.warnings = [
                Problem(f"/values/{name}", f"looks like a key: {reason}", "keep it in a credential instead").to_json()
                for name, value in item.document.get("values", {}).items()
                if (reason := why_key_like(item.name, str(value)))
            ]


# --- environments


class EnvironmentsView(ProjectView):
    """The project's environments, each with what is missing in it."""

    permissions = {"GET": "view", "POST": "build"}

    @extend_schema(operation_id="listEnvironments", responses=EnvironmentSerializer(many=True))
    def get(self, request: Request, project: str) -> Response:
        rows = self.project.environments.select_related("project").order_by("name")
        return Response(EnvironmentSerializer(rows, many=True).data)

    @extend_schema(operation_id="makeEnvironment", request=NewEnvironment, responses={201: EnvironmentSerializer})
    def post(self, request: Request, project: str) -> Response:
        environment = make_environment(self.project, self.validated(NewEnvironment, request), self.role)
        return Response(EnvironmentSerializer(environment).data, status=201)


class EnvironmentView(ProjectView):
    permissions = {"GET": "view", "PATCH": "build", "DELETE": "build"}

    @extend_schema(operation_id="getEnvironment", responses=EnvironmentSerializer)
    def get(self, request: Request, project: str, name: str) -> Response:
        return Response(EnvironmentSerializer(environment_of(self.project, name)).data)

    @extend_schema(operation_id="changeEnvironment", request=ChangedEnvironment, responses=EnvironmentSerializer)
    def patch(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(ChangedEnvironment, request)
        return Response(EnvironmentSerializer(change_environment(self.project, name, data, self.role)).data)

    @extend_schema(operation_id="removeEnvironment", request=None, responses={204: None})
    def delete(self, request: Request, project: str, name: str) -> Response:
        remove_environment(self.project, name, self.role)
        return Response(status=204)


class CallbackProofView(ProjectView):
    """Begins the proof that an environment's callback address leads here."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="proveCallback", request=None, responses={201: ProofShown})
    def post(self, request: Request, project: str, name: str) -> Response:
        base = request.build_absolute_uri("/").rstrip("/")
        address = proof_address(environment_of(self.project, name), base)
        return Response(ProofShown({"address": address}).data, status=201)


# --- secrets


# --- check


# --- limits


# --- sign-in


# --- forms


# --- what goes with every request


# --- preparation
