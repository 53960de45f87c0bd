"""Signing in and out, one's own tokens and password, and the hosts that a project may reach."""

from datetime import timedelta
from typing import Any

from django.contrib.auth import login, logout, update_session_auth_hash
from django.middleware.csrf import get_token
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import generics
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from rondine.core.errors import Conflict, InputError, NotFound, SignInNeeded
from rondine.server.access import serializers as shapes
from rondine.server.access.actions import set_password
from rondine.server.access.authentication import TOKEN_DAYS, check_password, make_token
from rondine.server.access.models import ApiToken, PermittedHost, Person
from rondine.server.access.permissions import IsSignedIn
from rondine.server.access.project_views import ProjectView
from rondine.server.api.parameters import KnownParameters
from rondine.server.api.requests import checked


def _signed_in(request: Request) -> Person:
    """Who asks, in a view that only those signed in may use."""
    assert isinstance(request.user, Person)
    return request.user


def _address(request: Request) -> str:
    return str(request.META.get("REMOTE_ADDR") or "")


def session_of(person: Person, request: Request) -> Response:
    memberships = (
        person.memberships.select_related("project")
        .prefetch_related("project__environments", "project__memberships__person")
        .order_by("project__name")
    )
    shown = {
        "name": person.name,
        "title": person.title,
        "is_administrator": person.is_administrator,
        "projects": memberships,
        "csrf_token": get_token(request._request),
    }
    return Response(shapes.SessionSerializer(shown).data)


class SessionView(KnownParameters, APIView):
    """Who is signed in; signing in and out with a session cookie, for the console."""

    @extend_schema(operation_id="getSession", responses=shapes.SessionSerializer)
    def get(self, request: Request) -> Response:
        if not isinstance(request.user, Person):
            raise SignInNeeded("nobody is signed in", where="session", hint="sign in with a name and a password")
        return session_of(request.user, request)

    @extend_schema(operation_id="signIn", request=shapes.SignInSerializer, responses=shapes.SessionSerializer)
    def post(self, request: Request) -> Response:
        asked = checked(shapes.SignInSerializer, request)
        person = check_password(asked["name"], asked["password"], _address(request))
        login(request._request, person, backend="django.contrib.auth.backends.ModelBackend")
        return session_of(person, request)

    @extend_schema(operation_id="signOut", request=None, responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=204)


class PasswordView(KnownParameters, APIView):
    """One's own password; a new one ends one's other sessions and all tokens but the one that asks."""

    permission_classes = [IsSignedIn]

    @extend_schema(operation_id="changePassword", request=shapes.NewPasswordSerializer, responses={204: None})
    def put(self, request: Request) -> Response:
        asked = checked(shapes.NewPasswordSerializer, request)
        person = check_password(_signed_in(request).name, asked["password"], _address(request))
        set_password(person, asked["new_password"], keep=request.auth if isinstance(request.auth, ApiToken) else None)
        update_session_auth_hash(request._request, person)
        return Response(status=204)


class TokenView(KnownParameters, APIView):
    """A token for programs, in exchange for name and password; and its end."""

    def get_authenticators(self) -> Any:
        """Who gives a password is not asked for a token too, let alone for one that has ended."""
        return [] if self.request is not None and self.request.method == "POST" else super().get_authenticators()

    @extend_schema(
        operation_id="makeToken", request=shapes.NewTokenSerializer, responses={201: shapes.MadeTokenSerializer}
    )
    def post(self, request: Request) -> Response:
        asked = checked(shapes.NewTokenSerializer, request)
        person = check_password(asked["name"], asked["password"], _address(request))
        return _made(*make_token(person, asked["title"], asked.get("days", TOKEN_DAYS)))

    @extend_schema(operation_id="removeToken", request=None, responses={204: None})
    def delete(self, request: Request) -> Response:
        if not isinstance(request.auth, ApiToken):
            raise SignInNeeded(
                "the request carries no token", where="Authorization header", hint="send the token that is to end"
            )
        request.auth.delete()
        return Response(status=204)


def _made(token: str, kept: ApiToken) -> Response:
    kept.token = token  # type: ignore[attr-defined]
    return Response(shapes.MadeTokenSerializer(kept).data, status=201)


