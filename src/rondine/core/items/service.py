"""A service: what is known of it before and after it is connected."""

from typing import Literal

from rondine.core.http.limits import Limit
from rondine.core.settings import Document
from rondine.core.signin import (
    SignIn,
)


class Preparation(Document, frozen=True):
    """What is known of a service before it is connected; None or empty is not known yet. It becomes the connection and the first operation.

    key_from: where to get an account or key.  limits: an empty list says that there are none.
    """

    base_address: str = ""
    sign_in: SignIn | None = None
    key_from: str = ""
    limits: list[Limit] | None = None
    example: str = ""


class ServiceDocument(Document, frozen=True):
    """An outside service. documentation: the address of its documentation."""

    protocol: Literal["rest"] = "rest"
    description: str = ""
    documentation: str = ""
    preparation: Preparation = Preparation()
