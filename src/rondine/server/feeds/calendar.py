"""A project's feeds over some days: what ran, and when they are due."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import islice

from rondine.core.items.schedule import Schedule, next_due, schedule_words
from rondine.server.access.models import Project
from rondine.server.feeds.models import Feed
from rondine.server.runs.models import Run

#: Feeds on one page of it, and runs and times of each that are told; of more, how many are left out is not known.
MOST_FEEDS, MOST_TOLD = 200, 200


@dataclass(frozen=True, slots=True)
class FeedDays:
    """One feed. ran: the newest runs of these days, the oldest first.  due: times that its schedule names, from now on.
    is_cut: there are more of either than are told."""

    feed: Feed
    words: str
    ran: Sequence[Run]
    due: Sequence[datetime]
    is_cut: bool


def days_of(project: Project, start: datetime, end: datetime, now: datetime) -> tuple[list[FeedDays], bool]:
    """(feeds that have a schedule or ran in these days, by name; whether that is all of them)."""
    runs = Run.objects.filter(project=project, kind="feed", is_dry=False, queued_at__gte=start, queued_at__lt=end)
    feeds = list(Feed.objects.filter(project=project).select_related("environment").order_by("name"))
    found = []
    ran = set(runs.order_by().values_list("feed_id", flat=True).distinct())
    shown = [feed for feed in feeds if feed.pk in ran or feed.document.get("schedule")]
    by_feed: dict[object, list[Run]] = defaultdict(list)
    for feed in shown[:MOST_FEEDS]:
        if feed.pk in ran:
            of_feed = runs.filter(feed=feed).defer("content", "inputs").order_by("-pk")
            by_feed[feed.pk] = list(of_feed[: MOST_TOLD + 1])
    for feed in shown[:MOST_FEEDS]:
        schedule = feed.loaded().schedule
        due = list(islice(due_times(schedule, max(now, start), end, feed.due_at), MOST_TOLD + 1))
        newest = by_feed[feed.pk]
        is_cut = len(newest) > MOST_TOLD or len(due) > MOST_TOLD
        found.append(FeedDays(feed, schedule_words(schedule), newest[:MOST_TOLD][::-1], due[:MOST_TOLD], is_cut))
    return found, len(shown) <= MOST_FEEDS


def due_times(schedule: Schedule | None, after: datetime, end: datetime, due_at: datetime | None) -> Iterator[datetime]:
    """When a schedule starts its feed between two moments, without jitter. due_at: the next time, as the workers put it
    down; intervals are counted from there."""
    last = due_at
    if due_at is not None and after <= due_at < end:
        yield due_at
        after = due_at
    while (due := next_due(schedule, after, last=last)) is not None and due.planned < end:
        yield due.planned
        after = last = due.planned
