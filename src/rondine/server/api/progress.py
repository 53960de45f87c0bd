"""Long work in a thread, told line by line: one JSON value each (application/x-ndjson), progress first, the result or
the problem last.

Whoever reads may stop: when the connection ends, the next report ends the work.
"""

import asyncio
import threading
import time
from collections.abc import AsyncIterator, Awaitable, Callable
from typing import Any

from django.http import StreamingHttpResponse

from rondine.core.definitions.files import Report
from rondine.server.api.problems import named, problem
from rondine.server.api.rendering import JsonRenderer
from rondine.server.threads import release_database

#: Seconds between two reports at least.
EVERY = 0.2


class Stopped(Exception):
    """Nobody reads any more."""


def told(work: Callable[[Report], Awaitable[Any]]) -> StreamingHttpResponse:
    """The lines of a work: {"progress": {what, done, of}} as it goes on, then {"result": ...} or {"problem": ...}."""
    return StreamingHttpResponse(_lines(work), content_type="application/x-ndjson")


async def _lines(work: Callable[[Report], Awaitable[Any]]) -> AsyncIterator[bytes]:
    loop = asyncio.get_running_loop()
    queue: asyncio.Queue[dict[str, Any]] = asyncio.Queue()
    is_stopped = threading.Event()
    last = 0.0

    def report(what: str, done: int, of: int) -> None:
        nonlocal last
        if is_stopped.is_set():
            raise Stopped
        now = time.monotonic()
        if now - last >= EVERY:
            last = now
            loop.call_soon_threadsafe(queue.put_nowait, {"progress": {"what": what, "done": done, "of": of}})

    async def execute() -> None:
        try:
            queue.put_nowait({"result": await work(report)})
        except Stopped:
            pass
        except Exception as error:
            queue.put_nowait({"problem": problem(named(error))})

    await release_database()  # what is read line by line may be read slowly
    task = asyncio.create_task(execute())
    try:
        while True:
            line = await queue.get()
            yield JsonRenderer().render(line) + b"\n"
            if "progress" not in line:
                return
    finally:
        is_stopped.set()
        await asyncio.wait({task}, timeout=0)
