"""Calls as they are kept with a run."""

import os
import socket
from collections.abc import Iterable
from datetime import datetime
from typing import Any

from django.utils import timezone

from rondine.core.errors import (
    RondineError,
)
from rondine.core.http.messages import Request, http_text, shown_headers, storable_text
from rondine.engine.client import OpenConnection
from rondine.engine.receiving import Received, SideCall
from rondine.server.runs.models import Body, Call


def call_row(
    run_id: int,
    request: Request,
    received: Received | None,
    error: RondineError | None,
    opened: OpenConnection | None,
    *,
    at: datetime,
    number: int = 1,
    body: Body | None = None,
) -> Call:
    """A call that was made once and not retried, as its run keeps it. received: None if nothing came back.  at: when it
    began, where that is not known better."""
    return Call(
        run_id=run_id,
        number=number,
        method=request.method,
        url=storable_text(request.url),
        request=http_text(received.request if received else request),
        at=(received and received.timings.began_at) or at,
        status=received.status if received else None,
        reason=storable_text(received.reason)[:200] if received else "",
        headers=[[name, storable_text(value)] for name, value in shown_headers(received.headers)] if received else [],
        size=received.size if received else None,
        timings=received.timings.to_json() if received else {},
        error=stored_problem(error) if error else None,
        body=body,
        via=via_of(opened),
        by=here(),
    )


def busy_milliseconds(spans: Iterable[tuple[float, float]]) -> float:
    """For how long any of some calls was under way: those at the same time count once. spans: when each began, in
    seconds since 1970, and how many milliseconds it took."""
    busy, until = 0.0, 0.0
    for began, took in sorted(spans):
        end = began + took / 1000
        busy += max(0.0, end - max(began, until))
        until = max(until, end)
    return busy * 1000


def side_call(run_id: int, number: int, side: SideCall, opened: OpenConnection | None, at: Any = None) -> Call:
    """A call on the way to another, for the run's trace. Its body is not kept: it may hold a token."""
    received = side.received
    return Call(
        run_id=run_id,
        number=number,
        purpose=side.purpose,
        method=side.request.method,
        url=side.request.url,
        request=http_text(side.request),
        at=(received and received.timings.began_at) or at or timezone.now(),
        status=received.status if received else None,
        reason=received.reason[:200] if received else "",
        headers=shown_headers(received.headers) if received else [],
        timings=received.timings.to_json() if received else {},
        error=problem_of(side.error) if side.error is not None else None,
        via=via_of(opened),
        by=here(),
    )


def via_of(opened: OpenConnection | None) -> str:
    """Which way a call left: through a proxy, or directly."""
    return f"proxy {opened.proxy}" if opened is not None and opened.proxy else "direct"


def here() -> str:
    """The process that called: its site, if it has one, host and process number."""
    return f"{os.environ.get('RONDINE_SITE', '')} {socket.gethostname()}:{os.getpid()}".strip()


def problem_of(error: RondineError) -> dict[str, Any]:
    return {"code": error.code, "message": error.message, "where": error.where, "hint": error.hint}


def stored_problem(error: RondineError) -> dict[str, Any]:
    return {
        name: storable_text(value) if isinstance(value, str) else value for name, value in problem_of(error).items()
    }
