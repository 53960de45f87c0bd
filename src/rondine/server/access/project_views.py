"""What all views of a project share: who asks, in which project, with which permission; ordinary and waiting ones."""

from collections.abc import Sequence
from typing import Any, ClassVar

from asgiref.sync import sync_to_async
from django_filters.rest_framework import DjangoFilterBackend
from rest_framework import exceptions, serializers
from rest_framework.permissions import BasePermission
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework.viewsets import GenericViewSet

from rondine.server.access.authority import authorize
from rondine.server.access.models import Person, Project
from rondine.server.api.pagination import KeysetPagination
from rondine.server.api.parameters import KnownParameters
from rondine.server.api.requests import checked


class MayInProject(BasePermission):
    """By the view's `permissions`. Who is not a member of the project in the path is told that there is none."""

    def has_permission(self, request: Request, view: Any) -> bool:
        wanted = view.permissions.get(getattr(view, "action", request.method))
        if wanted is None:
            raise exceptions.MethodNotAllowed(str(request.method))
        view.project, view.role = authorize(request.user, view.kwargs["project"], wanted)
        view.person = request.user
        return True


class InProject(KnownParameters):
    """permissions: what is needed, by HTTP method, or by action in a view set."""

    permission_classes: Sequence[Any] = (MayInProject,)
    permissions: ClassVar[dict[str, str]] = {"GET": "view"}
    project: Project
    person: Person
    role: str

    def validated(self, serializer: type[serializers.Serializer[Any]], request: Request, **options: Any) -> Any:
        """The checked body. Raises a validation error for every wrong field."""
        return checked(serializer, request, **options)


class ProjectView(InProject, APIView):
    """A view of a project."""


class ProjectViewSet(InProject, GenericViewSet[Any]):
    """A set of views of one kind of thing; its lists are filtered and paged as declared."""

    pagination_class = KeysetPagination
    filter_backends = (DjangoFilterBackend,)
    filterset_class: ClassVar[Any] = None
    ordering: ClassVar[str] = "pk"

    def known_parameters(self, request: Request) -> set[str]:
        known = super().known_parameters(request)
        if self.action == "list":
            known |= {
                *KeysetPagination.parameters,
                *(self.filterset_class.base_filters if self.filterset_class else ()),
            }
        return known

    def page(self, queryset: Any) -> list[Any]:
        """The rows of the page that is asked for."""
        rows: list[Any] = self.paginate_queryset(self.filter_queryset(queryset))  # type: ignore[assignment]
        return rows


class WaitingView(ProjectView):
    """A view whose handlers are coroutines: it waits for outside services without holding a thread or a database
    connection."""

    async def dispatch(self, request: Any, *args: Any, **kwargs: Any) -> Any:  # type: ignore[override]
        self.args, self.kwargs = args, kwargs
        self.headers = self.default_response_headers
        asked = self.initialize_request(request, *args, **kwargs)
        self.request = asked
        try:
            await sync_to_async(self._begin)(asked, *args, **kwargs)
            handler = getattr(self, str(asked.method).lower(), None)
            response = (
                await handler(asked, *args, **kwargs)
                if handler
                else await sync_to_async(self.http_method_not_allowed)(asked)
            )
        except Exception as error:
            response = await sync_to_async(self.handle_exception)(error)
        self.response = self.finalize_response(asked, response, *args, **kwargs)
        return await sync_to_async(self._rendered)(self.response)

    def _begin(self, request: Request, *args: Any, **kwargs: Any) -> None:
        self.initial(request, *args, **kwargs)
        _ = request.data if request.method in ("POST", "PUT", "PATCH") else None

    @staticmethod
    def _rendered(response: Response) -> Response:
        return response.render() if hasattr(response, "render") else response
