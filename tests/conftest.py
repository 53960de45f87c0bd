"""What the tests share: a server for made-up outside services, and a whole Rondine of real processes."""

import asyncio
import socketserver
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import hypothesis
import pytest
from aiohttp import web

from tests import described
from tests.whole_rondine import WholeRondine

# a busy machine is not a failure
hypothesis.settings.register_profile("here", deadline=None, suppress_health_check=[hypothesis.HealthCheck.too_slow])
hypothesis.settings.load_profile("here")


@pytest.fixture(scope="session", autouse=True)
def responses_are_as_described() -> Iterator[None]:
    """Each response that a test gets from the service by httpx is held against docs/openapi.json."""
    with pytest.MonkeyPatch.context() as patch:
        described.watch(patch)
        yield


@pytest.fixture(scope="session")
def rondine(tmp_path_factory: pytest.TempPathFactory) -> Iterator[WholeRondine]:
    """The service, a worker and the tree register as processes of their own, on a database of their own."""
    whole = WholeRondine(tmp_path_factory.mktemp("rondine"))
    whole.start()
    yield whole
    whole.stop()


@pytest.fixture(autouse=True)
def rondine_goes_on(request: pytest.FixtureRequest) -> Iterator[None]:
    """The processes that a test leaves behind run."""
    yield
    if "rondine" in request.fixturenames:
        request.getfixturevalue("rondine").check()


class OutsideService:
    """A made-up service on loopback: one function answers every request. `calls` holds what came, and `moments` when
    (seconds of the monotonic clock)."""

    def __init__(self, answer: Callable[[web.Request], Any]) -> None:
        self.calls: list[tuple[str, dict[str, str]]] = []
        self.moments: list[float] = []
        self._answer = answer
        self._loop = asyncio.new_event_loop()
        self._started = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()
        assert self._started.wait(10)

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._loop.run_until_complete(self._begin())
        self._loop.run_forever()
        self._loop.run_until_complete(self._end_rest())
        self._loop.close()

    async def _begin(self) -> None:
        async def handle(request: web.Request) -> web.StreamResponse:
            self.moments.append(time.monotonic())
            self.calls.append((str(request.rel_url), dict(request.headers)))
            made = self._answer(request)
            return await made if asyncio.iscoroutine(made) else made

        app = web.Application(client_max_size=64 * 1024**2)
        app.router.add_route("*", "/{path:.*}", handle)
        self._runner = web.AppRunner(app, shutdown_timeout=0.5)
        await self._runner.setup()
        site = web.TCPSite(self._runner, "127.0.0.1", 0)
        await site.start()
        self.port = site._server.sockets[0].getsockname()[1]
        self._started.set()

    def close(self) -> None:
        asyncio.run_coroutine_threadsafe(self._runner.cleanup(), self._loop).result(10)
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(10)

    async def _end_rest(self) -> None:
        """Ends what still answers somebody that has gone."""
        rest = asyncio.all_tasks() - {asyncio.current_task()}
        for task in rest:
            task.cancel()
        await asyncio.gather(*rest, return_exceptions=True)


@pytest.fixture
def serve() -> Iterator[Callable[[Callable[[web.Request], Any]], OutsideService]]:
    """Starts a made-up service for one test."""
    with _serving() as start:
        yield start


@pytest.fixture(scope="module")
def serve_for_module() -> Iterator[Callable[[Callable[[web.Request], Any]], OutsideService]]:
    """Starts a made-up service for the tests of a module."""
    with _serving() as start:
        yield start


@contextmanager
def _serving() -> Iterator[Callable[[Callable[[web.Request], Any]], OutsideService]]:
    made: list[OutsideService] = []

    def start(answer: Callable[[web.Request], Any]) -> OutsideService:
        made.append(OutsideService(answer))
        return made[-1]

    yield start
    for one in made:
        one.close()


@pytest.fixture
def serve_raw() -> Iterator[Callable[..., int]]:
    """Starts a server that answers each request with the next of these bytes, the last again and again, and closes;
    gives its port."""
    servers: list[socketserver.ThreadingTCPServer] = []

    def start(*answers: bytes) -> int:
        remaining = list(answers)

        class Handler(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                while self.rfile.readline().strip():
                    pass
                self.wfile.write(remaining.pop(0) if len(remaining) > 1 else remaining[0])

        server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Handler)
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
        servers.append(server)
        return server.server_address[1]

    yield start
    for server in servers:
        server.shutdown()
        server.server_close()
