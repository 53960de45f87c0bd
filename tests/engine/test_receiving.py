"""A response as it comes in: what its head says, how much of its body is taken, and how long it is waited for."""

import pytest

from rondine.core.errors import ResponseTooLarge
from rondine.core.http.messages import Request
from rondine.core.signin import NoSignIn
from rondine.engine.connection import OpenConnection
from rondine.engine.guard import Guard
from rondine.engine.receiving import MOST_AT_ONCE, IncomingBody, Received, Timings
from rondine.engine.spool import SPOOLED_OVER

WHERE = "GET http://register.example/v1/trees"


def received(*headers):
    return Received(Request("GET", "http://register.example/"), 200, "OK", headers, b"ab", 2, Timings(done=1.5))


def connection(max_size, *, is_spooling=False):
    return OpenConnection(
        "of a test", 0, "http://register.example", NoSignIn(), Guard([]), max_size=max_size, is_spooling=is_spooling
    )


@pytest.mark.parametrize(
    ("value", "media_type", "charset"),
    [
        ("application/json; charset=ISO-8859-1", "application/json", "ISO-8859-1"),
        ('text/xml;charset="utf-8"', "text/xml", "utf-8"),
        ("TEXT/XML ; Charset = latin1", "text/xml", "latin1"),
        ("application/json", "application/json", ""),
        ('multipart/related; type="text/xml"; charset=utf-8', "multipart/related", "utf-8"),
    ],
)
def test_media_type_and_charset_are_told_by_the_content_type(value, media_type, charset):
    answer = received(("Content-Type", value))
    assert (answer.media_type, answer.charset) == (media_type, charset)


def test_a_response_without_a_content_type_says_none():
    answer = received(("X-Total", "3"), ("x-total", "4"))
    assert (answer.media_type, answer.charset, answer.size) == ("", "", 2)
    assert (answer.header("X-TOTAL"), answer.header("link")) == ("3", None)


def test_times_that_did_not_happen_are_null():
    nothing = dict.fromkeys(("resolved", "connected", "first_byte"))
    assert received().timings.to_json() == {**nothing, "done": 1.5, "waited": 0.0}


def test_a_body_is_kept_up_to_the_limit_of_its_connection_and_refused_over_it():
    body = IncomingBody(connection(10), WHERE)
    body.add(b"12345")
    body.add(b"67890")
    assert (b"".join(body.chunks), body.large) == (b"1234567890", None)
    with pytest.raises(ResponseTooLarge) as raised:
        body.add(b"1")
    assert raised.value.where == WHERE and "larger than 10 bytes" in raised.value.message
    assert "raise the connection's limit" in raised.value.hint


def test_what_memory_does_not_take_is_refused_even_where_the_connection_allows_more():
    body = IncomingBody(connection(2 * MOST_AT_ONCE), WHERE)
    with pytest.raises(ResponseTooLarge) as raised:
        for _ in range(5):
            body.add(bytes(MOST_AT_ONCE // 4))
    assert "only feeds read larger ones" in raised.value.hint


def test_a_large_body_goes_to_a_file_whole_and_in_order():
    body = IncomingBody(connection(4 * SPOOLED_OVER, is_spooling=True), WHERE)
    pieces = [bytes([number]) * (SPOOLED_OVER // 3) for number in range(8)]
    for piece in pieces:
        body.add(piece)
    assert body.large is not None and body.chunks == []
    assert body.large.size == sum(map(len, pieces)) and b"".join(body.large.chunks()) == b"".join(pieces)
    with pytest.raises(ResponseTooLarge):
        body.add(bytes(4 * SPOOLED_OVER))


def test_a_small_body_stays_in_memory_also_where_files_are_allowed():
    body = IncomingBody(connection(4 * SPOOLED_OVER, is_spooling=True), WHERE)
    body.add(b"small")
    assert (body.large, body.chunks) == (None, [b"small"])
