"""Signing in and out, tokens, projects and their permitted hosts."""

from typing import Any

from django.contrib.auth import login, logout
from django.middleware.csrf import get_token
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from rondine.core.errors import Conflict, InputError, NotFound, SignInNeeded
from rondine.server.access.authentication import check_password, make_token
from rondine.server.access.authority import PERMISSIONS
from rondine.server.access.models import ApiToken, Membership, PermittedHost, Person
from rondine.server.api.views import ProjectView, Strict


class SignIn(Strict):
    name = serializers.CharField(max_length=63)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class NewToken(SignIn):
    title = serializers.CharField(max_length=200, required=False, default="command line")


class ProjectLine(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField()
    role = serializers.CharField()
    permissions = serializers.ListField(child=serializers.CharField())
    environments = serializers.ListField(child=serializers.CharField())


class Session(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField()
    projects = ProjectLine(many=True)
    csrf_token = serializers.CharField()


class Token(serializers.Serializer[Any]):
    token = serializers.CharField()


def shown_session(person: Person, request: Request) -> dict[str, Any]:
    memberships = (
        Membership.objects.filter(person=person)
        .select_related("project")
        .prefetch_related("project__environments")
        .order_by("project__name")
    )
    projects = [
        {
            "name": one.project.name,
            "title": one.project.title,
            "role": one.role,
            "permissions": sorted(PERMISSIONS[one.role]),
            "environments": sorted(e.name for e in one.project.environments.all()),
        }
        for one in memberships
    ]
    return {"name": person.name, "title": person.title, "projects": projects, "csrf_token": get_token(request._request)}


class SessionView(APIView):
    """Who is signed in; signing in and out with a session cookie, for the console."""

    @extend_schema(operation_id="getSession", responses=Session)
    def get(self, request: Request) -> Response:
        if not isinstance(request.user, Person):
            raise SignInNeeded("nobody is signed in", where="session", hint="sign in with a name and a password")
        return Response(shown_session(request.user, request))

    @extend_schema(operation_id="signIn", request=SignIn, responses=Session)
    def post(self, request: Request) -> Response:
        checked = SignIn(data=request.data)
        checked.is_valid(raise_exception=True)
        person = check_password(checked.validated_data["name"], checked.validated_data["password"])
        login(request._request, person, backend="django.contrib.auth.backends.ModelBackend")
        return Response(shown_session(person, request))

    @extend_schema(operation_id="signOut", request=None, responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=204)


class TokenView(APIView):
    """A token for programs, in exchange for name and password; and its end."""

    def get_authenticators(self) -> Any:
        """Who gives a password is not asked for a token too, let alone for one that has ended."""
        return [] if self.request is not None and self.request.method == "POST" else super().get_authenticators()

    @extend_schema(operation_id="makeToken", request=NewToken, responses={201: Token})
    def post(self, request: Request) -> Response:
        checked = NewToken(data=request.data)
        checked.is_valid(raise_exception=True)
        given = checked.validated_data
        return Response(
            {"token": make_token(check_password(given["name"], given["password"]), given["title"])}, status=201
        )

    @extend_schema(operation_id="removeToken", request=None, responses={204: None})
    def delete(self, request: Request) -> Response:
        if not isinstance(request.auth, ApiToken):
            raise SignInNeeded(
                "the request carries no token", where="Authorization header", hint="send the token that is to end"
            )
        request.auth.delete()
        return Response(status=204)


class HostLine(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    host = serializers.CharField()
    port = serializers.IntegerField(allow_null=True)
    is_private = serializers.BooleanField()


class NewHost(Strict):
    host = serializers.CharField(max_length=253)
    port = serializers.IntegerField(required=False, allow_null=True, min_value=1, max_value=65535)
    is_private = serializers.BooleanField(required=False, default=False)


class HostsView(ProjectView):
    """The hosts that the project may reach."""

    permissions = {"GET": "view", "POST": "administer"}

    @extend_schema(operation_id="listHosts", responses=HostLine(many=True))
    def get(self, request: Request, project: str) -> Response:
        return Response([HostLine(one).data for one in self.project.permitted_hosts.order_by("host", "port")])

    @extend_schema(operation_id="permitHost", request=NewHost, responses={201: HostLine})
    def post(self, request: Request, project: str) -> Response:
        given = self.given(NewHost, request)
        host = given["host"].strip().lower().strip("[]").rstrip(".")
        if not host or "/" in host or "@" in host or " " in host or "*" in host:
            raise InputError(
                f'"{given["host"]}" is not a host',
                where="/host",
                hint="give the name or address alone, without scheme, port or path",
            )
        made, is_new = PermittedHost.objects.get_or_create(
            project=self.project, host=host, port=given.get("port"), defaults={"is_private": given["is_private"]}
        )
        if not is_new:
            raise Conflict(f"{host} is permitted already", where="/host", hint="remove it first to change it")
        return Response(HostLine(made).data, status=201)


class HostView(ProjectView):
    permissions = {"DELETE": "administer"}

    @extend_schema(operation_id="removeHost", request=None, responses={204: None})
    def delete(self, request: Request, project: str, host_id: int) -> Response:
        if not PermittedHost.objects.filter(project=self.project, pk=host_id).delete()[0]:
            raise NotFound(
                f"there is no permitted host {host_id}", where="hosts", hint="see what there is: rondine host list"
            )
        return Response(status=204)
