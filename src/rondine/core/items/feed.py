"""A feed: an operation, its inputs and a mapping."""

from collections.abc import Mapping
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


class ForEach(Document, frozen=True):
    """The operation is called once for each record of a type, or for each of some values: what one has fills the
    operation's inputs of the same names, or those that an input says (`field`)."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"record_type": "record-types"}

    record_type: Annotated[str, Meta(description="whose kept records it goes through; left out, values")] = ""
    where: Annotated[
        dict[str, str], Meta(description="which of them, as lists of records are filtered: district, girth.from")
    ] = {}
    values: Annotated[list[dict[str, Any]], Meta(description="to go through in place of records: inputs by name")] = []
    stop_after: Annotated[
        int, Meta(ge=1, description="failures in a row that end the run, as the service is likely to be down")
    ] = 20

    def __post_init__(self) -> None:
        if bool(self.record_type) == bool(self.values):
            raise ValueError("give either record_type or values")


class FeedDocument(Document, frozen=True):
    """An operation, its inputs and a mapping that keep a record type filled."""

    GIVEN_BY_NAME: ClassVar[frozenset[str]] = frozenset({"inputs"})

    inputs: Annotated[dict[str, Any], Meta(description="values for the operation's inputs, by name")] = {}
    moving: Annotated[
        dict[str, MovingInput],
        Meta(description="inputs that move with the runs, by name: a time before one, or what is new since the last"),
    ] = {}
    for_each: Annotated[
        ForEach | None, Meta(description="call the operation once for each of many; none, for one call or its pages")
    ] = None
    gone: Annotated[Gone, Meta(description="what becomes of records that no longer come")] = Gone()
    drift: Annotated[
        Literal["note", "warn", "stop"],
        Meta(
            description=(
                "what happens when responses differ from the schema on file: it is noted with the feed; the run also"
                " warns of it; or the run stops before it keeps a response in which a part differs that the mapping"
                " takes"
            )
        ),
    ] = "warn"
    parallel: Annotated[int, Meta(ge=1, le=32, description="pages fetched at a time, where pages can be planned")] = 4
    retrying: Annotated[
        RetryPolicy | None, Meta(description="when calls of its runs are sent again; by default as the connection says")
    ] = None
    late_after: Annotated[
        str, Meta(description="a duration such as PT6H or P1D without a good run, after which it is late; empty: never")
    ] = ""
    schedule: Annotated[Schedule | None, Meta(description="when it runs by itself; none, if only when asked to")] = None
    description: Annotated[str, Meta(description="what it is for, in one's own words")] = ""
