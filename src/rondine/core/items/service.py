"""A service: what is known of it before and after it is connected."""

from typing import Annotated, Literal

from msgspec import Meta

from rondine.core.http.limits import Limit
from rondine.core.protocols.standing_in import StandIn
from rondine.core.settings import Document
from rondine.core.signin import (
    SignIn,
)


class Preparation(Document, frozen=True):
    """What is known of a service before it is connected; None or empty is not known yet. It becomes the connection and
    the first operation."""

    base_address: str = ""
    sign_in: SignIn | None = None
    key_from: Annotated[str, Meta(description="where to get an account or key")] = ""
    limits: Annotated[list[Limit] | None, Meta(description="an empty list says that there are none")] = None
    example: str = ""


class ServiceDocument(Document, frozen=True):
    """An outside service."""

    protocol: Literal["rest"] = "rest"
    description: str = ""
    documentation: Annotated[str, Meta(description="the address of its documentation")] = ""
    preparation: Preparation = Preparation()
    stand_in: Annotated[StandIn | None, Meta(description="left out, nothing stands in for it")] = None
