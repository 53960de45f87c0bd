"""Digest access authentication (RFC 7616): the password itself is never sent.

The first call is refused with a challenge; the answer to it is computed and the call repeated. The challenge is kept,
so that further calls are answered beforehand, each with the next count.
"""

import hashlib
import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from urllib.parse import urlsplit

from rondine.core.errors import SignInRefused, short
from rondine.core.http.messages import Request, Response, Send, without_secrets
from rondine.core.secret import Secret
from rondine.core.settings import Document
from rondine.core.signin.basic import UserName
from rondine.core.signin.token import SignInContext, SignInExchange

#: Strongest first (RFC 7616, section 3.7). SHA-512-256 is FIPS 180-4's SHA-512/256.
ALGORITHMS: dict[str, Callable[[bytes], str]] = {
    "SHA-512-256": lambda data: hashlib.new("sha512_256", data).hexdigest(),
    "SHA-256": lambda data: hashlib.sha256(data).hexdigest(),
    "MD5": lambda data: hashlib.md5(data, usedforsecurity=False).hexdigest(),
}
_TOKEN = r"[!#$%&'*+.^_`|~0-9A-Za-z-]+"
_PARAMETER = re.compile(rf'\s*({_TOKEN})\s*=\s*(?:"((?:[^"\\]|\\.)*)"|({_TOKEN}|[^\s,"]+))\s*(?:,|$)')
_SCHEME = re.compile(rf"\s*,*\s*({_TOKEN})(?:\s+|\s*(?:,|$))")


def challenges(field: str) -> list[tuple[str, dict[str, str]]]:
    """The challenges of a WWW-Authenticate field (RFC 9110, section 11.6.1): scheme in lower case, parameters by
    lower-case name."""
    found: list[tuple[str, dict[str, str]]] = []
    carrier = 0
    while carrier < len(field):
        parameter = _PARAMETER.match(field, carrier)
        if parameter and found:
            quoted, bare = parameter.group(2), parameter.group(3)
            value = re.sub(r"\\(.)", r"\1", quoted) if quoted is not None else bare
            found[-1][1].setdefault(parameter.group(1).lower(), value)
            carrier = parameter.end()
            continue
        scheme = _SCHEME.match(field, carrier)
        if not scheme or scheme.end() == carrier:
            break
        found.append((scheme.group(1).lower(), {}))
        carrier = scheme.end()
    return found


@dataclass(slots=True)
class Challenge:
    """What the service asked for, and how often it was answered."""

    realm: str
    nonce: str
    algorithm: str
    is_session: bool
    qop: str
    opaque: str | None
    userhash: bool
    is_stale: bool
    count: int = 0
    session_nonce: str = ""


def best_challenge(field: str) -> Challenge | None:
    """The strongest Digest challenge that can be answered, None if there is none."""
    best: Challenge | None = None
    order = list(ALGORITHMS)
    for scheme, context in challenges(field):
        if scheme != "digest" or "nonce" not in context:
            continue
        name = context.get("algorithm", "MD5").upper()
        plain = name.removesuffix("-SESS")
        qops = [one.strip().lower() for one in context.get("qop", "").split(",") if one.strip()]
        if plain not in ALGORITHMS or (qops and not {"auth", "auth-int"} & set(qops)):
            continue
        challenge = Challenge(
            realm=context.get("realm", ""),
            nonce=context["nonce"],
            algorithm=plain,
            is_session=name.endswith("-SESS"),
            qop="auth" if "auth" in qops else "auth-int" if qops else "",
            opaque=context.get("opaque"),
            userhash=context.get("userhash", "").lower() == "true",
            is_stale=context.get("stale", "").lower() == "true",
        )
        if best is None or order.index(plain) < order.index(best.algorithm):
            best = challenge
    return best


class Digest(Document, tag="digest", frozen=True):
    """User name and password prove themselves by a computed answer. Elsewhere called HTTP digest authentication."""

    user_name: UserName = ""

    def secret_names(self) -> tuple[str, ...]:
        return ("password",)

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        held: Challenge | None = context.memory.get("digest")
        request = ask.request if held is None else self.answered(ask.request, held, context)
        response: Response = yield replace(ask, request=request)
        if response.status != 401:
            return response
        asked = response.header("WWW-Authenticate") or ""
        challenge = best_challenge(asked)
        if challenge is None:
            names = ", ".join(sorted({scheme for scheme, _ in challenges(asked)})) or "nothing"
            raise SignInRefused(
                f"the service answered 401 and asks for {short(names)}, not for a digest that can be computed",
                where=without_secrets(ask.request.url),
                hint="choose the sign-in that the service's documentation names",
            )
        if held is not None and not challenge.is_stale and challenge.nonce == held.nonce:
            return response  # the answer was right in form and refused: the password is wrong
        context.memory["digest"] = challenge
        response = yield replace(ask, request=self.answered(ask.request, challenge, context))
        if response.status == 401:
            context.memory.pop("digest", None)
        return response

    def answered(self, request: Request, challenge: Challenge, context: SignInContext) -> Request:
        """The request with the answer to a challenge (RFC 7616, section 3.4)."""
        secret = context.secrets["password"]
        digest = ALGORITHMS[challenge.algorithm]
        challenge.count += 1
        challenge.session_nonce = challenge.session_nonce or context.random(12).hex()
        cnonce = challenge.session_nonce if challenge.is_session else context.random(12).hex()
        parts = urlsplit(request.url)
        target = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
        count = f"{challenge.count:08x}"
        answer = computed(challenge, self.user_name, secret.reveal(), request, target, cnonce=cnonce)
        name = (
            digest(f"{self.user_name}:{challenge.realm}".encode()) if challenge.userhash else _quotable(self.user_name)
        )
        fields = [
            f'username="{name}"',
            f'realm="{_quotable(challenge.realm)}"',
            f'nonce="{_quotable(challenge.nonce)}"',
            f'uri="{target}"',
            f'response="{answer}"',
            f"algorithm={challenge.algorithm}{'-sess' if challenge.is_session else ''}",
        ]
        if challenge.qop:
            fields += [f"qop={challenge.qop}", f"nc={count}", f'cnonce="{cnonce}"']
        if challenge.opaque is not None:
            fields.append(f'opaque="{_quotable(challenge.opaque)}"')
        if challenge.userhash:
            fields.append("userhash=true")
        value = Secret(", ".join(fields), secret.label, before="Digest ")
        return request.with_header("Authorization", value)


def computed(challenge: Challenge, user: str, password: str, request: Request, target: str, *, cnonce: str) -> str:
    """The response value (RFC 7616, section 3.4.1)."""
    digest = ALGORITHMS[challenge.algorithm]
    a1 = digest(f"{user}:{challenge.realm}:{password}".encode())
    if challenge.is_session:
        a1 = digest(f"{a1}:{challenge.nonce}:{cnonce}".encode())
    a2 = f"{request.method}:{target}"
    if challenge.qop == "auth-int":
        a2 += f":{digest(request.sent_body)}"
    count = f"{challenge.count:08x}"
    middle = f"{challenge.nonce}:{count}:{cnonce}:{challenge.qop}" if challenge.qop else challenge.nonce
    return digest(f"{a1}:{middle}:{digest(a2.encode())}".encode())


def _quotable(text: str) -> str:
    """Text within a quoted string (RFC 9110, section 5.6.4), nothing that could end a header line."""
    return re.sub(r"[\r\n\0]", "", text).replace("\\", "\\\\").replace('"', '\\"')
