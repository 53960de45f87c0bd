"""How much a connection may call: n calls in any span of time, several spans at once, and what the service itself asks
for.

The state is a small JSON value that all processes share. `reserve` gives each call the moment at which it may begin; a
moment is given out once, so that any number of processes together keep the limits, also across restarts. Every rolling
window of a span holds at most `calls` moments; a month is the calendar's, in UTC. Moments are seconds since 1970, of
one shared clock.
"""

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from email.utils import parsedate_to_datetime
from typing import Annotated, Any, Literal

from msgspec import Meta

from rondine.core.errors import LimitReached
from rondine.core.http.messages import Headers
from rondine.core.settings import Document

SPANS = {"second": 1.0, "minute": 60.0, "hour": 3600.0, "day": 86400.0}
#: Moments closer together than this part of a span are remembered as one, the later; so a log has at most about this
#: many entries.
PIECES = 100
#: Two calls sent in time may arrive out of time; so a window is this much longer than its span, at most.
MARGIN_SECONDS = 0.02
#: A moment further away than this is no use to anybody who waits.
MOST_HOLD = timedelta(days=32)
#: A service's word that all calls have to wait is believed for so long; then it is asked again. A person may let it
#: count whole, or not at all.
MOST_BELIEVED = timedelta(hours=1)


class Limit(Document, frozen=True):
    """At most `calls` calls in any `every` spans: 10 calls in 1 second, 1,000 in 24 hours, 50,000 in a calendar
    month."""

    calls: Annotated[int, Meta(ge=1, le=1_000_000_000)]
    span: Literal["second", "minute", "hour", "day", "month"] = "second"
    every: Annotated[int, Meta(ge=1, le=100)] = 1

    @property
    def key(self) -> str:
        return f"{self.every} {self.span}"

    @property
    def words(self) -> str:
        span = f"a {self.span}".replace("a hour", "an hour") if self.every == 1 else f"in {self.every} {self.span}s"
        return f"{self.calls:,} {'call' if self.calls == 1 else 'calls'} {span}"

    @property
    def seconds(self) -> float:
        """Length of the rolling window. Not for months."""
        whole = SPANS[self.span] * self.every
        return whole + min(MARGIN_SECONDS, whole / 50)


@dataclass(frozen=True, slots=True)
class Usage:
    """logs: by limit, pieces of [first moment, last moment, calls], oldest first; of a month, one [its number, its
    number, calls]. held_until: no call begins before, because the service said so (`held_why`).  holders: calls under
    way, each with the moment its slot is free at the latest.  said: what the service last told of its own count.
    failed: calls in a row, since the first of them (`failing_since`).  rests: in a row, in which the failing service is
    left alone (`breaker`); is_tried: a call is under way that tells whether it has recovered."""

    logs: Mapping[str, list[list[float]]] = field(default_factory=dict)
    held_until: float = 0.0
    held_why: str = ""
    asked_until: float = 0.0
    holders: Mapping[str, float] = field(default_factory=dict)
    said: Mapping[str, Any] = field(default_factory=dict)
    failed: int = 0
    failing_since: float = 0.0
    rests: int = 0
    is_tried: bool = False

    def to_json(self) -> dict[str, Any]:
        return {
            "logs": dict(self.logs),
            "held_until": self.held_until,
            "held_why": self.held_why,
            "asked_until": self.asked_until,
            "holders": dict(self.holders),
            "said": dict(self.said),
            "failed": self.failed,
            "failing_since": self.failing_since,
            "rests": self.rests,
            "is_tried": self.is_tried,
        }

    @classmethod
    def from_json(cls, value: Mapping[str, Any]) -> "Usage":
        return cls(**{name: value[name] for name in cls.__slots__ if name in value})


def reserve(
    limits: Sequence[Limit], usage: Usage, *, now: float, wanted: int, most_wait: float
) -> tuple[Usage, list[float]]:
    """The usage with up to `wanted` calls more, and the moment of each; fewer if the next would have to wait longer
    than most_wait seconds.

    Raises LimitReached if not even one can be given.
    """
    logs = {limit.key: _live(limit, usage.logs.get(limit.key, []), now) for limit in limits}
    moments: list[float] = []
    for _ in range(wanted):
        moment, cause = _next_moment(limits, logs, usage, now)
        if moment - now > most_wait:
            if not moments:
                raise LimitReached(
                    f"the connection may not call before {_shown(moment)}: {cause}",
                    where="limits",
                    hint="wait until then, call less, or have the limit raised and correct it in the connection",
                )
            break
        for limit in limits:
            _note(limit, logs[limit.key], moment)
        moments.append(moment)
    return replace(usage, logs=logs), moments


