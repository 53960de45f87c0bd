"""Carries exchanges out over aiohttp: sign-in, limits, redirects by our own rule, time-outs, a size cap, timings, no
secrets in logs.

One `Engine` a process and event loop; it keeps a connection pool for each connection of a project, and drops idle ones.
"""

import asyncio
import os
import random
import time
from collections import Counter
from collections.abc import AsyncIterator, Awaitable, Callable
from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from typing import Any, TypeVar
from urllib.parse import quote

import aiohttp
from yarl import URL

from rondine.core.errors import (
    HostRefused,
    RondineError,
    ServiceError,
    SignInAgain,
    SignInRefused,
)
from rondine.core.http.files import FileBody
from rondine.core.http.messages import Headers, Request, Response, Send, origin, without_secrets
from rondine.core.http.redirects import Redirect
from rondine.core.http.retrying import Retries, Tries, Wait, after_failure, next_try
from rondine.core.http.time_outs import TimeOuts
from rondine.core.secret import Secret
from rondine.core.signin import ReadToken, RenewToken, SendForToken, SignInContext, SignInExchange, Token
from rondine.engine.connection import (
    HeldForms,
    OpenConnection,
    cleaned_headers,
    forms_of,
    overwritten,
    tls_context,
)
from rondine.engine.decoding import ContentDecoder, header_text
from rondine.engine.failures import FailedCall, failure_of
from rondine.engine.guard import PermittedHost
from rondine.engine.receiving import (
    IncomingBody,
    OnSideCall,
    Received,
    SideCall,
    Timings,
    Trace,
    call_tracing,
)
from rondine.engine.shared import Alone, Shared
from rondine.engine.timer import CallTimer

__all__ = ["Engine", "OpenConnection", "TimeOuts"]

T = TypeVar("T")
MOST_POOLS = 200
MOST_TOKEN_ANSWER = 1024 * 1024
#: What a call is called that failed and was sent again.
SENT_AGAIN = "failed, sent again"
#: Seconds that a call waits for limits, unless its caller says otherwise.
PATIENCE = 60.0


