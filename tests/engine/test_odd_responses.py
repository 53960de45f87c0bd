"""Responses that are legal and rare, or broken: read whole, or refused with the cause; nothing partial is ever a
whole."""

import asyncio
import gzip
import zlib
from contextlib import asynccontextmanager

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rondine.core.errors import ServiceError, ServiceTooSlow
from rondine.core.http.messages import Request, Send
from rondine.core.signin import NoSignIn
from rondine.engine.client import MOST_POOLS, Engine, OpenConnection, TimeOuts
from rondine.engine.decoding import ContentDecoder, header_text
from rondine.engine.guard import Guard, PermittedHost

BODY = b'{"trees": [{"number": "OLM-1"}, {"number": "OLM-2"}]}' * 40


@asynccontextmanager
async def raw(*answers, stall=0.0):
    """A server that answers each request with the next of these bytes and closes; the last one again and again."""
    asked = []

    async def handle(reader, writer):
        asked.append((await reader.readline()).split()[1].decode())
        while (await reader.readline()).strip():
            pass
        answer = answers[min(len(asked), len(answers)) - 1]
        for part in answer if isinstance(answer, tuple) else (answer,):
            writer.write(part)
            await writer.drain()
            await asyncio.sleep(stall)
        writer.close()

    server = await asyncio.start_server(handle, "127.0.0.1", 0)
    try:
        yield server.sockets[0].getsockname()[1], asked
    finally:
        server.close()


def head(*lines, status="200 OK"):
    return "\r\n".join([f"HTTP/1.1 {status}", *lines, "", ""]).encode("latin-1")


def line(port, name="odd", **options):
    guard = Guard([PermittedHost("127.0.0.1", None, True)])
    return OpenConnection(name, 1, f"http://127.0.0.1:{port}", NoSignIn(), guard, **options)


async def get(*answers, stall=0.0, **options):
    async with raw(*answers, stall=stall) as (port, _):
        engine = Engine()
        try:
            return await engine.call(line(port, **options), Send(Request("GET", f"http://127.0.0.1:{port}/trees")))
        finally:
            await engine.close()


async def test_headers_and_reasons_outside_utf_8_are_decoded_and_kept():
    link = 'Link: </trees?q=caf\xe9>; rel="next"; title="caf\xe9"'
    received = await get(head("X-Note: caf\xe9", link, "Content-Length: 2", status="200 D\xe9j\xe0") + b"{}")
    assert (received.reason, received.header("x-note")) == ("Déjà", "café")
    assert received.header("link").startswith("</trees?q=caf%E9>")
    assert header_text("Straße".encode()) == "Straße"


async def test_a_redirect_to_an_address_outside_ascii_is_followed_as_it_was_meant():
    moved = head("Location: /b\xe4ume", "Content-Length: 0", status="302 Found")
    async with raw(moved, head("Content-Length: 2") + b"{}") as (port, asked):
        engine = Engine()
        received = await engine.call(line(port), Send(Request("GET", f"http://127.0.0.1:{port}/trees")))
        await engine.close()
    assert (received.status, asked) == (200, ["/trees", "/b%E4ume"])


def coded(coding, content):
    return head(f"Content-Encoding: {coding}", f"Content-Length: {len(content)}") + content


def packed(content):
    """gzip without the time of day in it, so that every process names its tests alike."""
    return gzip.compress(content, mtime=0)


ZIPPED = packed(BODY)
BARE = zlib.compressobj(wbits=-15)
BARE = BARE.compress(BODY) + BARE.flush()


@pytest.mark.parametrize(
    ("coding", "content"),
    [
        ("gzip", ZIPPED),
        ("x-gzip", packed(BODY[:100]) + packed(BODY[100:])),
        ("gzip", ZIPPED + b"\0" * 512),
        ("deflate", zlib.compress(BODY)),
        ("deflate", BARE),
        ("deflate, gzip", packed(zlib.compress(BODY))),
        ("identity", BODY),
    ],
)
async def test_every_content_coding_is_undone(coding, content):
    assert (await get(coded(coding, content))).body == BODY


