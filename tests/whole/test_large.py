"""Feeds of responses that are too large for memory: kept in parts, with the effect of exactly one run."""

import json
import signal
from decimal import Decimal

import pytest
from aiohttp import web
from tests.whole.test_feeds import counts, kept
from tests.whole_rondine import resident, wait_until

ROWS = 24_000


def tree(number):
    notes = f"stands by the river, row {number % 977}, seen from {{the}} [bridge] " * 8
    return {
        "number": f"T-{number:06d}",
        "girth": number % 600 / 100,
        "place": {"street": "Riva Bassa"},
        "notes": notes,
    }


def as_json(count=ROWS):
    return [b'{"total": %d, "trees": [' % count, *(b"%s%s" % (b"," if at else b"",
    json.dumps(tree(at)).encode()) for at in range(count)), b'], "end": true}']  # fmt: skip


def as_xml(count=ROWS):
    rows = (
        '<tree number="{number}"><girth>{girth}</girth><place><street>Riva'
        " Bassa</street></place><notes>{notes}</notes></tree>".format(**tree(at)).encode()
        for at in range(count)
    )
    return [b'<?xml version="1.0"?><r><trees>', *rows, b"</trees></r>"]


class Growing:
    """Answers at first with a few trees, to describe the operation by, then with all of them; slowly, if it is told
    to."""

    def __init__(self, pieces, media_type):
        self.few, self.all = pieces(3), b"".join(pieces())
        self.media_type = media_type
        self.stop_at = None

    async def answer(self, request):
        response = web.StreamResponse(headers={"Content-Type": self.media_type})
        body = self.all if request.query.get("limit") == "all" else b"".join(self.few)
        await response.prepare(request)
        for at in range(0, len(body), 1_000_000):
            await response.write(body[at : at + 1_000_000])
        await response.write_eof()
        return response


def large_feed(rondine, serve, name, pieces, media_type="application/json", rows="$.trees[*]"):
    growing = Growing(pieces, media_type)
    outside = serve(growing.answer)
    rondine.permit(outside.port)
    service = rondine.connect(name, outside.url)
    rondine.feed(name, "/trees", service=service, limit=3, rows=rows)
    office = rondine.office()
    operation = office.operations.get(name)
    document = {**operation["document"], "query": [{"name": "limit", "value": "all"}]}
    office.operations.change(name, version=operation["version"], document=document)
    return growing, outside


@pytest.mark.parametrize(
    ("name", "pieces", "media_type", "rows"),
    [
        ("large-json", as_json, "application/json", "$.trees[*]"),
        ("large-xml", as_xml, "application/xml", "/r/trees/tree"),
        ("large-lines", lambda count=ROWS: [json.dumps(tree(at)).encode() + b"\n" for at in range(count)],
        "application/x-ndjson", "$[*]"),
    ],
)  # fmt: skip
def test_a_large_response_is_read_in_parts_and_memory_stays(rondine, serve, name, pieces, media_type, rows):
    growing, _ = large_feed(rondine, serve, name, pieces, media_type, rows)
    worker = rondine.processes["worker"].pid
    rondine.finish(name)
    run = rondine.finish(name)  # the second time, what stays of the first is not counted
    before = resident(worker)
    assert counts(rondine.finish(name)) == {"rows": ROWS, "unchanged": ROWS}
    shows_end = name == "large-json"  # its total
    assert (run["state"], run["completeness"], run["calls"]) == ("done", "complete" if shows_end else "unknown", 1)
    (call,) = rondine.office().runs.calls(run["id"])
    assert call["size"] == len(growing.all) and call["rows"] == ROWS and call["body"] is None
    assert resident(worker) - before < 30_000_000
    found = rondine.office().records.get("test", name, "T-023999")
    assert Decimal(found["data"]["girth"]) == Decimal("5.99")


def test_a_worker_killed_within_a_large_response_loses_and_doubles_nothing(rondine, serve):
    large_feed(rondine, serve, "large-killed", as_json)
    run = rondine.office().feeds.run("large-killed")
    wait_until(
        lambda: "within" in (rondine.sql("SELECT checkpoint FROM runs_run WHERE id = %s", run["id"])[0][0] or {})
    )
    rondine.end("worker", signal.SIGKILL)
    before = rondine.office().runs.get(run["id"])
    assert 0 < before["counts"][0]["rows"] < ROWS
    rondine.start_worker()
    last = rondine.watch(run["id"])
    assert (last["state"], last["attempt"], last["completeness"]) == ("done", 2, "complete")
    assert counts(last) == {"rows": ROWS, "created": ROWS}
    assert len(kept(rondine, "large-killed")) == ROWS
    assert [call["rows"] for call in rondine.office().runs.calls(run["id"])][-1] < ROWS


def test_what_came_before_the_response_broke_off_is_kept_and_the_run_says_where_it_ended(rondine, serve):
    growing, _ = large_feed(rondine, serve, "large-broken", as_json)
    growing.all = growing.all[: len(growing.all) * 3 // 4]
    run = rondine.finish("large-broken")
    assert (run["state"], run["error"]["code"]) == ("failed", "unreadable_document")
    assert "the text ends within the list of rows" in run["error"]["message"]
    counted = counts(run)
    assert ROWS / 2 < counted["rows"] == counted["created"] < ROWS


def test_rows_that_do_not_fit_are_rejected_whole_within_a_large_response(rondine, serve):
    growing, _ = large_feed(rondine, serve, "large-bad", as_json)
    growing.all = growing.all.replace(b'"girth": 5.99,', b'"girth": "5,99",')
    run = rondine.finish("large-bad")
    assert counts(run) == {"rows": ROWS, "created": ROWS - 40, "rejected": 40}
    reject = next(rondine.office().runs.rejects(run["id"]))
    assert reject["path"] == "$['trees'][599]" and json.loads(reject["row"])["place"] == {"street": "Riva Bassa"}
