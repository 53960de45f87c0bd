"""Pages read and mapped. It asks neither the service nor the database, and runs in threads."""

import contextlib
import sys
from collections.abc import Callable, Hashable, Sequence
from dataclasses import replace
from threading import Lock
from typing import Any

import structlog

from rondine.core.documents import Limits, ReadDocument, format_of, read_document
from rondine.core.documents.json import duplicate_key_notes
from rondine.core.documents.reading import BodyForm, check_unpacked, form_of_body
from rondine.core.errors import DocumentError, RondineError, ServiceError
from rondine.core.http.messages import Send
from rondine.core.mapping.compile import Mapped, check_format
from rondine.core.mapping.row_encoding import encode_rows
from rondine.core.mapping.rowwise import Part, RowPlace
from rondine.core.mapping.taking import mapping_inputs
from rondine.core.operations.document import OutcomeRules
from rondine.core.operations.outcome import is_conditional, unasked_304, without_sign_in
from rondine.core.pagination.places import wanted_values
from rondine.core.protocols.classifying import classify_response, failed_by_text
from rondine.core.schema.drift import FEW_ELEMENTS, MOST_ELEMENTS
from rondine.core.signin import NoSignIn
from rondine.engine.apart import ProcessLost, ReadRows, RowsProcess, read_rows
from rondine.engine.receiving import MOST_AT_ONCE, Received
from rondine.server.feeds.drift import compared, drift_remarks, never_seen, stop_for
from rondine.server.feeds.known import KnownRows
from rondine.server.feeds.pages import GoOn, Page, PreparedFeed, where_of
from rondine.server.runs.remarks import Remark

log = structlog.get_logger("rondine.runs")
#: Bytes of a run's first response in which names are looked for that are duplicated: a service that writes them so does
#: it in every row.
LOOKED_THROUGH = 1024 * 1024
#: Elements of which one has its page compared with the schema on file, beside the first page and the last.
COMPARED_EVERY = 10_000
#: Bytes of a run after which its responses are read in a process of their own.
LONG_BYTES = 8 * 1024 * 1024
#: The engine has capped the size already; mapping follows paths and does not walk the document.
UNWALKED = Limits(size=2**31, depth=None)


