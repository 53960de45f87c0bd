"""A feed's run: fetch ahead | read and map, off the loop | keep, with bounded queues between.

Pages are kept in order, many to a batch; a batch is one transaction with its records, rejects, calls, counts and the checkpoint behind it. The
checkpoint is written `WHERE attempt = mine`, so a worker that was thought dead can keep nothing any more.
"""

import asyncio
from collections.abc import AsyncIterator, Callable, Hashable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from hashlib import blake2b
from typing import Any, TypeVar

import structlog
from django.db import OperationalError, models, transaction
from django.utils import timezone

from rondine.core.documents import Limits, ReadDocument, format_of, json_text, read_document
from rondine.core.documents.elements import text_of
from rondine.core.documents.json import told_twice
from rondine.core.documents.reading import check_unpacked
from rondine.core.errors import AllRowsRejected, DocumentError, PaginationError, RondineError, RunEnded, ServiceError
from rondine.core.http.messages import Exchange, Request, Response, Send, http_text, once, origin, shown_headers
from rondine.core.items.feed import FeedDocument
from rondine.core.mapping.compile import CompiledOutput, Mapped, check_format, compile_mapping
from rondine.core.mapping.coverage import Taken
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.generated import plain_part
from rondine.core.mapping.row_lists import has_one_list, reads_one_object, row_lists
from rondine.core.mapping.rowwise import Part, RowPlace, RowReader, row_reader
from rondine.core.mapping.sealing import SealedRow, part_of_record, seal
from rondine.core.mapping.taking import given_values
from rondine.core.operations.document import OperationDocument, OutcomeRules
from rondine.core.operations.inputs import checked_inputs
from rondine.core.operations.outcome import is_conditional, unasked_304, without_sign_in
from rondine.core.pagination import Ending, OneResponse, PageNumber
from rondine.core.pagination.signs import Signs, signs_of
from rondine.core.paths import JsonPath, parse_pointer, parse_xpath, resolve
from rondine.core.protocols.judging import failed_by_text, judged
from rondine.core.protocols.rest import build_request, with_connection
from rondine.core.schema.drift import SchemaOnFile
from rondine.core.settings import load
from rondine.core.signin import NoSignIn
from rondine.engine.client import MOST_AT_ONCE, Arrival, Engine, Line, SideCall
from rondine.server.connecting.opening import connection_for, line_of, standing_values
from rondine.server.feeds.drift import drift_remarks, schema_on_file, users_of_paths
from rondine.server.records.actions import record_set_to_fill
from rondine.server.records.browsing import TYPED
from rondine.server.records.keeping import Kept, PlacedRow
from rondine.server.records.kinds import users_of_record_types
from rondine.server.records.models import Record, RecordSet, RecordType, SeenKey
from rondine.server.records.tasks import index_records
from rondine.server.runs.actions import end_run, notify, say_alive
from rondine.server.runs.calls import here, problem_of, side_call, via_of
from rondine.server.runs.completeness import Verdict, verdict_of
from rondine.server.runs.models import Body, Call, RejectedRow, Run, RunCount
from rondine.server.runs.remarks import Remark, merged, remark_of
from rondine.server.threads import in_database

T = TypeVar("T")
#: A body that ends with the connection may have broken off (RFC 9112, section 6.3), and of one value per line every beginning is whole.
UNDELIMITED_LINES = Remark(
    "undelimited",
    "the response has one value per line and ended with the connection, without a length: if it broke off, nothing shows it",
    "ask the service's provider to send it with a Content-Length or chunked",
)
BATCH_ROWS = 10_000
BATCH_SECONDS = 1.0
#: Seconds that a feed's call waits for the connection's limits, or as long as the service asks it to.
PATIENCE = 900.0
#: Bytes of a run's first response in which names are looked for that stand twice: a service that writes them so does it in every row.
LOOKED_THROUGH = 1024 * 1024
#: The engine has capped the size already; mapping follows paths and does not walk the document.
UNWALKED = Limits(size=2**31, depth=None)
log = structlog.get_logger("rondine.runs")


