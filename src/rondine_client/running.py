"""Feeds, their runs, and the records that they keep."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from rondine_client.addresses import step
from rondine_client.errors import RondineProblem
from rondine_client.items import Items
from rondine_client.requests import Pages, Request, Resource, S, Stream, call, pages, stream

if TYPE_CHECKING:
    from rondine_client import types

OVER = ("done", "failed", "cancelled")
#: Most items in a page.
PAGE = 200


class Feeds(Items[S, "types.Feed"]):
    @call
    def run(
        self,
        name: str,
        inputs: Mapping[str, Any] | None = None,
        *,
        confirmed: bool = False,
        brings_all: bool = False,
        may_mark_all: bool = False,
        is_dry: bool = False,
        only_rows_of: int | None = None,
        only_rejects_of: int | None = None,
        mark: str | None = None,
    ) -> Request[types.Run]:
        """Queues a run; see `Runs.watch`. inputs: in place of the feed's own.  confirmed: even if it uses up a limit of
        days or months.  brings_all: all again, also where its inputs move.  may_mark_all: records that no longer come
        are marked as gone, however many they are.  is_dry: only tell what it would do; see `Runs.planned`.
        only_rows_of: a run, of which only the rows that failed are asked for again.  only_rejects_of: a run, whose
        rejected rows are read again from the responses kept with it.  mark: as of `Trials.send`."""
        body = {
            "inputs": dict(inputs or {}),
            "confirmed": confirmed,
            "brings_all": brings_all,
            "may_mark_all": may_mark_all,
            "is_dry": is_dry,
            "only_rows_of": only_rows_of,
            "only_rejects_of": only_rejects_of,
        }
        return self.request("POST", f"/{step(name)}/runs", body, mark=mark)

    @call
    def calendar(self, start: str | None = None, days: int = 7) -> Request[types.CalendarShown]:
        """What ran and what will, by feed. start: the first day, such as 2026-03-01, in UTC; by default yesterday."""
        query = {"days": str(days), **({"start": start} if start else {})}
        return Request("GET", f"{self._project}/calendar", query=query)

    @call
    def forms(self) -> Request[types.FeedForms]:
        """What a feed can be set to: {schedules: the form of each kind of schedule}."""
        return Request("GET", f"{self._project}/feed-forms")


class Drift(Resource[S]):
    """What responses of feeds differed in from the schema on file."""

    @pages
    def search(self, /, *, limit: int | None = None, **filters: str) -> Pages[types.Drift]:
        """The newest first. filters: feed, operation, state (open, ended, adopted).  limit: how many at most."""
        return Pages(self.request("GET", query={**filters, "limit": min(limit or 100, 100)}), limit=limit)

    @call
    def adopt(self, drift: int) -> Request[types.Drift]:
        """One of them is right: the operation's responses may be so from now on. Raises RondineProblem if it is adopted
        already."""
        return self.request("POST", f"/{drift}/adopt")


class Subscriptions(Items[S, "types.Subscription"]):
    """Who is told of what, by signed webhook or e-mail."""

    @call
    def forms(self) -> Request[types.SubscriptionForms]:
        """What a subscription can be set to: {about, by: the form of each kind}."""
        return Request("GET", f"{self._project}/subscription-forms")


class Webhooks(Items[S, "types.Webhook"]):
    """Where services send what they have to say by themselves."""

    @pages
    def deliveries(self, name: str) -> Pages[types.Delivery]:
        """What came in, the newest first."""
        return Pages(self.request("GET", f"/{step(name)}/deliveries"))

    @call
    def forms(self) -> Request[types.WebhookForms]:
        """What a webhook can be set to: {proof, becomes: the form of each kind}."""
        return Request("GET", f"{self._project}/webhook-forms")


class Applications(Items[S, "types.Application"]):
    """Programs that use what an environment has, and their tokens; `rondine_client.Application` is what they call
    with."""

    @call
    def offer(self, name: str) -> Request[types.OfferShown]:
        """What it may use now: {goes_by, operations, record_types}."""
        return self.request("GET", f"/{step(name)}/offer")

    @call
    def tokens(self, name: str) -> Request[list[types.ApplicationToken]]:
        return self.request("GET", f"/{step(name)}/tokens")

    @call
    def make_token(self, name: str, title: str, days: int | None = 90) -> Request[types.MadeApplicationToken]:
        """Its `token` is shown this once. days: how long it lasts, None for ever."""
        return self.request("POST", f"/{step(name)}/tokens", {"title": title, "days": days})

    @call
    def revoke_token(self, name: str, token: int) -> Request[None]:
        """It counts at once."""
        return self.request("DELETE", f"/{step(name)}/tokens/{token}")

    @call
    def sessions(self, name: str) -> Request[list[types.UserSessionItem]]:
        """Its users who are signed in at services with accounts of their own, the newest first."""
        return self.request("GET", f"/{step(name)}/sessions")

    @call
    def end_sessions(self, name: str) -> Request[None]:
        """Signs all of them out, at once."""
        return self.request("DELETE", f"/{step(name)}/sessions")

    @call
    def usage(self, name: str | None = None, *, days: int = 7) -> Request[list[types.UsageItem]]:
        """How much was used, hour by hour, the newest first. name: of one application, None for all."""
        return Request("GET", f"{self._project}/application-usage", query={"application": name, "days": days})

    @call
    def forms(self) -> Request[types.ApplicationForms]:
        """What an application can be set to."""
        return Request("GET", f"{self._project}/application-forms")


class Events(Resource[S]):
    """What happened to feeds, flows and calls."""

    @pages
    def search(self, /, *, limit: int | None = None, **filters: str) -> Pages[types.Event]:
        """The newest first. filters: environment, feed, flow, application, kind.  limit: how many at most."""
        return Pages(self.request("GET", query={**filters, "limit": min(limit or 100, 100)}), limit=limit)


class WatchedRun(Stream["types.Run"]):
    """The events of a run, and of the streams that follow a broken one.

    patience: seconds for which a service that does not answer is asked again.
    """

    patience_for_line = 60.0

    def __init__(self, request: Request[Any], patience: float) -> None:
        super().__init__(request)
        self._patience = patience
        self._last: types.Run | None = None
        self._broken_at: float | None = None

    def read(self, line: Any) -> list[types.Run]:
        """A run that is not as it was told last (server-sent events, `data` lines)."""
        if not line.startswith("data: "):
            return []
        run: types.Run = json.loads(line[6:])
        is_news, self._last, self._broken_at = run != self._last, run, None
        self.is_over = run["state"] in OVER
        return [run] if is_news else []

    def pause(self, problem: RondineProblem | None, now: float) -> float:
        if problem is not None:
            if self._last is None or problem.status not in (0, 502, 503):
                raise problem
            self._broken_at = now if self._broken_at is None else self._broken_at
            if now - self._broken_at >= self._patience:
                raise problem
        return 0.5


class Runs(Resource[S]):
    """What ran: trials and runs of feeds."""

    @pages
    def search(self, /, *, limit: int | None = None, **filters: str) -> Pages[types.Run]:
        """Runs, newest first. filters: feed, operation, state, kind, without (a kind that
        is left out), environment.  limit: how many at most."""
        query = {**filters, "limit": min(limit or 100, 100)}
        return Pages(self.request("GET", query=query), limit=limit)

    @call
    def get(self, run: int) -> Request[types.Run]:
        return self.request("GET", f"/{run}")

    @stream
    def watch(self, run: int, *, patience: float = 60.0) -> Stream[types.Run]:
        """The run each time something has happened to it, until it is over.

        Goes on after a broken stream: it asks again until the service answers, for up to `patience` seconds; what was
        told before is not told twice. Raises Unreachable after that, or if there was no answer at all.
        """
        return WatchedRun(self.request("GET", f"/{run}/events"), patience)

    @call
    def cancel(self, run: int) -> Request[types.Run]:
        """Stops it; what was kept stays."""
        return self.request("POST", f"/{run}/cancel")

    @call
    def go_on(self, run: int) -> Request[types.Run]:
        """Lets one that failed or was cancelled go on behind the last page that it kept, as the same run."""
        return self.request("POST", f"/{run}/go-on")

    @pages
    def calls(self, run: int) -> Pages[types.Call]:
        return Pages(self.request("GET", f"/{run}/calls"))

    @call
    def fed(self, run: int, call: int, *, place: str = "") -> Request[types.FedShown]:
        """What a call's response fed: for each record type its rows, with their records and the place of each value.
        place: a JSON Pointer; only rows with a value from there or from within."""
        return self.request("GET", f"/{run}/calls/{call}/fed", query={"place": place or None})

    @pages
    def failures(self, run: int) -> Pages[types.RowFailure]:
        """Rows that its operation was asked for in vain, and why."""
        return Pages(self.request("GET", f"/{run}/row-failures"))

    @pages
    def planned(self, run: int) -> Pages[types.PlannedChangeItem]:
        """What a dry run would have done, record by record."""
        return Pages(self.request("GET", f"/{run}/planned-changes"))

    @pages
    def rejects(self, run: int, *, field: str = "") -> Pages[types.RejectedRow]:
        """Rows that became no record, and why. field: only those with a problem in it."""
        return Pages(self.request("GET", f"/{run}/rejects", query={"field": field} if field else {}))

    @call
    def reject_reasons(self, run: int) -> Request[list[types.RejectReason]]:
        """By field, how many rows were rejected for it, the most first: [{record_type, field, rows, reason}]."""
        return self.request("GET", f"/{run}/reject-reasons")
