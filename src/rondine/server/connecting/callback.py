"""The callback address of the authorization code flow: the service's page sends the person's browser here."""

from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect

from rondine.core.errors import InputError, RondineError
from rondine.server.access.authority import authorize
from rondine.server.access.models import Person
from rondine.server.api.pages import console
from rondine.server.api.problems import problem_response
from rondine.server.connecting.process import parts
from rondine.server.connecting.signing_in import PROOF, environment_at, finish_sign_in, prove_callback


async def callback(request: HttpRequest, project: str, environment: str) -> HttpResponse:
    """Takes the code and leads back to the connection's page; what went wrong stands there. The answer is in no log and
    no page."""
    if request.method != "GET":
        return problem_response(InputError("the answer must come by GET", where="callback", hint="begin again"))
    person = await request.auser()
    try:
        await sync_to_async(authorize)(person, project, "write_secret")
        assert isinstance(person, Person)
        if request.GET.get("state", "").startswith(PROOF):
            await sync_to_async(prove_callback)(project, environment, request.GET["state"])
            return _away(f"/p/{project}/environments?callback=proven")
        connection, error = await finish_sign_in(person, project, environment, request.GET.dict(), parts()[0])
    except RondineError:
        return _away(f"/p/{project}/services?sign-in=unknown")
    return _away(f"/p/{project}/connections/{connection.name}?sign-in={'done' if error is None else 'refused'}")


async def any_page(request: HttpRequest) -> HttpResponse:
    """A page of the console, or a callback address that an environment has chosen for itself."""
    if "state" in request.GET:
        here = request.build_absolute_uri(request.path)
        if (environment := await sync_to_async(environment_at)(here)) is not None:
            return await callback(request, environment.project.name, environment.name)
    return await sync_to_async(console)(request)


def _away(path: str) -> HttpResponse:
    """Leads on, and lets no address with a code in it be sent along or kept."""
    response = HttpResponseRedirect(path)
    response["Referrer-Policy"] = "no-referrer"
    response["Cache-Control"] = "no-store"
    return response
