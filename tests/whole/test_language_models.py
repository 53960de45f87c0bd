"""What an application is offered over the Model Context Protocol, asked for by a client of the official SDK."""

import asyncio
import json

import httpx2
import pytest
from mcp.client.session import ClientSession
from mcp.client.streamable_http import streamable_http_client
from tests.conftest import OutsideService
from tests.desk import ROWS, Desk
from tests.living import Site


@pytest.fixture
def desk(rondine, serve, request):
    return Desk(rondine, serve, "models-" + request.node.name.removeprefix("test_").replace("_", "-")[:30].rstrip("-"))


def asked(desk, talk, token=None):
    """What `talk(session)` comes to, in a session of the SDK's client."""
    return talked(f"{desk.rondine.url}/api/v1/use/{desk.name}/test/mcp", token or desk.token, talk)


def talked(address, token, talk):
    async def run():
        async with (
            httpx2.AsyncClient(headers={"Authorization": f"Bearer {token}"}, timeout=60) as http,
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
    assert set(named) == {"get-tree", "list-trees", "plan", "records.tree", "records.tree.find"}
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
    assert names == ["get-tree", "records.tree", "records.tree.find"]
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


@pytest.fixture(scope="module")
def site(rondine):
    made = Site(rondine, OutsideService, "models-site")
    yield made
    made.outside.close()


def at_site(site, talk, token=None):
    return talked(f"{site.rondine.url}/api/v1/use/{site.name}/test/mcp", token or site.token, talk)


def test_live_records_are_found_and_changed_by_their_tools(site):
    async def talk(session):
        tools = {tool.name: tool for tool in (await session.list_tools()).tools}
        call = session.call_tool
        made = await call("records.planting.create", {"data": {"species": "Ulmus glabra", "street": "Bell Hill 1"}})
        key = {"number": made.structured_content["key"][0]}
        found = await call("records.planting.find", {"key": key})
        version = found.structured_content["version"]
        change = {"key": key, "version": version, "data": {"height": "2.5"}, "idempotency_key": "grown-once"}
        changed = await call("records.planting.change", change)
        again = await call("records.planting.change", change)
        stale = await call("records.planting.change", {**change, "idempotency_key": "grown-twice"})
        height = site.rest.rows[int(key["number"])]["height"]
        unsaid = await call("records.planting.remove", {"key": key})
        gone = await call("records.planting.remove", {"key": key, "version": "*"})
        return tools, made, found, changed, again, stale, height, unsaid, gone, int(key["number"])

    tools, made, found, changed, again, stale, height, unsaid, gone, number = at_site(site, talk)
    named = {name.partition(".")[2] for name in tools if name.startswith("records.planting")}
    assert named == {"planting", *(f"planting.{verb}" for verb in ("find", "create", "change", "replace", "remove"))}
    assert tools["records.planting.find"].annotations.read_only_hint
    assert not tools["records.planting.create"].annotations.destructive_hint
    assert tools["records.planting.remove"].annotations.destructive_hint
    assert tools["records.planting.change"].input_schema["required"] == ["key", "version", "data"]
    assert made.structured_content["confirmed"] == "read back"
    assert found.structured_content["data"]["street"] == "Bell Hill 1"
    assert not changed.is_error and again.structured_content == changed.structured_content and height == 2.5
    assert stale.is_error and stale.structured_content["code"] == "changed_meanwhile"
    assert unsaid.is_error and unsaid.structured_content["code"] == "version_needed"
    assert not gone.is_error and number not in site.rest.rows


def test_wrong_calls_of_record_tools_say_what_is_wrong_and_change_nothing(site):
    before = dict(site.rest.rows)
    wrong = [
        ("records.planting.find", {}, "it is not the key of a record"),
        ("records.planting.find", {"key": {"nummer": 3}}, 'give {"number": ...}'),
        ("records.planting.change", {"key": {"number": "3"}, "version": "*", "data": [1]}, "no object of fields"),
        ("records.planting.change", {"key": {"number": "3"}, "versoin": "*", "data": {}}, 'did you mean "version"?'),
        ("records.planting.chnage", {"key": {"number": "3"}}, 'did you mean "change"?'),
        ("records.planting.create", {"data": {"colour": "blue"}}, "colour"),
        ("records.plantings.find", {"key": {"number": "3"}}, 'did you mean "planting"?'),
        ("records.planting.find", {"key": {"number": "999999"}}, "no planting"),
    ]

    async def talk(session):
        return [await session.call_tool(name, arguments) for name, arguments, _ in wrong]

    for (name, arguments, words), result in zip(wrong, at_site(site, talk), strict=True):
        told = f"{result.structured_content['detail']}; {result.structured_content['hint']}"
        assert result.is_error and words in told, (name, arguments, told)
    assert site.rest.rows == before


def test_record_tools_that_write_are_refused_to_who_may_only_read(site):
    admin = site.living.admin
    admin.applications.make("looker", environment="test", document={"record_types": ["planting"]})
    token = admin.applications.make_token("looker", "tests")["token"]

    async def talk(session):
        listed = [tool.name for tool in (await session.list_tools()).tools]
        return listed, await session.call_tool("records.planting.create", {"data": {"species": "x"}})

    listed, made = at_site(site, talk, token)
    assert listed == ["records.planting", "records.planting.find"]
    assert made.is_error and "may only read" in made.content[0].text
