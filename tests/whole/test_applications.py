"""Applications: what they may call and read, and what becomes of their calls."""

import asyncio
import importlib
import json
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal

import httpx
import psycopg
import pytest
from tests.desk import ROWS, Desk

from rondine_client import AsyncApplication, RondineProblem
from rondine_client.generating import python_package


@pytest.fixture
def desk(rondine, serve, request):
    name = request.node.name.removeprefix("test_").replace("_", "-")[:40].rstrip("-")
    return Desk(rondine, serve, name)


def refused(call, *args, **kwargs):
    with pytest.raises(RondineProblem) as told:
        call(*args, **kwargs)
    return told.value


def until(what, seconds=15):
    end = time.monotonic() + seconds
    while not (found := what()):
        assert time.monotonic() < end
        time.sleep(0.05)
    return found


def test_an_application_calls_and_reads_what_it_may(desk):
    offer = desk.use.offer()
    assert [(one["name"], one["writes"]) for one in offer["operations"]] == [
        ("get-tree", False),
        ("list-trees", False),
        ("plan", True),
    ]
    reply = desk.use.call("get-tree", {"number": "OLM-3"})
    assert (reply["status"], reply["outcome"], reply["body"], reply["is_all"]) == (200, "good", ROWS[2], True)
    page = desk.use.call("list-trees", mapping="trees")
    assert page["records"] == {"tree": [{"number": "OLM-1", "girth": "1"}, {"number": "OLM-2", "girth": "2"}]}
    assert (page["is_all"], page["all_why"], page["rejects"], page["filtered"]) == (
        False,
        "there is a next page",
        [],
        0,
    )
    pages = list(desk.use.replies("list-trees", mapping="trees"))
    assert [one["number"] for page in pages for one in page["records"]["tree"]] == [row["number"] for row in ROWS]
    assert [page["is_all"] for page in pages] == [False, False, True]
    assert json.loads(desk.use.content("get-tree", {"number": "OLM-1"})) == ROWS[0]
    run = until(lambda: _run(desk, reply["run"]), 5)
    assert (run["kind"], run["state"], run["begun_by"], run["calls"]) == ("application", "done", "application desk", 1)
    [call] = desk.project.runs.calls(run["id"])
    assert (call["status"], call["url"].rpartition("/")[2], call["body"]) == (200, "OLM-3", None)


def test_what_an_application_may_not_use_is_not_there(desk, rondine):
    desk.set(all_operations=False, operations=["get-tree"], all_record_types=False, record_types=[], may_write=False)
    assert [one["name"] for one in desk.use.offer()["operations"]] == ["get-tree"]
    assert refused(desk.use.call, "list-trees").code == "not_found"
    assert refused(desk.use.record, "tree", "OLM-1").code == "not_found"
    desk.set(operations=["get-tree", "plan"])
    problem = refused(desk.use.call, "plan", {"task": "water"}, key="water-it-once")
    assert (problem.status, problem.code) == (403, "not_allowed")
    assert desk.planned == []
    assert [one["name"] for one in desk.use.offer()["operations"]] == ["get-tree"]

    elsewhere = refused(desk.application(environment="live").offer)
    assert (elsewhere.status, elsewhere.code) == (403, "not_allowed")
    assert refused(rondine.client("mira").project(desk.name).applications.make, "own", environment="test").status == 403
    own = desk.rondine.client("mira")
    assert (
        "not the token of an application" in refused(desk.application(own._headers["Authorization"][7:]).offer).message
    )
    admin = desk.admin.applications
    [token] = admin.tokens("desk")
    admin.revoke_token("desk", token["id"])
    assert refused(desk.use.offer).code == "sign_in_needed"
    desk.token = admin.make_token("desk", "again")["token"]
    desk.set(enabled=False)
    assert "disabled" in refused(desk.application().offer).message


def test_the_same_key_gets_the_same_reply_and_one_effect(desk):
    first = desk.use.call("plan", {"task": "water"}, key="water-on-monday")
    again = desk.use.call("plan", {"task": "water"}, key="water-on-monday")
    assert first == again
    assert desk.planned == ["water"]
    other = refused(desk.use.call, "plan", {"task": "fell"}, key="water-on-monday")
    assert (other.status, other.code) == (422, "key_used")
    without = desk.sent("POST", "/operations/plan", json={"inputs": {"task": "prune"}})
    assert (without.status_code, without.json()["code"]) == (400, "key_needed")
    assert desk.planned == ["water"]
    assert desk.use.call("plan", {"task": "prune"})["body"] == {"number": 2}  # with a key that the library made

    desk.seconds = 0.7
    with ThreadPoolExecutor(8) as pool:
        replies = list(pool.map(lambda _: desk.use.call("plan", {"task": "move"}, key="move-it-once"), range(8)))
    assert len({json.dumps(reply) for reply in replies}) == 1
    assert desk.planned == ["water", "prune", "move"]


