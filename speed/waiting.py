"""How long a run waits until a worker begins it, one after another, against the quickest hand-over that PostgreSQL has:
a row inserted by one process with NOTIFY, claimed by another that listens.

Then many at a time: how many runs of one page an hour one worker carries out.
"""

import argparse
import statistics
import subprocess
import sys
import time
from datetime import datetime
from typing import Any

from common import MAPPING, RECORD_TYPE, ROOT, whole_rondine

LISTENER = """
import sys, psycopg
connect = lambda: psycopg.connect(sys.argv[1], autocommit=True)
with connect() as listening, connect() as claiming:
    listening.execute("LISTEN handed_over")
    print("up", flush=True)
    for _ in listening.notifies():
        claiming.execute("UPDATE handed_over SET begun = clock_timestamp() WHERE begun IS NULL")
"""


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--runs", type=int, default=100)
    args = parser.parse_args()
    with whole_rondine() as rondine:
        measure(rondine, args.runs)


def measure(rondine: Any, runs: int) -> None:
    port = rondine.port + 20
    words = [sys.executable, str(ROOT / "speed" / "surveys.py"), "--rows", "10", "--port", str(port)]
    server = subprocess.Popen(words, stdout=subprocess.PIPE)
    assert server.stdout
    server.stdout.readline()
    try:
        prepare(rondine, port)
        waits = one_by_one(rondine, runs)
        bare = handed_over(rondine.uri, runs)
        print(f"{runs} runs, one after another: milliseconds until a worker begins")
        for name, times in (("rondine", waits), ("bare NOTIFY", bare)):
            p95 = statistics.quantiles(times, n=20)[-1]
            print(f"  {name:<12} median {statistics.median(times):6.1f}   p95 {p95:6.1f}   most {max(times):6.1f}")
        print(f"  {statistics.median(waits) / statistics.median(bare):.1f} x the bare hand-over")
        together(rondine, runs)
    finally:
        server.terminate()
        server.wait(10)


def prepare(rondine: Any, port: int) -> None:
    rondine.permit(port)
    rondine.connect("surveys", f"http://127.0.0.1:{port}")
    office = rondine.office()
    document = {"path": "/surveys", "paging": {"type": "page_number", "total": "/count"}}
    office.operations.make("surveys", service="surveys", document=document)
    for number in range(8):
        kind = f"survey-{number}"
        office.record_types.make(kind, document=RECORD_TYPE)
        mapping = {"outputs": [{**MAPPING["outputs"][0], "record_type": kind}]}
        office.mappings.make(kind, service="surveys", document=mapping)
        office.feeds.make(kind, operation="surveys", mapping=kind, environment="test", document={})


def one_by_one(rondine: Any, runs: int) -> list[float]:
    return [waited(rondine.finish("survey-0")) for _ in range(runs + 1)][1:]


def waited(run: dict[str, Any]) -> float:
    assert run["state"] == "done", run
    began, queued = (datetime.fromisoformat(run[name]) for name in ("started_at", "queued_at"))
    return (began - queued).total_seconds() * 1000


def handed_over(uri: str, runs: int) -> list[float]:
    import psycopg

    with psycopg.connect(uri, autocommit=True) as connection:
        connection.execute(
            "CREATE TABLE handed_over"
            " (id serial PRIMARY KEY, made timestamptz DEFAULT clock_timestamp(), begun timestamptz)"
        )
        listener = subprocess.Popen([sys.executable, "-c", LISTENER, uri], stdout=subprocess.PIPE)
        assert listener.stdout
        listener.stdout.readline()
        try:
            for _ in range(runs):
                connection.execute(
                    "WITH one AS (INSERT INTO handed_over DEFAULT VALUES) SELECT pg_notify('handed_over', '')"
                )
                while connection.execute("SELECT 1 FROM handed_over WHERE begun IS NULL").fetchone():
                    time.sleep(0.005)
            found = connection.execute(
                "SELECT extract(epoch FROM begun - made)::float8 * 1000 FROM handed_over"
            ).fetchall()
        finally:
            listener.terminate()
            listener.wait(10)
            connection.execute("DROP TABLE handed_over")
    return [one for (one,) in found]


def together(rondine: Any, runs: int) -> None:
    """Feeds run one after another, several feeds at the same time."""
    office = rondine.office()
    began = time.perf_counter()
    for _ in range(-(-runs // 8)):
        queued = [office.feeds.run(f"survey-{number}")["id"] for number in range(8)]
        for run in queued:
            assert rondine.watch(run)["state"] == "done"
    seconds = time.perf_counter() - began
    done = -(-runs // 8) * 8
    print(f"{done} runs, 8 at a time: {done / seconds:.1f} a second, {done / seconds * 3600:,.0f} an hour")


if __name__ == "__main__":
    main()
