"""Pages kept in their order, many to a batch: one transaction with their records, rejects, calls, counts and the
checkpoint behind it.

The checkpoint is written `WHERE attempt = mine`, so a worker that was thought dead can keep nothing any more.
"""

import asyncio
from collections.abc import AsyncIterator
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from typing import Any

from django.db import models, transaction
from django.utils import timezone

from rondine.core.documents import json_text
from rondine.core.errors import RunEnded
from rondine.core.http.messages import http_text, shown_headers
from rondine.core.mapping.compile import CompiledOutput
from rondine.engine.receiving import Received
from rondine.server.feeds.drift import note_drift
from rondine.server.feeds.fetching import Fetcher
from rondine.server.feeds.pages import Page, PreparedFeed
from rondine.server.feeds.rejects import RejectsFetcher
from rondine.server.feeds.rows import RowsFetcher
from rondine.server.records.keeping import Filling, Kept, PlacedRow
from rondine.server.records.models import PlannedChange, Record, SeenBatch
from rondine.server.records.planning import MOST_PLANNED, Planner
from rondine.server.records.seen import SeenRecords
from rondine.server.runs.actions import notify
from rondine.server.runs.calls import here, side_call, storable, via_of
from rondine.server.runs.models import Body, Call, RejectedRow, RowFailure, Run, RunCount
from rondine.server.runs.remarks import merged
from rondine.server.threads import in_database

AnyFetcher = Fetcher | RowsFetcher | RejectsFetcher
BATCH_ROWS = 20_000
BATCH_SECONDS = 2.0


class Keeper:
    """Keeps the pages of one attempt at a run, as they come; None ends them. remarks: of all pages that are kept."""

    def __init__(
        self, feed: PreparedFeed, fetcher: AnyFetcher, pages: asyncio.Queue[Page | None], pool: ThreadPoolExecutor
    ) -> None:
        self._feed, self._fetcher, self._pages, self._pool = feed, fetcher, pages, pool
        self.remarks = list(feed.remarks)
        self._calls = feed.calls
        self._seen: dict[int, SeenRecords] = {}
        #: Of a dry run, what would become of records, by record type; and how many changes it lists.
        self._planners: dict[str, Planner] = {}
        self._planned = 0

    async def _batches(self) -> AsyncIterator[list[Page]]:
        batch: list[Page] = []
        rows = 0
        began = asyncio.get_running_loop().time()
        while True:
            page = await self._pages.get()
            if page is not None:
                batch.append(page)
                rows += sum(mapped.rows for _, mapped, _, _ in page.mapped)
            waited = asyncio.get_running_loop().time() - began
            if batch and (page is None or rows >= BATCH_ROWS or waited >= BATCH_SECONDS):
                yield batch
                batch, rows, began = [], 0, asyncio.get_running_loop().time()
            if page is None:
                return

    async def keep_all(self) -> None:
        async for batch in self._batches():
            await in_database(self._pool, self._keep_now, batch)

    def _keep_now(self, batch: list[Page]) -> None:
        """One transaction: checkpoint first (it fences), then calls, rejects, records and counts."""
        feed, now = self._feed, timezone.now()
        with transaction.atomic():
            last = batch[-1]
            sides, self._fetcher.calls.sides = self._fetcher.calls.sides, []
            made = [page.number for page in batch if page.stored is None]
            self._calls = max([self._calls, *made, *(number for number, _ in sides)])
            checkpoint: dict[str, Any] = {"next": None, "calls": self._calls, "received": last.elements}
            if last.next is not None:
                checkpoint["next"] = {"position": last.next.position}
            if last.verdict is not None:
                checkpoint["verdict"] = last.verdict.to_json()
            if last.within is not None:  # the response is asked for again, and goes on after what is kept
                checkpoint["within"] = {"first": last.within.first, "ordinals": last.within.ordinals}
            self.remarks = merged(self.remarks, (remark for page in batch for remark in page.remarks))
            told = [one.to_json() for one in self.remarks]
            fields: dict[str, Any] = {"checkpoint": checkpoint, "remarks": told, "alive_at": now}
            if self._fetcher.announced is not None:
                fields["expected_rows"] = self._fetcher.announced
            if compared := sum(page.is_compared for page in batch):
                fields["compared"] = models.F("compared") + compared
            if feed.for_each is not None:
                done = [page for page in batch if page.row is not None]
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
                note_drift(feed, batch, now)
            Call.objects.bulk_create(
                side_call(feed.run_id, number, side, feed.connection, now) for number, side in sides
            )
            for compiled in feed.outputs:
                self._keep_output(compiled, batch, now)
            notify(feed.run_id)

    def _keep_calls(self, batch: list[Page], now: Any) -> None:
        feed = self._feed
        calls, bodies = [], []
        for page in batch:
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
                if received.body and (page.error or page.is_first or any(rejects for *_, rejects in page.mapped)):
                    call.body = Body.of(feed.project_id, received.body, received.media_type, received.charset)
                    bodies.append(call.body)
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
        Body.objects.bulk_create(bodies)
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

    def _keep_output(self, compiled: CompiledOutput, batch: list[Page], now: Any) -> None:
        feed = self._feed
        placed: list[PlacedRow] = []
        rejected: list[RejectedRow] = []
        total = filtered = 0
        for page in batch:
            for output, mapped, rows, rejects in page.mapped:
                if output is not compiled:
                    continue
                total += mapped.rows
                filtered += mapped.filtered
                placed += [PlacedRow(row, page.number) for row in rows]
                rejected += [rejected_row(feed.run_id, compiled.record_type, page.number, reject) for reject in rejects]
        filling = feed.fillings[compiled.record_type]
        RejectedRow.objects.bulk_create(rejected, batch_size=1000)
        kept = self._plan(compiled, placed) if feed.is_dry else self._keep(filling, placed, now)
        RunCount.objects.filter(run_id=feed.run_id, record_type=compiled.record_type).update(
            rows=models.F("rows") + total,
            created=models.F("created") + kept.created,
            changed=models.F("changed") + kept.changed,
            unchanged=models.F("unchanged") + kept.unchanged,
            repeated=models.F("repeated") + kept.repeated,
            rejected=models.F("rejected") + len(rejected),
            filtered=models.F("filtered") + filtered,
        )

    def _keep(self, filling: Filling, placed: list[PlacedRow], now: Any) -> Kept:
        if filling.set_id not in self._seen:
            self._seen[filling.set_id] = SeenRecords.of(self._feed.run_id, filling.set_id, SeenBatch.objects)
        return Record.objects.keep(filling, placed, now, self._seen[filling.set_id])

    def _plan(self, compiled: CompiledOutput, placed: list[PlacedRow]) -> Kept:
        name = compiled.record_type
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


def rejected_row(run_id: int, record_type: str, call: int, reject: Any) -> RejectedRow:
    row = reject.row if isinstance(reject.row, str) and not reject.path else json_text(reject.row)
    problems = [
        {"field": problem.field, "path": storable(problem.path), "reason": storable(problem.reason)}
        for problem in reject.problems
    ]
    return RejectedRow(
        run_id=run_id,
        record_type=record_type,
        call=call,
        ordinal=reject.ordinal,
        path=storable(reject.path),
        problems=problems,
        row=storable(row),
    )
