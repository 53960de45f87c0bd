"""Crew days: everybody plans, moves and cancels them with an account of their own at the crew board."""

from uuid import uuid4

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from desk.office import asked, office
from rondine_client import RondineProblem

#: Where the session's token of the user is, in the user's own cookie.
SESSION = "crew-board"


def today() -> str:
    return timezone.localdate().isoformat()


@require_GET
def days(request: HttpRequest) -> HttpResponse:
    session = request.session.get(SESSION)
    if session is None:
        return render(request, "desk/days.html", {"is_signed_in": False})
    crew = office.for_caller(session=session)
    first = request.GET.get("from") or today()
    found, problem = asked(lambda: crew.call("list-days", {"from": first}, mapping="days"))
    if problem and problem.code == "user_sign_in_needed":
        del request.session[SESSION]
        messages.error(request, "You are signed out at the crew board. Sign in again.")
        return redirect("days")
    who, _ = asked(lambda: crew.call("who-am-i")["body"])
    listed = sorted(found["records"]["crew-day"], key=lambda day: (day["date"], day["number"])) if found else []
    seen = {"is_signed_in": True, "who": who, "days": listed, "problem": problem, "from": first}
    # one key for each form: whoever clicks twice, or sends the form again, plans once
    return render(request, "desk/days.html", {**seen, "key": uuid4(), "today": today()})


@require_POST
def change(request: HttpRequest, operation: str, **inputs: str) -> HttpResponse:
    """Plans, moves or cancels a day, as the user who is signed in."""
    given = {name: value for name, value in request.POST.items() if name not in ("key", "csrfmiddlewaretoken")}
    crew = office.for_caller(session=request.session.get(SESSION))
    _, problem = asked(lambda: crew.call(operation, {**given, **inputs}, key=request.POST["key"]))
    if problem is None:
        said = {"plan-day": "is planned", "move-day": "is moved", "cancel-day": "is cancelled"}[operation]
        messages.success(request, f"The day {said}.")
    elif problem.code == "outcome_unknown":
        messages.error(
            request, "Nobody knows whether the crew board has done it. Look at the days before you try again."
        )
    else:
        messages.error(request, f"Nothing was changed: {problem.message}")
    return redirect("days")


@require_POST
def sign_in(request: HttpRequest) -> HttpResponse:
    """To the crew board's page of consent, and from there to `back`."""
    callback = request.build_absolute_uri(reverse("back"))
    begun, problem = asked(lambda: office.begin_session("crew-board", callback=callback))
    if problem:
        messages.error(request, f"You cannot sign in now: {problem.message}")
        return redirect("days")
    request.session[SESSION] = begun["session"]
    return redirect(begun["address"])


@require_GET
def back(request: HttpRequest) -> HttpResponse:
    session = request.session.get(SESSION)
    _, problem = asked(lambda: office.for_caller(session=session).answer_session(request.GET.dict()))
    if problem:
        request.session.pop(SESSION, None)
        messages.error(request, f"You are not signed in: {problem.message}")
    return redirect("days")


@require_POST
def sign_out(request: HttpRequest) -> HttpResponse:
    session = request.session.pop(SESSION, None)
    if session:
        try:
            office.for_caller(session=session).end_session()
        except RondineProblem as problem:
            if problem.code != "user_sign_in_needed":  # that is over already
                messages.error(request, f"The crew board may still know you: {problem.message}")
    return redirect("days")
