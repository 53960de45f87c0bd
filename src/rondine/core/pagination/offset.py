"""Pagination by offset: how many rows are left out before the page."""

from typing import Annotated, ClassVar

from msgspec import Meta

from rondine.core.http.messages import Position, Response
from rondine.core.pagination.planned import Plan, Planned, ask_in_turn
from rondine.core.pagination.steps import PagedOperation, Pages


class Offset(Planned, tag="offset", frozen=True):
    """Asks for page after page by the number of rows before it."""

    INPUTS: ClassVar[tuple[str, ...]] = ("input", "size_input")

    input: Annotated[
        str,
        Meta(description="the operation's input that takes the number, or else the query parameter of this name"),
    ] = "offset"
    first: Annotated[int, Meta(ge=0, description="the first row's number, 0 or 1")] = 0

    def exchange(self, paged: PagedOperation, position: Position = None) -> Pages:
        plan = Plan(self.input, self.first, lambda size: size, lambda at: f"the page from {at:,} on", self._last)
        return ask_in_turn(self, plan, paged, position)

    def _last(self, response: Response, at: int, size: int) -> int | None:
        """The last page's offset, None if no total is announced."""
        total = self.announced(response)
        if total is None or response.rows is None:
            return None
        rows_after = total - (at - self.first)
        return at if rows_after <= 0 or not response.rows else at + (-(-rows_after // size) - 1) * size
