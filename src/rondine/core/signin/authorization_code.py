"""OAuth 2.0 authorization code with PKCE (RFC 6749, section 4.1; RFC 7636): a person consents in the browser, then the
refresh token carries on."""

import base64
import hashlib
from collections.abc import Mapping
from typing import Annotated, ClassVar
from urllib.parse import urlencode, urlsplit

from msgspec import Meta

from rondine.core.errors import SignInAgain, SignInRefused, short
from rondine.core.http.messages import Response, Send
from rondine.core.secret import Secret
from rondine.core.settings import Document
from rondine.core.signin.bearer import bearer
from rondine.core.signin.oauth import Address, Fields, OAuthClient, ask_for_token, refusal, was_refused_for
from rondine.core.signin.token import SignInContext, SignInExchange, Token, authorize_with_token


class ExtraParameter(Document, frozen=True):
    """A further parameter of the authorization address, as some services want one to give out refresh tokens."""

    name: str
    value: str = ""


class AuthorizationCode(OAuthClient, tag="authorization_code", frozen=True):
    """A person signs in at the service and consents; Rondine calls on their behalf. Elsewhere called user consent or
    three-legged."""

    RARE: ClassVar[frozenset[str]] = OAuthClient.RARE | {"issuer", "extra"}

    authorization_address: Annotated[Address, Meta(description="the page where the person consents")] = ""
    issuer: Annotated[str, Meta(description="of the service, checked if its answer names one (RFC 9207)")] = ""
    extra: Annotated[
        list[ExtraParameter], Meta(description="further parameters that the page of consent is opened with")
    ] = []

    def secret_names(self) -> tuple[str, ...]:
        return self.client_secret_names()

    def consent_address(self, *, callback: str, state: str, verifier: str) -> str:
        """Where the person's browser is sent (RFC 6749, section 4.1.1; S256, RFC 7636, section 4.2)."""
        challenge = base64.urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=").decode()
        parameters = {extra_parameter.name: extra_parameter.value for extra_parameter in self.extra} | {
            "response_type": "code",
            "client_id": self.client_id,
            "redirect_uri": callback,
            "state": state,
            "code_challenge": challenge,
            "code_challenge_method": "S256",
        }
        parameters |= {name: value for name in ("scope", "audience", "resource") if (value := getattr(self, name))}
        joint = "&" if urlsplit(self.authorization_address).query else "?"
        return f"{self.authorization_address}{joint}{urlencode(parameters)}"

    def checked_answer(self, answer: Mapping[str, str]) -> Secret:
        """The code of the service's answer at the callback address, whose state was checked. Raises SignInRefused."""
        where = "the service's answer at the callback address"
        if self.issuer and answer.get("iss", self.issuer) != self.issuer:
            raise SignInRefused(
                f"the answer is from {short(answer['iss'])}, not from {short(self.issuer)}",
                where=where,
                hint="begin again; if it happens again, correct the issuer",
            )
        if "error" in answer:
            raise refusal(dict(answer), 302, where)
        if not answer.get("code"):
            raise SignInRefused("the answer has no code", where=where, hint="begin again")
        return Secret(answer["code"], "authorization code")

    def first_token(
        self, context: SignInContext, code: Secret, *, callback: str, verifier: Secret
    ) -> SignInExchange[Token]:
        """The code handed in for the first token (RFC 6749, section 4.1.3)."""
        fields: Fields = [
            ("grant_type", "authorization_code"),
            ("code", code),
            ("redirect_uri", callback),
            ("code_verifier", verifier),
        ]
        return ask_for_token(self, context, fields)

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        def obtain(held: Token | None) -> SignInExchange[Token]:
            again = "somebody who may build here signs in again on the connection's page"
            if held is None:
                raise SignInAgain(
                    "nobody has signed in at the service yet",
                    where="sign-in",
                    hint="somebody who may build here signs in on the connection's page",
                )
            if held.refresh is None:
                raise SignInAgain(
                    "the access token has ended and the service gave no refresh token", where="sign-in", hint=again
                )
            fields: Fields = [("grant_type", "refresh_token"), ("refresh_token", held.refresh)]
            try:
                return (yield from ask_for_token(self, context, fields, held=held))
            except SignInRefused as error:
                if was_refused_for(error, "invalid_grant"):
                    raise SignInAgain(
                        f"the refresh token is not accepted any more ({error.message})", where=error.where, hint=again
                    ) from error
                raise

        return authorize_with_token(ask, context, obtain, bearer)
