"""OAuth 2.0 resource owner password credentials (RFC 6749, section 4.3). Legacy: OAuth 2.1 leaves it out."""

from typing import Annotated

from msgspec import Meta

from rondine.core.errors import SignInRefused
from rondine.core.http.messages import Response, Send
from rondine.core.signin.bearer import bearer
from rondine.core.signin.oauth import Fields, OAuthClient, ask_for_token, was_refused_for
from rondine.core.signin.token import SignInContext, SignInExchange, Token, authorize_with_token


class PasswordGrant(OAuthClient, tag="password_grant", frozen=True):
    """Legacy: a person's user name and password are handed to the token address. Use it only where the service offers
    nothing better."""

    user_name: Annotated[str, Meta(description="of the person whose password it is")] = ""

    def secret_names(self) -> tuple[str, ...]:
        return (*self.client_secret_names(), "password")

    def first_token(self, context: SignInContext) -> SignInExchange[Token]:
        """The password handed in for a token."""
        fields: Fields = [
            ("grant_type", "password"),
            ("username", self.user_name),
            ("password", context.secrets["password"]),
        ]
        return ask_for_token(self, context, fields)

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        def obtain(held: Token | None) -> SignInExchange[Token]:
            if held is not None and held.refresh is not None:
                try:
                    return (
                        yield from ask_for_token(
                            self,
                            context,
                            [("grant_type", "refresh_token"), ("refresh_token", held.refresh)],
                            held=held,
                        )
                    )
                except SignInRefused as error:
                    if not was_refused_for(error, "invalid_grant"):
                        raise
            return (yield from self.first_token(context))

        return authorize_with_token(ask, context, obtain, bearer)
