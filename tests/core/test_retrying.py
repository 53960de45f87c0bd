"""What comes after a response, as one rule without a clock: the final one, waiting, or another address."""

from datetime import UTC, datetime

import pytest

from rondine.core.errors import RedirectRefused
from rondine.core.http.messages import Request
from rondine.core.http.redirects import Redirect
from rondine.core.http.retrying import RetryPolicy, Tries, Wait, next_try

NOW = datetime(2026, 11, 3, 9, 0, tzinfo=UTC)
READ = Request("GET", "https://register.example/trees")
WRITE = Request("POST", "https://register.example/trees")
SLOW_DOWN = (("Retry-After", "7"),)


def after(status, headers=(), *, request=READ, policy=None, tries=None, left=60.0):
    return next_try(policy or RetryPolicy(), tries or Tries(), request, status, headers, now=NOW, left=left)


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
