"""A client certificate proves who calls while TLS is agreed on (RFC 8446, section 4.4.2)."""

from rondine.core.http.messages import Response, Send
from rondine.core.settings import Document
from rondine.core.signin.token import SignInContext, SignInExchange, sent


class ClientCertificate(Document, tag="client_certificate", frozen=True):
    """The connection's client certificate is all the sign-in there is. Elsewhere called mutual TLS or mTLS."""

    def secret_names(self) -> tuple[str, ...]:
        return ("tls_private_key",)

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        return sent(ask)
