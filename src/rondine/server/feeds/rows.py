"""One operation asked for many rows: records of another type, or values of a list; several at a time, kept in their
order, so that a run goes on behind the last row that is done. A row that fails is kept with its failure, and the others
go on."""

import asyncio
from collections import deque
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field, replace

from rondine.core.errors import RondineError, ServiceError
from rondine.core.http.messages import Request, Response, Send
from rondine.core.pagination import Ending
from rondine.engine.client import Engine
from rondine.engine.receiving import Received
from rondine.server.feeds.fetching import Fetcher, Read, RunCalls
from rondine.server.feeds.pages import AskedRow, AskedRows, GoOn, Page, PageFailed, PreparedFeed, forget
from rondine.server.runs.calls import problem_of
from rondine.server.runs.completeness import Verdict

#: How a row's last page proves that nothing of it is missing: (why it ended, the page, rows that came with it and
#: before) -> the verdict. It may take a while, and runs in a thread.
Judge = Callable[[Ending, Page, int], Awaitable[Verdict]]
_WORST = ("complete", "unknown", "incomplete")


@dataclass(slots=True)
class _RowAsked:
    """A row under way. pages: that came before its turn.  received:
    elements of the list that came with all pages but the last.  turn: has come, and pages are given on as they come."""

    row: AskedRow
    pages: list[Page] = field(default_factory=list)
    received: int = 0
    turn: asyncio.Event = field(default_factory=asyncio.Event)
    task: "asyncio.Task[Page] | None" = None


class RowsFetcher:
    """Fetches for row after row. read, give_on: as of `Fetcher`.  load: what comes after a row, from the database.

    announced: is never known.
    """

    announced: int | None = None

    def __init__(
        self,
        feed: PreparedFeed,
        rows: AskedRows,
        engine: Engine,
        read: Read,
        give_on: Callable[[Page], Awaitable[None]],
        judge: Judge,
        load: Callable[[int], Awaitable[list[AskedRow]]],
    ) -> None:
        self._feed, self._rows, self._engine, self._read, self._give_on = feed, rows, engine, read, give_on
        self._judge, self._load = judge, load
        self.calls = RunCalls(feed)
        self._asked, self._failed, self._in_a_row = rows.asked, rows.failed, 0
        self._verdict = Verdict("complete", "")
        self._under_way: deque[_RowAsked] = deque()

    async def fetch_all(self) -> tuple[Ending, Page]:
        """All pages but the last are given on; the last is given back, with its verdict on all rows. Raises PageFailed
        with the last page after so many failures in a row."""
        position = self._feed.position
        after = position if isinstance(position, int) else 0
        waiting: deque[AskedRow] = deque()
        last: Page | None = None
        is_end = False
        try:
            while True:
                while not is_end and len(self._under_way) < self._feed.parallel:
                    if not waiting:
                        waiting.extend(await self._load(after))
                        is_end = not waiting
                        continue
                    row = waiting.popleft()
                    after = row.id
                    self._begin(row)
                if not self._under_way:
                    break
                if last is not None:
                    await self._give_on(last)
                last = await self._finish(self._under_way.popleft())
                if self._in_a_row >= self._rows.stop_after:
                    words = f"{self._in_a_row} rows failed one after another, the last one with: "
                    message = words + (last.error or {}).get("message", "")
                    raise PageFailed(last, ServiceError(message, where=_told(last.row), hint="mend that; then go on"))
        finally:
            tasks = [asked.task for asked in self._under_way if asked.task is not None]
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)
        if last is None:
            last = Page(self.calls.next_number(), Request("GET", ""), is_silent=True)
        last.verdict = self._verdict_of_all()
        return Ending(last.verdict.reason, is_proven=False, pages=0), last

    def _begin(self, row: AskedRow) -> None:
        asked = _RowAsked(row)
        asked.task = asyncio.get_running_loop().create_task(self._ask(asked))
        self._under_way.append(asked)

    async def _ask(self, asked: _RowAsked) -> Page:
        """All pages of a row but the last, which is given back; with its error, if the row failed."""
        row = asked.row

        async def give_on(page: Page) -> None:
            asked.received += page.items
            if asked.turn.is_set():
                await self._give_on(self._of(row, page))
            else:
                asked.pages.append(page)

        async def read(received: Received, ask: Send, number: int) -> tuple[Page, Response]:
            if received.large is not None:
                await asked.turn.wait()
            return await self._read(received, ask, number, row.inputs)

        try:
            if row.error is not None:
                raise row.error
            feed = replace(
                self._feed,
                paged=lambda _: self._feed.paged(row.inputs),
                position=None,
                order=None,
                remember=forget,
                parallel=1,
            )
            ending, page = await Fetcher(feed, self._engine, read, give_on, self.calls).fetch_all()
        except PageFailed as failed:
            return failed.page
        except RondineError as error:
            return Page(self.calls.next_number(), Request("GET", ""), error=problem_of(error), is_silent=True)
        page.verdict = await self._judge(ending, page, asked.received + page.items)
        return page

    async def _finish(self, asked: _RowAsked) -> Page:
        """Gives on what came of a row before its turn, and its last page back when it is there."""
        while asked.pages:
            await self._give_on(self._of(asked.row, asked.pages.pop(0)))
        asked.turn.set()
        assert asked.task is not None
        page = await asked.task
        while asked.pages:  # came while the first ones were given on
            await self._give_on(self._of(asked.row, asked.pages.pop(0)))
        page.row, page.inputs, page.next = asked.row, asked.row.inputs, GoOn(asked.row.id)
        self._asked += 1
        if page.error is not None:
            self._failed, self._in_a_row = self._failed + 1, self._in_a_row + 1
        else:
            self._in_a_row = 0
            verdict, page.verdict = page.verdict, None
            if verdict is not None and _WORST.index(verdict.completeness) > _WORST.index(self._verdict.completeness):
                self._verdict = replace(verdict, reason=f"of {_told(asked.row)}: {verdict.reason}")
        return page

    def _of(self, row: AskedRow, page: Page) -> Page:
        """A page that is not its row's last: a run that stops here asks for the row again."""
        page.inputs, page.next = row.inputs, GoOn(row.id - 1)
        return page

    def _verdict_of_all(self) -> Verdict:
        if self._failed:
            words = f"{self._failed:,} of the {self._asked:,} rows that were asked for failed"
            return Verdict("incomplete", words, "look at them, and ask for these alone again")
        if self._verdict.completeness != "complete":
            return self._verdict
        return Verdict("complete", f"all {self._asked:,} rows were asked for, and the service showed the end of each")


def _told(row: AskedRow | None) -> str:
    return ", ".join(map(str, row.key)) if row is not None else ""
