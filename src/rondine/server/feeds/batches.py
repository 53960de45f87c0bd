"""Pages made ready to be kept, many at a time: what can be done without the database is done while the batch before is
kept."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from rondine.core.documents import json_text
from rondine.core.http.messages import storable_text
from rondine.core.mapping.compile import CompiledOutput
from rondine.server.feeds.pages import Page, PreparedFeed
from rondine.server.records.keeping import PlacedRow
from rondine.server.runs.models import Body, RejectedRow


@dataclass(slots=True)
class OutputRows:
    """What one output made of a batch: total = placed + known + rejected + filtered rows. known: rows that are kept
    already, as (id of the record, hash of the text)."""

    compiled: CompiledOutput
    total: int = 0
    filtered: int = 0
    placed: list[PlacedRow] = field(default_factory=list)
    known: list[tuple[int, bytes]] = field(default_factory=list)
    rejected: list[RejectedRow] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Batch:
    """bodies: of those responses that are stored, by number of the call."""

    pages: Sequence[Page]
    outputs: Sequence[OutputRows]
    bodies: Mapping[int, Body]


def made_ready(feed: PreparedFeed, pages: Sequence[Page], *, as_new: bool) -> Batch:
    """as_new: most rows will become new records, whose columns are written here."""
    outputs = {id(compiled): OutputRows(compiled) for compiled in feed.outputs}
    for page in pages:
        for compiled, mapped, rows, rejects in page.mapped:
            ready, filling = outputs[id(compiled)], feed.fillings[compiled.record_type]
            hashes = page.text_hashes
            ready.total += mapped.rows
            ready.filtered += mapped.filtered
            ready.placed += [
                PlacedRow(
                    row,
                    page.number,
                    hashes[row.ordinal] if hashes else b"",
                    filling.columns(row, page.number) if as_new else b"",
                )
                for row in rows
            ]
            ready.known += page.known
            ready.rejected += [rejected_row(feed.run_id, compiled.record_type, page.number, one) for one in rejects]
    bodies = {page.number: body for page in pages if (body := stored_body(feed.project_id, page)) is not None}
    return Batch(pages, list(outputs.values()), bodies)


def stored_body(project_id: int, page: Page) -> Body | None:
    """A response is stored if somebody will want to look at it: the first of a run, and those with failures."""
    received = page.received
    if page.stored is not None or received is None or not received.body:
        return None
    if page.error or page.is_first or any(rejects for *_, rejects in page.mapped):
        return Body.of(project_id, received.body, received.media_type, received.charset)
    return None


def rejected_row(run_id: int, record_type: str, call: int, reject: Any) -> RejectedRow:
    row = reject.row if isinstance(reject.row, str) and not reject.path else json_text(reject.row)
    problems = [
        {"field": problem.field, "path": storable_text(problem.path), "reason": storable_text(problem.reason)}
        for problem in reject.problems
    ]
    return RejectedRow(
        run_id=run_id,
        record_type=record_type,
        call=call,
        ordinal=reject.ordinal,
        path=storable_text(reject.path),
        problems=problems,
        row=storable_text(row),
    )
