"""A whole feed against hand-written scripts: fetch 200 pages, map 12 fields, keep; first load, then nothing changed,
then a tenth of the rows. Beside it, the memory that the worker and its helper hold at most.

--scripts and --server take other hand-written scripts and another service of the same rows (same options as
speed/scripts.py and speed/surveys.py).
"""

import argparse
import json
import subprocess
import sys
import time
import urllib.request
from datetime import datetime
from pathlib import Path
from typing import Any

from common import MAPPING, RECORD_TYPE, ROOT, needs, told, whole_rondine

CHANGED = "a tenth changed"
LOADS = ("first load", "nothing changed", CHANGED)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rows", type=int, default=200_000)
    parser.add_argument("--page-size", type=int, default=1000)
    parser.add_argument("--concurrency", type=int, default=8)
    parser.add_argument("--bad", type=float, default=0.0, help="share of rows that cannot be mapped")
    parser.add_argument("--latency-ms", type=float, default=20.0, help="of each page")
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--ways", default="simple,careful")
    parser.add_argument("--scripts", type=Path, default=ROOT / "speed" / "scripts.py")
    parser.add_argument(
        "--server",
        nargs="+",
        default=[str(ROOT / "speed" / "surveys.py")],
        help="the service's script and its first words",
    )
    args = parser.parse_args()
    needs("orjson", "requests")
    with whole_rondine() as rondine:
        run(args, rondine)


def run(args: argparse.Namespace, rondine: Any) -> None:
    port = rondine.port + 20
    words = [
        sys.executable,
        *args.server,
        "--rows",
        str(args.rows),
        "--page-size",
        str(args.page_size),
        "--port",
        str(port),
        "--bad",
        str(args.bad),
        "--latency-ms",
        str(args.latency_ms),
    ]
    server = subprocess.Popen(words, stdout=subprocess.PIPE)
    assert server.stdout
    server.stdout.readline()
    try:
        url = f"http://127.0.0.1:{port}/surveys"
        prepare(rondine, port, args.concurrency)
        ways = [way for way in args.ways.split(",") if way]
        loads = {title: {way: [] for way in ["rondine", *ways]} for title in LOADS}
        most = 0.0
        for _ in range(args.rounds):
            rondine.sql(
                "WITH a AS (DELETE FROM records_record),"
                " b AS (UPDATE records_recordset SET count = 0, revision = revision + 1) SELECT 1"
            )
            vacuum(rondine.uri)
            for title, times in loads.items():
                tell(port, title)
                times["rondine"].append(feed(rondine, args))
                most = max(most, held(rondine.processes["worker"].pid))
            for way in ways:
                drop(rondine.uri)
                for title, times in loads.items():
                    tell(port, title)
                    times[way].append(script(args, way, url, rondine.uri))
        for title, times in loads.items():
            print(f"{title}, {args.rows:,} rows in pages of {args.page_size:,}, {args.bad:.1%} bad")
            medians = {way: told(way, seconds, args.rows) for way, seconds in times.items()}
            for way in ways:
                print(f"  rondine is {medians[way] / medians['rondine']:.2f} x as fast as {way}")
        print(f"the worker held {most:.0f} MB at most")
    finally:
        server.terminate()
        server.wait(10)


def tell(port: int, title: str) -> None:
    """Lets the service give what a load is about."""
    urllib.request.urlopen(f"http://127.0.0.1:{port}/version?set={2 if title == CHANGED else 1}").read()


def held(pid: int) -> float:
    """Megabytes that a process had at most in memory."""
    [line] = [one for one in Path(f"/proc/{pid}/status").read_text().splitlines() if one.startswith("VmHWM")]
    return int(line.split()[1]) / 1024


def prepare(rondine: Any, port: int, parallel: int) -> None:
    rondine.permit(port)
    office = rondine.office()
    rondine.connect("surveys", f"http://127.0.0.1:{port}")
    office.operations.make(
        "surveys",
        service="surveys",
        document={"path": "/surveys", "paging": {"type": "page_number", "total": "/count"}},
    )
    office.record_types.make("survey", document=RECORD_TYPE)
    made = office.mappings.make("surveys", service="surveys", document=MAPPING)
    assert not made["problems"], made["problems"]
    office.feeds.make(
        "surveys", operation="surveys", mapping="surveys", environment="test", document={"parallel": parallel}
    )


def feed(rondine: Any, args: argparse.Namespace) -> float:
    """Seconds from the run's first moment to its last, as the run itself says; waiting in the queue is told apart by
    the run page."""
    run = rondine.finish("surveys")
    counts = run["counts"][0]
    assert run["state"] == "done" and counts["rows"] == args.rows, run
    assert args.bad or not counts["rejected"], counts
    return (datetime.fromisoformat(run["ended_at"]) - datetime.fromisoformat(run["started_at"])).total_seconds()


def script(args: argparse.Namespace, way: str, url: str, dsn: str) -> float:
    words = [sys.executable, str(args.scripts), way, "--url", url, "--dsn", dsn, "--concurrency", str(args.concurrency)]
    found = json.loads(subprocess.run(words, capture_output=True, text=True, check=True).stdout)
    assert found["rows"] + found["errors"] == args.rows, found
    return float(found["seconds"])


def vacuum(uri: str) -> None:
    import psycopg

    with psycopg.connect(uri, autocommit=True) as connection:
        connection.execute("VACUUM records_record")
    time.sleep(0.2)


def drop(uri: str) -> None:
    import psycopg

    with psycopg.connect(uri, autocommit=True) as connection:
        connection.execute("DROP TABLE IF EXISTS script_survey, baseline_survey")


if __name__ == "__main__":
    main()
