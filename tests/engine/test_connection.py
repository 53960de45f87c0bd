"""What the engine does for a connection besides sending: cleans what comes back, drives sign-in and limits, and looks
at each stage."""

import asyncio
import base64
import json
import socket
import time
from dataclasses import replace
from urllib.parse import quote

import pytest
from aiohttp import web

from rondine.core.errors import HostRefused, RedirectRefused, ServiceTooSlow, SignInRefused, Unreachable
from rondine.core.http.limits import Limit
from rondine.core.http.messages import Request, Send
from rondine.core.secret import Secret
from rondine.core.signin import ApiKey, Basic, ClientCredentials, NoSignIn
from rondine.engine.client import Engine, OpenConnection, TimeOuts
from rondine.engine.connection import HeldForms, cleaned, forms_of
from rondine.engine.guard import Guard, PermittedHost
from rondine.engine.probe import probe


def line(url, sign_in=None, *secrets, hosts=None, **more):
    port = int(url.rpartition(":")[2])
    guard = Guard(hosts if hosts is not None else [PermittedHost("127.0.0.1", port, True)])
    return OpenConnection("line", 1, url, sign_in or NoSignIn(), guard, secrets or ({},), token_id="line/", **more)


@pytest.fixture
async def engine():
    made = Engine()
    yield made
    await made.close()


def secret(name, value):
    return {name: Secret(value, "tree-key")}


def test_secrets_are_overwritten_in_every_form_and_the_length_stays():
    key = Secret('k"4711 tree', "key")
    body = b'{"raw": "k\\"4711 tree", "query": "k%224711%20tree", "form": "k%224711+tree"}'
    clean = cleaned(body, [key])
    assert len(clean) == len(body) and b"4711" not in clean
    assert cleaned(b"short pw", [Secret("pw", "x")]) == b"short pw"


@pytest.mark.parametrize("value", ["canary-4711-Zx?/+y", "kö/ß canary \U0001f333 4711"])
@pytest.mark.parametrize("before", [b"", b"a", b"ab", b"user:"])
def test_no_encoding_of_a_secret_comes_through(value, before):
    raw = value.encode()
    every = "".join
    forms = {
        "raw": raw,
        "json": json.dumps(value).encode(),
        "json, slashes": json.dumps(value).replace("/", "\\/").encode(),
        "json, every character": every(f"\\u{ord(one):04X}" for one in value if ord(one) < 0x10000).encode() if value.isascii() else b"",
        "hex": raw.hex().encode(),
        "HEX": raw.hex().upper().encode(),
        "percent": quote(value, safe="").encode(),
        "percent, small": every(f"%{one:02x}" if not chr(one).isalnum() or one > 127 else chr(one) for one in raw).replace("%2d", "-").encode(),
        "percent, every byte": every(f"%{one:02X}" for one in raw).encode(),
        "utf-16": value.encode("utf-16-be"),
        "utf-16, little": value.encode("utf-16-le"),
        "base64": base64.b64encode(before + raw + b" and more"),
        "base64, URL": base64.urlsafe_b64encode(before + raw),
    }  # fmt: skip
    for name, form in forms.items():
        clean = cleaned(b"<" + form + b">", [Secret(value, "key")])
        assert len(clean) == len(form) + 2, name
        readable = clean
        if name.startswith("base64"):
            whole = base64.b64decode(clean[1:-1].translate(bytes.maketrans(b"*-_", b"A+/")))
            readable = whole[len(before) + 1 : len(before) + len(raw) - 1]  # at its ends neighbours share a character
        assert not any(piece in readable for piece in (raw[4:12], form[12:24])) or not form, name


def test_what_is_made_of_a_secret_for_a_proxy_is_overwritten_too():
    one = line("http://127.0.0.1:1", None, {"proxy_password": Secret("canary-4711", "key")}, proxy_user="office")
    echoed = b"Basic " + base64.b64encode(b"office:canary-4711")
    assert cleaned(echoed, one.all_secrets()) == b"Basic " + b"*" * (len(echoed) - 6)


async def test_what_a_service_echoes_holds_no_secret(engine, serve):
    service = serve(
        lambda request: web.json_response(dict(request.headers), headers={"X-Echo": request.headers["X-Key"]})
    )
    one = line(service.url, ApiKey(name="X-Key"), secret("key", "canary-echo-4711"))
    received = await engine.call(one, Send(Request("GET", service.url)))
    assert b"canary" not in received.body and "canary" not in str(received.headers)
    assert service.calls[0][1]["X-Key"] == "canary-echo-4711"


async def test_the_second_secret_is_tried_where_the_first_is_refused_and_preferred_from_then_on(engine, serve):
    service = serve(lambda request: web.Response(status=200 if request.headers["X-Key"] == "second" else 401))
    one = line(service.url, ApiKey(name="X-Key"), secret("key", "first"), secret("key", "second"))
    purposes = []
    for _ in range(2):
        received = await engine.call(
            one, Send(Request("GET", service.url)), on_side_call=lambda side: purposes.append(side.purpose)
        )
        assert received.status == 200
    assert [headers["X-Key"] for _, headers in service.calls] == ["first", "second", "second"]
    assert purposes == ["refused, tried with the second secret"] and engine.shared.preferred == {"line": 1}


