"""Documents of services, connections, credentials and feeds: what an item of each kind says."""

import re
from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal
from urllib.parse import urlsplit

import uritemplate
from msgspec import Meta

from rondine.core.errors import Problem, did_you_mean
from rondine.core.http.limits import Limit
from rondine.core.http.messages import origin
from rondine.core.operations.keylike import why_key_like
from rondine.core.operations.values import Value, ValueOf, parts_of
from rondine.core.protocols.problems import OWN_HEADERS
from rondine.core.settings import Document, dump
from rondine.core.signin import (
    AuthorizationCode,
    Basic,
    ClientCertificate,
    Digest,
    JwtBearer,
    NoSignIn,
    OAuthClient,
    PasswordGrant,
    SignIn,
    SignInOperation,
    SoapHeader,
    UserNameToken,
)

FIELD_NAME = r"[!#$%&'*+.^_`|~0-9A-Za-z-]+"

Seconds = Annotated[float, Meta(gt=0, le=3600)]


class Preparation(Document, frozen=True):
    """What is known of a service before it is connected; None or empty is not known yet. It becomes the connection and the first operation.

    key_from: where to get an account or key.  limits: an empty list says that there are none.
    """

    base_address: str = ""
    sign_in: SignIn | None = None
    key_from: str = ""
    limits: list[Limit] | None = None
    example: str = ""


class ServiceDocument(Document, frozen=True):
    """An outside service. documentation: the address of its documentation."""

    protocol: Literal["rest"] = "rest"
    description: str = ""
    documentation: str = ""
    preparation: Preparation = Preparation()


class StandingParameter(Document, frozen=True):
    """A header or query parameter that goes with every request; an operation's own of the same name stands in its place."""

    name: str
    value: Value = ""
    enabled: bool = True


class TimeOutSettings(Document, frozen=True):
    """Seconds. connect: until the connection stands.  first_byte: until the head of the response.  idle: between two pieces of the body.
    whole: for all of a call."""

    connect: Seconds = 5.0
    first_byte: Seconds = 30.0
    idle: Seconds = 15.0
    whole: Seconds = 120.0


class TlsSettings(Document, frozen=True):
    """authority: certificates (PEM) of the authority that the service's certificate comes from, if it is no public one.  certificate: our
    client certificate (PEM), if the service asks for one; its private key is the credential's secret "tls_private_key"."""

    authority: str = ""
    certificate: str = ""


class ProxySettings(Document, frozen=True):
    """An HTTP proxy that all calls of the connection go through. user_name: if it asks for one; the credential's secret "proxy_password" goes with it."""

    address: str = ""
    user_name: str = ""


class OwnSignIn(Document, frozen=True):
    """Another sign-in for one operation, in place of the connection's."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"operation": "operations", "credential": "credentials"}

    operation: str
    sign_in: SignIn = NoSignIn()
    credential: str = ""


Use = Literal["live", "copy", "write"]


class ConnectionDocument(Document, frozen=True):
    """How a service is reached in one environment.

    Where: base_address: scheme, host, port and common path, an RFC 6570 template.  blanks: values for its placeholders.  further_origins: others
    of the same service, such as https://archive.register.example, that next pages may be on; what goes with every request goes there too.  tls, proxy, time_outs.
    place: only workers started for this place carry its runs out.
    How much: limits, all kept at once.  parallel: calls under way at a time, over all processes.  most_bytes: of one response.
    How to sign in: sign_in, and own_sign_ins of single operations.
    With every request: headers, query.
    supports: what it may be used for: live (asked when read), copy (feeds), write (operations that change something).
    """

    enabled: bool = True
    base_address: str = ""
    blanks: dict[str, str] = {}
    further_origins: list[Annotated[str, Meta(pattern=r"^https?://[^/?#@\s]+$")]] = []
    tls: TlsSettings = TlsSettings()
    proxy: ProxySettings = ProxySettings()
    time_outs: TimeOutSettings = TimeOutSettings()
    place: Annotated[str, Meta(pattern=r"^([a-z][a-z0-9_-]{0,62})?$")] = ""
    limits: list[Limit] = []
    parallel: Annotated[int, Meta(ge=1, le=1000)] | None = None
    most_bytes: Annotated[int, Meta(ge=1, le=2**31)] = 64 * 1024 * 1024
    sign_in: SignIn = NoSignIn()
    own_sign_ins: list[OwnSignIn] = []
    headers: list[StandingParameter] = []
    query: list[StandingParameter] = []
    supports: tuple[Use, ...] = ("live", "copy", "write")
    documentation: str = ""

    def address(self) -> str:
        """The base address with its blanks filled in."""
        if "{" not in self.base_address:
            return self.base_address
        return uritemplate.expand(self.base_address, dict(self.blanks.items()))

    def own_sign_in(self, operation: str) -> OwnSignIn | None:
        """The sign-in that an operation has of its own; None if it signs in as the connection does."""
        return next((one for one in self.own_sign_ins if one.operation == operation), None)

    def secret_origins(self, sign_in: SignIn) -> list[str]:
        """Where the secrets of a sign-in may go by this connection: the origin of its base address, those of the sign-in's own addresses, and the proxy's,
        which reads what is not encrypted (RFC 6454)."""
        own = [str(value) for name, value in dump(sign_in).items() if name.endswith("_address")]
        proxy = [self.proxy.address] if self.proxy.address else []
        addresses = [self.address(), *self.further_origins, *own, *proxy]
        return list(dict.fromkeys(origin(one) for one in addresses if re.match(r"https?://[^/?#]", one)))

    def secret_names(self) -> tuple[str, ...]:
        """What the connection's credential must hold."""
        names = [*self.sign_in.secret_names()]
        names += ["tls_private_key"] if self.tls.certificate else []
        names += ["proxy_password"] if self.proxy.user_name else []
        return tuple(dict.fromkeys(names))


