"""Limits: every rolling window holds, whatever comes; months are the calendar's; what a service says of its own count
is understood."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import LimitReached
from rondine.core.http.limits import (
    Limit,
    Usage,
    heard,
    leave_slots,
    meter,
    rate_limit,
    reserve,
    retry_after,
    take_slots,
    wait_words,
)

START = datetime(2026, 11, 23, 12, tzinfo=UTC)
NOW = START.timestamp()


@given(
    calls=st.integers(1, 12),
    span=st.sampled_from(["second", "minute"]),
    second=st.none() | st.integers(1, 40),
    replies=st.lists(st.tuples(st.floats(0, 3), st.integers(1, 9)), min_size=1, max_size=25),
)
def test_no_window_of_any_limit_ever_holds_more_than_it_may(calls, span, second, replies):
    limits = [Limit(calls=calls, span=span)] + ([Limit(calls=second, span="second", every=3)] if second else [])
    usage, now, moments = Usage(), NOW, []
    for pause, wanted in replies:
        now += pause
        usage, given_out = reserve(limits, usage, now=now, wanted=wanted, most_wait=10_000)
        assert len(given_out) == wanted and min(given_out) >= now
        moments += given_out
        usage = Usage.from_json(usage.to_json())  # as it is stored between processes
    assert moments == sorted(moments)
    for limit in limits:
        length = {"second": 1, "minute": 60}[limit.span] * limit.every
        for number, first in enumerate(moments):
            within = [moment for moment in moments[number:] if moment < first + length]
            assert len(within) <= limit.calls, (limit, within)


@given(calls=st.integers(1, 200), rounds=st.integers(2, 5))
def test_a_limit_is_used_to_at_least_95_percent(calls, rounds):
    limit = Limit(calls=calls, span="second")
    _, moments = reserve([limit], Usage(), now=NOW, wanted=calls * rounds, most_wait=1000)
    assert (moments[-1] - NOW) <= (rounds - 1) / 0.95


def test_the_log_stays_small_however_many_calls_there_are():
    usage = Usage()
    for number in range(3000):
        usage, _ = reserve([Limit(calls=100_000, span="day")], usage, now=NOW + number, wanted=30, most_wait=1)
    assert len(usage.logs["1 day"]) <= 130
    assert meter([Limit(calls=100_000, span="day")], usage, now=NOW + 3000)[0].used == 90_000


def test_a_month_is_the_calendars_and_says_when_it_refills():
    limit = Limit(calls=3, span="month")
    usage, _ = reserve([limit], Usage(), now=NOW, wanted=3, most_wait=0)
    shown = meter([limit], usage, now=NOW)[0]
    assert (shown.used, shown.left) == (3, 0)
    assert datetime.fromtimestamp(shown.refills_at, UTC) == datetime(2026, 12, 1, tzinfo=UTC)
    with pytest.raises(LimitReached, match=r"3 calls a month are used up") as raised:
        reserve([limit], usage, now=NOW, wanted=1, most_wait=60)
    assert "2026-12-01 00:00:00 UTC" in str(raised.value)
    december = shown.refills_at + 5
    usage, moments = reserve([limit], usage, now=december, wanted=1, most_wait=0)
    assert moments == [december] and meter([limit], usage, now=december)[0].left == 2
    _, moments = reserve([limit], Usage(logs={"1 month": [[2026 * 12 + 10, 0, 3]]}), now=NOW, wanted=2, most_wait=10**7)
    assert moments == [shown.refills_at] * 2


def test_fewer_are_given_when_the_next_would_wait_too_long():
    usage, moments = reserve([Limit(calls=2, span="minute")], Usage(), now=NOW, wanted=5, most_wait=1)
    assert len(moments) == 2
    with pytest.raises(LimitReached, match="2 calls a minute"):
        reserve([Limit(calls=2, span="minute")], usage, now=NOW, wanted=1, most_wait=1)


def test_slots_for_calls_under_way_are_given_back_and_end_with_their_holders_time():
    usage, given_out = take_slots(Usage(), now=NOW, parallel=2, names=["a", "b", "c"], seconds=10)
    assert given_out == ["a", "b"]
    assert take_slots(usage, now=NOW, parallel=2, names=["c"], seconds=10)[1] == []
    assert take_slots(leave_slots(usage, ["a"]), now=NOW, parallel=2, names=["c"], seconds=10)[1] == ["c"]
    assert take_slots(usage, now=NOW + 11, parallel=2, names=["c"], seconds=10)[1] == ["c"]


@pytest.mark.parametrize(
    ("value", "expected"),
    [
        ("120", timedelta(seconds=120)),
        ("Mon, 23 Nov 2026 12:01:00 GMT", timedelta(seconds=60)),
        ("Mon, 23 Nov 2026 11:00:00 GMT", timedelta(0)),
        ("soon", None),
        ("", None),
        ("-5", None),
    ],
)
def test_retry_after_is_read_in_both_forms(value, expected):
    assert retry_after(value, START) == expected


@pytest.mark.parametrize(
    ("fields", "left", "seconds"),
    [
        ({"ratelimit": '"default";r=50;t=30'}, 50, 30),
        ({"ratelimit": '"hour";r=50;t=30, "day";r=2;t=900'}, 2, 900),
        ({"ratelimit": "limit=100, remaining=7, reset=12"}, 7, 12),
        ({"ratelimit-remaining": "0", "ratelimit-reset": "9"}, 0, 9),
        ({"x-ratelimit-remaining": "5", "x-ratelimit-reset": str(int(NOW) + 40)}, 5, 40),
        ({"x-ratelimit-remaining": "5"}, 5, None),
    ],
)
def test_ratelimit_fields_are_read_in_every_form_in_use(fields, left, seconds):
    found = rate_limit(fields, START)
    assert (found.left, found.refills_in) == (left, seconds)


@given(st.text(), st.text())
def test_no_header_makes_the_readers_raise(one, other):
    retry_after(one, START)
    rate_limit({"ratelimit": one, "x-ratelimit-remaining": other, "x-ratelimit-reset": one}, START)
    heard(Usage(), 429, (("Retry-After", one), ("RateLimit", other)), now=NOW)


def test_what_the_service_asks_for_holds_all_further_calls_back():
    usage = heard(Usage(), 503, (("Retry-After", "30"),), now=NOW)
    _, moments = reserve([], usage, now=NOW, wanted=1, most_wait=60)
    assert moments == [NOW + 30]
    with pytest.raises(LimitReached, match="Retry-After"):
        reserve([], usage, now=NOW, wanted=1, most_wait=10)
    assert heard(Usage(), 200, (("Retry-After", "30"),), now=NOW) == Usage()
    assert heard(Usage(), 200, (("RateLimit", "a;r=0;t=5"),), now=NOW).held_until == NOW + 5


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(0.4, "1 s"), (120, "120 s"), (121, "3 min"), (3586, "1 h"), (12000, "3 h 20 min"), (86400, "24 h")],
)
def test_a_wait_is_said_as_people_say_it(seconds, words):
    assert wait_words(seconds) == words
