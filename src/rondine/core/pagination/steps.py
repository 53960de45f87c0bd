"""What the strategies share: how paging ends, and the one rule for following an address."""

from collections.abc import Callable, Collection, Generator, Mapping, Sequence
from dataclasses import dataclass, replace
from urllib.parse import urljoin

from rondine.core.errors import PaginationError
from rondine.core.http.messages import Request, Response, Send, origin, without_secrets
from rondine.core.settings import Document


@dataclass(frozen=True, slots=True)
class Ending:
    """Why paging ended. is_proven: the service said that this was the last page."""

    reason: str
    is_proven: bool
    pages: int


@dataclass(frozen=True, slots=True)
class Ahead:
    """These are what the next Sends will ask for, in this order: whoever drives the strategy may fetch several at a
    time, and has to start with none. The reply is None."""

    requests: Sequence[Request]


class Strategy(Document, frozen=True):
    """Base of the strategies: what each has besides its `exchange`."""

    def wanted(self) -> dict[str, str]:
        """JSON Pointers (XPaths in XML) of the values that it goes by, by the names under which it is sent them."""
        return {}


class RepeatedPage(PaginationError):
    """A page is the one before again: nothing of it is kept."""


#: A strategy at work: yields what it asks for, is sent the response to each Send, and comes to why it ended.
Pages = Generator[Send | Ahead, Response | None, Ending]


def send(
    request: Request, wanted: Mapping[str, str] | None = None
) -> Generator[Send | Ahead, Response | None, Response]:
    """The response to one request."""
    response = yield Send(request, wanted or {})
    assert response is not None  # only an Ahead has no response
    return response


def follow(
    first: Request,
    next_of: Callable[[Response], str | None],
    *,
    wanted: dict[str, str],
    max_pages: int,
    source: str,
    ended: str,
    is_always_told: bool = False,
    origins: Collection[str] = (),
) -> Pages:
    """Follow the address that `next_of` finds in each response until there is none.

    is_always_told: a standard says that no address means no further page. Otherwise a single response without one
    proves nothing: perhaps the service does not page in this way at all.

    Raises PaginationError if an address leaves the first one's origin for another than `origins` (the credentials were
    given for these alone), was asked for before, or if there are more than max_pages.
    """
    request, asked = first, {first.url}
    known = {origin(first.url), *origins}
    for number in range(1, max_pages + 1):
        response = yield from send(request, wanted)
        target = next_of(response)
        if target is None:
            return Ending(ended, is_proven=is_always_told or number > 1, pages=number)
        where = f"{source} of {without_secrets(request.url)}"
        try:
            url = urljoin(request.url, target)
            there = origin(url)
        except ValueError as error:
            raise PaginationError(
                f"the next page's address cannot be read: {error}", where=where, hint="tell the service's provider"
            ) from error
        if there not in known:
            raise PaginationError(
                f"the next page is on {there}, not on {origin(first.url)}",
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
    raise PaginationError(
        f"there are more than {max_pages:,} pages",
        where=f"{source} of {without_secrets(request.url)}",
        hint="raise max_pages, or narrow the request",
    )
