"""An API key in a header or in the query (OpenAPI's security scheme type apiKey)."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Literal

from msgspec import Meta

from rondine.core.http import Exchange, Response, Send
from rondine.core.secret import Secret
from rondine.core.settings import Document


class ApiKey(Document, tag="api_key", frozen=True):
    """The key is sent with every call. name: of the header or query parameter that carries it."""

    name: Annotated[
        str, Meta(pattern=r"^[!#$%&'*+.^_`|~0-9A-Za-z-]{1,100}$", description="as the service's documentation names it")
    ]
    place: Literal["header", "query"] = "header"

    def secret_names(self) -> tuple[str, ...]:
        return ("key",)

    def exchange(self, ask: Send, secrets: Mapping[str, Secret]) -> Exchange[Response]:
        key = secrets["key"]
        if self.place == "header":
            request = ask.request.with_header(self.name, key)
        else:
            request = replace(ask.request, secret_query=(*ask.request.secret_query, (self.name, key)))
        return (yield replace(ask, request=request))