@pytest.mark.parametrize(
    ("coding", "content", "words"),
    [
        *(("gzip", ZIPPED[:-cut], "its gzip content has no end") for cut in (1, 4, 8, 20, len(ZIPPED) - 1)),
        ("deflate", zlib.compress(BODY)[:-1], "its deflate content has no end"),
        ("deflate", BARE[:-5], "its deflate content has no end"),
        ("deflate, gzip", packed(zlib.compress(BODY)[:-1]), "its deflate content has no end"),
        ("gzip", BODY, "not gzip, although its Content-Encoding says so"),
        ("gzip", ZIPPED[:-5] + b"x" + ZIPPED[-4:], "damaged"),
        ("gzip", ZIPPED + BODY, "something follows"),
        ("br", b"\x0b\x02", 'coded as "br"'),
    ],
)
async def test_content_that_is_cut_off_or_is_not_what_it_says_is_refused_with_the_cause(coding, content, words):
    with pytest.raises(ServiceError, match=words):
        await get(coded(coding, content))


@given(st.binary(max_size=300), st.integers(1, 40), st.data())
def test_no_prefix_of_a_coded_body_passes_as_the_whole(content, size, data):
    for coding, whole in (("gzip", packed(content)), ("deflate", zlib.compress(content))):
        cut = data.draw(st.integers(1, len(whole)))
        decoder, found = ContentDecoder(coding, "here"), b""
        for at in range(0, cut, size):
            found += b"".join(decoder.feed(whole[at : min(cut, at + size)]))
        if cut == len(whole):
            decoder.finish()
            assert found == content
        else:
            with pytest.raises(ServiceError):
                decoder.finish()


@pytest.mark.parametrize(
    ("answer", "words"),
    [
        (head("X-Note: " + "a" * 20_000, "Content-Length: 2") + b"{}", "longer than 16,384 bytes"),
        (head(*(f"X-{at}: a" for at in range(3000)), "Content-Length: 2") + b"{}", "more headers than can be read"),
        (head("Content-Length: 2", "Content-Length: 3") + b"{}", "Content-Length is duplicated"),
        (head("X-Note: a\0b", "Content-Length: 2") + b"{}", "a character that none may have"),
    ],
)
async def test_a_head_that_cannot_be_read_names_the_cause(answer, words):
    with pytest.raises(ServiceError, match=words):
        await get(answer)


async def test_a_body_that_ends_with_the_connection_is_told_from_one_that_says_its_length():
    assert not (await get(head() + b"[1]")).is_delimited
    assert (await get(head("Content-Length: 3") + b"[1]")).is_delimited


async def test_a_body_that_stalls_in_the_middle_ends_with_the_idle_time_out():
    began = asyncio.get_running_loop().time()
    answer = (head("Content-Length: 10") + b"[1,", b"2]")
    with pytest.raises(ServiceTooSlow, match=r"nothing came for 0\.3 s"):
        await get(answer, stall=3.0, time_outs=TimeOuts(first_byte=5, idle=0.3, whole=20))
    assert asyncio.get_running_loop().time() - began < 3


async def test_told_to_wait_waits_without_a_connection_too_and_after_redirects():
    async def times(*answers):
        async with raw(*answers) as (port, asked):
            engine, loop = Engine(), asyncio.get_running_loop()
            began = loop.time()
            one_off = line(port, is_connection=False)
            received = await engine.call(one_off, Send(Request("GET", f"http://127.0.0.1:{port}/trees")))
            await engine.close()
            return received.status, len(asked), loop.time() - began

    good, wait = head("Content-Length: 2") + b"{}", head("Retry-After: 1", "Content-Length: 0", status="429 Slow")
    moved = head("Location: /other", "Content-Length: 0", status="302 Found")
    status, asked, seconds = await times(wait, good)
    assert (status, asked) == (200, 2) and seconds >= 1
    status, asked, seconds = await times(moved, moved, moved, wait, good)
    assert (status, asked) == (200, 5) and seconds >= 1


async def test_only_idle_pools_are_closed_when_there_are_too_many():
    async with raw((head("Content-Length: 4") + b"[1", b",2]"[:2]), stall=0.5) as (port, _):
        engine = Engine()
        busy = asyncio.create_task(
            engine.call(line(port, "busy"), Send(Request("GET", f"http://127.0.0.1:{port}/trees")))
        )
        await asyncio.sleep(0.1)
        permission = PermittedHost("127.0.0.1", None, True)
        for number in range(MOST_POOLS + 20):
            engine._pool(line(port, f"idle-{number}"), permission)
        assert len(engine._pools) == MOST_POOLS
        assert (await busy).status == 200
        await engine.close()
