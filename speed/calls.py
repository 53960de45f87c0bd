"""What a call costs through the engine: sign-in, limits, redirect rule and cleaning, against bare aiohttp with the same
header. CPU of the whole process.

python speed/calls.py [--calls 3000] [--at-a-time 50] [--rounds 5]
"""

import argparse
import asyncio
import multiprocessing
import statistics
import sys
import time
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "src"))

import aiohttp
from aiohttp import web

from rondine.core.http.limits import Limit
from rondine.core.http.messages import Request, Send
from rondine.core.secret import Secret
from rondine.core.signin import ApiKey, ClientCredentials
from rondine.engine.client import Engine, OpenConnection
from rondine.engine.guard import Guard, PermittedHost

BODY = b'{"trees": [' + b",".join(b'{"number": "OLM-%05d", "girth": 2.5}' % number for number in range(100)) + b"]}"


def serve(ports: Any) -> None:
    async def answer(request: web.Request) -> web.Response:
        if request.path == "/token":
            return web.json_response({"access_token": "a-token-for-trees", "expires_in": 3600})
        return web.Response(body=BODY, content_type="application/json")

    async def run() -> None:
        app = web.Application()
        app.router.add_route("*", "/{path:.*}", answer)
        runner = web.AppRunner(app)
        await runner.setup()
        site = web.TCPSite(runner, "127.0.0.1", 0)
        await site.start()
        ports.put(site._server.sockets[0].getsockname()[1])  # type: ignore[union-attr]
        await asyncio.Event().wait()

    asyncio.run(run())


async def bare(url: str, calls: int, at_a_time: int) -> None:
    async with aiohttp.ClientSession(connector=aiohttp.TCPConnector(limit=at_a_time)) as session:

        async def one() -> None:
            async with session.get(
                url, headers={"X-Key": "a-key-for-the-trees", "Accept": "application/json"}
            ) as response:
                await response.read()

        await in_turn(one, calls, at_a_time)


async def through(line: OpenConnection, url: str, calls: int, at_a_time: int) -> None:
    engine = Engine()
    ask = Send(Request("GET", url, (("Accept", "application/json"),)))
    await in_turn(lambda: engine.call(line, ask), calls, at_a_time)
    await engine.close()


async def in_turn(one: Any, calls: int, at_a_time: int) -> None:
    left = iter(range(calls))

    async def work() -> None:
        for _ in left:
            await one()

    await asyncio.gather(*(work() for _ in range(at_a_time)))


def cpu(run: Any) -> float:
    began = time.process_time()
    asyncio.run(run)
    return time.process_time() - began


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--calls", type=int, default=3000)
    parser.add_argument("--at-a-time", type=int, default=50)
    parser.add_argument("--rounds", type=int, default=5)
    args = parser.parse_args()
    ports: Any = multiprocessing.Queue()
    server = multiprocessing.Process(target=serve, args=(ports,), daemon=True)
    server.start()
    url = f"http://127.0.0.1:{ports.get()}"
    guard = Guard([PermittedHost("127.0.0.1", None, True)])
    key = ({"key": Secret("a-key-for-the-trees", "key"), "client_secret": Secret("a-secret-of-trees", "key")},)
    token = ClientCredentials(token_address=f"{url}/token", client_id="c")
    lines = {
        "API key": OpenConnection("key", 1, url, ApiKey(name="X-Key"), guard, key),
        "access token": OpenConnection("token", 1, url, token, guard, key, token_id="token/"),
        "API key and a limit": OpenConnection(
            "limit", 1, url, ApiKey(name="X-Key"), guard, key, limits=(Limit(calls=10**8, span="minute"),)
        ),
    }
    found: dict[str, list[float]] = {name: [] for name in ("bare aiohttp", *lines)}
    for _ in range(args.rounds):
        found["bare aiohttp"].append(cpu(bare(f"{url}/v1/trees", args.calls, args.at_a_time)))
        for name, line in lines.items():
            found[name].append(cpu(through(line, f"{url}/v1/trees", args.calls, args.at_a_time)))
    base = statistics.median(found["bare aiohttp"])
    print(f"{args.calls} calls, {args.at_a_time} at a time, median of {args.rounds}: CPU a call")
    for name, times in found.items():
        middle = statistics.median(times)
        print(f"  {name:<22} {middle / args.calls * 1e6:7.0f} us   {middle / base:.2f} x")
    server.terminate()


if __name__ == "__main__":
    main()
