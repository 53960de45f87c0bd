"""The limits of a call: of the first byte, of silence in the middle, of the whole; told as what they are."""

import asyncio
import time

import pytest

from rondine.core.errors import ServiceTooSlow
from rondine.core.http.time_outs import TimeOuts
from rondine.engine.timer import CallTimer

WHERE = "GET http://127.0.0.1/trees"


def timer(**seconds):
    return CallTimer(TimeOuts(**{"first_byte": 5, "idle": 5, "whole": 5, **seconds}), WHERE)


@pytest.mark.parametrize(
    ("seconds", "heard", "words"),
    [
        ({"first_byte": 0.1}, 0, "the first byte took longer than 0.1 s"),
        ({"first_byte": 0.2, "idle": 0.1}, 1, "nothing came for 0.1 s in the middle of the body"),
        ({"first_byte": 0.1, "idle": 0.3}, 3, "nothing came for 0.3 s in the middle of the body"),
        ({"whole": 0.1}, 0, "the whole call took longer than 0.1 s"),
        ({"whole": 0.3, "idle": 0.2}, 40, "the whole call took longer than 0.3 s"),
    ],
)
async def test_each_limit_ends_the_call_in_its_own_words(seconds, heard, words):
    began = time.monotonic()
    with pytest.raises(ServiceTooSlow) as raised, timer(**seconds) as one:
        for _ in range(heard):
            await asyncio.sleep(0.02)
            one.heard()
        await asyncio.sleep(10)
    assert time.monotonic() - began < 5
    assert (raised.value.where, raised.value.message) == (WHERE, words)
    assert asyncio.current_task().cancelling() == 0


async def test_what_ends_in_time_and_other_errors_are_left_alone():
    with timer():
        await asyncio.sleep(0)
    with pytest.raises(ValueError, match="its own"), timer():
        raise ValueError("its own")
    with timer(first_byte=0.1, whole=0.2) as one:
        time.sleep(0.3)  # noqa: ASYNC251 the limit is over, but the call is, too, before anybody can tell
        one.heard()
    await asyncio.sleep(0.05)
    assert asyncio.current_task().cancelling() == 0


async def test_who_cancels_the_call_is_heard_before_its_limits():
    async def call():
        with timer(whole=0.2):
            await asyncio.sleep(10)

    task = asyncio.create_task(call())
    await asyncio.sleep(0.05)
    task.cancel()
    with pytest.raises(asyncio.CancelledError):
        await task


async def test_a_cancellation_beside_a_limit_stays_one():
    async def call():
        with timer(first_byte=0.1):
            await asyncio.sleep(10)

    task = asyncio.create_task(call())
    await asyncio.sleep(0)
    asyncio.get_running_loop().call_later(0.1, task.cancel)
    with pytest.raises((asyncio.CancelledError, ServiceTooSlow)):
        await task
    assert task.done()
