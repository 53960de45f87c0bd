"""A connection: how a service is reached in one environment."""

import re
from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal

from msgspec import Meta

from rondine.core.http.limits import Limit
from rondine.core.http.messages import origin
from rondine.core.http.templates import expand_address
from rondine.core.operations.values import Value
from rondine.core.settings import Document, dump
from rondine.core.signin import (
    NoSignIn,
    SignIn,
)

Seconds = Annotated[float, Meta(gt=0, le=3600)]


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
    client certificate (PEM), if the service asks for one; its private key is the credential's secret "tls_private_key".
    """

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
    site: only workers started for this site execute its runs.
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
    site: Annotated[str, Meta(pattern=r"^([a-z][a-z0-9_-]{0,62})?$")] = ""
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
        return expand_address(self.base_address, self.blanks)

    def own_sign_in(self, operation: str) -> OwnSignIn | None:
        """The sign-in that an operation has of its own; None if it signs in as the connection does."""
        return next((one for one in self.own_sign_ins if one.operation == operation), None)

    def secret_origins(self, sign_in: SignIn) -> list[str]:
        """Where the secrets of a sign-in may go by this connection: the origin of its base address, those of the
        sign-in's own addresses, and the proxy's, which reads what is not encrypted (RFC 6454)."""
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
