"""People, projects and who belongs to which: for administrators of the installation, and of a project."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import generics
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from rondine.server.access import serializers as shapes
from rondine.server.access.actions import (
    change_person,
    find_person,
    make_person,
    make_project,
    remove_member,
    remove_project,
    set_member,
    set_password,
)
from rondine.server.access.authority import authorize
from rondine.server.access.models import ApiToken, Person, Project
from rondine.server.access.permissions import IsAdministrator, IsSignedIn, signed_in
from rondine.server.access.project_views import ProjectView
from rondine.server.access.views import revoke
from rondine.server.api.parameters import KnownParameters
from rondine.server.api.requests import checked


class PeopleView(KnownParameters, generics.ListAPIView[Person]):
    """Everybody who can sign in to this installation, or could."""

    permission_classes = [IsAdministrator]
    serializer_class = shapes.PersonSerializer
    queryset = Person.objects.prefetch_related("memberships__project", "tokens").order_by("name")

    @extend_schema(operation_id="listPeople")
    def get(self, request: Request) -> Response:
        return self.list(request)

    @extend_schema(
        operation_id="makePerson", request=shapes.NewPersonSerializer, responses={201: shapes.MadePersonSerializer}
    )
    def post(self, request: Request) -> Response:
        asked = checked(shapes.NewPersonSerializer, request)
        person, password = make_person(
            asked["name"],
            asked.get("password"),
            title=asked.get("title", ""),
            is_administrator=asked.get("is_administrator", False),
        )
        person.made_password = None if "password" in asked else password  # type: ignore[attr-defined]
        return Response(shapes.MadePersonSerializer(person).data, status=201)


class PersonView(KnownParameters, APIView):
    permission_classes = [IsAdministrator]

    @extend_schema(operation_id="getPerson", responses=shapes.PersonSerializer)
    def get(self, request: Request, name: str) -> Response:
        return Response(shapes.PersonSerializer(find_person(name)).data)

    @extend_schema(
        operation_id="changePerson", request=shapes.PersonChangeSerializer, responses=shapes.PersonSerializer
    )
    def patch(self, request: Request, name: str) -> Response:
        asked = checked(shapes.PersonChangeSerializer, request)
        return Response(shapes.PersonSerializer(change_person(find_person(name), **asked)).data)


class PersonPasswordView(KnownParameters, APIView):
    """Sets somebody's password, and ends their sessions and tokens."""

    permission_classes = [IsAdministrator]

    @extend_schema(
        operation_id="resetPassword", request=shapes.ResetPasswordSerializer, responses=shapes.MadePasswordSerializer
    )
    def put(self, request: Request, name: str) -> Response:
        asked = checked(shapes.ResetPasswordSerializer, request)
        password = set_password(find_person(name), asked.get("password"))
        made = {"made_password": None if "password" in asked else password}
        return Response(shapes.MadePasswordSerializer(made).data)


class PersonTokensView(KnownParameters, generics.ListAPIView[ApiToken]):
    permission_classes = [IsAdministrator]
    serializer_class = shapes.TokenSerializer

    def get_queryset(self) -> Any:
        return find_person(self.kwargs["name"]).tokens.order_by("-made_at", "-pk")

    @extend_schema(operation_id="listTokensOfPerson")
    def get(self, request: Request, name: str) -> Response:
        return self.list(request)


class PersonTokenView(KnownParameters, APIView):
    permission_classes = [IsAdministrator]

    @extend_schema(operation_id="revokeTokenOfPerson", request=None, responses={204: None})
    def delete(self, request: Request, name: str, token_id: int) -> Response:
        return revoke(find_person(name), token_id)


class ProjectsView(KnownParameters, generics.ListAPIView[Project]):
    """The projects that one belongs to; all of them for an administrator of the installation."""

    permission_classes = [IsSignedIn]
    serializer_class = shapes.ProjectSerializer

    def get_queryset(self) -> Any:
        person = signed_in(self.request)
        found = Project.objects.prefetch_related("memberships").order_by("name")
        return found if person.is_administrator else found.filter(memberships__person=person)

    @extend_schema(operation_id="listProjects")
    def get(self, request: Request) -> Response:
        return self.list(request)

    @extend_schema(
        operation_id="makeProject", request=shapes.NewProjectSerializer, responses={201: shapes.ProjectSerializer}
    )
    def post(self, request: Request) -> Response:
        """Whoever makes a project is its first administrator."""
        IsAdministrator().has_permission(request, self)
        asked = checked(shapes.NewProjectSerializer, request)
        project = make_project(asked["name"], title=asked.get("title", ""), administrator=signed_in(request))
        return Response(shapes.ProjectSerializer(project).data, status=201)


class OneProjectView(ProjectView):
    permissions = {"GET": "view", "PATCH": "administer", "DELETE": "administer"}

    @extend_schema(operation_id="getProject", responses=shapes.ProjectSerializer)
    def get(self, request: Request, project: str) -> Response:
        return Response(shapes.ProjectSerializer(self.project).data)

    @extend_schema(
        operation_id="changeProject", request=shapes.ProjectChangeSerializer, responses=shapes.ProjectSerializer
    )
    def patch(self, request: Request, project: str) -> Response:
        self.project.title = self.validated(shapes.ProjectChangeSerializer, request)["title"]
        self.project.save(update_fields=["title"])
        return Response(shapes.ProjectSerializer(self.project).data)

    @extend_schema(operation_id="removeProject", request=None, responses={204: None})
    def delete(self, request: Request, project: str) -> Response:
        """Only an empty one."""
        remove_project(self.project)
        return Response(status=204)


class _MembersView(KnownParameters, APIView):
    """For administrators of the project, and of the installation, who can so make themselves a member."""

    project: Project

    def initial(self, request: Request, *args: Any, **kwargs: Any) -> None:
        super().initial(request, *args, **kwargs)
        project = Project.objects.filter(name=kwargs["project"]).first()
        if project is not None and isinstance(request.user, Person) and request.user.is_administrator:
            self.project = project
        else:
            self.project, _ = authorize(request.user, kwargs["project"], "administer")


class MembersView(_MembersView):
    @extend_schema(operation_id="listMembers", responses=shapes.ProjectMemberSerializer(many=True))
    def get(self, request: Request, project: str) -> Response:
        members = self.project.memberships.select_related("person").order_by("person__name")
        return Response(shapes.ProjectMemberSerializer(members, many=True).data)


class MemberView(_MembersView):
    @extend_schema(operation_id="setMember", request=shapes.NewRoleSerializer, responses=shapes.ProjectMemberSerializer)
    def put(self, request: Request, project: str, person: str) -> Response:
        asked = checked(shapes.NewRoleSerializer, request)
        return Response(
            shapes.ProjectMemberSerializer(set_member(self.project, find_person(person), asked["role"])).data
        )

    @extend_schema(operation_id="removeMember", request=None, responses={204: None})
    def delete(self, request: Request, project: str, person: str) -> Response:
        remove_member(self.project, find_person(person))
        return Response(status=204)
