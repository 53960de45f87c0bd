"""Pagination by page number."""

from typing import Annotated, ClassVar

from msgspec import Meta

from rondine.core.http.messages import Position, Response
from rondine.core.pagination.places import check_place
from rondine.core.pagination.planned import Plan, Planned, ask_in_turn
from rondine.core.pagination.steps import PagedOperation, Pages, whole_number


class PageNumber(Planned, tag="page_number", frozen=True):
    """Asks for page after page by number."""

    INPUTS: ClassVar[tuple[str, ...]] = ("input", "size_input")

    input: Annotated[
        str,
        Meta(description="the operation's input that takes the number, or else the query parameter of this name"),
    ] = "page"
    first: Annotated[int, Meta(ge=0, description="the first page's number")] = 1
    pages: Annotated[
        str | None, Meta(description="where the number of pages stands, if that is announced in place of the total")
    ] = None

    def __post_init__(self) -> None:
        Planned.__post_init__(self)
        if self.pages is not None:
            check_place(self.pages)

    def wanted(self) -> dict[str, str]:
        return Planned.wanted(self) | ({"pages": self.pages} if self.pages is not None else {})

    def exchange(self, paged: PagedOperation, position: Position = None) -> Pages:
        plan = Plan(self.input, self.first, lambda size: 1, lambda number: f"page {number}", self._last)
        return ask_in_turn(self, plan, paged, position)

    def _last(self, response: Response, number: int, size: int) -> int | None:
        """The last page's number, None if nothing announces it."""
        pages, total = whole_number(response.values.get("pages")), self.announced(response)
        if pages is None and total is not None and response.rows is not None:
            pages = -(-total // size) if response.rows else 0
        return None if pages is None else max(self.first + pages - 1, number)
