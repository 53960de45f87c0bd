"""Carries exchanges out over aiohttp: sign-in, limits, redirects by our own rule, time-outs, a size cap, timings, no
secrets in logs.

One `Engine` a process and event loop; it keeps a connection pool for each connection of a project, and drops idle ones.
"""

import asyncio
import os
import socket
import ssl
import time
from collections import Counter
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager, suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import partial
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
    SignInAgain,
    SignInRefused,
    Unreachable,
    short,
)
from rondine.core.http.messages import Exchange, Headers, Request, Response, Send, origin, without_secrets
from rondine.core.http.redirects import Redirect
from rondine.core.http.retrying import Course, Wait
from rondine.core.secret import Secret
from rondine.core.signin import Given, ReadToken, RenewToken, SendForToken, SignInExchange, Token
from rondine.engine.decoding import ContentDecoder, header_text
from rondine.engine.guard import PermittedHost
from rondine.engine.line import (
    Line,
    TimeOuts,
    cleaned_headers,
    forms_of,
    overwritten,
    tls_context,
    tls_failure,
)
from rondine.engine.shared import Alone, Shared
from rondine.engine.spool import SPOOLED_OVER, LargeBody

__all__ = ["Arrival", "Engine", "Line", "SideCall", "TimeOuts", "Timings"]

