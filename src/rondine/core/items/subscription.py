"""A subscription: who is told of what, and how."""

from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal, get_args

from msgspec import Meta

from rondine.core.settings import Document

FeedEvent = Literal["failed", "recovered", "incomplete", "drift", "not_marked", "late", "refused", "ended"]
FEED_EVENTS: tuple[FeedEvent, ...] = get_args(FeedEvent)
#: What is told of calls, beside what is told of feeds.
CALL_ENDED: Literal["call_ended"] = "call_ended"
CallEnd = Literal["done", "failed", "cancelled"]
#: What is told of runs of flows: a person is asked; nobody knows what became of a task; and how they end.
FlowEvent = Literal["flow_asks", "flow_doubt", "flow_failed", "flow_ended", "flow_refused"]
FLOW_EVENTS: tuple[FlowEvent, ...] = get_args(FlowEvent)
ChangeKind = Literal["created", "changed", "gone", "returned", "removed"]


class OfFeeds(Document, tag="feeds", frozen=True):
    """What happens to feeds. Each is told once: what goes on failing has failed once, until it has recovered."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"feeds": "feeds"}

    events: Annotated[
        list[FeedEvent],
        Meta(
            description=(
                "which: failed, recovered, incomplete (rows are missing), drift (the service differs), not_marked"
                " (records that no longer come), late, refused (due, and not started), ended (every run); left out, all"
                " but ended"
            )
        ),
    ] = []
    feeds: Annotated[list[str], Meta(description="of which feeds, by name; left out, all of the environment")] = []


class OfRecords(Document, tag="records", frozen=True):
    """What happens to kept records, in its order."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"record_type": "record-types"}

    record_type: Annotated[str, Meta(description="whose records")]
    kinds: Annotated[
        list[ChangeKind],
        Meta(description="which changes: created, changed, gone, returned, removed; left out, all"),
    ] = []


class OfCalls(Document, tag="calls", frozen=True):
    """The end of calls that applications leave to the background (Prefer: respond-async)."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"applications": "applications"}

    applications: Annotated[
        list[str], Meta(description="of which applications, by name; left out, all of the environment")
    ] = []
    ends: Annotated[
        list[CallEnd], Meta(description="how they ended: done, failed, cancelled; left out, however they end")
    ] = []


class OfFlows(Document, tag="flows", frozen=True):
    """What happens to runs of flows: that somebody is asked, with a link to answer, among it."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"flows": "flows"}

    events: Annotated[
        list[Literal["asks", "doubt", "failed", "ended", "refused"]],
        Meta(
            description=(
                "which: asks (a person is asked), doubt (nobody knows what became of a task), failed, ended (every"
                " run), refused (due, and not begun); left out, all but ended"
            )
        ),
    ] = []
    flows: Annotated[list[str], Meta(description="of which flows, by name; left out, all of the environment")] = []


class ByWebhook(Document, tag="webhook", frozen=True):
    """A signed request (Standard Webhooks) with CloudEvents in JSON, many at a time, each until it is answered with
    2xx."""

    address: Annotated[str, Meta(description="where to, an https address of a permitted host")]
    batch: Annotated[int, Meta(ge=1, le=1000, description="events in one request at most")] = 100


class ByEmail(Document, tag="email", frozen=True):
    """A message to some people."""

    to: Annotated[list[str], Meta(min_length=1, description="their addresses")]


class SubscriptionDocument(Document, frozen=True):
    """Who is told of what, and how."""

    about: Annotated[OfFeeds | OfRecords | OfCalls | OfFlows, Meta(description="what is told")]
    by: Annotated[ByWebhook | ByEmail, Meta(description="how it is told")]
    enabled: Annotated[bool, Meta(description="off, it tells nothing until it is on again, and then all")] = True
    description: Annotated[str, Meta(description="what it is for, in one's own words")] = ""
