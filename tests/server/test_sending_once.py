"""What is asked for twice with one mark is sent once (Idempotency-Key)."""

import asyncio
import uuid
from concurrent.futures import ThreadPoolExecutor

import pytest
from aiohttp import web

from rondine_client import RondineProblem


@pytest.fixture
def diary(rondine, serve):
    """A service that takes entries slowly: its name there, and what it got."""

    async def answer(request):
        await asyncio.sleep(0.5)
        return web.json_response({"entries": len(outside.calls)}, status=201)

    outside = serve(answer)
    rondine.permit(outside.port)
    name = f"diary-{uuid.uuid4().hex[:8]}"
    return rondine.connect(name, outside.url), outside


WRITE = {
    "method": "POST",
    "path": "/entries",
    "inputs": [{"name": "n"}],
    "query": [{"name": "n", "value": {"input": "n"}}],
}


def write(rondine, service, mark, **inputs):
    with rondine.client("mira") as client:
        return client.project("olmara").trials.send(
            service=service, document=WRITE, inputs=inputs or {"n": "1"}, confirmed=True, mark=mark
        )


def test_three_at_once_reach_the_service_once_and_get_the_same_answer(rondine, diary):
    service, outside = diary
    with ThreadPoolExecutor(3) as pool:
        made = list(pool.map(lambda _: write(rondine, service, "three-at-once"), range(3)))
    assert len(outside.calls) == 1
    assert len({one["run"] for one in made}) == 1
    assert [one["call"]["status"] for one in made] == [201, 201, 201]
    later = write(rondine, service, "three-at-once")
    assert (later["run"], len(outside.calls)) == (made[0]["run"], 1)
    write(rondine, service, "another-mark")
    write(rondine, service, None)
    assert len(outside.calls) == 3


def test_a_mark_stands_for_one_thing_one_person_and_one_project(rondine, diary):
    service, outside = diary
    write(rondine, service, "for-one-thing")
    with pytest.raises(RondineProblem) as raised:
        write(rondine, service, "for-one-thing", n="2")
    assert (raised.value.where, raised.value.document["status"]) == ("Idempotency-Key", 400)
    rondine.office("ada").trials.send(
        service=service, document=WRITE, inputs={"n": "1"}, confirmed=True, mark="for-one-thing"
    )
    assert len(outside.calls) == 2
    with pytest.raises(RondineProblem) as raised:
        write(rondine, service, "short")
    assert raised.value.where == "Idempotency-Key"


def test_what_was_refused_can_be_asked_for_again_with_its_mark(rondine, diary):
    service, outside = diary
    office = rondine.office()
    asked = {"service": service, "document": WRITE, "inputs": {"n": "1"}, "mark": "refused-at-first"}
    with pytest.raises(RondineProblem) as raised:
        office.trials.send(**asked)
    assert raised.value.where == "confirmed" and outside.calls == []
    asked["document"] = {**WRITE, "method": "GET"}
    assert office.trials.send(**asked)["call"]["status"] == 201
    assert len(outside.calls) == 1


def test_a_trial_that_failed_is_not_sent_again_either(rondine, serve):
    outside = serve(lambda request: web.Response(status=500, text="later"))
    rondine.permit(outside.port)
    service = rondine.connect(f"broken-{uuid.uuid4().hex[:8]}", outside.url)
    first = write(rondine, service, "it-fails-anyway")
    again = write(rondine, service, "it-fails-anyway")
    assert (first["run"], first["call"]["status"]) == (again["run"], again["call"]["status"])
    assert len(outside.calls) == 1


def test_a_feed_is_queued_once_for_a_mark(rondine):
    name = rondine.feed("marked-feed", "/v1/trees", paging={"type": "link_header"})

    def run(_=None):
        with rondine.client("mira") as client:
            return client.project("olmara").feeds.run(name, mark="run-it-once")["id"]

    with ThreadPoolExecutor(3) as pool:
        ids = set(pool.map(run, range(3)))
    assert len(ids) == 1
    assert rondine.watch(ids.pop())["state"] == "done"
    assert len({run(), *(one["id"] for one in rondine.office().runs.search(feed=name))}) == 1
