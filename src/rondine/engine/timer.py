"""The time limits of a call, all kept by one timer."""

import asyncio
from types import TracebackType
from typing import NamedTuple, Self

from rondine.core.errors import ServiceTooSlow
from rondine.core.http.time_outs import TimeOuts


class _Limit(NamedTuple):
    seconds: float
    words: str
    hint: str = "raise the connection's time-out, or ask the service for less"


class CallTimer:
    """Limits the whole of a call, and within it what it waits for now: the first byte, then any more bytes.

    While it is entered, its task is cancelled when a limit is reached, and that becomes a ServiceTooSlow, as
    asyncio.timeout() makes it a TimeoutError. The timer is set anew when it rings too early, so that the parts of a
    body cost next to nothing.
    """

    def __init__(self, time_outs: TimeOuts, where: str) -> None:
        self._where = where
        self._whole = _Limit(time_outs.whole, "the whole call took longer than {} s")
        self._first_byte = _Limit(time_outs.first_byte, "the first byte took longer than {} s")
        hint = "raise the idle time-out, or ask for less"
        self._idle = _Limit(time_outs.idle, "nothing came for {} s in the middle of the body", hint)
        self._reached: _Limit | None = None
        self._handle: asyncio.TimerHandle | None = None

    def __enter__(self) -> Self:
        task = asyncio.current_task()
        assert task is not None
        self._task, self._cancelling = task, task.cancelling()
        self._loop = asyncio.get_running_loop()
        self._end = self._loop.time() + self._whole.seconds
        self._wait_for(self._first_byte)
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._handle is not None:
            self._handle.cancel()
        if self._reached is None:
            return
        if self._task.uncancel() <= self._cancelling and kind is asyncio.CancelledError:
            limit = self._reached
            words = limit.words.format(f"{limit.seconds:g}")
            raise ServiceTooSlow(words, where=self._where, hint=limit.hint) from error

    def sent(self) -> None:
        """A part of what is sent has gone; what comes back is waited for from now on."""
        self._wait_for(self._first_byte)

    def heard(self) -> None:
        """Something has come; more may come from now on."""
        self._wait_for(self._idle)

    def _wait_for(self, limit: _Limit) -> None:
        self._now, self._due = limit, self._loop.time() + limit.seconds
        due = min(self._due, self._end)
        if self._handle is None or due < self._handle.when():
            self._set(due)

    def _set(self, due: float) -> None:
        if self._handle is not None:
            self._handle.cancel()
        self._handle = self._loop.call_at(due, self._ring)

    def _ring(self) -> None:
        due = min(self._due, self._end)
        if self._loop.time() < due:
            self._set(due)
        else:
            self._reached = self._now if self._due <= self._end else self._whole
            self._task.cancel()
