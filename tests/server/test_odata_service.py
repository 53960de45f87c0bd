"""The seed store, an OData service: its metadata read from itself, rows looked at, imported, asked, changed, and
brought in page by page."""

import json
import re

import pytest

from rondine_client import RondineProblem


@pytest.fixture(scope="module")
def store(rondine):
    """The seed store imported from its own address, by its own sign-in; what was made, and its operations by key."""
    office, base = rondine.office(), rondine.outside("seeds")
    rondine.tell("seeds")
    sign_in = {
        "type": "client_credentials",
        "token_address": f"{base}/oauth/token",
        "client_id": "tree-office",
        "scope": "lots.read lots.write",
    }
    rondine.sign_in("store", f"{base}/odata", sign_in, {"client_secret": rondine.papers.seeds_secret})
    source = {"address": f"{base}/odata/$metadata", "service": "store", "environment": "test"}
    seen = office.definitions.look_at(**source)
    made = office.definitions.import_into(
        address=source["address"], service="store", environment="test", hash=seen["hash"]
    )
    operations = [office.operations.get(name) for name in made["operations"]]
    return source, made, {operation["document"]["came_from"]["key"]: operation["name"] for operation in operations}


def tried(rondine, operation, inputs=None, **more):
    office = rondine.office()
    found = office.trials.send(service="store", operation=operation, inputs=inputs or {}, confirmed=True, **more)
    body = json.loads(office.bodies.text(found["body"])["text"]) if found["body"] else None
    return found["call"]["status"], body, dict(found["call"]["headers"]), found


def test_metadata_is_read_from_the_service_itself_and_rows_before_anything_is_stored(rondine, store):
    office, (source, _, _) = rondine.office(), store
    counts = "SELECT (SELECT count(*) FROM runs_run) || '/' || (SELECT count(*) FROM runs_body)"
    before = rondine.sql(counts)
    seen = office.definitions.preview_rows("GET /Lots", **source)
    assert (seen["status"], seen["path"], seen["count"]) == (200, "$.value[*]", 10) and seen["rows"][0]["Number"] == 1
    assert rondine.sql(counts) == before
    assert {"lot", "shelf", "collection", "test", "withdrawal"} <= {
        re.sub(r"-\d+(?=-|$)", "", one["name"]) for one in office.definitions.look_at(**source)["record_types"]
    }
    with pytest.raises(RondineProblem, match="may write"):
        office.definitions.preview_rows("CREATE /Lots", **source)
    with pytest.raises(RondineProblem, match="401"):
        office.definitions.look_at(address=source["address"])
    printed = rondine.cli("definition", "rows", "GET /Collections", source["address"], "--service", "store")
    assert "L'ORTO" in printed.stdout and "nothing was stored" in printed.stderr


def test_the_address_of_the_service_leads_to_its_metadata(rondine, store):
    office, (source, made, _) = rondine.office(), store
    at_service = {**source, "address": source["address"].removesuffix("/$metadata")}
    seen = office.definitions.look_at(**at_service)
    assert seen["format"] == "OData 4.0 (CSDL)" and len(seen["operations"]) == len(made["operations"])
    at_service |= {"hash": seen["hash"], "record_types": []}
    again = office.definitions.import_into(**at_service)
    stored = office.definitions.get(again["definition"])["document"]
    assert stored["address"] == source["address"]


def test_fields_filter_order_and_expand_are_chosen_and_seen_in_the_address(rondine, store):
    office, (_, _, names) = rondine.office(), store
    item = office.operations.get(names["GET /Lots"])
    document = item["document"]
    document["inputs"].append({"name": "species"})
    document["odata"] |= {
        "select": ["Number", "Species"],
        "filter": [{"property": "Species", "operator": "startswith", "value": {"input": "species"}},
        {"property": "Shelf/Row", "operator": "le", "type": "Edm.Int32", "value": "5"}],
        "order": [{"property": "Number", "is_descending": True}],
        "expand": [{"property": "Tests", "select": ["On", "Germinated"]}, {"property": "Collection"}],
        "count": True,
    }  # fmt: skip
    found = office.trials.send(service="store", document=document, inputs={"species": "Tilia", "top": 3})
    rows = json.loads(office.bodies.text(found["body"])["text"])
    assert found["call"]["status"] == 200 and len(rows["value"]) == 3 and rows["@odata.count"] > 3
    assert set(rows["value"][0]) == {"@odata.etag", "Number", "Species", "Tests", "Collection"}
    assert "$filter=startswith(Species,'Tilia')%20and%20Shelf/Row%20le%205" in found["call"]["url"]
    quoted = office.trials.send(
        service="store", document=document, inputs={"species": "Tilia' or Number gt 0 or Species eq '"}
    )
    assert quoted["call"]["status"] == 200 and json.loads(office.bodies.text(quoted["body"])["text"])["value"] == []


