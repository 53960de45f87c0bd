"""Pagination by an address of the next page in the body."""

from collections.abc import Collection
from typing import Annotated

from msgspec import Meta

from rondine.core.errors import PathError
from rondine.core.http.messages import Request, Response
from rondine.core.pagination.steps import Pages, Strategy, follow
from rondine.core.paths import parse_pointer, parse_xpath

#: OData JSON Format 4.01, section 4.5.5, and its forms of before: without it, no data is left.
_STANDARD = {"/@odata.nextLink", "/odata.nextLink", "/d/__next", "/@nextLink"}


class NextAddress(Strategy, tag="next_address", frozen=True):
    """Follows the next address in the response until it is missing, null or empty."""

    at: Annotated[str, Meta(description="JSON Pointer to the address, in XML an XPath")]
    max_pages: Annotated[int, Meta(description="responses to ask for at most")] = 10_000

    def __post_init__(self) -> None:
        try:
            parse_pointer(self.at)
        except PathError as error:
            try:
                parse_xpath(self.at)
            except PathError:
                raise ValueError(str(error)) from error

    def wanted(self) -> dict[str, str]:
        return {"next": self.at}

    def exchange(self, first: Request, origins: Collection[str] = ()) -> Pages:
        return follow(
            first,
            _next_of,
            wanted=self.wanted(),
            max_pages=self.max_pages,
            origins=origins,
            source="next address",
            ended="the last page names no next address",
            is_always_told=self.at in _STANDARD,
        )


def _next_of(response: Response) -> str | None:
    value = response.values.get("next")
    return value if isinstance(value, str) and value else None
