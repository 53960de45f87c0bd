"""What comes after a response, as one rule without a clock: the final one, waiting, or another address."""

from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import RedirectRefused
from rondine.core.http.messages import Request
from rondine.core.http.redirects import Redirect
from rondine.core.http.retrying import Retries, RetryPolicy, Tries, Wait, after_failure, may_repeat, next_try

NOW = datetime(2026, 11, 3, 9, 0, tzinfo=UTC)
READ = Request("GET", "https://register.example/trees")
WRITE = Request("POST", "https://register.example/trees")
SLOW_DOWN = (("Retry-After", "7"),)


def after(status, headers=(), *, request=READ, policy=None, tries=None, left=60.0, retries=None):
    return next_try(
        policy or RetryPolicy(), tries or Tries(), request, status, headers, now=NOW, left=left, retries=retries
    )


@pytest.mark.parametrize(
    ("request_", "status", "headers"),
    [(READ, 200, ()), (READ, 429, ()), (WRITE, 503, SLOW_DOWN), (READ, 500, SLOW_DOWN), (READ, 404, ())],
)
def test_a_final_response_is_taken_as_it_is(request_, status, headers):
    assert after(status, headers, request=request_) == (None, Tries())


def test_it_waits_as_the_service_asks_as_often_as_the_policy_says_and_no_longer_than_is_left():
    assert after(429, SLOW_DOWN, request=WRITE) == (Wait(7.0), Tries(waits=1))
    assert after(503, SLOW_DOWN, tries=Tries(waits=2)) == (Wait(7.0), Tries(waits=3))
    assert after(503, SLOW_DOWN, tries=Tries(waits=3))[0] is None
    assert after(503, SLOW_DOWN, tries=Tries(waits=3), policy=RetryPolicy(max_waits=4))[0] == Wait(7.0)
    assert after(429, SLOW_DOWN, policy=RetryPolicy(max_waits=0))[0] is None
    assert after(429, SLOW_DOWN, left=5.0)[0] is None
    assert after(429, (("Retry-After", "Tue, 03 Nov 2026 09:00:10 GMT"),))[0] == Wait(10.0)


def test_a_redirect_begins_the_waits_anew_and_ends_at_the_policys_number():
    elsewhere = (("Location", "/v2/trees"),)
    found, tries = after(302, elsewhere, tries=Tries(waits=3, redirects=1))
    assert isinstance(found, Redirect) and found.request.url == "https://register.example/v2/trees"
    assert tries == Tries(waits=0, redirects=2)
    with pytest.raises(RedirectRefused, match="more than 5 times"):
        after(302, elsewhere, tries=Tries(redirects=5))
    with pytest.raises(RedirectRefused, match="more than 0 times"):
        after(302, elsewhere, policy=RetryPolicy(max_redirects=0))


def test_a_failure_that_may_pass_is_tried_again_with_growing_pauses_until_the_budget_is_used_up():
    retries, tries, pauses = Retries(left=10, chance=1.0), Tries(), []
    while True:
        found, tries = after(503, retries=retries, tries=tries, policy=RetryPolicy(max_retries=6, max_pause=9))
        if found is None:
            break
        assert not found.is_asked
        pauses.append(found.seconds)
    assert pauses == [1, 2, 4, 8, 9, 9] and retries.left == 4 and tries.retries == 6
    assert after(500, retries=Retries(left=0))[0] is None
    assert after(503)[0] is None  # where nobody wants it: a trial
    assert after(404, retries=Retries(left=9))[0] is None
    assert after(500, retries=Retries(left=9), policy=RetryPolicy(statuses=[503]))[0] is None
    assert after(503, retries=Retries(left=9), left=0.1)[0] is None


@given(st.floats(0, 1), st.integers(0, 5))
def test_a_pause_is_between_half_and_all_of_what_the_policy_says(chance, retries):
    policy = RetryPolicy(first_pause=2, max_pause=20, max_retries=9)
    found, _ = after_failure(policy, Tries(retries=retries), READ, left=99, retries=Retries(left=1, chance=chance))
    whole = min(2 * 2**retries, 20)
    assert whole / 2 <= found.seconds <= whole


def test_what_the_service_asks_for_is_done_and_then_it_is_over():
    retries = Retries(left=9, chance=0.0)
    assert after(503, SLOW_DOWN, retries=retries)[0] == Wait(7.0)
    assert after(503, SLOW_DOWN, retries=retries, tries=Tries(waits=3))[0] is None
    assert after(503, retries=retries, tries=Tries(waits=3))[0] == Wait(0.5, is_asked=False)


@pytest.mark.parametrize(
    ("method", "headers", "repeats", "reads", "may"),
    [
        ("GET", (), "reading", False, True),
        ("PUT", (), "reading", False, False),
        ("PUT", (), "idempotent", False, True),
        ("DELETE", (), "idempotent", False, True),
        ("POST", (), "idempotent", False, False),
        ("POST", (("Idempotency-Key", "7"),), "idempotent", False, True),
        ("POST", (("idempotency-key", "7"),), "reading", False, False),
        ("PATCH", (), "idempotent", False, False),
        ("POST", (), "always", False, True),
        ("POST", (), "reading", True, True),
    ],
)
def test_what_may_have_been_acted_on_is_not_sent_twice_unless_that_does_no_harm(method, headers, repeats, reads, may):
    request = Request(method, READ.url, headers)
    assert may_repeat(RetryPolicy(repeats=repeats), request, reads=reads) is may
    found, _ = after(503, request=request, policy=RetryPolicy(repeats=repeats), retries=Retries(left=9, reads=reads))
    assert (found is not None) is may
