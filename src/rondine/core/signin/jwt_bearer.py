"""The JWT bearer grant (RFC 7523, section 2.1): a signed assertion is handed in for a token."""

from typing import Annotated, ClassVar

from msgspec import Meta

from rondine.core.http.messages import Response, Send
from rondine.core.signin.bearer import bearer
from rondine.core.signin.jwt import assertion
from rondine.core.signin.oauth import ClientAuthentication, OAuthClient, ask_for_token
from rondine.core.signin.token import SignInContext, SignInExchange, Token, authorize_with_token

GRANT = "urn:ietf:params:oauth:grant-type:jwt-bearer"


class JwtBearer(OAuthClient, tag="jwt_bearer", frozen=True):
    """A statement signed with a private key is handed in for a token. Elsewhere called service account or assertion
    flow."""

    RARE: ClassVar[frozenset[str]] = OAuthClient.RARE | {
        "client_authentication",
        "assertion_audience",
        "scope_in_assertion",
    }

    client_authentication: ClientAuthentication = "none"
    issuer: Annotated[str, Meta(description="who signs the statement (client_id if left out)")] = ""
    subject: Annotated[str, Meta(description="for whom it is (client_id if left out)")] = ""
    assertion_audience: Annotated[
        str, Meta(description="whom the statement is for (the token address if left out)")
    ] = ""
    scope_in_assertion: Annotated[bool, Meta(description="the scope stands in the statement instead of the form")] = (
        False
    )

    def secret_names(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(("private_key", *self.client_secret_names())))

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        def obtain(held: Token | None) -> SignInExchange[Token]:
            claims = {
                "iss": self.issuer or self.client_id,
                "sub": self.subject or self.client_id,
                "aud": self.assertion_audience or self.token_address,
            }
            if self.scope_in_assertion:
                claims["scope"] = self.scope
            signed = assertion(
                claims,
                context.secrets["private_key"],
                self.algorithm,
                self.key_id,
                now=context.now(),
                unique=context.random(16),
            )
            return (yield from ask_for_token(self, context, [("grant_type", GRANT), ("assertion", signed)]))

        return authorize_with_token(ask, context, obtain, bearer)