class StandingValueDocument(Document, frozen=True):
    """values: by environment."""

    description: str = ""
    values: dict[str, str | int | bool] = {}


class CredentialDocument(Document, frozen=True):
    """What a credential is for. Its secrets are no part of it."""

    description: str = ""


class SampleDocument(Document, frozen=True):
    """Where a sample came from. request: HTTP text with secrets masked."""

    request: str = ""
    status: int | None = None
    headers: list[list[str]] = []


class FeedDocument(Document, frozen=True):
    """An operation, its inputs and a mapping that keep a record type filled. parallel: pages fetched at a time, where pages can be planned."""

    GIVEN_BY_NAME: ClassVar[frozenset[str]] = frozenset({"inputs"})

    inputs: dict[str, Any] = {}
    parallel: Annotated[int, Meta(ge=1, le=32)] = 4
    description: str = ""


def connection_problems(document: ConnectionDocument) -> list[Problem]:
    """What keeps a connection from working that can be seen without asking anybody."""
    problems = _address_problems(document)
    for group in ("headers", "query"):
        for number, one in enumerate(getattr(document, group)):
            here = f"/{group}/{number}"
            name_is_sound = bool(one.name) if group == "query" else re.fullmatch(FIELD_NAME, one.name)
            if not name_is_sound or (group == "headers" and one.name.lower() in OWN_HEADERS):
                problems.append(
                    Problem(f"{here}/name", f'"{one.name[:80]}" cannot be set', "name a header of the service")
                )
            for part in parts_of(one.value):
                if isinstance(part, ValueOf) and (part.input or not part.standing):
                    problems.append(
                        Problem(f"{here}/value", "a connection has no inputs", "take a standing value, or a fixed text")
                    )
                elif group == "headers" and isinstance(part, str) and re.search(r"[\r\n\0]", part):
                    problems.append(
                        Problem(f"{here}/value", "a header value has no line breaks", "write it on one line")
                    )
    for number, limit in enumerate(document.limits):
        if limit.key in [other.key for other in document.limits[:number]]:
            problems.append(Problem(f"/limits/{number}", f"there are two limits for {limit.key}", "keep one of them"))
    if document.proxy.address and not re.fullmatch(r"http://[^/@\s?#]+/?", document.proxy.address):
        problems.append(
            Problem(
                "/proxy/address",
                f'"{document.proxy.address[:80]}" is not the address of a proxy',
                "such as http://proxy.example:3128",
            )
        )
    problems += sign_in_problems(document.sign_in, "/sign_in", document)
    for number, own in enumerate(document.own_sign_ins):
        problems += sign_in_problems(own.sign_in, f"/own_sign_ins/{number}/sign_in", document)
    return problems


