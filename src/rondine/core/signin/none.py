"""No sign-in: the request goes out as it is."""

from rondine.core.http.messages import Response, Send
from rondine.core.settings import Document
from rondine.core.signin.token import SignInContext, SignInExchange, sent


class NoSignIn(Document, tag="none", frozen=True):
    """The service asks for nothing."""

    def secret_names(self) -> tuple[str, ...]:
        return ()

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        return sent(ask)
