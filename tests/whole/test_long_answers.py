"""Answers that are ready later: ordered once, looked after until they are there, also by another worker."""

import json
import signal
import time

import pytest
from aiohttp import web
from tests.made_feed import ROWS, feed
from tests.whole_rondine import wait_until


@pytest.fixture
def exports(rondine, serve):
    """A service that makes an export of all trees when it is ordered, and has it ready after some seconds."""

    class Exports:
        seconds = 1.0
        ends = "ready"
        orders: list[float] = []
        looks = 0

    def answer(request):
        if request.method == "POST":
            Exports.orders.append(time.monotonic())
            headers = {"Location": f"/exports/{len(Exports.orders)}", "Retry-After": "1"}
            return web.json_response({"state": "queued"}, status=202, headers=headers)
        if request.path.endswith("/trees"):
            return web.json_response({"trees": ROWS, "next": None})
        Exports.looks += 1
        if time.monotonic() - Exports.orders[-1] < Exports.seconds:
            return web.json_response({"state": "running"}, headers={"Retry-After": "1"})
        return web.json_response({"state": Exports.ends, "result": f"{request.path}/trees"})

    outside = serve(answer)
    rondine.permit(outside.port)
    Exports.outside, Exports.orders, Exports.looks = outside, [], 0
    return Exports


LATER = {"state": "/state", "ready": ["ready"], "failed": ["lost"], "result": "/result", "every": 0.5}


def export_feed(rondine, exports, trees, name, **later):
    trees.outside = exports.outside
    operation = {"method": "POST", "path": "/exports", "reads": True, "later": {**LATER, **later}}
    return feed(rondine, trees, name, [], operation=operation)


def test_what_is_ordered_arrives_as_records_in_one_run(rondine, exports, trees):
    name = export_feed(rondine, exports, trees, "ordered")
    run = rondine.finish(name)
    assert (run["state"], run["completeness"], run["counts"][0]["created"]) == ("done", "complete", 6), run
    calls = list(rondine.office().runs.calls(run["id"]))
    assert calls[0]["purpose"] == "ordered" and calls[-1]["purpose"] == ""
    assert {call["purpose"] for call in calls[1:-1]} == {"looked after"}
    assert calls[-1]["url"].endswith("/exports/1/trees") and len(exports.orders) == 1


def test_a_crash_in_between_orders_it_once(rondine, exports, trees):
    exports.seconds = 20.0
    name = export_feed(rondine, exports, trees, "ordered-once")
    run = rondine.office().feeds.run(name)
    wait_until(lambda: exports.looks >= 2)
    rondine.processes["worker"].send_signal(signal.SIGKILL)
    rondine.processes.pop("worker").wait()
    rondine.start_worker()
    run = rondine.watch(run["id"])
    assert (run["state"], run["attempt"], run["counts"][0]["created"]) == ("done", 2, 6), run
    assert len(exports.orders) == 1


@pytest.mark.parametrize(
    ("name", "ends", "later", "words"),
    [
        ("lost-order", "lost", {}, 'its state is "lost"'),
        ("slow-order", "ready", {"longest": 1.0, "state": "/state"}, "was not ready after 1 seconds"),
        ("odd-order", "ready", {"result": "/elsewhere"}, "nothing at /elsewhere says where the answer is"),
    ],
)
def test_what_will_not_come_is_told(rondine, exports, trees, name, ends, later, words):
    exports.ends = ends
    exports.seconds = 3.0 if name == "slow-order" else 0.0
    export_feed(rondine, exports, trees, name, **later)
    run = rondine.finish(name)
    assert run["state"] == "failed" and words in run["error"]["message"], run["error"]


def test_a_run_that_waits_is_cancelled_at_once(rondine, exports, trees):
    exports.seconds = 600.0
    name = export_feed(rondine, exports, trees, "cancelled-order", every=60)
    run = rondine.office().feeds.run(name)
    wait_until(lambda: exports.looks >= 1)
    began = time.monotonic()
    rondine.office().runs.cancel(run["id"])
    assert rondine.watch(run["id"])["state"] == "cancelled" and time.monotonic() - began < 30


def test_what_can_never_come_is_told_before(rondine, exports, trees):
    name = export_feed(rondine, exports, trees, "judged-order", ready=[])
    shown = json.loads(rondine.cli("operation", "show", name).stdout)
    assert [problem["where"] for problem in shown["problems"]] == ["/later/ready"]
