"""The client of an application: what one environment offers it, called and read with its own token."""

from __future__ import annotations

import json
import uuid
from collections.abc import Generator, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any, Literal

from rondine_client.addresses import step
from rondine_client.client import TIMEOUT, URL, AsyncClient, Client
from rondine_client.errors import RondineProblem
from rondine_client.requests import (
    Content,
    JsonLines,
    Pages,
    Parts,
    Request,
    Resource,
    S,
    Stream,
    call,
    given,
    pages,
    steps,
    stream,
)

if TYPE_CHECKING:
    from rondine_client import types

#: How often a request is sent again after a failure that may pass.
RETRIES = 2


class Use(Resource[S]):
    """What both clients of applications offer.

    Requests that failed in a way that may pass are sent again, with a pause, as often as `retries` says. A call that
    writes has a key of its own (Idempotency-Key), so that it is made once however often it is sent.
    """

    def __init__(
        self, client: S, project: str, environment: str, caller: str | None, session: str | None, retries: int
    ) -> None:
        super().__init__(client, f"/use/{step(project)}/{step(environment)}")
        self.caller, self.session, self.retries = caller, session, retries
        #: Operations that are known to write.
        self._writing: set[str] = set()

    def request(self, method: str, path: str = "", body: Any = None, **options: Any) -> Request[Any]:
        who = given(**{"Rondine-Caller": self.caller, "Rondine-Session": self.session})
        headers = {**who, **options.pop("headers", {})}
        return super().request(method, path, body, retries=self.retries, headers=headers, **options)

    @call
    def offer(self) -> Request[types.Offering]:
        """What the application may use: operations with their inputs and mappings, flows with their inputs and replies,
        record types with their fields."""
        return self.request("GET")

    @call
    def openapi(self) -> Request[dict[str, Any]]:
        """The same as an OpenAPI 3.1 document."""
        return self.request("GET", "/openapi.json")

    @call
    def begin_session(
        self,
        service: str,
        *,
        callback: str | None = None,
        user_name: str | None = None,
        secrets: Mapping[str, str] | None = None,
    ) -> Request[types.UserSession]:
        """A user signs in at a service with an account of their own: {session: its token, told this once; address: of
        the page of consent to send the user to, or None; state; ...}. The token goes with every call for that user, see
        `for_caller`; keep it where you keep the user's own session, and nowhere else.

        callback: where the service sends a user back to, who consents there; then see `answer_session`.  user_name,
        secrets: where the user signs in by a password, such as {"password": ...}.

        Raises RondineProblem (user_sign_in_needed) if the service does not accept the user.
        """
        body = given(service=service, callback=callback, user_name=user_name, secrets=secrets)
        return self.request("POST", "/sessions", body)

    @call
    def answer_session(self, answer: Mapping[str, str]) -> Request[types.UserSession]:
        """The user is back from the page of consent. answer: the query of the callback address, with code and state."""
        return self.request("POST", "/sessions/current/answer", {"answer": dict(answer)})

    @call
    def own_session(self) -> Request[types.UserSession]:
        """Whether the session is good. Raises RondineProblem (user_sign_in_needed) if it has ended."""
        return self.request("GET", "/sessions/current")

    @call
    def end_session(self) -> Request[None]:
        """Signs the user out; nothing of the session is left."""
        return self.request("DELETE", "/sessions/current")

    @pages
    def replies(
        self, operation: str, inputs: Mapping[str, Any] | None = None, *, mapping: str | None = None
    ) -> Pages[types.CallReply]:
        """The replies of an operation page by page, as they are needed, until there is no next one. Whether the last
        one proves that these were all is in its `is_all`."""
        return _Replies(self._called(operation, inputs, {"mapping": mapping}, None, {}))

    @steps
    def content(
        self,
        operation: str,
        inputs: Mapping[str, Any] | None = None,
        *,
        files: Mapping[str, Content] | None = None,
        key: str | None = None,
    ) -> Generator[Request[Any], Any, bytes]:
        """The body of an operation's response, byte for byte. files: as of `call`."""
        request = self._called(operation, inputs, {}, key, {}, path="/content", files=files, is_bytes=True)
        return (yield from self._with_key(operation, request))

    @stream
    def download(
        self, operation: str, inputs: Mapping[str, Any] | None = None, *, first: int = 0, last: int | None = None
    ) -> Stream[bytes]:
        """The body of an operation that only reads, piece by piece: for what is large. first, last: numbers of bytes,
        from 0 on, where only a part is wanted.

        Raises RondineProblem (range_not_there) for a part that it does not have, and Unreachable if it breaks off.
        """
        is_part = bool(first) or last is not None
        headers = {"Range": f"bytes={first}-{'' if last is None else last}"} if is_part else {}
        query = {name: value if isinstance(value, str) else _json(value) for name, value in (inputs or {}).items()}
        return Parts(self.request("GET", f"/operations/{step(operation)}/content", query=query, headers=headers))

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

    @steps
    def call_flow(
        self,
        flow: str,
        inputs: Mapping[str, Any] | None = None,
        *,
        key: str | None = None,
        wait: float | None = None,
    ) -> Generator[Request[Any], Any, types.FlowReply | types.CallRun]:
        """Runs a flow, and waits for what it replies: {run, flow, reply}. One that is not over in time, as it waits for
        a person, say, gives its run instead: {state, waits_for, ...}; see `watch`.

        key: repeated with the same one, it is run once, and the reply is the same; by default a new one, if it writes.
        wait: seconds, at most as many as the application has.

        Raises RondineProblem (flow_failed) if it fails; the document says in `failure` why, in `undone` what was taken
        back, and in `not_undone` what could not be.
        """
        return (yield from self._with_key(f"flow {flow}", self._flow(flow, inputs, key, {"wait": wait})))

    @steps
    def start_flow(
        self, flow: str, inputs: Mapping[str, Any] | None = None, *, key: str | None = None
    ) -> Generator[Request[Any], Any, types.CallRun]:
        """Runs a flow in the background: its run, to be watched, or asked for later."""
        return (yield from self._with_key(f"flow {flow}", self._flow(flow, inputs, key, {"respond-async": True})))

    def _flow(
        self, flow: str, inputs: Mapping[str, Any] | None, key: str | None, preferences: Mapping[str, Any]
    ) -> Request[Any]:
        headers = _preferring(preferences)
        return self.request("POST", f"/flows/{step(flow)}", {"inputs": dict(inputs or {})}, mark=key, headers=headers)

    @call
    def run(self, number: int) -> Request[types.CallRun]:
        """A call, while it runs and after: {state: queued, running, waiting, done, failed or cancelled, waits_for,
        reply: {status, body}, ...}."""
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
        local: bool | None = None,
        max_age: int | None = None,
        **filters: Any,
    ) -> Pages[types.UsedRecord]:
        """Records, kept or live, page by page as they are needed. filters: field=value, and `sort`; of a range, such as
        `{"girth.from": 100}`.  limit: how many at most.  Of live ones, max_age: how old an answer may be, in seconds;
        local: what the service cannot do is done by Rondine, over all rows."""
        request = self._records(record_type, filters, limit=limit, gone=gone, local=local, max_age=max_age)
        return Pages(request, cursor="cursor", limit=limit)

    @call
    def page(
        self,
        record_type: str,
        /,
        *,
        cursor: str | None = None,
        limit: int | None = 50,
        local: bool | None = None,
        max_age: int | None = None,
        **filters: Any,
    ) -> Request[types.UsedRecordPage]:
        """One page of them: {items, next}; of live ones also {is_all, rejects, live: {calls, age, ...}}. cursor: `next`
        of the page before."""
        return self._records(record_type, {**filters, "cursor": cursor}, limit=limit, local=local, max_age=max_age)

    def _records(
        self, record_type: str, filters: Mapping[str, Any], *, limit: int | None, max_age: int | None, **more: Any
    ) -> Request[Any]:
        query = {**filters, **given(**more), "limit": min(limit or 500, 500)}
        return self.request("GET", f"/records/{step(record_type)}", query=query, headers=_age(max_age))

    @call
    def record(self, record_type: str, *key: Any, max_age: int | None = None) -> Request[types.UsedRecord]:
        """One record by the values of its key; a live one with its `version`. Raises RondineProblem (not_found)."""
        return self.request("GET", _way(record_type, key), headers=_age(max_age))

    @call
    def create(
        self, record_type: str, data: Mapping[str, Any], *, key: str | None = None
    ) -> Request[types.UsedWritten]:
        """A new live record: {key, data, version, confirmed}. key: repeated with the same one, it is made once; by
        default a new one."""
        return self._write("POST", record_type, (), {"data": dict(data)}, None, key)

    @call
    def change(
        self, record_type: str, *of: Any, data: Mapping[str, Any], version: str, key: str | None = None
    ) -> Request[types.UsedWritten]:
        """Changes some fields of a live record. version: that it was read with, "*" for any. Raises RondineProblem
        (changed_meanwhile) if it is another one by now."""
        return self._write("PATCH", record_type, of, {"data": dict(data)}, version, key)

    @call
    def replace(
        self, record_type: str, *of: Any, data: Mapping[str, Any], version: str, key: str | None = None
    ) -> Request[types.UsedWritten]:
        """Writes a live record whole."""
        return self._write("PUT", record_type, of, {"data": dict(data)}, version, key)

    @call
    def remove(self, record_type: str, *of: Any, version: str, key: str | None = None) -> Request[types.UsedWritten]:
        return self._write("DELETE", record_type, of, None, version, key)

    def _write(
        self, method: str, record_type: str, of: tuple[Any, ...], body: Any, version: str | None, key: str | None
    ) -> Request[Any]:
        headers = given(**{"If-Match": version})
        mark = key or str(uuid.uuid4())
        return self.request(method, _way(record_type, of), body, headers=headers, mark=mark)

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
        files: Mapping[str, Content] | None = None,
        **options: Any,
    ) -> Request[Any]:
        headers = _preferring(preferences)
        body = {"inputs": dict(inputs or {}), **given(**more)}
        if files:
            body, options = dict(inputs or {}), {**options, "files": files, "query": given(**more)}
        return self.request("POST", f"/operations/{step(operation)}{path}", body, mark=key, headers=headers, **options)

    @steps
    def call(
        self,
        operation: str,
        inputs: Mapping[str, Any] | None = None,
        *,
        mapping: str | None = None,
        after: str | None = None,
        files: Mapping[str, Content] | None = None,
        key: str | None = None,
        wait: float | None = None,
    ) -> Generator[Request[Any], Any, types.CallReply]:
        """Calls an operation, and waits for its reply: {run, status, outcome, message, is_all, all_why, next, body,
        media_type}, or with a mapping {..., records by record type, rejects, filtered}. Of rows that come by pages it
        is one page: see `replies`.

        key: repeated with the same one, the call is made once, and the reply is the same; by default a new one, if it
        writes.  wait: seconds, at most as many as the application has.  files: inputs that are files, each with its
        name, its bytes or a file open for reading them, and its media type.

        Raises RondineProblem; its document says in `outside` what the service answered, in `may_pass` whether trying
        again helps, in `run` where the call is told.
        """
        more = {"mapping": mapping, "after": after}
        request = self._called(operation, inputs, more, key, {"wait": wait}, files=files)
        return (yield from self._with_key(operation, request))


