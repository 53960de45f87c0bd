"""OAuth 2.0 client credentials (RFC 6749, section 4.4): the application signs in as itself."""

from rondine.core.http.messages import Response, Send
from rondine.core.signin.bearer import bearer
from rondine.core.signin.oauth import OAuthClient, ask_for_token
from rondine.core.signin.token import SignInContext, SignInExchange, Token, authorize_with_token


class ClientCredentials(OAuthClient, tag="client_credentials", frozen=True):
    """The application itself signs in, nobody is asked. Elsewhere called application access, two-legged, or machine to
    machine."""

    def secret_names(self) -> tuple[str, ...]:
        return self.client_secret_names()

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        def obtain(held: Token | None) -> SignInExchange[Token]:
            return ask_for_token(self, context, [("grant_type", "client_credentials")])

        return authorize_with_token(ask, context, obtain, bearer)