def _address_problems(document: ConnectionDocument) -> list[Problem]:
    here = "/base_address"
    if not document.base_address:
        return [Problem(here, "the base address is missing", "such as https://register.example/v1")]
    blanks = uritemplate.variables(document.base_address)
    if missing := sorted(set(blanks) - {name for name, value in document.blanks.items() if value.strip()}):
        return [Problem(f"/blanks/{missing[0]}", f"the base address waits for {', '.join(missing)}", "fill the blanks")]
    problems = [
        Problem(
            f"/blanks/{name}", f'the base address has no blank "{name}"', did_you_mean(name, blanks) or "take it away"
        )
        for name in sorted(set(document.blanks) - set(blanks))
    ]
    address = document.address()
    try:
        parts = urlsplit(address)
        is_sound = (
            parts.scheme in ("http", "https")
            and bool(parts.hostname)
            and not parts.fragment
            and parts.port != 0
            and not re.search(r"[\s{}]", address)
        )
    except ValueError:
        is_sound = False
    if not is_sound:
        return [
            *problems,
            Problem(here, f'"{address[:80]}" is not an address', "it begins with http:// or https:// and names a host"),
        ]
    if any("%" in (parts.hostname or "") or name in (parts.hostname or "") for name in ("{", "}")):
        problems.append(Problem(here, "a blank in the host has a value that no host has", "letters, digits, - and ."))
    if "@" in parts.netloc:
        problems.append(Problem(here, "the address holds a user name or password", "take it out and use a credential"))
    elif parts.query:
        problems.append(Problem(here, "the address has a query", "put it under what goes with every request"))
    return problems


def sign_in_problems(sign_in: SignIn, here: str, document: ConnectionDocument) -> list[Problem]:
    problems = []
    match sign_in:
        case OAuthClient():
            if not sign_in.token_address:
                problems.append(
                    Problem(f"{here}/token_address", "the token address is missing", "see the service's documentation")
                )
            if not sign_in.client_id and not (isinstance(sign_in, JwtBearer) and sign_in.issuer):
                problems.append(
                    Problem(
                        f"{here}/client_id", "the client id is missing", "the service gave it with the registration"
                    )
                )
            if isinstance(sign_in, AuthorizationCode) and not sign_in.authorization_address:
                problems.append(
                    Problem(
                        f"{here}/authorization_address",
                        "the authorization address is missing",
                        "see the service's documentation",
                    )
                )
            if isinstance(sign_in, PasswordGrant) and not sign_in.user_name:
                problems.append(Problem(f"{here}/user_name", "the user name is missing", "give the one of the account"))
            if sign_in.client_authentication == "tls" and not document.tls.certificate:
                problems.append(
                    Problem(
                        "/tls/certificate",
                        "the client authenticates by TLS, but there is no client certificate",
                        "paste it in PEM",
                    )
                )
        case Basic() | Digest() | UserNameToken():
            if not sign_in.user_name:
                problems.append(Problem(f"{here}/user_name", "the user name is missing", "give the one of the account"))
        case SoapHeader():
            if not sign_in.element:
                problems.append(
                    Problem(f"{here}/element", "the header block's name is missing", "the documentation or WSDL has it")
                )
        case ClientCertificate():
            if not document.tls.certificate:
                problems.append(Problem("/tls/certificate", "the client certificate is missing", "paste it in PEM"))
        case SignInOperation():
            if not sign_in.operation:
                problems.append(
                    Problem(
                        f"{here}/operation", "the sign-in operation is missing", "name an operation of this service"
                    )
                )
        case _:
            pass
    return problems


def connection_warnings(document: ConnectionDocument) -> list[Problem]:
    """What works but should be known."""
    warnings = []
    address = document.address()
    try:
        host = (urlsplit(address).hostname or "").lower()
    except ValueError:
        host = ""
    if address.startswith("http://"):
        warnings.append(
            Problem(
                "/base_address",
                "plain http: whoever is on the way can read and change everything",
                "use https if the service offers it",
            )
        )
    if host in ("localhost", "127.0.0.1", "::1") or host.endswith(".localhost"):
        warnings.append(
            Problem(
                "/base_address",
                f"{host} is whatever machine each process of Rondine runs on",
                "name the host as all of them reach it",
            )
        )
    for group, word in (("headers", "header"), ("query", "query parameter")):
        for number, one in enumerate(getattr(document, group)):
            text = "".join(part for part in parts_of(one.value) if isinstance(part, str))
            if reason := why_key_like(one.name, text):
                told = f'the {word} "{one.name}" looks like a key: {reason}'
                warnings.append(Problem(f"/{group}/{number}", told, "move it into the credential"))
    if isinstance(document.sign_in, PasswordGrant):
        warnings.append(
            Problem(
                "/sign_in",
                "the password grant is legacy",
                "ask the service for authorization code or client credentials",
            )
        )
    if isinstance(document.sign_in, OAuthClient) and document.sign_in.token_address.startswith("http://"):
        warnings.append(
            Problem("/sign_in/token_address", "secrets go to the token address over plain http", "use https")
        )
    return warnings
