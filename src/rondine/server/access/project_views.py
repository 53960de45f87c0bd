"""What all views of a project share: who asks, in which project, with which permission; ordinary and waiting ones."""

from typing import Any, ClassVar

from asgiref.sync import sync_to_async
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from rondine.server.access.authority import authorize
from rondine.server.access.models import Person, Project
from rondine.server.api.requests import checked


class ProjectView(APIView):
    """permissions: by HTTP method. The project is in the path; who is not its member is told that there is none."""

    permissions: ClassVar[dict[str, str]] = {"GET": "view"}
    project: Project
    person: Person
    role: str

    def initial(self, request: Request, *args: Any, **kwargs: Any) -> None:
        super().initial(request, *args, **kwargs)
        if request.method in self.permissions:
            self.project, self.role = authorize(request.user, kwargs["project"], self.permissions[request.method])
            assert isinstance(request.user, Person)
            self.person = request.user

    def given(self, serializer: type[serializers.Serializer[Any]], request: Request, **options: Any) -> Any:
        return checked(serializer, request, **options)


class WaitingView(ProjectView):
    """A view whose handlers are coroutines: it waits for outside services without holding a thread or a database connection."""

    async def dispatch(self, request: Any, *args: Any, **kwargs: Any) -> Any:  # type: ignore[override]
        self.args, self.kwargs = args, kwargs
        self.headers = self.default_response_headers
        asked = self.initialize_request(request, *args, **kwargs)
        self.request = asked
        try:
            await sync_to_async(self._begin)(asked, *args, **kwargs)
            handler = getattr(self, asked.method.lower(), None) if asked.method in self.permissions else None
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
