"""Carries exchanges out over aiohttp: time-outs, a size cap, timings, no redirects of its own, no secrets in logs.

One `Engine` a process and event loop; it keeps a connection pool for each connection of a project, and drops idle ones.
"""

import asyncio
import socket
import ssl
import time
from collections.abc import AsyncIterator, Awaitable, Callable, Mapping
from contextlib import asynccontextmanager, suppress
from dataclasses import dataclass, field
from typing import Any, TypeVar
from urllib.parse import quote

import aiohttp
from yarl import URL

from rondine.core.errors import (
    HostRefused,
    ResponseTooLarge,
    RondineError,
    ServiceError,
    ServiceTooSlow,
    TlsFailed,
    Unreachable,
)
from rondine.core.http import Exchange, Headers, Request, Response, Send, origin, through, without_secrets
from rondine.core.secret import Secret
from rondine.core.signin import SignIn
from rondine.engine.guard import Guard

T = TypeVar("T")
MOST_POOLS = 200


@dataclass(frozen=True, slots=True)
class TimeOuts:
    """Seconds. connect: until the connection stands.  first_byte: until the head of the response.  idle: between two pieces of the body.
    whole: for all of it."""

    connect: float = 5.0
    first_byte: float = 30.0
    idle: float = 15.0
    whole: float = 120.0


@dataclass(frozen=True, slots=True)
class Line:
    """A connection ready to use. id and version: name its pool.  max_size: bytes of a body after decompression."""

    id: str
    version: int
    base_address: str
    sign_in: SignIn
    guard: Guard
    secrets: Mapping[str, Secret] = field(default_factory=dict)
    headers: tuple[tuple[str, str], ...] = ()
    time_outs: TimeOuts = TimeOuts()
    max_size: int = 64 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Timings:
    """Milliseconds from the start of the call, None for what did not happen (a connection used again has no connect)."""

    resolved: float | None = None
    connected: float | None = None
    first_byte: float | None = None
    done: float = 0.0

    def to_json(self) -> dict[str, float | None]:
        return {
            "resolved": self.resolved,
            "connected": self.connected,
            "first_byte": self.first_byte,
            "done": self.done,
        }


@dataclass(frozen=True, slots=True)
class Arrival:
    """What came back: the request as sent (secrets masked when shown), the head, the whole body after decompression."""

    request: Request
    status: int
    reason: str
    headers: Headers
    body: bytes
    wire_size: int
    timings: Timings

    @property
    def media_type(self) -> str:
        return self._header("content-type").partition(";")[0].strip().lower()

    @property
    def charset(self) -> str:
        for part in self._header("content-type").split(";")[1:]:
            name, _, value = part.strip().partition("=")
            if name.lower() == "charset":
                return value.strip('"')
        return "utf-8"

    def _header(self, name: str) -> str:
        return next((value for key, value in self.headers if key.lower() == name), "")


#: Gives the reply that the exchange is sent: reads the values it asked for out of an arrival. May take its time; it is awaited.
Reader = Callable[[Arrival, Send], Awaitable[Response]]


