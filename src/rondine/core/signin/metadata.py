"""A service's own word on where its OAuth addresses are (RFC 8414; OpenID Connect Discovery 1.0)."""

from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

from rondine.core.documents.json import read_json
from rondine.core.errors import DocumentError, InputError, SignInRefused, short
from rondine.core.http.messages import Request, Response
from rondine.core.signin.token import SendForToken, SignInExchange


@dataclass(frozen=True, slots=True)
class Metadata:
    """Addresses are empty if not offered. client_authentication, scopes, grants: as the service lists them."""

    issuer: str
    token_address: str = ""
    authorization_address: str = ""
    client_authentication: tuple[str, ...] = ()
    scopes: tuple[str, ...] = ()
    grants: tuple[str, ...] = ()
    has_pkce: bool = False


def metadata_addresses(issuer: str) -> list[str]:
    """Where an issuer's metadata may stand: RFC 8414 (section 3.1) first, then OpenID's."""
    parts = urlsplit(issuer.strip().rstrip("/"))
    if parts.scheme not in ("http", "https") or not parts.hostname or parts.query or parts.fragment or "@" in issuer:
        raise InputError(
            f"{short(issuer)} is not an issuer",
            where="/issuer",
            hint="such as https://sign-in.example, without a query",
        )
    base = f"{parts.scheme}://{parts.netloc}"
    return [
        f"{base}/.well-known/oauth-authorization-server{parts.path}",
        f"{base}{parts.path}/.well-known/openid-configuration",
    ]


def discover(issuer: str) -> SignInExchange[Metadata]:
    """Asks one address after the other. Raises SignInRefused if none has metadata of this issuer."""
    tried = metadata_addresses(issuer)
    for address in tried:
        response: Response = yield SendForToken(Request("GET", address, (("Accept", "application/json"),)))
        if response.status == 200:
            return parse_metadata(issuer, response.content, where=address)
    raise SignInRefused(
        "the service offers no metadata",
        where=" and ".join(tried),
        hint="take the addresses from the service's documentation",
    )


def parse_metadata(issuer: str, body: bytes, *, where: str) -> Metadata:
    """Raises SignInRefused if it is no metadata, or another issuer's (RFC 8414, section 3.3)."""
    try:
        value: Any = read_json(body, name="the metadata")
    except DocumentError as error:
        raise SignInRefused(error.message, where=where, hint="check the issuer") from error
    if not isinstance(value, dict):
        raise SignInRefused("the metadata is not a JSON object", where=where, hint="check the issuer")
    if str(value.get("issuer", "")).rstrip("/") != issuer.strip().rstrip("/"):
        raise SignInRefused(
            f"the metadata is of issuer {short(value.get('issuer'))}, not of {short(issuer)}",
            where=where,
            hint="give the issuer just as the service writes it",
        )

    def texts(name: str) -> tuple[str, ...]:
        found = value.get(name)
        return tuple(one for one in found if isinstance(one, str)) if isinstance(found, list) else ()

    def address(name: str) -> str:
        found = value.get(name)
        return found if isinstance(found, str) and urlsplit(found).scheme in ("http", "https") else ""

    return Metadata(
        issuer=str(value["issuer"]),
        token_address=address("token_endpoint"),
        authorization_address=address("authorization_endpoint"),
        client_authentication=texts("token_endpoint_auth_methods_supported"),
        scopes=texts("scopes_supported"),
        grants=texts("grant_types_supported"),
        has_pkce="S256" in texts("code_challenge_methods_supported"),
    )
