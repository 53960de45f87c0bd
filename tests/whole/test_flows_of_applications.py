"""Flows that applications and language models call: at once where they only read, once for each key where they write,
and with what they wait for where they take long."""

import asyncio
import time

import httpx
import jsonschema
import pytest
from tests.flowing import Papers, ask, end, together
from tests.whole.test_language_models import talked
from tests.whole_rondine import wait_until

from rondine_client import Application, AsyncApplication, RondineProblem


@pytest.fixture(scope="module")
def papers(rondine, serve_for_module):
    papers = Papers(rondine, serve_for_module, "called-flows")
    title = {"at": {"jsonpath": "$.body.papers[0].title"}}
    papers.flow("short", ask("tree"), end(title={**title, "result": "tree"}), reply=[{"name": "title", "type": "text"}])
    papers.flow(
        "file",
        together("papers", "tree", "soil", "lots", success={"type": "what_succeeds"}, gather={"record_type": "paper"}),
        end(papers={"result": "papers", "at": "records"}, refused={"result": "papers", "at": "failures"}),
        reply=[{"name": "papers", "records": "paper", "required": True}, {"name": "refused"}],
    )
    papers.flow("planned", ask("plan", "plan"), end(day={"result": "plan", "at": "body.day"}), reply=[{"name": "day"}])
    papers.flow(
        "asked",
        {"type": "pause", "name": "yes", "time_limit": 600, "person": {"question": "May it be felled?"}},
        end(agreed={"result": "yes", "at": "agreed"}),
        reply=[{"name": "agreed"}],
    )
    papers.flow("refused", {"type": "end", "name": "no", "fail": {"value": "it stands in a protected row"}})
    papers.flow(
        "outer", {"type": "ask", "name": "in", "ask": {"flow": "planned", "inputs": {"number": {"input": "number"}}}}
    )
    return papers


@pytest.fixture
def use(papers, rondine, request):
    """An application of its own for each test, which may call every flow and write."""
    name = request.node.name.removeprefix("test_").replace("_", "-")[:40].rstrip("-")
    admin = papers.admin.applications
    admin.make(name, environment="test", document={"all_flows": True, "may_write": True})
    token = admin.make_token(name, "tests")["token"]
    with Application(papers.name, "test", token=token, url=rondine.url, retries=0) as application:
        application.name, application.token = name, token
        yield application


def change(papers, use, **document):
    item = papers.admin.applications.get(use.name)
    papers.admin.applications.change(use.name, version=item["version"], document={**item["document"], **document})


def refused(call, *args, **kwargs):
    with pytest.raises(RondineProblem) as told:
        call(*args, **kwargs)
    return told.value


def number_of(reply):
    return int(reply["run"].rpartition("/")[2])


def test_one_that_only_reads_is_answered_at_once_and_told_afterwards(papers, use):
    before = papers.asked["/tree/OLM-7"]
    reply = use.call_flow("short", {"number": "OLM-7"})
    assert (reply["flow"], reply["reply"]) == ("short", {"title": "tree of OLM-7"})
    assert papers.asked["/tree/OLM-7"] == before + 1
    run = wait_until(lambda: found if (found := _run(papers, number_of(reply))) else None, 5)
    assert (run["kind"], run["state"], run["begun_by"]) == ("flow", "done", f"application {use.name}")
    assert run["queued_at"] and run["started_at"] <= run["ended_at"]
    shown = papers.project.flows.shown(run["id"])
    assert shown["reply"] == {"title": "tree of OLM-7"}
    assert [task["task"] for task in shown["tasks"]] == ["tree"]
    [call] = papers.project.runs.calls(run["id"])
    assert (call["status"], call["task"], call["operation"]) == (200, "tree", "find-tree")
    assert call["body"] is not None
    [usage] = wait_until(lambda: papers.project.applications.usage(use.name), 5)
    assert (usage["what"], usage["calls"], usage["failed"]) == ("flow short", 1, 0)
    assert use.run(run["id"])["flow"] == "short"