T = TypeVar("T")
MOST_POOLS = 200
#: Bytes of a body that is held in memory, whatever the connection's own limit.
MOST_AT_ONCE = 64 * 1024 * 1024
MOST_TOKEN_ANSWER = 1024 * 1024
#: Seconds that a call waits for limits, unless its caller says otherwise.
PATIENCE = 60.0


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
    """What came back: the request as sent (secrets masked when shown), the head, the whole body after decompression.

    large: the body, if it was too large for memory and the line lets it be spooled; `body` is empty then.
    is_delimited: the response, or its content coding, says where its body ends; else it ended with the connection,
    which looks the same as breaking off (RFC 9112, section 6.3).
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

    @property
    def size(self) -> int:
        return self.large.size if self.large is not None else len(self.body)

    @property
    def media_type(self) -> str:
        return (self.header("content-type") or "").partition(";")[0].strip().lower()

    @property
    def charset(self) -> str:
        """As the media type says; empty if it says none."""
        for part in (self.header("content-type") or "").split(";")[1:]:
            name, _, value = part.strip().partition("=")
            if name.lower() == "charset":
                return value.strip('"')
        return ""

    def header(self, name: str) -> str | None:
        return next((value for key, value in self.headers if key.lower() == name), None)


#: Gives the reply that the exchange is sent: reads the values it asked for out of an arrival. May take its time; it is
#: awaited.
Reader = Callable[[Arrival, Send], Awaitable[Response]]


@dataclass(frozen=True, slots=True)
class SideCall:
    """A call made on the way to another: of the sign-in, refused with 401 and repeated, answered with a redirect, or
    told to wait."""

    purpose: str
    request: Request
    arrival: Arrival | None


Witness = Callable[[SideCall], None]


class Engine:
    """The only door to the network. shared: what all processes share; by default this one shares with nobody."""

    def __init__(self, shared: Shared | None = None) -> None:
        self.shared: Shared = shared or Alone()
        self._pools: dict[tuple[str, int, PermittedHost], aiohttp.ClientSession] = {}
        self._newer: dict[tuple[str, int], Line] = {}
        #: How many calls go through a pool now.
        self._busy: Counter[tuple[str, int, PermittedHost]] = Counter()
        self._closing: set[asyncio.Task[None]] = set()

    async def close(self) -> None:
        pools, self._pools = list(self._pools.values()), {}
        for session in pools:
            await session.close()

    async def carry(
        self,
        line: Line,
        exchange: Exchange[T],
        read: Reader,
        *,
        patience: float = PATIENCE,
        witness: Witness = lambda _: None,
    ) -> T:
        """Drives an exchange to its end through the connection's sign-in, limits and redirects. `read` is awaited with
        every final arrival, in order; calls on the way to it go to `witness`. patience: seconds to wait for limits."""
        try:
            ask = next(exchange)
            while True:
                arrival = await self.call(line, ask, patience=patience, witness=witness)
                ask = exchange.send(await read(arrival, ask))
        except StopIteration as end:
            result: T = end.value
            return result
        finally:
            exchange.close()

    async def call(
        self, line: Line, ask: Send, *, patience: float = PATIENCE, witness: Witness = lambda _: None
    ) -> Arrival:
        """One call of an operation: signed in, within limits, redirects followed by our own rule, told to wait and
        tried again."""
        is_signed, until, course = True, time.monotonic() + patience, Course()
        while True:
            patience = max(0.0, until - time.monotonic())
            if is_signed:
                arrival = await self._signed(line, ask, patience, witness)
            else:
                arrival = await self._limited(line, ask.request, patience)
            found = course.after(
                ask.request,
                arrival.status,
                arrival.headers,
                now=datetime.now(UTC),
                left=until - time.monotonic(),
                secret_names={name for name, _ in arrival.request.secret_query},
            )
            match found:
                case None:
                    return arrival
                case Wait(seconds=seconds):
                    witness(SideCall("told to wait", ask.request, arrival))
                    if not line.is_connection:  # a connection's limits hold all its calls back
                        await asyncio.sleep(seconds)
                case Redirect(request=request, is_same_origin=is_same_origin):
                    witness(SideCall("redirect", ask.request, arrival))
                    is_signed = is_signed and is_same_origin
                    ask = replace(ask, request=request)

    async def _signed(self, line: Line, ask: Send, patience: float, witness: Witness) -> Arrival:
        """One call through the sign-in. With two sets of secrets, the second is tried once where the first is refused."""
        while (line.token_id, line.version) in self._newer:
            line = self._newer[line.token_id, line.version]
        arrival = await self._in_turn(line, ask, patience, witness)
        if not line.is_connection:
            return arrival
        if arrival.status == 401 and (newer := await self.shared.newer_line(line)) is not None:
            witness(SideCall("refused, tried with the secret set meanwhile", arrival.request, arrival))
            self._newer[line.token_id, line.version] = newer
            return await self._in_turn(newer, ask, patience, witness)
        return arrival

    async def _in_turn(self, line: Line, ask: Send, patience: float, witness: Witness) -> Arrival:
        preferred = line.memory.get("preferred", 0)
        order = sorted(range(len(line.secrets)), key=lambda number: number != preferred)
        for number in order:
            is_last = number == order[-1]
            memory = line.memory.setdefault(f"set {number}", {})
            given = Given(line.secrets[number], _now, os.urandom, line.base_address, line.operations, memory)
            try:
                arrival = await self._drive(line, ask, line.sign_in.exchange(ask, given), patience, witness)
            except SignInRefused as error:
                if is_last or isinstance(error, SignInAgain):
                    raise
                continue
            if arrival.status == 401 and not is_last:
                witness(SideCall("refused, tried with the second secret", arrival.request, arrival))
                continue
            if number != preferred and arrival.status != 401:
                line.memory["preferred"] = number
                await self.shared.prefer_secrets(line, number)
            return arrival
        raise AssertionError("a line has at least one set of secrets")

    async def _drive(
        self, line: Line, ask: Send, exchange: SignInExchange[Response], patience: float, witness: Witness
    ) -> Arrival:
        """Drives a scheme's exchange for one call; gives the arrival of its last Send."""
        last: list[Arrival] = []

        async def send(request: Request) -> Response:
            if last:
                witness(SideCall("refused, sign-in renewed", last[-1].request, last.pop()))
            last.append(await self._limited(line, request, patience))
            return Response(last[-1].status, last[-1].headers, request.url)

        await self._sign_in(line, exchange, send, witness)
        arrival = last[-1]
        secrets = line.all_secrets() + [value for _, value in arrival.request.headers if isinstance(value, Secret)]
        forms = forms_of(secrets)
        if arrival.large is not None:
            arrival.large.hide(forms)
        return replace(arrival, body=overwritten(arrival.body, forms), headers=cleaned_headers(arrival.headers, forms))

    async def _sign_in(
        self, line: Line, exchange: SignInExchange[T], send: Callable[[Request], Awaitable[Response]], witness: Witness
    ) -> T:
        """The driver of what sign-in asks for: see `SignInExchange`."""

        async def obtain(make: Callable[[Token | None], SignInExchange[Token]], held: Token | None) -> Token:
            return await self._sign_in(line, make(held), send, witness)

        try:
            asked = next(exchange)
            while True:
                try:
                    reply: object
                    match asked:
                        case Send(request=request):
                            reply = await send(request)
                        case SendForToken(request=request):
                            reply = await self.ask_sign_in(line, request, witness)
                        case ReadToken():
                            reply = await self.shared.read_token(line)
                        case RenewToken(seen=seen, obtain=make):
                            reply = await self.shared.renew_token(line, seen, partial(obtain, make))
                except RondineError as error:
                    asked = exchange.throw(error)
                else:
                    asked = exchange.send(reply)
        except StopIteration as end:
            result: T = end.value
            return result
        finally:
            exchange.close()

    async def ask_sign_in(self, line: Line, request: Request, witness: Witness = lambda _: None) -> Response:
        """A request of the sign-in itself: its body is read here and kept nowhere."""
        is_here = origin(request.url) == origin(line.base_address)
        arrival = None
        try:
            arrival = await (
                self._limited(line, request, PATIENCE) if is_here else self.send(line, request, to=origin(request.url))
            )
        finally:
            witness(
                SideCall("sign-in", request, arrival and replace(arrival, body=b"", headers=_harmless(arrival.headers)))
            )
        if len(arrival.body) > MOST_TOKEN_ANSWER:
            raise SignInRefused(
                f"the answer has {len(arrival.body):,} bytes, which is no token",
                where=f"{request.method} {without_secrets(request.url)}",
                hint="check the address",
            )
        return Response(arrival.status, arrival.headers, request.url, content=arrival.body)

    async def sign_in_once(self, line: Line, make: Callable[[Given], SignInExchange[T]]) -> T:
        """An exchange of the sign-in alone, such as a code handed in for the first token."""
        given = Given(line.secrets[0], _now, os.urandom, line.base_address, line.operations)

        async def no_call(request: Request) -> Response:
            raise AssertionError("the sign-in alone calls no operation")

        return await self._sign_in(line, make(given), no_call, lambda _: None)

    async def _limited(self, line: Line, request: Request, patience: float) -> Arrival:
        if not line.is_connection:
            return await self.send(line, request)
        place = await self.shared.begin_call(line, patience)
        try:
            arrival = await self.send(line, request)
        finally:
            if place:
                await asyncio.shield(self.shared.end_call(line, place))
        await self.shared.note_response(line, arrival.status, arrival.headers)
        return arrival

    async def send(self, line: Line, request: Request, *, to: str = "") -> Arrival:
        """One request, as it is. to: the origin its secrets are for, by default the connection's, and further ones that
        it names.

        Raises HostRefused, Unreachable, TlsFailed, ServiceTooSlow, ResponseTooLarge or ServiceError; never follows a
        redirect.
        """
        permission = line.guard.permission(request.url)
        meant = {to} if to else {origin(line.base_address), *line.further_origins}
        if request.has_secrets and origin(request.url) not in meant:
            raise HostRefused(
                f"the credentials are for {origin(line.base_address)}, not for {origin(request.url)}",
                where=without_secrets(request.url),
                hint="make a connection for that origin",
            )
        line.guard.check_literal(request.url, permission)
        if line.proxy:
            permission = line.guard.permission(line.proxy)
        session = self._pool(line, permission)
        key = (line.id, line.version, permission)
        self._busy[key] += 1
        trace = _Trace()
        where = f"{request.method} {without_secrets(request.url)}"
        try:
            async with _limit(line.time_outs.whole, where, "the whole call took longer than {} s"):
                return await self._exchange_bytes(session, line, request, trace, where)
        except RondineError:
            raise
        except aiohttp.ClientConnectorCertificateError as error:
            raise tls_failure(error.certificate_error, where) from error
        except aiohttp.ClientSSLError as error:
            raise tls_failure(error.os_error, where) from error
        except aiohttp.ClientHttpProxyError as error:
            raise Unreachable(
                f"the proxy {without_secrets(line.proxy)} answered {error.status} and lets the call not through",
                where=where,
                hint="check its user name and password, and that it may reach the service",
            ) from error
        except aiohttp.ClientProxyConnectionError as error:
            raise Unreachable(
                f"the proxy {without_secrets(line.proxy)} cannot be reached",
                where=where,
                hint="check the proxy's address, and whether it runs",
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
        except ssl.SSLError as error:
            raise tls_failure(error, where) from error
        except aiohttp.ClientOSError as error:
            if isinstance(error.__cause__, ssl.SSLError) or "SSL" in str(error):
                raise tls_failure(error, where) from error
            raise ServiceError(
                f"the connection broke: {error.strerror or type(error).__name__}",
                where=where,
                hint="try again; the service may be restarting, or it wants a client certificate",
            ) from error
        except aiohttp.ClientError as error:
            words, hint = _not_http(error)
            raise ServiceError(words, where=where, hint=hint) from error
        finally:
            self._busy[key] -= 1
            if not self._busy[key]:
                del self._busy[key]

    async def _exchange_bytes(
        self, session: aiohttp.ClientSession, line: Line, request: Request, trace: "_Trace", where: str
    ) -> Arrival:
        headers = [(name, value.reveal() if isinstance(value, Secret) else value) for name, value in request.headers]
        url = _with_secret_query(request)
        sending = session.request(
            request.method,
            url,
            headers=headers,
            data=request.sent_body or None,
            allow_redirects=False,
            trace_request_ctx=trace,
            **_proxy(line),
        )
        async with _limit(line.time_outs.first_byte, where, "the first byte took longer than {} s"):
            response = await sending
        async with response:
            trace.first_byte = trace.now()
            headers_in = tuple(
                (key.decode("latin-1"), header_text(value, is_address=key.lower() in _ADDRESSES))
                for key, value in response.raw_headers
            )
            body = _Incoming(line, where)
            decoder = ContentDecoder(response.headers.get("Content-Encoding", ""), where)
            size = 0
            while chunk := await _next_chunk(response.content, line.time_outs.idle, where):
                size += len(chunk)
                for piece in decoder.feed(chunk):
                    body.add(piece)
            decoder.finish()
            length = response.headers.get("Content-Length", "")
            return Arrival(
                request,
                response.status,
                header_text((response.reason or "").encode("utf-8", "surrogateescape")),
                headers_in,
                b"".join(body.chunks),
                int(length) if length.isdigit() else size,
                Timings(trace.resolved, trace.connected, trace.first_byte, trace.now()),
                body.large,
                is_delimited=decoder.shows_end
                or bool(length)
                or "chunked" in response.headers.get("Transfer-Encoding", "").lower(),
            )

    def _pool(self, line: Line, permission: PermittedHost) -> aiohttp.ClientSession:
        key = (line.id, line.version, permission)
        session = self._pools.get(key)
        if session is None or session.closed:
            self._close_idle_pools()
            connector = aiohttp.TCPConnector(
                limit=1000,
                limit_per_host=1000,
                socket_factory=line.guard.socket_factory(permission),
                ttl_dns_cache=10,
                keepalive_timeout=30,
                ssl=tls_context(line) if line.authority or line.certificate else True,
            )
            session = aiohttp.ClientSession(
                connector=connector,
                cookie_jar=aiohttp.DummyCookieJar(),
                trace_configs=[_tracing()],
                auto_decompress=False,
                timeout=aiohttp.ClientTimeout(total=None, sock_connect=line.time_outs.connect),
                headers={"User-Agent": "rondine/0.1"},
                requote_redirect_url=False,
                max_line_size=16384,
                max_field_size=16384,
            )
            self._pools[key] = session
        else:
            self._pools[key] = self._pools.pop(key)  # the one used last is the last to go
        return session

    def _close_idle_pools(self) -> None:
        """Makes room for another pool: those that were not used for the longest go first. A busy one is never closed;
        then there are more."""
        idle = [key for key in self._pools if not self._busy.get(key)]
        for key in idle[: max(0, len(self._pools) - MOST_POOLS + 1)]:
            old = self._pools.pop(key)
            self._closing.add(task := asyncio.get_running_loop().create_task(old.close()))
            task.add_done_callback(self._closing.discard)


#: Headers that hold addresses.
_ADDRESSES = frozenset({b"location", b"content-location", b"link"})


class _Incoming:
    """A body while it comes in: in memory, or in a file where it is large and the line lets it be. Raises
    ResponseTooLarge."""

    def __init__(self, line: Line, where: str) -> None:
        self.line, self.where = line, where
        self.chunks: list[bytes] = []
        self.large: LargeBody | None = None
        self._size = 0
        self._most = line.max_size if line.is_spooling else min(line.max_size, MOST_AT_ONCE)

    def add(self, piece: bytes) -> None:
        self._size += len(piece)
        if self._size > self._most:
            raise ResponseTooLarge(
                f"the body is larger than {self._most:,} bytes",
                where=self.where,
                hint="ask for smaller pages, or raise the connection's limit"
                if self._most == self.line.max_size
                else "ask for less; only feeds read larger ones, row by row",
            )
        if self.large is not None:
            self.large.write(piece)
        elif self.line.is_spooling and self._size > SPOOLED_OVER:
            self.large, self.chunks = LargeBody((*self.chunks, piece)), []
        else:
            self.chunks.append(piece)


async def _next_chunk(content: aiohttp.StreamReader, idle: float, where: str) -> bytes:
    """The next bytes of a body, empty at its end. Raises ServiceTooSlow if nothing comes for `idle` seconds."""
    hint = "raise the idle time-out, or ask for less"
    async with _limit(idle, where, "nothing came for {} s in the middle of the body", hint):
        return await content.readany()


@asynccontextmanager
async def _limit(
    seconds: float, where: str, words: str, hint: str = "raise the connection's time-out, or ask the service for less"
) -> AsyncIterator[None]:
    """A time limit. words, with {} for the seconds, and hint: of the ServiceTooSlow that it raises."""
    try:
        async with asyncio.timeout(seconds):
            yield
    except TimeoutError as error:
        if isinstance(error, aiohttp.ClientError):
            raise
        raise ServiceTooSlow(words.format(f"{seconds:g}"), where=where, hint=hint) from error


def _with_secret_query(request: Request) -> URL:
    url = request.url
    for name, secret in request.secret_query:
        url += f"{'&' if '?' in url else '?'}{quote(name, safe='')}={quote(secret.reveal(), safe='')}"
    return URL(url, encoded=True)


def _proxy(line: Line) -> dict[str, Any]:
    if not line.proxy:
        return {}
    password = line.secrets[0].get("proxy_password")
    auth = aiohttp.BasicAuth(line.proxy_user, password.reveal() if password else "") if line.proxy_user else None
    return {"proxy": line.proxy, "proxy_auth": auth}


def _harmless(headers: Headers) -> Headers:
    """Of a sign-in's response, only what can hold no secret."""
    return tuple(pair for pair in headers if pair[0].lower() in ("content-type", "date", "retry-after", "server"))


def _now() -> datetime:
    return datetime.now(UTC)


def _refusal(error: aiohttp.ClientConnectorError) -> str:
    if isinstance(error.os_error, ConnectionRefusedError) or "refused" in str(error.os_error).lower():
        return "the connection was refused: nothing listens there"
    if isinstance(error.os_error, socket.gaierror):
        return "the name is not known"
    if isinstance(error.os_error, ssl.SSLError):
        return "TLS could not be agreed on"
    return f"no connection: {error.os_error.strerror or type(error.os_error).__name__}"


#: What aiohttp says of a head that it cannot read -> the cause, and what to do.
_BAD_HEADS = (
    ("Got more than", "a header, or the status line, is longer than 16,384 bytes", "tell the service's provider"),
    ("Too many headers", "the response has more headers than can be read", "tell the service's provider"),
    ("Duplicate Content-Length", "Content-Length stands twice, so that nobody knows where the body ends", "tell the service's provider"),
    ("Invalid HTTP header", "a header holds a character that none may have", "tell the service's provider"),
    (
        "Bad status line",
        "what came is no HTTP response: a body behind a status that has none (204, 304), or another protocol",
        "check that host and port are the service's; if they are, tell its provider",
    ),
)  # fmt: skip


def _not_http(error: aiohttp.ClientError) -> tuple[str, str]:
    """(the cause, what to do) of a response that cannot be read."""
    said = str(getattr(error, "message", "") or error)
    for mark, words, hint in _BAD_HEADS:
        if mark in said:
            return words, hint
    line = next((one.strip() for one in said.splitlines() if one.strip()), type(error).__name__)
    return (
        f"what came back is not HTTP that can be read: {short(line).strip(chr(34))}",
        "check that host and port are the service's",
    )


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
