"""What is worth telling of a feed, once each: what goes on failing has failed once, until it has recovered."""

from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from rondine.core.items.schedule import duration_of
from rondine.server.feeds.models import Feed
from rondine.server.runs.models import Run
from rondine.server.subscriptions.events import write_down, write_down_flow
from rondine.server.subscriptions.models import Subscription


def tell_of_end(run: Run) -> None:
    """Writes down what a run's end means for its feed; within the transaction that ends it."""
    now = Run.objects.select_related("feed", "environment").get(pk=run.pk)
    feed = now.feed
    if feed is None:
        return
    before = feed.runs.filter(is_dry=False, pk__lt=run.pk, state__in=("done", "failed")).order_by("-pk").first()

    def tell(kind: Any, message: str, hint: str = "", **more: Any) -> None:
        write_down(now.environment, kind, feed.name, run.pk, {"message": message, "hint": hint, **more})

    if Subscription.objects.filter(environment=now.environment, document__about__events__contains="ended").exists():
        tell("ended", now.ending, state=now.state, completeness=now.completeness)
    if now.state == "failed":
        if before is None or before.state != "failed":
            error = now.error or {}
            tell("failed", error.get("message", now.ending), error.get("hint", ""), where=error.get("where", ""))
        return
    if feed.is_late or (before is not None and before.state == "failed"):
        tell("recovered", now.ending)
        Feed.objects.filter(pk=feed.pk).update(is_late=False)
    for kind, remark_kind in (("incomplete", "incomplete"), ("not_marked", "not_marked"), ("drift", "drift")):
        told = _messages(before, remark_kind)
        new = [remark for remark in now.remarks if remark["kind"] == remark_kind and remark["message"] not in told]
        if new and (kind == "drift" or not told):
            more = [remark["message"] for remark in new[1:]]
            tell(kind, new[0]["message"], new[0]["hint"], **({"further": more} if more else {}))


def _messages(run: Run | None, kind: str) -> set[str]:
    return {remark["message"] for remark in run.remarks if remark["kind"] == kind} if run is not None else set()


def tell_of_refusal(item: Any, refusal: dict[str, Any]) -> None:
    """Writes down that a feed, or another item that begins by itself, was due and could not; once for the same
    reason. Within a transaction."""
    if item.refusal and item.refusal.get("message") == refusal["message"]:
        return
    if isinstance(item, Feed):
        write_down(item.environment, "refused", item.name, None, {**refusal})
    else:
        flow = item.document.get("flow", "")
        write_down_flow(item.environment, "flow_refused", flow, None, {**refusal, "schedule": item.name})


def tell_of_late(now: datetime | None = None) -> list[str]:
    """Writes down which feeds have had no good run for longer than they say, and gives their names."""
    now = now or timezone.now()
    late = []
    feeds = Feed.objects.filter(~Q(document__late_after=None), document__has_key="late_after", is_late=False)
    for feed in feeds.select_related("environment"):
        wait = duration_of(feed.loaded().late_after)
        good = (
            feed.runs.filter(state="done", is_dry=False)
            .order_by("-ended_at")
            .values_list("ended_at", flat=True)
            .first()
        )
        since = good or feed.changed_at
        if wait is None or since + wait >= now:
            continue
        with transaction.atomic():
            if not Feed.objects.filter(pk=feed.pk, is_late=False).update(is_late=True):
                continue  # another worker was quicker
            last = f"the last one was on {good:%Y-%m-%d at %H:%M} UTC" if good else "it never had one"
            words = f"it has had no good run for {feed.loaded().late_after}; {last}"
            hint = "see why nothing starts: rondine obstacles, or how its last runs went"
            write_down(feed.environment, "late", feed.name, None, {"message": words, "hint": hint})
        late.append(feed.name)
    return late