def _next_moment(
    limits: Sequence[Limit], logs: Mapping[str, list[list[float]]], usage: Usage, now: float
) -> tuple[float, str]:
    moment, cause = now, ""
    if usage.held_until > moment:
        moment, cause = usage.held_until, usage.held_why
    for limit in limits:
        if limit.span != "month" and (log := logs[limit.key]):
            moment = max(moment, log[-1][1])  # moments are given out in order
            if (free := _free(limit, log)) > moment:
                moment, cause = free, f"{limit.words} are used up"
    for limit in limits:
        if limit.span == "month" and (log := logs[limit.key]):
            number = log[-1][0]  # once a month is used up, the log is of a later one
            if number > _month(moment, limit.every):
                moment, cause = _month_start(number, limit.every), f"{limit.words} are used up"
            if number == _month(moment, limit.every) and log[-1][2] >= limit.calls:
                moment, cause = _month_start(number + 1, limit.every), f"{limit.words} are used up"
    return moment, cause


def _free(limit: Limit, log: Sequence[Sequence[float]]) -> float:
    """From when on another call fits into every rolling window."""
    count = 0.0
    for _, last, calls in reversed(log):
        count += calls
        if count >= limit.calls:
            return last + limit.seconds
    return 0.0


def _note(limit: Limit, log: list[list[float]], moment: float) -> None:
    if limit.span == "month":
        number = _month(moment, limit.every)
        if log and log[-1][0] == number:
            log[-1][2] += 1
        else:
            log[:] = [[number, number, 1]]
    elif log and moment - log[-1][0] <= limit.seconds / PIECES:
        log[-1][1] = moment
        log[-1][2] += 1
    else:
        log.append([moment, moment, 1])


def _live(limit: Limit, log: Sequence[Sequence[float]], now: float) -> list[list[float]]:
    """A copy of what still counts."""
    if limit.span == "month":
        return [list(one) for one in log if one[0] >= _month(now, limit.every)]
    return [list(one) for one in log if one[1] + limit.seconds > now]


@dataclass(frozen=True, slots=True)
class Meter:
    """One limit now. refills_at: when calls come back: of a month its reset; else when the oldest call leaves the
    window; None if all are left."""

    limit: Limit
    used: int
    left: int
    refills_at: float | None


def meter(limits: Sequence[Limit], usage: Usage, *, now: float) -> list[Meter]:
    out = []
    for limit in limits:
        log = _live(limit, usage.logs.get(limit.key, []), now)
        used = int(sum(calls for _, _, calls in log))
        refills: float | None = None
        if limit.span == "month":
            refills = _month_start(_month(now, limit.every) + 1, limit.every)
        elif log:
            refills = log[0][1] + limit.seconds
        out.append(Meter(limit, used, max(0, limit.calls - used), refills))
    return out


def take_slots(
    usage: Usage, *, now: float, parallel: int, names: Sequence[str], seconds: float
) -> tuple[Usage, list[str]]:
    """Places for calls under way, as many as are free; each is free again after `seconds` at the latest, should its
    holder die."""
    holders = {name: until for name, until in usage.holders.items() if until > now}
    given = list(names[: max(0, parallel - len(holders))])
    return replace(usage, holders={**holders, **dict.fromkeys(given, now + seconds)}), given


def leave_slots(usage: Usage, names: Sequence[str]) -> Usage:
    return replace(usage, holders={name: until for name, until in usage.holders.items() if name not in names})


def heard(usage: Usage, status: int, headers: Headers, *, now: float) -> Usage:
    """The usage after a response: `Retry-After` of a 429 or 503 and `RateLimit` fields hold all further calls back."""
    by_name = {name.lower(): value for name, value in headers}
    if status not in (429, 503) and not any("ratelimit" in name for name in by_name):
        return usage
    moment = datetime.fromtimestamp(now, UTC)
    before = usage
    if status in (429, 503) and (wait := retry_after(by_name.get("retry-after", ""), moment)) is not None:
        usage = _held(
            usage,
            min(wait, MOST_HOLD).total_seconds(),
            f"the service answered {status} and asked to wait (Retry-After)",
            now,
        )
    said = rate_limit(by_name, moment)
    if said is not None:
        if said.left == 0 and said.refills_in is not None:
            usage = _held(usage, said.refills_in, "the service says that nothing is left (RateLimit)", now)
        found = {"left": said.left, "refills_at": None if said.refills_in is None else now + said.refills_in, "at": now}
        return replace(usage, said=found)
    return usage if usage != before else before


