"""Access tokens: what one is, how long it lasts, and the life every scheme with tokens shares.

A token is fetched once and shared by all processes; it is renewed shortly before it ends, and once after a 401. The
schemes only ask: the engine reads the shared token, and renews it under a lock that all processes respect.
"""

import re
from collections.abc import Callable, Generator, Mapping, MutableMapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any, TypeVar

from rondine.core.errors import ServiceError, SignInRefused
from rondine.core.http.messages import Request, Response, Send
from rondine.core.secret import Secret

T = TypeVar("T")
#: A token is renewed this long before it ends, or a tenth of its life before, whichever is shorter.
EARLY = timedelta(seconds=60)


@dataclass(frozen=True, slots=True)
class Token:
    """access: what calls carry.  refresh: what renews it, if the service gave one.  scope: as granted, empty if the
    service did not say."""

    access: Secret
    obtained_at: datetime
    expires_at: datetime | None = None
    refresh: Secret | None = None
    scope: str = ""

    def has_ended(self, now: datetime) -> bool:
        return self.expires_at is not None and now >= self.expires_at

    def is_due(self, now: datetime) -> bool:
        """Whether it is time for a new one."""
        if self.expires_at is None:
            return False
        return now >= self.expires_at - min(EARLY, (self.expires_at - self.obtained_at) / 10)

    def is_same(self, other: "Token | None") -> bool:
        return other is not None and self.access.reveal() == other.access.reveal()


@dataclass(frozen=True, slots=True)
class ReadToken:
    """Asks for the shared token; the reply is a Token or None."""


@dataclass(frozen=True, slots=True)
class SendForToken:
    """Sends a request of the sign-in itself. It goes to the origin it names, never follows a redirect, and is not a
    call of the operation."""

    request: Request


@dataclass(frozen=True, slots=True)
class RenewToken:
    """Asks for a token newer than `seen`; the reply is a Token.

    Whoever holds the lock runs `obtain` with the token stored last; all others wait and get the outcome, be it a token
    or a refusal.
    """

    seen: Token | None
    obtain: "Callable[[Token | None], SignInExchange[Token]]"


Ask = Send | SendForToken | ReadToken | RenewToken
#: What sign-in asks for. Replies: Response for Send and SendForToken, Token | None for ReadToken, Token for RenewToken.
SignInExchange = Generator[Ask, Any, T]


def checked_token(text: str, what: str, where: str) -> str:
    """A token as it came, without blanks around it. Raises SignInRefused for one that no header could carry (RFC 6749,
    appendix A.12: visible ASCII and blanks); the character is told, the token is not."""
    token = text.strip()
    if odd := re.search(r"[^\x20-\x7e]", token):
        raise SignInRefused(
            f"the {what} that came has the character U+{ord(odd.group()):04X}, which no header can carry",
            where=where,
            hint="it is not kept; ask the service's provider, or check that this is the token address",
        )
    return token


@dataclass(frozen=True, slots=True)
class SignInContext:
    """What a scheme works with. secrets: by name.  now and random: the caller's clock and chance.  operations: the
    project's, by name, for sign-in operations.  memory: kept between the calls of one connection within a process.
    """

    secrets: Mapping[str, Secret]
    now: Callable[[], datetime]
    random: Callable[[int], bytes]
    base_address: str = ""
    operations: Mapping[str, Any] = field(default_factory=dict)
    memory: MutableMapping[str, Any] = field(default_factory=dict)


def sent(ask: Send) -> SignInExchange[Response]:
    """The shortest sign-in: one call, made ready beforehand."""
    response: Response = yield ask
    return response


def authorize_with_token(
    ask: Send,
    context: SignInContext,
    obtain: Callable[[Token | None], SignInExchange[Token]],
    put: Callable[[Request, Token], Request],
) -> SignInExchange[Response]:
    """One call with a token: read or fetched before, renewed once if the service refuses it with 401, and the call
    repeated once."""
    token: Token | None = yield ReadToken()
    is_new = False
    if token is None or token.is_due(context.now()):
        try:
            token = yield RenewToken(token, obtain)
            is_new = True
        except SignInRefused:
            raise
        except ServiceError:  # the token service is out of reach; what is held may still be good
            if token is None or token.has_ended(context.now()):
                raise
    assert token is not None
    response: Response = yield Send(put(ask.request, token), ask.wanted)
    if response.status == 401 and not is_new:
        token = yield RenewToken(token, obtain)
        response = yield Send(put(ask.request, token), ask.wanted)
    return response
