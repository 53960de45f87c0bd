"""The run of a feed: fetch ahead | read and map, off the loop | keep, with bounded queues between."""

import asyncio
import time
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import partial
from itertools import count
from typing import Any

import structlog
from django.db import OperationalError, transaction

from rondine.core.documents import format_of
from rondine.core.errors import RondineError, RunEnded
from rondine.core.http.messages import Response, Send
from rondine.core.mapping.row_lists import has_one_list, reads_one_object, row_lists
from rondine.core.pagination import Ending
from rondine.core.pagination.signs import Signs, signs_of
from rondine.engine.client import Engine
from rondine.engine.receiving import Received
from rondine.server.feeds.ending import fail_run, finish_run
from rondine.server.feeds.fetching import Fetcher, RunCalls
from rondine.server.feeds.keeping import AnyFetcher, Keeper
from rondine.server.feeds.known import KnownBatch, KnownRows, known_batch
from rondine.server.feeds.loading import load_feed
from rondine.server.feeds.looking_after import Order
from rondine.server.feeds.pages import Page, PageFailed, PreparedFeed
from rondine.server.feeds.reading import PageReader
from rondine.server.feeds.rejects import RejectsFetcher
from rondine.server.feeds.rows import RowsFetcher
from rondine.server.records.browsing import TYPED
from rondine.server.records.models import PlannedChange, RecordSet, SeenBatch
from rondine.server.records.tasks import index_records
from rondine.server.runs.actions import is_mine, say_alive
from rondine.server.runs.calls import problem_of
from rondine.server.runs.completeness import Verdict, verdict_of
from rondine.server.runs.models import RejectedRow, Run
from rondine.server.runs.remarks import Remark
from rondine.server.threads import in_database

#: A body that ends with the connection may have broken off (RFC 9112, section 6.3), and of one value per line every
#: beginning is whole.
UNDELIMITED_LINES = Remark(
    "undelimited",
    "the response has one value, or row, a line and ended with the connection, without a length: if it broke off,"
    " nothing shows it",
    "ask the service's provider to send it with a Content-Length or chunked",
)
log = structlog.get_logger("rondine.runs")