class OwnTokensView(KnownParameters, generics.ListAPIView[ApiToken]):
    """The tokens that act as whoever asks. Another one can be made without the password; with a token, none that
    outlasts it."""

    permission_classes = [IsSignedIn]
    serializer_class = shapes.TokenSerializer

    def get_queryset(self) -> Any:
        return _signed_in(self.request).tokens.order_by("-made_at", "-pk")

    @extend_schema(operation_id="listTokens")
    def get(self, request: Request) -> Response:
        return self.list(request)

    @extend_schema(
        operation_id="makeAnotherToken", request=shapes.LifeSerializer, responses={201: shapes.MadeTokenSerializer}
    )
    def post(self, request: Request) -> Response:
        asked = checked(shapes.LifeSerializer, request)
        return _made(*make_token(_signed_in(request), asked["title"], _days(request, asked)))


def _days(request: Request, asked: dict[str, Any]) -> int | None:
    days: int | None = asked.get("days", TOKEN_DAYS)
    end = request.auth.expires_at if isinstance(request.auth, ApiToken) else None
    if end is None:
        return days
    left = max(1, (end - timezone.now()) // timedelta(days=1))
    if "days" not in asked:
        return min(TOKEN_DAYS, left)
    if days is None or days > left:
        raise InputError(
            f"a token that is made with a token cannot outlast it; that one has {left} more days",
            where="/days",
            hint="ask for fewer days, or make it in the console, signed in with your password",
        )
    return days


class OwnTokenView(KnownParameters, APIView):
    permission_classes = [IsSignedIn]

    @extend_schema(operation_id="revokeToken", request=None, responses={204: None})
    def delete(self, request: Request, token_id: int) -> Response:
        return revoke(_signed_in(request), token_id)


def revoke(person: Person, token_id: int) -> Response:
    """Ends one token of the person. Raises NotFound."""
    if not person.tokens.filter(pk=token_id).delete()[0]:
        raise NotFound(
            f"{person.name} has no token {token_id}", where="tokens", hint="see what there is: rondine token list"
        )
    return Response(status=204)


class HostsView(ProjectView):
    """The hosts that the project may reach. To permit one again says anew whether private addresses are meant."""

    permissions = {"GET": "view", "POST": "administer"}

    @extend_schema(operation_id="listHosts", responses=shapes.HostSerializer(many=True))
    def get(self, request: Request, project: str) -> Response:
        hosts = self.project.permitted_hosts.order_by("host", "port")
        return Response(shapes.HostSerializer(hosts, many=True).data)

    @extend_schema(operation_id="permitHost", request=shapes.NewHostSerializer, responses={201: shapes.HostSerializer})
    def post(self, request: Request, project: str) -> Response:
        asked = self.validated(shapes.NewHostSerializer, request)
        host = asked["host"].strip().lower().strip("[]").rstrip(".")
        if not host or "/" in host or "@" in host or " " in host or "*" in host:
            raise InputError(
                f'"{asked["host"]}" is not a host',
                where="/host",
                hint="give the name or address alone, without scheme, port or path",
            )
        permitted_host, is_new = PermittedHost.objects.get_or_create(
            project=self.project, host=host, port=asked.get("port"), defaults={"is_private": asked["is_private"]}
        )
        if not is_new and permitted_host.is_private == asked["is_private"]:
            raise Conflict(f"{host} is permitted already", where="/host", hint="there is nothing to change")
        if not is_new:
            permitted_host.is_private = asked["is_private"]
            permitted_host.save(update_fields=["is_private"])
        return Response(shapes.HostSerializer(permitted_host).data, status=201)


class HostView(ProjectView):
    permissions = {"DELETE": "administer"}

    @extend_schema(operation_id="removeHost", request=None, responses={204: None})
    def delete(self, request: Request, project: str, host_id: int) -> Response:
        if not PermittedHost.objects.filter(project=self.project, pk=host_id).delete()[0]:
            raise NotFound(
                f"there is no permitted host {host_id}", where="hosts", hint="see what there is: rondine host list"
            )
        return Response(status=204)
