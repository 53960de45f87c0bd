"""What it costs to call an operation through Rondine instead of calling the service itself: calls one after another,
both ways in turn; many at a time; a thousand callers who wait for a slow service; and a list of live records that may
be a minute old.

python speed/use.py [--calls 500] [--callers 1000]
"""

import argparse
import asyncio
import multiprocessing
import statistics
import time
import uuid
from pathlib import Path
from typing import Any

import aiohttp
from aiohttp import web
from common import answering, whole_rondine

TREE = {"number": "OLM-00014", "species": {"latin": "Sorbus aucuparia", "common": "rowan"}, "girth": 1.25}
PROJECT = "olmara"


def serve(ports: Any) -> None:
    async def answer(request: web.Request) -> web.Response:
        if request.path == "/slow":
            await asyncio.sleep(1)
        return web.json_response({"trees": [TREE]})

    answering(ports, answer)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--calls", type=int, default=500)
    parser.add_argument("--callers", type=int, default=1000)
    args = parser.parse_args()
    ports: Any = multiprocessing.Queue()
    service = multiprocessing.Process(target=serve, args=(ports,), daemon=True)
    service.start()
    try:
        port = ports.get(timeout=30)
        with whole_rondine() as rondine:
            token = prepare(rondine, port)
            asyncio.run(measure(rondine, token, port, args.calls, args.callers))
    finally:
        service.terminate()


def prepare(rondine: Any, port: int) -> str:
    """Operations that read, write and wait, and an application that may call them: its token."""
    rondine.permit(port)
    rondine.connect("trees", f"http://127.0.0.1:{port}")
    office = rondine.office()
    number = [{"name": "number", "required": True}]
    office.operations.make("tree", service="trees", document={"path": "/trees/{number}", "inputs": number})
    office.operations.make("slow", service="trees", document={"path": "/slow"})
    plan = {"method": "POST", "path": "/plans/{number}", "inputs": number}
    office.operations.make("plan", service="trees", document=plan)
    fields = [{"name": "number", "type": "text"}, {"name": "girth", "type": "decimal"}]
    office.record_types.make("measured", document={"key": ["number"], "fields": fields})
    output = {
        "record_type": "measured",
        "rows": [{"level": "tree", "at": "trees[*]"}],
        "fields": [{"name": "number", "from": "number"}, {"name": "girth", "from": "girth"}],
    }
    office.mappings.make("measured", service="trees", document={"outputs": [output]})
    office.record_types.make("tree-now", document={"key": ["number"], "fields": fields, "kind": "live"})
    office.mappings.make("tree-now", service="trees", document={"outputs": [{**output, "record_type": "tree-now"}]})
    listing = {"path": "/trees", "response": {"rows": ["$.trees[*]"]}}
    office.operations.make("trees-now", service="trees", document=listing)
    document = {"record_type": "tree-now", "mapping": "tree-now", "max_age": 60, "list": {"operation": "trees-now"}}
    office.bindings.make("tree-now", document=document)
    applications = rondine.office("ada").applications
    applications.make(
        "bench", environment="test", document={"all_operations": True, "all_record_types": True, "may_write": True}
    )
    token: str = applications.make_token("bench", "speed")["token"]
    return token


