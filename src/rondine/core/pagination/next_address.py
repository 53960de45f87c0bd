"""Pagination by an address of the next page in the body."""

from typing import Annotated, Literal

from msgspec import Meta

from rondine.core.http.messages import Position, Response
from rondine.core.pagination.places import check_place
from rondine.core.pagination.steps import PagedOperation, Pages, Strategy, follow

#: OData JSON Format 4.01, section 4.5.5, and its forms of before: without it, no data is left.
_STANDARD = {"/@odata.nextLink", "/odata.nextLink", "/d/__next", "/@nextLink"}


class NextAddress(Strategy, tag="next_address", frozen=True):
    """Follows the next address in the response until it is missing, null or empty."""

    at: Annotated[str, Meta(description="JSON Pointer to the address, in XML an XPath")]
    relative_to: Annotated[
        Literal["request", "base_address"],
        Meta(description="what an address without scheme and host is meant from (RFC 3986 says the request)"),
    ] = "request"
    max_pages: Annotated[int, Meta(ge=1, description="responses to ask for at most")] = 10_000

    def __post_init__(self) -> None:
        check_place(self.at)

    def wanted(self) -> dict[str, str]:
        return {"next": self.at}

    def exchange(self, paged: PagedOperation, position: Position = None) -> Pages:
        return follow(
            paged,
            _next_of,
            position=position,
            wanted=self.wanted(),
            max_pages=self.max_pages,
            source="next address",
            ended="the last page names no next address",
            is_always_told=self.at in _STANDARD,
            is_below_base=self.relative_to == "base_address",
        )


def _next_of(response: Response) -> str | None:
    value = response.values.get("next")
    return value if isinstance(value, str) and value else None