def _run(papers, number):
    try:
        return papers.project.runs.get(number)
    except RondineProblem as problem:
        assert problem.code == "not_found"


def test_what_succeeds_is_delivered_at_once_with_the_reasons_of_the_rest(papers, use):
    papers.status["soil"] = 503
    papers.seconds["tree"] = papers.seconds["lots"] = 0.5
    try:
        began = time.monotonic()
        reply = use.call_flow("file", {"number": "OLM-3"})["reply"]
        took = time.monotonic() - began
    finally:
        papers.status.clear()
        papers.seconds.clear()
    assert [one["number"] for one in reply["papers"]] == ["tree-OLM-3", "lots-OLM-3"]
    assert reply["refused"][0]["part"] == "soil" and reply["refused"][0]["status"] == 503
    assert took < 0.95, "they were asked one after the other"


def test_a_failure_is_a_problem_that_says_whose_it_is(papers, use):
    papers.status["tree"] = 503
    try:
        problem = refused(use.call_flow, "short", {"number": "OLM-4"})
    finally:
        papers.status.clear()
    assert (problem.status, problem.code) == (502, "flow_failed")
    assert problem.document["may_pass"] is True
    assert problem.document["failure"]["step"] == "tree" and problem.document["failure"]["status"] == 503
    assert "the tree counter is closed" in str(problem.document["failure"])
    run = wait_until(lambda: _run(papers, number_of(problem.document)), 5)
    assert (run["state"], run["error"]["code"]) == ("failed", problem.document["failure"]["kind"])
    own = refused(use.call_flow, "refused", {"number": "OLM-4"})
    assert (own.status, own.document["may_pass"], own.message) == (422, False, "it stands in a protected row")


def test_one_that_takes_longer_than_the_call_waits_is_ended_and_says_so(papers, use):
    papers.seconds["tree"] = 20
    try:
        problem = refused(use.call_flow, "short", {"number": "OLM-5"}, wait=0.5)
        assert (problem.status, problem.document["failure"]["kind"]) == (504, "time_over")
        wait_until(lambda: "tree" in papers.left, 5)  # nothing of it is left running
    finally:
        papers.seconds.clear()
    assert wait_until(lambda: _run(papers, number_of(problem.document)), 5)["state"] == "failed"


def test_one_that_writes_needs_a_key_and_is_run_once_for_each(papers, use, rondine):
    address = f"{rondine.url}/api/v1/use/{papers.name}/test/flows/planned"
    headers = {"Authorization": f"Bearer {use.token}"}
    body = {"inputs": {"number": "OLM-8"}}
    bare = httpx.post(address, json=body, headers=headers)
    assert (bare.status_code, bare.json()["code"]) == (400, "key_needed")
    assert 'step "plan"' in bare.json()["detail"]
    before = papers.asked["/plan"]
    replies = [use.call_flow("planned", {"number": "OLM-8"}, key="plan-it-once") for _ in range(3)]
    assert replies[0] == replies[1] == replies[2]
    assert papers.asked["/plan"] == before + 1
    other = refused(use.call_flow, "planned", {"number": "OLM-9"}, key="plan-it-once")
    assert (other.status, other.code) == (422, "key_used")
    assert papers.asked["/plan"] == before + 1
    use.call_flow("planned", {"number": "OLM-8"})  # the client makes a key
    assert papers.asked["/plan"] == before + 2


def test_a_double_click_runs_it_once(papers, use, rondine):
    before = papers.asked["/plan"]
    papers.seconds["plan"] = 0.5

    async def twice():
        async with AsyncApplication(papers.name, "test", token=use.token, url=rondine.url) as application:
            calls = [application.call_flow("planned", {"number": "OLM-2"}, key="one-and-the-same") for _ in range(5)]
            return await asyncio.gather(*calls)

    try:
        replies = asyncio.run(twice())
    finally:
        papers.seconds.clear()
    assert all(reply == replies[0] for reply in replies)
    assert papers.asked["/plan"] == before + 1