@dataclass(slots=True)
class ReadyFeed:
    """A run loaded: everything the loop needs, so that it asks the database for nothing."""

    run_id: int
    attempt: int
    project_id: int
    line: Line
    operation: OperationDocument
    first: Request
    calls: int
    mapping: MappingDocument
    reader: RowReader | None
    outputs: list[CompiledOutput]
    sets: dict[str, tuple[int, int]]  # record type -> (set id, version of the record type)
    record_types: dict[str, RecordTypeDocument]
    inputs: Mapping[str, Any]
    standing: Mapping[str, Any]
    parallel: int
    on_file: SchemaOnFile | None
    users: list[tuple[str, Taken]]  # (feed, what its mapping takes)
    within: RowPlace | None = None  # how far the first response was kept by an earlier attempt
    received: int = 0  # elements of the list that is read, in what an earlier attempt kept
    remarks: list[Remark] = field(default_factory=list)  # of an earlier attempt


@dataclass(slots=True)
class Page:
    """One response, or a part of a large one, read and mapped. next: the address of the page after it, None if it is the last.

    within: of a part that others follow, how far the response is read with it.  items: elements of the list that is read, of which rows may
    be made more or fewer; before: those in parts that were given on before.  received: elements until here, over all pages.  around: of a large one, the document without its rows.  verdict: of the last.
    """

    number: int
    request: Request
    arrival: Arrival | None = None
    error: dict[str, Any] | None = None
    mapped: list[tuple[CompiledOutput, Mapped, list[SealedRow], list[Any]]] = field(default_factory=list)
    rows: int = 0
    next: str | None = None
    within: RowPlace | None = None
    items: int = 0
    before: int = 0
    received: int = 0
    is_counted: bool = False
    around: ReadDocument | None = None
    remarks: list[Remark] = field(default_factory=list)
    verdict: Verdict | None = None

    @property
    def fingerprint(self) -> bytes:
        """Of the rows in their order; empty if there are none."""
        made = blake2b(digest_size=16)
        for _, _, rows, rejects in self.mapped:
            for row in rows:
                made.update(row.digest + row.hash)
            for reject in rejects:
                made.update(repr((reject.path, reject.row)).encode("utf-8", "surrogatepass"))
        return made.digest() if self.rows else b""


class PageFailed(Exception):
    """A page that could not be had or read, and why. Ends the run; the page goes on to be kept as its last call."""

    def __init__(self, page: Page, error: RondineError) -> None:
        super().__init__(str(error))
        self.page, self.error = page, error


