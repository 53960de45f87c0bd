"""What all OAuth 2.0 grants share: how the client proves itself at the token address, the token request, and reading
its answer.

RFC 6749 (sections 2.3, 4, 5 and 6), RFC 7523 (private_key_jwt, client_secret_jwt), RFC 8705 (mutual TLS), RFC 8707
(resource), RFC 8414 (metadata).
"""

from datetime import timedelta
from decimal import Decimal, InvalidOperation
from typing import Annotated, Any, ClassVar, Literal
from urllib.parse import parse_qs, quote_plus

from msgspec import Meta

from rondine.core.documents.json import read_json
from rondine.core.errors import DocumentError, RondineError, SignInRefused, short
from rondine.core.http.messages import Request, Response, SecretBody, without_secrets
from rondine.core.media_types import bare_media_type
from rondine.core.secret import Secret
from rondine.core.settings import Document
from rondine.core.signin.basic import basic_value
from rondine.core.signin.jwt import Algorithm, assertion
from rondine.core.signin.token import SendForToken, SignInContext, SignInExchange, Token, checked_token

JWT_BEARER = "urn:ietf:params:oauth:client-assertion-type:jwt-bearer"
Address = Annotated[str, Meta(pattern=r"^(https?://[^\s@#]+)?$", description="begins with https:// or http://")]
ClientAuthentication = Annotated[
    Literal["basic", "body", "private_key_jwt", "client_secret_jwt", "tls", "none"],
    Meta(
        description=(
            "how the client proves itself there: basic (Authorization header), body (client_secret in the form),"
            " private_key_jwt (an assertion signed with a private key), client_secret_jwt (one signed with the client"
            " secret), tls (the connection's client certificate), none (a public client)"
        )
    ),
]
Fields = list[tuple[str, str | Secret]]
#: A longer lifetime is taken as this one: ten years.
MOST_LIFETIME = Decimal(10 * 365 * 24 * 3600)

_REASONS = {
    "invalid_client": "the client id, or the secret that goes with it, is not accepted",
    "invalid_grant": (
        "what was handed in for a token (code, refresh token, assertion or password) is not accepted, or no more"
    ),
    "invalid_scope": "the scope is not known there, or not allowed for this client",
    "unauthorized_client": "this client may not use this kind of grant",
    "unsupported_grant_type": "the service does not know this kind of grant",
    "invalid_request": "the service misses something in the token request",
    "invalid_target": "the resource or audience is not known there",
    "access_denied": "the service, or the person asked, said no",
}
_HINTS = {
    "access_denied": "sign in again and allow what is asked for; or have somebody do it who may",
    "invalid_client": (
        "check the client id and set its secret again; check how the client authenticates (basic or body)"
    ),
    "invalid_grant": "sign in again, or set the secret again",
    "invalid_scope": "correct the scope, or have it allowed where the client is registered",
    "unauthorized_client": "have the grant allowed where the client is registered",
    "invalid_target": "correct the resource or audience",
}


class OAuthClient(Document, frozen=True):
    """The client's side of every grant."""

    RARE: ClassVar[frozenset[str]] = frozenset({"algorithm", "key_id", "audience", "resource"})

    token_address: Annotated[Address, Meta(description="where tokens are given out")] = ""
    client_id: Annotated[str, Meta(description="as the service gave it when the client was registered there")] = ""
    client_authentication: ClientAuthentication = "basic"
    algorithm: Annotated[
        Algorithm, Meta(description="by which assertions are signed (RFC 7518), where the client proves itself by one")
    ] = "RS256"
    key_id: Annotated[str, Meta(description="which of the client's keys signs, where the service asks for it")] = ""
    scope: Annotated[str, Meta(description="parted by blanks")] = ""
    audience: Annotated[str, Meta(description="whom the token is for, where the service wants it")] = ""
    resource: Annotated[str, Meta(description="whom the token is for, where the service wants it")] = ""

    def client_secret_names(self) -> tuple[str, ...]:
        match self.client_authentication:
            case "basic" | "body" | "client_secret_jwt":
                return ("client_secret",)
            case "private_key_jwt":
                return ("private_key",)
            case "tls":
                return ("tls_private_key",)
            case "none":
                return ()

    def signed_with(self) -> Algorithm:
        """The algorithm of the assertion: HS256 in place of one that a client secret cannot sign with."""
        is_shared = self.client_authentication == "client_secret_jwt"
        return "HS256" if is_shared and not self.algorithm.startswith("HS") else self.algorithm


def ask_for_token(
    client: OAuthClient, context: SignInContext, fields: Fields, *, held: Token | None = None
) -> SignInExchange[Token]:
    """One token request and its answer. fields: the grant's own. Raises SignInRefused with the service's reason."""
    form: Fields = [*fields]
    form += [(name, value) for name in ("scope", "audience", "resource") if (value := getattr(client, name))]
    headers: Fields = [
        ("Content-Type", "application/x-www-form-urlencoded"),
        ("Accept", "application/json"),
    ]
    match client.client_authentication:
        case "basic":  # both are form-encoded first (RFC 6749, section 2.3.1)
            secret = context.secrets["client_secret"]
            encoded = Secret(quote_plus(secret.reveal()), secret.label)
            headers.append(("Authorization", basic_value(quote_plus(client.client_id), encoded)))
        case "body":
            form += [("client_id", client.client_id), ("client_secret", context.secrets["client_secret"])]
        case "private_key_jwt" | "client_secret_jwt":
            claims = {"iss": client.client_id, "sub": client.client_id, "aud": client.token_address}
            signed = assertion(
                claims,
                context.secrets[client.client_secret_names()[0]],
                client.signed_with(),
                client.key_id,
                now=context.now(),
                unique=context.random(16),
            )
            form += [
                ("client_id", client.client_id),
                ("client_assertion_type", JWT_BEARER),
                ("client_assertion", signed),
            ]
        case "tls" | "none":
            form.append(("client_id", client.client_id))
    request = Request("POST", client.token_address, tuple(headers), form_body(form))
    response: Response = yield SendForToken(request)
    return read_token(response, context, where=f"POST {without_secrets(client.token_address)}", held=held)


