"""A feed: an operation, its inputs and a mapping."""

from typing import Annotated, Any, ClassVar

from msgspec import Meta

from rondine.core.http.retrying import RetryPolicy
from rondine.core.items.schedule import Schedule
from rondine.core.settings import Document


class FeedDocument(Document, frozen=True):
    """An operation, its inputs and a mapping that keep a record type filled."""

    GIVEN_BY_NAME: ClassVar[frozenset[str]] = frozenset({"inputs"})

    inputs: Annotated[dict[str, Any], Meta(description="values for the operation's inputs, by name")] = {}
    parallel: Annotated[int, Meta(ge=1, le=32, description="pages fetched at a time, where pages can be planned")] = 4
    retrying: Annotated[
        RetryPolicy | None, Meta(description="when calls of its runs are sent again; by default as the connection says")
    ] = None
    schedule: Annotated[Schedule | None, Meta(description="when it runs by itself; none, if only when asked to")] = None
    description: Annotated[str, Meta(description="what it is for, in one's own words")] = ""
