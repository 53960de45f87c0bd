"""No pagination, chosen on purpose: whatever next pages a response shows, they are not asked for."""

from rondine.core.http.messages import Request, Send
from rondine.core.pagination.steps import Ending, Pages
from rondine.core.settings import Document


class OneResponse(Document, tag="one_response", frozen=True):
    """Ask once. Paging that responses show is declined; a run whose response shows that there is more still says so."""

    def wanted(self) -> dict[str, str]:
        return {}

    def exchange(self, first: Request) -> Pages:
        yield Send(first)
        return Ending("one response was asked for", is_proven=False, pages=1)
