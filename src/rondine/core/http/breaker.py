"""When a connection is left alone: after so many failures in a row no call is made for a while; then one is tried, and
if it succeeds all go on (a circuit breaker, half open while one call is tried).

The state is part of the connection's usage (`limits.Usage`), which all processes share; a rest holds all calls back as
a wait does that a service asked for, and people see and lift it in the same way.
"""

from dataclasses import replace
from typing import Annotated

from msgspec import Meta

from rondine.core.http.limits import Usage, wait_words
from rondine.core.settings import Document


class BreakerPolicy(Document, frozen=True):
    """When a service that fails is left alone."""

    failures: Annotated[
        int,
        Meta(
            ge=1,
            le=10_000,
            description=(
                "in a row, over all processes, after which calls wait: no connection, time-outs, and statuses of the"
                " server's own failures (5xx)"
            ),
        ),
    ] = 10
    during: Annotated[
        float,
        Meta(
            ge=0,
            le=86_400,
            description="seconds that they go on at least: many calls at a time can fail in one moment",
        ),
    ] = 15.0
    first_rest: Annotated[
        float, Meta(gt=0, le=86_400, description="seconds until one call is tried; each rest is twice the one before")
    ] = 15.0
    max_rest: Annotated[float, Meta(gt=0, le=86_400, description="seconds at most")] = 600.0


def after_failed_call(policy: BreakerPolicy, usage: Usage, why: str, *, now: float) -> Usage:
    """The usage after one more failure in a row. why: of this one, in words.  now: seconds since 1970."""
    failed, since = usage.failed + 1, usage.failing_since or now
    usage = replace(usage, failing_since=since)
    if not usage.rests and (failed < policy.failures or now - since < policy.during):
        return replace(usage, failed=failed)
    if usage.rests and usage.held_until > now and not usage.is_tried:
        return replace(usage, failed=failed)  # it was under way when the others failed, and tells nothing new
    return _resting(policy, replace(usage, failed=failed, is_tried=False), why, now)


def after_good_call(usage: Usage) -> Usage:
    """The usage after a call that was answered: nothing failed in a row, and a rest is over."""
    if not usage.rests:
        return replace(usage, failed=0, failing_since=0.0)
    return replace(usage, failed=0, failing_since=0.0, rests=0, is_tried=False, held_until=0.0, held_why="")


def tried(policy: BreakerPolicy, usage: Usage, *, now: float) -> tuple[Usage, bool]:
    """(the usage, whether this call is the one that is tried) when a rest is over: one caller gets it, and the others
    wait for what becomes of it, or until it must have died."""
    if not usage.rests or usage.held_until > now:
        return usage, not usage.rests
    seconds = _rest(policy, usage.rests)
    return replace(usage, is_tried=True, held_until=now + seconds), True


def _resting(policy: BreakerPolicy, usage: Usage, why: str, now: float) -> Usage:
    seconds = _rest(policy, usage.rests)
    words = f"{usage.failed:,} calls in a row failed ({why}); one is tried after {wait_words(seconds)}"
    return replace(usage, rests=usage.rests + 1, held_until=now + seconds, held_why=words)


def _rest(policy: BreakerPolicy, rests: int) -> float:
    return float(min(policy.first_rest * 2 ** min(rests, 30), policy.max_rest))
