"""The soil laboratory: lab results behind five other ways to sign in, each at a path of its own.

GET  /results            basic; ?count=1 for how many, ?from=2 for which; ?format=other with other prefixes and UTF-16
GET  /results.xsd        their XML Schema, to everybody
GET  /archive/results    the same, fetched from the cellar: it takes twenty seconds
GET  /digest/results     digest (RFC 7616; ?algorithm=MD5 or SHA-256 in the control)
GET  /keyed/results      a key and a secret in headers, cookies or the query: key, secret
POST /keyed/results      the same in a form or JSON body
POST /session            the sign-in operation: {"user": ..., "password": ...}
                         -> {"session": {"key": ...}, "seconds": ...}
GET  /session/results    "Authorization: Session <key>"
GET  /bearer/results     an access token of its own token desk; over TLS the caller's certificate stands for a client
                         secret (RFC 8705)
GET  /moved/...          redirects: /moved/here to /results, /moved/away to the address in ?to=
"""

import asyncio
import base64
import hashlib
import json
import re
import secrets
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from aiohttp import web

from rondine.standins.token_desk import TokenDesk

REALM = "soil@olmara"
XSD = Path(__file__).parent / "documents" / "soil.xsd"
ROWS = 12
#: Seconds until something from the archive is there.
IN_ARCHIVE = 20.0
TEXTURES = ("sand", "loam", "clay")


@dataclass
class SoilLab:
    """user, password: of basic, digest and the sign-in operation.  key, secret: of /keyed."""

    user: str
    password: str
    key: str = ""
    secret: str = ""
    lifetime: int = 600
    algorithm: str = "SHA-256"
    nonces: dict[str, int] = field(default_factory=dict)
    sessions: dict[str, float] = field(default_factory=dict)
    signed_in: int = 0

    def __post_init__(self) -> None:
        self.desk = TokenDesk(self.key, self.secret, scopes=frozenset({"results.read"}))

    def application(self) -> web.Application:
        app = web.Application()
        app.add_routes(
            [
                web.get("/results", self.basic),
                web.get("/results.xsd", self.schema),
                web.get("/archive/results", self.archive),
                web.get("/digest/results", self.digest),
                web.route("*", "/keyed/results", self.keyed),
                web.post("/session", self.session),
                web.get("/session/results", self.with_session),
                web.get("/moved/{where}", self.moved),
                web.get("/bearer/results", self.bearer),
                web.post("/oauth/token", self.desk.token),
                web.get("/control", self.show),
                web.put("/control", self.control),
            ]
        )
        return app

    async def basic(self, request: web.Request) -> web.Response:
        expected = base64.b64encode(f"{self.user}:{self.password}".encode()).decode()
        if request.headers.get("Authorization") != f"Basic {expected}":
            return self._no(f'Basic realm="{REALM}", charset="UTF-8"', "user name or password is wrong")
        return results(request)

    async def archive(self, request: web.Request) -> web.Response:
        await asyncio.sleep(IN_ARCHIVE)
        return await self.basic(request)

    async def schema(self, request: web.Request) -> web.Response:
        return web.Response(text=XSD.read_text(), content_type="application/xml")

    async def digest(self, request: web.Request) -> web.Response:
        sent = re.findall(r'(\w+)=(?:"([^"]*)"|([^\s,]+))', request.headers.get("Authorization", ""))
        given = {name: quoted or bare for name, quoted, bare in sent}
        nonce = given.get("nonce", "")
        make = hashlib.sha256 if self.algorithm == "SHA-256" else hashlib.md5

        def h(text: str) -> str:
            return make(text.encode()).hexdigest()

        if nonce in self.nonces and given.get("username") == self.user and given.get("uri") == request.path_qs:
            expected = h(
                f"{h(f'{self.user}:{REALM}:{self.password}')}:{nonce}:{given.get('nc')}:{given.get('cnonce')}:auth:"
                f"{h(f'{request.method}:{request.path_qs}')}"
            )
            count = int(given.get("nc", "0"), 16)
            if given.get("response") == expected and count > self.nonces[nonce]:
                self.nonces[nonce] = count
                return results(request)
        is_stale = "stale=true, " if nonce and nonce not in self.nonces else ""
        fresh = secrets.token_urlsafe(12)
        self.nonces[fresh] = 0
        return self._no(
            f'Digest realm="{REALM}", {is_stale}qop="auth", algorithm={self.algorithm}, nonce="{fresh}"',
            "the digest is wrong",
        )

    async def keyed(self, request: web.Request) -> web.Response:
        body: dict[str, Any] = {}
        if request.method == "POST":
            is_json = request.content_type == "application/json"
            body = await request.json() if is_json else dict(await request.post())
        found = {**request.query, **request.cookies, **body}
        pair = (
            request.headers.get("X-Lab-Key") or found.get("key"),
            request.headers.get("X-Lab-Secret") or found.get("secret"),
        )
        return results(request) if pair == (self.key, self.secret) else self._no("Key", "key or secret is wrong")

    async def session(self, request: web.Request) -> web.Response:
        self.signed_in += 1
        given = await request.json()
        if (given.get("user"), given.get("password")) != (self.user, self.password):
            return self._no("Session", "user name or password is wrong")
        key = secrets.token_urlsafe(18)
        self.sessions[key] = time.time() + self.lifetime
        return web.json_response({"session": {"key": key}, "seconds": self.lifetime})

    async def with_session(self, request: web.Request) -> web.Response:
        key = request.headers.get("Authorization", "").removeprefix("Session ")
        if self.sessions.get(key, 0) < time.time():
            return self._no("Session", "the session is not known, or has ended")
        return results(request)

    async def bearer(self, request: web.Request) -> web.Response:
        why = self.desk.why_not(request)
        return self._no("Bearer", why) if why else results(request)

    async def moved(self, request: web.Request) -> web.Response:
        here = request.match_info["where"] == "here"
        raise web.HTTPFound("/results" if here else request.query.get("to", "/results"))

    async def show(self, request: web.Request) -> web.Response:
        return web.json_response(
            {"lifetime": self.lifetime, "algorithm": self.algorithm, "signed_in": self.signed_in, "user": self.user}
        )

    async def control(self, request: web.Request) -> web.Response:
        """{"password": ..., "lifetime": ..., "algorithm": "MD5", "revoke": true}"""
        given = json.loads(await request.text() or "{}")
        if given.get("revoke"):
            self.sessions.clear()
            self.nonces.clear()
        for name in ("password", "lifetime", "algorithm"):
            if name in given:
                setattr(self, name, given[name])
        return await self.show(request)

    @staticmethod
    def _no(challenge: str, words: str) -> web.Response:
        return web.Response(
            status=401,
            text=f"<error><message>{words}</message></error>",
            content_type="application/xml",
            headers={"WWW-Authenticate": challenge},
        )


