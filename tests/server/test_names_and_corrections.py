"""The project's rule for names, on every surface that proposes one; and corrections that an import does not undo."""

import json

import pytest
from aiohttp import web

from rondine_client import RondineProblem


@pytest.fixture
def rule(rondine):
    """Sets the rule; the usual one is back afterwards."""
    office = rondine.office()
    yield office.names.set_rule
    office.names.set_rule()


def test_the_rule_is_kept_shown_and_refused_if_it_is_none(rondine, rule):
    assert rondine.office().names.rule() == {}
    assert rule(service_first=True, separator="_") == {"service_first": True, "separator": "_"}
    with pytest.raises(RondineProblem, match="feeds_begin"):
        rule(feeds_begin="Nope!")
    with pytest.raises(RondineProblem):
        rondine.office("vela").names.set_rule(separator="_")
    assert json.loads(rondine.cli("naming", "show").stdout)["separator"] == "_"


def test_a_clash_is_told_at_once(rondine, rule):
    office = rondine.office()
    office.services.save("named-twice")
    assert office.names.propose("service", "Named twice") == {
        "name": "named-twice-2",
        "wanted": "named-twice",
        "is_taken": True,
    }
    assert office.names.propose("field", "Named twice")["is_taken"] is False
    shown = json.loads(rondine.cli("naming", "propose", "service", "Named twice").stdout)
    assert shown["name"] == "named-twice-2"


DEFINITION = {
    "openapi": "3.1.0",
    "info": {"title": "Named register", "version": "1"},
    "paths": {
        "/old-trees": {
            "get": {
                "operationId": "listOldTrees",
                "parameters": [{"name": "limit", "in": "query", "schema": {"type": "integer"}}],
                "responses": {
                    "200": {
                        "description": "trees",
                        "content": {
                            "application/json": {
                                "schema": {
                                    "type": "array",
                                    "items": {
                                        "type": "object",
                                        "required": ["treeNumber"],
                                        "properties": {"treeNumber": {"type": "string"}, "girth": {"type": "integer"}},
                                    },
                                }
                            }
                        },
                    }
                },
            }
        }
    },
}


def files(document):
    return {"register.json": json.dumps(document)}


def test_imports_proposals_and_one_offs_follow_the_rule(rondine, rule):
    office = rondine.office()
    rule(separator="_", field_separator="-", service_first=True)
    seen = office.definitions.look_at(files=files(DEFINITION), service="named_register", details=True)
    assert seen["operations"][0]["name"] == "named_register_list_old_trees"
    assert [field["name"] for field in seen["record_types"][0]["fields"]] == ["tree-number", "girth"]
    made = office.definitions.import_into("", files=files(DEFINITION), record_types=[])
    assert made["service"] == "named_register" and made["operations"] == ["named_register_list_old_trees"]
    assert office.operations.parse_address("https://register.example/v1/old-trees")["name"] == "list_old_trees"
    assert office.operations.usual("/v1/old-trees")[0]["name"] == "list_old_trees"


def test_a_corrected_type_survives_importing_again_and_keeps_values_whole(rondine, serve):
    async def trees(request):
        return web.json_response([{"treeNumber": "OLM-1", "girth": 2}, {"treeNumber": "OLM-2", "girth": 2.25}])

    office = rondine.office()
    outside = serve(trees)
    rondine.permit(outside.port)
    service = rondine.connect("corrected", outside.url)
    made = office.definitions.import_into(service, files=files(DEFINITION), record_types=[])
    name = made["operations"][0]
    held = office.operations.get(name)
    document = held["document"]
    document["inputs"][0]["type"] = "decimal"
    document["response"] = {"corrections": [{"path": "$[*].girth", "type": "decimal", "name": "girth_m"}]}
    office.operations.change(name, version=held["version"], document=document)
    told = office.trials.send(service=service, operation=name)
    assert [difference["where"] for difference in told["differences"]] == [
        "$[1]['girth']"
    ]  # the definition says integer

    newer = json.loads(json.dumps(DEFINITION))
    operation = newer["paths"]["/old-trees"]["get"]
    operation["parameters"][0]["description"] = "how many"
    operation["parameters"][0]["schema"] = {"type": "integer", "maximum": 50}
    operation["responses"]["200"]["content"]["application/json"]["schema"]["items"]["properties"]["height"] = {
        "type": "integer"
    }
    office.definitions.update(made["definition"], accept=None, files=files(newer))
    after = office.operations.get(name)["document"]
    assert after["inputs"][0]["type"] == "decimal" and after["inputs"][0]["description"] == "how many"
    assert after["response"]["corrections"] == document["response"]["corrections"]

    trial = office.trials.send(service=service, operation=name)
    found = office.mappings.propose(
        trial["body"], rows=["$[*]"], name="corrected-tree", corrections=after["response"]["corrections"]
    )
    found["record_type"]["key"] = ["tree_number"]
    office.record_types.make("corrected-tree", document=found["record_type"])
    office.mappings.make("corrected-tree", service=service, document=found["mapping"])
    office.feeds.make("corrected-tree", operation=name, mapping="corrected-tree", environment="test")
    assert rondine.finish("corrected-tree")["state"] == "done"
    kept = {
        one["data"]["tree_number"]: one["data"]["girth_m"] for one in office.records.search("test", "corrected-tree")
    }
    assert kept == {"OLM-1": "2", "OLM-2": "2.25"}
