"""Pagination of a GraphQL connection (GraphQL Cursor Connections Specification, "Connection Types")."""

from typing import Annotated, ClassVar

from msgspec import Meta

from rondine.core.http.messages import Position, Response
from rondine.core.pagination.cursor import Next, follow_cursor, is_false
from rondine.core.pagination.places import check_place
from rondine.core.pagination.steps import PagedOperation, Pages, Strategy


class GraphqlConnection(Strategy, tag="graphql_connection", frozen=True):
    """Asks for what comes after the `endCursor` of a connection's `pageInfo`, while it says `hasNextPage`."""

    INPUTS: ClassVar[tuple[str, ...]] = ("input",)

    at: Annotated[str, Meta(description="JSON Pointer to the connection, such as /data/inspections")]
    input: Annotated[str, Meta(description="the operation's input that takes the cursor, its argument `after`")] = (
        "after"
    )
    max_pages: Annotated[int, Meta(ge=1, description="pages to ask for at most")] = 10_000

    def __post_init__(self) -> None:
        check_place(self.at)

    def wanted(self) -> dict[str, str]:
        return {"cursor": f"{self.at}/pageInfo/endCursor", "more": f"{self.at}/pageInfo/hasNextPage"}

    def exchange(self, paged: PagedOperation, position: Position = None) -> Pages:
        return follow_cursor(paged, position, self.input, self._next, wanted=self.wanted(), max_pages=self.max_pages)

    def _next(self, response: Response) -> Next:
        if "more" not in response.values:
            words = "the response has no pageInfo with hasNextPage at its connection"
            return Next(None, words, is_broken=True)
        if is_false(response.values["more"]):
            return Next(None, "hasNextPage is false", is_told=True)
        words = "hasNextPage is true, and there is no endCursor: the query has to ask for it"
        return Next(response.values.get("cursor"), words, is_broken=True)
