"""The runs of an application as it sees them itself."""

from typing import Any

from rondine.core.documents import read_json
from rondine.core.errors import NotFound
from rondine.server.api.rendering import JsonRenderer
from rondine.server.applications.admission import Admission
from rondine.server.applications.invoking import Invoker
from rondine.server.applications.lasting import Claim, run_address, stored_reply
from rondine.server.applications.models import Invocation
from rondine.server.applications.replies import Reply
from rondine.server.runs.models import Run
from rondine.server.threads import in_database

_render = JsonRenderer().render


async def reply_or_run(invoker: Invoker, admission: Admission, found: Claim, wait: float) -> Reply:
    """What a run in the background is answered with, if that is there in time; else 202 with the run. wait: seconds."""
    environment = admission.environment
    address = run_address(environment.project.name, environment.name, found.run)
    reply = found.reply or await invoker.reply_within(found.run, wait)
    if reply is not None:
        return reply
    shown = await in_database(invoker.pool, shown_run, admission, str(found.run))
    headers = (("Location", address), ("Preference-Applied", "respond-async"))
    return Reply(202, _render(shown), headers=headers)


def _run_of(admission: Admission, number: str) -> Run:
    """Raises NotFound, also for a run of somebody else."""
    run = None
    if number.isascii() and number.isdecimal() and len(number) <= 18:
        runs = Run.objects.select_related("invocation").filter(application=admission.application)
        run = runs.filter(pk=int(number)).first()
    if run is None:
        hint = "calls that only read are there half a second after their reply, and for as long as runs are kept"
        raise NotFound(f"this application has no run {number[:20]}", where="runs", hint=hint)
    return run


def shown_run(admission: Admission, number: str) -> dict[str, Any]:
    """A call while it runs and after. reply: with its status, if it is kept and JSON."""
    run = _run_of(admission, number)
    environment = admission.environment
    address = run_address(environment.project.name, environment.name, run.pk)
    invocation: Invocation | None = getattr(run, "invocation", None)
    reply = stored_reply(invocation) if invocation is not None and invocation.reply is not None else None
    return {
        "run": address,
        "number": run.pk,
        "operation": run.content.get("operation", ""),
        "flow": run.content.get("flow_name", ""),
        "state": run.state,
        "message": run.ending,
        "waits_for": [
            {"kind": one.kind, "question": one.content.get("question", ""), "until": one.until}
            for one in (run.pauses.order_by("pk") if run.state == "waiting" else ())
        ],
        "queued_at": run.queued_at,
        "started_at": run.started_at,
        "ended_at": run.ended_at,
        "reply": None
        if reply is None
        else {
            "status": reply.status,
            "address": f"{address}/reply",
            "body": read_json(reply.body) if reply.media_type.endswith("json") else None,
        },
    }


def reply_of_run(admission: Admission, number: str) -> Reply:
    """What a call was answered with. Raises NotFound while it is not over, and for one whose reply is not kept."""
    run = _run_of(admission, number)
    invocation: Invocation | None = getattr(run, "invocation", None)
    if invocation is None or invocation.reply is None:
        words = "it is not over yet" if run.state in ("queued", "running", "waiting") else "its reply is not kept"
        hint = "replies are kept of calls that write, that have an Idempotency-Key, or run in the background"
        raise NotFound(f"run {run.pk} has no reply: {words}", where="reply", hint=hint)
    return stored_reply(invocation)
