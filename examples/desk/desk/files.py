"""The tree file: papers of five services in one reply of a flow; in the background too; and a question to a person."""

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from desk.office import asked, office

#: In words, whose papers they are.
SOURCES = {
    "tree": "Tree register",
    "soil": "Soil laboratory",
    "inspections": "Inspection desk",
    "lots": "Seed store",
    "permit": "Permit counter",
}
FLOWS = {"tree-file": "The tree file is put together", "may-it-be-felled": "The office is asked"}


@require_GET
def file(request: HttpRequest, number: str) -> HttpResponse:
    """Put together while the page opens: what succeeds is shown, and why the rest is missing."""
    permit = request.GET.get("permit", "P-7")
    found, problem = asked(lambda: office.call_flow("tree-file", {"number": number, "permit": permit}))
    seen: dict[str, Any] = {"number": number, "permit": permit, "problem": problem}
    if found:
        seen |= told(found["reply"])
    return render(request, "desk/file.html", seen)


def told(reply: dict[str, Any]) -> dict[str, Any]:
    """Papers and reasons of a reply, with whose they are in words."""
    papers = [{**one, "whose": SOURCES.get(one["source"], one["source"])} for one in reply.get("papers", [])]
    reasons = [{**one, "whose": SOURCES.get(one["part"], one["part"])} for one in reply.get("reasons", [])]
    return {"papers": papers, "reasons": reasons}


@require_POST
def begin(request: HttpRequest, number: str, flow: str) -> HttpResponse:
    """In the background. The key is the form's: sent twice, it is begun once."""
    inputs = {"number": number}
    if flow == "tree-file":
        inputs["permit"] = request.POST.get("permit", "")
    run, problem = asked(lambda: office.start_flow(flow, inputs, key=request.POST["key"]))
    if problem:
        messages.error(request, f"Nothing was begun: {problem.message}")
        return redirect("tree", number)
    return redirect("begun", run["number"])


@require_GET
def begun(request: HttpRequest, run: int) -> HttpResponse:
    found, problem = asked(lambda: office.run(run))
    seen: dict[str, Any] = {"run": found, "problem": problem, "number": run}
    if found:
        seen["title"] = FLOWS.get(found["flow"], found["flow"])
        reply = (found.get("reply") or {}).get("body") or {}
        seen["reply"] = reply.get("reply")
        seen |= told(reply.get("reply") or {})
    return render(request, "desk/begun.html" if "part" in request.GET else "desk/begun_page.html", seen)
