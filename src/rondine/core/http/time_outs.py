"""How long a call may take."""

from typing import Annotated

from msgspec import Meta

from rondine.core.settings import Document

Seconds = Annotated[float, Meta(gt=0, le=3600)]


class TimeOuts(Document, frozen=True):
    """How long each part of a call may take, in seconds."""

    connect: Annotated[Seconds, Meta(description="until the connection stands")] = 5.0
    first_byte: Annotated[Seconds, Meta(description="until the head of the response")] = 30.0
    idle: Annotated[Seconds, Meta(description="between two pieces of the body")] = 15.0
    whole: Annotated[Seconds, Meta(description="for all of a call")] = 120.0