def test_failures_say_whose_they_are_and_whether_trying_again_helps(desk):
    desk.status = 503
    problem = refused(desk.application(retries=0).call, "get-tree", {"number": "OLM-1"})
    assert (problem.status, problem.code, problem.may_pass) == (502, "service_failed", True)
    assert problem.document["outside"] == {"status": 503, "message": "the register rests"}
    run = until(lambda: _run(desk, problem.document["run"]), 5)
    assert (run["state"], run["error"]["code"]) == ("failed", "service_failed")
    [call] = desk.project.runs.calls(run["id"])
    assert desk.project.bodies.text(call["body"])  # what failed is kept with its body
    desk.status = 422
    problem = refused(desk.use.call, "plan", {"task": "water"})
    assert (problem.document["outside"]["status"], problem.may_pass) == (422, False)
    desk.status, desk.seconds = 200, 3
    began = time.monotonic()
    slow = refused(desk.application(retries=0).call, "get-tree", {"number": "OLM-1"}, wait=0.5)
    assert (slow.status, slow.code, slow.may_pass) == (504, "service_too_slow", True)
    assert time.monotonic() - began < 2.5
    desk.seconds = 0
    assert refused(desk.use.call, "get-tree", {"numbr": "OLM-1"}).hint == 'did you mean "number"?'
    assert refused(desk.use.call, "get-tree").where == "/number"
    missing = refused(desk.use.call, "get-tree", {"number": "OLM-99"})
    assert missing.document["outside"]["status"] == 404
    gone = desk.outside
    gone.close()
    away = refused(desk.application(retries=0).call, "get-tree", {"number": "OLM-1"})
    assert (away.code, away.may_pass) == ("unreachable", True)
    gone.close = lambda: None


def _run(desk, address):
    try:
        return desk.project.runs.get(int(address.rpartition("/")[2]))
    except RondineProblem:
        return None


def test_calls_in_the_background_are_waited_for_or_asked_for_later(desk):
    desk.seconds = 0.5
    run = desk.use.start("plan", {"task": "survey"}, key="survey-in-spring")
    assert (run["state"] in ("queued", "running"), run["operation"], run["reply"]) == (True, "plan", None)
    again = desk.use.start("plan", {"task": "survey"}, key="survey-in-spring")
    assert again["number"] == run["number"]
    *_, last = desk.use.watch(run["number"])
    assert (last["state"], last["reply"]["status"], last["reply"]["body"]["body"]) == ("done", 200, {"number": 1})
    assert desk.use.run(run["number"])["reply"] == last["reply"]
    assert desk.use.call("plan", {"task": "survey"}, key="survey-in-spring")["body"] == {"number": 1}
    assert desk.planned == ["survey"]
    answer = desk.sent(
        "POST",
        "/operations/get-tree",
        json={"inputs": {"number": "OLM-2"}},
        headers={"Prefer": "respond-async, wait=20"},
    )
    assert (answer.status_code, answer.json()["body"]) == (200, ROWS[1])
    left = desk.sent(
        "POST", "/operations/get-tree", json={"inputs": {"number": "OLM-2"}}, headers={"Prefer": "respond-async"}
    )
    assert (left.status_code, left.headers["Preference-Applied"]) == (202, "respond-async")
    number = int(left.headers["Location"].rpartition("/")[2])
    until(lambda: desk.use.run(number)["state"] == "done")
    kept = desk.sent("GET", f"/runs/{number}/reply")
    assert (kept.status_code, kept.json()["body"]) == (200, ROWS[1])
    other = desk.admin.applications
    other.make("other", environment="test", document={"all_operations": True})
    token = other.make_token("other", "tests")["token"]
    assert refused(desk.application(token).run, number).code == "not_found"  # not its own


def test_an_environment_s_release_decides_what_applications_get(desk):
    desk.project.releases.make("the first")
    desk.project.environments.use_release("test", 1)
    held = desk.project.operations.get("get-tree")
    document = {**held["document"], "enabled": False}
    desk.project.operations.change("get-tree", version=held["version"], document=document)
    assert desk.use.call("get-tree", {"number": "OLM-1"})["body"] == ROWS[0]  # as released
    assert desk.use.offer()["release"] == 1
    desk.project.environments.use_release("test", None)
    problem = refused(desk.use.call, "get-tree", {"number": "OLM-1"})
    assert (problem.code, problem.message) == ("not_ready", 'operation "get-tree" is disabled')
    desk.project.environments.roll_back("test")
    assert desk.use.call("get-tree", {"number": "OLM-1"})["body"] == ROWS[0]


