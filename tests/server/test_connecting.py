"""Environments, connections, standing values, limits, checks and outbound rules: what a builder, an operator and an
administrator find true."""

import asyncio
import base64
import socket
import ssl
import statistics
import tempfile
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime

import pytest
from aiohttp import web
from cryptography.hazmat.primitives.asymmetric import rsa
from tests.canary import leaks
from tests.whole_rondine import wait_until

from rondine.standins.papers import certificate, pem, private_pem
from rondine_client import RondineProblem


@pytest.fixture
def office(rondine):
    return rondine.office()


@pytest.fixture
def echo(rondine, serve):
    """A service that says what it was sent."""
    outside = serve(lambda request: web.json_response({"path": request.path_qs, "headers": dict(request.headers)}))
    rondine.permit(outside.port)
    return outside


def change(office, name, **settings):
    held = office.connections.get(name)
    return office.connections.change(name, version=held["version"], document={**held["document"], **settings})


# --- environments


def test_the_same_operation_goes_to_another_host_in_another_environment(rondine, office, echo, serve):
    other = serve(lambda request: web.json_response({"host": "live"}))
    rondine.permit(other.port)
    name = rondine.connect("two-hosts", echo.url)
    office.operations.make("two-hosts", service=name, document={"path": "/trees"})
    missing = {one["where"] for one in next(e for e in office.environments.list() if e["name"] == "live")["missing"]}
    assert "service two-hosts" in missing
    office.connections.make("two-hosts-live", service=name, environment="live", document={"base_address": other.url})
    for environment, outside in (("test", echo), ("live", other)):
        before = len(outside.calls)
        found = office.trials.send(service=name, operation="two-hosts", environment=environment)
        assert found["call"]["status"] == 200 and len(outside.calls) == before + 1
        assert office.runs.get(found["run"])["environment"] == environment


def test_a_protected_environment_is_changed_by_administrators_and_written_when_asked_for(rondine, office, echo):
    ada = rondine.office("ada")
    with pytest.raises(RondineProblem, match="as builder you may not"):
        office.environments.make("guarded", is_protected=True)
    ada.environments.make("guarded", title="Guarded", is_protected=True)
    name = rondine.connect("guarded", echo.url)
    made = {"service": name, "environment": "guarded", "document": {"base_address": echo.url}}
    for refused in (
        lambda: office.connections.make("guarded-live", **made),
        lambda: office.credentials.make("guarded-key", environment="guarded"),
        lambda: office.standing_values.set_value("survey-year", 2026, "guarded"),
        lambda: office.environments.change("guarded", is_protected=False),
    ):
        with pytest.raises(RondineProblem) as raised:
            refused()
        assert raised.value.code == "not_allowed" and "protected" in str(raised.value)
    ada.connections.make("guarded-live", **made)
    writing = {"service": name, "environment": "guarded", "document": {"method": "POST", "path": "/"}}
    before = len(echo.calls)
    with pytest.raises(RondineProblem, match="protected"):
        office.trials.send(**writing, confirmed=True)
    assert len(echo.calls) == before
    assert office.trials.send(**writing, confirmed=True, in_protected=True)["call"]["status"] == 200
    with pytest.raises(RondineProblem, match="not empty"):
        ada.environments.remove("guarded")


