"""Rows that a run rejected, read again from the responses that were kept with it, by the mapping as it is now. Nothing
is asked of the service."""

import asyncio
from collections import defaultdict
from collections.abc import Awaitable, Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from functools import partial

from rondine.core.errors import Conflict, RondineError
from rondine.core.http.messages import Request, Send
from rondine.core.mapping.compile import Mapped
from rondine.core.mapping.document import MappingDocument
from rondine.core.pagination import Ending
from rondine.core.settings import load
from rondine.engine.receiving import Received, Timings
from rondine.server.feeds.fetching import RunCalls
from rondine.server.feeds.models import Feed
from rondine.server.feeds.moving import check_newest
from rondine.server.feeds.pages import GoOn, Page, PageFailed, PreparedFeed, StoredRejects
from rondine.server.feeds.reading import PageReader
from rondine.server.runs.actions import find_run
from rondine.server.runs.completeness import Verdict
from rondine.server.runs.models import Call, RejectedRow, Run
from rondine.server.runs.remarks import Remark
from rondine.server.threads import in_database


def check_rejects_of(feed: Feed, run_id: int, mapping: MappingDocument) -> None:
    """Raises Conflict if the rows that a run rejected cannot be read again for its feed."""
    run = find_run(feed.project, run_id)
    where = f"run {run_id}"
    if run.feed_id != feed.pk or not RejectedRow.objects.filter(run_id=run_id).exists():
        raise Conflict(
            f"no row was rejected in run {run_id} of {feed.name}", where=where, hint="run the feed as a whole"
        )
    if feed.loaded().for_each is not None:
        words = "which row each response was asked for is not kept with it"
        raise Conflict(words, where=where, hint=f"run the feed again: rondine feed run {feed.name}")
    check_newest(feed, run_id, "take the rejects of that one")
    if _rows_of(load(MappingDocument, run.content["mapping"])) != _rows_of(mapping):
        words = "the mapping takes other rows of a response than it did then"
        raise Conflict(words, where=where, hint=f"run the feed again: rondine feed run {feed.name}")


def _rows_of(mapping: MappingDocument) -> dict[str, object]:
    return {output.record_type: output.rows for output in mapping.outputs}


def stored_rejects(run: Run) -> StoredRejects | None:
    """The rows that a run is to read again; None if it is to ask for its rows."""
    of = run.content.get("only_rejects_of")
    if of is None:
        return None
    wanted: dict[int, dict[str, set[int]]] = defaultdict(lambda: defaultdict(set))
    rejected = RejectedRow.objects.filter(run_id=of).values_list("call", "record_type", "ordinal")
    for call, record_type, ordinal in rejected.iterator():
        wanted[call][record_type].add(ordinal)
    return StoredRejects(of, wanted)


class RejectsFetcher:
    """Reads kept responses again, one after another. give_on: a page, when its turn has come.

    announced: is never known.
    """

    announced: int | None = None

    def __init__(
        self,
        feed: PreparedFeed,
        stored: StoredRejects,
        reader: PageReader,
        give_on: Callable[[Page], Awaitable[None]],
        pool: ThreadPoolExecutor,
    ) -> None:
        self._feed, self._stored, self._reader, self._give_on, self._pool = feed, stored, reader, give_on, pool
        self.calls = RunCalls(feed)

    async def fetch_all(self) -> tuple[Ending, Page]:
        """All pages but the last are given on; the last is given back, with its verdict. Raises PageFailed with the
        page that cannot be read."""
        done = self._feed.position if isinstance(self._feed.position, int) else 0
        page: Page | None = None
        lost = 0
        for number in sorted(number for number in self._stored.wanted if number > done):
            call = await in_database(self._pool, self._load, number)
            if call is None or call.body is None:
                lost += sum(map(len, self._stored.wanted[number].values()))
                continue
            if page is not None:
                await self._give_on(page)
            page = await asyncio.get_running_loop().run_in_executor(self._pool, partial(self._read, call))
            page.next = GoOn(number)
        reason = f"only the rows that run {self._stored.run_id} rejected"
        last = page or Page(done, Request("GET", ""), is_silent=True)
        if lost:
            words = f"{lost:,} rejected rows cannot be read again: their responses are not kept"
            last.remarks.append(Remark("not_kept", words, "run the feed again"))
        last.next, last.verdict = None, Verdict("unknown", reason)
        return Ending(reason, is_proven=False, pages=1), last

    def _load(self, number: int) -> Call | None:
        return Call.objects.select_related("body").filter(run=self._stored.run_id, number=number).first()

    def _read(self, call: Call) -> Page:
        assert call.body is not None
        headers = tuple((name, value) for name, value in call.headers)
        request = Request(call.method, call.url)
        body = call.body.content()
        read_as = self._feed.operation.response.read_as
        received = Received(
            request, call.status or 200, call.reason, headers, body, len(body), Timings(), read_as=read_as
        )
        page = Page(call.number, request, received, stored=call, is_compared=True)
        try:
            self._reader.read(page, received, Send(request, position=call.number))
        except RondineError as error:
            page.fail(error, call.number - 1)
            raise PageFailed(page, error) from error
        self._take_wanted(page, self._stored.wanted[call.number])
        return page

    def _take_wanted(self, page: Page, wanted: Mapping[str, set[int]]) -> None:
        """Leaves the rows in the page that were rejected; of those the mapping may now leave some out."""
        taken = []
        for output, _, rows, rejects in page.mapped:
            ordinals = wanted.get(output.record_type, set())
            rows = [row for row in rows if row.ordinal in ordinals]
            rejects = [reject for reject in rejects if reject.ordinal in ordinals]
            filtered = len(ordinals) - len(rows) - len(rejects)
            taken.append((output, Mapped(len(ordinals), filtered), rows, rejects))
        page.mapped, page.rows = taken, sum(mapped.rows for _, mapped, *_ in taken)
