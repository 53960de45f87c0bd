"""Calls as they are kept with a run."""

import os
import socket
from typing import Any

from django.utils import timezone

from rondine.core.errors import (
    RondineError,
)
from rondine.core.http.messages import http_text, shown_headers
from rondine.engine.client import Line, SideCall
from rondine.server.runs.models import Call


def side_call(run_id: int, number: int, side: SideCall, line: Line | None, at: Any = None) -> Call:
    """A call on the way to another, for the run's trace. Its body is not kept: it may hold a token."""
    arrival = side.arrival
    return Call(
        run_id=run_id,
        number=number,
        purpose=side.purpose,
        method=side.request.method,
        url=side.request.url,
        request=http_text(side.request),
        at=at or timezone.now(),
        status=arrival.status if arrival else None,
        reason=arrival.reason[:200] if arrival else "",
        headers=shown_headers(arrival.headers) if arrival else [],
        timings=arrival.timings.to_json() if arrival else {},
        via=via_of(line),
        by=here(),
    )


def via_of(line: Line | None) -> str:
    """Which way a call left: through a proxy, or directly."""
    return f"proxy {line.proxy}" if line is not None and line.proxy else "direct"


def here() -> str:
    """The process that called: its place, if it has one, host and process number."""
    return f"{os.environ.get('RONDINE_PLACE', '')} {socket.gethostname()}:{os.getpid()}".strip()


def problem_of(error: RondineError) -> dict[str, Any]:
    return {"code": error.code, "message": error.message, "where": error.where, "hint": error.hint}
