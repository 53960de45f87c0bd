"""Sign-in schemes: each one file and one line here. A scheme carries one call: it authorises the request, sends it, and gives the response."""

from collections.abc import Mapping
from typing import Protocol

from rondine.core.http import Exchange, Response, Send
from rondine.core.secret import Secret
from rondine.core.signin.api_key import ApiKey
from rondine.core.signin.none import NoSignIn

__all__ = ["ApiKey", "NoSignIn", "Scheme", "SignIn"]

SignIn = NoSignIn | ApiKey


class Scheme(Protocol):
    """What every scheme offers. secret_names: the secrets it needs, by the names they are stored under."""

    def secret_names(self) -> tuple[str, ...]: ...

    def exchange(self, ask: Send, secrets: Mapping[str, Secret]) -> Exchange[Response]: ...
