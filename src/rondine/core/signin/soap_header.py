"""A header block of a service's own in every SOAP envelope, with a secret in it (SOAP 1.1, section 4.2; SOAP 1.2 Part
1, section 5.2)."""

import re
from collections.abc import Callable
from dataclasses import replace
from typing import Annotated
from xml.sax.saxutils import escape, quoteattr

from msgspec import Meta

from rondine.core.errors import InputError
from rondine.core.http.messages import Response, SecretBody, Send
from rondine.core.secret import Secret
from rondine.core.settings import Document
from rondine.core.signin.basic import UserName
from rondine.core.signin.token import SignInContext, SignInExchange, sent

_HEADER = re.compile(r"<soap:Header(/>|>)")
_NAME = r"[A-Za-z_][\w.-]*"
ElementName = Annotated[str, Meta(pattern=f"^({_NAME})?$", description="an XML name without a prefix")]


class SoapHeader(Document, tag="soap_header", frozen=True):
    """A header block that the service defines itself goes into every SOAP envelope, and holds the secret."""

    element: Annotated[ElementName, Meta(description="its name, such as AuthHeader")] = ""
    namespace: Annotated[str, Meta(max_length=500, description="of it and of what is in it")] = ""
    user_element: Annotated[ElementName, Meta(description="of the user name within it; blank for none")] = ""
    user_name: Annotated[UserName, Meta(description="as the provider gave it")] = ""
    secret_element: Annotated[
        ElementName, Meta(description="of the secret within it; blank if the block's own text is the secret")
    ] = ""

    def secret_names(self) -> tuple[str, ...]:
        return ("secret",)

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        secret = context.secrets["secret"]

        def block(shown: str) -> str:
            inner = f"<{self.user_element}>{escape(self.user_name)}</{self.user_element}>" if self.user_element else ""
            inner += f"<{self.secret_element}>{shown}</{self.secret_element}>" if self.secret_element else shown
            namespace = f" xmlns={quoteattr(self.namespace)}" if self.namespace else ""
            return f"<{self.element}{namespace}>{inner}</{self.element}>"

        return sent(with_header_block(ask, secret, escape(secret.reveal()), block))


def with_header_block(ask: Send, secret: Secret, value: str, block: Callable[[str], str]) -> Send:
    """The request with a block in its envelope's header. block: makes it, of what stands in the secret's place; value:
    what is sent there.

    Raises InputError for a request without an envelope.
    """
    request = ask.request
    text = request.sent_body.decode()
    if not _HEADER.search(text):
        raise InputError(
            "the sign-in goes into a SOAP header, but this request has no SOAP envelope",
            where="sign_in",
            hint="send a SOAP body, or let this operation sign in another way",
        )

    def signed(body: str, shown: str) -> str:
        return _HEADER.sub(
            lambda found: f"<soap:Header>{block(shown)}{'</soap:Header>' if found.group(1) == '/>' else ''}",
            body,
            count=1,
        )

    shown = signed(request.shown_body.decode(), escape(str(secret)))
    body = SecretBody(shown.encode(), Secret(signed(text, value), secret.label))
    return replace(ask, request=replace(request, body=body))
