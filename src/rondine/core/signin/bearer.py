"""A fixed token in the Authorization header field (RFC 6750, section 2.1)."""

import re
from dataclasses import replace
from typing import Annotated

from msgspec import Meta

from rondine.core.http.messages import Request, Response, Send
from rondine.core.secret import Secret
from rondine.core.settings import Document
from rondine.core.signin.token import SignInContext, SignInExchange, Token, sent

Prefix = Annotated[
    str, Meta(pattern=r"^[!#$%&'*+.^_`|~0-9A-Za-z-]{0,40}$", description="the word before the token; it is put in once")
]


def bare(pasted: str, prefix: str) -> str:
    """The token alone, whatever was pasted: with the prefix, or as a whole header line."""
    pasted = re.sub(r"^\s*authorization\s*:\s*", "", pasted, flags=re.IGNORECASE)
    words = {prefix.lower(), "bearer"} - {""}
    while (found := re.match(r"\s*(\S+)\s+(?=\S)", pasted)) and found.group(1).lower() in words:
        pasted = pasted[found.end() :]
    return pasted.strip()


class Bearer(Document, tag="bearer", frozen=True):
    """A token that does not change goes with every call. Elsewhere called access token, personal token or bearer
    authentication."""

    prefix: Prefix = "Bearer"

    def secret_names(self) -> tuple[str, ...]:
        return ("token",)

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        token = context.secrets["token"]
        value = Secret(bare(token.reveal(), self.prefix), token.label, before=f"{self.prefix} " if self.prefix else "")
        return sent(replace(ask, request=ask.request.with_header("Authorization", value)))


def bearer(request: Request, token: Token) -> Request:
    """The request with an OAuth access token (RFC 6750, section 2.1)."""
    return request.with_header("Authorization", token.access.after("Bearer "))
