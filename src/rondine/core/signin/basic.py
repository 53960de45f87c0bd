"""User name and password in every call (RFC 7617)."""

import base64
from dataclasses import replace
from typing import Annotated

from msgspec import Meta

from rondine.core.http.messages import Response, Send
from rondine.core.secret import Secret
from rondine.core.settings import Document
from rondine.core.signin.token import SignInContext, SignInExchange, sent

UserName = Annotated[
    str, Meta(pattern=r"^[^:\x00-\x1f\x7f]{0,200}$", description="as the service's provider gave it; it has no colon")
]


def basic_value(user: str, password: Secret) -> Secret:
    """The value of the Authorization header field, in UTF-8 (RFC 7617, section 2.1)."""
    pair = f"{user}:{password.reveal()}".encode()
    return Secret(base64.b64encode(pair).decode(), password.label, before="Basic ")


class Basic(Document, tag="basic", frozen=True):
    """User name and password go with every call. Elsewhere called HTTP basic authentication."""

    user_name: UserName = ""

    def secret_names(self) -> tuple[str, ...]:
        return ("password",)

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        value = basic_value(self.user_name, context.secrets["password"])
        return sent(replace(ask, request=ask.request.with_header("Authorization", value)))
