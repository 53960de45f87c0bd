"""What belongs to one connection: its check, limits, sign-in, and what goes with every request."""

from dataclasses import asdict
from typing import get_args

from asgiref.sync import sync_to_async
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from rondine.core.forms import form_of, forms_of_parts
from rondine.core.items.connection import ConnectionDocument
from rondine.core.protocols.rest import ACCEPT
from rondine.core.settings import dump
from rondine.core.signin import NoSignIn, SignIn
from rondine.core.signin.metadata import discover
from rondine.engine.client import OpenConnection
from rondine.server.access.project_views import ProjectView, WaitingView
from rondine.server.connecting.checking import check_connection, check_in_worker
from rondine.server.connecting.environments import (
    connection_obstacles,
)
from rondine.server.connecting.kinds import CONNECTIONS
from rondine.server.connecting.metering import meter_of
from rondine.server.connecting.opening import guard_of, open_connection
from rondine.server.connecting.process import parts
from rondine.server.connecting.serializers import (
    BeginSignIn,
    CheckAsked,
    CheckResult,
    ConnectionForms,
    ConsentAddress,
    EffectiveParameter,
    Issuer,
    MetadataFound,
    MeterShown,
    SignInShown,
    WaitDecided,
    WhichToken,
)
from rondine.server.connecting.signing_in import (
    begin_sign_in,
    callback_address,
    discard_token,
    token_states,
)
from rondine.server.connecting.usage import decide_wait
from rondine.server.items.actions import find_item
from rondine.server.threads import release_database


class CheckView(WaitingView):
    """Whether a connection works, from where the service runs: from this web process, or from a worker."""

    permissions = {"POST": "try"}

    @extend_schema(operation_id="checkConnection", request=CheckAsked, responses=CheckResult)
    async def post(self, request: Request, project: str, name: str) -> Response:
        data = await sync_to_async(self.validated)(CheckAsked, request)
        if data["where"] == "worker":
            result = await check_in_worker(self.project, name)
        else:
            result = await check_connection(self.project, name, parts()[0])
        return Response(CheckResult(result).data)


class MeterView(ProjectView):
    """How much of its limits a connection has used, what is left, and when it refills."""

    @extend_schema(operation_id="getMeter", responses=MeterShown)
    def get(self, request: Request, project: str, name: str) -> Response:
        return Response(MeterShown(meter_of(find_item(CONNECTIONS, self.project, name))).data)


class WaitView(ProjectView):
    """What becomes of a wait that a service asked for: an hour of it is believed without a person's word."""

    permissions = {"PUT": "run"}

    @extend_schema(operation_id="decideWait", request=WaitDecided, responses=MeterShown)
    def put(self, request: Request, project: str, name: str) -> Response:
        connection = find_item(CONNECTIONS, self.project, name)
        decide_wait(connection.pk, is_believed=self.validated(WaitDecided, request)["believe"])
        return Response(MeterShown(meter_of(connection)).data)


class SignInView(ProjectView):
    """The life of a connection's token: seen, begun with a person's consent, and discarded. The token itself is shown
    nowhere."""

    permissions = {"GET": "view", "POST": "write_secret", "DELETE": "replace_secret"}
    query = {"DELETE": WhichToken}

    @extend_schema(operation_id="getSignIn", responses=SignInShown)
    def get(self, request: Request, project: str, name: str) -> Response:
        connection = find_item(CONNECTIONS, self.project, name)
        callback = callback_address(connection.environment, request.build_absolute_uri("/").rstrip("/"))
        shown = {
            "tokens": token_states(connection),
            "callback": callback,
            "obstacles": connection_obstacles(connection),
        }
        return Response(SignInShown(shown).data)

    @extend_schema(operation_id="beginSignIn", request=BeginSignIn, responses={201: ConsentAddress})
    def post(self, request: Request, project: str, name: str) -> Response:
        data = self.validated(BeginSignIn, request)
        base = request.build_absolute_uri("/").rstrip("/")
        address = begin_sign_in(self.project, name, data["operation"], self.person, self.role, base=base)
        connection = find_item(CONNECTIONS, self.project, name)
        callback = callback_address(connection.environment, base)
        return Response(ConsentAddress({"address": address, "callback": callback}).data, status=201)

    @extend_schema(
        operation_id="discardToken",
        request=None,
        responses={204: None},
    )
    def delete(self, request: Request, project: str, name: str) -> Response:
        discard_token(self.project, name, self.queried(request)["operation"], self.role)
        return Response(status=204)


class MetadataView(WaitingView):
    """The OAuth addresses that a service itself names (RFC 8414, OpenID). Its host must be permitted."""

    permissions = {"POST": "try"}

    @extend_schema(operation_id="findAddresses", request=Issuer, responses=MetadataFound)
    async def post(self, request: Request, project: str) -> Response:
        data = await sync_to_async(self.validated)(Issuer, request)
        guard = await sync_to_async(guard_of)(self.project.pk)
        opened = OpenConnection(f"metadata {self.project.pk}", 0, "", NoSignIn(), guard)
        await release_database()
        metadata = await parts()[0].sign_in_once(opened, lambda _: discover(data["issuer"]))
        return Response(MetadataFound(metadata).data)


class ConnectionFormsView(ProjectView):
    """The forms of a connection's parts, drawn from the settings' own classes."""

    @extend_schema(operation_id="getConnectionForms", responses=ConnectionForms)
    def get(self, request: Request, project: str) -> Response:
        parts = [{"name": name, **asdict(form)} for name, form in forms_of_parts(ConnectionDocument).items()]
        schemes = [form_of(kind) for kind in get_args(SignIn)]
        return Response(ConnectionForms({"sign_in": schemes, "parts": parts}).data)


class EffectiveView(ProjectView):
    """What goes with every request of a connection, each with its origin; secrets by their names."""

    @extend_schema(operation_id="getEffective", responses=EffectiveParameter(many=True))
    def get(self, request: Request, project: str, name: str) -> Response:
        opened = open_connection(find_item(CONNECTIONS, self.project, name))
        found = [("header", key, value, "connection") for key, value in opened.headers]
        if not any(key.lower() == "accept" for key, _ in opened.headers):
            found.append(("header", "Accept", ACCEPT, "Rondine"))
        found += [("query", key, value, "connection") for key, value in opened.query]
        kind = dump(opened.sign_in)["type"]
        if kind != "none":
            place = getattr(opened.sign_in, "carrier", "header")
            shown = getattr(opened.sign_in, "name", "Authorization") if kind != "client_certificate" else "TLS"
            found.append((place, shown, "•••••••", f"sign-in: {kind.replace('_', ' ')}"))
        names = ("place", "name", "value", "source")
        return Response(EffectiveParameter([dict(zip(names, one, strict=True)) for one in found], many=True).data)
