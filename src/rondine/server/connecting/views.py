"""Environments, standing values, secrets, sign-in, limits, checks: what belongs to connecting."""

from collections.abc import Sequence
from dataclasses import asdict
from datetime import timedelta
from typing import Any, get_args

from asgiref.sync import sync_to_async
from django.db.models import Count, Max
from django.db.models.functions import Coalesce
from django.utils import timezone
from django_filters import CharFilter
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.errors import Problem
from rondine.core.forms import form_of
from rondine.core.http.limits import meter
from rondine.core.items.connection import ConnectionDocument, ProxySettings, TimeOutSettings, TlsSettings
from rondine.core.items.connection_problems import connection_warnings
from rondine.core.operations.keylike import why_key_like
from rondine.core.protocols.rest import ACCEPT
from rondine.core.settings import dump, load
from rondine.core.signin import NoSignIn, SignIn
from rondine.core.signin.metadata import discover
from rondine.engine.client import Line
from rondine.server.access.project_views import ProjectView, WaitingView
from rondine.server.api.forms import FormShown
from rondine.server.api.openapi import AnyField
from rondine.server.api.requests import Strict
from rondine.server.api.shapes import ProblemLine
from rondine.server.connecting.checking import check_connection, check_in_worker
from rondine.server.connecting.environments import (
    change_environment,
    connection_obstacles,
    make_environment,
    missing_in,
    remove_environment,
)
from rondine.server.connecting.key_files import read_key_file
from rondine.server.connecting.kinds import CONNECTIONS, CREDENTIALS, SERVICES, STANDING_VALUES
from rondine.server.connecting.models import Connection, Credential
from rondine.server.connecting.opening import environment_of, guard_of, line_of
from rondine.server.connecting.process import parts
from rondine.server.connecting.secrets import drop_second, permit_origin, set_secrets
from rondine.server.connecting.serializers import (
    ConnectionSerializer,
    CredentialSerializer,
    ServiceSerializer,
    StandingValueSerializer,
)
from rondine.server.connecting.signing_in import (
    begin_sign_in,
    callback_address,
    callback_path,
    discard_token,
    proof_address,
    token_states,
)
from rondine.server.connecting.usage import decide_wait, usage_of
from rondine.server.items.actions import find_item, users_of
from rondine.server.items.views import ItemFilter, ItemViewSet, MakesItems
from rondine.server.runs.models import Call, Run
from rondine.server.threads import release_database


class ServiceViewSet(MakesItems, ItemViewSet):
    kind = SERVICES
    serializer_class = ServiceSerializer


class CredentialFilter(ItemFilter):
    environment = CharFilter("environment__name", help_text="those of this environment, by its name")


class CredentialViewSet(MakesItems, ItemViewSet):
    kind = CREDENTIALS
    serializer_class = CredentialSerializer
    filterset_class = CredentialFilter
    permissions = {**ItemViewSet.permissions, **dict.fromkeys(("create", "partial_update", "destroy"), "write_secret")}

    def prepare(self, items: Sequence[Credential]) -> None:
        for one in items:
            one.has_second = bool(one.second_sealed)  # type: ignore[attr-defined]


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
            document: ConnectionDocument = load(ConnectionDocument, item.document)
            own = document.own_sign_ins
            item.warnings = [one.to_json() for one in connection_warnings(document)]
            item.secret_names = document.secret_names()
            item.own_secret_names = {one.operation: one.sign_in.secret_names() for one in own}
            item.secret_origins = document.secret_origins(document.sign_in)
            item.own_secret_origins = {one.operation: document.secret_origins(one.sign_in) for one in own}
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


