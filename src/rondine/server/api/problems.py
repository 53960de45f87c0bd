"""Every error as a problem document (RFC 9457), the same for all kinds of views."""

import json
from typing import Any

import psycopg
import structlog
from django.core.exceptions import RequestDataTooBig
from django.db import InterfaceError, OperationalError
from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.csrf import csrf_exempt
from psycopg_pool import PoolTimeout
from rest_framework import exceptions
from rest_framework.response import Response

from rondine.core.errors import InputError, NotAllowed, NotFound, Problem, RondineError, SignInNeeded, did_you_mean

log = structlog.get_logger("rondine.api")
MEDIA_TYPE = "application/problem+json"


class DatabaseAway(RondineError):
    code, status = "database_away", 503


def problem(error: RondineError) -> dict[str, Any]:
    """The document: RFC 9457's members, and code, where, hint and problems."""
    return {
        "type": f"urn:rondine:problem:{error.code}",
        "title": error.code.replace("_", " "),
        "status": error.status,
        "detail": error.message,
        "code": error.code,
        "where": error.where,
        "hint": error.hint,
        "problems": [one.to_json() for one in error.problems],
    }


def named(error: Exception) -> RondineError:
    """Any exception as one of ours; what is not known is a fault of Rondine's, told without its inside."""
    match error:
        case RondineError():
            return error
        case exceptions.ValidationError():
            return _validation(error)
        case exceptions.NotAuthenticated() | exceptions.AuthenticationFailed():
            return SignInNeeded(
                "nobody is signed in", where="the request", hint="sign in: rondine login, or the console's sign-in page"
            )
        case exceptions.PermissionDenied():
            return NotAllowed(str(error.detail), where="the request", hint="load the page again and sign in")
        case exceptions.MethodNotAllowed():
            return refusal(405, str(error.detail), "the request", "see the API's description: /api/v1/docs")
        case exceptions.UnsupportedMediaType():
            return refusal(415, "the body is not application/json", "Content-Type", "send JSON")
        case exceptions.NotAcceptable():
            return refusal(406, "only application/json is offered", "Accept", "accept application/json")
        case Http404():
            return NotFound(
                "there is nothing at this address", where="the request", hint="see the API's description: /api/v1/docs"
            )
        case RequestDataTooBig():
            return refusal(413, "the request is larger than 64 MiB", "the request's body", "send less at a time")
        case OperationalError() | InterfaceError() | psycopg.OperationalError() | psycopg.InterfaceError():
            return _database_away(error)
        case _:
            log.error("unexpected error", exc_info=error)
            return RondineError(
                "Rondine failed", where=type(error).__name__, hint="the service's log has the details; report it"
            )


def _database_away(error: Exception) -> DatabaseAway:
    """A pool that gives no connection in time does not say why; the health page asks without it."""
    if isinstance(error, PoolTimeout) or isinstance(error.__cause__, PoolTimeout):
        return DatabaseAway(
            "no connection to the database came in time: it is away, or requests use all that the service has",
            where="PostgreSQL",
            hint="try again in a moment; /api/v1/health says whether it is away",
        )
    return DatabaseAway(
        "the database cannot be reached",
        where="PostgreSQL",
        hint="try again in a moment; an operator looks at: ./start --status",
    )


def refusal(status: int, words: str, where: str, hint: str) -> InputError:
    """A wrong request that HTTP has a status of its own for."""
    error = InputError(words, where=where, hint=hint)
    error.status = status  # type: ignore[misc]
    return error


def _validation(error: exceptions.ValidationError) -> InputError:
    problems: list[Problem] = []

    def walk(detail: Any, place: str) -> None:
        if isinstance(detail, dict):
            for name, inner in detail.items():
                walk(inner, f"{place}/{name}" if name != "non_field_errors" else place)
        elif isinstance(detail, list) and detail and not isinstance(detail[0], (dict, list)):
            problems.extend(Problem(place or "/", str(one), "") for one in detail)
        elif isinstance(detail, list):
            for number, inner in enumerate(detail):
                walk(inner, f"{place}/{number}")

    walk(error.detail, "")
    first = problems[0] if problems else Problem("/", "the input is wrong")
    return InputError(first.message, where=first.where, hint=first.hint, problems=problems)


def unknown_field(name: str, known: Any) -> exceptions.ValidationError:
    return exceptions.ValidationError({name: [f'there is no field "{name}" here. {did_you_mean(name, known)}']})


def exception_handler(error: Exception, context: Any) -> Response:
    """Django REST framework's hook."""
    found = named(error)
    response = Response(problem(found), status=found.status, content_type=MEDIA_TYPE)
    if found.status == 401:
        response["WWW-Authenticate"] = "Bearer"
    return response


def problem_response(error: Exception) -> HttpResponse:
    """The same for what is not Django REST framework's."""
    found = named(error)
    return HttpResponse(json.dumps(problem(found)), status=found.status, content_type=MEDIA_TYPE)


@csrf_exempt
def no_such_address(request: HttpRequest) -> HttpResponse:
    return problem_response(Http404())


def server_error(request: HttpRequest) -> HttpResponse:
    """Django's last resort; the log has the trace already."""
    return problem_response(
        RondineError("Rondine failed", where=request.path, hint="the service's log has the details; report it")
    )


def csrf_refused(request: HttpRequest, reason: str = "") -> HttpResponse:
    """A request of a browser without the console's own token."""
    return problem_response(
        NotAllowed("the request does not come from the console", where="X-CSRFToken", hint="load the page again")
    )


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    return problem_response(
        InputError(
            "the request cannot be taken", where=type(exception).__name__, hint="check the address and the Host header"
        )
    )