class FeedRun:
    """One attempt at one run. pool: threads for reading, mapping and keeping."""

    def __init__(self, ready: ReadyFeed, engine: Engine, pool: ThreadPoolExecutor) -> None:
        self.ready, self.engine, self.pool = ready, engine, pool
        self._pages: asyncio.Queue[Page | None] = asyncio.Queue(maxsize=max(4, ready.parallel))
        self._number = ready.calls
        self._sides: list[tuple[int, SideCall]] = []
        self._announced: int | None = None
        self._is_unchanged = False
        self._is_stopped = False
        self._is_first = True
        self._within = ready.within
        self._received = ready.received
        self.remarks = list(ready.remarks)
        #: Kinds of remarks of all pages that were given on; those in `remarks` are of pages that are kept already.
        self._kinds = {one.kind for one in ready.remarks}
        #: Reads large responses: it may wait for what was read to be kept, and must not take the place of who keeps.
        self._large_pool = ThreadPoolExecutor(1, "large")

    async def carry_out(self) -> Verdict:
        """Keeps page after page until the end, and tells whether that was all. Raises what stops it; what was kept until then stays."""
        keeper = asyncio.create_task(self._keep_all())
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
            self._large_pool.shutdown(wait=False)

    async def _fetch_to_the_end(self) -> Verdict:
        try:
            ending, last = await self._fetch_all()
            last.verdict = await asyncio.get_running_loop().run_in_executor(self.pool, self._judge_end, ending, last)
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

    def _judge_end(self, ending: Ending, last: Page) -> Verdict:
        """Whether the last page was the end: by the strategy's proof, and by everything else that its response shows."""
        if self._is_unchanged:  # no proof that all rows were seen
            return Verdict("unknown", "the service says that nothing has changed (304)")
        self._count(last)
        ready, arrival = self.ready, last.arrival
        signs = Signs()
        if arrival is not None:
            read = last.around or self._read_again(arrival)
            signs = signs_of(
                arrival.headers, read.value, row_lists(ready.outputs), status=arrival.status, is_xml=read.is_xml
            )
        return verdict_of(
            ending,
            signs,
            received=self._received if has_one_list(ready.outputs) else None,
            is_one_object=reads_one_object(ready.outputs),
            is_partial="partial" in self._kinds,
            is_delimited="undelimited" not in self._kinds,
            has_paging=ready.operation.paging is not None,
        )

    def _read_again(self, arrival: Arrival) -> ReadDocument:
        """All of a response, whatever the mapping wants of it; nothing, if it is empty."""
        try:
            return read_document(
                arrival.body,
                media_type=arrival.media_type,
                charset=arrival.charset,
                limits=UNWALKED,
                namespaces=self.ready.mapping.namespaces,
            )
        except RondineError:
            return ReadDocument(None)

    async def _put(self, page: Page) -> None:
        """Gives a page on, in the order of pages."""
        self._count(page)
        await self._pages.put(page)

    def _count(self, page: Page) -> None:
        if page.is_counted:
            return
        page.is_counted = True
        self._received += page.items
        page.received = self._received
        self._kinds |= {one.kind for one in page.remarks}
        rejected = sum(len(rejects) for *_, rejects in page.mapped)
        if rejected and rejected == sum(mapped.rows - mapped.filtered for _, mapped, *_ in page.mapped):
            words = "all rows of a response were rejected"
            page.remarks.append(
                Remark("rejected", words, "look at the rejects; the service may have changed", page.number)
            )

    # --- fetch ahead

    async def _fetch_all(self) -> tuple[Ending, Page]:
        """All pages but the last are given on; the last is given back, with why it is the last."""
        paging = self.ready.operation.paging
        if isinstance(paging, PageNumber):
            return await self._fetch_planned(paging)
        if paging is None or isinstance(paging, OneResponse):
            page, _ = await self._fetch_one(self.ready.first, {})
            return Ending("one response was asked for", is_proven=False, pages=1), page
        line = self.ready.line
        origins = (origin(line.base_address), *line.further_origins)
        return await self._fetch_in_turn(paging.exchange(self.ready.first, origins))

    async def _fetch_in_turn(self, exchange: Exchange[Ending]) -> tuple[Ending, Page]:
        """One page after another; each is held back until the address after it is known, which is its checkpoint."""
        held: Page | None = None
        asked = self.ready.first

        def watched() -> Exchange[Ending]:
            nonlocal asked
            try:
                ask = next(exchange)
                while True:
                    asked = ask.request
                    ask = exchange.send((yield ask))
            except StopIteration as end:
                return end.value  # type: ignore[no-any-return]

        async def read(arrival: Arrival, ask: Send) -> Response:
            nonlocal held
            if held is not None:
                held.next = ask.request.url
                await self._put(held)
                held = None
            held, response = await self._read(arrival, ask, self._next_number())
            return response

        try:
            ending = await self.engine.carry(self.ready.line, watched(), read, patience=PATIENCE, witness=self._witness)
        except RondineError as error:
            was_asked = held is None or held.request.url != asked.url
            if held is not None:
                held.next = asked.url
                await self._put(held)
            if was_asked:
                raise PageFailed(
                    Page(self._next_number(), asked, error=problem_of(error), next=asked.url), error
                ) from error
            raise
        assert held is not None
        return ending, held

    async def _fetch_planned(self, paging: PageNumber) -> tuple[Ending, Page]:
        """The first page, then all others several at a time, given on in their order."""
        start = paging.number_of(self.ready.first)
        page, response = await self._fetch_one(paging.page(self.ready.first, start), paging.wanted())
        total = response.values.get("total")
        self._announced = total if isinstance(total, int) else None
        plan = paging.plan(self.ready.first, response)
        if plan is None:
            return await self._fetch_until_empty(paging, page, response, start)
        tasks: list[asyncio.Task[tuple[Page, Response]]] = []
        turns = [asyncio.Event() for _ in plan]
        try:
            for number in range(len(plan)):
                page.next = plan[number].url
                await self._put(page)
                while len(tasks) < min(len(plan), number + self.ready.parallel):
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
            request = paging.page(self.ready.first, number)
            held.next = request.url
            await self._put(held)
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
        """turn: comes when all pages before it were given on, which a large one has to wait for, as it is given on in parts."""
        number = self._next_number()
        read: list[tuple[Page, Response]] = []

        async def keep(arrival: Arrival, ask: Send) -> Response:
            if turn is not None and arrival.large is not None:
                await turn.wait()
            read.append(await self._read(arrival, Send(ask.request, wanted), number))
            return read[0][1]

        try:
            await self.engine.carry(self.ready.line, once(request), keep, patience=PATIENCE, witness=self._witness)
        except RondineError as error:
            raise PageFailed(Page(number, request, error=problem_of(error), next=request.url), error) from error
        return read[0]

    def _next_number(self) -> int:
        self._number += 1
        return self._number

    def _witness(self, side: SideCall) -> None:
        self._sides.append((self._next_number(), side))

    # --- read and map

    async def _read(self, arrival: Arrival, ask: Send, number: int) -> tuple[Page, Response]:
        page = Page(number, arrival.request, arrival)
        if not arrival.is_delimited and format_of(b"", arrival.media_type) == "ndjson":
            page.remarks.append(replace(UNDELIMITED_LINES, call=number))
        start, self._within = self._within, None
        loop = asyncio.get_running_loop()
        try:
            if arrival.large is not None or start is not None:
                reading = partial(self._read_large, page, ask, start, partial(self._give_on, loop))
                values = await loop.run_in_executor(self._large_pool, reading)
            else:
                values = await loop.run_in_executor(self.pool, self._read_now, page, arrival, ask)
        except RondineError as error:
            page.error, page.next, page.mapped, page.rows = problem_of(error), arrival.request.url, [], 0
            raise PageFailed(page, error) from error
        return page, Response(
            arrival.status,
            arrival.headers,
            arrival.request.url,
            values,
            page.before + page.items,
            fingerprint=page.fingerprint,
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

    def _read_now(self, page: Page, arrival: Arrival, ask: Send) -> dict[str, Any]:
        """Reads and maps one page; runs in a thread. Raises ServiceError for a bad status, DocumentError for what is not JSON."""
        if not self._is_content(page, arrival, arrival.body):
            return {}
        self._look_at_first(page, arrival, arrival.body)
        found = self._read_rows(page, arrival, ask)
        return self._read_whole(page, arrival, arrival.body, ask) if found is None else found

    def _read_whole(self, page: Page, arrival: Arrival, body: bytes, ask: Send) -> dict[str, Any]:
        mapping = self.ready.mapping
        read = read_document(
            body,
            media_type=arrival.media_type,
            charset=arrival.charset,
            limits=UNWALKED,
            namespaces=mapping.namespaces,
        )
        if not self._is_good(page, arrival, read):
            return {}
        check_format(mapping, read)
        given = self._given(arrival)
        mapped = [compiled.run(read.value, given) for compiled in self.ready.outputs]
        self._take(page, mapped, self._items_in(read, mapped))
        return _values(read, ask)

    def _items_in(self, read: ReadDocument, mapped: Sequence[Mapped]) -> int:
        """Elements of the list that the outputs go through first: what services count and page by."""
        outputs = self.ready.outputs
        if len(outputs) == 1 and len(outputs[0].levels) == 1:
            return mapped[0].rows
        return max(one.count_first(read.value) for one in outputs)

    def _look_at_first(self, page: Page, arrival: Arrival, body: bytes) -> None:
        """Looks through the beginning of the first response: for names that stand twice, of whose values all but the last are lost, and for drift."""
        if not self._is_first:
            return
        self._is_first = False
        if format_of(body, arrival.media_type) == "json":
            doubles = told_twice(body[:LOOKED_THROUGH].decode("utf-8", "replace"), 3)
            page.remarks += [Remark("duplicates", one, "tell the service's provider", page.number) for one in doubles]
        if self.ready.on_file is not None:
            read = self._read_again(arrival) if arrival.large is None else self._first_rows(arrival)
            if read.value is not None:
                found = self.ready.on_file.drift(read)
                page.remarks += drift_remarks(found, self.ready.on_file.name, self.ready.users, page.number)

    def _first_rows(self, arrival: Arrival) -> ReadDocument:
        """Of a response that is too large for memory, its first rows in their place; nothing, if it cannot be read so."""
        assert arrival.large is not None
        head = arrival.large.head(64 * 1024)
        of = format_of(head, arrival.media_type)
        if self.ready.reader is None or of == "xml":
            return ReadDocument(None)
        try:
            return ReadDocument(self.ready.reader.first(arrival.large.chunks, of=of, charset=arrival.charset), of)
        except RondineError:
            return ReadDocument(None)

    def _is_content(self, page: Page, arrival: Arrival, body: bytes) -> bool:
        """Whether the status says that there is content to read. Raises ServiceError if it says that the call failed."""
        if arrival.status == 304:  # to a conditional request (RFC 9110, section 13): what was kept is as it is there
            if not is_conditional(name for name, _ in arrival.request.headers):
                told = unasked_304()
                raise ServiceError(told.words, where=_where(page), hint=told.hint)
            self._is_unchanged = True
            return False
        if 200 <= arrival.status < 300:
            failure = failed_by_text(self.ready.operation.outcomes, body, arrival.charset)
            if failure is not None:
                raise ServiceError(f"{failure.words} - {failure.message}", where=_where(page), hint=failure.hint)
            return True
        read = ReadDocument(None)
        try:
            read = read_document(body, media_type=arrival.media_type, charset=arrival.charset)
        except RondineError:
            pass
        meaning = judged(self.ready.operation.outcomes, arrival.status, read, arrival.headers)
        if meaning.kind == "nothing_found":
            return False
        if arrival.status == 401 and isinstance(self.ready.line.sign_in, NoSignIn):
            meaning = without_sign_in(meaning)
        raise ServiceError(
            f"the service answered {arrival.status}: {meaning.words}{' - ' + meaning.message if meaning.message else ''}",
            where=_where(page),
            hint=meaning.hint,
        )

    def _is_good(self, page: Page, arrival: Arrival, read: ReadDocument) -> bool:
        """Whether something was found. Raises ServiceError if a response of a good status says that it failed."""
        meaning = judged(self.ready.operation.outcomes, arrival.status, read, arrival.headers)
        if not meaning.is_good:
            raise ServiceError(f"{meaning.words} - {meaning.message}", where=_where(page), hint=meaning.hint)
        if meaning.kind == "partial":
            page.remarks.append(Remark("partial", f"{meaning.words}: {meaning.message}", meaning.hint, page.number))
        return meaning.kind != "nothing_found"

    def _given(self, arrival: Arrival) -> dict[Hashable, Any]:
        return given_values(self.ready.inputs, self.ready.standing, arrival.headers)

    def _take(self, page: Page, mapped: Sequence[Mapped], items: int) -> None:
        """items: elements of the list that is read, the mapped rows are of."""
        page.items += items
        for compiled, one in zip(self.ready.outputs, mapped, strict=True):
            rows, rejects = seal(compiled, one)
            page.mapped.append((compiled, one, rows, rejects))
        page.rows += mapped[0].rows if mapped else 0

    def _read_rows(self, page: Page, arrival: Arrival, ask: Send) -> dict[str, Any] | None:
        """Reads only what the mapping wants, row by row; None where only all of the response tells what it is."""
        reader = self.ready.reader
        if reader is None or self.ready.operation.outcomes != OutcomeRules():
            return None
        of = format_of(arrival.body, arrival.media_type)
        if (of == "xml") != (self.ready.mapping.format == "xml") or (of == "xml" and b"Fault" in arrival.body):
            return None
        found = reader.page(arrival.body, self._given(arrival), of=of, charset=arrival.charset)
        if found is None or not any(one.rows for one in found[0].mapped):
            return None
        part, around = found
        if isinstance(around, dict) and around.get("errors"):
            return None
        self._take(page, part.mapped, part.upto.first)
        return _values(ReadDocument(around, of), ask)

    def _read_large(
        self, page: Page, ask: Send, start: RowPlace | None, give_on: Callable[[Page], None]
    ) -> dict[str, Any]:
        """Reads a response that is too large for memory, in parts that are given on as they come; `page` is the last."""
        ready, arrival = self.ready, page.arrival
        assert arrival is not None
        large = arrival.large
        chunks = large.chunks if large is not None else lambda: iter((arrival.body,))
        head = large.head(64 * 1024) if large is not None else arrival.body
        if not self._is_content(page, arrival, head):
            return {}
        check_unpacked(head, f"the response of call {page.number}")
        of = format_of(head, arrival.media_type)
        self._look_at_first(page, arrival, head)
        if ready.reader is None or (of == "xml") != (ready.mapping.format == "xml"):
            if arrival.size > MOST_AT_ONCE:
                raise DocumentError(
                    f"the response has {arrival.size:,} bytes, and this mapping needs all of it at once",
                    where=_where(page),
                    hint="let every output go through the same list first, so that it can be read row by row",
                )
            return self._read_whole(page, arrival, b"".join(chunks()), ask)
        reader, name = ready.reader, f"the response of call {page.number}"
        if ready.operation.outcomes != OutcomeRules() or reader.names[:1] == ("data",):
            around = ReadDocument(reader.around(chunks, of=of, charset=arrival.charset, name=name), of)
            if not self._is_good(page, arrival, around):
                return {}
        last: Part | None = None
        rest: list[Any] = []
        rows = 0
        page.before = start.first if start is not None else 0
        given = self._given(arrival)
        for part in reader.parts(chunks, given, rest, of=of, charset=arrival.charset, start=start, name=name):
            if last is not None:
                one = Page(page.number, page.request, replace(arrival, large=None), next=page.request.url)
                self._take(one, last.mapped, last.upto.first - page.before)
                page.before = last.upto.first
                rows = one.rows = rows + one.rows
                one.within = last.upto
                give_on(one)
            last = part
        if last is not None:
            self._take(page, last.mapped, last.upto.first - page.before)
        page.rows += rows
        page.around = ReadDocument(rest[0] if rest else [], of)
        return _values(page.around, ask)

    # --- keep

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

    async def _keep_all(self) -> None:
        async for batch in self._batches():
            await in_database(self.pool, self._keep_now, batch)

    def _keep_now(self, batch: list[Page]) -> None:
        """One transaction: checkpoint first (it fences), then calls, rejects, records and counts."""
        ready, now = self.ready, timezone.now()
        with transaction.atomic():
            last = batch[-1]
            sides, self._sides = self._sides, []
            calls = max([last.number, *(number for number, _ in sides)])
            checkpoint: dict[str, Any] = {"next": last.next, "calls": calls, "received": last.received}
            if last.verdict is not None:
                checkpoint["verdict"] = last.verdict.to_json()
            if last.within is not None:  # the response is asked for again, and goes on after what is kept
                checkpoint["within"] = {"first": last.within.first, "ordinals": last.within.ordinals}
            self.remarks = merged(self.remarks, (remark for page in batch for remark in page.remarks))
            told = [one.to_json() for one in self.remarks]
            fields: dict[str, Any] = {"checkpoint": checkpoint, "remarks": told, "alive_at": now}
            if self._announced is not None:
                fields["expected_rows"] = self._announced
            if not Run.objects.filter(pk=ready.run_id, attempt=ready.attempt, state="running").update(**fields):
                raise RunEnded(
                    f"run {ready.run_id} was cancelled or taken over",
                    where=f"run {ready.run_id}",
                    hint="nothing was kept twice",
                )
            self._keep_calls(batch, now)
            Call.objects.bulk_create(side_call(ready.run_id, number, side, ready.line, now) for number, side in sides)
            for compiled in ready.outputs:
                self._keep_output(compiled, batch, now)
            notify(ready.run_id)

    def _keep_calls(self, batch: list[Page], now: Any) -> None:
        ready = self.ready
        calls, bodies = [], []
        for page in batch:
            call = Call(
                run_id=ready.run_id,
                number=page.number,
                method=page.request.method,
                url=page.request.url,
                request=http_text(page.request),
                rows=page.rows,
                error=page.error,
                at=now,
                via=via_of(ready.line),
                by=here(),
            )
            if arrival := page.arrival:
                if arrival.body and (page.error or page.number == 1 or any(rejects for *_, rejects in page.mapped)):
                    call.body = Body.of(ready.project_id, arrival.body, arrival.media_type, arrival.charset)
                    bodies.append(call.body)
                call.request, call.status, call.reason, call.headers = (
                    http_text(arrival.request),
                    arrival.status,
                    arrival.reason[:200],
                    shown_headers(arrival.headers),
                )
                call.size, call.timings = arrival.size, arrival.timings.to_json()
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
        ready = self.ready
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
                rejected += [
                    rejected_row(ready.run_id, compiled.record_type, page.number, reject) for reject in rejects
                ]
        set_id, version = ready.sets[compiled.record_type]
        RejectedRow.objects.bulk_create(rejected, batch_size=1000)
        part = part_of_record(compiled, ready.record_types[compiled.record_type])
        kept: Kept = Record.objects.keep(set_id, ready.run_id, version, placed, now, part)
        RunCount.objects.filter(run_id=ready.run_id, record_type=compiled.record_type).update(
            rows=models.F("rows") + total,
            created=models.F("created") + kept.created,
            changed=models.F("changed") + kept.changed,
            unchanged=models.F("unchanged") + kept.unchanged,
            repeated=models.F("repeated") + kept.repeated,
            rejected=models.F("rejected") + len(rejected),
            filtered=models.F("filtered") + filtered,
        )


def _where(page: Page) -> str:
    return f"call {page.number}: {page.request.method} {page.request.url}"


def _values(read: ReadDocument, ask: Send) -> dict[str, Any]:
    """What a strategy asked for."""
    return {name: found for name, place in ask.wanted.items() if (found := value_at(read, place)) is not None}


def value_at(read: ReadDocument, place: str) -> Any:
    """The value at a place that a strategy asked for: a JSON Pointer, in XML an XPath; None if there is none."""
    if read.is_xml:
        nodes = parse_xpath(place).find(read.value)
        return text_of(nodes[0].value) if nodes else None
    found = resolve(read.value, parse_pointer(place))
    return found[1] if found is not None else None


def rejected_row(run_id: int, record_type: str, call: int, reject: Any) -> RejectedRow:
    row = reject.row if isinstance(reject.row, str) and not reject.path else json_text(reject.row)
    problems = [
        {"field": one.field, "path": storable(one.path), "reason": storable(one.reason)} for one in reject.problems
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


def storable(text: str) -> str:
    """Text that PostgreSQL can hold: U+0000 and half surrogates are shown escaped."""
    return text.replace("\0", "\\u0000").encode("utf-8", "backslashreplace").decode()


def load_feed(run: Run) -> ReadyFeed:
    """The run made ready from the content it was queued with. Raises what keeps it from running."""
    content = run.content
    operation: OperationDocument = load(OperationDocument, content["operation"])
    assert run.feed is not None
    line = line_of(connection_for(run.feed.operation.service, run.environment), run.feed.operation.name)
    line = replace(line, is_spooling=True)
    standing = standing_values(run.project, run.environment.name)
    values = checked_inputs(operation.inputs, run.inputs, standing)
    record_types = {name: load(RecordTypeDocument, document) for name, document in content["record_types"].items()}
    mapping: MappingDocument = load(MappingDocument, content["mapping"])
    outputs = compile_mapping(mapping, record_types)
    sets: dict[str, tuple[int, int]] = {}
    for output in outputs:
        record_type = RecordType.objects.get(project=run.project, name=output.record_type)
        sets[output.record_type] = (record_set_to_fill(run.environment, record_type).pk, record_type.version)
        RunCount.objects.get_or_create(run=run, record_type=output.record_type)
    built = build_request(operation, line.base_address, values, given=run.inputs, standing=standing)
    first = with_connection(built, line.headers, line.query).request
    calls, within, received = 0, None, 0
    if run.checkpoint and run.checkpoint["next"]:
        first = replace(first, url=run.checkpoint["next"])
        calls, received = run.checkpoint["calls"], run.checkpoint.get("received", 0)
        if found := run.checkpoint.get("within"):
            within = RowPlace(found["first"], tuple(found["ordinals"]))
    return ReadyFeed(
        run.pk,
        run.attempt,
        run.project_id,
        line,
        operation,
        first,
        calls,
        mapping,
        row_reader(mapping, outputs, _asked_for(operation, outputs)),
        outputs,
        sets,
        record_types,
        values,
        standing,
        load(FeedDocument, content["feed"]).parallel,
        schema_on_file(run, operation, mapping.namespaces),
        users_of_paths(run, mapping),
        within,
        received,
        [remark_of(one) for one in run.remarks],
    )


def _asked_for(operation: OperationDocument, outputs: Sequence[CompiledOutput]) -> list[str]:
    """The places outside of the rows that are looked at with every page: what paging goes by, and the errors of GraphQL."""
    paging = operation.paging
    places = list(paging.wanted().values()) if paging is not None else []
    return [*places, "/errors"] if any(_is_in_data(output) for output in outputs) else places


def _is_in_data(output: CompiledOutput) -> bool:
    path = output.levels[0][1]
    return isinstance(path, JsonPath) and plain_part(path)[0][:1] == ("data",)


async def carry_out_feed(run: Run, engine: Engine, pool: ThreadPoolExecutor) -> None:
    """One attempt from its checkpoint to its end; whatever happens, the run says how it ended. Raises OperationalError if PostgreSQL is away."""
    heart: asyncio.Task[None] | None = None
    try:
        if run.checkpoint and run.checkpoint["next"] is None:  # all was kept before the worker stopped
            held = run.checkpoint.get("verdict")
            verdict = Verdict(**held) if held else Verdict("unknown", "all pages were kept before the worker stopped")
            await in_database(pool, finish_run, run, verdict)
            return
        ready = await in_database(pool, load_feed, run)
        heart = asyncio.create_task(_beat(run, pool))
        feed_run = FeedRun(ready, engine, pool)
        verdict = await feed_run.carry_out()
        await in_database(pool, finish_run, run, verdict)
        await in_database(pool, queue_indexes, ready)
    except RunEnded as ended:
        log.info("run ended elsewhere", run=run.pk, attempt=run.attempt, reason=ended.message)
    except RondineError as error:
        await in_database(
            pool, end_run, run.pk, run.attempt, state="failed", ending=error.message, error=problem_of(error)
        )
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
        await in_database(pool, end_run, run.pk, run.attempt, state="failed", ending=fault["message"], error=fault)
    finally:
        if heart:
            heart.cancel()


def finish_run(run: Run, verdict: Verdict) -> None:
    """Ends a run whose pages are all kept: done, or failed if no row was good. Tells what was not seen, if it saw all."""
    counts = list(RunCount.objects.filter(run=run).order_by("record_type"))
    remarks = [remark_of(one) for one in Run.objects.values_list("remarks", flat=True).get(pk=run.pk)]
    repeated = sum(one.repeated for one in counts)
    if verdict.completeness == "complete" and repeated and run_total(run) is not None:
        words = f"{verdict.reason}, but {repeated:,} rows came more than once: as many may be missing"
        verdict = Verdict("unknown", words, "let the service sort by the key, so that its pages stand still")
    if verdict.completeness == "incomplete":
        remarks = merged([Remark("incomplete", verdict.reason, verdict.hint)], remarks)
    rejected, good = sum(one.rejected for one in counts), sum(one.rows - one.rejected - one.filtered for one in counts)
    failure = None
    if rejected and not good:
        hint = f"look at them: rondine run rejects {run.pk}; the service may have changed"
        words = f"none of the {rejected:,} rows could become a record"
        failure = problem_of(AllRowsRejected(words, where=f"run {run.pk}", hint=hint))
    elif verdict.completeness == "complete":
        remarks += [one for count in counts if (one := not_seen(run, count)) is not None]
    end_run(
        run.pk,
        run.attempt,
        state="failed" if failure else "done",
        ending=failure["message"] if failure else verdict.reason,
        completeness=verdict.completeness,
        error=failure,
        remarks=remarks,
    )
    SeenKey.objects.filter(run_id=run.pk).delete()


def run_total(run: Run) -> int | None:
    return Run.objects.values_list("expected_rows", flat=True).get(pk=run.pk)


def not_seen(run: Run, count: RunCount) -> Remark | None:
    """The kept records of a type that no row of a complete run was for; their number stands with the counts."""
    found = RecordSet.objects.filter(environment=run.environment_id, record_type__name=count.record_type)
    records = found.filter(record_type__project=run.project_id).first()
    if records is None:
        return None
    count.unseen = max(0, records.count - SeenKey.objects.filter(run_id=run.pk, set_id=records.pk).count())
    count.save(update_fields=["unseen"])
    if not count.unseen:
        return None
    feeds = users_of_record_types([records.record_type])[0]
    others = [one["name"] for one in feeds if one["kind"] == "feed" and run.feed and one["name"] != run.feed.name]
    words = f"{count.unseen:,} kept records of {count.record_type} were not among the rows; they stay as they are"
    if others:
        words += f" (other feeds fill it too: {', '.join(others[:3])})"
    if count.rejected:
        words += f"; {count.rejected:,} rows were rejected, which may be theirs"
    return Remark("unseen", words, "they may be gone at the service")


async def _beat(run: Run, pool: ThreadPoolExecutor) -> None:
    while True:
        await asyncio.sleep(5)
        try:
            await in_database(pool, say_alive, run.pk, run.attempt)
        except OperationalError:
            return


def queue_indexes(ready: ReadyFeed) -> None:
    """A job for the indexes of searchable fields that have none yet."""

    for name, (set_id, _) in ready.sets.items():
        wanted = {
            f"{field.name}:{field.type}"
            for field in ready.record_types[name].fields
            if field.searchable and field.type in TYPED
        }
        if wanted - set(RecordSet.objects.values_list("indexed", flat=True).get(pk=set_id)):
            index_records.defer(set_id=set_id)
