"""Responses that mean harm, or are just broken: each ends in its named error, tried as well as in a feed, and the
service stays as it was."""

import asyncio
import gzip

import pytest
from aiohttp import web
from tests.whole_rondine import resident

MOST = 20_000_000
TREES = b'{"trees": [{"number": "T-1"}]}'
BOMB = gzip.compress(b'{"trees": [' + b'{"number": "T-1"},' * 4_000_000)


async def streamed(request, pieces, media_type="application/json", **headers):
    response = web.StreamResponse(headers={"Content-Type": media_type, **headers})
    await response.prepare(request)
    try:
        async for piece in pieces:
            await response.write(piece)
        await response.write_eof()
    except (ConnectionError, asyncio.CancelledError):
        pass
    return response


async def endless(piece, pause=0.0, first=b""):
    yield first
    while True:
        yield piece
        await asyncio.sleep(pause)


def answered(body, media_type="application/json", **headers):
    return lambda request: web.Response(body=body, headers={"Content-Type": media_type, **headers})


async def broken_off(request):
    response = web.StreamResponse(headers={"Content-Type": "application/json", "Content-Length": "500000"})
    await response.prepare(request)
    await response.write(TREES[:10])
    request.transport.close()
    return response


ANSWERS = {
    "too-large": lambda request: streamed(request, endless(b'{"number": "T-1"},' * 10_000, first=b'{"trees": [')),
    "too-large-xml": lambda request: streamed(request, endless(b"<tree/>" * 10_000, first=b"<r><trees>"),
    "application/xml"),
    "one-endless-text": lambda request: streamed(request, endless(b"a" * 100_000, first=b'{"trees": [{"number": "')),
    "never-ending": lambda request: streamed(request, endless(b" ", 0.05, first=b'{"trees": [')),
    "silent": lambda request: streamed(request, endless(b"", 30.0, first=b"{")),
    "gzip-bomb": answered(BOMB, **{"Content-Encoding": "gzip"}),
    "not-gzip": answered(b"this is not compressed", **{"Content-Encoding": "gzip"}),
    "broken-off": broken_off,
    "truncated": answered(b'{"trees": [{"number": "T-1"}, {"num'),
    "too-deep": answered(b'{"trees": ' + b"[" * 100_000 + b"]" * 100_000 + b"}"),
    "too-deep-xml": answered(b"<a>" * 100_000 + b"</a>" * 100_000, "application/xml"),
    "entities": answered(
        b'<!DOCTYPE r [<!ENTITY a "aaaaaaaaaa">'
        + b"".join(b'<!ENTITY %c "%s">' % (98 + at, b"&%c;" % (97 + at) * 10) for at in range(9))
        + b"]><r><trees><tree>&j;</tree></trees></r>",
        "application/xml",
    ),
    "outside-entity": answered(b'<!DOCTYPE r [<!ENTITY a SYSTEM "file:///etc/passwd">]><r>&a;</r>', "application/xml"),
    "wrong-charset": answered("{\"trees\": [{\"number\": \"Ł\"}]}".encode("utf-16"), "application/json; charset=utf-8"),
    "no-such-charset": answered(TREES, "application/json; charset=klingon"),
    "not-a-number": answered(b'{"trees": [{"number": NaN}]}'),
    "huge-integer": answered(b'{"trees": [{"number": ' + b"9" * 100_000 + b"}]}"),
    "error-page": answered(b"<!doctype html><html><body>Sorry</body></html>", "text/html"),
    "a-picture": answered(b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR", "image/png"),
    "redirects": lambda request: web.Response(status=302,
    headers={"Location": f"/redirects?n={int(request.query.get('n', 0)) + 1}"}),
    "not-http": None,
}  # fmt: skip
CODES = {
    "too-large": "response_too_large", "too-large-xml": "response_too_large", "one-endless-text": "response_too_large",
    "gzip-bomb": "response_too_large",
    "never-ending": "service_too_slow", "silent": "service_too_slow", "not-gzip": "service_failed",
    "broken-off": "service_failed", "redirects": "redirect_refused",
}  # fmt: skip


@pytest.fixture(scope="module")
def hostile(rondine):
    """A service whose every path is hostile, with a mapping for each format."""
    from tests.conftest import OutsideService

    def answer(request):
        return ANSWERS[request.path.strip("/")](request)

    outside = OutsideService(answer)
    rondine.permit(outside.port)
    name = rondine.connect(
        "hostile", outside.url, most_bytes=MOST, time_outs={"connect": 2, "first_byte": 2, "idle": 2, "whole": 4}
    )
    office = rondine.office()
    office.record_types.make("hostile", document={"key": ["number"], "fields": [{"name": "number", "type": "text"}]})
    for form, rows, number in (("json", "trees[*]", "number"), ("xml", "/r/trees/tree", "@number")):
        mapping = {"format": form, "outputs": [{"record_type": "hostile", "rows": [{"level": "tree", "at": rows}],
        "fields": [{"name": "number", "from": number}]}]}  # fmt: skip
        office.mappings.make(f"hostile-{form}", service=name, document=mapping)
    for kind in ANSWERS:
        form = "xml" if "xml" in kind or "entit" in kind else "json"
        office.operations.make(f"hostile-{kind}", service=name, document={"path": f"/{kind}"})
        office.feeds.make(f"hostile-{kind}", operation=f"hostile-{kind}", mapping=f"hostile-{form}", environment="test")
    yield name
    outside.close()


KINDS = [kind for kind, answer in ANSWERS.items() if answer]


@pytest.mark.parametrize("kind", KINDS)
def test_a_trial_of_it_ends_in_words(rondine, hostile, kind):
    found = rondine.office().trials.send(service=hostile, operation=f"hostile-{kind}")
    if kind in CODES:
        assert found["call"]["error"]["code"] == CODES[kind]
        assert found["call"]["error"]["message"] and found["call"]["error"]["hint"]
    else:
        assert found["unreadable"], found
    assert rondine.office().services.get(hostile)["name"] == hostile


@pytest.mark.parametrize("kind", KINDS)
def test_a_feed_of_it_fails_in_words_and_keeps_nothing_wrong(rondine, hostile, kind):
    run = rondine.finish(f"hostile-{kind}")
    assert run["state"] == "failed"
    assert run["error"]["code"] == CODES.get(kind, "unreadable_document")
    assert run["error"]["message"] and run["error"]["where"] and run["error"]["hint"]
    assert run["counts"][0]["created"] == 0


def test_names_that_stand_twice_are_told_by_the_run_that_loses_a_value(rondine, serve):
    rows = b",".join(b'{"number": "T-%d", "girth": 1, "girth": 2}' % number for number in range(2_000))
    outside = serve(answered(b'{"trees": [' + rows + b"]}"))
    rondine.permit(outside.port)
    rondine.feed("key-named-twice", "/", service=rondine.connect("key-named-twice", outside.url))
    run = rondine.finish("key-named-twice")
    assert (run["state"], run["counts"][0]["created"]) == ("done", 2_000)
    told = [remark["message"] for remark in run["remarks"] if remark["kind"] == "duplicates"]
    assert told == ['"girth" is duplicated in one object: the last of them counts']
    assert "girth" in rondine.cli("run", "show", str(run["id"])).stdout
    assert rondine.office().records.get("test", "key-named-twice", "T-7")["data"]["girth"] == 2


def test_memory_comes_back(rondine, hostile):
    """What hostile responses cost is given back: after the first rounds, which warm the processes, another one holds no
    more."""
    office = rondine.office()
    kinds = ("gzip-bomb", "too-large", "too-deep", "too-deep-xml", "one-endless-text")

    def held():
        for kind in kinds:
            office.trials.send(service=hostile, operation=f"hostile-{kind}")
            rondine.finish(f"hostile-{kind}")
        return {name: resident(rondine.processes[name].pid) for name in ("web", "worker")}

    rounds = [held() for _ in range(2)]
    while len(rounds) < 5 and any(rounds[-1][name] - rounds[-2][name] > MOST / 2 for name in rounds[0]):
        rounds.append(held())
    assert all(rounds[-1][name] - rounds[-2][name] <= MOST / 2 for name in rounds[0]), rounds
