"""What comes back of a call: its head, its body as it comes in, and its times."""

import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import aiohttp

from rondine.core.documents.csv import is_csv
from rondine.core.errors import (
    ResponseTooLarge,
    RondineError,
)
from rondine.core.http.messages import Headers, Request
from rondine.core.media_types import bare_media_type, parameters_of
from rondine.engine.connection import (
    OpenConnection,
)
from rondine.engine.spool import SPOOLED_OVER, LargeBody

#: Bytes of a body that is held in memory, whatever the connection's own limit.
MOST_AT_ONCE = 64 * 1024 * 1024


@dataclass(slots=True)
class Timings:
    """Milliseconds from the start of the call, None for what did not happen (a connection used again has no connect).
    began: when that was, in seconds since 1970.  waited: milliseconds before it, for the connection's limits."""

    resolved: float | None = None
    connected: float | None = None
    first_byte: float | None = None
    done: float = 0.0
    began: float = 0.0
    waited: float = 0.0

    @property
    def began_at(self) -> datetime | None:
        return datetime.fromtimestamp(self.began, UTC) if self.began else None

    def to_json(self) -> dict[str, float | None]:
        return {
            "resolved": self.resolved,
            "connected": self.connected,
            "first_byte": self.first_byte,
            "done": self.done,
            "waited": self.waited,
        }


@dataclass(frozen=True, slots=True)
class Received:
    """What came back: the request as sent (secrets masked when shown), the head, the whole body after decompression.

    large: the body, if it was too large for memory and the connection lets it be spooled; `body` is empty then.
    is_delimited: the response, or its content coding, says where its body ends; else it ended with the connection,
    which looks the same as breaking off (RFC 9112, section 6.3).  read_as: the media type that it is read as, in place
    of what its Content-Type says.
    """

    request: Request
    status: int
    reason: str
    headers: Headers
    body: bytes
    wire_size: int
    timings: Timings
    large: LargeBody | None = None
    is_delimited: bool = True
    read_as: str = ""

    @property
    def size(self) -> int:
        return self.large.size if self.large is not None else len(self.body)

    @property
    def media_type(self) -> str:
        """Without parameters, but for CSV, where they say how it is written."""
        content_type = self.read_as or self.header("content-type") or ""
        return content_type if is_csv(content_type) else bare_media_type(content_type)

    @property
    def charset(self) -> str:
        """As the media type says; empty if it says none."""
        said = parameters_of(self.read_as).get("charset", "")
        return said or parameters_of(self.header("content-type")).get("charset", "")

    def header(self, name: str) -> str | None:
        return next((value for key, value in self.headers if key.lower() == name.lower()), None)


@dataclass(frozen=True, slots=True)
class SideCall:
    """A call made on the way to another: of the sign-in, refused with 401 and repeated, answered with a redirect, told
    to wait, or failed and sent again. error: why it has no response."""

    purpose: str
    request: Request
    received: Received | None
    error: RondineError | None = None


OnSideCall = Callable[[SideCall], None]


class IncomingBody:
    """A body while it comes in: in memory, or in a file where it is large and the connection lets it be. Raises
    ResponseTooLarge."""

    def __init__(self, connection: OpenConnection, where: str) -> None:
        self.connection, self.where = connection, where
        self.chunks: list[bytes] = []
        self.large: LargeBody | None = None
        self._size = 0
        self._most = connection.max_size if connection.is_spooling else min(connection.max_size, MOST_AT_ONCE)

    def add(self, piece: bytes) -> None:
        self._size += len(piece)
        if self._size > self._most:
            raise ResponseTooLarge(
                f"the body is larger than {self._most:,} bytes",
                where=self.where,
                hint=(
                    "ask for smaller pages, or raise the connection's limit"
                    if self._most == self.connection.max_size
                    else "ask for less; only feeds read larger ones, row by row"
                ),
            )
        if self.large is not None:
            self.large.write(piece)
        elif self.connection.is_spooling and self._size > SPOOLED_OVER:
            self.large, self.chunks = LargeBody((*self.chunks, piece)), []
        else:
            self.chunks.append(piece)


class Trace:
    """Times of one call, filled in by aiohttp's tracing."""

    def __init__(self) -> None:
        self._start, self.began = time.perf_counter(), time.time()
        self.resolved: float | None = None
        self.connected: float | None = None
        self.first_byte: float | None = None

    def now(self) -> float:
        return round((time.perf_counter() - self._start) * 1000, 2)


def call_tracing() -> aiohttp.TraceConfig:
    tracing = aiohttp.TraceConfig()

    async def resolved(_: Any, context: Any, __: Any) -> None:
        with suppress(AttributeError):
            context.trace_request_ctx.resolved = context.trace_request_ctx.now()

    async def connected(_: Any, context: Any, __: Any) -> None:
        with suppress(AttributeError):
            context.trace_request_ctx.connected = context.trace_request_ctx.now()

    tracing.on_dns_resolvehost_end.append(resolved)
    tracing.on_connection_create_end.append(connected)
    return tracing
