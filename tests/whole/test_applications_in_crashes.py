"""Writes of applications while the web process is killed: whoever repeats a request with its key gets one effect, or is
told that nobody knows."""

import asyncio
import signal
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor

import httpx
import pytest
from tests.desk import Desk
from tests.living import Site

WRITES = 200


def killed_meanwhile(rondine, desk, after, path="operations/plan", member="inputs", field="task", effects=None):
    """Calls that write, each with a key of its own, twenty at a time and repeated until there is an answer, while the
    web process is killed after some calls came to the service. effects: those that the service has had. Gives the last
    status of each, by task."""
    effects = effects or (lambda: desk.planned)

    async def call(client, task, gate):
        async with gate:
            end = time.monotonic() + 90
            while time.monotonic() < end:
                try:
                    answer = await client.post(
                        f"{rondine.url}/api/v1/use/{desk.name}/test/{path}",
                        headers={"Authorization": f"Bearer {desk.token}", "Idempotency-Key": f"key-of-{task}"},
                        json={member: {field: task}},
                    )
                    if answer.status_code != 503:  # the database's own, while connections come back
                        return task, answer.status_code, answer.json()
                except httpx.HTTPError:
                    pass
                await asyncio.sleep(0.2)
            web = rondine.processes["web"].poll()
            log = (rondine.home / "web.log").read_text()[-2000:]
            raise AssertionError(f"no answer for {task}; the web process {web or 'lives'}, its log ends: {log}")

    async def play():
        gate = asyncio.Semaphore(20)
        async with httpx.AsyncClient(timeout=60) as client:
            calls = [call(client, f"{desk.name}-{number}", gate) for number in range(WRITES)]
            answers = await asyncio.gather(*calls)
        return {task: (status, body) for task, status, body in answers}

    with ThreadPoolExecutor(1) as pool:
        playing = pool.submit(asyncio.run, play())
        for count in after:
            while len(effects()) < count and not playing.done():
                time.sleep(0.005)
            rondine.end("web", signal.SIGKILL)
            rondine.spawn("web", "-m", "rondine.server.main", "serve", "--port", str(rondine.port))
        return playing.result()


@pytest.mark.parametrize("takes_key", [True, False])
def test_a_killed_web_process_makes_no_write_twice(rondine, serve, takes_key):
    desk = Desk(rondine, serve, "desk-in-crashes" if takes_key else "desk-without-keys")
    desk.pause = 0.05  # so that many calls are under way when it is killed
    held = desk.project.operations.get("plan")
    document = {**held["document"], "takes_key": takes_key}
    desk.project.operations.change("plan", version=held["version"], document=document)
    answers = killed_meanwhile(rondine, desk, (WRITES // 4, WRITES // 2))
    effects = Counter(desk.planned)
    assert max(effects.values()) == 1
    good = {task for task, (status, _) in answers.items() if status == 200}
    unknown = {task for task, (status, body) in answers.items() if body.get("code") == "outcome_unknown"}
    assert good | unknown == set(answers)
    assert good <= set(effects)
    if takes_key:
        assert not unknown
        assert len(effects) == WRITES
    else:
        assert 0 < len(unknown) <= 60  # what was under way: nobody knows, and it was not sent again
    project = rondine.client("mira").project(desk.name)  # over a new connection
    assert {run["state"] for run in project.runs.search(limit=300)} <= {"done", "failed"}


def test_a_killed_web_process_makes_no_live_record_twice(rondine, serve):
    site = Site(rondine, serve, "site-in-crashes")
    site.pause = 0.05

    def planted():
        rows = list(site.rest.rows.values())
        return [row["species"] for row in rows if row["species"].startswith(site.name)]

    answers = killed_meanwhile(
        rondine, site, (WRITES // 4, WRITES // 2), "records/planting", "data", "species", effects=planted
    )
    effects = Counter(planted())
    assert max(effects.values()) == 1
    good = {task for task, (status, _) in answers.items() if status == 201}
    unknown = {task for task, (_, body) in answers.items() if body.get("code") == "outcome_unknown"}
    assert good | unknown == set(answers) and good <= set(effects)
    assert 0 < len(unknown) <= 60
    project = rondine.client("mira").project(site.name)
    assert {run["state"] for run in project.runs.search(limit=300)} <= {"done", "failed"}
