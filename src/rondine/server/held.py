"""What is read once for all who want it, and trusted for a while."""

import asyncio
import time
from collections.abc import Awaitable, Callable, Hashable
from typing import Generic, TypeVar

V = TypeVar("V")
#: Seconds for which a process trusts what it has read of items and their connections, to call them; of how many of a
#: kind it does so. A token, the release of an environment and an application are looked up with every request.
TRUSTED, MOST_READY = 1.0, 500


class Held(Generic[V]):
    """Values of one event loop, by key. seconds: for which one is trusted.  most: held at a time."""

    def __init__(self, seconds: float, most: int) -> None:
        self.seconds, self.most = seconds, most
        self._held: dict[Hashable, tuple[float, V]] = {}
        self._making: dict[Hashable, asyncio.Task[V]] = {}

    async def get(self, key: Hashable, make: Callable[[], Awaitable[V]]) -> V:
        """Made once for all who wait for it; ahead of time while others still go by what is held. Raises what `make`
        raises."""
        held = self._held.get(key)
        left = held[0] - time.monotonic() if held is not None else 0.0
        if left < self.seconds / 2 and key not in self._making:
            making = self._making[key] = asyncio.create_task(self._make(key, make))
            making.add_done_callback(_looked_at)
        if held is not None and left > 0:
            return held[1]
        return await asyncio.shield(self._making[key])

    async def _make(self, key: Hashable, make: Callable[[], Awaitable[V]]) -> V:
        try:
            value = await make()
        except BaseException:
            self._held.pop(key, None)
            raise
        finally:
            del self._making[key]
        if len(self._held) >= self.most:
            self._held.clear()
        self._held[key] = (time.monotonic() + self.seconds, value)
        return value


def _looked_at(making: "asyncio.Task[V]") -> None:
    """What went wrong ahead of time is nobody's to be told: who wants the value then has it made again."""
    if not making.cancelled():
        making.exception()