class Application(Use[Client]):
    """project, environment: that the token is for.  token: of the application; an administrator makes it.  caller: the
    user whom it calls for, where it is limited to some: the key of the user's record.  session: in which that user has
    signed in at a service.  retries: after failures that may
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
        session: str | None = None,
        retries: int = RETRIES,
        timeout: float = TIMEOUT,
    ) -> None:
        super().__init__(Client(url, token, timeout=timeout), project, environment, caller, session, retries)

    def for_caller(self, caller: str | None = None, *, session: str | None = None) -> Use[Client]:
        """The same for one of its users, over the same connections. session: in which the user has signed in at a
        service, see `begin_session`; several are separated by commas."""
        _, _, project, environment = self.path.split("/")
        return Use(self.client, project, environment, caller, session, self.retries)

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
        session: str | None = None,
        retries: int = RETRIES,
        timeout: float = TIMEOUT,
    ) -> None:
        super().__init__(AsyncClient(url, token, timeout=timeout), project, environment, caller, session, retries)

    def for_caller(self, caller: str | None = None, *, session: str | None = None) -> Use[AsyncClient]:
        """The same for one of its users, over the same connections. session: in which the user has signed in at a
        service, see `begin_session`; several are separated by commas."""
        _, _, project, environment = self.path.split("/")
        return Use(self.client, project, environment, caller, session, self.retries)

    async def __aenter__(self) -> AsyncApplication:
        return self

    async def __aexit__(self, *_: object) -> None:
        await self.client.close()


def _preferring(preferences: Mapping[str, Any]) -> dict[str, str]:
    """The header field Prefer (RFC 7240)."""
    given = [name if value is True else f"{name}={value:g}" for name, value in preferences.items() if value is not None]
    return {"Prefer": ", ".join(given)} if given else {}


def _json(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False)


def _way(record_type: str, key: tuple[Any, ...]) -> str:
    return "/".join(["/records", *(step(str(one)) for one in (record_type, *key))])


def _age(seconds: int | None) -> dict[str, str]:
    return {} if seconds is None else {"Cache-Control": f"max-age={seconds}"}


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
