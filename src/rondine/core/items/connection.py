"""A connection: how a service is reached in one environment."""

import re
from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal

from msgspec import Meta

from rondine.core.http.breaker import BreakerPolicy
from rondine.core.http.limits import Limit
from rondine.core.http.messages import origin
from rondine.core.http.retrying import RetryPolicy
from rondine.core.http.templates import expand_address
from rondine.core.http.time_outs import TimeOuts
from rondine.core.operations.values import Value
from rondine.core.settings import LONG_TEXT, Document, dump
from rondine.core.signin import NoSignIn, SignIn
from rondine.core.signin.jwt import Algorithm
from rondine.core.signin.own import own_secrets


class StandingParameter(Document, frozen=True):
    """A header or query parameter that goes with every request; an operation's own of the same name stands in its
    place."""

    name: str
    value: Value = ""
    enabled: bool = True


class TlsSettings(Document, frozen=True):
    """Whom the connection trusts, and by which certificate it shows who calls."""

    authority: Annotated[
        str,
        Meta(
            extra=LONG_TEXT,
            description=(
                "certificates (PEM) of the authority that the service's certificate comes from, if it is no public one"
            ),
        ),
    ] = ""
    certificate: Annotated[
        str,
        Meta(
            extra=LONG_TEXT,
            description=(
                "our client certificate (PEM), if the service asks for one; its private key is the credential's secret"
                ' "tls_private_key"'
            ),
        ),
    ] = ""


class ProxySettings(Document, frozen=True):
    """An HTTP proxy that all calls of the connection go through."""

    address: Annotated[str, Meta(description="scheme, host and port; empty for none")] = ""
    user_name: Annotated[
        str, Meta(description='if it asks for one; the credential\'s secret "proxy_password" goes with it')
    ] = ""


class OwnSignIn(Document, frozen=True):
    """Another sign-in for one operation, in place of the connection's."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"operation": "operations", "credential": "credentials"}

    operation: str
    sign_in: SignIn = NoSignIn()
    credential: str = ""


Use = Literal["live", "copy", "write"]


class CallerIdentity(Document, frozen=True):
    """How the service is told for which user an application calls (Rondine-Caller). Calls for nobody in particular do
    not have it."""

    header: Annotated[str, Meta(pattern=r"^[A-Za-z0-9!#$%&'*+.^_`|~-]+$", description="that carries it")]
    form: Annotated[
        Literal["plain", "signed"],
        Meta(
            description=(
                "the user's key as it is; or a JSON Web Token (RFC 7519) with it as its subject, signed with the"
                " credential's caller_key and good for five minutes"
            )
        ),
    ] = "plain"
    prefix: Annotated[str, Meta(description="put before it, such as Bearer and a blank")] = ""
    algorithm: Annotated[Algorithm, Meta(description="of the signature")] = "HS256"
    key_id: Annotated[str, Meta(description="of the key, told with the token (kid)")] = ""
    issuer: Annotated[str, Meta(description="who says so (iss)")] = "rondine"
    audience: Annotated[str, Meta(description="whom it is for (aud); left out, the base address")] = ""


class ConnectionDocument(Document, frozen=True):
    """How a service is reached in one environment: where it is, how much it may be asked, how to sign in there, and
    what goes with every request."""

    enabled: Annotated[bool, Meta(description="a disabled connection is not used")] = True
    base_address: Annotated[str, Meta(description="scheme, host, port and common path, an RFC 6570 template")] = ""
    blanks: Annotated[dict[str, str], Meta(description="values for its placeholders")] = {}
    further_origins: Annotated[
        list[Annotated[str, Meta(pattern=r"^https?://[^/?#@\s]+$")]],
        Meta(
            description=(
                "others of the same service, such as https://archive.register.example, that next pages may be on; what"
                " goes with every request goes there too"
            )
        ),
    ] = []
    tls: TlsSettings = TlsSettings()
    proxy: ProxySettings = ProxySettings()
    time_outs: Annotated[TimeOuts, Meta(title="Time-outs")] = TimeOuts()
    retrying: RetryPolicy = RetryPolicy()
    breaker: Annotated[
        BreakerPolicy | None,
        Meta(title="Left alone", description="when a service that fails is left alone; none: never"),
    ] = BreakerPolicy()
    site: Annotated[
        str,
        Meta(pattern=r"^([a-z][a-z0-9_-]{0,62})?$", description="only workers started for this site execute its runs"),
    ] = ""
    limits: Annotated[list[Limit], Meta(description="how many calls in which time; all are kept at once")] = []
    parallel: Annotated[
        Annotated[int, Meta(ge=1, le=1000)] | None, Meta(description="calls under way at a time, over all processes")
    ] = None
    most_bytes: Annotated[int, Meta(ge=1, le=2**31, description="of one response")] = 64 * 1024 * 1024
    sign_in: Annotated[SignIn, Meta(description="how all operations sign in that have no sign-in of their own")] = (
        NoSignIn()
    )
    own_sign_ins: Annotated[list[OwnSignIn], Meta(description="of single operations")] = []
    caller: Annotated[
        CallerIdentity | None, Meta(title="User of an application", description="how the service is told who that is")
    ] = None
    callers_sign_in: Annotated[
        bool,
        Meta(
            title="Users of applications sign in themselves",
            description=(
                "calls of applications are made with the sign-in of the user they are for, and with no other; all else,"
                " such as feeds, goes on with the connection's own"
            ),
        ),
    ] = False
    headers: Annotated[list[StandingParameter], Meta(description="that go with every request")] = []
    query: Annotated[list[StandingParameter], Meta(description="parameters that go with every request")] = []
    supports: Annotated[
        tuple[Use, ...],
        Meta(
            description=(
                "what it may be used for: live (asked when read), copy (feeds), write (operations that change"
                " something)"
            )
        ),
    ] = ("live", "copy", "write")
    documentation: Annotated[str, Meta(description="where the service is described, for people")] = ""

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
        return list(dict.fromkeys(origin(address) for address in addresses if re.match(r"https?://[^/?#]", address)))

    def secret_names(self) -> tuple[str, ...]:
        """What the connection's credential holds."""
        names = [*self.sign_in.secret_names()]
        names += ["tls_private_key"] if self.tls.certificate else []
        names += ["proxy_password"] if self.proxy.user_name else []
        names += ["caller_key"] if self.caller is not None and self.caller.form == "signed" else []
        return tuple(dict.fromkeys(names))

    def needed_secrets(self) -> tuple[str, ...]:
        """What it must hold: all, but for what users of applications give themselves."""
        own = own_secrets(self.sign_in) if self.callers_sign_in else ()
        return tuple(name for name in self.secret_names() if name not in own)
