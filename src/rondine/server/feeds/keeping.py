"""Pages kept in their order, many to a batch: one transaction with their records, rejects, calls, counts and the
checkpoint behind it.

The checkpoint is written `WHERE attempt = mine`, so a worker that was thought dead can keep nothing any more.
"""

import asyncio
from collections.abc import AsyncIterator, Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from functools import partial
from typing import Any

from django.db import models, transaction
from django.utils import timezone

from rondine.core.errors import RunEnded
from rondine.core.http.messages import http_text, shown_headers
from rondine.engine.receiving import Received
from rondine.server.feeds.batches import Batch, OutputRows, made_ready
from rondine.server.feeds.drift import note_drift
from rondine.server.feeds.fetching import Fetcher
from rondine.server.feeds.pages import Page, PreparedFeed
from rondine.server.feeds.rejects import RejectsFetcher
from rondine.server.feeds.rows import RowsFetcher
from rondine.server.records.keeping import Filling, Kept, PlacedRow
from rondine.server.records.models import PlannedChange, Record, SeenBatch
from rondine.server.records.planning import MOST_PLANNED, Planner
from rondine.server.records.seen import Newcomers, SeenRecords
from rondine.server.runs.actions import notify
from rondine.server.runs.calls import here, side_call, via_of
from rondine.server.runs.copying import copy_in
from rondine.server.runs.models import Body, Call, RowFailure, Run, RunCount
from rondine.server.runs.remarks import merged
from rondine.server.threads import in_database

AnyFetcher = Fetcher | RowsFetcher | RejectsFetcher
BATCH_ROWS = 20_000
#: Of the first batch, so that keeping begins soon.
FIRST_ROWS = 5_000
BATCH_SECONDS = 2.0


