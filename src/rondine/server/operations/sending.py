"""A ready operation sent once, within a time."""

import asyncio
from collections.abc import Callable
from dataclasses import replace

from rondine.core.errors import ServiceTooSlow
from rondine.core.http.messages import Request, Send, without_secrets
from rondine.engine.client import Engine
from rondine.engine.receiving import Received, SideCall
from rondine.server.operations.calling import ReadyOperation


async def send_within(
    engine: Engine,
    operation: ReadyOperation,
    request: Request,
    seconds: float,
    on_side_call: Callable[[SideCall], None],
) -> Received:
    """Raises ServiceTooSlow, beside what the engine raises."""
    try:
        async with asyncio.timeout(seconds):
            received = await engine.call(
                operation.connection, Send(request), patience=seconds, on_side_call=on_side_call
            )
    except TimeoutError:
        raise ServiceTooSlow(
            f"the service has not answered within {seconds:g} s",
            where=f"{request.method} {without_secrets(request.url)}",
            hint="give it more time (Prefer: wait=SECONDS), or ask in the background (Prefer: respond-async)"
            if operation.is_reading
            else "it may have acted all the same: look at the service before you send it again",
        ) from None
    read_as = operation.document.response.read_as
    return replace(received, read_as=read_as) if read_as else received
