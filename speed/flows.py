"""What it costs to combine services in a flow instead of in a script: three reads at once, and one after another,
beside the same reads made by hand; how soon a flow in the background begins; and what flows that wait cost.

python speed/flows.py [--calls 300] [--paused 10000]
"""

import argparse
import asyncio
import multiprocessing
import os
import time
import uuid
from pathlib import Path
from typing import Any

import aiohttp
from aiohttp import web
from common import answering, whole_rondine
from use import PROJECT, TREE, quantile, timed, told

NUMBER = {"number": {"input": "number"}}
THREE = ("one", "two", "three")


def serve(ports: Any, reached: Any) -> None:
    """A service that says when it was asked for something in the background. reached: the moments, by number."""

    async def answer(request: web.Request) -> web.Response:
        if request.path.startswith("/when/"):
            reached.put((request.path.rpartition("/")[2], time.time()))
        return web.json_response({"trees": [TREE]})

    answering(ports, answer)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--calls", type=int, default=300)
    parser.add_argument("--paused", type=int, default=10_000)
    args = parser.parse_args()
    ports: Any = multiprocessing.Queue()
    reached: Any = multiprocessing.Queue()
    service = multiprocessing.Process(target=serve, args=(ports, reached), daemon=True)
    service.start()
    try:
        port = ports.get(timeout=30)
        with whole_rondine() as rondine:
            token = prepare(rondine, port)
            asyncio.run(measure(rondine, token, port, args.calls))
            asyncio.run(background(rondine, token, reached, args.calls))
            asyncio.run(paused(rondine, token, args.paused))
    finally:
        service.terminate()


def prepare(rondine: Any, port: int) -> str:
    """Flows of three reads, one whose first step says when it began, and one that waits: an application's token."""
    rondine.permit(port)
    rondine.connect("trees", f"http://127.0.0.1:{port}")
    office = rondine.office()
    inputs = [{"name": "number", "required": True}]
    for name in (*THREE, "when"):
        document = {"path": f"/{name}/{{number}}", "inputs": inputs}
        office.operations.make(name, service="trees", document=document)

    def flow(name: str, *steps: Any) -> None:
        end = {"type": "end", "name": "end", "reply": {"number": {"input": "number"}}}
        document = {"inputs": inputs, "steps": [*steps, end], "reply": [{"name": "number"}]}
        assert office.flows.make(name, document=document)["problems"] == []

    branches = [{"name": one, "operation": one, "inputs": NUMBER} for one in THREE]
    flow("at-once", {"type": "ask", "name": "all", "together": branches})
    flow("in-turn", *({"type": "ask", "name": one, "ask": {"operation": one, "inputs": NUMBER}} for one in THREE))
    flow("when", {"type": "ask", "name": "when", "ask": {"operation": "when", "inputs": NUMBER}})
    flow("waits", {"type": "pause", "name": "yes", "person": {"question": "May it be felled?"}})
    applications = rondine.office("ada").applications
    applications.make("bench", environment="test", document={"all_flows": True, "may_write": True})
    token: str = applications.make_token("bench", "speed")["token"]
    return token


def session_of(token: str) -> aiohttp.ClientSession:
    connector = aiohttp.TCPConnector(limit=0)
    return aiohttp.ClientSession(
        connector=connector, timeout=aiohttp.ClientTimeout(120), headers={"Authorization": f"Bearer {token}"}
    )


async def measure(rondine: Any, token: str, port: int, calls: int) -> None:
    use = f"{rondine.url}/api/v1/use/{PROJECT}/test/flows"
    async with session_of(token) as session:

        async def bare(name: str) -> None:
            async with session.get(f"http://127.0.0.1:{port}/{name}/OLM-00014") as response:
                await response.json()

        async def all_at_once() -> None:
            await asyncio.gather(*(bare(one) for one in THREE))

        async def in_turn() -> None:
            for one in THREE:
                await bare(one)

        async def through(name: str) -> None:
            async with session.post(f"{use}/{name}", json={"inputs": {"number": "OLM-00014"}}) as response:
                assert response.status == 200, await response.text()
                await response.json()

        print(f"{calls} flows one after another, in turn with the same reads by hand: milliseconds")
        for words, by_hand, name in (
            ("three reads at once", all_at_once, "at-once"),
            ("three in turn", in_turn, "in-turn"),
        ):
            for _ in range(20):
                await through(name)
            bares, throughs = [], []
            for _ in range(calls):
                bares.append(await timed(by_hand))
                throughs.append(await timed(lambda name=name: through(name)))
            told(words, bares, throughs)
        began, left = time.perf_counter(), iter(range(calls * 2))

        async def work() -> None:
            for _ in left:
                await through("at-once")

        await asyncio.gather(*(work() for _ in range(50)))
        print(f"three reads at once, 50 flows at a time: {calls * 2 / (time.perf_counter() - began):,.0f} a second")


