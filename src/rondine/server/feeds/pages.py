"""A run made ready, and its pages: one response, or a part of a large one, each."""

from collections.abc import Awaitable, Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from hashlib import blake2b
from typing import Any
from uuid import UUID

from rondine.core.documents import ReadDocument
from rondine.core.errors import RondineError
from rondine.core.http.messages import Position, Request
from rondine.core.mapping.compile import CompiledOutput, Mapped
from rondine.core.mapping.coverage import Taken
from rondine.core.mapping.document import MappingDocument, RecordTypeDocument
from rondine.core.mapping.row_encoding import EncodedRow
from rondine.core.mapping.rowwise import RowPlace, RowReader
from rondine.core.operations.document import OperationDocument
from rondine.core.pagination import PagedOperation
from rondine.core.schema.drift import Drift, SchemaOnFile
from rondine.engine.client import OpenConnection
from rondine.engine.receiving import Received
from rondine.server.feeds.known import Recollection
from rondine.server.feeds.looking_after import Order
from rondine.server.records.keeping import Filling
from rondine.server.runs.calls import problem_of
from rondine.server.runs.completeness import Verdict
from rondine.server.runs.models import Call
from rondine.server.runs.remarks import Remark


async def forget(order: Order) -> None:
    """Puts nothing down."""


@dataclass(slots=True)
class PreparedFeed:
    """A run loaded: everything the loop needs, so that it asks the database for nothing."""

    run_id: int
    feed_id: UUID
    attempt: int
    project_id: int
    connection: OpenConnection
    operation: OperationDocument
    paged: Callable[[Mapping[str, Any]], PagedOperation]  # with inputs beside the run's own
    calls: int
    mapping: MappingDocument
    reader: RowReader | None
    asked_for: Sequence[str]  # of the reader: places outside of the rows
    outputs: list[CompiledOutput]
    fillings: dict[str, Filling]  # by record type
    record_types: dict[str, RecordTypeDocument]
    inputs: Mapping[str, Any]
    standing: Mapping[str, Any]
    parallel: int
    is_dry: bool
    comparison: "Comparison | None"  # None: nothing is on file
    position: Position = None  # from which an earlier attempt is gone on with
    within: RowPlace | None = None  # how far the first response was kept by an earlier attempt
    elements: int = 0  # elements of the list that is read, in what an earlier attempt kept
    remarks: list[Remark] = field(default_factory=list)  # of an earlier attempt
    for_each: "AskedRows | None" = None  # what it is called for, one after another
    rejects: "StoredRejects | None" = None  # what it reads again, in place of asking
    order: Order | None = None  # what an earlier attempt ordered
    recollection: Recollection | None = None  # None: its rows cannot be known again
    remember: Callable[[Order], Awaitable[None]] = forget  # puts an order down


@dataclass(frozen=True, slots=True)
class Comparison:
    """What responses are compared with. users: (feed, what its mapping takes), of all feeds of the operation.
    accepted: differences that are as they should be.  action: of the feed, note, warn or stop.  is_whole: of a run that
    brings all, so that what it does not see is not there."""

    on_file: SchemaOnFile
    feed: str
    users: Sequence[tuple[str, Taken]]
    accepted: Collection[tuple[str, str, str]]
    action: str
    is_whole: bool


@dataclass(frozen=True, slots=True)
class UsedDrift:
    """A difference, and which fields take what differs, with their feeds. is_ours: the feed's own mapping does."""

    drift: Drift
    used_by: tuple[str, ...]
    is_ours: bool


@dataclass(frozen=True, slots=True)
class AskedRow:
    """One of those that an operation is called for. id: to go on behind it.  key: as people know it.  inputs: that it
    fills.  error: why it cannot fill them."""

    id: int
    key: list[Any]
    inputs: Mapping[str, Any]
    error: RondineError | None = None


@dataclass(frozen=True, slots=True)
class AskedRows:
    """Those that an operation is called for. after: gives the next ones behind an id, none at the end; it asks the
    database.  stop_after: failures in a row that end the run.  asked, failed: by an earlier attempt."""

    after: Callable[[int], list[AskedRow]]
    stop_after: int
    asked: int = 0
    failed: int = 0


@dataclass(frozen=True, slots=True)
class StoredRejects:
    """Rows that a run rejected. wanted: their ordinals, by call and record type."""

    run_id: int
    wanted: Mapping[int, Mapping[str, set[int]]]


@dataclass(frozen=True, slots=True)
class GoOn:
    """There is more to ask for, from this position on."""

    position: Position


@dataclass(slots=True)
class Page:
    """One response, or a part of a large one, read and mapped. next: where a run goes on that has kept this page, None
    if it is the last.

    within: of a part that others follow, how far the response is read with it.  items: elements of the list that is
    read, of which rows may be made more or fewer; before: those in parts that were given on before.  elements: until
    here, over all pages.  around: of a large one, the document without its rows.  verdict: of the last.
    """

    number: int
    request: Request
    received: Received | None = None
    error: dict[str, Any] | None = None
    mapped: list[tuple[CompiledOutput, Mapped, list[EncodedRow], list[Any]]] = field(default_factory=list)
    text_hashes: Sequence[bytes] = ()  # of its rows, if they may be known again
    known: Sequence[tuple[int, bytes]] = ()  # rows that are kept already: (id of the record, hash of the text)
    rows: int = 0
    next: GoOn | None = None
    within: RowPlace | None = None
    items: int = 0
    before: int = 0
    elements: int = 0
    is_counted: bool = False
    around: ReadDocument | None = None
    remarks: list[Remark] = field(default_factory=list)
    is_compared: bool = False  # with the schema on file
    drift: list[UsedDrift] = field(default_factory=list)
    verdict: Verdict | None = None
    is_unchanged: bool = False  # the service says so (304)
    is_first: bool = False  # of its run
    is_silent: bool = False  # stands for no call
    stored: Call | None = None  # an earlier run's, whose response is read again
    inputs: Mapping[str, Any] | None = None  # of the row that it was asked for, if it is asked for rows
    read_at: float = 0.0  # when it was read and mapped, in seconds since 1970
    row: AskedRow | None = None  # the row that is done with this page; it failed, if the page has an error

    def fail(self, error: RondineError, position: Position) -> None:
        """Leaves nothing of it to be kept but why; the run goes on from the position."""
        self.error, self.next, self.mapped, self.rows = problem_of(error), GoOn(position), [], 0
        self.text_hashes, self.known = (), ()

    @property
    def fingerprint(self) -> bytes:
        """Of the rows in their order; empty if there are none, or if all were left out by the mapping: of these nobody
        knows whether they came before."""
        made = blake2b(digest_size=16)
        is_known = bool(self.known)
        for _, text_hash in self.known:
            made.update(text_hash)
        for _, _, rows, rejects in self.mapped:
            is_known = is_known or bool(rows) or bool(rejects)
            for row in rows:
                made.update(row.digest + row.hash)
            for reject in rejects:
                made.update(repr((reject.path, reject.row)).encode("utf-8", "surrogatepass"))
        return made.digest() if is_known else b""


class PageFailed(Exception):
    """A page that could not be had or read, and why. Ends the run; the page goes on to be kept as its last call."""

    def __init__(self, page: Page, error: RondineError) -> None:
        super().__init__(str(error))
        self.page, self.error = page, error


def where_of(page: Page) -> str:
    return f"call {page.number}: {page.request.method} {page.request.url}"