class Engine:
    """The only door to the network. shared: what all processes share; by default this one shares with nobody."""

    def __init__(self, shared: Shared | None = None) -> None:
        self.shared: Shared = shared or Alone()
        self._pools: dict[tuple[str, int, PermittedHost], aiohttp.ClientSession] = {}
        self._newer: dict[tuple[str, int], OpenConnection] = {}
        #: How many calls go through a pool now.
        self._busy: Counter[tuple[str, int, PermittedHost]] = Counter()
        self._closing: set[asyncio.Task[None]] = set()

    async def close(self) -> None:
        pools, self._pools = list(self._pools.values()), {}
        for session in pools:
            await session.close()

    async def call(
        self,
        connection: OpenConnection,
        ask: Send,
        *,
        patience: float = PATIENCE,
        on_side_call: OnSideCall = lambda _: None,
        retries: Retries | None = None,
    ) -> Received:
        """One call of an operation: signed in, within limits, redirects followed by our own rule, told to wait and
        tried again. retries: where a failure that may pass is tried again; else it is raised."""
        is_signed, until, tries = True, time.monotonic() + patience, Tries()
        while True:
            patience = max(0.0, until - time.monotonic())
            if retries is not None:
                retries.chance = random.random()
            try:
                if is_signed:
                    received = await self._signed(connection, ask, patience, on_side_call)
                else:
                    received = await self._limited(connection, ask.request, patience)
            except ServiceError as error:
                pause, tries = (
                    after_failure(
                        connection.retrying, tries, ask.request, left=until - time.monotonic(), retries=retries
                    )
                    if error.may_pass
                    else (None, tries)
                )
                if pause is None:
                    raise
                on_side_call(SideCall(SENT_AGAIN, ask.request, None, error))
                await asyncio.sleep(pause.seconds)
                continue
            found, tries = next_try(
                connection.retrying,
                tries,
                ask.request,
                received.status,
                received.headers,
                now=datetime.now(UTC),
                left=until - time.monotonic(),
                secret_names={name for name, _ in received.request.secret_query},
                retries=retries,
            )
            match found:
                case None:
                    return received
                case Wait(seconds=seconds, is_asked=False):
                    on_side_call(SideCall(SENT_AGAIN, ask.request, received))
                    await asyncio.sleep(seconds)
                case Wait(seconds=seconds):
                    on_side_call(SideCall("told to wait", ask.request, received))
                    if not connection.is_connection:  # a connection's limits hold all its calls back
                        await asyncio.sleep(seconds)
                case Redirect(request=request, is_same_origin=is_same_origin):
                    on_side_call(SideCall("redirect", ask.request, received))
                    is_signed = is_signed and is_same_origin
                    ask = replace(ask, request=request)

    async def _signed(
        self, connection: OpenConnection, ask: Send, patience: float, on_side_call: OnSideCall
    ) -> Received:
        """One call through the sign-in. With two sets of secrets, the second is tried once where the first is
        refused."""
        while (connection.token_id, connection.version) in self._newer:
            connection = self._newer[connection.token_id, connection.version]
        received = await self._in_turn(connection, ask, patience, on_side_call)
        if not connection.is_connection:
            return received
        if received.status == 401 and (newer := await self.shared.newer_connection(connection)) is not None:
            on_side_call(SideCall("refused, tried with the secret set meanwhile", received.request, received))
            self._newer[connection.token_id, connection.version] = newer
            return await self._in_turn(newer, ask, patience, on_side_call)
        return received

    async def _in_turn(
        self, connection: OpenConnection, ask: Send, patience: float, on_side_call: OnSideCall
    ) -> Received:
        preferred = connection.memory.get("preferred", 0)
        order = [preferred, *(number for number in range(len(connection.secrets)) if number != preferred)]
        for number in order:
            is_last = number == order[-1]
            memory = connection.memory.setdefault(f"set {number}", {})
            context = SignInContext(
                connection.secrets[number], _now, os.urandom, connection.base_address, connection.operations, memory
            )
            try:
                received = await self._drive(
                    connection, ask, connection.sign_in.exchange(ask, context), patience, on_side_call
                )
            except SignInRefused as error:
                if is_last or isinstance(error, SignInAgain):
                    raise
                continue
            if received.status == 401 and not is_last:
                on_side_call(SideCall("refused, tried with the second secret", received.request, received))
                continue
            if number != preferred and received.status != 401:
                connection.memory["preferred"] = number
                await self.shared.prefer_secrets(connection, number)
            return received
        raise AssertionError("a connection has at least one set of secrets")

    async def _drive(
        self,
        connection: OpenConnection,
        ask: Send,
        exchange: SignInExchange[Response],
        patience: float,
        on_side_call: OnSideCall,
    ) -> Received:
        """Drives a scheme's exchange for one call; gives what its last Send received."""
        last: list[Received] = []

        async def send(request: Request) -> Response:
            if last:
                on_side_call(SideCall("refused, sign-in renewed", last[-1].request, last.pop()))
            last.append(await self._limited(connection, request, patience))
            return Response(last[-1].status, last[-1].headers, request.url)

        await self._sign_in(connection, exchange, send, on_side_call)
        received = last[-1]
        forms = _forms_in(connection, received.request)
        if received.large is not None:
            received.large.hide(forms)
        body, headers = overwritten(received.body, forms), cleaned_headers(received.headers, forms)
        if body is received.body and headers is received.headers:
            return received
        return replace(received, body=body, headers=headers)

    async def _sign_in(
        self,
        connection: OpenConnection,
        exchange: SignInExchange[T],
        send: Callable[[Request], Awaitable[Response]],
        on_side_call: OnSideCall,
    ) -> T:
        """The driver of what sign-in asks for: see `SignInExchange`."""

        async def obtain(make: Callable[[Token | None], SignInExchange[Token]], held: Token | None) -> Token:
            return await self._sign_in(connection, make(held), send, on_side_call)

        try:
            asked = next(exchange)
            while True:
                try:
                    reply: object
                    match asked:
                        case Send(request=request):
                            reply = await send(request)
                        case SendForToken(request=request):
                            reply = await self.ask_sign_in(connection, request, on_side_call)
                        case ReadToken():
                            reply = await self.shared.read_token(connection)
                        case RenewToken(seen=seen, obtain=make):
                            reply = await self.shared.renew_token(connection, seen, partial(obtain, make))
                except RondineError as error:
                    asked = exchange.throw(error)
                else:
                    asked = exchange.send(reply)
        except StopIteration as end:
            result: T = end.value
            return result
        finally:
            exchange.close()

    async def ask_sign_in(
        self, connection: OpenConnection, request: Request, on_side_call: OnSideCall = lambda _: None
    ) -> Response:
        """A request of the sign-in itself: its body is read here and kept nowhere."""
        is_here = origin(request.url) == origin(connection.base_address)
        received = None
        try:
            received = await (
                self._limited(connection, request, PATIENCE)
                if is_here
                else self.send(connection, request, to=origin(request.url))
            )
        finally:
            on_side_call(
                SideCall(
                    "sign-in", request, received and replace(received, body=b"", headers=_harmless(received.headers))
                )
            )
        if len(received.body) > MOST_TOKEN_ANSWER:
            raise SignInRefused(
                f"the answer has {len(received.body):,} bytes, which is not a token",
                where=f"{request.method} {without_secrets(request.url)}",
                hint="check the address",
            )
        return Response(received.status, received.headers, request.url, content=received.body)

    async def sign_in_once(self, connection: OpenConnection, make: Callable[[SignInContext], SignInExchange[T]]) -> T:
        """An exchange of the sign-in alone, such as a code handed in for the first token."""
        context = SignInContext(connection.secrets[0], _now, os.urandom, connection.base_address, connection.operations)

        async def no_call(request: Request) -> Response:
            raise AssertionError("the sign-in alone calls no operation")

        return await self._sign_in(connection, make(context), no_call, lambda _: None)

    async def _limited(self, connection: OpenConnection, request: Request, patience: float) -> Received:
        if not connection.is_connection:
            return await self.send(connection, request)
        asked = time.perf_counter()
        slot = await self.shared.begin_call(connection, patience)
        waited = round((time.perf_counter() - asked) * 1000, 2)
        try:
            received = await self.send(connection, request)
        except ServiceError as error:
            await self.shared.note_outcome(connection, error.message if error.may_pass else "")
            raise
        finally:
            if slot:
                await asyncio.shield(self.shared.end_call(connection, slot))
        await self.shared.note_outcome(connection, f"status {received.status}" if received.status >= 500 else "")
        await self.shared.note_response(connection, received.status, received.headers)
        if waited:
            received.timings.waited = waited
        return received

    async def send(self, connection: OpenConnection, request: Request, *, to: str = "") -> Received:
        """One request, as it is. to: the origin its secrets are for, by default the connection's, and further ones that
        it names.

        Raises HostRefused, Unreachable, TlsFailed, ServiceTooSlow, ResponseTooLarge or ServiceError; never follows a
        redirect.
        """
        permission = connection.guard.permission(request.url)
        meant = (to,) if to else (origin(connection.base_address), *connection.further_origins)
        if request.has_secrets and origin(request.url) not in meant:
            raise HostRefused(
                f"the credentials are for {origin(connection.base_address)}, not for {origin(request.url)}",
                where=without_secrets(request.url),
                hint="make a connection for that origin",
            )
        connection.guard.check_literal(request.url, permission)
        if connection.proxy:
            permission = connection.guard.permission(connection.proxy)
        session = self._pool(connection, permission)
        key = (connection.id, connection.version, permission)
        self._busy[key] += 1
        trace = Trace()
        where = f"{request.method} {without_secrets(request.url)}"
        try:
            with CallTimer(connection.time_outs, where) as timer:
                return await self._exchange_bytes(session, connection, request, trace, where, timer)
        except RondineError:
            raise
        except (aiohttp.ClientError, OSError) as error:
            raise failure_of(error, FailedCall(connection, permission.host, where)) from error
        finally:
            self._busy[key] -= 1
            if not self._busy[key]:
                del self._busy[key]

    async def _exchange_bytes(
        self,
        session: aiohttp.ClientSession,
        connection: OpenConnection,
        request: Request,
        trace: Trace,
        where: str,
        timer: CallTimer,
    ) -> Received:
        headers = [(name, value.reveal() if isinstance(value, Secret) else value) for name, value in request.headers]
        url = _with_secret_query(request)
        data: Any
        if isinstance(request.body, FileBody):
            headers.append(("Content-Length", str(request.body.size)))
            data = _going_out(request.body, timer)
        else:
            data = request.sent_body or None
        sending = session.request(
            request.method,
            url,
            headers=headers,
            data=data,
            allow_redirects=False,
            trace_request_ctx=trace,
            **_proxy(connection),
        )
        async with await sending as response:
            timer.heard()
            trace.first_byte = trace.now()
            headers_in = tuple(
                (key.decode("latin-1"), header_text(value, is_address=key.lower() in _ADDRESSES))
                for key, value in response.raw_headers
            )
            body = IncomingBody(connection, where)
            decoder = ContentDecoder(response.headers.get("Content-Encoding", ""), where)
            size = 0
            while chunk := await response.content.readany():
                timer.heard()
                size += len(chunk)
                for piece in decoder.feed(chunk):
                    body.add(piece)
            decoder.finish()
            length = response.headers.get("Content-Length", "")
            return Received(
                request,
                response.status,
                header_text((response.reason or "").encode("utf-8", "surrogateescape")),
                headers_in,
                b"".join(body.chunks),
                int(length) if length.isdigit() else size,
                Timings(trace.resolved, trace.connected, trace.first_byte, trace.now(), trace.began),
                body.large,
                is_delimited=decoder.shows_end
                or bool(length)
                or "chunked" in response.headers.get("Transfer-Encoding", "").lower(),
            )

    def _pool(self, connection: OpenConnection, permission: PermittedHost) -> aiohttp.ClientSession:
        key = (connection.id, connection.version, permission)
        session = self._pools.get(key)
        if session is None or session.closed:
            self._close_idle_pools()
            connector = aiohttp.TCPConnector(
                limit=1000,
                limit_per_host=1000,
                socket_factory=connection.guard.socket_factory(permission),
                ttl_dns_cache=10,
                keepalive_timeout=30,
                ssl=tls_context(connection) if connection.authority or connection.certificate else True,
            )
            session = aiohttp.ClientSession(
                connector=connector,
                cookie_jar=aiohttp.DummyCookieJar(),
                trace_configs=[call_tracing()],
                auto_decompress=False,
                timeout=aiohttp.ClientTimeout(total=None, sock_connect=connection.time_outs.connect),
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


def _forms_in(connection: OpenConnection, request: Request) -> tuple[bytes, ...]:
    """How the secrets of a call may stand in what comes back; made anew only when they are others than in the call
    before."""
    secrets = connection.all_secrets() + [value for _, value in request.headers if isinstance(value, Secret)]
    values = tuple(secret.bare() for secret in secrets)
    held: HeldForms | None = connection.memory.get("forms")
    if held is None or not held.is_of(values):
        held = connection.memory["forms"] = HeldForms(values, forms_of(secrets))
    return held.forms


def _with_secret_query(request: Request) -> URL:
    url = request.url
    for name, secret in request.secret_query:
        url += f"{'&' if '?' in url else '?'}{quote(name, safe='')}={quote(secret.reveal(), safe='')}"
    return URL(url, encoded=True)


async def _going_out(body: FileBody, timer: CallTimer) -> AsyncIterator[bytes]:
    for chunk in body.chunks():
        yield chunk
        timer.sent()


def _proxy(connection: OpenConnection) -> dict[str, Any]:
    if not connection.proxy:
        return {}
    password = connection.secrets[0].get("proxy_password")
    auth = (
        aiohttp.BasicAuth(connection.proxy_user, password.reveal() if password else "")
        if connection.proxy_user
        else None
    )
    return {"proxy": connection.proxy, "proxy_auth": auth}


def _harmless(headers: Headers) -> Headers:
    """Of a sign-in's response, only what can hold no secret."""
    return tuple(pair for pair in headers if pair[0].lower() in ("content-type", "date", "retry-after", "server"))


def _now() -> datetime:
    return datetime.now(UTC)
