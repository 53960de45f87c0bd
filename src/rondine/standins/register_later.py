"""What the tree register has ready later, and what it sends by itself; both need the key.

POST   /v1/exports               orders a list of the trees: 202, Location, Retry-After   {"district": ...}
GET    /v1/exports/{id}          its state: "queued", "running", "ready" or "failed"; when ready, "result" says where
GET    /v1/exports/{id}/trees    the trees
PUT    /v1/listeners/{name}      sends changes of trees there    {"address": ..., "secret": "whsec_..."}
GET    /v1/listeners             who listens, and how many deliveries were sent, and failed
DELETE /v1/listeners/{name}      sends nothing there any more

A tree changes when care is reported for it. A delivery is {"type": "tree.changed", "change": n, "tree": {...}, "care":
[...]}, signed as Standard Webhooks have it and sent again a few times until it is accepted; `change` rises.
"""

import asyncio
import base64
import hashlib
import hmac
import json
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import aiohttp
from aiohttp import web

Trees = list[dict[str, Any]]
#: Seconds before a delivery that was not accepted is sent again, one after another.
PAUSES = (0.5, 2.0, 8.0)


@dataclass
class Export:
    """An order. begun: of the monotonic clock.  seconds: until it is ready.  fails: it never is."""

    trees: Trees
    begun: float
    seconds: float
    fails: bool

    @property
    def state(self) -> str:
        passed = time.monotonic() - self.begun
        if passed < self.seconds:
            return "queued" if passed < self.seconds / 4 else "running"
        return "failed" if self.fails else "ready"


@dataclass
class Listener:
    address: str
    secret: str
    sent: int = 0
    failed: int = 0


@dataclass
class RegisterLater:
    """found: the trees that an order is about.  told: how long an export takes, whether it fails, and how often each
    delivery is sent."""

    found: Callable[[str], Trees]
    told: Callable[[], tuple[float, bool, int]]
    exports: list[Export] = field(default_factory=list)
    listeners: dict[str, Listener] = field(default_factory=dict)
    changes: int = 0
    _sending: set[asyncio.Task[None]] = field(default_factory=set)

    def routes(self) -> list[web.RouteDef]:
        return [
            web.post("/v1/exports", self.order),
            web.get("/v1/exports/{id}", self.look),
            web.get("/v1/exports/{id}/trees", self.fetch),
            web.get("/v1/listeners", self.who_listens),
            web.put("/v1/listeners/{name}", self.listen),
            web.delete("/v1/listeners/{name}", self.stop),
        ]

    async def order(self, request: web.Request) -> web.Response:
        given = await given_object(request)
        seconds, fails, _ = self.told()
        self.exports.append(Export(self.found(str(given.get("district") or "")), time.monotonic(), seconds, fails))
        place = f"/v1/exports/{len(self.exports)}"
        return _answer({"state": "queued"}, 202, {"Location": place, "Retry-After": "1"})

    async def look(self, request: web.Request) -> web.Response:
        export, place = self._export(request), request.path
        if export.state == "ready":
            return _answer({"state": "ready", "trees": len(export.trees), "result": f"{place}/trees"})
        return _answer({"state": export.state}, 200, {} if export.state == "failed" else {"Retry-After": "1"})

    async def fetch(self, request: web.Request) -> web.Response:
        export = self._export(request)
        if export.state != "ready":
            return _answer({"error": {"status": 409, "message": f"it is {export.state}"}}, 409)
        return _answer({"trees": export.trees, "total": len(export.trees)})

    def _export(self, request: web.Request) -> Export:
        number = request.match_info["id"]
        if not number.isdigit() or not 1 <= int(number) <= len(self.exports):
            raise _refused(web.HTTPNotFound, 404, f"the register has no export {number}")
        return self.exports[int(number) - 1]

    async def listen(self, request: web.Request) -> web.Response:
        given = await given_object(request)
        address, secret = given.get("address"), given.get("secret")
        if not isinstance(address, str) or not isinstance(secret, str) or not address.startswith("http"):
            raise _refused(web.HTTPUnprocessableEntity, 422, "address and secret are texts, the address an http one")
        try:
            _key(secret)
        except ValueError:
            raise _refused(web.HTTPUnprocessableEntity, 422, "the secret is whsec_ and a key in base64") from None
        self.listeners[request.match_info["name"]] = Listener(address, secret)
        return _answer({"listens": True})

    async def who_listens(self, request: web.Request) -> web.Response:
        told = [
            {"name": name, "address": one.address, "sent": one.sent, "failed": one.failed}
            for name, one in sorted(self.listeners.items())
        ]
        return _answer({"listeners": told, "changes": self.changes})

    async def stop(self, request: web.Request) -> web.Response:
        if self.listeners.pop(request.match_info["name"], None) is None:
            raise _refused(web.HTTPNotFound, 404, "nobody of that name listens")
        return web.Response(status=204)

    def changed(self, tree: dict[str, Any], care: list[dict[str, Any]]) -> None:
        """Tells all who listen."""
        self.changes += 1
        body = json.dumps({"type": "tree.changed", "change": self.changes, "tree": tree, "care": care}).encode()
        for name, listener in self.listeners.items():
            for _ in range(self.told()[2]):
                task = asyncio.create_task(self._deliver(listener, f"{name}-change-{self.changes}", body))
                self._sending.add(task)
                task.add_done_callback(self._sending.discard)

    async def _deliver(self, listener: Listener, mark: str, body: bytes) -> None:
        async with aiohttp.ClientSession(timeout=aiohttp.ClientTimeout(total=10)) as session:
            for pause in (*PAUSES, None):
                try:
                    headers = signed(mark, listener.secret, body)
                    async with session.post(listener.address, data=body, headers=headers) as response:
                        if response.status < 300:
                            listener.sent += 1
                            return
                except (aiohttp.ClientError, TimeoutError):
                    pass
                if pause is not None:
                    await asyncio.sleep(pause)
        listener.failed += 1


def signed(mark: str, secret: str, body: bytes) -> dict[str, str]:
    """The headers of a Standard Webhook. secret: "whsec_" and a key in base64."""
    now = str(int(time.time()))
    signature = hmac.new(_key(secret), f"{mark}.{now}.".encode() + body, hashlib.sha256).digest()
    return {
        "Content-Type": "application/json",
        "webhook-id": mark,
        "webhook-timestamp": now,
        "webhook-signature": f"v1,{base64.b64encode(signature).decode()}",
    }


def _key(secret: str) -> bytes:
    return base64.b64decode(secret.removeprefix("whsec_"), validate=True)


async def given_object(request: web.Request) -> dict[str, Any]:
    try:
        given = json.loads(await request.text() or "{}")
    except ValueError:
        given = None
    if not isinstance(given, dict):
        raise _refused(web.HTTPUnprocessableEntity, 422, "the body is no JSON object")
    return given


def _answer(value: Any, status: int = 200, headers: dict[str, str] | None = None) -> web.Response:
    return web.Response(
        body=json.dumps(value, ensure_ascii=False).encode(),
        status=status,
        headers=headers,
        content_type="application/json",
    )


def _refused(kind: type[web.HTTPError], status: int, message: str) -> web.HTTPError:
    return kind(text=json.dumps({"error": {"status": status, "message": message}}), content_type="application/json")