def test_one_is_found_made_changed_with_its_etag_withdrawn_from_and_removed(rondine, store):
    _, _, names = store
    status, made, _, _ = tried(
        rondine, names["CREATE /Lots"], {"Number": 900, "Species": "Sorbus", "Grams": "12.500", "Shelf_Room": "attic"}
    )
    assert status == 201 and made["Shelf"] == {"Room": "attic"} and made["Grams"] == 12.5
    _, _, headers, _ = tried(rondine, names["GET /Lots(Number)"], {"Number": 900})
    etag = {name.lower(): value for name, value in headers.items()}["etag"]
    status, changed, _, _ = tried(
        rondine, names["CHANGE /Lots(Number)"], {"Number": 900, "Year": 2026, "if_match": etag}
    )
    assert status == 200 and (changed["Year"], changed["Species"]) == (2026, "Sorbus")
    status, _, _, found = tried(rondine, names["CHANGE /Lots(Number)"], {"Number": 900, "Year": 2027, "if_match": etag})
    assert status == 412 and "somebody has changed it" in found["outcome"]["message"]
    action = next(name for key, name in names.items() if key.endswith("Olmara.Seeds.Withdraw"))
    status, withdrawn, _, _ = tried(rondine, action, {"Number": 900, "Grams": "2.5", "Purpose": "Planting"})
    assert status == 200 and withdrawn["LotNumber"] == 900
    status, _, _, found = tried(rondine, action, {"Number": 900, "Grams": "50", "Purpose": "Planting"})
    assert status == 409 and "has only" in found["outcome"]["message"]
    assert tried(rondine, names["DELETE /Lots(Number)"], {"Number": 900, "if_match": "*"})[0] == 204
    assert tried(rondine, names["GET /Lots(Number)"], {"Number": 900})[0] == 404
    assert tried(rondine, names["GET /ScarceLots(below)"], {"below": "265"})[1]["value"][0]["Number"] == 1
    assert tried(rondine, names["GET /Collections(Code)"], {"Code": "L'ORTO"})[1]["Title"] == "The kitchen garden's"


def test_all_pages_come_in_by_the_next_link(rondine, store):
    office, (_, _, names) = rondine.office(), store
    document = {"outputs": [{"record_type": "lot", "rows": [{"level": "lot", "at": "value[*]"}],
    "fields": [{"name": "number", "from": "Number", "required": True}, {"name": "grams",
    "from": "Grams"}]}]}  # fmt: skip
    office.mappings.make("store-lots", service="store", document=document)
    office.feeds.make("store-lots", operation=names["GET /Lots"], mapping="store-lots", environment="test")
    run = office.feeds.run("store-lots")
    done = list(office.runs.watch(run["id"]))[-1]
    assert (done["state"], len(list(office.runs.calls(run["id"]))) >= 3) == ("done", True)
    assert len(list(office.records.search("test", "lot"))) == 60


def test_the_old_version_speaks_in_its_own_envelope_and_literals(rondine, store):
    office = rondine.office()
    base = rondine.outside("seeds")
    sign_in = {
        "type": "client_credentials",
        "token_address": f"{base}/oauth/token",
        "client_id": "tree-office",
        "scope": "lots.read",
    }
    rondine.sign_in("old-store", f"{base}/old", sign_in, {"client_secret": rondine.papers.seeds_secret})
    older = {"property": "Grams", "operator": "gt", "type": "Edm.Decimal", "value": {"input": "grams"}}
    document = {"path": "/Lots", "inputs": [{"name": "grams", "type": "decimal"}], "odata": {"version": "2.0",
    "filter": [older], "count": True}, "paging": {"type": "next_address", "at": "/d/__next"}}  # fmt: skip
    found = office.trials.send(service="old-store", document=document, inputs={"grams": "400"})
    inner = json.loads(office.bodies.text(found["body"])["text"])["d"]
    assert len(inner["results"]) == 25 and "__next" in inner and "Grams%20gt%20400M" in found["call"]["url"]
    assert found["row_choices"][0]["path"] == "$.d.results[*]"
    document["odata"]["version"] = "4.0"
    wrong = office.trials.send(service="old-store", document=document, inputs={"grams": "400.5"})
    assert wrong["call"]["status"] == 200