def form_body(fields: Fields) -> SecretBody:
    """A form (application/x-www-form-urlencoded) with its secrets masked where it is shown."""
    shown = "&".join(
        f"{quote_plus(n)}={value if isinstance(value, Secret) else quote_plus(value)}" for n, value in fields
    )
    sent = "&".join(
        f"{quote_plus(n)}={quote_plus(value.reveal() if isinstance(value, Secret) else value)}" for n, value in fields
    )
    return SecretBody(shown.encode(), Secret(sent, "form"))


def read_token(response: Response, context: SignInContext, *, where: str, held: Token | None = None) -> Token:
    """The token of an answer (RFC 6749, section 5.1). A refresh token that is not given anew stays. Raises
    SignInRefused."""
    try:
        value = _content(response)
    except DocumentError as error:
        if response.status >= 400:
            raise SignInRefused(
                f"the token address answered {response.status}", where=where, hint="check the token address"
            ) from error
        raise SignInRefused(
            f"the answer of the token address is not JSON: {error.message}",
            where=where,
            hint="check that this is the token address, not a page for people",
        ) from error
    if response.status >= 400 or "error" in value:
        raise refusal(value, response.status, where)
    access = value.get("access_token")
    if not isinstance(access, str) or not access.strip():
        raise SignInRefused(
            "the answer of the token address has no access_token",
            where=where,
            hint="check that this is the token address, and the grant the right one",
        )
    kind = value.get("token_type", "Bearer")
    if isinstance(kind, str) and kind.lower() in ("mac", "pop", "dpop"):
        raise SignInRefused(
            f'the token is of type "{kind}", which must be signed for every call',
            where=where,
            hint="ask the service's provider for bearer tokens",
        )
    now = context.now()
    lifetime = lifetime_of(value.get("expires_in"), where)
    label = "access token"
    refresh = value.get("refresh_token")
    access = checked_token(access, "access token", where)
    refresh = checked_token(refresh, "refresh token", where) if isinstance(refresh, str) else refresh
    return Token(
        access=Secret(access, label),
        obtained_at=now,
        expires_at=None if lifetime is None else now + lifetime,
        refresh=(
            Secret(refresh, "refresh token")
            if isinstance(refresh, str) and refresh
            else (held.refresh if held else None)
        ),
        scope=value["scope"] if isinstance(value.get("scope"), str) else "",
    )


def lifetime_of(value: object, where: str) -> timedelta | None:
    """A lifetime in seconds, None if there is none. Raises SignInRefused for what is not a positive number."""
    if value is None or value == "":
        return None
    try:
        seconds = Decimal(str(value)) if not isinstance(value, bool) else Decimal("NaN")
        if not seconds.is_finite() or seconds <= 0:
            raise InvalidOperation
    except InvalidOperation as error:
        raise SignInRefused(
            f"the token's lifetime is {short(value)}, not a positive number of seconds",
            where=where,
            hint="tell the service's provider; a token that has ended already is of no use",
        ) from error
    return timedelta(seconds=float(min(seconds, MOST_LIFETIME)))


def refusal(value: dict[str, Any], status: int, where: str) -> SignInRefused:
    """An error answer (RFC 6749, section 5.2) in words."""
    code = value.get("error")
    code = code if isinstance(code, str) else ""
    told = value.get("error_description")
    told = f" - {short(told, 200)}" if isinstance(told, str) and told else ""
    reason = _REASONS.get(code, "the service gives no token")
    named = f" ({short(code)[1:-1]})" if code else ""
    error = SignInRefused(
        f"the token address answered {status}{named}: {reason}{told}",
        where=where,
        hint=_HINTS.get(code, "compare the settings with the service's documentation"),
    )
    error.reason = code  # type: ignore[attr-defined]
    return error


def was_refused_for(error: RondineError, code: str) -> bool:
    return getattr(error, "reason", "") == code


def _content(response: Response) -> dict[str, Any]:
    """The answer's members: JSON, or a form as some older services send. Raises DocumentError."""
    media_type = bare_media_type(response.header("Content-Type"))
    if media_type in ("application/x-www-form-urlencoded", "text/plain") and not response.content.lstrip().startswith(
        b"{"
    ):
        found = parse_qs(response.content.decode("utf-8", "replace"))
        if "access_token" in found or "error" in found:
            return {name: values[0] for name, values in found.items()}
    value = read_json(response.content, name="the answer")
    if not isinstance(value, dict):
        raise DocumentError("it is no JSON object")
    return value


def missing_scopes(wanted: str, token: Token) -> list[str]:
    """Scopes asked for and not granted; none if the service does not say what it granted."""
    return sorted(set(wanted.split()) - set(token.scope.split())) if token.scope else []
