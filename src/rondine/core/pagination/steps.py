"""What the strategies share: what they page, how paging ends, and the rules for addresses, repeats and page numbers."""

from collections.abc import Callable, Collection, Generator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Annotated, Any, ClassVar, Literal
from urllib.parse import parse_qsl, quote, urljoin, urlsplit

from msgspec import Meta

from rondine.core.errors import InputError, PaginationError
from rondine.core.http.messages import QUERY_SAFE, Position, Request, Response, Send, origin, without_secrets
from rondine.core.settings import Document

SizeInput = Annotated[
    str,
    Meta(description="the operation's input that says how many rows a page has; left out, the first page shows it"),
]
Until = Annotated[
    Literal["empty_page", "short_page"],
    Meta(
        description=(
            "where no total is announced, what the last page is known by: one without rows, which proves it, or one"
            " with fewer rows than asked for, which saves a call and proves nothing"
        )
    ),
]


def with_query(request: Request, values: Mapping[str, Any]) -> Request:
    """The request with these query parameters, each in place of any of the same name."""
    parts = urlsplit(request.url)
    pairs = {quote(name, safe=QUERY_SAFE): quote(str(value), safe=QUERY_SAFE) for name, value in values.items()}
    others = [pair for pair in parts.query.split("&") if pair and pair.partition("=")[0] not in pairs]
    query = "&".join([*others, *(f"{name}={value}" for name, value in pairs.items())])
    return replace(request, url=parts._replace(query=query).geturl())


@dataclass(frozen=True, slots=True)
class PagedOperation:
    """An operation about to be asked for page after page.

    first: the request with the inputs' values as they were given.  inputs: these values, by name.  further_origins:
    that next pages may be on besides the first one's.  base_address: of the connection.  place: gives the request with
    other values for some inputs, put where the operation puts them; without it they are query parameters. It may raise
    InputError.
    """

    first: Request
    inputs: Mapping[str, Any] = field(default_factory=dict)
    further_origins: Collection[str] = ()
    base_address: str = ""
    place: Callable[[Mapping[str, Any]], Request] | None = None

    def page(self, values: Mapping[str, Any]) -> Request:
        """The request for one page. Raises PaginationError if an input does not take its value."""
        if not values:
            return self.first
        if self.place is None:
            return with_query(self.first, values)
        try:
            return self.place(values)
        except InputError as error:
            raise PaginationError(
                f"the next page cannot be asked for: {error.message}",
                where=f"paging of {without_secrets(self.first.url)}",
                hint="correct the type of the input that the paging sets, or the paging",
            ) from error

    def value(self, name: str) -> Any:
        """The value that an input, or a query parameter, has in the first request; None without one."""
        if name in self.inputs:
            return self.inputs[name]
        return dict(parse_qsl(urlsplit(self.first.url).query)).get(name)

    def number(self, name: str) -> int | None:
        """The same as a whole number that is not negative; None if it is something else."""
        text = str(self.value(name) if name else None)
        return int(text) if text.isascii() and text.isdigit() and len(text) < 16 else None


@dataclass(frozen=True, slots=True)
class Ending:
    """Why paging ended. is_proven: the service said that this was the last page.  missing: what says that there is
    more, in words."""

    reason: str
    is_proven: bool
    pages: int
    missing: str = ""


@dataclass(frozen=True, slots=True)
class Ahead:
    """These are what the strategy will ask for next, in this order: whoever drives it may fetch several at a time, and
    has to start with none. The reply is None."""

    asks: Sequence[Send]


class Strategy(Document, frozen=True):
    """Base of the strategies: what each has besides its `exchange`."""

    #: Whether it goes by what each response says of further rows (`Response.more`, `whole`).
    ASKS_FOR_SIGNS: ClassVar[bool] = False
    #: Whether it goes by values within the rows, so that responses have to be read whole.
    LOOKS_INTO_ROWS: ClassVar[bool] = False
    #: Its settings that name inputs.
    INPUTS: ClassVar[tuple[str, ...]] = ()

    def wanted(self) -> dict[str, str]:
        """Where the values stand that it goes by, by the names under which it is sent them: JSON Pointers, JSONPaths
        (from `$` on) or XPaths."""
        return {}

    def announced(self, response: Response) -> int | None:
        """The number of all rows, where the strategy looks for one and the response says it."""
        return None

    def inputs(self) -> dict[str, str]:
        """The inputs that it sets or reads, by the settings that name them."""
        return {name: value for name in self.INPUTS if (value := getattr(self, name))}