class FeedRun:
    """One attempt at one run: what fetches, reads and keeps, joined. pool: threads for reading, mapping and keeping."""

    def __init__(self, feed: PreparedFeed, engine: Engine, pool: ThreadPoolExecutor) -> None:
        self.feed, self.pool = feed, pool
        self._loop = asyncio.get_running_loop()
        feed.remember = self._remember
        self._pages: asyncio.Queue[Page | None] = asyncio.Queue(maxsize=max(4, 2 * feed.parallel))
        self.reader = PageReader(feed)
        self.fetcher: AnyFetcher = self._fetcher(engine)
        self.keeper = Keeper(feed, self.fetcher, self._pages, pool, self.reader.read_known)
        if feed.recollection is not None:
            self.reader.known = KnownRows(feed.recollection.batches, self._known_batch)
        self._is_unchanged = False
        self._is_stopped = False
        self._within = feed.within
        self._elements = feed.elements
        #: Kinds of remarks of all pages that were given on.
        self._kinds = {remark.kind for remark in feed.remarks}
        #: Reads large responses: it may wait for what was read to be kept, and must not take the place of who keeps.
        self._large_pool = ThreadPoolExecutor(1, "large")

    def _fetcher(self, engine: Engine) -> AnyFetcher:
        if self.feed.rejects is not None:
            return RejectsFetcher(self.feed, self.feed.rejects, self.reader, self._put, self.pool)
        rows = self.feed.for_each
        if rows is None:
            return Fetcher(self.feed, engine, self._read, self._put, RunCalls(self.feed))
        load = partial(in_database, self.pool, rows.after)
        return RowsFetcher(self.feed, rows, engine, self._read, self._put, self._judge_row, load)

    def _known_batch(self, pk: int) -> KnownBatch:
        """From the thread that reads."""
        return asyncio.run_coroutine_threadsafe(in_database(self.pool, known_batch, pk), self._loop).result()

    async def _judge_row(self, ending: Ending, last: Page, received: int) -> Verdict:
        judge = partial(self._verdict, ending, last, received)
        return await asyncio.get_running_loop().run_in_executor(self.pool, judge)

    async def _remember(self, order: Order) -> None:
        """Puts down what was ordered, before it is waited for. Raises RunEnded if the run is not this worker's any
        more."""

        def put_down() -> bool:
            mine = Run.objects.filter(pk=self.feed.run_id, attempt=self.feed.attempt, state="running")
            return bool(mine.update(order={"position": order.position, "address": order.address}))

        if not await in_database(self.pool, put_down):
            raise RunEnded("it was cancelled or taken over", where=f"run {self.feed.run_id}")

    async def execute(self) -> Verdict:
        """Keeps page after page until the end, and tells whether that was all. Raises what stops it; what was kept
        until then stays."""
        keeper = asyncio.create_task(self.keeper.keep_all())
        fetcher = asyncio.create_task(self._fetch_to_the_end())
        try:
            await asyncio.wait({keeper, fetcher}, return_when=asyncio.FIRST_EXCEPTION)
            if not (keeper.done() and keeper.exception()):
                await keeper  # what was fetched before a failure is kept all the same
            return await (keeper if keeper.exception() else fetcher)  # type: ignore[return-value]
        finally:
            self._is_stopped = True
            for task in (fetcher, keeper):
                task.cancel()
            await asyncio.gather(fetcher, keeper, return_exceptions=True)
            self.reader.close()
            self.keeper.close()
            self._large_pool.shutdown(wait=False)

    async def _fetch_to_the_end(self) -> Verdict:
        try:
            ending, last = await self.fetcher.fetch_all()
            await asyncio.get_running_loop().run_in_executor(self.pool, self._compare_last, last)
            if last.verdict is None:
                judging = partial(self._judge_end, ending, last)
                last.verdict = await asyncio.get_running_loop().run_in_executor(self.pool, judging)
            await self._put(last)
        except PageFailed as failed:
            await self._put(failed.page)  # the failing call is shown with the run
            await self._pages.put(None)
            raise failed.error from failed
        except Exception:
            await self._pages.put(None)
            raise
        await self._pages.put(None)
        return last.verdict

    def _compare_last(self, last: Page) -> None:
        self.reader.compare(last)
        if self.feed.calls == 0:
            self.reader.unseen(last)

    def _judge_end(self, ending: Ending, last: Page) -> Verdict:
        """Whether the last page was the end: by the strategy's proof, and by everything else that its response
        shows."""
        self._count(last)
        return self._verdict(ending, last, self._elements)

    def _verdict(self, ending: Ending, last: Page, received: int) -> Verdict:
        """received: elements of the list that came, over all pages."""
        if last.is_unchanged or self._is_unchanged:  # no proof that all rows were seen
            return Verdict("unknown", "the service says that nothing has changed (304)")
        feed = self.feed
        return verdict_of(
            ending,
            self._signs_of(last),
            received=received if has_one_list(feed.outputs) else None,
            is_one_object=reads_one_object(feed.outputs),
            is_partial="partial" in self._kinds,
            is_delimited="undelimited" not in self._kinds,
            has_paging=feed.operation.paging is not None,
        )

    def _signs_of(self, page: Page) -> Signs:
        """What a response says of rows that are not in it."""
        received = page.received
        if received is None:
            return Signs()
        read = page.around or self.reader.read_again(received)
        lists = row_lists(self.feed.outputs)
        return signs_of(received.headers, read.value, lists, status=received.status, is_xml=read.is_xml)

    async def _put(self, page: Page) -> None:
        """Gives a page on, in the order of pages."""
        self._count(page)
        await self._pages.put(page)

    def _count(self, page: Page) -> None:
        if page.is_counted:
            return
        page.is_counted = True
        self._elements += page.items
        page.elements = self._elements
        self._kinds |= {remark.kind for remark in page.remarks}
        self._is_unchanged = self._is_unchanged or page.is_unchanged
        rejected = sum(len(rejects) for *_, rejects in page.mapped)
        if rejected and rejected == sum(mapped.rows - mapped.filtered for _, mapped, *_ in page.mapped):
            words = "all rows of a response were rejected"
            page.remarks.append(
                Remark("rejected", words, "look at the rejects; the service may have changed", page.number)
            )

    async def _read(
        self, received: Received, ask: Send, number: int, inputs: Mapping[str, Any] | None = None
    ) -> tuple[Page, Response]:
        page = Page(number, received.request, received, inputs=inputs)
        if not received.is_delimited and format_of(b"", received.media_type) in ("ndjson", "csv"):
            page.remarks.append(replace(UNDELIMITED_LINES, call=number))
        start, self._within = self._within, None
        loop = asyncio.get_running_loop()
        try:
            if received.large is not None or start is not None:
                reading = partial(self.reader.read_large, page, ask, start, partial(self._give_on, loop))
                values = await loop.run_in_executor(self._large_pool, reading)
            else:
                values = await loop.run_in_executor(self._large_pool, self.reader.read, page, received, ask)
        except RondineError as error:
            page.fail(error, ask.position)
            raise PageFailed(page, error) from error
        page.read_at = time.time()
        more = whole = ""
        if self.feed.operation.paging is not None and self.feed.operation.paging.ASKS_FOR_SIGNS:
            signs = await loop.run_in_executor(self.pool, self._signs_of, page)
            received_rows = page.before + page.items if has_one_list(self.feed.outputs) else None
            more, whole = signs.missing(received_rows), signs.proof(received_rows)
        return page, Response(
            received.status,
            received.headers,
            received.request.url,
            values,
            page.before + page.items,
            fingerprint=page.fingerprint,
            more=more,
            whole=whole,
        )

    def _give_on(self, loop: asyncio.AbstractEventLoop, page: Page) -> None:
        """From a thread: gives a part on, and waits while too much waits to be kept."""
        waiting = asyncio.run_coroutine_threadsafe(self._put(page), loop)
        while True:
            try:
                return waiting.result(1.0)
            except TimeoutError:
                if self._is_stopped:
                    waiting.cancel()
                    raise


