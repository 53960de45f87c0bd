"""The connection to a service: its address, a token, and the two ways to send what the resources describe."""

from __future__ import annotations

import asyncio
import logging
import time
from collections.abc import AsyncGenerator, AsyncIterator, Generator, Iterator
from contextlib import aclosing, asynccontextmanager, contextmanager
from typing import TYPE_CHECKING, Any, TypeVar

import httpx

from rondine_client.administration import People, Projects, Tokens
from rondine_client.errors import RondineProblem, Unreachable
from rondine_client.project import Project
from rondine_client.requests import Lines, Pages, Progress, Request, Resource, S, Stream, call, steps

if TYPE_CHECKING:
    from rondine_client import types

# httpx writes whole addresses to the log at INFO, and addresses may hold what should not be there
logging.getLogger("httpx").setLevel(logging.WARNING)

T = TypeVar("T")
URL = "http://127.0.0.1:18200"
#: Seconds for one answer; trials may take that long.
TIMEOUT = 150.0
#: Seconds for which a connection is kept that nothing is sent on.
KEPT = 20.0


class Account(Resource[S]):
    """What both clients offer for the person whose token it is."""

    #: What goes with every request.
    _headers: httpx.Headers

    def __init__(self, client: S) -> None:
        super().__init__(client)
        self.people, self.projects, self.tokens = People(client), Projects(client), Tokens(client)

    def project(self, name: str) -> Project[S]:
        """A project by its name; nothing is asked until one of its methods is called."""
        return Project(self.client, name)

    def use_token(self, token: str | None) -> None:
        """The token that goes with every request from now on; None for none."""
        self._headers.pop("Authorization", None)
        if token:
            self._headers["Authorization"] = f"Bearer {token}"

    @call
    def session(self) -> Request[types.Session]:
        """Who this is: name, title, projects with role and permissions."""
        return self.request("GET", "/session")

    @steps
    def sign_in(self, name: str, password: str, title: str = "client") -> Generator[Request[Any], Any, str]:
        """A token for name and password; this client uses it from now on."""
        self.use_token(None)  # an old token that has ended is no reason to refuse a password
        token: str = (yield self.request("POST", "/tokens", {"name": name, "password": password, "title": title}))[
            "token"
        ]
        self.use_token(token)
        return token

    @call
    def sign_out(self) -> Request[None]:
        """Ends the token."""
        return self.request("DELETE", "/tokens")

    @call
    def change_password(self, password: str, new_password: str) -> Request[None]:
        """One's own; ends one's sessions and all tokens but this client's."""
        return self.request("PUT", "/session/password", {"password": password, "new_password": new_password})


class Client(Account["Client"]):
    """url: of the service.  token: from `sign_in`, or made in the console.  timeout: seconds for one answer.

    Raises RondineProblem for whatever the service refuses, Unreachable if there is none.
    """

    def __init__(self, url: str = URL, token: str | None = None, *, timeout: float = TIMEOUT) -> None:
        super().__init__(self)
        self.url = url.rstrip("/")
        self._http = httpx.Client(**_settings(self.url, timeout))
        self._headers = self._http.headers
        self.use_token(token)

    def __enter__(self) -> Client:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        self._http.close()

    def send(self, request: Request[T]) -> T:
        """One request, whole."""
        if request.report is not None:
            for result in self.send_stream(Progress(request, request.report)):
                return result
            raise Unreachable(self.url, "the answer broke off")
        sent = 1
        while True:
            try:
                return self._send(request)
            except RondineProblem as problem:
                if (pause := request.pause(problem, sent)) is None:
                    raise
            time.sleep(pause)
            sent += 1

    def _send(self, request: Request[T]) -> T:
        try:
            response = self._http.request(request.method, request.path, **request.arguments())
        except httpx.HTTPError as error:
            raise Unreachable(self.url, _reason(error)) from error
        if response.status_code >= 400:
            raise _problem(response)
        return request.answer(response.content)

    def send_steps(self, conversation: Generator[Request[Any], Any, T]) -> T:
        """Request after request, each with the answer to the one before."""
        try:
            request = next(conversation)
            while True:
                try:
                    answer = self.send(request)
                except RondineProblem as problem:
                    request = conversation.throw(problem)
                else:
                    request = conversation.send(answer)
        except StopIteration as end:
            result: T = end.value
            return result

    def send_pages(self, pages: Pages[T]) -> Iterator[T]:
        """The items of all pages."""
        rest: Pages[T] | None = pages
        while rest is not None:
            page = self.send(rest.request)
            yield from rest.items(page)
            rest = rest.following(page)

    def send_stream(self, stream: Stream[T]) -> Iterator[T]:
        """What comes, as it comes."""
        while not stream.is_over:
            problem = None
            try:
                with self._lines(stream) as lines:
                    for line in lines:
                        yield from stream.read(line)
                        if stream.is_over:
                            return
            except RondineProblem as error:
                problem = error
            time.sleep(stream.pause(problem, time.monotonic()))

    @contextmanager
    def _lines(self, stream: Stream[Any]) -> Iterator[Iterator[Any]]:
        request, patience = stream.request, stream.patience_for_line
        arguments = {**request.arguments(), "timeout": httpx.Timeout(30.0, read=patience, write=patience)}
        try:
            with self._http.stream(request.method, request.path, **arguments) as response:
                if response.status_code >= 400:
                    response.read()
                    raise _problem(response)
                yield response.iter_bytes() if stream.is_bytes else _lines_of(response.iter_bytes())
        except httpx.HTTPError as error:
            raise Unreachable(self.url, _reason(error)) from error


