"""The tree register: REST and JSON with an API key in X-Register-Key, many ways of paging, and a control address.

GET /v1/trees                     pages by Link header      ?district= &min_girth= &limit= (1-500) &start=
GET /v1/trees/by-address          pages by a next address in the body
GET /v1/trees/by-page             pages by ?page= &size=, announces the total
GET /v1/trees/by-cursor           pages by ?cursor=
GET /v1/trees/{number}            one tree, or 404
GET /v1/trees/{number}/sheet.svg  its survey sheet
GET, POST /v1/trees/{number}/care what was done for it; reporting a work twice for a day is a conflict, 409
/v1/pages/...                     its other ways of paging (`register_pages.py`)
/v1/measures, /v1/counts, .../papers   what is kept beside the trees (`register_papers.py`)
/v1/exports, /v1/listeners        what is ready later, and what it sends by itself (`register_later.py`)
GET /v1/districts                 a list of plain texts
GET /openapi.yaml, /openapi.json  its definition in OpenAPI 3.1, /openapi-2.json in 2.0; needs no key
GET /control, PUT /control        how to misbehave (see `Control`); needs no key
"""

import asyncio
import json
from dataclasses import asdict, dataclass, fields, replace
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

import yaml
from aiohttp import web

from rondine.standins.register_later import RegisterLater
from rondine.standins.register_pages import RegisterPages
from rondine.standins.register_papers import RegisterPapers
from rondine.standins.trees import DISTRICTS, TREES, diary, moisture, sheet, tree

KEY_HEADER = "X-Register-Key"
DEFINITION = Path(__file__).parent / "documents" / "register.yaml"


@dataclass(frozen=True)
class Control:
    """How the register behaves. delay: seconds before each response.  status: answer every call with this.  every: fail
    each n-th call with 500.  garbage: send a page of HTML with status 200.  drop: close without a response.  version: 1
    or 2.  repeat: pages link in a circle.  Of /v1/pages: overlap: so many trees of a page were on the one before it.
    shift: with each call, all trees move so many places down.  miscount: so many more are announced than there are.
    ignore: the first page comes, whatever is asked for.  fail_from: pages from this tree on fail with 500.  fail_next,
    drop_next: so many of the next calls get 503, or no response.  busy_next: so many of the next calls get
    429, told to come back a second or two later, as busy_as says: in seconds or as a date.  felled: so many trees, the
    last ones, are no more.  grown: each so many-th tree's girth is a centimetre more.  export_seconds: that an export
    takes.  export_fails: it fails in the end.  deliveries: how often each change is sent."""

    delay: float = 0.0
    status: int = 0
    every: int = 0
    garbage: bool = False
    drop: bool = False
    version: int = 1
    repeat: bool = False
    overlap: int = 0
    shift: int = 0
    miscount: int = 0
    ignore: bool = False
    fail_from: int = 0
    fail_next: int = 0
    drop_next: int = 0
    busy_next: int = 0
    busy_as: str = "seconds"
    felled: int = 0
    grown: int = 0
    export_seconds: float = 2.0
    export_fails: bool = False
    deliveries: int = 1