def test_records_are_read_with_filters_and_by_their_keys(desk):
    desk.project.feeds.make("all-trees", operation="list-trees", mapping="trees", environment="test")
    *_, run = desk.project.runs.watch(desk.project.feeds.run("all-trees")["id"])
    assert run["state"] == "done"
    found = list(desk.use.records("tree", sort="-girth", **{"girth.from": 2}))
    assert [one["data"]["girth"] for one in found] == ["5", "4", "3", "2"]
    assert desk.use.record("tree", "OLM-4")["data"] == {"number": "OLM-4", "girth": "4"}
    assert refused(desk.use.record, "tree", "OLM-9").code == "not_found"
    assert refused(lambda: list(desk.use.records("tree", number="OLM-4"))).message == (
        'the field "number" is not searchable'
    )
    assert refused(lambda: list(desk.use.records("tree", limit=5, cursor="x"))).where == "?cursor"
    changes = desk.use.changes("tree")
    assert (changes["items"], changes["is_all"]) == ([], True)  # first rows are no changes


def test_only_users_in_the_right_state_are_called_for(desk):
    project = desk.project
    fields = [{"name": "name", "type": "text"}, {"name": "state", "type": "text"}]
    project.record_types.make("crew-member", document={"key": ["name"], "fields": fields})
    output = {
        "record_type": "crew-member",
        "rows": [{"level": "member", "at": "trees[*]"}],
        "fields": [{"name": "name", "from": "number"}, {"name": "state", "from": "girth", "type": "text"}],
    }
    project.mappings.make("members", service="desk-register", document={"outputs": [output]})
    project.feeds.make("members", operation="list-trees", mapping="members", environment="test")
    *_, run = project.runs.watch(project.feeds.run("members")["id"])
    assert run["state"] == "done", run["ending"]
    desk.set(callers={"record_type": "crew-member", "field": "state", "values": ["1", "2"]})
    assert refused(desk.use.call, "get-tree", {"number": "OLM-1"}).status == 401
    active = desk.application(caller="OLM-2")
    assert active.call("get-tree", {"number": "OLM-1"})["body"] == ROWS[0]
    problem = refused(active.for_caller("OLM-4").call, "get-tree", {"number": "OLM-1"})
    assert (problem.status, problem.message) == (403, 'this application may not call for "OLM-4": state is 4')
    assert (
        "no crew-member" in refused(active.for_caller("OLM-8").call, "plan", {"task": "x"}, key="by-nobody-1").message
    )
    assert refused(active.for_caller("OLM-4").start, "plan", {"task": "x"}, key="by-nobody-2").status == 403
    assert desk.planned == []
    assert refused(desk.use.record, "crew-member", "OLM-2").status == 401  # reading, too
    assert active.record("crew-member", "OLM-4")["data"]["state"] == "4"


def test_a_limit_of_requests_a_minute_is_kept(desk):
    second = time.time() % 60
    if second > 50:
        time.sleep(61 - second)
    desk.set(calls_a_minute=5)
    answers = [desk.sent("GET", "") for _ in range(7)]
    assert [one.status_code for one in answers] == [200] * 5 + [429] * 2
    assert 0 < int(answers[-1].headers["Retry-After"]) <= 60
    assert answers[-1].json()["code"] == "rate_reached"
    with ThreadPoolExecutor(6) as pool:
        assert {one.status_code for one in pool.map(lambda _: desk.sent("GET", ""), range(12))} == {429}


def test_a_service_that_takes_keys_is_given_one_of_its_own(desk):
    held = desk.project.operations.get("plan")
    desk.project.operations.change("plan", version=held["version"], document={**held["document"], "takes_key": True})
    time.sleep(1.1)  # a process trusts what it has read of an operation for a second
    desk.use.call("plan", {"task": "water"}, key="water-it-now")
    [key] = desk.keys
    assert key and key != "water-it-now"  # another application's key may be the same
    desk.use.call("plan", {"task": "water"}, key="water-it-then")
    assert len(set(desk.keys)) == 2


def test_what_is_wrong_with_a_request_is_said(desk):
    for body, where in (
        (b"[1]", "/"),
        (b'{"input": {}}', "/input"),
        (b'{"inputs": 3}', "/inputs"),
        (b'{"mapping": 3}', "/mapping"),
        (b'{"after": "eyJ"}', "/after"),
        (b"{", "the request's body"),
    ):
        answer = desk.sent("POST", "/operations/list-trees", content=body)
        assert (answer.status_code, answer.json()["where"].partition(",")[0]) == (400, where), body
    assert desk.sent("GET", "/operations/list-trees").status_code == 405
    assert desk.sent("GET", "/operations/list-trees").headers["Allow"] == "POST"
    assert desk.sent("GET", "/nothing").status_code == 404
    assert desk.sent("GET", "/runs/x").status_code == 404
    assert desk.sent("GET", "/records/tree?a=%00").status_code == 400
    assert desk.sent("GET", "/records/%FF").status_code == 400
    headers = {"Idempotency-Key": "short"}
    assert desk.sent("POST", "/operations/plan", json={}, headers=headers).json()["where"] == "Idempotency-Key header"
    headers = {"Prefer": "wait=soon"}
    assert desk.sent("POST", "/operations/plan", json={}, headers=headers).json()["where"] == "Prefer header"
    assert httpx.get(f"{desk.rondine.url}/api/v1/use/{desk.name}/test").status_code == 401
    page = desk.use.call("list-trees")
    assert refused(desk.use.call, "list-trees", {"start": 1}, after=page["next"]).where == "/after"  # of another call


