"""User name and password in the header of a SOAP envelope (OASIS Web Services Security UsernameToken Profile 1.1.1)."""

import base64
import hashlib
from datetime import UTC
from typing import Annotated, Literal
from xml.sax.saxutils import escape

from msgspec import Meta

from rondine.core.http.messages import Response, Send
from rondine.core.settings import Document
from rondine.core.signin.basic import UserName
from rondine.core.signin.soap_header import with_header_block
from rondine.core.signin.token import SignInContext, SignInExchange, sent

_SECURITY = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd"
_UTILITY = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd"
_PROFILE = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-username-token-profile-1.0"
_BASE64 = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-soap-message-security-1.0#Base64Binary"


class UserNameToken(Document, tag="user_name_token", frozen=True):
    """User name and password go into the header of every SOAP envelope. Elsewhere called WS-Security, or
    UsernameToken."""

    user_name: UserName = ""
    password_type: Annotated[
        Literal["digest", "text"],
        Meta(
            description=(
                "digest sends a hash with a nonce and the time, never the password; text sends the password itself"
            )
        ),
    ] = "digest"

    def secret_names(self) -> tuple[str, ...]:
        return ("password",)

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        password = context.secrets["password"]
        created = context.now().astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
        nonce = context.random(16)
        value = password.reveal()
        extra = ""
        if self.password_type == "digest":
            digest = hashlib.sha1(nonce + created.encode() + value.encode(), usedforsecurity=False).digest()
            value = base64.b64encode(digest).decode()
            extra = f'<wsse:Nonce EncodingType="{_BASE64}">{base64.b64encode(nonce).decode()}</wsse:Nonce>'
        kind = "PasswordDigest" if self.password_type == "digest" else "PasswordText"

        def block(shown: str) -> str:
            return (
                f'<wsse:Security xmlns:wsse="{_SECURITY}" xmlns:wsu="{_UTILITY}"'
                ' soap:mustUnderstand="1">'
                f"<wsse:UsernameToken><wsse:Username>{escape(self.user_name)}</wsse:Username>"
                f'<wsse:Password Type="{_PROFILE}#{kind}">{shown}</wsse:Password>{extra}'
                f"<wsu:Created>{created}</wsu:Created>"
                "</wsse:UsernameToken></wsse:Security>"
            )

        return sent(with_header_block(ask, password, escape(value), block))
