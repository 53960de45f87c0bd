"""Where the stand-ins give out access tokens: OAuth 2.0 in all grants that Rondine speaks, checked strictly, told to
misbehave at will.

GET  /oauth/consent    the page on which a person consents (authorization code with PKCE)
POST /oauth/token      authorization_code, refresh_token (rotated), client_credentials, password, JWT bearer
GET  /.well-known/oauth-authorization-server     RFC 8414
"""

import asyncio
import base64
import hashlib
import html
import json
import secrets
import time
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import unquote_plus, urlencode

from aiohttp import web
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import OctKey, RSAKey
from joserfc.jws import extract_compact

JWT_BEARER = "urn:ietf:params:oauth:grant-type:jwt-bearer"


@dataclass
class Misbehaviour:
    """lifetime: seconds of new access tokens, 0 for none told.  refuse: an OAuth error that every token request gets.
    answer: html, nothing or negative: a token answer that is none.  without_refresh: no refresh token is given.
    status: every token request gets this.  begin: what new tokens begin with."""

    lifetime: int = 600
    refuse: str = ""
    answer: str = ""
    without_refresh: bool = False
    status: int = 0
    delay: float = 0.0
    begin: str = ""


@dataclass
class TokenDesk:
    """client_id and client_secret: the one client it knows.  public_key: PEM, of private_key_jwt and JWT bearer.  user:
    name and password.  people: further ones, with their passwords; one of them is chosen at the consent page.  owners:
    whose an access or refresh token is."""

    client_id: str
    client_secret: str
    public_key: str = ""
    user: tuple[str, str] = ("", "")
    people: dict[str, str] = field(default_factory=dict)
    scopes: frozenset[str] = frozenset()
    how: Misbehaviour = field(default_factory=Misbehaviour)
    codes: dict[str, dict[str, str]] = field(default_factory=dict)
    access: dict[str, float] = field(default_factory=dict)
    owners: dict[str, str] = field(default_factory=dict)
    refresh: set[str] = field(default_factory=set)
    used_refresh: set[str] = field(default_factory=set)
    seen_assertions: set[str] = field(default_factory=set)
    requests: int = 0

    def routes(self) -> list[web.AbstractRouteDef]:
        return [
            web.get("/oauth/consent", self.consent),
            web.post("/oauth/consent", self.consented),
            web.post("/oauth/token", self.token),
            web.get("/.well-known/oauth-authorization-server", self.metadata),
            web.get("/control", self.show),
            web.put("/control", self.control),
        ]

    def why_not(self, request: web.Request) -> str:
        """Why a call's bearer token is not accepted, empty if it is."""
        scheme, _, token = request.headers.get("Authorization", "").partition(" ")
        if scheme != "Bearer":
            return "a bearer token is asked for"
        ends = self.access.get(token)
        if ends is None:
            return "the access token is not known, or was revoked"
        return "the access token has expired" if time.time() > ends else ""

    def person(self, request: web.Request) -> str:
        """Whose access token a call has."""
        return self.owners.get(request.headers.get("Authorization", "").removeprefix("Bearer "), "")

    async def metadata(self, request: web.Request) -> web.Response:
        base = f"{request.scheme}://{request.host}"
        return web.json_response(
            {
                "issuer": base,
                "token_endpoint": f"{base}/oauth/token",
                "authorization_endpoint": f"{base}/oauth/consent",
                "token_endpoint_auth_methods_supported": [
                    "client_secret_basic",
                    "client_secret_post",
                    "private_key_jwt",
                ],
                "scopes_supported": sorted(self.scopes),
                "grant_types_supported": ["authorization_code", "refresh_token", "client_credentials", JWT_BEARER],
                "code_challenge_methods_supported": ["S256"],
            }
        )

    async def consent(self, request: web.Request) -> web.Response:
        asked = dict(request.query)
        if asked.get("client_id") != self.client_id or not asked.get("redirect_uri"):
            return web.Response(text="This application is not registered here.", status=400)
        if asked.get("code_challenge_method") != "S256" or len(asked.get("code_challenge", "")) != 43:
            return self._back(
                asked, {"error": "invalid_request", "error_description": "a code_challenge (S256) is needed"}
            )
        fields = "".join(
            f'<input type="hidden" name="{html.escape(name)}" value="{html.escape(value)}">'
            for name, value in asked.items()
        )
        scope = html.escape(asked.get("scope") or "everything")
        options = "".join(f"<option>{html.escape(name)}</option>" for name in self.people)
        who = f"<p><label>Whose account <select name=user>{options}</select></label></p>" if options else ""
        page = (
            "<!doctype html><html lang=en><meta charset=utf-8><title>Crew board: consent</title>"
            "<body style='font-family: sans-serif; max-width: 30rem; margin: 4rem auto'><h1>Crew board of Olmara</h1>"
            f"<p>May this application see and plan crew days for you? It asks for: <b>{scope}</b>.</p>"
            f"<form method=post>{fields}{who}<button name=answer value=yes>Allow</button>"
            " <button name=answer value=no>Refuse</button></form>"
        )
        return web.Response(text=page, content_type="text/html")

    async def consented(self, request: web.Request) -> web.Response:
        asked = {name: str(value) for name, value in (await request.post()).items()}
        if asked.pop("answer", "no") != "yes":
            return self._back(asked, {"error": "access_denied", "error_description": "the person said no"})
        code = secrets.token_urlsafe(24)
        self.codes[code] = asked
        return self._back(asked, {"code": code})

    @staticmethod
    def _back(asked: dict[str, str], answer: dict[str, str]) -> web.Response:
        answer = {**answer, "state": asked.get("state", "")}
        raise web.HTTPFound(f"{asked['redirect_uri']}?{urlencode(answer)}")

    async def token(self, request: web.Request) -> web.Response:
        self.requests += 1
        form = {name: str(value) for name, value in (await request.post()).items()}
        if self.how.delay:
            await asyncio.sleep(self.how.delay)
        if self.how.status:
            return web.json_response({"error": "temporarily_unavailable"}, status=self.how.status)
        if self.how.refuse:
            return refused(self.how.refuse, "the desk was told to refuse")
        match self.how.answer:
            case "html":
                return web.Response(text="<title>Sign in</title>", content_type="text/html")
            case "nothing":
                return web.json_response({"hello": "there"})
            case "negative":
                return web.json_response({"access_token": secrets.token_urlsafe(16), "expires_in": -60})
        grant = form.get("grant_type", "")
        if grant != JWT_BEARER and not self._knows_client(request, form):
            return refused("invalid_client", "this client or its secret is not known", 401)
        wanted = set(form.get("scope", "").split())
        if wanted - self.scopes:
            return refused("invalid_scope", f"there is no scope {sorted(wanted - self.scopes)[0]}")
        match grant:
            case "authorization_code":
                held = self.codes.pop(form.get("code", ""), None)
                challenge = base64.urlsafe_b64encode(hashlib.sha256(form.get("code_verifier", "").encode()).digest())
                if held is None or held.get("redirect_uri") != form.get("redirect_uri"):
                    return refused("invalid_grant", "the code is not known, or for another callback address")
                if held["code_challenge"] != challenge.rstrip(b"=").decode():
                    return refused("invalid_grant", "the code_verifier does not fit")
                return self._give(held.get("scope", ""), with_refresh=True, owner=held.get("user", ""))
            case "refresh_token":
                given = form.get("refresh_token", "")
                if (
                    given in self.used_refresh
                ):  # a rotated token used again: everything is revoked (RFC 9700, section 4.14.2)
                    self.refresh.clear()
                    self.access.clear()
                    return refused("invalid_grant", "the refresh token was used before")
                if given not in self.refresh:
                    return refused("invalid_grant", "the refresh token is not known, or was revoked")
                self.refresh.discard(given)
                self.used_refresh.add(given)
                return self._give("", with_refresh=True, owner=self.owners.get(given, ""))
            case "client_credentials":
                return self._give(" ".join(sorted(wanted)))
            case "password":
                name, password = form.get("username", ""), form.get("password", "")
                if (name, password) not in (self.user, *self.people.items()):
                    return refused("invalid_grant", "user name or password is wrong")
                return self._give("", with_refresh=True, owner=name)
            case _ if grant == JWT_BEARER:
                if not self._is_signed(form.get("assertion", ""), request):
                    return refused("invalid_grant", "the assertion is not signed by a key we know")
                return self._give("")
        return refused("unsupported_grant_type", f"there is no grant {grant}")

    def _knows_client(self, request: web.Request, form: dict[str, str]) -> bool:
        header = request.headers.get("Authorization", "")
        if header.startswith("Basic "):
            client, _, secret = base64.b64decode(header[6:]).decode().partition(":")
            return (unquote_plus(client), unquote_plus(secret)) == (self.client_id, self.client_secret)
        if "client_assertion" in form:
            return self._is_signed(form["client_assertion"], request)
        if request.transport is not None and request.transport.get_extra_info("peercert"):
            return form.get("client_id") == self.client_id
        return (form.get("client_id"), form.get("client_secret")) == (self.client_id, self.client_secret)

    def _is_signed(self, assertion: str, request: web.Request) -> bool:
        try:
            claims = self._claims(assertion)
        except (JoseError, ValueError):
            return False
        is_new = str(claims.get("jti")) not in self.seen_assertions
        self.seen_assertions.add(str(claims.get("jti")))
        return is_new and claims.get("sub") == self.client_id and float(claims.get("exp", 0)) > time.time()

    def _claims(self, assertion: str) -> dict[str, Any]:
        """Of an assertion that is signed with the private key, or with the client secret. Raises JoseError."""
        shared = extract_compact(assertion.encode()).headers().get("alg", "").startswith("HS")
        key: Any = OctKey.import_key(self.client_secret) if shared else RSAKey.import_key(self.public_key)
        return jwt.decode(assertion, key, algorithms=["HS256"] if shared else ["RS256"]).claims

    def _give(self, scope: str, *, with_refresh: bool = False, owner: str = "") -> web.Response:
        token = self.how.begin + secrets.token_urlsafe(24)
        self.owners[token] = owner
        self.access[token] = time.time() + (self.how.lifetime or 3600)
        answer: dict[str, Any] = {"access_token": token, "token_type": "Bearer"}
        if self.how.lifetime:
            answer["expires_in"] = self.how.lifetime
        if scope:
            answer["scope"] = scope
        if with_refresh and not self.how.without_refresh:
            answer["refresh_token"] = self.how.begin + secrets.token_urlsafe(24)
            self.refresh.add(answer["refresh_token"])
            self.owners[answer["refresh_token"]] = owner
        return web.json_response(answer, headers={"Cache-Control": "no-store"})

    async def show(self, request: web.Request) -> web.Response:
        return web.json_response({**vars(self.how), "requests": self.requests, "tokens": len(self.access)})

    async def control(self, request: web.Request) -> web.Response:
        """{"revoke": "access" or "refresh" or "all", ...how to misbehave}; what is not named behaves well again."""
        given = json.loads(await request.text() or "{}")
        what = given.pop("revoke", "")
        if what in ("access", "all"):
            self.access.clear()
        if what in ("refresh", "all"):
            self.refresh.clear()
        try:
            self.how = Misbehaviour(**given)
        except TypeError as error:
            return web.json_response({"error": str(error)}, status=400)
        return await self.show(request)


def refused(code: str, words: str, status: int = 400) -> web.Response:
    return web.json_response({"error": code, "error_description": words}, status=status)