class Register:
    """The application and its state. rows: how many trees there are."""

    def __init__(self, *, key: str, seed: int = 1, rows: int = TREES) -> None:
        self.key, self.seed, self.rows = key, seed, rows
        self.control = Control()
        self.calls = self.told_at = 0
        self.reported: dict[str, list[dict[str, Any]]] = {}
        self.trees = lru_cache(maxsize=4)(self._trees)
        self.later = RegisterLater(self._of_district, self._told_of_later)
        self.papers = RegisterPapers(self._of_district, self._one, _girth)

    def _trees(self, version: int, felled: int, grown: int) -> list[dict[str, Any]]:
        trees = [tree(i, seed=self.seed, version=version) for i in range(self.rows - felled)]
        for one in trees[::grown] if grown else ():
            measures = one["measures"]
            girth = round(_girth(one) + 0.01, 2)
            measures["girth"] = {**measures["girth"], "value": girth} if version >= 2 else girth
        return trees

    def application(self) -> web.Application:
        app = web.Application(middlewares=[self._misbehave], client_max_size=64 * 1024**2)
        app.add_routes(
            [
                web.get("/v1/trees", self.by_link),
                web.get("/v1/trees/by-address", self.by_address),
                web.get("/v1/trees/by-page", self.by_page),
                web.get("/v1/trees/by-cursor", self.by_cursor),
                web.get("/v1/trees/{number}", self.one),
                web.get("/v1/trees/{number}/sheet.svg", self.sheet),
                web.get("/v1/trees/{number}/care", self.care),
                web.post("/v1/trees/{number}/care", self.report_care),
                web.get("/v1/districts", self.districts),
                web.get("/v1/moisture", self.moisture),
                web.get("/v1/diary", self.diary),
                web.get("/openapi.yaml", self.definition),
                web.get("/openapi.json", self.definition),
                web.get("/openapi-2.json", self.definition),
                web.get("/control", self.show_control),
                web.put("/control", self.set_control),
                *RegisterPages(self._found, self._shown, self._announced).routes(),
                *self.later.routes(),
                *self.papers.routes(),
            ]
        )
        return app

    @web.middleware
    async def _misbehave(self, request: web.Request, handler: Any) -> web.StreamResponse:
        if request.path == "/control" or request.path.startswith("/openapi"):
            return await handler(request)
        control = self.control
        self.calls += 1
        if control.delay:
            await asyncio.sleep(control.delay)
        if (control.drop or control.drop_next) and request.transport:
            self.control = replace(control, drop_next=max(0, control.drop_next - 1))
            request.transport.abort()
        if control.busy_next:
            self.control = replace(control, busy_next=control.busy_next - 1)
            later = datetime.now(UTC) + timedelta(seconds=2)
            told = "1" if control.busy_as == "seconds" else format_datetime(later, usegmt=True)
            return answer(
                {"error": {"status": 429, "message": "the register is busy"}}, status=429, headers={"Retry-After": told}
            )
        if control.fail_next:
            self.control = replace(control, fail_next=control.fail_next - 1)
            return refused(503, "the register was told to fail this once")
        if control.status or (control.every and self.calls % control.every == 0):
            status = control.status or 500
            extra = {"Retry-After": "30"} if status in (429, 503) else {}
            return answer(
                {"error": {"status": status, "message": f"the register was told to answer {status}"}},
                status=status,
                headers=extra,
            )
        if control.garbage:
            return web.Response(
                text="<!doctype html><title>Maintenance</title><p>The register is being repaired.",
                content_type="application/json",
            )
        if request.headers.get(KEY_HEADER) != self.key:
            missing = KEY_HEADER not in request.headers
            return answer(
                {
                    "error": {
                        "status": 401,
                        "message": f"{KEY_HEADER} is {'missing' if missing else 'not a key we gave out'}",
                    }
                },
                status=401,
            )
        return await handler(request)

    def _all(self) -> list[dict[str, Any]]:
        return self.trees(self.control.version, self.control.felled, self.control.grown)

    def _of_district(self, district: str) -> list[dict[str, Any]]:
        return [one for one in self._all() if not district or one["place"]["district"] == district]

    def _told_of_later(self) -> tuple[float, bool, int]:
        return self.control.export_seconds, self.control.export_fails, self.control.deliveries

    def _found(self, request: web.Request) -> list[dict[str, Any]]:
        found = self._of_district(request.query.get("district", ""))
        if least := request.query.get("min_girth"):
            found = [one for one in found if _girth(one) >= _number(least, "min_girth", float)]
        return found

    def _shown(self, found: list[dict[str, Any]], start: int, size: int) -> list[dict[str, Any]]:
        """A page of /v1/pages, as the register was told to give it."""
        control = self.control
        if control.fail_from and start >= control.fail_from:
            raise web.HTTPInternalServerError(
                text=json.dumps({"error": {"status": 500, "message": "the register was told to fail from here on"}}),
                content_type="application/json",
            )
        if control.ignore:
            start = 0
        if start:
            start = max(0, start - control.overlap - control.shift * (self.calls - self.told_at))
        return found[start : start + size]

    def _announced(self, found: list[dict[str, Any]]) -> int:
        return len(found) + self.control.miscount

    async def by_link(self, request: web.Request) -> web.Response:
        found, limit, start = (
            self._found(request),
            _limit(request, "limit"),
            _number(request.query.get("start", "0"), "start", int),
        )
        page = found[start : start + limit]
        headers = {}
        if start + limit < len(found):
            following = request.rel_url.update_query(
                start=str(0 if self.control.repeat else start + limit), limit=str(limit)
            )
            headers["Link"] = f'<{following}>; rel="next", <{request.rel_url.update_query(start="0")}>; rel="first"'
        return answer({"trees": page, "total": len(found)}, headers=headers)

    async def by_address(self, request: web.Request) -> web.Response:
        found, limit, start = (
            self._found(request),
            _limit(request, "limit"),
            _number(request.query.get("start", "0"), "start", int),
        )
        following = (
            str(request.rel_url.update_query(start=str(start + limit), limit=str(limit)))
            if start + limit < len(found)
            else None
        )
        return answer({"trees": found[start : start + limit], "next": following})

    async def by_page(self, request: web.Request) -> web.Response:
        found, size, page = (
            self._found(request),
            _limit(request, "size"),
            _number(request.query.get("page", "1"), "page", int),
        )
        return answer({"trees": found[(page - 1) * size : page * size], "page": page, "total": len(found)})

    async def by_cursor(self, request: web.Request) -> web.Response:
        found, limit = self._found(request), _limit(request, "limit")
        start = _number(request.query.get("cursor", "c0").removeprefix("c"), "cursor", int)
        return answer(
            {
                "trees": found[start : start + limit],
                "cursor": f"c{start + limit}" if start + limit < len(found) else None,
            }
        )

    def _one(self, request: web.Request) -> dict[str, Any]:
        number = request.match_info["number"]
        for one in self._all():
            if one["number"] == number:
                return one
        raise web.HTTPNotFound(
            text=json.dumps({"error": {"status": 404, "message": f"the register has no tree {number}"}}),
            content_type="application/json",
        )

    async def one(self, request: web.Request) -> web.Response:
        return answer(self._one(request))

    async def sheet(self, request: web.Request) -> web.Response:
        return web.Response(text=sheet(self._one(request)), content_type="image/svg+xml")

    async def care(self, request: web.Request) -> web.Response:
        number = self._one(request)["number"]
        return answer({"care": self.reported.get(number, [])[::-1]})

    async def report_care(self, request: web.Request) -> web.Response:
        number = self._one(request)["number"]
        given = json.loads(await request.text() or "null")
        missing = [name for name in ("work", "done_on") if not isinstance(given, dict) or not given.get(name)]
        if missing:
            return refused(422, f"{' and '.join(missing)} missing")
        held = self.reported.setdefault(number, [])
        if there := next(
            (one for one in held if (one["work"], one["done_on"]) == (given["work"], given["done_on"])), None
        ):
            words = f"{given['work']} is reported for {given['done_on']} already"
            return answer({"error": {"status": 409, "message": words}, "there": there}, status=409)
        held.append({**given, "id": sum(map(len, self.reported.values())) + 1, "reported_at": "2026-11-03T10:00:00Z"})
        self.later.changed(self._one(request), held)
        return answer(held[-1], status=201)

    async def definition(self, request: web.Request) -> web.Response:
        if request.path.endswith(".yaml"):
            return web.Response(text=DEFINITION.read_text(), content_type="application/yaml")
        document = yaml.safe_load(DEFINITION.read_text())
        return answer(in_2_0(document, request.host) if request.path == "/openapi-2.json" else document)

    async def districts(self, request: web.Request) -> web.Response:
        return answer({"districts": list(DISTRICTS)})

    async def moisture(self, request: web.Request) -> web.Response:
        return answer(moisture(max(1, min(28, _number(request.query.get("days", "7"), "days", int))), seed=self.seed))

    async def diary(self, request: web.Request) -> web.Response:
        return answer({"entries": diary(_limit(request, "limit"), seed=self.seed)})

    async def show_control(self, request: web.Request) -> web.Response:
        return answer({**asdict(self.control), "calls": self.calls})

    async def set_control(self, request: web.Request) -> web.Response:
        wanted = await request.json()
        known = {field.name for field in fields(Control)}
        if not isinstance(wanted, dict) or set(wanted) - known:
            return answer({"error": {"status": 400, "message": f"known here: {', '.join(sorted(known))}"}}, status=400)
        self.control, self.told_at = replace(Control(), **wanted), self.calls
        return answer(asdict(self.control))