def test_a_standing_value_is_changed_in_one_place(rondine, office, echo):
    office.standing_values.set_value("season", "2026", "test")
    name = rondine.connect("standing", echo.url, headers=[{"name": "X-Season", "value": [{"standing": "season"}]}])
    document = {
        "path": "/s/{year}",
        "inputs": [{"name": "year", "default": {"standing": "season"}}],
        "query": [{"name": "season", "value": ["y", {"standing": "season"}]}],
    }
    office.operations.make("standing", service=name, document=document)
    for value in ("2026", "2027"):
        office.standing_values.set_value("season", value, "test")
        found = office.trials.send(service=name, operation="standing")
        assert f"GET /s/{value}?season=y{value}" in found["call"]["request"]
        assert f"X-Season: {value}" in found["call"]["request"]
    sources = {origin["source"] for origin in office.trials.show_request(service=name, operation="standing")["origins"]}
    assert "standing value season" in sources
    used = {(one["kind"], one["name"]) for one in office.standing_values.get("season")["used_by"]}
    assert used == {("operation", "standing"), ("connection", "standing-test")}
    keyed = office.standing_values.set_value("register-token", "abcdef-4711", "test")
    assert "looks like a key" in keyed["warnings"][0]["message"] and keyed["used_by"] == []
    office.standing_values.set_value("season", None, "test")
    assert "has no value" in str(office.connections.get("standing-test")["problems"])
    shown = office.trials.show_request(service=name, operation="standing")
    assert any("season" in problem["message"] for problem in shown["problems"])


# --- where, and what goes with every request


def test_blanks_in_the_base_address_are_asked_for_once(rondine, office, echo):
    address = f"http://127.0.0.1:{echo.port}/{{account}}/v2"
    name = rondine.connect("blanks", address)
    assert "waits for account" in office.connections.get("blanks-test")["problems"][0]["message"]
    change(office, "blanks-test", blanks={"account": "tree office/7"})
    found = office.trials.send(service=name, document={"path": "/trees"})
    assert found["call"]["request"].startswith("GET /tree%20office%2F7/v2/trees")
    assert 'did you mean "account"' in str(
        change(office, "blanks-test", blanks={"account": "a", "acount": "b"})["problems"]
    )


def test_headers_of_the_connection_are_inherited_or_overridden_and_none_is_sent_twice(rondine, office, echo):
    headers = [{"name": "X-Office", "value": "trees"}, {"name": "Accept-Language", "value": "en"}]
    name = rondine.connect("inherited", echo.url, headers=headers, query=[{"name": "v", "value": "2"}])
    document = {"path": "/", "headers": [{"name": "accept-language", "value": "it"}]}
    found = office.trials.send(service=name, document=document)
    sent = [line for line in found["call"]["request"].splitlines() if line.lower().startswith("accept-language")]
    assert sent == ["accept-language: it"] and "GET /?v=2 " in found["call"]["request"]
    origins = {
        origin["name"]: (origin["source"], origin["replaces"])
        for origin in office.trials.show_request(service=name, document=document)["origins"]
    }
    assert origins["accept-language"] == ("operation", "connection: en") and origins["X-Office"] == ("connection", "")
    effective = {(one["name"], one["source"]) for one in office.connections.effective("inherited-test")}
    assert effective == {
        ("X-Office", "connection"),
        ("Accept-Language", "connection"),
        ("Accept", "Rondine"),
        ("v", "connection"),
    }


def test_disabled_items_and_unsupported_uses_are_refused_by_name(rondine, office, echo):
    name = rondine.connect("switched", echo.url, supports=["live"])
    office.operations.make("switched", service=name, document={"path": "/"})
    with pytest.raises(RondineProblem, match="for reading only"):
        office.trials.send(service=name, document={"method": "POST", "path": "/"}, confirmed=True)
    office.operations.enable("switched", enabled=False)
    with pytest.raises(RondineProblem, match='operation "switched" is disabled'):
        office.trials.send(service=name, operation="switched")
    office.operations.enable("switched")
    office.connections.enable("switched-test", enabled=False)
    with pytest.raises(RondineProblem, match='connection "switched-test" is disabled'):
        office.trials.send(service=name, operation="switched")
    office.connections.enable("switched-test")
    assert office.trials.send(service=name, operation="switched")["call"]["status"] == 200


def test_plain_http_and_loopback_are_marked(rondine, office, echo):
    rondine.connect("marked", echo.url)
    warnings = str(office.connections.get("marked-test")["warnings"])
    assert "plain http" in warnings and "whatever machine each process of Rondine runs on" in warnings


# --- the check


