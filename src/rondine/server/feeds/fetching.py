"""Pages fetched: one after another, or several ahead where they can be planned; given on in their order."""

import asyncio
from collections.abc import Awaitable, Callable

from rondine.core.errors import PaginationError, RondineError
from rondine.core.http.messages import Exchange, Request, Response, Send, once, origin
from rondine.core.pagination import Ending, OneResponse, PageNumber
from rondine.engine.client import Engine, Received, SideCall
from rondine.server.feeds.pages import Page, PageFailed, PreparedFeed
from rondine.server.runs.calls import problem_of

#: Seconds that a feed's call waits for the connection's limits, or as long as the service asks it to.
PATIENCE = 900.0
#: (what came, what was asked for, the call's number) -> the page, and what a strategy is told of it.
Read = Callable[[Received, Send, int], Awaitable[tuple[Page, Response]]]


class Fetcher:
    """Fetches the pages of one attempt at a run. read: a response.  give_on: a page, when its turn has come.

    announced: rows in all, as the first page says, None if it does not.  sides: calls made on the way to others, with
    their numbers.
    """

    def __init__(
        self, feed: PreparedFeed, engine: Engine, read: Read, give_on: Callable[[Page], Awaitable[None]]
    ) -> None:
        self._feed, self._engine, self._read, self._give_on = feed, engine, read, give_on
        self._number = feed.calls
        self.announced: int | None = None
        self.sides: list[tuple[int, SideCall]] = []

    async def fetch_all(self) -> tuple[Ending, Page]:
        """All pages but the last are given on; the last is given back, with why it is the last."""
        paging = self._feed.operation.paging
        if isinstance(paging, PageNumber):
            return await self._fetch_planned(paging)
        if paging is None or isinstance(paging, OneResponse):
            page, _ = await self._fetch_one(self._feed.first, {})
            return Ending("one response was asked for", is_proven=False, pages=1), page
        connection = self._feed.connection
        origins = (origin(connection.base_address), *connection.further_origins)
        return await self._fetch_in_turn(paging.exchange(self._feed.first, origins))

    async def _fetch_in_turn(self, exchange: Exchange[Ending]) -> tuple[Ending, Page]:
        """One page after another; each is held back until the address after it is known, which is its checkpoint."""
        held: Page | None = None
        asked = self._feed.first

        def watched() -> Exchange[Ending]:
            nonlocal asked
            try:
                ask = next(exchange)
                while True:
                    asked = ask.request
                    ask = exchange.send((yield ask))
            except StopIteration as end:
                return end.value

        async def read(received: Received, ask: Send) -> Response:
            nonlocal held
            if held is not None:
                held.next = ask.request.url
                await self._give_on(held)
                held = None
            held, response = await self._read(received, ask, self._next_number())
            return response

        try:
            ending = await self._engine.run_exchange(
                self._feed.connection, watched(), read, patience=PATIENCE, on_side_call=self._on_side_call
            )
        except RondineError as error:
            was_asked = held is None or held.request.url != asked.url
            if held is not None:
                held.next = asked.url
                await self._give_on(held)
            if was_asked:
                raise PageFailed(
                    Page(self._next_number(), asked, error=problem_of(error), next=asked.url), error
                ) from error
            raise
        assert held is not None
        return ending, held

    async def _fetch_planned(self, paging: PageNumber) -> tuple[Ending, Page]:
        """The first page, then all others several at a time, given on in their order."""
        start = paging.number_of(self._feed.first)
        page, response = await self._fetch_one(paging.page(self._feed.first, start), paging.wanted())
        total = response.values.get("total")
        self.announced = total if isinstance(total, int) else None
        plan = paging.plan(self._feed.first, response)
        if plan is None:
            return await self._fetch_until_empty(paging, page, response, start)
        tasks: list[asyncio.Task[tuple[Page, Response]]] = []
        turns = [asyncio.Event() for _ in plan]
        try:
            for number in range(len(plan)):
                page.next = plan[number].url
                await self._give_on(page)
                while len(tasks) < min(len(plan), number + self._feed.parallel):
                    tasks.append(asyncio.create_task(self._fetch_one(plan[len(tasks)], {}, turns[len(tasks)])))
                turns[number].set()
                before = response
                page, response = await tasks[number]
                self._check_differs(paging, page, response, before, start + number + 1)
        finally:
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)
        return Ending(f"page {start + len(plan)} is the last one announced", is_proven=True, pages=len(plan) + 1), page

    async def _fetch_until_empty(
        self, paging: PageNumber, held: Page, response: Response, number: int
    ) -> tuple[Ending, Page]:
        for pages in range(1, paging.max_pages + 1):
            if not response.rows:
                return Ending(f"page {number} has no rows", is_proven=True, pages=pages), held
            number += 1
            request = paging.page(self._feed.first, number)
            held.next = request.url
            await self._give_on(held)
            before = response
            held, response = await self._fetch_one(request, {})
            self._check_differs(paging, held, response, before, number)
        raise PaginationError(
            f"there are more than {paging.max_pages:,} pages",
            where=f"page {number}",
            hint="raise max_pages, or narrow the request",
        )

    def _check_differs(self, paging: PageNumber, page: Page, response: Response, before: Response, number: int) -> None:
        """Raises PageFailed, with nothing of the page to keep, if it is the one before again."""
        try:
            paging.check_differs(response, before, number)
        except PaginationError as error:
            page.error, page.next, page.mapped, page.rows = problem_of(error), page.request.url, [], 0
            raise PageFailed(page, error) from error

    async def _fetch_one(
        self, request: Request, wanted: dict[str, str], turn: asyncio.Event | None = None
    ) -> tuple[Page, Response]:
        """turn: comes when all pages before it were given on, which a large one has to wait for, as it is given on in
        parts."""
        number = self._next_number()
        read: list[tuple[Page, Response]] = []

        async def keep(received: Received, ask: Send) -> Response:
            if turn is not None and received.large is not None:
                await turn.wait()
            read.append(await self._read(received, Send(ask.request, wanted), number))
            return read[0][1]

        try:
            await self._engine.run_exchange(
                self._feed.connection, once(request), keep, patience=PATIENCE, on_side_call=self._on_side_call
            )
        except RondineError as error:
            raise PageFailed(Page(number, request, error=problem_of(error), next=request.url), error) from error
        return read[0]

    def _next_number(self) -> int:
        self._number += 1
        return self._number

    def _on_side_call(self, side: SideCall) -> None:
        self.sides.append((self._next_number(), side))
