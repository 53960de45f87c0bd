"""No pagination, chosen on purpose: whatever next pages a response shows, they are not asked for."""

from collections.abc import Collection

from rondine.core.http.messages import Request
from rondine.core.pagination.steps import Ending, Pages, Strategy, send


class OneResponse(Strategy, tag="one_response", frozen=True):
    """Asks for one response only, whatever it shows; a run whose response shows that there is more still says so."""

    def exchange(self, first: Request, origins: Collection[str] = ()) -> Pages:
        yield from send(first)
        return Ending("one response was asked for", is_proven=False, pages=1)