def result(number: int) -> str:
    """One lab result. Dates come in two forms, numbers with a comma, and a result with one layer has one element of
    it."""
    day = 1 + number % 28
    taken = f"{day:02d}.10.2026" if number % 2 else f"2026-10-{day:02d}"
    layers = "".join(
        f'<lab:layer depth="{20 * (layer + 1)}"><lab:texture>{TEXTURES[(number + layer) % 3]}</lab:texture>'
        f"<lab:ph>{6 + (number + layer) % 3},{(number * 3 + layer) % 10}</lab:ph></lab:layer>"
        for layer in range(1 + number % 3)
    )
    note = "<lab:note>roots &amp; stones</lab:note>" if number % 4 == 0 else "<lab:note/>" if number % 4 == 1 else ""
    return (
        f'  <lab:result number="S-{1040 + number}" tree="OLM-{number:05d}"><lab:taken>{taken}</lab:taken>'
        f'<lab:humus unit="%">{2 + number % 4},{number % 10}</lab:humus>'
        f"<lab:layers>{layers}</lab:layers>{note}</lab:result>\n"
    )


def results(request: web.Request) -> web.Response:
    count, first = (int(request.query.get(name, usual)) for name, usual in (("count", ROWS), ("from", 1)))
    rows = "".join(map(result, range(first, first + count)))
    text = (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<lab:results xmlns:lab="urn:olmara:soil:2" lab:count="{count}">\n{rows}</lab:results>\n'
    )
    if request.query.get("format") == "other":
        text = text.replace("lab:", "x:").replace("xmlns:lab", "xmlns:x").replace("UTF-8", "UTF-16")
        return web.Response(body=text.encode("utf-16"), content_type="application/xml")
    return web.Response(text=text, content_type="application/xml")
