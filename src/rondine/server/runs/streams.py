"""Live progress of a run as an event stream (HTML standard, "Server-sent events").

One PostgreSQL connection a process listens; each stream has a queue. A stream first listens, then reads the run, and
ends when the run is over, so that nothing is missed between the two.
"""

import asyncio
import json
from collections import defaultdict
from collections.abc import Callable
from functools import partial
from http.cookies import SimpleCookie
from importlib import import_module
from typing import Any

import psycopg
import structlog
from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth import SESSION_KEY
from django.db import connections

from rondine.core.errors import RondineError, SignInNeeded
from rondine.server.access.authentication import person_of_token
from rondine.server.access.authority import authorize
from rondine.server.access.models import Person
from rondine.server.api.problems import MEDIA_TYPE, named, problem
from rondine.server.api.rendering import JsonRenderer
from rondine.server.runs.actions import CHANNEL, find_run
from rondine.server.runs.serializers import RunSerializer
from rondine.server.threads import own_parameters

PING_SECONDS = 15.0
OVER = ("done", "failed", "cancelled")
log = structlog.get_logger("rondine.events")


class Hub:
    """Hands notices about runs to the streams that wait for them."""

    def __init__(self) -> None:
        self._queues: dict[int, set[asyncio.Queue[bool]]] = defaultdict(set)
        self._task: asyncio.Task[None] | None = None
        self.is_closing = False

    def listen(self, run_id: int) -> asyncio.Queue[bool]:
        queue: asyncio.Queue[bool] = asyncio.Queue(maxsize=1)
        self._queues[run_id].add(queue)
        if self._task is None or self._task.done():
            self._task = asyncio.get_running_loop().create_task(self._listen())
        return queue

    def leave(self, run_id: int, queue: asyncio.Queue[bool]) -> None:
        self._queues[run_id].discard(queue)
        if not self._queues[run_id]:
            del self._queues[run_id]

    def close(self) -> None:
        """Ends all streams, so that the server can stop at once."""
        self.is_closing = True
        for run_id in list(self._queues):
            self._tell(run_id)
        if self._task:
            self._task.cancel()

    def _tell(self, run_id: int) -> None:
        for queue in self._queues.get(run_id, ()):
            if queue.empty():
                queue.put_nowait(True)

    async def _listen(self) -> None:
        while not self.is_closing:
            try:
                async with await psycopg.AsyncConnection.connect(**own_parameters(), autocommit=True) as listening:
                    await listening.execute(f"LISTEN {CHANNEL}")
                    for run_id in list(self._queues):
                        self._tell(run_id)  # what came while nobody listened
                    async for notice in listening.notifies():
                        self._tell(int(notice.payload))
            except (psycopg.Error, OSError) as error:
                log.warning(
                    "cannot listen for runs", reason=str(error).splitlines()[0] if str(error) else type(error).__name__
                )
                await asyncio.sleep(1)


hub = Hub()


def add_stream(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """Describes the stream in the OpenAPI document: no Django view stands behind it."""
    path = "/api/v1/projects/{project}/runs/{run_id}"
    of_run = result["paths"][path]["get"]
    result["paths"][f"{path}/events"] = {
        "get": {
            **of_run,
            "operationId": "watchRun",
            "description": (
                'Events named "run", each with the run as `getRun` shows it in its data, whenever something has'
                " happened to it; the last one when it is over. A line that begins with a colon comes every 15 seconds."
            ),
            "responses": {
                **of_run["responses"],
                "200": {"description": "", "content": {"text/event-stream": {"schema": {"type": "string"}}}},
            },
        }
    }
    return result


async def stream_run(scope: Any, receive: Any, send: Any, project: str, run_id: int) -> None:
    """`run` events with the run as the API shows it, until it is over."""
    try:
        await sync_to_async(_begin)(scope, project, run_id)
    except Exception as error:
        found = named(error)
        body = json.dumps(problem(found)).encode()
        await send(
            {"type": "http.response.start", "status": found.status, "headers": [(b"content-type", MEDIA_TYPE.encode())]}
        )
        await send({"type": "http.response.body", "body": body})
        return
    await stream(receive, send, run_id, partial(_shown, scope, project, run_id))


async def stream(receive: Any, send: Any, run_id: int, shown: Callable[[], tuple[str, bytes]]) -> None:
    """`run` events until a run is over. shown: (the run's state, it as JSON); called in a thread."""
    queue = hub.listen(run_id)
    gone = asyncio.create_task(_until_gone(receive))
    try:
        await send(
            {
                "type": "http.response.start",
                "status": 200,
                "headers": [
                    (b"content-type", b"text/event-stream"),
                    (b"cache-control", b"no-store"),
                    (b"x-accel-buffering", b"no"),
                ],
            }
        )
        while not gone.done() and not hub.is_closing:
            state, data = await sync_to_async(shown)()
            await send(
                {"type": "http.response.body", "body": b"event: run\ndata: " + data + b"\n\n", "more_body": True}
            )
            if state in OVER:
                break
            while not gone.done():
                waiting = asyncio.create_task(queue.get())
                done, _ = await asyncio.wait({waiting, gone}, timeout=PING_SECONDS, return_when=asyncio.FIRST_COMPLETED)
                if waiting in done:
                    break
                waiting.cancel()
                if gone not in done:
                    await send({"type": "http.response.body", "body": b": ping\n\n", "more_body": True})
        await send({"type": "http.response.body", "body": b"", "more_body": False})
    except (OSError, RondineError):
        pass
    finally:
        hub.leave(run_id, queue)
        gone.cancel()


async def _until_gone(receive: Any) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass


def _begin(scope: Any, project: str, run_id: int) -> None:
    try:
        found, _ = authorize(_person(scope), project, "view")
        find_run(found, run_id)
    finally:
        connections.close_all()


def _shown(scope: Any, project: str, run_id: int) -> tuple[str, bytes]:
    """Checked again each time: who has lost the right sees no more. No database connection stays behind."""
    try:
        found, _ = authorize(_person(scope), project, "view")
        run = find_run(found, run_id)
        return run.state, JsonRenderer().render(RunSerializer(run).data)
    finally:
        connections.close_all()


def _person(scope: Any) -> Person | None:
    headers = {name.decode("latin-1"): value.decode("latin-1") for name, value in scope["headers"]}
    scheme, _, token = headers.get("authorization", "").partition(" ")
    if scheme.lower() == "bearer":
        return person_of_token(token.strip())[0]
    cookies = SimpleCookie(headers.get("cookie", ""))
    if settings.SESSION_COOKIE_NAME not in cookies:
        raise SignInNeeded("nobody is signed in", where="event stream", hint="sign in first")
    session = import_module(settings.SESSION_ENGINE).SessionStore(cookies[settings.SESSION_COOKIE_NAME].value)
    return Person.objects.filter(pk=session.get(SESSION_KEY), is_active=True).first()