def test_one_that_waits_for_a_person_gives_its_run_and_then_its_reply(papers, use):
    waiting = use.call_flow("asked", {"number": "OLM-1"}, key="may-it-be-felled", wait=0.3)
    assert waiting["state"] in ("queued", "running", "waiting") and waiting["reply"] is None
    number = waiting["number"]
    papers.wait_for(number, "person")
    seen = use.run(number)
    assert (seen["state"], seen["flow"], seen["operation"]) == ("waiting", "asked", "")
    assert [(one["kind"], one["question"]) for one in seen["waits_for"]] == [("person", "May it be felled?")]
    assert "not over yet" in refused(use.reply, number).message
    again = use.call_flow("asked", {"number": "OLM-1"}, key="may-it-be-felled", wait=0.3)
    assert again["number"] == number
    papers.project.flows.answer(number, "yes", True)
    [*_, last] = use.watch(number)
    assert last["state"] == "done" and last["reply"]["body"]["reply"] == {"agreed": True}
    assert use.call_flow("asked", {"number": "OLM-1"}, key="may-it-be-felled")["reply"] == {"agreed": True}


def test_a_run_that_is_cancelled_is_answered_so(papers, use):
    begun = use.start_flow("asked", {"number": "OLM-1"})
    papers.wait_for(begun["number"], "person")
    papers.project.runs.cancel(begun["number"])
    [*_, last] = use.watch(begun["number"])
    assert (last["state"], last["reply"]["status"]) == ("cancelled", 409)
    assert last["reply"]["body"]["failure"]["kind"] == "cancelled"


def test_an_application_may_call_only_the_flows_that_it_is_given(papers, use):
    change(papers, use, may_write=False, all_flows=False, flows=["short", "planned", "outer"])
    assert [one["name"] for one in use.offer()["flows"]] == ["short"]
    assert refused(use.call_flow, "file", {"number": "OLM-1"}).code == "not_found"
    for name in ("planned", "outer"):  # the second one writes by asking the first
        problem = refused(use.call_flow, name, {"number": "OLM-1"}, key="not-allowed-1")
        assert (problem.status, problem.code) == (403, "not_allowed"), name
    assert use.call_flow("short", {"number": "OLM-1"})["reply"]
    wrong = refused(use.call_flow, "short", {"numbr": "OLM-1"})
    assert wrong.status == 400 and "numbr" in str(wrong.document)
    assert refused(use.call_flow, "shrt").document["hint"] == 'did you mean "short"?'
    unknown = papers.admin.applications.make("unknown-flow", environment="test", document={"flows": ["shrt"]})
    assert [one["where"] for one in unknown["problems"]] == ["/flows/0"]


def test_the_offer_tells_inputs_reply_and_examples_and_its_openapi_fits_the_reply(papers, use):
    offered = {one["name"]: one for one in use.offer()["flows"]}
    assert {name: (one["writes"], one["may_take_long"]) for name, one in offered.items()} == {
        "asked": (False, True),
        "file": (False, False),
        "outer": (True, True),
        "planned": (True, False),
        "refused": (False, False),
        "short": (False, False),
    }
    assert [one["name"] for one in offered["file"]["reply"]] == ["papers", "refused"]
    assert "call_flow" in offered["file"]["examples"]["python"]
    assert "Idempotency-Key" in offered["planned"]["examples"]["http"]
    document = use.openapi()
    schema = document["paths"]["/flows/file"]["post"]["responses"]["200"]["content"]["application/json"]["schema"]
    jsonschema.validate(use.call_flow("file", {"number": "OLM-1"}), {**schema, "components": document["components"]})