def test_each_failure_of_a_connection_has_its_own_message(rondine, office, echo):
    with socket.socket() as closed:
        closed.bind(("127.0.0.1", 0))
        port = closed.getsockname()[1]
        rondine.permit(port)
        ada = rondine.office("ada")
        if not any(one["host"] == "register.invalid" for one in ada.hosts.list()):
            ada.hosts.permit("register.invalid")
        papers = rondine.papers
        basic = {"type": "basic", "user_name": papers.soil_user}
        cases = {
            "host": rondine.connect("check-host", "http://register.invalid"),
            "port": rondine.connect("check-port", f"http://127.0.0.1:{port}"),
            "not permitted": rondine.connect("check-permit", "https://register.example"),
        }
        rondine.sign_in("check-secret", rondine.outside("soil") + "/results", basic, {"password": "wrong"})
        rondine.sign_in("check-scope", rondine.outside("seeds"), {"type": "client_credentials",
        "client_id": "tree-office", "token_address": rondine.outside("seeds") + "/oauth/token", "scope": "lots.eat"},
        {"client_secret": papers.seeds_secret})  # fmt: skip
        found = {name: office.connections.check(f"{service}-test") for name, service in cases.items()}
        found |= {"secret": office.connections.check("check-secret"), "scope": office.connections.check("check-scope")}
    failed = {name: next(step for step in check["steps"] if not step["is_good"]) for name, check in found.items()}
    assert {name: (one["step"], one["words"].split(":")[0][:30]) for name, one in failed.items()} == {
        "host": ("resolve", 'the name "register.invalid" is'),
        "port": ("connect", "the connection to 127.0.0.1"),
        "not permitted": ("permission", "register.example"),
        "secret": ("sign in", "401"),
        "scope": ("sign in", "the token address answered 400"),
    }
    assert "scope is not known" in failed["scope"]["words"] and all(one["hint"] for one in failed.values())
    assert failed["port"]["ms"] is not None


