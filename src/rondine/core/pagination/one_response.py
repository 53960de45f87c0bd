"""No pagination, chosen on purpose: whatever next pages a response shows, they are not asked for."""

from rondine.core.http.messages import Position
from rondine.core.pagination.steps import Ending, PagedOperation, Pages, Strategy, send


class OneResponse(Strategy, tag="one_response", frozen=True):
    """Asks for one response only, whatever it shows; a run whose response shows that there is more still says so."""

    def exchange(self, paged: PagedOperation, position: Position = None) -> Pages:
        yield from send(paged.first, position=position)
        return Ending("one response was asked for", is_proven=False, pages=1)