async def measure(rondine: Any, token: str, port: int, calls: int, callers: int) -> None:
    use = f"{rondine.url}/api/v1/use/{PROJECT}/test/operations"
    headers = {"Authorization": f"Bearer {token}"}
    connector = aiohttp.TCPConnector(limit=0)
    async with aiohttp.ClientSession(connector=connector, timeout=aiohttp.ClientTimeout(120)) as session:

        async def bare(path: str = "/trees/OLM-00014") -> None:
            async with session.get(f"http://127.0.0.1:{port}{path}") as response:
                await response.read()
                assert response.status == 200

        async def through(name: str = "tree", key: bool = False, **body: Any) -> None:
            question = {"inputs": {} if name == "slow" else {"number": "OLM-00014"}, **body}
            marked = {**headers, "Idempotency-Key": str(uuid.uuid4())} if key else headers
            async with session.post(f"{use}/{name}", json=question, headers=marked) as response:
                text = await response.text()
                assert response.status == 200, text

        print(f"{calls} calls one after another, in turn with bare ones: milliseconds")
        for words, one in (
            ("read", through),
            ("read, mapped", lambda: through(mapping="measured")),
            ("write, with a key", lambda: through("plan", key=True)),
        ):
            await one()
            bares, throughs = [], []
            for _ in range(calls):
                bares.append(await timed(bare))
                throughs.append(await timed(one))
            told(words, bares, throughs)
        await at_a_time(bare, through, calls)
        await from_cache(session, f"{rondine.url}/api/v1/use/{PROJECT}/test/records/tree-now", headers, calls)
        memory = resident(rondine)
        began = time.perf_counter()
        await asyncio.gather(*(bare("/slow") for _ in range(callers)))
        alone = time.perf_counter() - began
        began = time.perf_counter()
        await asyncio.gather(*(through("slow") for _ in range(callers)))
        waited = time.perf_counter() - began
        print(
            f"{callers} callers of what takes 1 s: bare {alone:.2f} s, through Rondine {waited:.2f} s;"
            f" its web process held {memory / 1e6:.0f} MB before, {resident(rondine) / 1e6:.0f} MB after"
        )


def told(words: str, bares: list[float], throughs: list[float]) -> None:
    (p50, p99), (bare50, bare99) = ((quantile(times, 0.5), quantile(times, 0.99)) for times in (throughs, bares))
    print(
        f"  {words:<18} p50 {p50:6.2f} (bare {bare50:5.2f}, added {p50 - bare50:5.2f})"
        f"   p99 {p99:6.2f} (bare {bare99:5.2f}, added {p99 - bare99:5.2f})"
    )


async def at_a_time(bare: Any, through: Any, calls: int) -> None:
    rates: dict[str, list[float]] = {"bare": [], "through": []}
    for _ in range(3):
        for name, one in (("bare", bare), ("through", through)):
            began = time.perf_counter()
            left = iter(range(calls * 2))

            async def work(one: Any = one, left: Any = left) -> None:
                for _ in left:
                    await one()

            await asyncio.gather(*(work() for _ in range(50)))
            rates[name].append(calls * 2 / (time.perf_counter() - began))
    median = {name: statistics.median(found) for name, found in rates.items()}
    print(f"50 at a time: {median['through']:,.0f} a second through Rondine, {median['bare']:,.0f} bare")


async def from_cache(session: aiohttp.ClientSession, address: str, headers: dict[str, str], calls: int) -> None:
    """A list of live records that may be a minute old, at most: one call of the service for all."""
    aged = {**headers, "Cache-Control": "max-age=60"}
    left = iter(range(calls * 4))

    async def work() -> None:
        for _ in left:
            async with session.get(address, headers=aged) as response:
                text = await response.text()
                assert response.status == 200, text

    async with session.get(address, headers=aged) as response:
        assert response.status == 200, await response.text()
    began = time.perf_counter()
    await asyncio.gather(*(work() for _ in range(50)))
    rate = calls * 4 / (time.perf_counter() - began)
    print(f"a list of live records from memory, 50 at a time: {rate:,.0f} a second")


async def timed(one: Any) -> float:
    began = time.perf_counter()
    await one()
    return (time.perf_counter() - began) * 1000


def quantile(times: list[float], share: float) -> float:
    return sorted(times)[min(len(times) - 1, int(len(times) * share))]


def resident(rondine: Any) -> int:
    """Bytes of memory that the web process holds."""
    status = Path(f"/proc/{rondine.processes['web'].pid}/status").read_text()
    line = next(line for line in status.splitlines() if line.startswith("VmRSS"))
    return int(line.split()[1]) * 1024


if __name__ == "__main__":
    main()
