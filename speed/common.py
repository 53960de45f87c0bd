"""What the benchmarks share: a PostgreSQL of their own, a whole Rondine, and how ratios are told."""

import asyncio
import gc
import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib.util import find_spec
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT / "src"), str(ROOT), str(ROOT / "tools")]

from ground import VAR, Cluster  # noqa: E402


def needs(*modules: str) -> None:
    """Ends with what to do if a module is missing: ./start brings what Rondine needs, not what it is compared with."""
    if missing := [name for name in modules if find_spec(name) is None]:
        sys.exit(
            f"{Path(sys.argv[0]).name} needs {', '.join(missing)}; bring it once:"
            " .venv/bin/uv pip install --require-hashes -r requirements-dev.lock"
        )


#: The mapping of a survey, the same twelve fields as the hand-written scripts map.
RECORD_TYPE = {
    "key": ["external_id"],
    "fields": [
        {"name": name, "type": kind}
        for name, kind in (
            ("external_id", "integer"),
            ("code", "text"),
            ("status", "text"),
            ("seen_at", "datetime"),
            ("next_check", "date"),
            ("place_id", "integer"),
            ("place_name", "text"),
            ("district", "text"),
            ("ward", "text"),
            ("girth", "decimal"),
            ("height", "decimal"),
            ("tags", "text"),
        )
    ],
}
MAPPING = {
    "outputs": [
        {
            "record_type": "survey",
            "rows": [{"level": "survey", "at": "value[*]"}],
            "fields": [
                {"name": "external_id", "from": "id"},
                {"name": "code", "from": "code", "required": True},
                {"name": "status", "from": "status", "default": "unknown"},
                {"name": "seen_at", "from": "seen_at", "required": True},
                {"name": "next_check", "from": "next_check"},
                {"name": "place_id", "from": "place.id", "required": True},
                {"name": "place_name", "from": "place.name", "required": True, "convert": [{"type": "trim"}]},
                {"name": "district", "from": "place.site.district", "default": ""},
                {
                    "name": "ward",
                    "from": "place.site.ward",
                    "default": "",
                    "convert": [{"type": "case", "to": "upper"}],
                },
                {"name": "girth", "from": "measures.girth", "required": True},
                {"name": "height", "from": "measures.height.value", "required": True},
                {"name": "tags", "from": "tags", "convert": [{"type": "join", "with": ","}]},
            ],
        }
    ]
}


@contextmanager
def whole_rondine() -> Iterator[object]:
    """Rondine with its own cluster (durable, as in production) for the time of a benchmark."""
    with whole_rondine_in() as (rondine, _):
        yield rondine


@contextmanager
def whole_rondine_in() -> Iterator[tuple[Any, Cluster]]:
    """As `whole_rondine`, with the cluster."""
    cluster = Cluster(VAR / "speed-postgres", 18252)
    cluster.start()
    os.environ["RONDINE_DATABASE"] = cluster.uri("postgres")
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    from tests.whole_rondine import WholeRondine

    with tempfile.TemporaryDirectory() as home:
        rondine = WholeRondine(Path(home))
        try:
            rondine.start()
            yield rondine, cluster
        finally:
            rondine.stop()
            cluster.stop()


@contextmanager
def own_database() -> Iterator[None]:
    """An empty database of Rondine's for the time of a benchmark, to be asked by the service's own code in this
    process."""
    options = "-c synchronous_commit=off -c max_wal_size=4GB -c maintenance_work_mem=512MB -c shared_buffers=1GB"
    cluster = Cluster(VAR / "speed-postgres", 18252, options=options)
    cluster.start()
    import psycopg

    with psycopg.connect(cluster.uri("postgres"), autocommit=True) as connection:
        connection.execute("DROP DATABASE IF EXISTS records_speed WITH (FORCE)")
        connection.execute("CREATE DATABASE records_speed")
    os.environ["RONDINE_DATABASE"] = cluster.uri("records_speed")
    os.environ["DJANGO_SETTINGS_MODULE"] = "rondine.server.settings"
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import connections

    try:
        call_command("migrate", verbosity=0)
        yield
    finally:
        connections.close_all()
        with psycopg.connect(cluster.uri("postgres"), autocommit=True) as connection:
            connection.execute("DROP DATABASE records_speed WITH (FORCE)")
        cluster.stop()


def alternately(ways: dict[str, Callable[[], object]], rounds: int, rows: int) -> dict[str, float]:
    """The median seconds of each way, all of them run in turn, round after round; printed as they are told."""
    times: dict[str, list[float]] = {way: [] for way in ways}
    gc.collect()
    gc.freeze()
    gc.set_threshold(200_000, 50, 100)  # as in the worker; the other ways have it too
    for _ in range(rounds):
        for way, action in ways.items():
            began = time.perf_counter()
            action()
            times[way].append(time.perf_counter() - began)
    return {way: told(way, seconds, rows) for way, seconds in times.items()}


def told(name: str, seconds: list[float], rows: int) -> float:
    median = statistics.median(seconds)
    print(
        f"  {name:<34} {median:7.2f} s  {rows / median:10,.0f} rows/s   ({', '.join(f'{t:.2f}' for t in seconds)})",
        flush=True,
    )
    return median


def answering(ports: Any, answer: Callable[[Any], Any]) -> None:
    """A service on loopback that answers every request so, until its process is ended. ports: a queue that its port is
    put into."""
    from aiohttp import web

    async def run() -> None:
        app = web.Application()
        app.router.add_route("*", "/{path:.*}", answer)
        runner = web.AppRunner(app)
        await runner.setup()
        site = web.TCPSite(runner, "127.0.0.1", 0, backlog=2048)
        await site.start()
        ports.put(site._server.sockets[0].getsockname()[1])  # type: ignore[union-attr]
        await asyncio.Event().wait()

    asyncio.run(run())
