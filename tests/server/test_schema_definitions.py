"""Schemas and samples imported in place of a definition: what a service answers is held against them, and they can be
imported again."""

import json

import pytest

from rondine_client import RondineProblem

SCHEMA = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": "Trees",
    "type": "object",
    "required": ["trees", "survey"],
    "properties": {
        "trees": {
            "type": "array",
            "items": {
                "type": "object",
                "required": ["number", "kind"],
                "properties": {"number": {"type": "string"}, "kind": {"enum": ["oak"]}, "girth": {"type": "string"}},
            },
        },
        "survey": {"type": "integer"},
    },
}


def text_of(schema):
    return {"trees.schema.json": json.dumps(schema)}


@pytest.fixture(scope="module")
def register(rondine):
    name = rondine.connect("schema-register")
    rondine.office().operations.make("schema-trees", service=name, document={"path": "/v1/trees"})
    return name


def test_a_schema_is_looked_at_and_imported_without_any_operation(rondine, register):
    office = rondine.office()
    seen = office.definitions.look_at(files=text_of(SCHEMA))
    assert (seen["format"], seen["roots"], seen["operations"]) == ("JSON Schema", ["Trees"], [])
    made = office.definitions.import_into(register, files=text_of(SCHEMA), record_types=["tree"], hash=seen["hash"])
    assert made["operations"] == [] and office.record_types.get("tree")["document"]["fields"]
    assert office.definitions.get(made["definition"])["document"]["roots"] == ["Trees"]
    assert office.definitions.schemas(made["definition"])["Trees"]["required"] == ["trees", "survey"]


def test_a_response_is_held_against_the_schema_that_describes_it(rondine, register):
    office = rondine.office()
    before = office.trials.send(service=register, operation="schema-trees")
    assert before["described"] == ""
    assert office.operations.describe_response("schema-trees", register, "Trees")["problems"] == []
    found = office.trials.send(service=register, operation="schema-trees")
    told = {difference["where"]: difference["message"] for difference in found["differences"]}
    assert found["described"] == "200" and told["$"] == '"survey" is missing'
    assert told["$['trees'][0]"] == '"kind" is missing'


def test_a_description_that_is_not_there_is_a_problem_of_the_operation(rondine, register):
    office = rondine.office()
    wrong = office.operations.describe_response("schema-trees", register, "Tree", status="4XX")
    assert 'has no schema "Tree"' in wrong["problems"][0]["message"] and "Trees" in wrong["problems"][0]["hint"]
    wrong = office.operations.describe_response("schema-trees", "nowhere", "Tree", status="4XX")
    assert 'no definition "nowhere"' in wrong["problems"][0]["message"]
    held = office.operations.get("schema-trees")
    responses = [response for response in held["document"]["responses"] if response["status"] == "200"]
    document = {**held["document"], "responses": responses}
    assert office.operations.change("schema-trees", version=held["version"], document=document)["problems"] == []


def test_importing_the_schema_again_shows_each_field_that_changed_and_what_it_touches(rondine, register):
    office = rondine.office()
    newer = json.loads(json.dumps(SCHEMA))
    newer["properties"]["survey"] = {"type": "string"}
    del newer["properties"]["trees"]["items"]["properties"]["kind"]
    compared = office.definitions.compare(register, files=text_of(newer))
    only = compared["changes"][0]
    assert {difference["unit"]: (difference["before"], difference["now"]) for difference in only["differences"]} == {
        "survey": ("integer", "string"),
        "trees[*].kind": ("one of oak", None),
    }
    assert "operation schema-trees" in only["used_by"]
    office.definitions.update(register, accept=[only["key"]], files=text_of(newer))
    assert office.definitions.schemas(register)["Trees"]["properties"]["survey"] == {"type": "string"}
    assert office.definitions.compare(register, files=text_of(newer))["changes"] == []


def test_renaming_the_definition_keeps_the_description(rondine, register):
    office = rondine.office()
    held = office.definitions.get(register)
    office.definitions.change(register, version=held["version"], name="trees-schema")
    responses = office.operations.get("schema-trees")["document"]["responses"]
    assert [response["definition"] for response in responses] == ["trees-schema"]


def test_the_laboratorys_xml_schema_is_read_from_its_address_and_describes_its_answers(rondine):
    office, base = rondine.office(), rondine.outside("soil")
    sign_in = {"type": "basic", "user_name": rondine.papers.soil_user}
    name = rondine.sign_in("schema-lab", base, sign_in, {"password": rondine.papers.soil_password})
    made = office.definitions.import_into(name, address=f"{base}/results.xsd", record_types=[])
    office.operations.make("lab-described", service=name, document={"path": "/results"})
    office.operations.describe_response("lab-described", made["definition"], "results")
    found = office.trials.send(service=name, operation="lab-described")
    assert (found["described"], found["differences"]) == ("200", [])


def test_a_response_at_an_address_is_a_definition_with_one_operation_that_answers_so(rondine, register):
    office, base = rondine.office(), f"http://127.0.0.1:{rondine.register_port}"
    address = f"{base}/v1/trees?limit=3"
    seen = office.definitions.look_at(address=address, service=register)
    assert seen["format"] == "sample (JSON)" and [operation["key"] for operation in seen["operations"]] == [
        "GET /v1/trees"
    ]
    made = office.definitions.import_into(register, address=address, record_types=[])
    found = office.trials.send(service=register, operation=made["operations"][0])
    assert (found["described"], found["differences"], found["call"]["status"]) == ("200", [], 200)


def test_a_sample_is_exported_as_the_openapi_description_of_its_operation(rondine, register):
    found = rondine.office().services.export(register)["document"]
    schema = found["paths"]["/v1/trees"]["get"]["responses"]["200"]["content"]["application/json"]["schema"]
    assert "$ref" in schema or "properties" in schema


@pytest.mark.parametrize(
    ("files", "words"),
    [
        ({"empty.json": "{}"}, "holds nothing"),
        ({"broken.xsd": "<schema xmlns='http://www.w3.org/2001/XMLSchema'><element"}, "not XML"),
        ({"part.xsd": "<schema xmlns='http://www.w3.org/2001/XMLSchema'/>"}, "no element at its top"),
    ],
)
def test_what_describes_nothing_is_refused_and_nothing_is_stored(rondine, register, files, words):
    office = rondine.office()
    before = [definition["name"] for definition in office.definitions]
    with pytest.raises(RondineProblem, match=words):
        office.definitions.import_into(register, files=files)
    assert [definition["name"] for definition in office.definitions] == before
