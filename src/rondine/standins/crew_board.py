"""The crew board: REST and JSON behind OAuth 2.0 authorization code with PKCE.

GET    /v1/days            crew days    ?from= &to= &crew=
POST   /v1/days            plan one: a form with date, crew, district, task
GET    /v1/days/{number}
GET    /v1/me              whose account it is
POST   /v1/days/{number}/move      a form with date
DELETE /v1/days/{number}           cancel
"""

import secrets
from datetime import date, timedelta
from typing import Any

from aiohttp import web

from rondine.standins.token_desk import TokenDesk
from rondine.standins.trees import DISTRICTS

SCOPES = frozenset({"days.read", "days.plan"})
CREWS = ("Alder", "Birch", "Cedar")
TASKS = ("crown care", "planting", "watering", "stump removal", "inspection climb")
#: Who has an account of their own, besides the office.
PEOPLE = ("office", "vela", "odo", "mira")
FIRST = date(2026, 11, 2)


class CrewBoard:
    def __init__(self, *, client_id: str, client_secret: str) -> None:
        self.desk = TokenDesk(client_id, client_secret, scopes=SCOPES, user=("office", client_secret))
        self.desk.people = {name: secrets.token_urlsafe(9) for name in PEOPLE}
        self.days: dict[int, dict[str, Any]] = {
            number: {
                "number": number,
                "date": (FIRST + timedelta(days=number // 2)).isoformat(),
                "crew": CREWS[number % 3],
                "district": DISTRICTS[number % len(DISTRICTS)],
                "task": TASKS[number % 5],
                "state": "planned",
                "planned_by": "office",
            }
            for number in range(1, 61)
        }

    def application(self) -> web.Application:
        app = web.Application(middlewares=[self._signed_in])
        app.add_routes(
            [
                *self.desk.routes(),
                web.get("/v1/me", self.me),
                web.get("/v1/days", self.list),
                web.post("/v1/days", self.plan),
                web.get("/v1/days/{number}", self.one),
                web.post("/v1/days/{number}/move", self.move),
                web.delete("/v1/days/{number}", self.cancel),
            ]
        )
        return app

    @web.middleware
    async def _signed_in(self, request: web.Request, handler: Any) -> web.StreamResponse:
        if request.path.startswith("/v1/") and (why := self.desk.why_not(request)):
            return web.json_response(
                {"error": "invalid_token", "message": why}, status=401, headers={"WWW-Authenticate": "Bearer"}
            )
        return await handler(request)

    async def me(self, request: web.Request) -> web.Response:
        return web.json_response({"name": self.desk.person(request) or "office", "crews": list(CREWS)})

    async def list(self, request: web.Request) -> web.Response:
        first, last, crew = (request.query.get(name, "") for name in ("from", "to", "crew"))
        found = [
            day
            for day in self.days.values()
            if day["date"] >= first and (not last or day["date"] <= last) and (not crew or day["crew"] == crew)
        ]
        return web.json_response({"days": found, "count": len(found)})

    async def one(self, request: web.Request) -> web.Response:
        return web.json_response(self._day(request))

    async def plan(self, request: web.Request) -> web.Response:
        form = await request.post()
        missing = [name for name in ("date", "crew", "district", "task") if not form.get(name)]
        if missing:
            return web.json_response({"error": "incomplete", "message": f"{missing[0]} is missing"}, status=422)
        number = max(self.days, default=0) + 1
        self.days[number] = {
            "number": number,
            **{name: str(form[name]) for name in ("date", "crew", "district", "task")},
            "state": "planned",
            "planned_by": self.desk.person(request) or "office",
        }
        return web.json_response(self.days[number], status=201, headers={"Location": f"/v1/days/{number}"})

    async def move(self, request: web.Request) -> web.Response:
        day = self._day(request)
        day["date"] = str((await request.post()).get("date") or day["date"])
        return web.json_response(day)

    async def cancel(self, request: web.Request) -> web.Response:
        self._day(request)["state"] = "cancelled"
        return web.Response(status=204)

    def _day(self, request: web.Request) -> dict[str, Any]:
        number = request.match_info["number"]
        if not number.isdigit() or int(number) not in self.days:
            raise web.HTTPNotFound(text=f'{{"error": "no crew day {number[:20]}"}}', content_type="application/json")
        return self.days[int(number)]
