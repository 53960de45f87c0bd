"""Calls as they are kept with a run."""

import os
import socket
from typing import Any

from django.utils import timezone

from rondine.core.errors import (
    RondineError,
)
from rondine.core.http.messages import http_text, shown_headers
from rondine.engine.client import OpenConnection
from rondine.engine.receiving import SideCall
from rondine.server.runs.models import Call


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


def storable(text: str) -> str:
    """Text that PostgreSQL can hold: U+0000 and half surrogates are shown escaped."""
    return text.replace("\0", "\\u0000").encode("utf-8", "backslashreplace").decode()
