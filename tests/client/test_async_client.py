"""The client for asyncio against a real service: the same answers, errors, lists and streams as the other."""

import asyncio
import json

import pytest

from rondine_client import AsyncClient, RondineProblem, Unreachable

FIELDS = {"fields": [{"name": "number", "type": "text"}], "key": ["number"]}
CENSUS = json.dumps({"trees": [{"number": f"OLM-{number}"} for number in range(300)]}).encode()
OUTPUT = {
    "record_type": "async-tree",
    "rows": [{"level": "tree", "at": "trees[*]"}],
    "fields": [{"name": "number", "from": "number"}],
}


async def test_both_clients_give_the_same(rondine):
    office = rondine.office()
    async with AsyncClient(rondine.url, rondine.token()) as client:
        project = client.project("olmara")
        session = await client.session()
        assert {**session, "csrf_token": ""} == {**rondine.client().session(), "csrf_token": ""}
        assert await project.environments.list() == office.environments.list()
        assert [item async for item in project.operations] == list(office.operations)
        assert [item["name"] async for item in project.services.search("regis")] == [
            item["name"] for item in office.services.search("regis")
        ]
        assert await project.connections.forms() == office.connections.forms()


async def test_items_go_their_whole_way(rondine):
    async with AsyncClient(rondine.url, rondine.token()) as client:
        types = client.project("olmara").record_types
        assert (await types.save("async-tree", document=FIELDS))["version"] == 1
        assert (await types.save("async-tree", title="Saved"))["title"] == "Saved"
        with pytest.raises(RondineProblem) as raised:
            await types.change("async-tree", version=1, title="Too late")
        assert raised.value.code == "changed_meanwhile"
        with pytest.raises(RondineProblem) as raised:
            await types.save("async-tree", document={"feilds": []})
        assert raised.value.where == "/document/feilds"
        await types.remove("async-tree")
        with pytest.raises(RondineProblem) as raised:
            await types.remove("async-tree")
        assert raised.value.code == "not_found"


async def test_many_ask_at_once_through_one_client(rondine):
    async with AsyncClient(rondine.url, rondine.token()) as client:
        office = client.project("olmara")
        answers = await asyncio.gather(*(office.environments.list() for _ in range(20)))
        assert all(answer == answers[0] for answer in answers)


async def test_a_response_in_a_file_becomes_records_line_by_line(rondine):
    async with AsyncClient(rondine.url, rondine.token()) as client:
        readings = client.project("olmara").readings
        content = ("trees.json", CENSUS, "application/json")
        assert (await readings.tree(content))["format"] == "json"
        lines = [
            line async for line in readings.records(content, {"outputs": [OUTPUT]}, record_types={"async-tree": FIELDS})
        ]
        assert [line["data"]["number"] for line in lines[:-1]] == [f"OLM-{number}" for number in range(300)]
        assert lines[-1]["counts"][0]["records"] == 300
        with pytest.raises(RondineProblem):
            async for _ in readings.records(content, "no-such-mapping"):
                pass


async def test_the_reading_of_a_large_definition_is_told_while_it_goes_on(rondine):
    paths = {
        f"/trees/{number}": {"get": {"operationId": f"tree{number}", "responses": {"200": {"description": "a tree"}}}}
        for number in range(1500)
    }
    text = json.dumps({"openapi": "3.0.3", "info": {"title": "t", "version": "1"}, "paths": paths}, indent=8)
    told = []
    async with AsyncClient(rondine.url, rondine.token()) as client:
        definitions = client.project("olmara").definitions
        seen = await definitions.look_at(files={"t.json": text}, report=told.append)
        assert len(seen["operations"]) == 1500 and told and {"what", "done", "of"} <= set(told[0])
        with pytest.raises(RondineProblem):
            await definitions.look_at(files={"t.json": "{"}, report=told.append)


async def test_a_watched_run_goes_on_after_a_break_and_ends_if_the_service_stays_away(rondine, bridge, slow_run):
    run = await asyncio.to_thread(slow_run, "watched-async")
    async with AsyncClient(bridge.url, rondine.token()) as client:
        office = client.project("olmara")
        states = []
        async for seen in office.runs.watch(run):
            states.append(seen["state"])
            if len(states) == 1:
                bridge.break_off()
        assert states[-1] == "done" and bridge.lines >= 2
        assert [item["id"] async for item in office.runs.search(feed="watched-async", limit=1)] == [run]
        assert len([call async for call in office.runs.calls(run)]) == 1
        assert (await office.records.get("test", "watched-async", "OLM-1"))["data"] == {"number": "OLM-1"}
        bridge.is_down = True
        bridge.break_off()
        with pytest.raises(Unreachable, match="cannot reach Rondine"):
            await office.runs.get(run)


async def test_signing_in_and_out(rondine):
    async with AsyncClient(rondine.url) as client:
        with pytest.raises(RondineProblem) as raised:
            await client.session()
        assert raised.value.status == 401
        with pytest.raises(RondineProblem):
            await client.sign_in("mira", "not it")
        assert await client.sign_in("mira", rondine.passwords["mira"])
        assert (await client.session())["name"] == "mira"
        await client.sign_out()
        with pytest.raises(RondineProblem):
            await client.session()
