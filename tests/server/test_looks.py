"""Looks at definitions: what is told at once and what when it is asked for, without sending files again; several
services in one definition."""

import json

import pytest
from aiohttp import web

from rondine_client.errors import RondineProblem

DEFINITION = {
    "openapi": "3.1.0",
    "info": {"title": "Cases", "version": "1"},
    "servers": [{"url": "https://cases.example/v1"}],
    "paths": {
        "/cases": {
            "post": {
                "operationId": "openCase",
                "requestBody": {
                    "content": {
                        "application/json": {
                            "schema": {
                                "type": "object",
                                "required": ["tree"],
                                "properties": {"tree": {"type": "string"}, "note": {"type": "string"}},
                            }
                        },
                        "text/plain": {"schema": {"type": "string"}},
                    }
                },
                "responses": {
                    "200": {
                        "description": "it",
                        "headers": {"X-Case": {"required": True, "schema": {"type": "string"}}},
                        "content": {
                            "application/json": {
                                "schema": {
                                    "type": "array",
                                    "items": {"$ref": "#/components/schemas/Case"},
                                }
                            }
                        },
                    }
                },
            }
        }
    },
    "components": {"schemas": {"Case": {"type": "object", "properties": {"id": {"type": "integer"}}}}},
}


@pytest.fixture
def office(rondine):
    return rondine.office()


def test_a_look_tells_the_rest_of_an_operation_when_it_is_asked_for(office):
    seen = office.definitions.look_at(files={"cases.json": json.dumps(DEFINITION)})
    (one,) = seen["operations"]
    assert (one["inputs"], one["is_complete"], one["details"]) == (2, True, None)
    assert seen["record_types"][0]["fields"] is None and seen["record_types"][0]["field_count"] == 1
    more = office.definitions.look_at(look=seen["look"], operations=[one["key"]], details=True)
    assert (more["hash"], more["look"]) == (seen["hash"], seen["look"])
    details = more["operations"][0]["details"]
    assert [each["name"] for each in details["inputs"]] == ["tree", "note"]
    assert details["bodies"] == ["application/json", "text/plain"]
    assert more["record_types"][0]["fields"] == [{"name": "id", "type": "integer"}]
    assert office.definitions.look_at(look=seen["look"], operations=[])["operations"] == []
    made = office.definitions.import_into("looked-cases", look=seen["look"])
    assert len(made["operations"]) == 1 and made["others"] == []


def test_what_is_not_kept_any_more_is_looked_at_again(office, rondine):
    seen = office.definitions.look_at(files={"cases.json": json.dumps(DEFINITION)})
    rondine.sql(
        f"UPDATE definitions_look SET made_at = now() - interval '2 days' WHERE id = '{seen['look']}' RETURNING 1"
    )
    office.definitions.look_at(files={"cases.json": json.dumps(DEFINITION)})
    with pytest.raises(RondineProblem, match="not kept any more") as caught:
        office.definitions.import_into("late-cases", look=seen["look"])
    assert caught.value.hint == "look at the definition again"
    for _ in range(22):
        office.definitions.look_at(files={"cases.json": json.dumps(DEFINITION)})
    assert (
        rondine.sql("SELECT max(n) FROM (SELECT count(*) n FROM definitions_look GROUP BY project_id) counts")[0][0]
        == 20
    )


def recorded(*addresses):
    entries = [
        {
            "request": {"method": "GET", "url": address, "headers": []},
            "response": {"status": 200, "content": {"mimeType": "application/json", "text": '[{"number": 1}]'}},
        }
        for address in addresses
    ]
    return {"session.har": json.dumps({"log": {"version": "1.2", "entries": entries}})}


def test_each_service_of_a_recorded_session_is_chosen_or_all_are_imported(office):
    trees, crews = "https://hosts-trees.example", "https://hosts-crews.example:8443"
    files = recorded(f"{trees}/v1/trees", f"{trees}/v1/districts", f"{crews}/crews")
    seen = office.definitions.look_at(files=files)
    assert seen["part"] == trees
    assert seen["parts"] == [{"name": trees, "count": 2}, {"name": crews, "count": 1}]
    other = office.definitions.look_at(look=seen["look"], part=crews)
    assert [operation["key"] for operation in other["operations"]] == ["GET /crews"] and other["part"] == crews
    made = office.definitions.import_into("only-crews", look=seen["look"], part=crews, connect={"environment": "test"})
    assert office.connections.get(made["connection"])["document"]["base_address"] == crews
    compared = office.definitions.compare(made["definition"], files=files)
    assert (compared["changes"], compared["unchanged"]) == ([], 1)
    all_of_it = office.definitions.import_into(
        "all-hosts", look=seen["look"], every_part=True, record_types=[], connect={"environment": "test"}
    )
    assert len(all_of_it["operations"]) == 2
    (rest,) = all_of_it["others"]
    assert rest["service"] == "hosts-crews-example-8443" and len(rest["operations"]) == 1
    assert office.connections.get(rest["connection"])["document"]["base_address"] == crews
    with pytest.raises(RondineProblem, match="no part") as caught:
        office.definitions.look_at(look=seen["look"], part="https://hosts-crew.example:8443")
    assert crews in caught.value.hint


def test_another_body_is_chosen_kept_and_stays_when_the_definition_is_imported_again(office):
    files = {"cases.json": json.dumps(DEFINITION)}
    made = office.definitions.import_into("chosen-bodies", files=files, record_types=[])
    held = office.operations.get(made["operations"][0])
    assert held["document"]["body"]["optional"] is True
    document = office.operations.choose_body(held["document"], "text/plain")
    held = office.operations.change(held["name"], version=held["version"], document=document)
    assert (held["problems"], [one["name"] for one in held["document"]["inputs"]]) == ([], ["body"])
    assert office.definitions.compare(made["definition"], files=files)["changes"] == []
    office.definitions.update(made["definition"], files=files)
    assert office.operations.get(held["name"])["document"]["body"]["media_type"] == "text/plain"
    with pytest.raises(RondineProblem, match='no body of the type "text/csv"') as caught:
        office.operations.choose_body(held["document"], "text/csv")
    assert caught.value.hint == "known here: application/json"


def test_a_response_without_a_header_that_it_always_has_differs_from_its_description(office, rondine, serve):
    answers = {"opened": {"X-Case": "7"}, "bare": {}}

    async def told(request):
        return web.json_response([], headers=answers[(await request.text()).strip('"')])

    outside = serve(told)
    rondine.permit(outside.port)
    definition = {**DEFINITION, "servers": [{"url": outside.url}]}
    made = office.definitions.import_into(
        "headed-cases", files={"cases.json": json.dumps(definition)}, record_types=[], connect={"environment": "test"}
    )
    held = office.operations.get(made["operations"][0])
    document = office.operations.choose_body(held["document"], "text/plain")
    found = {
        word: office.trials.send(service="headed-cases", document=document, inputs={"body": word}, confirmed=True)
        for word in answers
    }
    assert (found["opened"]["described"], found["opened"]["differences"]) == ("200", [])
    (one,) = found["bare"]["differences"]
    assert (one["where"], one["message"]) == ("header X-Case", "the definition says that it is always there")


def test_more_faults_than_are_told_are_counted(office):
    servers = [{"description": f"office {number}"} for number in range(620)]
    seen = office.definitions.look_at(files={"cases.json": json.dumps({**DEFINITION, "servers": servers})})
    assert len(seen["warnings"]) == 501
    assert seen["warnings"][-1]["message"] == "and 120 more, which are not listed here"
