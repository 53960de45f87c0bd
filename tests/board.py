"""A service at which each user of an application signs in with an account of their own."""

import base64
from urllib.parse import parse_qs, parse_qsl, urlsplit

import httpx
from aiohttp import web

from rondine.standins.token_desk import TokenDesk
from tests.desk import Desk

CALLBACK = "http://127.0.0.1:18399/signed-in"
CLIENT, SECRET = "desk", "canary-of-the-client-2207-more"
PEOPLE = {"vela": "canary-of-vela-5518-more", "odo": "canary-of-odo-9036-more"}


class Board(Desk):
    """A service of days that says who plans; who asks is known by a token of the desk, or by user name and password."""

    def __init__(self, rondine, serve, name):
        self.tokens = TokenDesk(CLIENT, SECRET, people=dict(PEOPLE), scopes=frozenset({"days"}))
        self.by, self.kept = [], {}
        super().__init__(rondine, serve, name)
        self.project.credentials.make("board", environment="test")
        self.project.credentials.set_secrets("board", client_secret=SECRET)
        self.held = self.project.connections.get("desk-register-test")

    def sign_in_by(self, **scheme):
        """Users sign in themselves, by a scheme."""
        base = self.outside.url
        if scheme["type"] in ("authorization_code", "password_grant"):
            scheme |= {"client_id": CLIENT, "token_address": f"{base}/oauth/token", "scope": "days"}
        if scheme["type"] == "authorization_code":
            scheme["authorization_address"] = f"{base}/oauth/consent"
        held = self.project.connections.get("desk-register-test")
        document = {**held["document"], "sign_in": scheme, "callers_sign_in": True}
        made = self.project.connections.change(
            "desk-register-test", version=held["version"], document=document, credential="board"
        )
        assert made["problems"] == []
        self.set(callbacks=[CALLBACK])
        return made

    async def answer(self, request):
        path = request.path
        if path == "/oauth/token":
            return await self.tokens.token(request)
        if path == "/oauth/consent":
            return await (self.tokens.consent if request.method == "GET" else self.tokens.consented)(request)
        who = self._who(request)
        if not who:
            return web.json_response({"message": "who is that?"}, status=401)
        self.by.append(who)
        if path == "/trees" and who == "vela":
            return web.json_response({"trees": [{"number": "OLM-OF-VELA", "girth": 1}], "next": None})
        return await super().answer(request)

    def _who(self, request):
        header = request.headers.get("Authorization", "")
        if header.startswith("Basic "):
            name, _, password = base64.b64decode(header[6:]).decode().partition(":")
            return name if PEOPLE.get(name) == password else ""
        return self.tokens.person(request) if not self.tokens.why_not(request) else ""

    def consent(self, address, user):
        """The user at the page of consent: the query that the service sends the browser back with."""
        asked = dict(parse_qsl(urlsplit(address).query))
        answer = httpx.post(address.partition("?")[0], data={**asked, "user": user, "answer": "yes"})
        back = answer.headers["location"]
        assert back.startswith(CALLBACK)
        return {name: values[0] for name, values in parse_qs(urlsplit(back).query).items()}

    def signed_in(self, user):
        begun = self.use.for_caller(user).begin_session("desk-register", callback=CALLBACK)
        assert begun["state"] == "begun" and not begun["is_proven"]
        use = self.use.for_caller(user, session=begun["session"])
        done = use.answer_session(self.consent(begun["address"], user))
        assert (done["state"], done["is_proven"], done["caller"]) == ("signed_in", True, user)
        return use