class RepeatedPage(PaginationError):
    """A page is the one before again: nothing of it is kept."""


#: A strategy at work: yields what it asks for, is sent the response to each Send, and comes to why it ended.
Pages = Generator[Send | Ahead, Response | None, Ending]


def send(
    request: Request, wanted: Mapping[str, str] | None = None, position: Position = None
) -> Generator[Send | Ahead, Response | None, Response]:
    """The response to one request. position: from where paging goes on with this request."""
    response = yield Send(request, wanted or {}, position)
    assert response is not None  # only an Ahead has no response
    return response


def check_differs(
    response: Response, before: Response | None, page: str, setting: str, *, earlier: str = "the page before it"
) -> None:
    """Raises RepeatedPage if a page has the same rows as the one before it: the service takes no notice of what is set.
    page, earlier: in words.  setting: the input."""
    if before is not None and response.rows and response.fingerprint and response.fingerprint == before.fingerprint:
        raise RepeatedPage(
            f'{page} has the same rows as {earlier}: the service takes no notice of "{setting}"',
            where=without_secrets(response.url),
            hint="look in its documentation how it pages; what came with the pages before is kept",
        )


def too_many(max_pages: int, where: str) -> PaginationError:
    return PaginationError(
        f"there are more than {max_pages:,} pages", where=where, hint="raise max_pages, or narrow the request"
    )


def whole_number(value: object) -> int | None:
    """A number that a response announces, also one written as text (in headers and XML it always is)."""
    if isinstance(value, int) and not isinstance(value, bool):
        return value
    text = value.strip() if isinstance(value, str) else ""
    return int(text) if text.isascii() and text.isdigit() and len(text) < 16 else None


def follow(
    paged: PagedOperation,
    next_of: Callable[[Response], str | None],
    *,
    position: Position,
    wanted: dict[str, str],
    max_pages: int,
    source: str,
    ended: str,
    is_always_told: bool = False,
    is_below_base: bool = False,
) -> Pages:
    """Follow the address that `next_of` finds in each response until there is none.

    position: the address to go on from, None for the first page.  is_always_told: a standard says that no address means
    no further page. Otherwise a single response without one proves nothing: perhaps the service does not page in this
    way at all.  is_below_base: relative addresses are meant from the connection's base address on.

    Raises PaginationError if an address leaves the first one's origin for another than the further ones (the
    credentials were given for these alone), was asked for before, or if there are more than max_pages.
    """
    request = paged.first if position is None else replace(paged.first, url=str(position))
    asked = {request.url}
    known = {origin(paged.first.url), *paged.further_origins}
    base = f"{paged.base_address.rstrip('/')}/" if is_below_base and paged.base_address else ""
    for number in range(1, max_pages + 1):
        response = yield from send(request, wanted, request.url)
        target = next_of(response)
        if target is None:
            return Ending(ended, is_proven=is_always_told or number > 1 or position is not None, pages=number)
        where = f"{source} of {without_secrets(request.url)}"
        try:
            url = urljoin(base or request.url, target)
            there = origin(url)
        except ValueError as error:
            raise PaginationError(
                f"the next page's address cannot be read: {error}", where=where, hint="tell the service's provider"
            ) from error
        if there not in known:
            raise PaginationError(
                f"the next page is on {there}, not on {origin(paged.first.url)}",
                where=where,
                hint="if that is the same service, add it to the connection's further origins, on its page or with:"
                f" rondine connection make NAME --further-origin {there}",
            )
        if url in asked:
            raise PaginationError(
                "the next page was asked for before: the service leads in a circle",
                where=where,
                hint="tell the service's provider",
            )
        asked.add(url)
        request = replace(request, url=url)
    raise too_many(max_pages, f"{source} of {without_secrets(request.url)}")
