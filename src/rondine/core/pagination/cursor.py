"""Pagination by a cursor: a value of each response that the next request is sent with."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar

from msgspec import Meta

from rondine.core.errors import PaginationError
from rondine.core.http.messages import Position, Response, without_secrets
from rondine.core.pagination.places import check_place
from rondine.core.pagination.steps import Ending, PagedOperation, Pages, Strategy, check_differs, send, too_many


class Cursor(Strategy, tag="cursor", frozen=True):
    """Sends each request with the cursor of the response before it, until there is none."""

    INPUTS: ClassVar[tuple[str, ...]] = ("input",)

    input: Annotated[
        str,
        Meta(description="the operation's input that takes the cursor, or else the query parameter of this name"),
    ] = "cursor"
    at: Annotated[str, Meta(description="where the next cursor stands, a JSON Pointer, in XML an XPath")] = ""
    header: Annotated[str, Meta(description="or the response header that has it")] = ""
    more: Annotated[
        str | None, Meta(description="where it says whether there are more pages: true, or anything but false and 0")
    ] = None
    max_pages: Annotated[int, Meta(ge=1, description="pages to ask for at most")] = 10_000

    def __post_init__(self) -> None:
        if bool(self.at) == bool(self.header):
            raise ValueError("a cursor stands either at a place of the body or in a header: give one of at and header")
        for place in filter(None, (self.at, self.more)):
            check_place(place)

    def wanted(self) -> dict[str, str]:
        return ({"cursor": self.at} if self.at else {}) | ({"more": self.more} if self.more is not None else {})

    def exchange(self, paged: PagedOperation, position: Position = None) -> Pages:
        return follow_cursor(paged, position, self.input, self._next, wanted=self.wanted(), max_pages=self.max_pages)

    def _next(self, response: Response) -> "Next":
        value = response.header(self.header) if self.header else response.values.get("cursor")
        if self.more is not None and "more" in response.values:
            if is_false(response.values["more"]):
                return Next(None, "the last page says that there are no more", is_told=True)
            return Next(value, "the last page has no cursor, though it says that there are more", is_broken=True)
        return Next(value, "the last page has no cursor")


@dataclass(frozen=True, slots=True)
class Next:
    """What a response says of the next page. cursor: None, empty or false for none.  ended: why there is none, in
    words.  is_told: the service said so itself.  is_broken: without a cursor, it contradicts itself."""

    cursor: Any
    ended: str
    is_told: bool = False
    is_broken: bool = False


def is_false(value: object) -> bool:
    return value in (None, False, 0, "") or (isinstance(value, str) and value.strip().lower() in ("false", "0", "no"))


def follow_cursor(
    paged: PagedOperation,
    position: Position,
    input: str,
    next_of: Callable[[Response], Next],
    *,
    wanted: dict[str, str],
    max_pages: int,
) -> Pages:
    """Raises PaginationError if a cursor comes again, is none that can be sent, or there are more than max_pages."""
    cursor: Any = position
    asked = {str(cursor)} if cursor is not None else set()
    before: Response | None = None
    where = without_secrets(paged.first.url)
    for count in range(1, max_pages + 1):
        request = paged.first if cursor is None else paged.page({input: cursor})
        response = yield from send(request, wanted, cursor)
        check_differs(response, before, f"page {count}", input)
        found = next_of(response)
        if found.cursor in (None, "", False):
            if found.is_broken:
                raise PaginationError(found.ended, where=where, hint="look at the last response, and tell its provider")
            is_later = count > 1 or position is not None
            return Ending(found.ended, is_proven=found.is_told or is_later, pages=count)
        if not isinstance(found.cursor, str | int):
            raise PaginationError(
                "the next cursor is a list or an object", where=where, hint="name the place of the cursor itself"
            )
        if str(found.cursor) in asked:
            raise PaginationError(
                "the next cursor was sent before: the service leads in a circle",
                where=where,
                hint=f'tell its provider; or the service takes no notice of "{input}"',
            )
        cursor, before = found.cursor, response
        asked.add(str(cursor))
    raise too_many(max_pages, where)
