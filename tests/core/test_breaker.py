"""A service that fails is left alone, tried by one call at a time, and let go on when that succeeds."""

from hypothesis import given
from hypothesis import strategies as st

from rondine.core.http.breaker import BreakerPolicy, after_failed_call, after_good_call, tried
from rondine.core.http.limits import Usage, decided

POLICY = BreakerPolicy(failures=3, during=0, first_rest=10, max_rest=60)


def failing(usage, times, now):
    for _ in range(times):
        usage = after_failed_call(POLICY, usage, "status 500", now=now)
    return usage


def test_so_many_failures_in_a_row_begin_a_rest_and_one_good_call_forgets_them():
    usage = failing(Usage(), 2, 100)
    assert usage.held_until == 0 and tried(POLICY, usage, now=100) == (usage, True)
    assert failing(after_good_call(usage), 2, 100).held_until == 0
    usage = failing(usage, 1, 100)
    assert usage.held_until == 110
    assert usage.held_why == "3 calls in a row failed (status 500); one is tried after 10 s"
    assert failing(usage, 5, 101).held_until == 110, "those under way tell nothing new"


def test_many_calls_that_fail_in_one_moment_are_no_reason_yet():
    policy = BreakerPolicy(failures=3, during=15)
    usage = Usage()
    for now in (100, 100, 101, 102, 114):
        usage = after_failed_call(policy, usage, "status 500", now=now)
        assert usage.held_until == 0 and tried(policy, usage, now=now)[1]
    assert after_failed_call(policy, usage, "status 500", now=115).held_until == 130
    usage = after_failed_call(policy, after_good_call(usage), "status 500", now=115)
    assert usage.held_until == 0 and usage.failing_since == 115


def test_one_call_is_tried_after_a_rest_and_what_becomes_of_it_decides():
    usage = failing(Usage(), 3, 100)
    assert not tried(POLICY, usage, now=109)[1]
    usage, mine = tried(POLICY, usage, now=111)
    assert mine and not tried(POLICY, usage, now=111)[1]
    good = after_good_call(usage)
    assert (good.held_until, good.rests, good.failed) == (0, 0, 0)
    usage = failing(usage, 1, 112)
    assert usage.held_until == 132 and usage.rests == 2  # twice as long
    for now in range(200, 1000, 100):
        usage, mine = tried(POLICY, usage, now=now)
        usage = failing(usage, 1, now)
        assert mine and usage.held_until <= now + 60
    assert tried(POLICY, tried(POLICY, usage, now=2000)[0], now=2061)[1], "whoever tried it has died"


def test_a_person_lifts_a_rest():
    usage = decided(failing(Usage(), 3, 100), is_believed=False)
    assert usage.held_until == 0 and tried(POLICY, usage, now=101)[1]
    assert Usage.from_json(failing(usage, 3, 101).to_json()).rests


@given(st.lists(st.sampled_from("gft"), max_size=60))
def test_a_rest_is_never_without_an_end_and_never_longer_than_allowed(calls):
    usage, now = Usage(), 0.0
    for call in calls:
        now += 1
        if call == "g":
            usage = after_good_call(usage)
            assert usage.held_until == 0
        elif call == "f":
            usage = after_failed_call(POLICY, usage, "no connection", now=now)
        else:
            usage, _ = tried(POLICY, usage, now=now)
        assert usage.held_until <= now + POLICY.max_rest
        assert bool(usage.held_until) == bool(usage.rests)
