"""Answers used again by whoever permits them some age: held in this process's memory, never in the database."""

import asyncio
import time
from collections import OrderedDict
from collections.abc import Awaitable, Callable, Hashable
from dataclasses import dataclass, field
from typing import Generic, TypeVar

from rondine.core.errors import LimitReached, RondineError, ServiceError
from rondine.server.operations.answering import OutsideFailed

T = TypeVar("T")
#: Bytes of all answers held; one that is larger than a part of that is not.
MOST, LARGEST = 64 * 1024 * 1024, 8 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Aged(Generic[T]):
    """An answer. age: seconds since it was had from the service.  is_cached: no call was made for it now.  stale_why:
    why it is older than was permitted; empty if it is not."""

    value: T
    age: float
    is_cached: bool
    stale_why: str = ""


@dataclass(slots=True)
class _Held(Generic[T]):
    value: T
    at: float
    size: int


@dataclass
class Answers(Generic[T]):
    """size: bytes that an answer takes, about."""

    size: Callable[[T], int]
    _held: "OrderedDict[Hashable, _Held[T]]" = field(default_factory=OrderedDict)
    _bytes: int = 0
    _asking: dict[Hashable, asyncio.Task[T]] = field(default_factory=dict)
    _changes: dict[Hashable, int] = field(default_factory=dict)

    async def get(
        self, key: tuple[Hashable, ...], max_age: float, stale_for: float, ask: Callable[[], Awaitable[T]]
    ) -> Aged[T]:
        """key: begins with what `forget` is given.  max_age: seconds that the answer may be old; 0 for one had now.
        stale_for: seconds beyond the greatest age in which it may stand in for a service that cannot be reached.

        The same question is asked once at a time, by those who permit some age.
        """
        held = self._held.get(key)
        if held is not None and max_age > 0 and (age := time.monotonic() - held.at) <= max_age:
            self._held.move_to_end(key)
            return Aged(held.value, age, is_cached=True)
        try:
            if max_age <= 0:
                return Aged(await ask(), 0.0, is_cached=False)
            task = self._asking.get(key)
            is_first = task is None
            if task is None:
                task = asyncio.create_task(self._ask(key, ask))
                self._asking[key] = task
            # whoever asked first may go away: the others still wait
            return Aged(await asyncio.shield(task), 0.0, is_cached=not is_first)
        except (ServiceError, LimitReached) as error:
            if held is not None and _is_away(error) and (age := time.monotonic() - held.at) <= max_age + stale_for:
                return Aged(held.value, age, is_cached=True, stale_why=error.message)
            raise

    async def _ask(self, key: tuple[Hashable, ...], ask: Callable[[], Awaitable[T]]) -> T:
        before = self._changes.get(key[0], 0)
        try:
            value = await ask()
        finally:
            del self._asking[key]
        if self._changes.get(key[0], 0) == before:  # otherwise something was written while it was asked
            self._keep(key, value)
        return value

    def _keep(self, key: Hashable, value: T) -> None:
        self._drop(key)
        size = self.size(value)
        if size > LARGEST:
            return
        self._held[key] = _Held(value, time.monotonic(), size)
        self._bytes += size
        while self._bytes > MOST:
            self._drop(next(iter(self._held)))

    def forget(self, first: Hashable) -> None:
        """All answers whose key begins so: something was written."""
        self._changes[first] = self._changes.get(first, 0) + 1
        for key in [key for key in self._held if isinstance(key, tuple) and key[0] == first]:
            self._drop(key)

    def _drop(self, key: Hashable) -> None:
        if (held := self._held.pop(key, None)) is not None:
            self._bytes -= held.size


def _is_away(error: RondineError) -> bool:
    if isinstance(error, OutsideFailed):
        return error.is_passing
    return isinstance(error, LimitReached) or (isinstance(error, ServiceError) and error.may_pass)