class AsyncClient(Account["AsyncClient"]):
    """As `Client`, for asyncio: its calls are awaited, and its lists and streams iterated over with `async for`."""

    def __init__(self, url: str = URL, token: str | None = None, *, timeout: float = TIMEOUT) -> None:
        super().__init__(self)
        self.url = url.rstrip("/")
        self._http = httpx.AsyncClient(**_settings(self.url, timeout))
        self._headers = self._http.headers
        self.use_token(token)

    async def __aenter__(self) -> AsyncClient:
        return self

    async def __aexit__(self, *_: object) -> None:
        await self.close()

    async def close(self) -> None:
        await self._http.aclose()

    async def send(self, request: Request[T]) -> T:
        """One request, whole."""
        if request.report is not None:
            async with aclosing(self.send_stream(Progress(request, request.report))) as results:
                async for result in results:
                    return result
            raise Unreachable(self.url, "the answer broke off")
        sent = 1
        while True:
            try:
                return await self._send(request)
            except RondineProblem as problem:
                if (pause := request.pause(problem, sent)) is None:
                    raise
            await asyncio.sleep(pause)
            sent += 1

    async def _send(self, request: Request[T]) -> T:
        try:
            response = await self._http.request(request.method, request.path, **request.arguments())
        except httpx.HTTPError as error:
            raise Unreachable(self.url, _reason(error)) from error
        if response.status_code >= 400:
            raise _problem(response)
        return request.answer(response.content)

    async def send_steps(self, conversation: Generator[Request[Any], Any, T]) -> T:
        """Request after request, each with the answer to the one before."""
        try:
            request = next(conversation)
            while True:
                try:
                    answer = await self.send(request)
                except RondineProblem as problem:
                    request = conversation.throw(problem)
                else:
                    request = conversation.send(answer)
        except StopIteration as end:
            result: T = end.value
            return result

    async def send_pages(self, pages: Pages[T]) -> AsyncIterator[T]:
        """The items of all pages."""
        rest: Pages[T] | None = pages
        while rest is not None:
            page = await self.send(rest.request)
            for item in rest.items(page):
                yield item
            rest = rest.following(page)

    async def send_stream(self, stream: Stream[T]) -> AsyncGenerator[T]:
        """What comes, as it comes."""
        while not stream.is_over:
            problem = None
            try:
                async with self._lines(stream) as lines:
                    async for line in lines:
                        for value in stream.read(line):
                            yield value
                        if stream.is_over:
                            return
            except RondineProblem as error:
                problem = error
            await asyncio.sleep(stream.pause(problem, time.monotonic()))

    @asynccontextmanager
    async def _lines(self, stream: Stream[Any]) -> AsyncIterator[AsyncIterator[Any]]:
        request, patience = stream.request, stream.patience_for_line
        arguments = {**request.arguments(), "timeout": httpx.Timeout(30.0, read=patience, write=patience)}
        try:
            async with self._http.stream(request.method, request.path, **arguments) as response:
                if response.status_code >= 400:
                    await response.aread()
                    raise _problem(response)
                yield response.aiter_bytes() if stream.is_bytes else _async_lines_of(response.aiter_bytes())
        except httpx.HTTPError as error:
            raise Unreachable(self.url, _reason(error)) from error


def _lines_of(parts: Iterator[bytes]) -> Iterator[str]:
    lines = Lines()
    for part in parts:
        yield from lines.of(part)
    yield from lines.of(b"", is_last=True)


async def _async_lines_of(parts: AsyncIterator[bytes]) -> AsyncIterator[str]:
    lines = Lines()
    async for part in parts:
        for line in lines.of(part):
            yield line
    for line in lines.of(b"", is_last=True):
        yield line


def _settings(url: str, timeout: float) -> dict[str, Any]:
    return {
        "base_url": f"{url}/api/v1",
        "timeout": timeout,
        "follow_redirects": False,
        # shorter than the service keeps one: a request on a connection that it is just closing would be lost
        "limits": httpx.Limits(max_connections=100, max_keepalive_connections=20, keepalive_expiry=KEPT),
        # loading the certificates takes longer than most commands; plain http has no use for them
        "verify": url.startswith("https:"),
    }


def _problem(response: httpx.Response) -> RondineProblem:
    try:
        document = response.json()
    except ValueError:
        document = None
    if not isinstance(document, dict):
        document = {
            "status": response.status_code,
            "detail": f"the address answered {response.status_code}, and not as Rondine does",
            "hint": "check --url",
        }
    problem = RondineProblem(document)
    told = response.headers.get("Retry-After", "")
    problem.retry_after = float(told) if told.isdigit() else None
    return problem


def _reason(error: httpx.HTTPError) -> str:
    if isinstance(error, httpx.TimeoutException):
        return "no answer in time"
    text = str(error)
    return "connection refused" if "refused" in text.lower() else text or type(error).__name__