class Keeper:
    """Keeps the pages of one attempt at a run, as they come; None ends them. read_known: reads rows after all that were
    thought to be known.  remarks: of all pages that are kept."""

    def __init__(
        self,
        feed: PreparedFeed,
        fetcher: AnyFetcher,
        pages: asyncio.Queue[Page | None],
        pool: ThreadPoolExecutor,
        read_known: Callable[[Page], None],
    ) -> None:
        self._feed, self._fetcher, self._pages, self._pool = feed, fetcher, pages, pool
        self._read_known = read_known
        self.remarks = list(feed.remarks)
        self._calls = feed.calls
        self._seen: dict[int, SeenRecords] = {}
        #: A set that was empty is being filled.
        self._is_filling = True
        #: Of a dry run, what would become of records, by record type; and how many changes it lists.
        self._planners: dict[str, Planner] = {}
        self._planned = 0

    async def _batches(self) -> AsyncIterator[list[Page]]:
        batch: list[Page] = []
        rows, enough = 0, FIRST_ROWS
        began = asyncio.get_running_loop().time()
        while True:
            page = await self._pages.get()
            if page is not None:
                batch.append(page)
                rows += sum(mapped.rows for _, mapped, _, _ in page.mapped)
            waited = asyncio.get_running_loop().time() - began
            if batch and (page is None or rows >= enough or waited >= BATCH_SECONDS):
                yield batch
                batch, rows, enough, began = [], 0, BATCH_ROWS, asyncio.get_running_loop().time()
            if page is None:
                return

    async def keep_all(self) -> None:
        """One batch is kept while the next one is made ready."""
        loop = asyncio.get_running_loop()
        keeping: asyncio.Future[None] | None = None
        try:
            async for pages in self._batches():
                ready = partial(made_ready, self._feed, pages, as_new=self._is_filling)
                batch = await loop.run_in_executor(self._pool, ready)
                if keeping is not None:
                    await keeping
                keeping = asyncio.ensure_future(in_database(self._pool, self._keep_now, batch))
            if keeping is not None:
                await keeping
        finally:
            if keeping is not None:
                keeping.cancel()

    def close(self) -> None:
        """Lets go of what is large: the parts of a run refer to each other, so that they are there for a while."""
        self._seen.clear()
        self._planners.clear()

    def _doubted(self, batch: Batch) -> Batch:
        """Reads the rows of a batch that were thought to be known, if somebody else has changed records meanwhile;
        within its transaction."""
        recollection = self._feed.recollection
        if recollection is None or recollection.is_sound() or not any(page.known for page in batch.pages):
            return batch
        for page in batch.pages:
            if page.known:
                self._read_known(page)
        return made_ready(self._feed, batch.pages, as_new=False)

    def _keep_now(self, batch: Batch) -> None:
        """One transaction: checkpoint first (it fences), then calls, rejects, records and counts."""
        feed, now, pages = self._feed, timezone.now(), batch.pages
        with transaction.atomic():
            last = pages[-1]
            sides, self._fetcher.calls.sides = self._fetcher.calls.sides, []
            made = [page.number for page in pages if page.stored is None]
            self._calls = max([self._calls, *made, *(number for number, _ in sides)])
            checkpoint: dict[str, Any] = {"next": None, "calls": self._calls, "received": last.elements}
            if last.next is not None:
                checkpoint["next"] = {"position": last.next.position}
            if last.verdict is not None:
                checkpoint["verdict"] = last.verdict.to_json()
            if last.within is not None:  # the response is asked for again, and goes on after what is kept
                checkpoint["within"] = {"first": last.within.first, "ordinals": last.within.ordinals}
            self.remarks = merged(self.remarks, (remark for page in pages for remark in page.remarks))
            told = [one.to_json() for one in self.remarks]
            fields: dict[str, Any] = {"checkpoint": checkpoint, "remarks": told, "alive_at": now}
            if self._fetcher.announced is not None:
                fields["expected_rows"] = self._fetcher.announced
            if compared := sum(page.is_compared for page in pages):
                fields["compared"] = models.F("compared") + compared
            if feed.for_each is not None:
                done = [page for page in pages if page.row is not None]
                fields["rows_asked"] = models.F("rows_asked") + len(done)
                fields["rows_failed"] = models.F("rows_failed") + sum(page.error is not None for page in done)
                RowFailure.objects.bulk_create(row_failure(feed.run_id, page) for page in done if page.error)
            if not Run.objects.filter(pk=feed.run_id, attempt=feed.attempt, state="running").update(**fields):
                raise RunEnded(
                    f"run {feed.run_id} was cancelled or taken over",
                    where=f"run {feed.run_id}",
                    hint="nothing was kept twice",
                )
            self._keep_calls(batch, now)
            if not feed.is_dry:
                note_drift(feed, pages, now)
            Call.objects.bulk_create(
                side_call(feed.run_id, number, side, feed.connection, now) for number, side in sides
            )
            for ready in self._doubted(batch).outputs:
                self._keep_output(ready, now)
            notify(feed.run_id)

    def _keep_calls(self, batch: Batch, now: Any) -> None:
        feed = self._feed
        calls = []
        for page in batch.pages:
            if page.is_silent:
                continue
            call = Call(
                run_id=feed.run_id,
                number=page.number,
                method=page.request.method,
                url=page.request.url,
                request=http_text(page.request),
                rows=page.rows,
                error=page.error,
                at=now,
                via=via_of(feed.connection),
                by=here(),
            )
            if page.stored is not None:
                copy_call(page.stored, call)
            elif received := page.received:
                call.body = batch.bodies.get(page.number)
                call.request, call.status, call.reason, call.headers = (
                    http_text(received.request),
                    received.status,
                    received.reason[:200],
                    shown_headers(received.headers),
                )
                call.size, call.timings = received.size, timings_of(page, received, now)
                call.at = received.timings.began_at or now
            calls.append(call)
        calls = list({call.number: call for call in calls}.values())  # of the parts of a large one, the last
        Body.objects.bulk_create(batch.bodies.values())
        # a page that failed in an earlier attempt is there already, under the number it now comes again with
        Call.objects.bulk_create(
            calls,
            update_conflicts=True,
            unique_fields=["run", "number"],
            update_fields=[
                "url",
                "request",
                "status",
                "reason",
                "headers",
                "size",
                "timings",
                "rows",
                "error",
                "body",
                "at",
            ],
        )

    def _keep_output(self, ready: OutputRows, now: datetime) -> None:
        feed, name = self._feed, ready.compiled.record_type
        copy_in(ready.rejected)
        kept = self._plan(name, ready.placed) if feed.is_dry else self._keep(feed.fillings[name], ready, now)
        RunCount.objects.filter(run_id=feed.run_id, record_type=name).update(
            rows=models.F("rows") + ready.total,
            created=models.F("created") + kept.created,
            changed=models.F("changed") + kept.changed,
            unchanged=models.F("unchanged") + kept.unchanged,
            repeated=models.F("repeated") + kept.repeated,
            rejected=models.F("rejected") + len(ready.rejected),
            filtered=models.F("filtered") + ready.filtered,
        )

    def _keep(self, filling: Filling, ready: OutputRows, now: datetime) -> Kept:
        if filling.set_id not in self._seen:
            seen = self._seen[filling.set_id] = SeenRecords.of(self._feed.run_id, filling.set_id, SeenBatch.objects)
            if Record.objects.is_empty(filling.set_id):
                seen.newcomers = Newcomers()
            if self._feed.recollection is not None:
                seen.memory = self._feed.recollection.memory
        seen = self._seen[filling.set_id]
        self._is_filling = seen.newcomers is not None
        return Record.objects.keep(filling, ready.placed, now, seen, ready.known)

    def _plan(self, name: str, placed: list[PlacedRow]) -> Kept:
        if name not in self._planners:
            self._planners[name] = Planner(self._feed.fillings[name], name)
        kept, planned = self._planners[name].plan(placed, MOST_PLANNED - self._planned)
        self._planned += len(planned)
        PlannedChange.objects.bulk_create(planned, batch_size=1000)
        return kept


def timings_of(page: Page, received: Received, now: datetime) -> dict[str, float | None]:
    """Milliseconds, as of the call, until its rows were read and mapped, and until they were kept."""
    timings = received.timings.to_json()
    if page.read_at and received.timings.began:
        timings["read"] = round((page.read_at - received.timings.began) * 1000, 2)
        timings["kept"] = round((now.timestamp() - received.timings.began) * 1000, 2)
    return timings


def copy_call(stored: Call, call: Call) -> None:
    """Lets a call show the earlier one whose response was read again for it."""
    for name in ("request", "status", "reason", "headers", "size", "timings", "via", "by", "body_id"):
        setattr(call, name, getattr(stored, name))
    call.purpose = f"of run {stored.run_id}, read again"


def row_failure(run_id: int, page: Page) -> RowFailure:
    """A row that an operation was asked for in vain."""
    assert page.row is not None
    return RowFailure(
        run_id=run_id,
        row_id=page.row.id,
        key=page.row.key,
        call=None if page.is_silent else page.number,
        error=page.error,
    )
