"""How the library says what it asks for, without sending it.

A method of a resource describes one request, the pages of a list, or a stream. The decorators `call`, `steps`, `pages`
and `stream` turn it into a method that sends: with a `Client` it gives the answer, with an `AsyncClient` something to
await or to iterate over with `async for`. So each request stands once.
"""

from __future__ import annotations

import functools
import json
from collections.abc import AsyncIterator, Awaitable, Callable, Generator, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MethodType
from typing import TYPE_CHECKING, Any, BinaryIO, Concatenate, Generic, ParamSpec, TypeVar, overload

from rondine_client.errors import RondineProblem

if TYPE_CHECKING:
    from rondine_client.client import AsyncClient, Client

#: A response in a file: its name, its bytes or a file open for reading them, its media type.
Content = tuple[str, bytes | BinaryIO, str]
#: Told while something goes on: {what, done, of}.
Report = Callable[[Mapping[str, Any]], None]
UNKNOWN = "application/octet-stream"

P = ParamSpec("P")
T = TypeVar("T")
S = TypeVar("S", bound="Client | AsyncClient")


@dataclass(frozen=True, slots=True)
class Request(Generic[T]):
    """One request below /api/v1, whose answer is a T.

    version: of the item that is changed (If-Match).  mark: the Idempotency-Key.  contents: files that go with it, body
    being the question about them.  files: they are sent as parts of a form by their names, the values of the body
    beside them.  member: of the answer, where only that is wanted.  report: gets the progress, where
    the answer comes line by line.  retries: how often it is sent again after a failure that may pass.
    """

    method: str
    path: str
    body: Any = None
    query: Mapping[str, Any] = field(default_factory=dict)
    version: int | None = None
    mark: str | None = None
    contents: Sequence[Content] = ()
    files: Mapping[str, Content] = field(default_factory=dict)
    member: str = ""
    is_bytes: bool = False
    report: Report | None = None
    headers: Mapping[str, str] = field(default_factory=dict)
    retries: int = 0

    def arguments(self) -> dict[str, Any]:
        """As httpx takes it; what is None in the query is left out."""
        out: dict[str, Any] = {"params": {name: value for name, value in self.query.items() if value is not None}}
        headers = dict(self.headers)
        if self.version is not None:
            headers["If-Match"] = f'"{self.version}"'
        if self.mark is not None:
            headers["Idempotency-Key"] = self.mark
        if self.contents:
            files = [("content", (name, content, media_type)) for name, content, media_type in self.contents]
            out |= {"files": files, "data": {"asked": json.dumps(self.body)}}
        elif self.files:
            out |= {"files": dict(self.files), "data": {name: _form_text(value) for name, value in self.body.items()}}
        elif self.body is not None:
            out["json"] = self.body
        return {**out, "headers": headers}

    def pause(self, problem: RondineProblem, sent: int) -> float | None:
        """Seconds before it is sent again; None if that does not help. sent: how often it was."""
        if sent > self.retries or not problem.may_pass:
            return None
        return problem.retry_after if problem.retry_after is not None else 0.2 * 4 ** (sent - 1)

    def answer(self, content: bytes) -> T:
        if self.is_bytes:
            return content  # type: ignore[return-value]  # T is bytes then
        value: Any = json.loads(content) if content else None
        answer: T = value[self.member] if self.member else value
        return answer


@dataclass(frozen=True, slots=True)
class Pages(Generic[T]):
    """A list that the service gives page by page: {items, next}. cursor: the query parameter that takes `next`.  limit:
    items at most, None for all."""

    request: Request[Any]
    cursor: str = "after"
    limit: int | None = None

    def items(self, page: Mapping[str, Any]) -> list[T]:
        found: list[T] = page["items"]
        return found[: self.limit]

    def following(self, page: Mapping[str, Any]) -> Pages[T] | None:
        """What is left to ask for after a page."""
        left = None if self.limit is None else self.limit - len(page["items"])
        if page["next"] is None or (left is not None and left <= 0):
            return None
        query = {**self.request.query, self.cursor: page["next"]}
        return replace(self, request=replace(self.request, query=query), limit=left)


class Stream(Generic[T]):
    """What comes line by line in response to one request. This one is of JSON lines, and ends with the response."""

    #: Comes in parts as they are, and not line by line.
    is_bytes = False
    #: Seconds without a byte after which it counts as broken.
    patience_for_line = 600.0

    def __init__(self, request: Request[Any]) -> None:
        self.request = request
        self.is_over = False

    def read(self, line: Any) -> list[T]:
        """What a line, or a part, says. Raises RondineProblem if it is a problem."""
        value = json.loads(line)
        if "problem" in value:
            raise RondineProblem(value["problem"])
        return [value]

    def pause(self, problem: RondineProblem | None, now: float) -> float:
        """Called at the end of a response (problem: what broke it off): seconds to wait before asking again, unless it
        is over. now: seconds of a steady clock."""
        if problem is not None:
            raise problem
        self.is_over = True
        return 0.0


class Parts(Stream[bytes]):
    """A response's bytes, as they come."""

    is_bytes = True

    def read(self, line: Any) -> list[bytes]:
        return [line]


