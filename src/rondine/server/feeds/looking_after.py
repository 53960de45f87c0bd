"""Orders looked after: what a service has ready later is looked at until it is there. Where to look is put down before
anything is waited for, so that a run that goes on elsewhere orders nothing twice."""

import asyncio
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from rondine.core.documents import read_document
from rondine.core.errors import RondineError, ServiceError, ServiceTooSlow
from rondine.core.http.messages import Position, Request, Send, origin
from rondine.core.operations.later import LaterAnswer, look, ordered_at
from rondine.engine.receiving import OnSideCall, Received, SideCall

#: Sends a request to the service, as the operation's own are sent.
Call = Callable[[Send], Awaitable[Received]]


@dataclass(frozen=True, slots=True)
class Order:
    """Something that was ordered. position: of the page that it is for.  address: to look at."""

    position: Position
    address: str


async def answer_of(
    setting: LaterAnswer,
    ask: Send,
    call: Call,
    on_side_call: OnSideCall,
    order: Order | None,
    remember: Callable[[Order], Awaitable[None]],
) -> Received:
    """The answer itself, whenever it is ready. order: one that was made before.  remember: puts an order down. Raises
    ServiceError if it never will be, or not in time."""
    if order is None:
        received = await call(ask)
        address = ordered_at(setting, received.request.url, received.status, received.headers, _value(received))
        if address is None:
            return received
        on_side_call(SideCall("ordered", received.request, received))
        order = Order(ask.position, address)
        await remember(order)
    _check_origin(order.address, ask.request.url)
    loop = asyncio.get_running_loop()
    until = loop.time() + setting.longest
    headers = tuple((name, value) for name, value in ask.request.headers if name.lower() != "content-type")
    while True:
        received = await call(Send(Request("GET", order.address, headers)))
        shown = look(setting, order.address, received.status, received.headers, _value(received), datetime.now(UTC))
        if shown.state == "ready" and not shown.address:
            return received
        on_side_call(SideCall("looked after", received.request, received))
        if shown.state == "ready":
            _check_origin(shown.address, ask.request.url)
            return await call(Send(Request("GET", shown.address, headers)))
        if shown.state == "failed":
            hint = "look at the last response; order it again by running the feed again"
            raise ServiceError(f"what was ordered will not come: {shown.message}", where=order.address, hint=hint)
        if loop.time() + shown.seconds > until:
            words = f"what was ordered was not ready after {setting.longest:g} seconds"
            raise ServiceTooSlow(words, where=order.address, hint="allow more (later.longest), then let the run go on")
        await asyncio.sleep(shown.seconds)


def _check_origin(address: str, first: str) -> None:
    if origin(address) != origin(first):
        words = f"the answer is said to be on {origin(address)}, not on {origin(first)}"
        raise ServiceError(words, where=first, hint="credentials are sent to no other origin; tell the provider")


def _value(received: Received) -> Any:
    """The JSON of a response; None if it is something else."""
    if received.large is not None or len(received.body) > 1024 * 1024:
        return None
    try:
        read = read_document(received.body, media_type=received.media_type, charset=received.charset)
    except RondineError:
        return None
    return None if read.is_xml else read.value
