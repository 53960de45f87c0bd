"""No sign-in: the request goes out as it is."""

from collections.abc import Mapping

from rondine.core.http import Exchange, Response, Send
from rondine.core.secret import Secret
from rondine.core.settings import Document


class NoSignIn(Document, tag="none", frozen=True):
    """The service asks for nothing."""

    def secret_names(self) -> tuple[str, ...]:
        return ()

    def exchange(self, ask: Send, secrets: Mapping[str, Secret]) -> Exchange[Response]:
        return (yield ask)