async def test_a_second_client_secret_is_tried_at_the_token_address_too(engine, serve):
    def answer(request):
        if request.path == "/token":
            good = request.headers["Authorization"] == "Basic YzpzZWNvbmQ="
            return web.json_response(
                {"access_token": "t"} if good else {"error": "invalid_client"}, status=200 if good else 401
            )
        return web.Response(status=200 if request.headers["Authorization"] == "Bearer t" else 401)

    service = serve(answer)
    scheme = ClientCredentials(token_address=f"{service.url}/token", client_id="c")
    both = (secret("client_secret", "first"), secret("client_secret", "second"))
    assert (await engine.call(line(service.url, scheme, *both), Send(Request("GET", service.url)))).status == 200
    other = Engine()
    with pytest.raises(SignInRefused, match="invalid_client"):
        await other.call(line(service.url, scheme, both[0]), Send(Request("GET", service.url)))
    await other.close()


async def test_calls_wait_for_their_moment_and_for_what_the_service_asks(engine, serve):
    left = [429]

    def answer(request):
        return web.Response(status=left.pop(), headers={"Retry-After": "1"}) if left else web.Response()

    service = serve(answer)
    one = line(service.url, limits=(Limit(calls=2, span="second"),))
    began = time.monotonic()
    found = await asyncio.gather(*(engine.call(one, Send(Request("GET", service.url))) for _ in range(3)))
    assert [received.status for received in found] == [200] * 3
    assert time.monotonic() - began >= 1.0


async def test_a_slow_service_is_left_at_its_limit(engine, serve):
    async def slow(request):
        await asyncio.sleep(5)

    service = serve(slow)
    began = time.monotonic()
    with pytest.raises(ServiceTooSlow, match=r"the first byte took longer than 1 s"):
        await engine.send(line(service.url, time_outs=TimeOuts(first_byte=1.0)), Request("GET", service.url))
    assert 0.9 <= time.monotonic() - began <= 3.0  # a busy machine may wake late; when quiet it is 1.0


async def test_a_name_that_leads_to_a_private_address_only_when_it_is_dialled_is_refused(engine, monkeypatch):
    """However often a name was looked at before: the address that counts is the one that is dialled."""
    seen = []

    async def getaddrinfo(self, host, port, **_):
        seen.append(host)
        address = "127.0.0.1" if len(seen) > 1 else "1.1.1.1"
        return [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (address, port))]

    monkeypatch.setattr(asyncio.base_events.BaseEventLoop, "getaddrinfo", getaddrinfo)
    one = line("http://changing.example:9", hosts=[PermittedHost("changing.example")], time_outs=TimeOuts(connect=0.05))
    stages = []
    await probe(one, stages.append)
    assert (stages[0].name, stages[0].is_good) == ("resolve", True)
    with pytest.raises(HostRefused, match=r"leads to 127\.0\.0\.1, which is not a public address"):
        await engine.send(one, Request("GET", "http://changing.example:9/"))


async def test_credentials_go_to_their_own_origin_only(engine, serve):
    service, other = (serve(lambda request: web.Response()) for _ in range(2))
    ports = [PermittedHost("127.0.0.1", None, True)]
    one = line(service.url, Basic(user_name="soil"), secret("password", "canary-4711"), hosts=ports)
    with pytest.raises(HostRefused, match="the credentials are for"):
        await engine.call(one, Send(Request("GET", other.url)))
    assert other.calls == []


async def test_a_redirect_of_what_writes_to_another_origin_is_refused(engine, serve):
    other = serve(lambda request: web.Response())
    service = serve(lambda request: web.Response(status=307, headers={"Location": other.url}))
    ports = [PermittedHost("127.0.0.1", None, True)]
    with pytest.raises(RedirectRefused, match="not repeated at another origin"):
        await engine.call(line(service.url, hosts=ports), Send(Request("POST", service.url, body=b"x")))
    assert other.calls == []


async def test_the_stages_say_where_a_connection_fails(serve):
    service = serve(lambda request: web.Response())
    stages = []
    assert await probe(line(service.url), stages.append)
    assert [(one.name, one.is_good) for one in stages] == [("resolve", True), ("connect", True)] and stages[
        1
    ].ms is not None
    with socket.socket() as closed:
        closed.bind(("127.0.0.1", 0))
        for url, stage, words in (
            (f"http://127.0.0.1:{closed.getsockname()[1]}", "connect", "nothing listens there"),
            (f"https://127.0.0.1:{service.port}", "TLS", "TLS could not be agreed on"),
        ):
            stages.clear()
            assert not await probe(line(url), stages.append)
            assert stages[-1].name == stage and words in stages[-1].words and stages[-1].hint


async def test_a_proxy_that_is_away_is_told_as_such(engine):
    one = line(
        "http://behind.example:80",
        hosts=[PermittedHost("behind.example"), PermittedHost("127.0.0.1", 1, True)],
        proxy="http://127.0.0.1:1",
    )
    with pytest.raises(Unreachable, match=r"the proxy http://127\.0\.0\.1:1 cannot be reached"):
        await engine.send(one, Request("GET", "http://behind.example/"))
    with pytest.raises(HostRefused, match="not a public address"):
        await engine.send(
            line(
                "http://10.0.0.7:80",
                hosts=[PermittedHost("10.0.0.7"), PermittedHost("127.0.0.1", 1, True)],
                proxy="http://127.0.0.1:1",
            ),
            Request("GET", "http://10.0.0.7/"),
        )


def test_what_is_kept_between_calls_shows_no_secret():
    key = "canary-of-the-office"
    held = HeldForms((key,), forms_of([Secret(key, "label")]))
    opened = replace(line("http://127.0.0.1:80"), memory={"forms": held})
    assert held.is_of((key,)) and not held.is_of(("another-key",))
    assert key not in repr(held) and key not in repr(opened) and key not in f"{opened.memory}"
