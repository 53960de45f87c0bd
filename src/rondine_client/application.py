"""The client of an application: what one environment offers it, called and read with its own token."""

from __future__ import annotations

import uuid
from collections.abc import Generator, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any, Literal

from rondine_client.addresses import step
from rondine_client.client import TIMEOUT, URL, AsyncClient, Client
from rondine_client.errors import RondineProblem
from rondine_client.requests import JsonLines, Pages, Request, Resource, S, Stream, call, given, pages, steps, stream

if TYPE_CHECKING:
    from rondine_client import types

#: How often a request is sent again after a failure that may pass.
RETRIES = 2


class Use(Resource[S]):
    """What both clients of applications offer.

    Requests that failed in a way that may pass are sent again, with a pause, as often as `retries` says. A call that
    writes has a key of its own (Idempotency-Key), so that it is made once however often it is sent.
    """

    def __init__(self, client: S, project: str, environment: str, caller: str | None, retries: int) -> None:
        super().__init__(client, f"/use/{step(project)}/{step(environment)}")
        self.caller, self.retries = caller, retries
        #: Operations that are known to write.
        self._writing: set[str] = set()

    def request(self, method: str, path: str = "", body: Any = None, **options: Any) -> Request[Any]:
        headers = {**given(**{"Rondine-Caller": self.caller}), **options.pop("headers", {})}
        return super().request(method, path, body, retries=self.retries, headers=headers, **options)

    @call
    def offer(self) -> Request[types.Offering]:
        """What the application may use: operations with their inputs and mappings, record types with their fields."""
        return self.request("GET")

    @call
    def openapi(self) -> Request[dict[str, Any]]:
        """The same as an OpenAPI 3.1 document."""
        return self.request("GET", "/openapi.json")

    @pages
    def replies(
        self, operation: str, inputs: Mapping[str, Any] | None = None, *, mapping: str | None = None
    ) -> Pages[types.CallReply]:
        """The replies of an operation page by page, as they are needed, until there is no next one. Whether the last
        one proves that these were all is in its `is_all`."""
        return _Replies(self._called(operation, inputs, {"mapping": mapping}, None, {}))

    @steps
    def content(
        self, operation: str, inputs: Mapping[str, Any] | None = None, *, key: str | None = None
    ) -> Generator[Request[Any], Any, bytes]:
        """The body of an operation's response, byte for byte."""
        request = self._called(operation, inputs, {}, key, {}, path="/content", is_bytes=True)
        return (yield from self._with_key(operation, request))

    @steps
    def start(
        self,
        operation: str,
        inputs: Mapping[str, Any] | None = None,
        *,
        mapping: str | None = None,
        key: str | None = None,
    ) -> Generator[Request[Any], Any, types.CallRun]:
        """Calls an operation in the background: its run, to be watched, or asked for later."""
        request = self._called(operation, inputs, {"mapping": mapping}, key, {"respond-async": True})
        return (yield from self._with_key(operation, request))

    @call
    def run(self, number: int) -> Request[types.CallRun]:
        """A call, while it runs and after: {state: queued, running, done, failed or cancelled, reply: {status, body},
        ...}."""
        return self.request("GET", f"/runs/{number}")

    @call
    def reply(self, number: int) -> Request[bytes]:
        """What a call was answered with, byte for byte, where it is kept. Raises RondineProblem (not_found) while it
        is not over."""
        return self.request("GET", f"/runs/{number}/reply", is_bytes=True)

    @stream
    def watch(self, number: int) -> Stream[types.CallRun]:
        """A run whenever something has happened to it; the last one when it is over."""
        return _Events(self.request("GET", f"/runs/{number}/events"))

    @pages
    def records(
        self,
        record_type: str,
        /,
        *,
        limit: int | None = None,
        gone: Literal["no", "also", "only"] | None = None,
        **filters: Any,
    ) -> Pages[types.UsedRecord]:
        """Kept records, page by page as they are needed. filters: field=value, and `sort`; of a range, such as
        `{"girth.from": 100}`.  limit: how many at most."""
        query = {**filters, **given(gone=gone), "limit": min(limit or 500, 500)}
        request = self.request("GET", f"/records/{step(record_type)}", query=query)
        return Pages(request, cursor="cursor", limit=limit)

    @call
    def record(self, record_type: str, *key: Any) -> Request[types.UsedRecord]:
        """One kept record by the values of its key. Raises RondineProblem (not_found)."""
        return self.request("GET", "/".join(["/records", *(step(str(one)) for one in (record_type, *key))]))

    @call
    def changes(self, record_type: str, after: str = "0", *, limit: int = 100) -> Request[types.UsedChanges]:
        """What happened to records after a mark, the oldest first: {items, next: the mark to read on from, is_all}."""
        return self.request("GET", f"/changes/{step(record_type)}", query={"after": after, "limit": limit})

    def _with_key(self, operation: str, request: Request[Any]) -> Generator[Request[Any], Any, Any]:
        """Sends a call with a new key, if it writes and has none."""
        if operation not in self._writing:
            try:
                return (yield request)
            except RondineProblem as problem:
                if problem.code != "key_needed":
                    raise
            self._writing.add(operation)
        return (yield request if request.mark else replace(request, mark=str(uuid.uuid4())))

    def _called(
        self,
        operation: str,
        inputs: Mapping[str, Any] | None,
        more: Mapping[str, Any],
        key: str | None,
        preferences: Mapping[str, Any],
        *,
        path: str = "",
        **options: Any,
    ) -> Request[Any]:
        prefer = [
            name if value is True else f"{name}={value:g}" for name, value in preferences.items() if value is not None
        ]
        headers = {"Prefer": ", ".join(prefer)} if prefer else {}
        body = {"inputs": dict(inputs or {}), **given(**more)}
        return self.request("POST", f"/operations/{step(operation)}{path}", body, mark=key, headers=headers, **options)

    @steps
    def call(
        self,
        operation: str,
        inputs: Mapping[str, Any] | None = None,
        *,
        mapping: str | None = None,
        after: str | None = None,
        key: str | None = None,
        wait: float | None = None,
    ) -> Generator[Request[Any], Any, types.CallReply]:
        """Calls an operation, and waits for its reply: {run, status, outcome, message, is_all, all_why, next, body,
        media_type}, or with a mapping {..., records by record type, rejects, filtered}. Of rows that come by pages it
        is one page: see `replies`.

        key: repeated with the same one, the call is made once, and the reply is the same; by default a new one, if it
        writes.  wait: seconds, at most as many as the application has.

        Raises RondineProblem; its document says in `outside` what the service answered, in `may_pass` whether trying
        again helps, in `run` where the call is told.
        """
        request = self._called(operation, inputs, {"mapping": mapping, "after": after}, key, {"wait": wait})
        return (yield from self._with_key(operation, request))


