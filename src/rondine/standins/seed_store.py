"""The seed store: its token address (OAuth 2.0 client credentials, private_key_jwt, JWT bearer) and the list of its lots.

GET /odata/Lots       needs a bearer token
"""

from typing import Any

from aiohttp import web

from rondine.standins.token_desk import TokenDesk

SCOPES = frozenset({"lots.read", "lots.write"})
SPECIES = ("Tilia cordata", "Quercus robur", "Acer campestre", "Sorbus torminalis")


class SeedStore:
    def __init__(self, *, client_id: str, client_secret: str, public_key: str = "") -> None:
        self.desk = TokenDesk(
            client_id, client_secret, public_key=public_key, scopes=SCOPES, user=("office", client_secret)
        )

    def application(self) -> web.Application:
        app = web.Application()
        app.add_routes([*self.desk.routes(), web.get("/odata/Lots", self.lots)])
        return app

    async def lots(self, request: web.Request) -> web.Response:
        if why := self.desk.why_not(request):
            answer: dict[str, Any] = {"error": {"code": "Unauthorized", "message": why}}
            return web.json_response(answer, status=401, headers={"WWW-Authenticate": "Bearer"})
        rows = [
            {"Number": number, "Species": SPECIES[number % 4], "Grams": 250 + 5 * number, "Year": 2020 + number % 7}
            for number in range(1, 41)
        ]
        return web.json_response({"@odata.context": "$metadata#Lots", "value": rows})
