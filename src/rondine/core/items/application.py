"""An application: what a program outside may call and read in one environment, and how much of it."""

from collections.abc import Mapping
from typing import Annotated, ClassVar

from msgspec import Meta

from rondine.core.settings import Document


class CallerRule(Document, frozen=True, kw_only=True):
    """Only for users of the application whose own kept record is in one of some states. The application names the user
    with each call, in the header Rondine-Caller: the key of that record."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"record_type": "record-types"}

    record_type: Annotated[str, Meta(description="of the users' records, which has one key field")]
    field: Annotated[str, Meta(description="of such a record, that says its state")]
    values: Annotated[list[str], Meta(min_length=1, description="the states in which a user may call")]


class ApplicationDocument(Document, frozen=True, kw_only=True):
    """What an application may call and read in its environment, and how much of it."""

    REFERENCES: ClassVar[Mapping[str, str]] = {
        "operations": "operations",
        "flows": "flows",
        "record_types": "record-types",
    }

    operations: Annotated[list[str], Meta(description="that it may call, by name")] = []
    all_operations: Annotated[bool, Meta(description="it may call every one that its environment has")] = False
    flows: Annotated[
        list[str], Meta(description="that it may call, by name, with all that they ask; those that write if it may")
    ] = []
    all_flows: Annotated[bool, Meta(description="it may call every flow that its environment has")] = False
    record_types: Annotated[list[str], Meta(description="whose records it may read, by name")] = []
    all_record_types: Annotated[bool, Meta(description="it may read the records of all of them")] = False
    may_write: Annotated[
        bool, Meta(description="it may call operations and flows that change something, and not only read")
    ] = False
    calls_a_minute: Annotated[
        Annotated[int, Meta(ge=1, le=1_000_000)] | None,
        Meta(description="requests in a minute at most, over all of its tokens; by default as many as come"),
    ] = None
    time_limit: Annotated[
        float, Meta(gt=0, le=150, description="seconds that a call waits for its service, unless it asks for fewer")
    ] = 30.0
    most_upload_bytes: Annotated[int, Meta(ge=1, le=2**31, description="of one request that brings files, in all")] = (
        64 * 1024 * 1024
    )
    callers: Annotated[
        CallerRule | None, Meta(description="which of its users it may call and read for; by default all")
    ] = None
    callbacks: Annotated[
        list[Annotated[str, Meta(pattern=r"^https?://[^/?#@\s]+/[^?#\s]*$")]],
        Meta(
            description=(
                "addresses of the application to which a service may send users back who sign in with an account of"
                " their own; each registered at the service too"
            )
        ),
    ] = []
    session_hours: Annotated[
        float, Meta(gt=0, le=720, description="for how long a user stays signed in at a service at most")
    ] = 12.0
    keeps_responses: Annotated[
        bool, Meta(description="responses are kept with their runs, also of calls that ended well")
    ] = False
    enabled: Annotated[bool, Meta(description="off, its calls are refused")] = True
    description: Annotated[str, Meta(description="what it is for, in one's own words")] = ""