class EnvironmentLine(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField()
    description = serializers.CharField()
    is_protected = serializers.BooleanField()
    connections = serializers.IntegerField()
    missing = ProblemLine(many=True)
    callback_path = serializers.CharField()
    callback = serializers.CharField(help_text="the address that was chosen; blank for the usual one")
    callback_proven_at = serializers.DateTimeField(
        allow_null=True, help_text="when a browser last got through by the callback address"
    )


class NewEnvironment(Strict):
    name = serializers.CharField(max_length=63)
    title = serializers.CharField(required=False, allow_blank=True, max_length=200)
    description = serializers.CharField(required=False, allow_blank=True, max_length=2000)
    is_protected = serializers.BooleanField(required=False)


class ChangedEnvironment(Strict):
    title = serializers.CharField(required=False, allow_blank=True, max_length=200)
    description = serializers.CharField(required=False, allow_blank=True, max_length=2000)
    is_protected = serializers.BooleanField(required=False)
    callback = serializers.CharField(
        required=False,
        allow_blank=True,
        max_length=500,
        help_text="where services send people back to after their consent; blank for the usual address",
    )


def _environment(one: Any) -> dict[str, Any]:
    return {
        "name": one.name,
        "title": one.title,
        "description": one.description,
        "is_protected": one.is_protected,
        "connections": one.connections.count(),
        "missing": [problem.to_json() for problem in missing_in(one)],
        "callback_path": callback_path(one.project.name, one.name),
        "callback": one.callback,
        "callback_proven_at": one.callback_proven_at,
    }


class EnvironmentsView(ProjectView):
    """The project's environments, each with what is missing in it."""

    permissions = {"GET": "view", "POST": "build"}

    @extend_schema(operation_id="listEnvironments", responses=EnvironmentLine(many=True))
    def get(self, request: Request, project: str) -> Response:
        rows = self.project.environments.select_related("project").order_by("name")
        return Response([_environment(one) for one in rows])

    @extend_schema(operation_id="makeEnvironment", request=NewEnvironment, responses={201: EnvironmentLine})
    def post(self, request: Request, project: str) -> Response:
        made = make_environment(self.project, self.validated(NewEnvironment, request), self.role)
        return Response(_environment(made), status=201)


class EnvironmentView(ProjectView):
    permissions = {"GET": "view", "PATCH": "build", "DELETE": "build"}

    @extend_schema(operation_id="getEnvironment", responses=EnvironmentLine)
    def get(self, request: Request, project: str, name: str) -> Response:
        return Response(_environment(environment_of(self.project, name)))

    @extend_schema(operation_id="changeEnvironment", request=ChangedEnvironment, responses=EnvironmentLine)
    def patch(self, request: Request, project: str, name: str) -> Response:
        given = self.validated(ChangedEnvironment, request)
        return Response(_environment(change_environment(self.project, name, given, self.role)))

    @extend_schema(operation_id="removeEnvironment", request=None, responses={204: None})
    def delete(self, request: Request, project: str, name: str) -> Response:
        remove_environment(self.project, name, self.role)
        return Response(status=204)


class ProofShown(serializers.Serializer[Any]):
    address = serializers.CharField(help_text="to be opened in the browser within ten minutes")


class CallbackProofView(ProjectView):
    """Begins the proof that an environment's callback address leads here."""

    permissions = {"POST": "build"}

    @extend_schema(operation_id="proveCallback", request=None, responses={201: ProofShown})
    def post(self, request: Request, project: str, name: str) -> Response:
        base = request.build_absolute_uri("/").rstrip("/")
        return Response({"address": proof_address(environment_of(self.project, name), base)}, status=201)


# --- secrets


class KeyFileGiven(Strict):
    """A file with a private key: PEM, or PKCS#12. passphrase: what it is locked with; it is not kept."""

    base64 = serializers.CharField(max_length=200_000)
    passphrase = serializers.CharField(
        required=False, allow_blank=True, default="", max_length=1000, trim_whitespace=False
    )


class Secrets(Strict):
    secrets = serializers.DictField(
        child=serializers.CharField(max_length=20_000, trim_whitespace=False),
        required=False,
        default=dict,
        help_text="by the names the sign-in scheme uses, such as key",
    )
    key_files = serializers.DictField(
        child=KeyFileGiven(),
        required=False,
        default=dict,
        help_text="private keys in files, by the names of secrets, such as tls_private_key",
    )
    is_second = serializers.BooleanField(
        required=False,
        default=False,
        help_text="a second set, tried where the first is refused, while both may be valid",
    )
    origins = serializers.ListField(
        child=serializers.CharField(max_length=2000),
        required=False,
        default=list,
        help_text="further addresses that they are entered for, besides those they belong to",
    )


class SecretsSet(serializers.Serializer[Any]):
    name = serializers.CharField()
    names = serializers.ListField(child=serializers.CharField())
    has_second = serializers.BooleanField()
    origins = serializers.ListField(child=serializers.CharField(), help_text="where they may be sent")
    certificates = serializers.DictField(
        child=serializers.CharField(),
        help_text="in PEM, that were in the files of keys just given; they are not kept here",
    )
    version = serializers.IntegerField()


def _set(made: Credential, certificates: dict[str, str] | None = None) -> dict[str, Any]:
    return {
        "certificates": certificates or {},
        "name": made.name,
        "names": made.names,
        "has_second": bool(made.second_sealed),
        "origins": made.origins,
        "version": made.version,
    }


class SecretsView(ProjectView):
    """A credential's secrets: they are written here and read nowhere."""

    permissions = {"PUT": "replace_secret"}

    @extend_schema(operation_id="setSecrets", request=Secrets, responses=SecretsSet)
    def put(self, request: Request, project: str, name: str) -> Response:
        given = self.validated(Secrets, request)
        files = {
            key: read_key_file(one["base64"], one["passphrase"], f"/key_files/{key}")
            for key, one in given["key_files"].items()
        }
        made = set_secrets(
            self.project,
            self.person,
            name,
            {**given["secrets"], **{key: one.key for key, one in files.items()}},
            self.role,
            is_second=given["is_second"],
            origins=given["origins"],
        )
        return Response(_set(made, {key: one.certificates for key, one in files.items() if one.certificates}))


class OriginGiven(Strict):
    origin = serializers.CharField(max_length=2000, help_text="an address; its scheme, host and port count")


class CredentialOriginsView(ProjectView):
    """Where a credential's secrets may be sent, besides where they were entered for."""

    permissions = {"POST": "administer"}

    @extend_schema(operation_id="permitOrigin", request=OriginGiven, responses={201: SecretsSet})
    def post(self, request: Request, project: str, name: str) -> Response:
        given = self.validated(OriginGiven, request)
        return Response(_set(permit_origin(self.project, name, given["origin"], self.role)), status=201)


class SecondSecretsView(ProjectView):
    """The second set of secrets, valid in turn with the first."""

    permissions = {"DELETE": "replace_secret"}

    @extend_schema(operation_id="dropSecondSecrets", request=None, responses=SecretsSet)
    def delete(self, request: Request, project: str, name: str) -> Response:
        return Response(_set(drop_second(self.project, name, self.role)))


# --- check


class CheckStep(serializers.Serializer[Any]):
    step = serializers.CharField()
    is_good = serializers.BooleanField()
    words = serializers.CharField()
    hint = serializers.CharField()
    ms = serializers.FloatField(allow_null=True)


class CheckResult(serializers.Serializer[Any]):
    works = serializers.BooleanField()
    steps = CheckStep(many=True)
    at = serializers.DateTimeField()
    by = serializers.CharField()
    by_worker = serializers.BooleanField()


class CheckAsked(Strict):
    where = serializers.ChoiceField(["web", "worker"], required=False, default="web")


class CheckView(WaitingView):
    """Whether a connection works, from where the service runs: from this web process, or from a worker."""

    permissions = {"POST": "try"}

    @extend_schema(operation_id="checkConnection", request=CheckAsked, responses=CheckResult)
    async def post(self, request: Request, project: str, name: str) -> Response:
        given = await sync_to_async(self.validated)(CheckAsked, request)
        if given["where"] == "worker":
            return Response(await check_in_worker(self.project, name))
        return Response(await check_connection(self.project, name, parts()[0]))


# --- limits


class MeterLine(serializers.Serializer[Any]):
    words = serializers.CharField()
    calls = serializers.IntegerField()
    used = serializers.IntegerField()
    left = serializers.IntegerField()
    refills_at = serializers.FloatField(allow_null=True, help_text="seconds since 1970")


class OperationCalls(serializers.Serializer[Any]):
    operation = serializers.CharField()
    title = serializers.CharField(allow_blank=True)
    calls = serializers.IntegerField()
    last_at = serializers.DateTimeField()


class MeterShown(serializers.Serializer[Any]):
    limits = MeterLine(many=True)
    operations = OperationCalls(many=True, help_text="which operations made the calls of the last 24 hours, up to 20")
    parallel = serializers.IntegerField(allow_null=True)
    under_way = serializers.IntegerField()
    held_until = serializers.FloatField(allow_null=True)
    held_why = serializers.CharField()
    asked_until = serializers.FloatField(
        allow_null=True, help_text="as long as the service asked to wait, if that is longer"
    )
    said = AnyField(allow_null=True)
    now = serializers.FloatField()


def meter_of(connection: Connection) -> dict[str, Any]:
    document: ConnectionDocument = load(ConnectionDocument, connection.document)
    usage, now = usage_of(connection.pk)
    return {
        "limits": [
            {
                "words": one.limit.words,
                "calls": one.limit.calls,
                "used": one.used,
                "left": one.left,
                "refills_at": one.refills_at,
            }
            for one in meter(document.limits, usage, now=now)
        ],
        "operations": calls_by_operation(connection),
        "parallel": document.parallel,
        "under_way": sum(until > now for until in usage.holders.values()),
        "held_until": usage.held_until if usage.held_until > now else None,
        "held_why": usage.held_why if usage.held_until > now else "",
        "asked_until": usage.asked_until if usage.asked_until > max(now, usage.held_until) else None,
        "said": dict(usage.said) or None,
        "now": now,
    }


def calls_by_operation(connection: Connection) -> list[dict[str, Any]]:
    """Which operations of a connection's service made how many calls in the last 24 hours, the busiest first: many may share one address."""
    since = timezone.now() - timedelta(hours=24)
    runs = Run.objects.filter(
        project=connection.project_id, environment=connection.environment_id, queued_at__gte=since
    )
    found = (
        Call.objects.filter(run__in=runs, purpose="")
        .annotate(by_operation=Coalesce("run__operation", "run__feed__operation"))
        .values("by_operation")
        .annotate(calls=Count("id"), last_at=Max("at"))
    )
    counted = {one["by_operation"]: one for one in found}
    operations = connection.service.operations.filter(pk__in=[one for one in counted if one])
    lines = [
        {
            "operation": one.name,
            "title": one.title,
            "calls": counted[one.pk]["calls"],
            "last_at": counted[one.pk]["last_at"],
        }
        for one in operations
    ]
    return sorted(lines, key=lambda one: (-one["calls"], one["operation"]))[:20]


class MeterView(ProjectView):
    """How much of its limits a connection has used, what is left, and when it refills."""

    @extend_schema(operation_id="getMeter", responses=MeterShown)
    def get(self, request: Request, project: str, name: str) -> Response:
        return Response(meter_of(find_item(CONNECTIONS, self.project, name)))


class WaitDecided(Strict):
    believe = serializers.BooleanField(
        help_text="true: the wait that the service asked for counts whole; false: it is lifted, and calls go out again"
    )


class WaitView(ProjectView):
    """What becomes of a wait that a service asked for: an hour of it is believed without a person's word."""

    permissions = {"PUT": "run"}

    @extend_schema(operation_id="decideWait", request=WaitDecided, responses=MeterShown)
    def put(self, request: Request, project: str, name: str) -> Response:
        connection = find_item(CONNECTIONS, self.project, name)
        decide_wait(connection.pk, is_believed=self.validated(WaitDecided, request)["believe"])
        return Response(meter_of(connection))


# --- sign-in


class TokenState(serializers.Serializer[Any]):
    operation = serializers.CharField(allow_blank=True)
    state = serializers.ChoiceField(["none", "valid", "refused", "sign_in_again"])
    words = serializers.CharField()
    obtained_at = serializers.DateTimeField(allow_null=True)
    expires_at = serializers.DateTimeField(allow_null=True)
    renewed = serializers.IntegerField()
    can_renew = serializers.BooleanField()
    scope = serializers.CharField(allow_blank=True)
    refused_at = serializers.DateTimeField(allow_null=True)
    refusal = AnyField(allow_null=True)
    signed_in_by = serializers.CharField(allow_null=True)


class SignInShown(serializers.Serializer[Any]):
    tokens = TokenState(many=True)
    callback = serializers.CharField()
    obstacles = ProblemLine(many=True)


class BeginSignIn(Strict):
    operation = serializers.CharField(required=False, default="", allow_blank=True)


class ConsentAddress(serializers.Serializer[Any]):
    address = serializers.CharField()
    callback = serializers.CharField()


class WhichToken(Strict):
    operation = serializers.CharField(
        required=False, allow_blank=True, default="", help_text="of its own sign-in; empty for the connection's"
    )


class SignInView(ProjectView):
    """The life of a connection's token: seen, begun with a person's consent, and discarded. The token itself is shown nowhere."""

    permissions = {"GET": "view", "POST": "write_secret", "DELETE": "replace_secret"}
    query = {"DELETE": WhichToken}

    @extend_schema(operation_id="getSignIn", responses=SignInShown)
    def get(self, request: Request, project: str, name: str) -> Response:
        connection = find_item(CONNECTIONS, self.project, name)
        callback = callback_address(connection.environment, request.build_absolute_uri("/").rstrip("/"))
        reasons = [one.to_json() for one in connection_obstacles(connection)]
        return Response({"tokens": token_states(connection), "callback": callback, "obstacles": reasons})

    @extend_schema(operation_id="beginSignIn", request=BeginSignIn, responses={201: ConsentAddress})
    def post(self, request: Request, project: str, name: str) -> Response:
        given = self.validated(BeginSignIn, request)
        base = request.build_absolute_uri("/").rstrip("/")
        address = begin_sign_in(self.project, name, given["operation"], self.person, self.role, base=base)
        connection = find_item(CONNECTIONS, self.project, name)
        callback = callback_address(connection.environment, base)
        return Response({"address": address, "callback": callback}, status=201)

    @extend_schema(
        operation_id="discardToken",
        request=None,
        responses={204: None},
    )
    def delete(self, request: Request, project: str, name: str) -> Response:
        discard_token(self.project, name, self.queried(request)["operation"], self.role)
        return Response(status=204)


class Issuer(Strict):
    issuer = serializers.CharField(max_length=2000)


class MetadataFound(serializers.Serializer[Any]):
    issuer = serializers.CharField()
    token_address = serializers.CharField()
    authorization_address = serializers.CharField()
    client_authentication = serializers.ListField(child=serializers.CharField())
    scopes = serializers.ListField(child=serializers.CharField())
    grants = serializers.ListField(child=serializers.CharField())
    has_pkce = serializers.BooleanField()


class MetadataView(WaitingView):
    """The OAuth addresses that a service itself names (RFC 8414, OpenID). Its host must be permitted."""

    permissions = {"POST": "try"}

    @extend_schema(operation_id="findAddresses", request=Issuer, responses=MetadataFound)
    async def post(self, request: Request, project: str) -> Response:
        given = await sync_to_async(self.validated)(Issuer, request)
        guard = await sync_to_async(guard_of)(self.project.pk)
        line = Line(f"metadata {self.project.pk}", 0, "", NoSignIn(), guard)
        await release_database()
        found = await parts()[0].sign_in_once(line, lambda _: discover(given["issuer"]))
        return Response(
            {
                "issuer": found.issuer,
                "token_address": found.token_address,
                "authorization_address": found.authorization_address,
                "client_authentication": list(found.client_authentication),
                "scopes": list(found.scopes),
                "grants": list(found.grants),
                "has_pkce": found.has_pkce,
            }
        )


# --- forms


class ConnectionForms(serializers.Serializer[Any]):
    sign_in = FormShown(many=True)
    time_outs = FormShown()
    tls = FormShown()
    proxy = FormShown()


class ConnectionFormsView(ProjectView):
    """The forms of a connection's parts, drawn from the settings' own classes."""

    @extend_schema(operation_id="getConnectionForms", responses=ConnectionForms)
    def get(self, request: Request, project: str) -> Response:
        parts_of_it = {"time_outs": TimeOutSettings, "tls": TlsSettings, "proxy": ProxySettings}
        forms = {name: asdict(form_of(kind)) for name, kind in parts_of_it.items()}
        return Response({"sign_in": [asdict(form_of(kind)) for kind in get_args(SignIn)], **forms})


# --- what goes with every request


class EffectiveLine(serializers.Serializer[Any]):
    place = serializers.CharField()
    name = serializers.CharField()
    value = serializers.CharField()
    source = serializers.CharField()


class EffectiveView(ProjectView):
    """What goes with every request of a connection, each with its origin; secrets by their names."""

    @extend_schema(operation_id="getEffective", responses=EffectiveLine(many=True))
    def get(self, request: Request, project: str, name: str) -> Response:
        line = line_of(find_item(CONNECTIONS, self.project, name))
        found = [("header", key, value, "connection") for key, value in line.headers]
        if not any(key.lower() == "accept" for key, _ in line.headers):
            found.append(("header", "Accept", ACCEPT, "Rondine"))
        found += [("query", key, value, "connection") for key, value in line.query]
        kind = dump(line.sign_in)["type"]
        if kind != "none":
            place = getattr(line.sign_in, "place", getattr(line.sign_in, "carried_in", "header"))
            shown = getattr(line.sign_in, "name", "Authorization") if kind != "client_certificate" else "TLS"
            found.append((place, shown, "•••••••", f"sign-in: {kind.replace('_', ' ')}"))
        return Response([dict(zip(("place", "name", "value", "source"), one, strict=True)) for one in found])


# --- preparation