class JsonLines(Stream[T]):
    """One JSON value a line (NDJSON), none of which is a problem."""

    def read(self, line: Any) -> list[T]:
        return [json.loads(line)] if line else []


class Lines:
    """Lines of what comes in parts, ended by line feeds alone: JSON's texts may hold every other character that ends
    lines elsewhere."""

    def __init__(self) -> None:
        self._rest = b""

    def of(self, part: bytes, *, is_last: bool = False) -> list[str]:
        *whole, self._rest = (self._rest + part).split(b"\n")
        if is_last and self._rest:
            whole.append(self._rest)
        return [line.removesuffix(b"\r").decode() for line in whole]


class Progress(Stream[T]):
    """The answer to one request that tells its progress line by line, the last one being the result."""

    def __init__(self, request: Request[T], report: Report) -> None:
        super().__init__(request)
        self._report = report

    def read(self, line: Any) -> list[T]:
        (value,) = super().read(line)
        told: Any = value
        if "progress" in told:
            self._report(told["progress"])
            return []
        return [told["result"]]


class _Sending(Generic[P, T]):
    """A method of a resource that describes; see `call`, `steps`, `pages`, `stream`. send: the client's method for what
    it describes."""

    def __init__(self, describe: Callable[Concatenate[Any, P], Any], send: str) -> None:
        @functools.wraps(describe)
        def sending(resource: Any, /, *args: P.args, **kwargs: P.kwargs) -> Any:
            return getattr(resource.client, send)(describe(resource, *args, **kwargs))

        self.describe = describe
        self.__doc__, self.__wrapped__ = describe.__doc__, describe  # for help() on the class
        self._sending = sending

    def _bound(self, resource: Any) -> Any:
        return self if resource is None else MethodType(self._sending, resource)


class call(_Sending[P, T]):  # used as a decorator, as property is
    """A method that describes one request: gives its answer."""

    def __init__(self, describe: Callable[Concatenate[Any, P], Request[T]]) -> None:
        super().__init__(describe, "send")

    @overload
    def __get__(self, resource: Resource[Client], kind: type) -> Callable[P, T]: ...
    @overload
    def __get__(self, resource: Resource[AsyncClient], kind: type) -> Callable[P, Awaitable[T]]: ...
    @overload
    def __get__(self, resource: None, kind: type) -> call[P, T]: ...
    def __get__(self, resource: Any, kind: type) -> Any:
        return self._bound(resource)


class steps(_Sending[P, T]):
    """A method that yields one request after another, is sent their answers, and returns what it gives."""

    def __init__(self, describe: Callable[Concatenate[Any, P], Generator[Request[Any], Any, T]]) -> None:
        super().__init__(describe, "send_steps")

    @overload
    def __get__(self, resource: Resource[Client], kind: type) -> Callable[P, T]: ...
    @overload
    def __get__(self, resource: Resource[AsyncClient], kind: type) -> Callable[P, Awaitable[T]]: ...
    @overload
    def __get__(self, resource: None, kind: type) -> steps[P, T]: ...
    def __get__(self, resource: Any, kind: type) -> Any:
        return self._bound(resource)


class pages(_Sending[P, T]):
    """A method that describes the pages of a list: gives its items, one by one, asking for pages as they are needed."""

    def __init__(self, describe: Callable[Concatenate[Any, P], Pages[T]]) -> None:
        super().__init__(describe, "send_pages")

    @overload
    def __get__(self, resource: Resource[Client], kind: type) -> Callable[P, Iterator[T]]: ...
    @overload
    def __get__(self, resource: Resource[AsyncClient], kind: type) -> Callable[P, AsyncIterator[T]]: ...
    @overload
    def __get__(self, resource: None, kind: type) -> pages[P, T]: ...
    def __get__(self, resource: Any, kind: type) -> Any:
        return self._bound(resource)


class stream(_Sending[P, T]):
    """A method that describes a stream: gives what comes, as it comes."""

    def __init__(self, describe: Callable[Concatenate[Any, P], Stream[T]]) -> None:
        super().__init__(describe, "send_stream")

    @overload
    def __get__(self, resource: Resource[Client], kind: type) -> Callable[P, Iterator[T]]: ...
    @overload
    def __get__(self, resource: Resource[AsyncClient], kind: type) -> Callable[P, AsyncIterator[T]]: ...
    @overload
    def __get__(self, resource: None, kind: type) -> stream[P, T]: ...
    def __get__(self, resource: Any, kind: type) -> Any:
        return self._bound(resource)


class Resource(Generic[S]):
    """A part of the API: what can be asked there, by the client that sends it. path: below /api/v1."""

    def __init__(self, client: S, path: str = "") -> None:
        self.client, self.path = client, path

    def request(self, method: str, path: str = "", body: Any = None, **options: Any) -> Request[Any]:
        """A request below the resource's path. options: as of `Request`."""
        return Request(method, self.path + path, body, **options)


def _form_text(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def given(**values: Any) -> Mapping[str, Any]:
    """Those that are not None."""
    return {name: value for name, value in values.items() if value is not None}
