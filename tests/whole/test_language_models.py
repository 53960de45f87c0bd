"""What an application is offered over the Model Context Protocol, asked for by a client of the official SDK."""

import asyncio
import json

import httpx2
import pytest
from mcp.client.session import ClientSession
from mcp.client.streamable_http import streamable_http_client
from tests.desk import ROWS, Desk


@pytest.fixture
def desk(rondine, serve, request):
    return Desk(rondine, serve, "models-" + request.node.name.removeprefix("test_").replace("_", "-")[:30].rstrip("-"))


def asked(desk, talk, token=None):
    """What `talk(session)` comes to, in a session of the SDK's client."""

    async def run():
        headers = {"Authorization": f"Bearer {token or desk.token}"}
        address = f"{desk.rondine.url}/api/v1/use/{desk.name}/test/mcp"
        async with (
            httpx2.AsyncClient(headers=headers, timeout=60) as http,
            streamable_http_client(address, http_client=http) as streams,
            ClientSession(streams[0], streams[1]) as session,
        ):
            await session.initialize()
            return await talk(session)

    return asyncio.run(run())


def test_tools_are_listed_marked_and_called(desk):
    async def talk(session):
        listed = await session.list_tools()
        tree = await session.call_tool("get-tree", {"number": "OLM-3"})
        page = await session.call_tool("list-trees", {})
        plan = await session.call_tool("plan", {"task": "water", "idempotency_key": "water-it-once"})
        again = await session.call_tool("plan", {"task": "water", "idempotency_key": "water-it-once"})
        wrong = await session.call_tool("get-tree", {"numbr": "OLM-3"})
        rest = await session.call_tool("list-trees", {"after": page.structured_content["next"], "mapping": "trees"})
        return listed.tools, tree, page, plan, again, wrong, rest

    tools, tree, page, plan, again, wrong, rest = asked(desk, talk)
    named = {tool.name: tool for tool in tools}
    assert set(named) == {"get-tree", "list-trees", "plan", "records.tree"}
    assert named["get-tree"].annotations.read_only_hint and not named["plan"].annotations.read_only_hint
    assert named["get-tree"].input_schema["required"] == ["number"]
    assert named["get-tree"].input_schema["properties"]["number"]["type"] == "string"
    assert tree.structured_content["body"] == ROWS[2]
    assert json.loads(tree.content[0].text) == tree.structured_content
    assert page.structured_content["records"]["tree"][0] == {"number": "OLM-1", "girth": "1"}
    assert page.structured_content["is_all"] is False
    assert rest.structured_content["records"]["tree"][0]["number"] == "OLM-3"
    assert plan.structured_content == again.structured_content
    assert desk.planned == ["water"]
    assert wrong.is_error and wrong.structured_content["hint"] == 'did you mean "number"?'
    runs = [run for run in desk.project.runs.search(kind="application") if run["operation"] == "plan"]
    assert [(run["state"], run["begun_by"]) for run in runs] == [("done", "application desk")]


def test_what_is_outside_of_the_token_s_scope_is_refused(desk):
    desk.set(may_write=False, all_operations=False, operations=["get-tree", "plan"], record_types=[])

    async def talk(session):
        listed = await session.list_tools()
        plan = await session.call_tool("plan", {"task": "fell"})
        pages = await session.call_tool("list-trees", {})
        return [tool.name for tool in listed.tools], plan, pages

    names, plan, pages = asked(desk, talk)
    assert names == ["get-tree", "records.tree"]
    assert plan.is_error and "may only read" in plan.content[0].text
    assert pages.is_error and "has no operation" in pages.content[0].text
    assert desk.planned == []
    answer = desk.sent("POST", "/mcp", json={}, headers={"Authorization": "Bearer rondine_app_none"})
    assert (answer.status_code, answer.json()["code"]) == (401, "sign_in_needed")


def test_kept_records_are_a_tool_and_a_failing_service_is_told(desk):
    desk.project.feeds.make("all-trees", operation="list-trees", mapping="trees", environment="test")
    *_, run = desk.project.runs.watch(desk.project.feeds.run("all-trees")["id"])
    assert run["state"] == "done"

    async def talk(session):
        kept = await session.call_tool("records.tree", {"girth.from": 4, "sort": "-girth"})
        unknown = await session.call_tool("records.tree", {"colour": "green"})
        desk.status = 503
        return kept, unknown, await session.call_tool("get-tree", {"number": "OLM-1"})

    kept, unknown, failed = asked(desk, talk)
    assert [one["data"]["girth"] for one in kept.structured_content["items"]] == ["5", "4"]
    assert unknown.is_error and unknown.structured_content["detail"] == 'there is no field "colour"'
    told = json.loads(failed.content[0].text)
    assert (failed.is_error, told["outside"]["status"], told["may_pass"]) == (True, 503, True)