def answer(value: Any, *, status: int = 200, headers: dict[str, str] | None = None) -> web.Response:
    return web.Response(
        body=json.dumps(value, ensure_ascii=False).encode(),
        status=status,
        headers=headers,
        content_type="application/json",
    )


def refused(status: int, message: str) -> web.Response:
    return answer({"error": {"status": status, "message": message}}, status=status)


def in_2_0(document: dict[str, Any], host: str) -> dict[str, Any]:
    """The register's definition as OpenAPI 2.0."""
    parts = document["components"]

    def moved(value: Any) -> Any:
        if isinstance(value, list):
            return [moved(one) for one in value]
        if not isinstance(value, dict):
            return value
        out = {key: moved(one) for key, one in value.items() if key != "requestBody"}
        if isinstance(reference := out.get("$ref"), str):
            target = reference.replace("#/components/schemas", "#/definitions").replace("#/components", "#")
            return {"$ref": target}
        if isinstance(out.get("type"), list):
            out |= {"type": out["type"][0], "x-nullable": True}
        if alternatives := out.pop("anyOf", None):
            return {"allOf": alternatives[:1], "x-nullable": True, **out}
        if "in" in out and "schema" in out:
            out |= out.pop("schema")
        if "content" in out:
            media = next(iter(out.pop("content").values()))
            out |= {"schema": media["schema"]} if "schema" in media else {}
        if "headers" in out:
            out["headers"] = {name: {**one, **one.pop("schema")} for name, one in out["headers"].items()}
        if "requestBody" in value:
            schema = moved(value["requestBody"]["content"]["application/json"])["schema"]
            body = {"name": "care", "in": "body", "required": True, "schema": schema}
            out["parameters"] = [*out.get("parameters", []), body]
        return out

    paths = moved(document["paths"])
    paths["/trees/{number}/sheet.svg"]["get"]["produces"] = ["image/svg+xml"]
    return {
        "swagger": "2.0",
        "info": document["info"],
        "externalDocs": document["externalDocs"],
        "host": host,
        "basePath": "/v1",
        "schemes": ["http"],
        "consumes": ["application/json"],
        "produces": ["application/json"],
        "security": document["security"],
        "tags": document["tags"],
        "paths": paths,
        "securityDefinitions": parts["securitySchemes"],
        "parameters": moved(parts["parameters"]),
        "responses": moved(parts["responses"]),
        "definitions": moved(parts["schemas"]),
    }


def _girth(one: dict[str, Any]) -> float:
    girth = one["measures"]["girth"]
    return float(girth["value"] if isinstance(girth, dict) else girth)


def _limit(request: web.Request, name: str) -> int:
    return max(1, min(500, _number(request.query.get(name, "100"), name, int)))


def _number(text: str, name: str, kind: Any) -> Any:
    try:
        return kind(text)
    except ValueError as error:
        raise web.HTTPUnprocessableEntity(
            text=json.dumps({"error": {"status": 422, "message": f'{name} is "{text}", not a number'}}),
            content_type="application/json",
        ) from error
