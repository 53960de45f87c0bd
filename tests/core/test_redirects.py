"""Redirects: what goes on within the origin, what may go elsewhere, and what is refused."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import RedirectRefused
from rondine.core.http.messages import Request, origin
from rondine.core.http.redirects import redirected
from rondine.core.secret import Secret

KEY = Secret("k-1", "key")
READ = Request("GET", "https://a.example/one?x=1", (("Accept", "text/csv"), ("X-Office", "trees"), ("X-Key", KEY)))
WRITE = Request("POST", "https://a.example/one", (("Content-Type", "text/plain"), ("X-Office", "trees")), b"body")


def test_within_the_origin_the_call_goes_on_as_it_is():
    found = redirected(READ, 302, "/two?y=2&key=k-1#part", {"key"})
    assert found.is_same_origin and found.request.url == "https://a.example/two?y=2"
    assert found.request.headers == READ.headers


@pytest.mark.parametrize(("status", "method", "body"), [(303, "GET", None), (302, "GET", None), (307, "POST", b"body")])
def test_a_writing_call_becomes_a_reading_one_unless_the_status_says_otherwise(status, method, body):
    found = redirected(WRITE, status, "/two").request
    assert (found.method, found.body) == (method, body)
    assert ("Content-Type" in dict(found.headers)) == (body is not None)


def test_another_origin_gets_neither_credentials_nor_the_connections_headers():
    found = redirected(READ, 307, "https://b.example/there")
    assert not found.is_same_origin and found.request == Request(
        "GET", "https://b.example/there", (("Accept", "text/csv"),)
    )


@pytest.mark.parametrize(
    ("request_", "status", "location", "words"),
    [
        (READ, 302, None, "without saying where"),
        (READ, 302, "http://a.example/two", "not encrypted"),
        (READ, 302, "ftp://a.example/", "does not follow"),
        (READ, 302, "https://user:pw@b.example/", "does not follow"),
        (READ, 302, "https://[::1/", "not an address"),
        (WRITE, 307, "https://b.example/", "not repeated at another origin"),
    ],
)
def test_what_is_not_followed_is_told(request_, status, location, words):
    with pytest.raises(RedirectRefused, match=words):
        redirected(request_, status, location)


@given(st.text(max_size=60), st.sampled_from([301, 302, 303, 307, 308]))
def test_no_location_leads_credentials_elsewhere(location, status):
    try:
        found = redirected(READ, status, location)
    except RedirectRefused:
        return
    assert found.is_same_origin == (origin(found.request.url) == origin(READ.url))
    assert found.is_same_origin or not found.request.has_secrets


def test_other_statuses_are_no_redirects():
    assert [redirected(READ, status, "/x") for status in (200, 304, 300, 404)] == [None] * 4