async def carry_out_feed(run: Run, engine: Engine, pool: ThreadPoolExecutor) -> None:
    """One attempt from its checkpoint to its end; whatever happens, the run says how it ended. Raises OperationalError
    if PostgreSQL is away."""
    heart: asyncio.Task[None] | None = None
    try:
        if run.checkpoint and run.checkpoint["next"] is None:  # all was kept before the worker stopped
            held = run.checkpoint.get("verdict")
            verdict = Verdict(**held) if held else Verdict("unknown", "all pages were kept before the worker stopped")
            await in_database(pool, finish_run, run, verdict)
            return
        if run.is_dry and run.checkpoint:
            await in_database(pool, begin_anew, run)
        ready = await in_database(pool, load_feed, run)
        execution = asyncio.create_task(FeedRun(ready, engine, pool).execute())
        heart = asyncio.create_task(_beat(run, pool, execution))
        try:
            verdict = await execution
        except asyncio.CancelledError:
            task = asyncio.current_task()
            if task is not None and task.cancelling():  # the worker stops
                execution.cancel()
                raise
            raise RunEnded("it was cancelled or taken over", where=f"run {run.pk}") from None
        await in_database(pool, finish_run, run, verdict)
        if not run.is_dry:
            await in_database(pool, queue_indexes, ready)
    except RunEnded as ended:
        log.info("run ended elsewhere", run=run.pk, attempt=run.attempt, reason=ended.message)
    except RondineError as error:
        await in_database(pool, fail_run, run, problem_of(error))
    except (OperationalError, asyncio.CancelledError):
        raise
    except Exception as error:  # a fault of ours: the run says so, the log has the trace
        log.exception("run failed", run=run.pk)
        fault = {
            "code": "error",
            "message": f"Rondine failed: {type(error).__name__}",
            "where": f"run {run.pk}",
            "hint": "the log has the details; report it",
        }
        await in_database(pool, fail_run, run, fault)
    finally:
        if heart:
            heart.cancel()


def begin_anew(run: Run) -> None:
    """Lets a dry run whose worker stopped begin from its first page: what it had found out was in memory."""
    with transaction.atomic():
        numbers = dict.fromkeys(("rows_asked", "rows_failed", "compared"), 0)
        fields: dict[str, Any] = {"checkpoint": None, "remarks": [], "order": None, **numbers}
        if not Run.objects.filter(pk=run.pk, attempt=run.attempt, state="running").update(**fields):
            raise RunEnded("it was cancelled or taken over", where=f"run {run.pk}")
        for rows in (run.counts, run.calls, run.row_failures):
            rows.all().delete()
        for kept in (RejectedRow, PlannedChange, SeenBatch):
            kept.objects.filter(run_id=run.pk).delete()
    run.refresh_from_db(fields=list(fields))


async def _beat(run: Run, pool: ThreadPoolExecutor, execution: asyncio.Task[Verdict]) -> None:
    """Says now and then that the run goes on, and ends it within a second when it is no longer this worker's: it may be
    waiting for a service that takes long."""
    for second in count(1):
        await asyncio.sleep(1)
        try:
            action = say_alive if second % 5 == 0 else is_mine
            if not await in_database(pool, action, run.pk, run.attempt):
                execution.cancel()
                return
        except OperationalError:
            return


def queue_indexes(ready: PreparedFeed) -> None:
    """A job for the indexes of searchable fields that have none yet."""

    for name, filling in ready.fillings.items():
        wanted = {
            f"{field.name}:{field.type}"
            for field in ready.record_types[name].fields
            if field.searchable and field.type in TYPED
        }
        if wanted - set(RecordSet.objects.values_list("indexed", flat=True).get(pk=filling.set_id)):
            index_records.defer(set_id=filling.set_id)
