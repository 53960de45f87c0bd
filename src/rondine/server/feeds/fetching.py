"""Pages fetched: one after another, or several ahead where they can be planned; given on in their order."""

import asyncio
from collections import deque
from collections.abc import Awaitable, Callable, Coroutine, Iterable
from dataclasses import replace
from typing import Any

from rondine.core.errors import PaginationError, RondineError
from rondine.core.http.messages import Position, Request, Response, Send
from rondine.core.http.retrying import Retries
from rondine.core.operations.document import is_reading
from rondine.core.pagination import Ahead, Ending, OneResponse, RepeatedPage
from rondine.engine.client import Engine
from rondine.engine.receiving import Received, SideCall
from rondine.server.feeds.looking_after import answer_of
from rondine.server.feeds.pages import GoOn, Page, PageFailed, PreparedFeed
from rondine.server.runs.calls import problem_of

#: Seconds that a feed's call waits for the connection's limits, or as long as the service asks it to.
PATIENCE = 900.0
#: Pages after which one more is fetched at a time, where a service had been too slow for that.
GOOD_PAGES = 10
#: (what came, what was asked for, the call's number, inputs of the row it was asked for) -> the page, and what a
#: strategy is told of it.
Read = Callable[..., Awaitable[tuple[Page, Response]]]


class RunCalls:
    """What all calls of one attempt at a run share. sides: those made on the way to others, with their numbers, that
    are not kept yet."""

    def __init__(self, feed: PreparedFeed) -> None:
        self._number = feed.calls
        self.retries = Retries(feed.connection.retrying.max_retries_of_run, reads=is_reading(feed.operation))
        self.sides: list[tuple[int, SideCall]] = []

    def next_number(self) -> int:
        self._number += 1
        return self._number


class Fetcher:
    """Fetches the pages of one attempt at a run, or of one row that it asks for. read: a response.  give_on: a page,
    when its turn has come.  paged: what is asked for, from the position on.

    announced: rows in all, as the first page says, None if it does not.
    """

    def __init__(
        self,
        feed: PreparedFeed,
        engine: Engine,
        read: Read,
        give_on: Callable[[Page], Awaitable[None]],
        calls: RunCalls,
    ) -> None:
        self._feed, self._engine, self._read, self._give_on = feed, engine, read, give_on
        self.calls = calls
        self._ahead = FetchAhead(self._fetch, feed.parallel)
        self.announced: int | None = None

    async def fetch_all(self) -> tuple[Ending, Page]:
        """All pages but the last are given on; the last is given back, with why it is the last. Raises PageFailed with
        the page that could not be fetched, PaginationError where a page cannot be followed."""
        ahead = self._ahead
        strategy = self._feed.operation.paging or OneResponse()
        pages = strategy.exchange(self._feed.paged({}), self._feed.position)
        page: Page | None = None
        position: Position = None
        try:
            ask = next(pages)
            while True:
                if isinstance(ask, Ahead):
                    ahead.will_ask(ask.asks)
                    ask = pages.send(None)
                    continue
                if page is not None:  # its checkpoint is what comes after it
                    page.next = GoOn(ask.position)
                    await self._give_on(page)
                is_first, position = page is None, ask.position
                page, response = await ahead.page(ask)
                page.is_first = is_first and not self._feed.calls
                if is_first:
                    self.announced = strategy.announced(response)
                ask = pages.send(response)
        except StopIteration as end:
            assert page is not None
            return end.value, page
        except RepeatedPage as error:
            assert page is not None
            page.fail(error, position)
            raise PageFailed(page, error) from error
        except PaginationError:
            if page is not None:  # it is sound; only what comes after it is not
                page.next = GoOn(position)
                await self._give_on(page)
            raise
        finally:
            await ahead.close()

    async def _fetch(self, ask: Send, turn: asyncio.Event) -> tuple[Page, Response]:
        """One page. turn: comes when all pages before it were given on, which a large one has to wait for, as it is
        given on in parts."""
        number = self.calls.next_number()

        def on_side_call(side: SideCall) -> None:
            """Calls are numbered as they were made: the page has the number after those on the way to it."""
            nonlocal number
            self.calls.sides.append((number, side))
            number = self.calls.next_number()
            if side.received is None or side.received.status in (429, 503):
                self._ahead.slow_down()

        async def call(send: Send) -> Received:
            return await self._engine.call(
                self._feed.connection, send, patience=PATIENCE, on_side_call=on_side_call, retries=self.calls.retries
            )

        try:
            later = self._feed.operation.later
            if later is None:
                received = await call(ask)
            else:
                order = self._feed.order if self._feed.order and self._feed.order.position == ask.position else None
                received = await answer_of(later, ask, call, on_side_call, order, self._feed.remember)
            if received.large is not None:
                await turn.wait()
            received = replace(received, read_as=self._feed.operation.response.read_as)
            return await self._read(received, ask, number)
        except RondineError as error:
            page = Page(number, ask.request, error=problem_of(error), next=GoOn(ask.position))
            raise PageFailed(page, error) from error


class FetchAhead:
    """Pages in the order in which they are asked for; those announced are fetched several at a time meanwhile."""

    def __init__(
        self, fetch: Callable[[Send, asyncio.Event], Coroutine[Any, Any, tuple[Page, Response]]], parallel: int
    ) -> None:
        self._fetch, self._parallel = fetch, parallel
        self._now, self._good = parallel, 0
        self._announced: deque[Send] = deque()
        self._under_way: deque[tuple[Request, asyncio.Event, asyncio.Task[tuple[Page, Response]]]] = deque()

    def slow_down(self) -> None:
        """The service cannot keep up, or says so: half as many at a time, and one more after each so many pages."""
        self._now, self._good = max(1, self._now // 2), 0

    def will_ask(self, asks: Iterable[Send]) -> None:
        self._announced.extend(asks)

    async def page(self, ask: Send) -> tuple[Page, Response]:
        """The page that was asked for, when all pages before it have been given on. Raises PageFailed."""
        self._good += 1
        if self._good % GOOD_PAGES == 0:
            self._now = min(self._parallel, self._now + 1)
        self._begin()
        if not self._under_way or self._under_way[0][0] != ask.request:
            turn = asyncio.Event()
            turn.set()
            return await self._fetch(ask, turn)
        _, turn, task = self._under_way[0]
        turn.set()
        try:
            return await task
        finally:
            self._under_way.popleft()

    def _begin(self) -> None:
        while self._announced and len(self._under_way) < self._now:
            ask, turn = self._announced.popleft(), asyncio.Event()
            task = asyncio.get_running_loop().create_task(self._fetch(ask, turn))
            self._under_way.append((ask.request, turn, task))

    async def close(self) -> None:
        """Ends what is under way."""
        tasks = [task for _, _, task in self._under_way]
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
