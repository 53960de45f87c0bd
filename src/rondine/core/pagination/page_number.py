"""Pagination by page number: pages can be addressed independently, so they can be planned and fetched several at a
time."""

from collections.abc import Collection
from dataclasses import replace
from typing import Annotated
from urllib.parse import parse_qsl, quote, urlsplit

from msgspec import Meta

from rondine.core.errors import PaginationError
from rondine.core.http.messages import QUERY_SAFE, Request, Response, without_secrets
from rondine.core.pagination.steps import Ahead, Ending, Pages, RepeatedPage, Strategy, send


class PageNumber(Strategy, tag="page_number", frozen=True):
    """Asks for page after page by number."""

    parameter: Annotated[str, Meta(description="the query parameter of the number")] = "page"
    first: Annotated[int, Meta(description="the first page's number")] = 1
    total: Annotated[
        str | None,
        Meta(
            description=(
                "JSON Pointer to the announced number of rows, with which all pages are planned after the first;"
                " without it, pages are asked for until one has no rows"
            )
        ),
    ] = None
    max_pages: Annotated[int, Meta(description="pages to ask for at most")] = 10_000

    def exchange(self, first: Request, origins: Collection[str] = ()) -> Pages:
        """One page after another. Ends at the announced number of pages, or at a page without rows."""
        number, before, last = self.number_of(first), None, None
        for count in range(1, self.max_pages + 1):
            response = yield from send(self.page(first, number), self.wanted() if before is None else {})
            if before is not None:
                self.check_differs(response, before, number)
            elif (last := self.last_page(response, number)) is not None:
                yield Ahead([self.page(first, one) for one in range(number + 1, last + 1)])
            if last is not None and number >= last:
                return Ending(f"page {last} is the last one announced", is_proven=True, pages=count)
            if last is None and not response.rows:
                return Ending(f"page {number} has no rows", is_proven=True, pages=count)
            number, before = number + 1, response
        raise PaginationError(
            f"there are more than {self.max_pages:,} pages",
            where=without_secrets(first.url),
            hint="raise max_pages, or narrow the request",
        )

    def wanted(self) -> dict[str, str]:
        return {"total": self.total} if self.total is not None else {}

    def last_page(self, response: Response, number: int) -> int | None:
        """The last page's number from the announced total and the size of this page; None if no total is announced.

        A page of a run that goes on later is not full evidence of the page size: the first page is taken for full.
        """
        total = response.values.get("total")
        if not isinstance(total, int) or isinstance(total, bool) or response.rows is None:
            return None
        if total <= 0 or response.rows == 0:
            return number
        last = self.first + -(-total // response.rows) - 1
        if last - number > self.max_pages:
            raise PaginationError(
                f"the service announces {total:,} rows, more than {self.max_pages:,} pages",
                where=without_secrets(response.url),
                hint="raise max_pages, or narrow the request",
            )
        return max(last, number)

    def check_differs(self, response: Response, before: Response, number: int) -> None:
        """Raises RepeatedPage if a page has the same rows as the one before it: the service does not look at the page
        number."""
        if response.rows and response.fingerprint and response.fingerprint == before.fingerprint:
            raise RepeatedPage(
                f"page {number} has the same rows as page {number - 1}: the service takes no notice of"
                f' "{self.parameter}"',
                where=without_secrets(response.url),
                hint="look in its documentation how it pages; what came with the first page is kept",
            )

    def page(self, request: Request, number: int) -> Request:
        """The request for one page."""
        parts = urlsplit(request.url)
        name = quote(self.parameter, safe=QUERY_SAFE)
        others = [pair for pair in parts.query.split("&") if pair and pair.partition("=")[0] != name]
        return replace(request, url=parts._replace(query="&".join([*others, f"{name}={number}"])).geturl())

    def number_of(self, request: Request) -> int:
        """The page's number in a request, the first page's if it has none."""
        text = dict(parse_qsl(urlsplit(request.url).query)).get(self.parameter, "")
        return int(text) if text.isascii() and text.isdigit() and len(text) < 10 else self.first
