"""What stands between the network and the application: requests that do not come to an end are dropped, bodies that are
too large refused."""

import asyncio
import json
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

from rondine.core.errors import InputError
from rondine.server.api.problems import MEDIA_TYPE, problem, refusal

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
#: Bytes of a body; of one that goes through files, as the readings of responses do, and what applications send.
MOST, MOST_READ = 64 * 1024 * 1024, 2 * 1024**3
#: Seconds for which a connection is kept open that nothing comes on.
KEPT_OPEN = 60
#: Seconds for a request's line and headers; between two parts of its body; and for how long a body that is refused is
#: still taken in.
HEADER_PATIENCE, BODY_PATIENCE, DRAIN = 30.0, 30.0, 2.0
#: A body has this many bytes a second on the average, after a minute's grace.
SLOWEST, GRACE = 10_000, 60.0


class Protocol(HttpToolsProtocol):
    """Closes connections on which a request begins and its headers do not end."""

    _late: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._wait_for_headers()

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop_waiting()
        super().connection_lost(exc)

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self._wait_for_headers()

    def on_headers_complete(self) -> None:
        self._stop_waiting()
        super().on_headers_complete()

    def _wait_for_headers(self) -> None:
        self._stop_waiting()
        self._late = self.loop.call_later(HEADER_PATIENCE, self.transport.close)

    def _stop_waiting(self) -> None:
        if self._late is not None:
            self._late.cancel()
            self._late = None


class Door:
    """An ASGI application around another one, which bounds the size of bodies, and the time that they take to come."""

    def __init__(self, application: Callable[..., Awaitable[None]]) -> None:
        self.application = application

    async def __call__(self, scope: Any, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.application(scope, receive, send)
            return
        is_large = "/readings/" in scope["path"] or scope["path"].startswith("/api/v1/use/")
        most = MOST_READ if is_large else MOST
        body = _Body(receive, most)
        has_begun = False

        async def watched(message: Message) -> None:
            nonlocal has_begun
            has_begun = True
            await send(message)

        try:
            body.check_announced(scope["headers"])
            await self.application(scope, body.receive, watched)
        except _Refused as refused:
            if not has_begun:
                await _refuse(refused.error, receive, send)


class _Refused(Exception):
    def __init__(self, error: InputError) -> None:
        super().__init__(error.message)
        self.error = error


class _Body:
    """Hands a body's parts on as they come. Raises _Refused for what is too large or too slow."""

    def __init__(self, receive: Receive, most: int) -> None:
        self._receive, self._most = receive, most
        self._count, self._is_whole = 0, False
        self._began = asyncio.get_running_loop().time()

    def check_announced(self, headers: Any) -> None:
        announced = next((value for name, value in headers if name == b"content-length"), b"0")
        if announced.isdigit() and int(announced) > self._most:
            raise _Refused(self._too_large())

    async def receive(self) -> Message:
        if self._is_whole:
            return await self._receive()
        loop = asyncio.get_running_loop()
        left = self._began + GRACE + self._count / SLOWEST - loop.time()
        try:
            async with asyncio.timeout(max(0.0, min(BODY_PATIENCE, left))):
                message = await self._receive()
        except TimeoutError:
            words = "the request's body did not come to its end in time"
            raise _Refused(refusal(408, words, "the request's body", "send it again, whole")) from None
        self._count += len(message.get("body", b""))
        self._is_whole = not message.get("more_body", False)
        if self._count > self._most:
            raise _Refused(self._too_large())
        return message

    def _too_large(self) -> InputError:
        size = f"{self._most // 1024**2} MiB"
        return refusal(413, f"the request is larger than {size}", "the request's body", "send less at a time")


async def _refuse(error: InputError, receive: Receive, send: Send) -> None:
    """Answers, and takes in what still comes for a moment: who is cut off while sending may never read the answer."""
    headers = [(b"content-type", MEDIA_TYPE.encode()), (b"connection", b"close")]
    await send({"type": "http.response.start", "status": error.status, "headers": headers})
    await send({"type": "http.response.body", "body": json.dumps(problem(error)).encode(), "more_body": True})
    try:
        async with asyncio.timeout(DRAIN):
            while (await receive()).get("more_body", False):
                pass
    except TimeoutError:
        pass
    await send({"type": "http.response.body", "body": b""})
