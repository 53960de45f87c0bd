"""An API key, alone or with a secret, in a header, the query, a cookie or the body (OpenAPI's security scheme type
apiKey)."""

from dataclasses import replace
from typing import Annotated

from msgspec import Meta

from rondine.core.http.messages import Response, Send
from rondine.core.settings import Document
from rondine.core.signin.carrier import Carrier, FieldName, put_secret
from rondine.core.signin.token import SignInContext, SignInExchange, sent


class ApiKey(Document, tag="api_key", frozen=True):
    """A key goes with every call."""

    name: Annotated[FieldName, Meta(description="of the header, parameter, cookie or member that carries it")]
    carrier: Annotated[Carrier, Meta(description="the part of the request that the key goes in")] = "header"
    secret_name: Annotated[
        str,
        Meta(
            pattern=r"^[!#$%&'*+.^_`|~0-9A-Za-z-]{0,100}$",
            description="of a second one, for services that give a key and a secret",
        ),
    ] = ""

    def secret_names(self) -> tuple[str, ...]:
        return ("key", "secret") if self.secret_name else ("key",)

    def exchange(self, ask: Send, context: SignInContext) -> SignInExchange[Response]:
        request = put_secret(ask.request, self.carrier, self.name, context.secrets["key"])
        if self.secret_name:
            request = put_secret(request, self.carrier, self.secret_name, context.secrets["secret"])
        return sent(replace(ask, request=request))