class PageReader:
    """Reads the pages of one attempt at a run, several at a time; which were looked at more closely is remembered from
    one to the next."""

    def __init__(self, feed: PreparedFeed) -> None:
        self.feed = feed
        self._is_first = True
        self._lock = Lock()
        self._elements = 0
        #: Differences that were told, and fields that the mapping fills and that some row had.
        self._told: set[tuple[str, str, str]] = set()
        self._seen: set[tuple[str, str]] = set()
        #: What asks for rows of the run before; None if there is nothing to know.
        self.known: KnownRows | None = None
        self._bytes = 0
        self._process: RowsProcess | None = None
        self._is_closed = False

    def read(self, page: Page, received: Received, ask: Send) -> dict[str, Any]:
        """Reads and maps one page; runs in a thread. Raises ServiceError for a bad status, DocumentError for what is
        not JSON."""
        if not self._is_content(page, received, received.body):
            return {}
        self._look_at_first(page, received, received.body)
        found = self._read_rows(page, received, ask)
        if found is None:
            found = self._read_whole(page, received, received.body, ask)
        if self._is_turn(page.items):
            self.compare(page, FEW_ELEMENTS)
        return found

    def _read_whole(self, page: Page, received: Received, body: bytes, ask: Send) -> dict[str, Any]:
        mapping = self.feed.mapping
        read = read_document(
            body,
            media_type=received.media_type,
            charset=received.charset,
            limits=UNWALKED,
            namespaces=mapping.namespaces,
        )
        if not self._is_good(page, received, read):
            return {}
        check_format(mapping, read)
        inputs = self._inputs(page, received)
        mapped = [compiled.run(read.value, inputs) for compiled in self.feed.outputs]
        self._take(page, self._encoded(mapped, self._items_in(read, mapped)))
        return wanted_values(read, ask.wanted)

    def _items_in(self, read: ReadDocument, mapped: Sequence[Mapped]) -> int:
        """Elements of the list that the outputs go through first: what services count and page by."""
        outputs = self.feed.outputs
        if len(outputs) == 1 and len(outputs[0].levels) == 1:
            return mapped[0].rows
        return max(output.count_first(read.value) for output in outputs)

    def _look_at_first(self, page: Page, received: Received, body: bytes) -> None:
        """Looks through the beginning of the first response: for names that are duplicated, of whose values all but the
        last are lost, and for drift."""
        if not self._is_first:
            return
        self._is_first = False
        if format_of(body, received.media_type) == "json":
            doubles = duplicate_key_notes(body[:LOOKED_THROUGH].decode("utf-8", "replace"), 3)
            page.remarks += [
                Remark("duplicates", double, "tell the service's provider", page.number) for double in doubles
            ]
        self.compare(page)

    def _is_turn(self, elements: int) -> bool:
        """Whether a page is one of those that are compared between the first and the last: that of each so manieth
        element, or all of them where a difference is to stop the run."""
        comparison = self.feed.comparison
        with self._lock:
            before = self._elements
            self._elements += elements
            return comparison is not None and (
                comparison.action == "stop" or before // COMPARED_EVERY != self._elements // COMPARED_EVERY
            )

    def compare(self, page: Page, most: int = MOST_ELEMENTS) -> None:
        """Compares a page with the schema on file, once; of a large response, its first rows. Raises DriftStops if that
        is a reason to stop. most: elements of a list that are looked at."""
        comparison, received = self.feed.comparison, page.received
        if comparison is None or received is None or page.is_compared or page.is_unchanged:
            return
        read = self.read_again(received) if received.large is None else self._first_rows(received)
        if read.value is None:
            return
        page.is_compared = True
        found, seen = compared(comparison, read, sys.maxsize if comparison.action == "stop" else most)
        with self._lock:
            self._seen |= seen
            new = [one for one in found if one.drift.identity not in self._told]
            self._told |= {one.drift.identity for one in new}
        page.drift += found
        if comparison.action != "note":
            page.remarks += drift_remarks(new, comparison.on_file.name, page.number)
        stop_for(comparison, found, where_of(page))

    def unseen(self, page: Page) -> None:
        """Adds to the last page what the mapping takes and no row had that was looked at. Is right of a run from its
        first page on."""
        if self.feed.comparison is not None and self.feed.comparison.is_whole and self._elements:
            gone = {path for path, kind, _ in self._told if kind == "missing"}
            page.drift += [one for one in never_seen(self.feed.comparison, self._seen) if one.drift.path not in gone]

    def read_again(self, received: Received) -> ReadDocument:
        """All of a response, whatever the mapping wants of it; nothing, if it is empty."""
        try:
            return read_document(
                received.body,
                media_type=received.media_type,
                charset=received.charset,
                limits=UNWALKED,
                namespaces=self.feed.mapping.namespaces,
            )
        except RondineError:
            return ReadDocument(None)

    def _first_rows(self, received: Received) -> ReadDocument:
        """Of a response that is too large for memory, its first rows in their place; nothing, if it cannot be read
        so."""
        assert received.large is not None
        head = received.large.head(64 * 1024)
        form = form_of_body(head, received.media_type, received.charset)
        if self.feed.reader is None or form.format == "xml":
            return ReadDocument(None)
        try:
            return ReadDocument(self.feed.reader.first(received.large.chunks, form=form), form.format)
        except RondineError:
            return ReadDocument(None)

    def _is_content(self, page: Page, received: Received, body: bytes) -> bool:
        """Whether the status says that there is content to read. Raises ServiceError if it says that the call
        failed."""
        if received.status == 304:  # to a conditional request (RFC 9110, section 13): what was kept is as it is there
            if not is_conditional(name for name, _ in received.request.headers):
                told = unasked_304()
                raise ServiceError(told.words, where=where_of(page), hint=told.hint)
            page.is_unchanged = True
            return False
        if 200 <= received.status < 300:
            failure = failed_by_text(self.feed.operation.outcomes, body, received.charset)
            if failure is not None:
                raise ServiceError(f"{failure.words} - {failure.message}", where=where_of(page), hint=failure.hint)
            return True
        read = ReadDocument(None)
        with contextlib.suppress(RondineError):
            read = read_document(body, media_type=received.media_type, charset=received.charset)
        meaning = classify_response(self.feed.operation.outcomes, received.status, read, received.headers)
        if meaning.kind == "nothing_found":
            return False
        if received.status == 401 and isinstance(self.feed.connection.sign_in, NoSignIn):
            meaning = without_sign_in(meaning)
        raise ServiceError(
            f"the service answered {received.status}:"
            f" {meaning.words}{' - ' + meaning.message if meaning.message else ''}",
            where=where_of(page),
            hint=meaning.hint,
        )

    def _is_good(self, page: Page, received: Received, read: ReadDocument) -> bool:
        """Whether something was found. Raises ServiceError if a response of a good status says that it failed."""
        meaning = classify_response(self.feed.operation.outcomes, received.status, read, received.headers)
        if not meaning.is_good:
            raise ServiceError(f"{meaning.words} - {meaning.message}", where=where_of(page), hint=meaning.hint)
        if meaning.kind == "partial":
            page.remarks.append(Remark("partial", f"{meaning.words}: {meaning.message}", meaning.hint, page.number))
        return meaning.kind != "nothing_found"

    def _inputs(self, page: Page, received: Received) -> dict[Hashable, Any]:
        inputs = self.feed.inputs if page.inputs is None else {**self.feed.inputs, **page.inputs}
        return mapping_inputs(inputs, self.feed.standing, received.headers)

    def _encoded(self, mapped: Sequence[Mapped], items: int) -> ReadRows:
        """items: elements of the list that is read, the mapped rows are of."""
        made = zip(self.feed.outputs, mapped, strict=True)
        return ReadRows([(one, *encode_rows(compiled, one)) for compiled, one in made], items, None)

    def _take(self, page: Page, found: ReadRows) -> None:
        page.items += found.items
        for compiled, (one, rows, rejects) in zip(self.feed.outputs, found.mapped, strict=True):
            page.mapped.append((compiled, one, rows, rejects))
        page.rows += found.mapped[0][0].rows if found.mapped else 0
        page.text_hashes, page.known = found.hashes, found.known

    def _read_rows(self, page: Page, received: Received, ask: Send) -> dict[str, Any] | None:
        """Reads only what the mapping wants, row by row; None where only all of the response tells what it is."""
        reader = self.feed.reader
        if reader is None or self.feed.operation.outcomes != OutcomeRules():
            return None
        form = form_of_body(received.body, received.media_type, received.charset)
        is_xml = form.format == "xml"
        if is_xml != (self.feed.mapping.format == "xml") or (is_xml and b"Fault" in received.body):
            return None
        found = self._read_page(received.body, self._inputs(page, received), form)
        if found is None or not any(mapped.rows for mapped, *_ in found.mapped):
            return None
        if isinstance(found.around, dict) and found.around.get("errors"):
            return None
        self._take(page, found)
        return wanted_values(ReadDocument(found.around, form.format), ask.wanted)

    def _read_page(self, body: bytes, inputs: dict[Hashable, Any], form: BodyForm) -> ReadRows | None:
        feed, known = self.feed, self.known
        assert feed.reader is not None
        if feed.recollection is None or feed.recollection.memory.is_over:
            known = None
        self._bytes += len(body)
        process = self._process_up() if known is None or known.is_over else None
        if process is not None:
            try:
                return process.read(body, inputs, form, is_hashed=known is not None)
            except ProcessLost as lost:
                log.warning("a process that reads was lost", run=feed.run_id, reason=str(lost))
                self._end_process()
                self._is_closed = True
        return read_rows(feed.reader, feed.outputs, body, inputs, form, known.ids_of if known is not None else None)

    def _process_up(self) -> RowsProcess | None:
        """The process that reads for this run, once it can: of a long one, where there is a processor for it."""
        if self._process is None and self._bytes > LONG_BYTES and not self._is_closed:
            self._process = RowsProcess.started(self.feed.mapping, self.feed.record_types, self.feed.asked_for)
        process = self._process
        return process if process is not None and process.is_up else None

    def close(self) -> None:
        """From any thread: ends the process that reads, if there is one, and lets go of what was remembered."""
        self._is_closed, self.known = True, None
        self._end_process()

    def _end_process(self) -> None:
        if self._process is not None:
            process, self._process = self._process, None
            process.close()

    def read_known(self, page: Page) -> None:
        """Reads a page again, the rows too that were thought to be known."""
        received, reader = page.received, self.feed.reader
        assert received is not None and reader is not None
        form = form_of_body(received.body, received.media_type, received.charset)
        found = read_rows(reader, self.feed.outputs, received.body, self._inputs(page, received), form)
        assert found is not None  # it could be read with fewer rows
        page.mapped, page.items, page.rows = [], 0, 0
        self._take(page, found)

    def read_large(
        self, page: Page, ask: Send, start: RowPlace | None, give_on: Callable[[Page], None]
    ) -> dict[str, Any]:
        """Reads a response that is too large for memory, in parts that are given on as they come; `page` is the
        last."""
        feed, received = self.feed, page.received
        assert received is not None
        large = received.large
        chunks = large.chunks if large is not None else lambda: iter((received.body,))
        head = large.head(64 * 1024) if large is not None else received.body
        if not self._is_content(page, received, head):
            return {}
        check_unpacked(head, f"the response of call {page.number}")
        form = form_of_body(head, received.media_type, received.charset)
        self._look_at_first(page, received, head)
        if feed.reader is None or (form.format == "xml") != (feed.mapping.format == "xml"):
            if received.size > MOST_AT_ONCE:
                raise DocumentError(
                    f"the response has {received.size:,} bytes, and this mapping needs all of it at once",
                    where=where_of(page),
                    hint="let every output go through the same list first, so that it can be read row by row",
                )
            return self._read_whole(page, received, b"".join(chunks()), ask)
        reader, name = feed.reader, f"the response of call {page.number}"
        if feed.operation.outcomes != OutcomeRules() or reader.names[:1] == ("data",):
            around = ReadDocument(reader.around(chunks, form=form, name=name), form.format)
            if not self._is_good(page, received, around):
                return {}
        last: Part | None = None
        rest: list[Any] = []
        rows = 0
        page.before = start.first if start is not None else 0
        inputs = self._inputs(page, received)
        for part in reader.parts(chunks, inputs, rest, form=form, start=start, name=name):
            if last is not None:
                one = Page(page.number, page.request, replace(received, large=None), next=GoOn(ask.position))
                self._take(one, self._encoded(last.mapped, last.upto.first - page.before))
                page.before = last.upto.first
                rows = one.rows = rows + one.rows
                one.within = last.upto
                give_on(one)
            last = part
        if last is not None:
            self._take(page, self._encoded(last.mapped, last.upto.first - page.before))
        page.rows += rows
        page.around = ReadDocument(rest[0] if rest else [], form.format)
        return wanted_values(page.around, ask.wanted)
