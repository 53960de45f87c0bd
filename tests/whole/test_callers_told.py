"""The service is told for which user an application calls: by a header, or by a signed token."""

import uuid

import pytest
from joserfc import jwt
from joserfc.jwk import OctKey
from tests.desk import Desk

KEY = "canary-of-callers-4711-and-some-more-characters"


class Watched(Desk):
    """Keeps the headers that requests came with."""

    def __init__(self, rondine, serve, name):
        self.headers = []
        super().__init__(rondine, serve, name)

    async def answer(self, request):
        self.headers.append(dict(request.headers))
        return await super().answer(request)

    def tell(self, **caller):
        project = self.project
        held = project.connections.get("desk-register-test")
        return project.connections.change(
            "desk-register-test", version=held["version"], document={**held["document"], "caller": caller}
        )


@pytest.fixture
def desk(rondine, serve, request):
    return Watched(
        rondine, serve, "callers-" + request.node.name.removeprefix("test_").replace("_", "-")[:30].strip("-")
    )


def test_a_header_names_the_user_and_nobody_where_nobody_is_named(desk):
    desk.tell(header="X-Tree-User", prefix="user ")
    desk.use.for_caller("vela").call("get-tree", {"number": "OLM-1"})
    assert desk.headers[-1]["X-Tree-User"] == "user vela"
    desk.use.call("get-tree", {"number": "OLM-2"})
    assert "X-Tree-User" not in desk.headers[-1]
    key = str(uuid.uuid4())
    desk.use.for_caller("vela").call("plan", {"task": "watering"}, key=key)
    assert desk.headers[-1]["X-Tree-User"] == "user vela"
    other = desk.sent(
        "POST",
        "/operations/plan",
        json={"inputs": {"task": "watering"}},
        headers={"Idempotency-Key": key, "Rondine-Caller": "odo"},
    )
    assert other.json()["code"] == "key_used", "the same for somebody else is something else"
    run = desk.use.for_caller("vela").start("plan", {"task": "pruning"})
    [*_, last] = desk.use.watch(run["number"])
    assert last["state"] == "done" and desk.headers[-1]["X-Tree-User"] == "user vela", "by a worker, too"
    long = desk.sent("POST", "/operations/plan", json={}, headers={"Rondine-Caller": "x" * 201})
    assert long.status_code == 400 and long.json()["where"] == "Rondine-Caller header"


def test_a_signed_token_says_who_it_is_and_is_kept_nowhere(desk, rondine):
    project = desk.project
    project.credentials.make("callers", environment="test")
    held = project.connections.get("desk-register-test")
    project.connections.change("desk-register-test", version=held["version"], credential="callers")
    desk.tell(header="Authorization", prefix="Bearer ", form="signed", audience="the register", key_id="k1")
    lacking = desk.sent("POST", "/operations/get-tree", json={"inputs": {"number": "OLM-1"}})
    assert lacking.json()["code"] == "not_ready" and "lacks caller_key" in lacking.json()["detail"]
    project.credentials.set_secrets("callers", caller_key=KEY)
    desk.use.for_caller("mira@olmara").call("get-tree", {"number": "OLM-1"})
    scheme, _, token = desk.headers[-1]["Authorization"].partition(" ")
    read = jwt.decode(token, OctKey.import_key(KEY), algorithms=["HS256"])
    assert scheme == "Bearer" and read.header["kid"] == "k1"
    claims = read.claims
    assert (claims["sub"], claims["iss"], claims["aud"]) == ("mira@olmara", "rondine", "the register")
    assert claims["exp"] - claims["iat"] == 300 and len(claims["jti"]) == 32
    desk.use.for_caller("odo").call("plan", {"task": "mulching"})
    other = jwt.decode(desk.headers[-1]["Authorization"].removeprefix("Bearer "), OctKey.import_key(KEY)).claims
    assert other["sub"] == "odo" and other["jti"] != claims["jti"]
    run = next(project.runs.search(kind="application"))
    [call] = project.runs.calls(run["id"])
    assert token not in call["request"] and "Authorization: " in call["request"]
    found = rondine.sql("SELECT count(*) FROM runs_call WHERE request LIKE %s", f"%{token[:40]}%")
    assert found == [(0,)]
