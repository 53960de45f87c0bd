"""One response, several record types: a row and the lists in it, one step from each other."""

import json

from aiohttp import web

TREES = [
    {"number": "OLM-1", "street": "Largo Nord", "lots": [{"code": "L-1", "seeds": 3}, {"code": "L-2", "seeds": 4}]},
    {"number": "OLM-2", "street": "Riva Bassa", "lots": [{"code": "L-3", "seeds": 5}]},
    {"number": "OLM-3", "street": "Ronco", "lots": []},
]


def saved(office, name, service, found, **feed):
    """A proposal with its parts, saved, with a feed of them."""
    office.record_types.make(found["name"], document=found["record_type"])
    for part in found["parts"]:
        office.record_types.make(part["name"], document=part["record_type"])
    found["mapping"]["outputs"] += [part["output"] for part in found["parts"]]
    office.mappings.make(name, service=service, document=found["mapping"])
    return office.feeds.make(name, operation=name, mapping=name, environment="test", **feed)


def test_lists_in_a_row_become_records_that_are_one_step_away(rondine, serve):
    outside = serve(lambda request: web.json_response({"trees": TREES}))
    rondine.permit(outside.port)
    service, office = rondine.connect("linked", outside.url), rondine.office()
    office.operations.make("linked", service=service, document={"path": "/"})
    body = office.trials.send(service=service, operation="linked")["body"]
    found = office.mappings.propose(body, rows=["$.trees[*]"], name="linked-tree")
    assert [part["name"] for part in found["parts"]] == ["linked-tree-lot"]
    saved(office, "linked", service, found)
    run = rondine.finish("linked")
    assert {count["record_type"]: count["created"] for count in run["counts"]} == {
        "linked-tree": 3,
        "linked-tree-lot": 3,
    }
    tree = office.records.get("test", "linked-tree", "OLM-1")
    (held,) = tree["holds"]
    assert [record["data"]["code"] for record in held["records"]] == ["L-1", "L-2"] and held["is_all"]
    assert tree["belongs_to"] == [] and office.records.get("test", "linked-tree", "OLM-3")["holds"][0]["records"] == []
    lot = office.records.get("test", "linked-tree-lot", "L-3")
    assert lot["belongs_to"] == [{"record_type": "linked-tree", "key": ["OLM-2"], "is_kept": True}]
    shown = list(office.records.search("test", "linked-tree-lot", **held["where"]))
    assert [one["key"] for one in shown] == [["L-1"], ["L-2"]]
    told = json.loads(rondine.cli("record", "show", "linked-tree-lot", "L-3").stdout)
    assert told["belongs_to"] == lot["belongs_to"]


def test_a_record_type_renamed_takes_its_links_along(rondine):
    office = rondine.office()
    fields = [{"name": "number", "type": "text"}]
    office.record_types.make("linked-old", document={"key": ["number"], "fields": fields})
    lot = {"key": ["number"], "fields": fields, "links": [{"record_type": "linked-old", "fields": ["number"]}]}
    made = office.record_types.make("linked-of-it", document=lot)
    assert made["problems"] == []
    office.record_types.change("linked-old", version=1, name="linked-new")
    now = office.record_types.get("linked-of-it")
    assert now["document"]["links"][0]["record_type"] == "linked-new" and now["problems"] == []
    lot["links"][0]["record_type"] = "linked-gone"
    changed = office.record_types.change("linked-of-it", version=now["version"], document=lot)
    assert 'there is no record type "linked-gone"' in changed["problems"][0]["message"]


def test_a_collection_with_its_lots_expanded_arrives_as_two_linked_record_types_in_one_call(rondine):
    office = rondine.office()
    base = rondine.outside("seeds")
    rondine.tell("seeds")
    sign_in = {
        "type": "client_credentials",
        "token_address": f"{base}/oauth/token",
        "client_id": "tree-office",
        "scope": "lots.read",
    }
    service = rondine.sign_in("linked-seeds", f"{base}/odata", sign_in, {"client_secret": rondine.papers.seeds_secret})
    document = {
        "path": "/Collections",
        "query": [{"name": "$expand", "value": "Lots"}, {"name": "$top", "value": "5"}],
    }
    office.operations.make("linked-seeds", service=service, document=document)
    trial = office.trials.send(service=service, operation="linked-seeds")
    assert trial["outcome"]["is_good"], json.dumps(trial)[:2000]
    found = office.mappings.propose(trial["body"], rows=["$.value[*]"], name="linked-collection")
    saved(office, "linked-seeds", service, found)
    run = rondine.finish("linked-seeds")
    assert run["calls"] == 1
    created = {count["record_type"]: count["created"] for count in run["counts"]}
    assert created["linked-collection"] == 3 and created["linked-collection-lot"] > 3
    key = next(iter(office.records.search("test", "linked-collection")))["key"]
    assert office.records.get("test", "linked-collection", *key)["holds"][0]["records"]