def _held(usage: Usage, seconds: float, why: str, now: float) -> Usage:
    """All calls held back for as long as was asked, or as is believed."""
    believed = MOST_BELIEVED.total_seconds()
    until = now + min(seconds, believed)
    if until <= usage.held_until:
        return usage
    if seconds > believed:
        why += (
            f" until {_shown(now + seconds)}; {MOST_BELIEVED.seconds // 60} minutes of it are believed, then it is"
            " asked again"
        )
    return replace(usage, held_until=until, held_why=why, asked_until=now + seconds)


def decided(usage: Usage, *, is_believed: bool) -> Usage:
    """The usage after a person's word: a wait that a service asked for counts whole, or is lifted."""
    if not is_believed:
        return replace(
            usage, held_until=0.0, held_why="", asked_until=0.0, failed=0, failing_since=0.0, rests=0, is_tried=False
        )
    return replace(usage, held_until=max(usage.held_until, usage.asked_until))


def retry_after(value: str, now: datetime) -> timedelta | None:
    """How long a Retry-After field asks to wait (RFC 9110, section 10.2.3).

    value: the field as received: whole seconds ("120") or an HTTP date.
    now: an aware datetime; the clock is the caller's.
    Returns None if value is neither; never a negative duration.
    """
    value = value.strip()
    if re.fullmatch(r"[0-9]{1,9}", value):
        return timedelta(seconds=int(value))
    try:
        until = parsedate_to_datetime(value)
    except (ValueError, TypeError, IndexError, OverflowError):
        return None
    if until.tzinfo is None:
        until = until.replace(tzinfo=UTC)
    return max(timedelta(0), until - now)


@dataclass(frozen=True, slots=True)
class Said:
    """What a service tells of its own count. left: calls.  refills_in: seconds."""

    left: int
    refills_in: float | None


def rate_limit(fields: Mapping[str, str], now: datetime) -> Said | None:
    """The RateLimit fields (draft-ietf-httpapi-ratelimit-headers, its present form and the two before), or the
    X-RateLimit-* in common use.

    fields: by lower-case name. Of several counts the one with the least left is given.
    """
    found: list[Said] = []
    for item in fields.get("ratelimit", "").split(","):
        r = re.search(r";\s*r\s*=\s*(\d{1,12})", item)
        t = re.search(r";\s*t\s*=\s*(\d{1,9})", item)
        if r:
            found.append(Said(int(r.group(1)), float(t.group(1)) if t else None))
    together = dict(re.findall(r"(remaining|reset)\s*=\s*(\d{1,12})", fields.get("ratelimit", "")))
    if not found and "remaining" in together:
        found.append(Said(int(together["remaining"]), float(together["reset"]) if "reset" in together else None))
    for before in ("", "x-"):
        left = fields.get(f"{before}ratelimit-remaining", "").strip()
        if not found and re.fullmatch(r"\d{1,12}", left):
            reset = fields.get(f"{before}ratelimit-reset", "").strip()
            seconds = float(reset) if re.fullmatch(r"\d{1,12}(\.\d{1,6})?", reset) else None
            if seconds is not None and seconds > 1_000_000_000:  # a moment, not a duration
                seconds = max(0.0, seconds - now.timestamp())
            found.append(Said(int(left), seconds))
    if not found:
        return None
    least = min(found, key=lambda one: one.left)
    return (
        least
        if least.refills_in is None
        else replace(least, refills_in=min(least.refills_in, MOST_HOLD.total_seconds()))
    )


def _month(moment: float, every: int) -> int:
    """The number of the calendar span that a moment is in: months since year 0, in groups of `every`."""
    found = datetime.fromtimestamp(moment, UTC)
    return (found.year * 12 + found.month - 1) // every


def _month_start(number: float, every: int) -> float:
    year, month = divmod(int(number) * every, 12)
    return datetime(year, month + 1, 1, tzinfo=UTC).timestamp()


def wait_words(seconds: float) -> str:
    """A wait as people say it, rounded up: 45 s, 12 min, 3 h 20 min."""
    if seconds <= 120:
        return f"{math.ceil(seconds)} s"
    hours, minutes = divmod(math.ceil(seconds / 60), 60)
    return " ".join([*([f"{hours:,} h"] if hours else []), *([f"{minutes} min"] if minutes else [])])


def _shown(moment: float) -> str:
    return datetime.fromtimestamp(moment, UTC).strftime("%Y-%m-%d %H:%M:%S UTC")
