"""Trees of a district, and one of them with its girth, its sheet and its papers."""

import json
from collections.abc import Iterator
from typing import Any
from uuid import uuid4

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from desk.office import asked, office
from rondine_client import RondineProblem

#: Of the drawing of girths, in its own units.
WIDTH, HEIGHT = 300, 80


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """The whole page at first sight; of a district chosen on it, only the list (`?part`)."""
    districts, problem = asked(lambda: office.call("list-districts")["body"]["districts"])
    district = request.GET.get("district") or (districts or [""])[0]
    trees: list[Any] = []
    if problem is None:
        found, problem = asked(lambda: list(office.replies("list-trees", {"district": district}, mapping="trees")))
        trees = [tree for reply in found or [] for tree in reply["records"]["tree"]]
    template = "desk/list.html" if "part" in request.GET else "desk/trees.html"
    seen = {"districts": districts, "district": district, "trees": trees, "problem": problem}
    return render(request, template, seen)


@require_GET
def tree(request: HttpRequest, number: str) -> HttpResponse:
    found, problem = asked(lambda: office.call("get-tree", {"number": number}, mapping="one-tree"))
    girths, _ = asked(lambda: list(office.records("girth", tree=number, sort="year")))
    seen: dict[str, Any] = {"number": number, "problem": problem, "girths": drawn(girths or [])}
    if found:
        [seen["tree"]] = found["records"]["tree"]
        seen["papers"], seen["papers_problem"] = asked(
            lambda: office.call("list-papers", {"number": number})["body"]["papers"]
        )
        seen |= {"key": uuid4(), "file_key": uuid4(), "felling_key": uuid4()}
    return render(request, "desk/tree.html" if "part" in request.GET else "desk/tree_page.html", seen)


def drawn(records: list[Any]) -> list[dict[str, Any]]:
    """Points of the drawing: {x, y, year, girth}. Kept records are there when their service is not."""
    rows = [(record["data"]["year"], float(record["data"]["girth_m"])) for record in records]
    girths = [girth for _, girth in rows] or [0.0]
    least, span = min(girths), (max(girths) - min(girths)) or 1
    step = WIDTH / max(1, len(rows) - 1)
    return [
        {
            "x": round(place * step, 1),
            "y": round(HEIGHT - (girth - least) / span * HEIGHT, 1),
            "year": year,
            "girth": girth,
        }
        for place, (year, girth) in enumerate(rows)
    ]


@require_GET
def content(request: HttpRequest, operation: str, **inputs: str) -> HttpResponse:
    """A file of the register, passed on piece by piece."""
    pieces = iter(office.download(operation, inputs))
    try:
        first = next(pieces, b"")
    except RondineProblem as problem:
        outside = problem.document.get("outside", {})
        return HttpResponse(
            problem.message, status=404 if outside.get("status") == 404 else 502, content_type="text/plain"
        )
    kinds = {b"%PDF": "application/pdf", b"<svg": "image/svg+xml"}
    response = StreamingHttpResponse(
        _after(first, pieces), content_type=kinds.get(first[:4], "application/octet-stream")
    )
    response["Content-Security-Policy"] = "sandbox"  # it comes from elsewhere
    return response


def _after(first: bytes, others: Iterator[bytes]) -> Iterator[bytes]:
    yield first
    yield from others


@require_POST
def hand_in(request: HttpRequest, number: str) -> HttpResponse:
    """A file from the browser to the register. The key is the form's: sent twice, it is handed in once."""
    file = request.FILES.get("file")
    if file is None:
        messages.error(request, "Choose a file first.")
        return redirect("tree", number)
    _, problem = asked(
        lambda: office.call(
            "hand-in-paper",
            {"number": number, "title": request.POST.get("title") or file.name},
            files={"file": (file.name, file.file, file.content_type)},
            key=request.POST["key"],
        )
    )
    said = f"{file.name} was not handed in: {problem.message}" if problem else f"{file.name} is handed in."
    messages.add_message(request, messages.ERROR if problem else messages.SUCCESS, said)
    return redirect("tree", number)


@require_POST
def count(request: HttpRequest) -> HttpResponse:
    """Counting takes the register a while, so it is left to the background."""
    district = request.POST.get("district", "")
    run, problem = asked(lambda: office.start("count-trees", {"district": district}))
    if problem:
        messages.error(request, f"The trees are not counted: {problem.message}")
        return redirect("trees")
    return redirect("counted", run["number"])


@require_GET
def counted(request: HttpRequest, run: int) -> HttpResponse:
    found, problem = asked(lambda: office.run(run))
    template = "desk/counted.html" if "part" in request.GET else "desk/counted_page.html"
    return render(request, template, {"run": found, "problem": problem, "number": run})


@require_GET
def states(request: HttpRequest, run: int) -> StreamingHttpResponse:
    """Says when something has happened to a run; the page then asks for what it shows."""

    def told() -> Iterator[str]:
        try:
            for state in office.watch(run):
                yield f"data: {json.dumps(state['state'])}\n\n"
        except RondineProblem:
            yield 'data: "lost"\n\n'

    return StreamingHttpResponse(told(), content_type="text/event-stream", headers={"Cache-Control": "no-store"})
