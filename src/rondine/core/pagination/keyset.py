"""Pagination by key: what comes after the last row that is known."""

from typing import Annotated, Any, ClassVar

from msgspec import Meta

from rondine.core.errors import PaginationError
from rondine.core.http.messages import Position, Response, without_secrets
from rondine.core.pagination.places import check_place
from rondine.core.pagination.steps import (
    Ending,
    PagedOperation,
    Pages,
    SizeInput,
    Strategy,
    Until,
    check_differs,
    send,
    too_many,
)


class Keyset(Strategy, tag="keyset", frozen=True):
    """Asks for the rows after the last one's key, until none come. The service must sort by that key."""

    LOOKS_INTO_ROWS: ClassVar[bool] = True
    INPUTS: ClassVar[tuple[str, ...]] = ("input", "size_input")

    key: Annotated[
        str,
        Meta(
            description=(
                "where the last row's key stands: a JSONPath such as $.trees[-1].number, in XML an XPath with last()"
            )
        ),
    ]
    input: Annotated[
        str,
        Meta(description="the operation's input that takes the key, or else the query parameter of this name"),
    ] = "after"
    size_input: SizeInput = ""
    until: Until = "empty_page"
    max_pages: Annotated[int, Meta(ge=1, description="pages to ask for at most")] = 10_000

    def __post_init__(self) -> None:
        check_place(self.key)

    def wanted(self) -> dict[str, str]:
        return {"key": self.key}

    def exchange(self, paged: PagedOperation, position: Position = None) -> Pages:
        key: Any = position
        before: Response | None = None
        size = paged.number(self.size_input)
        where = without_secrets(paged.first.url)
        for count in range(1, self.max_pages + 1):
            request = paged.first if key is None else paged.page({self.input: key})
            response = yield from send(request, self.wanted(), key)
            name = f"the page after {key}" if key is not None else "the first page"
            check_differs(response, before, name, self.input)
            rows = response.rows or 0
            size = size or rows
            if not rows:
                return Ending(f"{name} has no rows", is_proven=True, pages=count)
            if self.until == "short_page" and rows < size:
                return Ending(f"{name} has {rows:,} rows, fewer than {size:,}", is_proven=False, pages=count)
            following = response.values.get("key")
            if not isinstance(following, str | int) or following == "" or isinstance(following, bool):
                raise PaginationError(
                    f"the last row of {name} has no key at {self.key}",
                    where=where,
                    hint="name the place of the last row's key; it must be a text or a whole number",
                )
            if str(following) == str(key):
                raise PaginationError(
                    f"the key of the last row stays {key}: the service gives the same row again",
                    where=where,
                    hint=f'"{self.input}" may mean from this key on, and not after it; look in its documentation',
                )
            key, before = following, response
        raise too_many(self.max_pages, where)
