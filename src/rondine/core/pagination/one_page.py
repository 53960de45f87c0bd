"""One page of an operation, and from where to go on: for who asks for page after page in requests of their own."""

from rondine.core.http.messages import Position, Response, Send
from rondine.core.pagination.steps import Ahead, Ending, PagedOperation, Strategy


class OnePage:
    """ask: what to send for the page at a position (None: the first)."""

    def __init__(self, strategy: Strategy, paged: PagedOperation, position: Position = None) -> None:
        self._pages = strategy.exchange(paged, position)  # type: ignore[attr-defined]  # each strategy has its own
        asked = next(self._pages)
        while isinstance(asked, Ahead):
            asked = self._pages.send(None)
        self.ask: Send = asked

    def after(self, response: Response) -> Send | Ending:
        """What comes after the page: what would be sent for the next one, whose position leads on; or why it was the
        last. Raises PaginationError if the next one cannot be asked for."""
        try:
            asked = self._pages.send(response)
            while isinstance(asked, Ahead):
                asked = self._pages.send(None)
        except StopIteration as end:
            ending: Ending = end.value
            return ending
        finally:
            self._pages.close()
        following: Send = asked
        return following