def test_language_models_call_flows_as_tools(papers, use, rondine):
    before = papers.asked["/plan"]

    async def talk(session):
        tools = (await session.list_tools()).tools
        good = await session.call_tool("flows.short", {"number": "OLM-6"})
        key = {"number": "OLM-6", "idempotency_key": "by-a-model-1"}
        plans = [await session.call_tool("flows.planned", key) for _ in range(2)]
        wrong = await session.call_tool("flows.short", {"numbr": "OLM-6"})
        return {tool.name: tool for tool in tools}, good, plans, wrong

    tools, good, plans, wrong = talked(f"{rondine.url}/api/v1/use/{papers.name}/test/mcp", use.token, talk)
    assert tools["flows.short"].annotations.read_only_hint and not tools["flows.planned"].annotations.read_only_hint
    assert tools["flows.short"].input_schema["required"] == ["number"]
    assert good.structured_content["reply"] == {"title": "tree of OLM-6"}
    assert plans[0].structured_content == plans[1].structured_content
    assert papers.asked["/plan"] == before + 1
    assert wrong.is_error and wrong.structured_content["hint"] == 'did you mean "number"?'


def test_a_release_that_changes_a_flow_leaves_what_is_under_way_on_its_own(papers, use):
    papers.flow(
        "changing",
        {"type": "pause", "name": "yes", "person": {"question": "?"}},
        end(of={"value": "old"}),
        reply=[{"name": "of"}],
    )
    begun = use.start_flow("changing", {"number": "OLM-1"})
    papers.wait_for(begun["number"], "person")
    held = papers.project.flows.get("changing")
    steps = [held["document"]["steps"][0], end(of={"value": "new"})]
    papers.project.flows.change("changing", version=held["version"], document={**held["document"], "steps": steps})
    papers.project.flows.answer(begun["number"], "yes", True)
    [*_, last] = use.watch(begun["number"])
    assert last["reply"]["body"]["reply"] == {"of": "old"}


def test_a_run_that_cannot_go_on_by_a_fault_here_is_answered_and_told(papers, use, rondine):
    about = {"about": {"type": "calls"}, "by": {"type": "email", "to": ["office@olmara.example"]}}
    papers.admin.subscriptions.make("ends", environment="test", document=about)
    begun = use.start_flow("asked", {"number": "OLM-1"})
    papers.wait_for(begun["number"], "person")
    broken = "UPDATE runs_run SET content = jsonb_set(content::jsonb, '{flow}', '{\"steps\": 5}') WHERE id = %s"
    rondine.sql(broken + " RETURNING id", begun["number"])
    papers.project.runs.cancel(begun["number"])  # which lets it go on, to its end
    [*_, last] = use.watch(begun["number"])
    assert last["state"] == "failed" and "the flow cannot be read" in last["message"]
    assert last["reply"]["body"]["code"] == "flow_failed"
    told = [one for one in papers.project.events.search() if one["run"] == begun["number"]]
    assert [one["kind"] for one in told] == ["call_ended"]


def test_a_tool_that_waits_for_a_person_answers_with_its_run(papers, use, rondine):
    change(papers, use, time_limit=0.5)

    async def talk(session):
        tools = (await session.list_tools()).tools
        return {tool.name: tool for tool in tools}, await session.call_tool("flows.asked", {"number": "OLM-1"})

    tools, waiting = talked(f"{rondine.url}/api/v1/use/{papers.name}/test/mcp", use.token, talk)
    assert tools["flows.asked"].output_schema is None and tools["flows.short"].output_schema["type"] == "object"
    assert not waiting.is_error and waiting.structured_content["state"] in ("queued", "running", "waiting")
    number = waiting.structured_content["number"]
    papers.wait_for(number, "person")
    papers.project.flows.answer(number, "yes", False)


def test_where_the_time_went_is_told_and_calls_at_the_same_time_count_once(papers, use, rondine):
    papers.seconds |= {"tree": 0.4, "soil": 0.4, "lots": 0.4}
    try:
        address = f"{rondine.url}/api/v1/use/{papers.name}/test/flows/file"
        headers = {"Authorization": f"Bearer {use.token}"}
        reply = httpx.post(address, json={"inputs": {"number": "OLM-1"}}, headers=headers)
    finally:
        papers.seconds.clear()
    timing = dict(one.split(";dur=") for one in reply.headers["server-timing"].split(", "))
    assert 400 <= float(timing["service"]) < 1100
    assert float(timing["rondine"]) > 0
