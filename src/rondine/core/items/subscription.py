"""A subscription: who is told of what, and how."""

from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal, get_args

from msgspec import Meta

from rondine.core.settings import Document

FeedEvent = Literal["failed", "recovered", "incomplete", "drift", "not_marked", "late", "refused", "ended"]
FEED_EVENTS: tuple[FeedEvent, ...] = get_args(FeedEvent)
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

    about: Annotated[OfFeeds | OfRecords, Meta(description="what is told")]
    by: Annotated[ByWebhook | ByEmail, Meta(description="how it is told")]
    enabled: Annotated[bool, Meta(description="off, it tells nothing until it is on again, and then all")] = True
    description: Annotated[str, Meta(description="what it is for, in one's own words")] = ""