def test_the_document_of_an_application_is_sound_and_its_calls_work(desk):
    document = desk.use.openapi()
    assert set(document["paths"]) == {
        *(f"/operations/{name}{part}" for name in ("get-tree", "list-trees", "plan") for part in ("", "/content")),
        "/records/tree",
        "/records/tree/{number}",
        "/runs/{number}",
    }
    request = document["paths"]["/operations/get-tree"]["post"]["requestBody"]
    assert request["content"]["application/json"]["schema"]["properties"]["inputs"]["required"] == ["number"]
    # Rondine itself reads what it says of itself
    seen = desk.project.definitions.look_at(files={"desk.json": json.dumps(document)})
    assert {one["key"] for one in seen["operations"]} >= {"POST /operations/get-tree", "GET /records/tree"}
    assert seen["warnings"] == []
    [offered] = [one for one in desk.use.offer()["operations"] if one["name"] == "list-trees"]
    code = offered["examples"]["python"]
    out = []
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("RONDINE_APPLICATION_TOKEN", desk.token)
        exec(code, {"print": out.append})  # noqa: S102  # as its reader would run it
    assert out[0]["tree"][0] == {"number": "OLM-1", "girth": "1"}


def test_generated_code_calls_what_is_released(desk, tmp_path, monkeypatch):
    folder = tmp_path / "released_desk"
    folder.mkdir()
    for name, text in python_package(desk.use.openapi()).items():
        (folder / name).write_text(text)
    monkeypatch.syspath_prepend(str(tmp_path))
    made = importlib.import_module("released_desk").Desk(desk.use)
    assert made.get_tree(number="OLM-2").body == ROWS[1]
    pages = list(made.list_trees_as_trees_by_page(start=0))
    assert [tree.girth for page in pages for tree in page.tree] == [Decimal(row["girth"]) for row in ROWS]
    assert [page.is_all for page in pages] == [False, False, True]
    assert made.plan(task="water").status == 201


def test_the_client_for_asyncio_gives_the_same(desk):
    async def both():
        options = {"token": desk.token, "url": desk.rondine.url}
        async with AsyncApplication(desk.name, "test", **options) as use:
            pages = [page async for page in use.replies("list-trees", mapping="trees")]
            return await use.call("plan", {"task": "climb"}), pages

    reply, pages = asyncio.run(both())
    assert reply["body"] == {"number": 1}
    assert [len(page["records"]["tree"]) for page in pages] == [2, 2, 1]
    usage = until(lambda: desk.admin.applications.usage("desk"))
    assert {one["what"] for one in usage} <= {"plan", "list-trees"}


def test_many_wait_at_once_without_a_thread_each(desk):
    desk.seconds = 1

    async def ask():
        async with httpx.AsyncClient(limits=httpx.Limits(max_connections=None), timeout=60) as client:
            address = f"{desk.rondine.url}/api/v1/use/{desk.name}/test/operations/get-tree"
            headers = {"Authorization": f"Bearer {desk.token}"}
            body = {"inputs": {"number": "OLM-1"}}
            answers = await asyncio.gather(*(client.post(address, headers=headers, json=body) for _ in range(100)))
        return [one.status_code for one in answers]

    assert asyncio.run(ask()) == [200] * 100
    assert threading.active_count() < 60


def test_what_was_read_while_the_database_is_away_is_written_down_afterwards(desk, rondine):
    name = rondine.sql("SELECT current_database()")[0][0]
    desk.use.call("get-tree", {"number": "OLM-1"})
    with psycopg.connect(rondine.cluster_uri, autocommit=True) as server:
        reply = desk.use.call("get-tree", {"number": "OLM-2"})
        server.execute(f'ALTER DATABASE "{name}" ALLOW_CONNECTIONS false')
        try:
            server.execute("SELECT pg_terminate_backend(pid, 10000) FROM pg_stat_activity WHERE datname = %s", (name,))
            with pytest.raises((RondineProblem, httpx.HTTPError)):
                desk.use.call("get-tree", {"number": "OLM-3"})
            time.sleep(1)
        finally:
            server.execute(f'ALTER DATABASE "{name}" ALLOW_CONNECTIONS true')
    run = until(lambda: _run(desk, reply["run"]), 30)
    assert run["state"] == "done"
