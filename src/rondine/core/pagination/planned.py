"""What page numbers and offsets share: an announced total, pages planned ahead by it, and the signs of the last one."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any

from msgspec import Meta

from rondine.core.errors import PaginationError
from rondine.core.http.messages import Position, Response, Send, without_secrets
from rondine.core.pagination.places import check_place
from rondine.core.pagination.steps import (
    Ahead,
    Ending,
    PagedOperation,
    Pages,
    SizeInput,
    Strategy,
    Until,
    check_differs,
    too_many,
    whole_number,
)

#: A place of a number in a response.
_NumberAt = Annotated[
    str | None,
    Meta(
        description=(
            "where the number of all rows stands, a JSON Pointer, in XML an XPath: with it, all pages are planned after"
            " the first, and fetched several at a time"
        )
    ),
]


class Planned(Strategy, frozen=True):
    """Base of strategies whose pages can be asked for independently of each other."""

    total: _NumberAt = None
    total_header: Annotated[str, Meta(description="or the response header that has it, such as X-Total-Count")] = ""
    size_input: SizeInput = ""
    until: Until = "empty_page"
    max_pages: Annotated[int, Meta(ge=1, description="pages to ask for at most")] = 10_000

    def __post_init__(self) -> None:
        if self.total is not None:
            check_place(self.total)

    def wanted(self) -> dict[str, str]:
        return {"total": self.total} if self.total is not None else {}

    def announced(self, response: Response) -> int | None:
        """The number of all rows, as the response says."""
        found = whole_number(response.values.get("total"))
        return whole_number(response.header(self.total_header)) if found is None and self.total_header else found


@dataclass(slots=True)
class Plan:
    """How a strategy asks. input: that takes a page's position.  first: position.  step: from one position to the next,
    by the rows of a page.  name: of the page at a position, in words.  last: the last page's position, from a response,
    its own position and the rows of a page; None if nothing announces it."""

    input: str
    first: int
    step: Callable[[int], int]
    name: Callable[[int], str]
    last: Callable[[Response, int, int], int | None]


def ask_in_turn(strategy: Planned, plan: Plan, paged: PagedOperation, position: Position) -> Pages:
    """One page after another, until the announced last one, or one that shows by its rows that it is the last.

    A position is that of the page and the rows of a full page, as the first page showed them; 0 if it is not known yet.
    """
    asked_size = paged.number(strategy.size_input)
    at, size = position if isinstance(position, list) else [_begin(plan, paged), 0]
    before: Response | None = None
    last: int | None = None
    earlier = ""

    def ask(place: int) -> Send:
        wanted = strategy.wanted() if before is None else {}
        return Send(paged.page({plan.input: place}), wanted, [place, size])

    for count in range(1, strategy.max_pages + 1):
        response = yield ask(at)
        assert response is not None  # only an Ahead has no response
        name, rows = plan.name(at), response.rows or 0
        check_differs(response, before, name, plan.input, earlier=earlier)
        if before is None:
            size = size or rows or asked_size or 1  # a service may give fewer rows than it is asked for
            last = plan.last(response, at, size)
        is_first, before = before is None, response
        if is_first and last is not None and last > at:
            step = plan.step(size)
            _check_length(strategy, response, (last - at) // step + 1)
            yield Ahead([ask(place) for place in range(at + step, last + 1, step)])
        if last is not None and at >= last:
            return Ending(f"{name} is the last one announced", is_proven=True, pages=count)
        if last is None and not rows:
            return Ending(f"{name} has no rows", is_proven=True, pages=count)
        full = asked_size or size
        if last is None and strategy.until == "short_page" and rows < full:
            return Ending(f"{name} has {rows:,} rows, fewer than {full:,}", is_proven=False, pages=count)
        at, earlier = at + plan.step(size if last is not None else rows), name
    raise too_many(strategy.max_pages, without_secrets(paged.first.url))


def _begin(plan: Plan, paged: PagedOperation) -> int:
    found = paged.number(plan.input)
    return plan.first if found is None else found


def _check_length(strategy: Planned, response: Response, pages: int) -> None:
    if pages > strategy.max_pages:
        total: Any = strategy.announced(response)
        announced = f"{total:,} rows, " if total is not None else ""
        raise PaginationError(
            f"the service announces {announced}more than {strategy.max_pages:,} pages",
            where=without_secrets(response.url),
            hint="raise max_pages, or narrow the request",
        )