class Engine:
    """The only door to the network."""

    def __init__(self) -> None:
        self._pools: dict[tuple[str, int, str], aiohttp.ClientSession] = {}

    async def close(self) -> None:
        pools, self._pools = list(self._pools.values()), {}
        for session in pools:
            await session.close()

    async def carry(self, line: Line, exchange: Exchange[T], read: Reader) -> T:
        """Drives an exchange to its end through the connection's sign-in. `read` is awaited with every arrival, in order."""
        signed = through(exchange, lambda ask: line.sign_in.exchange(ask, line.secrets))
        try:
            ask = next(signed)
            while True:
                arrival = await self.send(line, ask.request)
                ask = signed.send(await read(arrival, ask))
        except StopIteration as end:
            result: T = end.value
            return result
        finally:
            signed.close()

    async def send(self, line: Line, request: Request) -> Arrival:
        """One call. Raises HostRefused, Unreachable, TlsFailed, ServiceTooSlow, ResponseTooLarge or ServiceError; never follows a redirect."""
        permission = line.guard.permission(request.url)
        if origin(request.url) != origin(line.base_address) and _carries_secret(request):
            raise HostRefused(
                f"the credentials are for {origin(line.base_address)}, not for {origin(request.url)}",
                where=without_secrets(request.url),
                hint="make a connection for that origin",
            )
        session = self._pool(line, permission.host, line.guard.socket_factory(permission))
        trace = _Trace()
        where = f"{request.method} {without_secrets(request.url)}"
        try:
            async with _limit(line.time_outs.whole, where, "the whole call"):
                return await self._exchange_bytes(session, line, request, trace, where)
        except RondineError:
            raise
        except aiohttp.ClientConnectorCertificateError as error:
            raise TlsFailed(
                f"the certificate is not valid: {error.certificate_error}",
                where=where,
                hint="check the host name, or give the connection the service's own CA",
            ) from error
        except aiohttp.ClientSSLError as error:
            raise TlsFailed(
                f"TLS could not be agreed on: {error}", where=where, hint="check that the port speaks https"
            ) from error
        except aiohttp.ClientConnectorDNSError as error:
            raise Unreachable(
                f'the name "{permission.host}" is not known',
                where=where,
                hint="check the host in the base address; it is looked up where Rondine runs",
            ) from error
        except aiohttp.ClientConnectorError as error:
            if isinstance(error.os_error, RondineError):
                raise error.os_error from error
            raise Unreachable(
                _refusal(error),
                where=where,
                hint="check host and port, and whether the service runs; it is dialled from where Rondine runs",
            ) from error
        except aiohttp.SocketTimeoutError as error:
            raise ServiceTooSlow(
                f"nothing came for {line.time_outs.idle:g} s in the middle of the body",
                where=where,
                hint="raise the idle time-out, or ask for less",
            ) from error
        except aiohttp.ConnectionTimeoutError as error:
            raise ServiceTooSlow(
                f"no connection within {line.time_outs.connect:g} s",
                where=where,
                hint="check host and port; a firewall may swallow the call",
            ) from error
        except aiohttp.ClientPayloadError as error:
            raise ServiceError(
                "the body broke off before its end",
                where=where,
                hint="try again; if it stays so, tell the service's provider",
            ) from error
        except aiohttp.ServerDisconnectedError as error:
            raise ServiceError(
                "the service closed the connection without a response",
                where=where,
                hint="try again; it may be restarting",
            ) from error
        except aiohttp.ClientError as error:
            raise ServiceError(
                f"what came back is not HTTP that can be read ({type(error).__name__})",
                where=where,
                hint="check that host and port are the service's",
            ) from error

    async def _exchange_bytes(
        self, session: aiohttp.ClientSession, line: Line, request: Request, trace: "_Trace", where: str
    ) -> Arrival:
        headers = [(name, value.reveal() if isinstance(value, Secret) else value) for name, value in request.headers]
        url = _with_secret_query(request)
        sending = session.request(
            request.method, url, headers=headers, data=request.body, allow_redirects=False, trace_request_ctx=trace
        )
        async with _limit(line.time_outs.first_byte, where, "the first byte"):
            response = await sending
        async with response:
            trace.first_byte = trace.now()
            chunks: list[bytes] = []
            size = 0
            async for chunk in response.content.iter_chunked(256 * 1024):
                size += len(chunk)
                if size > line.max_size:
                    raise ResponseTooLarge(
                        f"the body is larger than {line.max_size:,} bytes",
                        where=where,
                        hint="ask for smaller pages, or raise the connection's limit",
                    )
                chunks.append(chunk)
            length = response.headers.get("Content-Length", "")
            return Arrival(
                request,
                response.status,
                response.reason or "",
                tuple((k, v) for k, v in response.headers.items()),
                b"".join(chunks),
                int(length) if length.isdigit() else size,
                Timings(trace.resolved, trace.connected, trace.first_byte, trace.now()),
            )

    def _pool(self, line: Line, host: str, sockets: Any) -> aiohttp.ClientSession:
        key = (line.id, line.version, host)
        session = self._pools.get(key)
        if session is None or session.closed:
            while len(self._pools) >= MOST_POOLS:
                old = self._pools.pop(next(iter(self._pools)))
                asyncio.get_running_loop().create_task(old.close())
            connector = aiohttp.TCPConnector(
                limit=1000, limit_per_host=1000, socket_factory=sockets, ttl_dns_cache=10, keepalive_timeout=30
            )
            session = aiohttp.ClientSession(
                connector=connector,
                cookie_jar=aiohttp.DummyCookieJar(),
                trace_configs=[_tracing()],
                auto_decompress=True,
                timeout=aiohttp.ClientTimeout(
                    total=None,
                    sock_connect=line.time_outs.connect,
                    sock_read=line.time_outs.idle if line.time_outs.idle > line.time_outs.first_byte else None,
                ),
                headers={"User-Agent": "rondine/0.1"},
                requote_redirect_url=False,
                max_line_size=16384,
                max_field_size=16384,
            )
            self._pools[key] = session
        return session


@asynccontextmanager
async def _limit(seconds: float, where: str, what: str) -> AsyncIterator[None]:
    """A time limit that says which one it was."""
    try:
        async with asyncio.timeout(seconds):
            yield
    except TimeoutError as error:
        if isinstance(error, aiohttp.ClientError):
            raise
        raise ServiceTooSlow(
            f"{what} took longer than {seconds:g} s",
            where=where,
            hint="raise the connection's time-out, or ask the service for less",
        ) from error


def _with_secret_query(request: Request) -> URL:
    url = request.url
    for name, secret in request.secret_query:
        url += f"{'&' if '?' in url else '?'}{quote(name, safe='')}={quote(secret.reveal(), safe='')}"
    return URL(url, encoded=True)


def _carries_secret(request: Request) -> bool:
    return bool(request.secret_query) or any(isinstance(value, Secret) for _, value in request.headers)


def _refusal(error: aiohttp.ClientConnectorError) -> str:
    if isinstance(error.os_error, ConnectionRefusedError) or "refused" in str(error.os_error).lower():
        return "the connection was refused: nothing listens there"
    if isinstance(error.os_error, socket.gaierror):
        return "the name is not known"
    if isinstance(error.os_error, ssl.SSLError):
        return "TLS could not be agreed on"
    return f"no connection: {error.os_error.strerror or type(error.os_error).__name__}"


class _Trace:
    """Times of one call, filled in by aiohttp's tracing."""

    def __init__(self) -> None:
        self._start = time.perf_counter()
        self.resolved: float | None = None
        self.connected: float | None = None
        self.first_byte: float | None = None

    def now(self) -> float:
        return round((time.perf_counter() - self._start) * 1000, 2)


def _tracing() -> aiohttp.TraceConfig:
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
