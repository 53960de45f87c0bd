"""A feed: an operation, its inputs and a mapping."""

from typing import Annotated, Any, ClassVar, Literal

from msgspec import Meta

from rondine.core.http.retrying import RetryPolicy
from rondine.core.items.moving import MovingInput
from rondine.core.items.schedule import Schedule
from rondine.core.settings import Document


class Gone(Document, frozen=True):
    """What becomes of records whose rows no longer come, when a run saw all rows."""

    action: Annotated[
        Literal["mark", "leave"], Meta(description="mark them as gone, or leave them as if they still came")
    ] = "mark"
    most_share: Annotated[
        float,
        Meta(ge=0, le=1, description="of the feed's records; if more would go at once, none is marked"),
    ] = 0.2


class FeedDocument(Document, frozen=True):
    """An operation, its inputs and a mapping that keep a record type filled."""

    GIVEN_BY_NAME: ClassVar[frozenset[str]] = frozenset({"inputs"})

    inputs: Annotated[dict[str, Any], Meta(description="values for the operation's inputs, by name")] = {}
    moving: Annotated[
        dict[str, MovingInput],
        Meta(description="inputs that move with the runs, by name: a time before one, or what is new since the last"),
    ] = {}
    gone: Annotated[Gone, Meta(description="what becomes of records that no longer come")] = Gone()
    parallel: Annotated[int, Meta(ge=1, le=32, description="pages fetched at a time, where pages can be planned")] = 4
    retrying: Annotated[
        RetryPolicy | None, Meta(description="when calls of its runs are sent again; by default as the connection says")
    ] = None
    schedule: Annotated[Schedule | None, Meta(description="when it runs by itself; none, if only when asked to")] = None
    description: Annotated[str, Meta(description="what it is for, in one's own words")] = ""
