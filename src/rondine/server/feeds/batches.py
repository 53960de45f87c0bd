"""Pages made ready to be kept, many at a time: what can be done without the database is done while the batch before is
kept."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from rondine.core.documents import json_text
from rondine.core.mapping.compile import CompiledOutput
from rondine.server.feeds.pages import Page, PreparedFeed
from rondine.server.records.keeping import PlacedRow
from rondine.server.runs.calls import storable
from rondine.server.runs.models import RejectedRow


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
    pages: Sequence[Page]
    outputs: Sequence[OutputRows]


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
    return Batch(pages, list(outputs.values()))


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