async def background(rondine: Any, token: str, reached: Any, calls: int) -> None:
    """From the request that begins a flow in the background to its first call outside."""
    address = f"{rondine.url}/api/v1/use/{PROJECT}/test/flows/when"
    begun = {}
    async with session_of(token) as session:
        for number in range(calls):
            begun[str(number)] = time.time()
            headers = {"Prefer": "respond-async", "Idempotency-Key": str(uuid.uuid4())}
            async with session.post(address, json={"inputs": {"number": str(number)}}, headers=headers) as response:
                assert response.status == 202, await response.text()
            await asyncio.sleep(0.05)
    took = []
    for _ in range(calls):
        number, moment = reached.get(timeout=60)
        took.append((moment - begun[number]) * 1000)
    print(
        f"a flow in the background begins (from the request to its first call): p50 {quantile(took, 0.5):.0f} ms,"
        f" p95 {quantile(took, 0.95):.0f} ms"
    )


async def paused(rondine: Any, token: str, count: int) -> None:
    """What flows that wait for a person cost, and how soon one of them goes on."""
    if not count:
        return
    address = f"{rondine.url}/api/v1/use/{PROJECT}/test/flows/waits"
    office = rondine.office()
    before = {name: Process(rondine.processes[name].pid) for name in ("web", "worker")}
    idle = await idle_share(before)
    began, left = time.perf_counter(), iter(range(count))
    async with session_of(token) as session:

        async def work() -> None:
            for number in left:
                headers = {"Prefer": "respond-async"}
                async with session.post(address, json={"inputs": {"number": str(number)}}, headers=headers) as response:
                    assert response.status == 202, await response.text()

        await asyncio.gather(*(work() for _ in range(20)))
    until = time.monotonic() + 600
    while (resting := len(list(office.flows.pauses()))) < count:
        assert time.monotonic() < until, f"{resting} of {count} rest"
        await asyncio.sleep(1)
    print(f"{count:,} flows were begun and wait after {time.perf_counter() - began:.0f} s")
    after = await idle_share(before)
    for name, process in before.items():
        print(
            f"  {name}: {process.memory / 1e6:.0f} MB before, {Process(process.pid).memory / 1e6:.0f} MB after;"
            f" idle it takes {idle[name]:.1%} of a core before, {after[name]:.1%} after"
        )
    took = []
    for one in list(office.flows.pauses())[:20]:
        began = time.perf_counter()
        office.flows.answer(one["run"], one["task"], True)
        [*_, last] = office.runs.watch(one["run"])
        assert last["state"] == "done"
        took.append((time.perf_counter() - began) * 1000)
    print(f"  an answer lets one of them end: p50 {quantile(took, 0.5):.0f} ms, p95 {quantile(took, 0.95):.0f} ms")


class Process:
    """memory: bytes held when this was made."""

    def __init__(self, pid: int) -> None:
        self.pid = pid
        status = Path(f"/proc/{pid}/status").read_text()
        self.memory = int(next(line for line in status.splitlines() if line.startswith("VmRSS")).split()[1]) * 1024

    def busy(self) -> float:
        """Seconds of CPU so far."""
        fields = Path(f"/proc/{self.pid}/stat").read_text().rpartition(")")[2].split()
        return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


async def idle_share(processes: dict[str, Process]) -> dict[str, float]:
    """The share of a core that each takes while nothing is asked of it."""
    await asyncio.sleep(3)
    before = {name: process.busy() for name, process in processes.items()}
    await asyncio.sleep(10)
    return {name: (process.busy() - before[name]) / 10 for name, process in processes.items()}


if __name__ == "__main__":
    main()
