"""Requests that do not end, and bodies that are too large: refused as such, in time, and the service goes on."""

import asyncio
import json
import socket
import time

import httpx
import pytest

import rondine_client.client
from rondine.server.api import door


def test_a_body_that_is_too_large_is_refused_as_such(rondine):
    headers = {"Authorization": f"Bearer {rondine.token()}", "Content-Type": "application/json"}
    url = f"{rondine.url}/api/v1/projects/olmara/services"
    for content in (b" " * (door.MOST + 1), (b" " * 1024 * 1024 for _ in range(66))):  # announced, and in pieces
        answer = httpx.post(url, headers=headers, content=content, timeout=60)
        assert (answer.status_code, answer.headers["content-type"]) == (413, "application/problem+json")
        assert "64 MiB" in answer.json()["detail"] and answer.json()["hint"]
    assert httpx.get(f"{rondine.url}/api/v1/health").status_code == 200


def test_who_is_not_signed_in_cannot_fill_the_disk_either(rondine):
    answer = httpx.post(f"{rondine.url}/api/v1/session", content=b"x" * (door.MOST + 1), timeout=60)
    assert answer.status_code == 413


def asgi(*messages, path="/api/v1/session", headers=()):
    """What the door answers to these messages, and what the application behind it got."""

    async def run():
        queue, got, sent = list(messages), [], []

        async def receive():
            if not queue:
                await asyncio.sleep(3600)
            return queue.pop(0)

        async def send(message):
            sent.append(message)

        async def application(scope, receive, send):
            more = True
            while more:
                message = await receive()
                got.append(message.get("body", b""))
                more = message.get("more_body", False)
            await send({"type": "http.response.start", "status": 200, "headers": []})
            await send({"type": "http.response.body", "body": b"ok"})

        await door.Door(application)({"type": "http", "path": path, "headers": list(headers)}, receive, send)
        return sent, b"".join(got)

    return asyncio.run(run())


def part(body, more):
    return {"type": "http.request", "body": body, "more_body": more}


def test_a_half_sent_body_is_dropped_in_time(monkeypatch):
    monkeypatch.setattr(door, "BODY_PATIENCE", 0.1)
    monkeypatch.setattr(door, "DRAIN", 0.05)
    sent, got = asgi(part(b'{"name"', True))
    assert (sent[0]["status"], got) == (408, b'{"name"')
    assert json.loads(sent[1]["body"])["where"] == "the request's body"


def test_a_body_that_trickles_is_dropped_too(monkeypatch):
    monkeypatch.setattr(door, "GRACE", -1.0)
    monkeypatch.setattr(door, "DRAIN", 0.05)
    assert asgi(part(b"x", True), part(b"y", True))[0][0]["status"] == 408


@pytest.mark.parametrize("path", ["/api/v1/session", "/api/v1/projects/olmara/readings/tree"])
def test_what_comes_whole_goes_through_untouched(path):
    sent, got = asgi(part(b"a" * 1000, True), part(b"b" * 1000, False), path=path)
    assert (sent[0]["status"], got) == (200, b"a" * 1000 + b"b" * 1000)


def test_responses_that_are_read_row_by_row_may_be_larger():
    headers = [(b"content-length", str(door.MOST + 1).encode())]
    assert asgi(part(b"a", False), headers=headers)[0][0]["status"] == 413
    path = "/api/v1/projects/olmara/readings/tree"
    assert asgi(part(b"a", False), headers=headers, path=path)[0][0]["status"] == 200


def test_headers_that_do_not_end_close_the_connection(rondine):
    began, address = time.monotonic(), ("127.0.0.1", rondine.port)
    with socket.create_connection(address, timeout=90) as half, socket.create_connection(address, timeout=90) as silent:
        half.sendall(b"GET /api/v1/health HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Half: ")
        assert half.recv(1000) == b""
        assert silent.recv(1000) == b""  # one that says nothing at all
    assert time.monotonic() - began < 80


def test_requests_leave_no_connection_to_the_database_behind(rondine):
    count = "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()"
    project = rondine.office()
    project.environments.get("test")
    before = rondine.sql(count)[0][0]
    for _ in range(40):
        project.environments.get("test")
    assert rondine.sql(count)[0][0] <= before + 5


def test_a_connection_outlasts_the_time_for_which_callers_keep_one(rondine):
    """Both would otherwise end it at the same moment, and a request sent just then would be lost."""
    assert rondine_client.client.KEPT < door.KEPT_OPEN

    def port(client):
        return client.get("/api/v1/health").extensions["network_stream"].get_extra_info("client_addr")[1]

    with httpx.Client(base_url=rondine.url, limits=httpx.Limits(keepalive_expiry=30)) as client:
        first = port(client)
        time.sleep(6)  # uvicorn's own time, and httpx's, is 5 seconds
        assert port(client) == first