class Application(Use[Client]):
    """project, environment: that the token is for.  token: of the application; an administrator makes it.  caller: the
    user whom it calls for, where it is limited to some: the key of the user's record.  retries: after failures that may
    pass.  timeout: seconds for one answer.

    Raises RondineProblem for whatever is refused or fails, Unreachable if there is no service.
    """

    def __init__(
        self,
        project: str,
        environment: str,
        *,
        token: str,
        url: str = URL,
        caller: str | None = None,
        retries: int = RETRIES,
        timeout: float = TIMEOUT,
    ) -> None:
        super().__init__(Client(url, token, timeout=timeout), project, environment, caller, retries)

    def for_caller(self, caller: str) -> Use[Client]:
        """The same for one of its users, over the same connections."""
        _, _, project, environment = self.path.split("/")
        return Use(self.client, project, environment, caller, self.retries)

    def __enter__(self) -> Application:
        return self

    def __exit__(self, *_: object) -> None:
        self.client.close()


class AsyncApplication(Use[AsyncClient]):
    """As `Application`, for asyncio."""

    def __init__(
        self,
        project: str,
        environment: str,
        *,
        token: str,
        url: str = URL,
        caller: str | None = None,
        retries: int = RETRIES,
        timeout: float = TIMEOUT,
    ) -> None:
        super().__init__(AsyncClient(url, token, timeout=timeout), project, environment, caller, retries)

    def for_caller(self, caller: str) -> Use[AsyncClient]:
        """The same for one of its users, over the same connections."""
        _, _, project, environment = self.path.split("/")
        return Use(self.client, project, environment, caller, self.retries)

    async def __aenter__(self) -> AsyncApplication:
        return self

    async def __aexit__(self, *_: object) -> None:
        await self.client.close()


class _Replies(Pages["types.CallReply"]):
    """Pages that are asked for in the body."""

    def items(self, page: Any) -> list[types.CallReply]:
        return [page]

    def following(self, page: Any) -> _Replies | None:
        if page["next"] is None:
            return None
        body = {**self.request.body, "after": page["next"]}
        return _Replies(replace(self.request, body=body))


class _Events(JsonLines["types.CallRun"]):
    """Server-sent events: the `data` lines."""

    patience_for_line = 60.0

    def read(self, line: Any) -> list[types.CallRun]:
        return super().read(line[6:]) if line.startswith("data: ") else []