def serve_tls(cert, key, answer=b"{}"):
    """A bare TLS server with this certificate; gives its port."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    with tempfile.NamedTemporaryFile("w", suffix=".pem") as file:
        file.write(cert + key)
        file.flush()
        context.load_cert_chain(file.name)
    started = threading.Event()
    ports = []

    async def answer_all(reader, writer):
        try:
            await reader.readuntil(b"\r\n\r\n")
            writer.write(b"HTTP/1.1 200 OK\r\nContent-Length: %d\r\nConnection: close\r\n\r\n" % len(answer) + answer)
            await writer.drain()
        except (asyncio.IncompleteReadError, ConnectionError):
            pass
        writer.close()

    async def run():
        server = await asyncio.start_server(answer_all, "127.0.0.1", 0, ssl=context)
        ports.append(server.sockets[0].getsockname()[1])
        started.set()
        await server.serve_forever()

    threading.Thread(target=lambda: asyncio.run(run()), daemon=True).start()
    assert started.wait(10)
    return ports[0]


def test_an_expired_a_foreign_and_a_misnamed_certificate_are_three_errors(rondine, office):
    root_key, key = (rsa.generate_private_key(65537, 2048) for _ in range(2))
    root = certificate("another authority", root_key, None, root_key, is_authority=True)
    made = {
        "expired": certificate("s", key, root, root_key, hosts=["127.0.0.1"], days=(-30, -1)),
        "misnamed": certificate("s", key, root, root_key, hosts=["elsewhere.example"]),
        "good": certificate("s", key, root, root_key, hosts=["127.0.0.1"]),
    }
    words = {
        "expired": "has expired",
        "misnamed": "for another name",
        "foreign": "not trusted here",
        "good": "valid until",
    }
    for name, expected in words.items():
        port = serve_tls(pem(made.get(name, made["good"])), private_pem(key))
        rondine.permit(port)
        tls = {} if name == "foreign" else {"tls": {"authority": pem(root)}}
        rondine.connect(f"tls-{name}", f"https://127.0.0.1:{port}", **tls)
        found = next(step for step in office.connections.check(f"tls-{name}-test")["steps"] if step["step"] == "TLS")
        assert expected in found["words"] and found["is_good"] == (name == "good"), found
        trial = office.trials.send(service=f"tls-{name}", document={"path": "/"})
        assert (trial["call"]["status"] == 200) == (name == "good")
        if name != "good":
            assert trial["call"]["error"]["code"] == "tls_failed" and expected in trial["call"]["error"]["message"]


def test_certificates_that_are_none_or_expired_are_problems_of_the_draft(rondine, office):
    key = rsa.generate_private_key(65537, 2048)
    old = certificate("old", key, None, key, days=(-30, -1))
    rondine.connect("papers", "https://127.0.0.1:1", tls={"certificate": pem(old), "authority": "not PEM"})
    found = {problem["where"]: problem["message"] for problem in office.connections.get("papers-test")["problems"]}
    assert "expired on" in found["/tls/certificate"] and "not a certificate" in found["/tls/authority"]


def test_a_check_runs_in_a_worker_too(rondine, office, echo):
    rondine.connect("by-worker", echo.url)
    here, there = (office.connections.check("by-worker-test", where=where) for where in ("web", "worker"))
    assert here["works"] and there["works"] and there["by_worker"] and here["by"] != there["by"]
    assert [step["step"] for step in there["steps"]] == [
        "settings",
        "permission",
        "resolve",
        "connect",
        "sign in",
        "call",
    ]


# --- limits


def test_a_limit_holds_across_two_worker_processes_within_five_percent(rondine, office, serve):
    moments = []

    def answer(request):
        moments.append(time.monotonic())
        page = int(request.query.get("page", "1"))
        return web.json_response({"rows": [{"id": page, "name": "t"}], "page": page, "total": 30})

    outside = serve(answer)
    rondine.permit(outside.port)
    name = rondine.connect("limited", outside.url)
    query = [{"name": "page", "value": "1"}]
    office.operations.make(
        "limited",
        service=name,
        document={"path": "/", "query": query, "paging": {"type": "page_number", "total": "/total"}},
    )
    trial = office.trials.send(service=name, operation="limited")
    found = office.mappings.propose(trial["body"], rows=["$.rows[*]"], name="limited")
    found["record_type"]["key"] = ["id"]
    office.record_types.make("limited", document=found["record_type"])
    office.mappings.make("limited", service=name, document=found["mapping"])
    for feed in ("limited-1", "limited-2"):
        office.feeds.make(feed, operation="limited", mapping="limited", environment="test")
    change(office, "limited-test", limits=[{"calls": 10, "span": "second"}])
    moments.clear()
    rondine.spawn("worker-2", "-m", "rondine.server.main", "work", "--parallel", "1")
    rondine.end("worker")
    rondine.spawn("worker", "-m", "rondine.server.main", "work", "--parallel", "1")
    try:
        wait_until(
            lambda: rondine.sql("SELECT count(*) FROM runs_worker WHERE alive_at > now() - interval '4 s'")[0][0] >= 2
        )
        runs = [office.feeds.run(feed)["id"] for feed in ("limited-1", "limited-2")]
        with ThreadPoolExecutor(2) as pool:
            done = list(pool.map(rondine.watch, runs))
        assert [one["state"] for one in done] == ["done", "done"]
        by = [{call["by"] for call in office.runs.calls(run)} for run in runs]
        assert len(set.union(*by)) == 2, by
    finally:
        rondine.end("worker-2")
        rondine.end("worker")
        rondine.start_worker()
    assert len(moments) == 60
    ordered = sorted(moments)
    gaps = [later - earlier for earlier, later in zip(ordered, ordered[10:], strict=False)]
    assert statistics.median(gaps) >= 0.95, "from each call to the tenth after it passes a second"
    assert ordered[-1] - ordered[0] >= 5.0 * 0.95, "60 calls at 10 a second take five seconds"


def test_eleven_calls_at_ten_a_second_take_over_a_second_and_the_meter_shows_what_is_left(rondine, office, echo):
    name = rondine.connect(
        "metered", echo.url, limits=[{"calls": 10, "span": "minute"}, {"calls": 1000, "span": "month"}]
    )
    for _ in range(7):
        office.trials.send(service=name, document={"path": "/"})
    shown = office.connections.meter("metered-test")
    assert [(limit["used"], limit["left"]) for limit in shown["limits"]] == [(7, 3), (7, 993)]
    reset = datetime.fromtimestamp(shown["limits"][1]["refills_at"], UTC)
    assert (reset.day, reset.hour, reset.minute) == (1, 0, 0)
    change(office, "metered-test", limits=[{"calls": 10, "span": "second"}])
    began = time.monotonic()
    with ThreadPoolExecutor(11) as pool:
        list(pool.map(lambda _: office.trials.send(service=name, document={"path": "/"}), range(11)))
    assert time.monotonic() - began > 1.0


def away_from_midnight():
    """A month that ends in the middle of a test would fill its limit again."""
    left = 86_400 - time.time() % 86_400
    if left < 120:
        time.sleep(left + 1)


def test_a_trial_and_a_feed_warn_before_they_use_up_a_limit(rondine, office):
    away_from_midnight()
    name = rondine.feed("used-up", "/v1/trees", limit=400, paging={"type": "link_header"})
    rondine.finish(name)
    change(office, "used-up-test", limits=[{"calls": 12, "span": "month"}])
    rondine.watch(office.feeds.run(name)["id"])
    with pytest.raises(
        RondineProblem, match="needs about 7 calls, and 5 are left of 12 calls a month; it refills from"
    ):
        office.feeds.run(name)
    run = office.feeds.run(name, confirmed=True)
    for _ in range(40):
        if office.connections.meter("used-up-test")["limits"][0]["left"] == 0:
            break
        time.sleep(0.1)
    warnings = office.trials.show_request(service=name, operation=name)["warnings"]
    assert "nothing is left of 12 calls a month" in warnings[0]["message"]
    last = rondine.watch(run["id"])
    assert last["state"] == "failed" and "are used up" in last["ending"]
    assert "are used up" in str(office.obstacles())


def test_retry_after_is_obeyed_by_all_and_the_call_tried_again(rondine, office, serve):
    came = []

    def answer(request):
        came.append(time.monotonic())
        if len(came) == 1:
            return web.json_response({}, status=429, headers={"Retry-After": "1"})
        return web.json_response({}, headers={"RateLimit": '"default";r=7;t=30'})

    outside = serve(answer)
    rondine.permit(outside.port)
    name = rondine.connect("told", outside.url)
    found = office.trials.send(service=name, document={"path": "/"})
    assert found["call"]["status"] == 200 and came[1] - came[0] >= 0.95
    assert [call["purpose"] for call in office.runs.calls(found["run"])] == ["", "told to wait"]
    assert office.connections.meter("told-test")["said"]["left"] == 7


def test_calls_under_way_are_bounded_over_all_processes(rondine, office, serve):
    under_way, most = 0, 0

    async def answer(request):
        nonlocal under_way, most
        under_way += 1
        most = max(most, under_way)
        await asyncio.sleep(0.1)
        under_way -= 1
        return web.json_response({})

    outside = serve(answer)
    rondine.permit(outside.port)
    name = rondine.connect("narrow", outside.url, parallel=2)
    with ThreadPoolExecutor(6) as pool:
        found = list(pool.map(lambda _: office.trials.send(service=name, document={"path": "/"}), range(6)))
    assert all(one["call"]["status"] == 200 for one in found) and most == 2
    assert office.connections.meter("narrow-test")["under_way"] == 0


# --- outbound rules


PRIVATE = ("127.0.0.1", "169.254.169.254", "[::1]", "0x7f000001", "2130706433", "[::ffff:127.0.0.1]",
"[64:ff9b::7f00:1]", "localhost")  # fmt: skip


@pytest.mark.parametrize("host", PRIVATE)
def test_a_private_address_is_refused_however_it_is_written(rondine, office, host):
    ada = rondine.office("ada")
    bare = host.strip("[]")
    if not any(one["host"] == bare and one["port"] == 9 for one in ada.hosts.list()):
        ada.hosts.permit(bare, 9)  # the host is permitted, private addresses are not
    name = "private-" + "".join(sign if sign.isalnum() else "-" for sign in bare).strip("-")
    rondine.connect(name, f"http://{host}:9")
    found = office.trials.send(service=name, document={"path": "/"})
    assert (
        found["call"]["error"]["code"] == "host_not_permitted"
        and "not a public address" in found["call"]["error"]["message"]
    )
    failed = next(step for step in office.connections.check(f"{name}-test")["steps"] if not step["is_good"])
    assert "not a public address" in failed["words"]


def test_redirects_keep_credentials_at_home(rondine, office, serve):
    seen = []

    def elsewhere(request):
        seen.append(dict(request.headers) | {"path": request.path_qs})
        return web.json_response({"there": True})

    other = serve(elsewhere)

    def answer(request):
        if request.path == "/here":
            raise web.HTTPFound(f"/done?{request.query_string}")
        if request.path == "/away":
            raise web.HTTPFound(f"http://127.0.0.1:{other.port}/there")
        if request.path == "/private":
            raise web.HTTPFound("http://169.254.169.254/latest")
        if request.path == "/circle":
            raise web.HTTPFound("/circle")
        return web.json_response({"key": request.query.get("key"), "twice": len(request.query.getall("key"))})

    outside = serve(answer)
    rondine.permit(outside.port)
    sign_in = {"type": "api_key", "name": "key", "carrier": "query"}
    name = rondine.connect(
        "redirects",
        outside.url,
        key="canary-redirect-4711",
        sign_in=sign_in,
        headers=[{"name": "X-Office", "value": "trees"}],
    )

    def go(path):
        return office.trials.send(service=name, document={"path": path})

    home = go("/here")
    assert home["call"]["status"] == 200 and b'"twice": 1' in office.bodies.content(home["body"])
    refused = go("/away")["call"]["error"]
    assert refused["code"] == "host_not_permitted"
    rondine.permit(other.port)
    away = go("/away")
    assert away["call"]["status"] == 200
    assert "canary" not in str(seen) and "X-Office" not in seen[-1]
    assert go("/private")["call"]["error"]["code"] == "host_not_permitted"
    assert "redirects more than" in go("/circle")["call"]["error"]["message"]
    assert leaks(rondine, [home, away, list(office.runs.calls(home["run"]))], "canary-redirect-4711") == []


def test_a_proxy_is_used_and_named_in_the_calls_record(rondine, office, serve):
    asked = []

    def proxy(request):
        asked.append((str(request.url), request.headers.get("Proxy-Authorization")))
        return web.json_response({"by": "proxy"})

    through = serve(proxy)
    rondine.permit(through.port)
    ada = rondine.office("ada")
    if not any(one["host"] == "behind.example" for one in ada.hosts.list()):
        ada.hosts.permit("behind.example")
    settings = {"proxy": {"address": through.url, "user_name": "office"}}
    name = rondine.sign_in(
        "proxied", "http://behind.example", {"type": "none"}, {"proxy_password": "canary-proxy-4711"}, **settings
    )
    found = office.trials.send(service=name, document={"path": "/trees"})
    expected = base64.b64encode(b"office:canary-proxy-4711").decode()
    assert asked == [("http://behind.example/trees", f"Basic {expected}")]
    assert found["call"]["via"] == f"proxy {through.url}" and ":" in found["call"]["by"]
    assert leaks(rondine, found, "canary-proxy-4711", expected) == []
    change(office, name, proxy={"address": "http://127.0.0.1:1"})
    rondine.permit(1)
    assert "proxy" in office.trials.send(service=name, document={"path": "/"})["call"]["error"]["message"]


def test_work_is_bound_to_the_workers_of_a_site(rondine, office):
    name = rondine.feed("placed", "/v1/trees")
    change(office, "placed-test", site="harbour")
    reasons = next(
        obstacle for obstacle in office.obstacles() if obstacle["kind"] == "feed" and obstacle["name"] == name
    )["reasons"]
    assert any("harbour" in reason["message"] for reason in reasons)
    run = office.feeds.run(name)
    rondine.spawn("worker-h", "-m", "rondine.server.main", "work", "--site", "harbour")
    try:
        assert rondine.watch(run["id"])["state"] == "done"
        assert all(call["by"].startswith("harbour ") for call in office.runs.calls(run["id"]))
    finally:
        rondine.end("worker-h")


# --- keys that were pasted, and what is not ready


def test_a_key_in_a_pasted_address_is_moved_into_a_credential_and_the_request_still_works(rondine, office, serve):
    key = "k3yC4nary8Xq2Lm9Zt5Wv"
    echoed = base64.b64encode(f"x{key}".encode()).decode()

    async def told(request):
        given = request.query.get("api_key")
        said = {"you": given, "again": echoed, "hex": key.encode().hex()} if given else {}
        return web.json_response(said, status=200 if given == key else 401, headers={"X-Echo": str(given)})

    outside = serve(told)
    rondine.permit(outside.port)
    name = rondine.connect("pasted", outside.url)
    parts = office.operations.parse_address(f"{outside.url}/trees?limit=5&api_key={key}")
    assert [(finding["place"], finding["name"]) for finding in parts["findings"]] == [("/query/1", "api_key")]
    office.operations.make("pasted", service=name, document=parts["operation"])
    assert (
        office.trials.show_request(service=name, operation="pasted")["findings"][0]["reason"]
        == 'it is called "api_key"'
    )
    before = office.trials.send(service=name, operation="pasted")  # it shows the key, as nobody said that it is one
    office.samples.keep("pasted-sample", run=before["run"], operation="pasted", keys="keep")
    assert leaks(rondine, [before], key) != []
    moved = office.connections.extract_secret("/query/1", service=name, operation="pasted")
    seen = [
        office.runs.get(before["run"]),
        list(office.runs.calls(before["run"])),
        office.bodies.content(before["body"]).decode(),
    ]
    assert leaks(rondine, seen, key) == []
    assert moved["credential"] == "pasted-test-key"
    found = office.trials.send(service=name, operation="pasted")
    assert found["call"]["status"] == 200 and "api_key=•••••••" in found["call"]["request"]
    assert leaks(rondine, [found, office.operations.revisions("pasted"), office.operations.get("pasted")], key) == []
    with pytest.raises(RondineProblem, match="signs in by api key already"):
        office.connections.extract_secret(
            "/headers/0", service=name, document={"headers": [{"name": "X-Token", "value": "an-other-1"}]}
        )


def test_a_short_key_that_was_moved_is_in_no_revision_any_more(rondine, office, echo):
    rondine.connect("short-key", echo.url)
    document = {"path": "/", "headers": [{"name": "X-Key", "value": "k4711a"}]}
    office.operations.make("short-key", service="short-key", document=document)
    office.connections.extract_secret("/headers/0", service="short-key", operation="short-key")
    revisions = office.operations.revisions("short-key")
    assert "k4711a" not in str(list(revisions)) and "******" in str(list(office.operations.revisions("short-key")))


def test_a_key_in_a_connections_header_is_moved_too(rondine, office, echo):
    rondine.connect("standing-key", echo.url, headers=[{"name": "Authorization", "value": "Bearer canary-moved-4711"}])
    assert "looks like a key" in str(office.connections.get("standing-key-test")["warnings"])
    office.connections.extract_secret("/headers/0", service="standing-key")
    held = office.connections.get("standing-key-test")["document"]
    assert held["sign_in"]["type"] == "bearer" and not held.get("headers")
    found = office.trials.send(service="standing-key", document={"path": "/"})
    assert "Authorization: Bearer •••••••" in found["call"]["request"]
    assert echo.calls[-1][1]["Authorization"] == "Bearer canary-moved-4711"
    assert leaks(rondine, [found, office.bodies.content(found["body"]).decode()], "canary-moved-4711") == [], (
        "also where the service echoes it"
    )


def test_a_sample_with_what_looks_like_a_key_is_stored_as_was_said(rondine, office):
    text = '{"lots": [1], "access_token": "canary-sample-4711"}'
    with pytest.raises(RondineProblem, match="looks like a key: access_token"):
        office.samples.keep("with-key", text=text)
    made = office.samples.keep("with-key", text=text, keys="mask")
    assert b"canary" not in office.bodies.content(made["body"]) and b'"lots": [1]' in office.bodies.content(
        made["body"]
    )


def test_everything_that_keeps_a_feed_from_starting_is_listed_together(rondine, office):
    name = rondine.feed("three-reasons", "/v1/trees")
    assert not [obstacle for obstacle in office.obstacles() if obstacle["name"].startswith(name)]
    office.operations.enable(name, enabled=False)
    change(
        office,
        f"{name}-test",
        sign_in={"type": "basic", "user_name": "office"},
        base_address="https://register.example",
        enabled=False,
    )
    reasons = [
        reason["message"]
        for reason in next(o for o in office.obstacles() if o["kind"] == "feed" and o["name"] == name)["reasons"]
    ]
    for words in ("is disabled", "lacks password", "not among the hosts", f'connection "{name}-test" is disabled'):
        assert any(words in reason for reason in reasons), (words, reasons)
    rondine.end("worker")
    try:
        reasons = str(next(o for o in office.obstacles() if o["kind"] == "feed" and o["name"] == name)["reasons"])
        assert "no worker is running" in reasons
    finally:
        rondine.start_worker()


def test_a_preparation_fills_up_and_becomes_connection_and_operation(rondine, office):
    office.services.make("prepared", document={"documentation": "https://docs.example"})
    unknown = [one["name"] for one in office.services.preparation("prepared") if not one["value"]]
    assert unknown == ["base_address", "sign_in", "key", "limits", "example", "inputs"]
    held = office.services.get("prepared")
    noted = {
        "base_address": f"{rondine.register_url}/v1",
        "sign_in": {"type": "api_key", "name": "X-Register-Key"},
        "key_from": "the registrar, room 7",
        "limits": [{"calls": 100, "span": "minute"}],
        "example": f"{rondine.register_url}/v1/trees?district=<district>",
    }
    office.services.change("prepared", version=held["version"], document={**held["document"], "preparation": noted})
    facts = {one["name"]: one for one in office.services.preparation("prepared")}
    assert facts["limits"]["value"] == "100 calls a minute" and "room 7" in facts["key"]["hint"]
    made = office.services.connect_prepared("prepared")
    assert (made["connection"], made["credential"]) == ("prepared-test", "prepared-test-key")
    assert made["operation"].startswith("list-trees"), "with a number, where the name is taken"
    office.credentials.set_secrets("prepared-test-key", key=rondine.key)
    assert office.trials.send(service="prepared", operation=made["operation"])["call"]["status"] == 200
    assert [one["name"] for one in office.services.preparation("prepared") if not one["value"]] == []


def test_applications_and_viewers_only_read_and_a_builder_widens_no_hosts(rondine, office):
    with pytest.raises(RondineProblem, match="may not administer"):
        office.hosts.permit("elsewhere.example")
    for person in ("vela", "odo"):
        with pytest.raises(RondineProblem, match="may not"):
            rondine.office(person).connections.make("x", service="x", environment="test")
