"""The engine over real sockets: what goes wrong is told by its own class, and nothing secret leaves by the side."""

import asyncio
import gzip
import logging

import pytest
from aiohttp import web

from rondine.core.errors import HostRefused, ResponseTooLarge, ServiceError, ServiceTooSlow, Unreachable
from rondine.core.http.messages import Request, Response, Send
from rondine.core.pagination import LinkHeader, PagedOperation
from rondine.core.secret import Secret
from rondine.core.signin import ApiKey, NoSignIn
from rondine.engine.client import Engine, OpenConnection, TimeOuts
from rondine.engine.guard import Guard, PermittedHost

KEY = "canary-4711-key"


def line(port, *, sign_in=None, permitted=None, max_size=1_000_000, host="127.0.0.1", **times):
    guard = Guard([PermittedHost(host, port, True)] if permitted is None else permitted)
    return OpenConnection(
        "line",
        hash((port, max_size, str(times), str(permitted))),
        f"http://{host}:{port}",
        sign_in or NoSignIn(),
        guard,
        ({"key": Secret(KEY, "tree-key")},),
        time_outs=TimeOuts(**times),
        max_size=max_size,
    )


async def send(line, path="/", **options):
    engine = Engine()
    try:
        return await engine.send(line, Request("GET", line.base_address + path, **options))
    finally:
        await engine.close()


async def test_a_response_comes_with_status_headers_body_and_timings(serve):
    service = serve(lambda request: web.json_response({"path": request.path_qs}, headers={"X-Seen": "yes"}))
    received = await send(line(service.port), "/v1/trees/a%2Fb?q=%2B")
    assert (received.status, received.body, received.media_type) == (
        200,
        b'{"path": "/v1/trees/a%2Fb?q=%2B"}',
        "application/json",
    )
    assert 0 < received.timings.connected <= received.timings.first_byte <= received.timings.done


async def test_a_refused_connection_an_unknown_name_and_a_slow_service_are_three_errors(serve):
    async def slow(request):
        await asyncio.sleep(5)

    service = serve(slow)
    with pytest.raises(ServiceTooSlow, match=r"the first byte took longer than 0\.2 s"):
        await send(line(service.port, first_byte=0.2))
    with pytest.raises(Unreachable, match="refused"):
        await send(line(1))
    with pytest.raises(Unreachable, match="not known"):
        await send(line(80, host="register.invalid"))


async def test_a_body_that_stops_or_is_too_large_or_breaks_off_is_told(serve):
    async def answer(request):
        response = web.StreamResponse(headers={"Content-Length": "1000"} if request.path == "/short" else {})
        await response.prepare(request)
        await response.write(b"x" * 100)
        if request.path == "/stall":
            await asyncio.sleep(5)
        request.transport.abort() if request.path == "/short" else await response.write(b"y" * 2000)
        return response

    service = serve(answer)
    with pytest.raises(ServiceTooSlow):
        await send(line(service.port, whole=0.3), "/stall")
    with pytest.raises(ResponseTooLarge):
        await send(line(service.port, max_size=500), "/large")
    with pytest.raises(ServiceError):
        await send(line(service.port), "/short")


async def test_a_small_package_that_unpacks_to_a_large_body_is_stopped(serve):
    bomb = gzip.compress(b"0" * 50_000_000)
    service = serve(lambda request: web.Response(body=bomb, headers={"Content-Encoding": "gzip"}))
    with pytest.raises(ResponseTooLarge):
        await send(line(service.port))


async def test_a_redirect_is_not_followed(serve):
    service = serve(lambda request: web.Response(status=302, headers={"Location": "/elsewhere"}))
    received = await send(line(service.port))
    assert (received.status, len(service.calls)) == (302, 1)


async def test_a_private_address_is_refused_unless_permitted(serve):
    service = serve(lambda request: web.Response())
    for host in ("127.0.0.1", "localhost", "0x7f000001"):
        with pytest.raises(HostRefused, match="not a public address"):
            await send(line(service.port, host=host, permitted=[PermittedHost(host)]))
    assert service.calls == []


async def test_a_key_never_goes_to_another_origin(serve):
    service, other = serve(lambda request: web.Response()), serve(lambda request: web.Response())
    signed = line(service.port, permitted=[PermittedHost("127.0.0.1", None, True)], sign_in=ApiKey(name="X-Key"))
    engine = Engine()

    with pytest.raises(HostRefused, match="the credentials are for"):
        await engine.call(signed, Send(Request("GET", other.url)))
    await engine.call(signed, Send(Request("GET", service.url)))
    await engine.close()
    assert other.calls == []
    assert service.calls[0][1]["X-Key"] == KEY


async def test_a_key_in_the_query_is_sent_and_shown_nowhere(serve, caplog):
    service = serve(lambda request: web.Response(status=500))
    caplog.set_level(logging.DEBUG)
    engine = Engine()

    signed = line(service.port, sign_in=ApiKey(name="key", carrier="query"))
    received = await engine.call(signed, Send(Request("GET", f"{service.url}/t?a=1")))
    assert KEY not in repr(received)
    await engine.close()
    assert service.calls[0][0] == f"/t?a=1&key={KEY}"
    assert KEY not in caplog.text


async def test_all_pages_are_fetched_in_order(serve):
    def answer(request):
        start = int(request.query.get("start", 0))
        return web.json_response([start], headers={"Link": f'</t?start={start + 1}>; rel="next"'} if start < 3 else {})

    service = serve(answer)
    engine, seen, pages = Engine(), [], LinkHeader().exchange(PagedOperation(Request("GET", f"{service.url}/t")))
    try:
        ask = next(pages)
        while True:
            received = await engine.call(line(service.port), ask)
            seen.append(received.body)
            ask = pages.send(Response(received.status, received.headers, ask.request.url))
    except StopIteration as end:
        assert (seen, end.value.pages) == ([b"[0]", b"[1]", b"[2]", b"[3]"], 4)
    finally:
        await engine.close()


async def test_hundreds_of_calls_wait_at_the_same_time(serve):
    running = 0
    most = 0
    all_run = asyncio.Event()

    async def answer(request):
        nonlocal running, most
        running += 1
        most = max(most, running)
        if most == 300:
            all_run.set()
        await all_run.wait()
        running -= 1
        return web.Response()

    service = serve(answer)
    engine = Engine()
    one = line(service.port)
    await asyncio.gather(*(engine.send(one, Request("GET", service.url)) for _ in range(300)))
    await engine.close()
    assert most >= 300
