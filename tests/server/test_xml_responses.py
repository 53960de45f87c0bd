"""Responses in XML, from looking at them to kept records: the soil laboratory, SOAP, and Atom of an old OData
service."""

import pytest
from aiohttp import web

from rondine_client import RondineProblem

ROWS = "/lab:results/lab:result"


@pytest.fixture(scope="module")
def laboratory(rondine):
    sign_in = {"type": "basic", "user_name": rondine.papers.soil_user}
    name = rondine.sign_in("laboratory", rondine.outside("soil"), sign_in, {"password": rondine.papers.soil_password})
    document = {
        "path": "/results",
        "query": [
            {"name": "count", "value": {"input": "count"}},
            {"name": "from", "value": {"input": "first"}},
            {"name": "format", "value": {"input": "format"}},
        ],
        "inputs": [
            {"name": "count", "type": "integer", "default": 12},
            {"name": "first", "type": "integer", "default": 1},
            {"name": "format"},
        ],
    }
    rondine.office().operations.make("lab-results", service=name, document=document)
    return name


def tried(rondine, laboratory, **inputs):
    return rondine.office().trials.send(service=laboratory, operation="lab-results", inputs=inputs)


def kept(rondine, service, operation, found, *, name, key=None, feed=None, **inputs):
    """Record type, mapping and feed under one name; the finished run and its records."""
    office = rondine.office()
    found["record_type"]["key"] = key or found["record_type"]["key"]
    office.record_types.save(name, document=found["record_type"])
    office.mappings.save(name, service=service, document=found["mapping"])
    office.feeds.save(
        name, operation=operation, mapping=name, environment="test", document={"inputs": inputs, **(feed or {})}
    )
    run = rondine.watch(office.feeds.run(name)["id"])
    return run, [one["data"] for one in office.records.search("test", name)]


def test_a_response_in_xml_is_looked_at_as_a_tree_with_xpaths(rondine, laboratory):
    office, found = rondine.office(), tried(rondine, laboratory)
    assert found["format"] == "xml" and found["row_choices"][0] == {"path": ROWS, "count": 12, "holds": "object"}
    nodes = {node["path"]: node for node in office.bodies.tree(found["body"], depth=6)["nodes"]}
    assert nodes["/lab:results/lab:result[2]/@number"]["text"] == '"S-1042"'
    assert nodes["/lab:results/lab:result[3]/lab:layers/lab:layer/lab:texture"]["kind"] == "string"
    assert "&amp; stones" in office.bodies.text(found["body"])["text"]
    outline = office.bodies.outline(found["body"])
    lines = {line["path"]: line for line in outline["lines"]}
    assert lines[f"{ROWS}/lab:layers/lab:layer"]["lengths"] == [1, 3]
    assert lines[f"{ROWS}/lab:note"]["presence"] == 0.5
    assert outline["namespaces"] == {"lab": "urn:olmara:soil:2"}


def test_rows_at_two_levels_become_records_and_a_list_that_is_single_at_times_is_one(rondine, laboratory):
    office, found = rondine.office(), tried(rondine, laboratory)
    made = office.mappings.propose(found["body"], rows=[ROWS, "lab:layers/lab:layer"], name="lab-layer")
    rules = made["mapping"]["outputs"][0]
    assert {field["name"]: field["from"] for field in rules["fields"]} == {
        "depth": "@depth", "texture": "lab:texture", "ph": "lab:ph",
    }  # fmt: skip
    rules["fields"].append({"name": "result", "from": {"level": rules["rows"][0]["level"], "xpath": "@number"}})
    made["record_type"]["fields"].append({"name": "result", "type": "text"})
    run, records = kept(rondine, laboratory, "lab-results", made, name="lab-layer", key=["result", "depth"], count=3)
    assert run["state"] == "done" and run["counts"][0]["rows"] == 2 + 3 + 1
    assert sorted((record["result"], record["depth"]) for record in records)[-1] == ("S-1043", 20)


def test_another_prefix_and_another_encoding_give_the_same_records(rondine, laboratory):
    office, found = rondine.office(), tried(rondine, laboratory, count=4)
    made = office.mappings.propose(found["body"], rows=[ROWS], name="lab-result")
    run, _ = kept(rondine, laboratory, "lab-results", made, name="lab-result", count=4)
    assert (run["state"], run["counts"][0]["created"]) == ("done", 4)
    run = rondine.watch(office.feeds.run("lab-result", {"format": "other", "count": 4})["id"])
    assert (run["state"], run["counts"][0]["unchanged"]) == ("done", 4), run


def test_a_kept_value_leads_back_to_its_place_in_the_xml(rondine, laboratory):
    office = rondine.office()
    trace = office.records.get("test", "lab-result", "S-1042")["trace"]
    assert trace["row"]["path"] == f"{ROWS}[2]"
    places = {field["field"]: field["pointer"] for field in trace["row"]["fields"]}
    assert places["humus"] == "/lab:results/lab:result/1/lab:humus"
    (fed,) = office.runs.fed(trace["run"], trace["call"], place="/lab:results/lab:result/1")["outputs"]
    assert [row["record"]["key"] for row in fed["shown"]] == [["S-1042"]]


def test_one_result_is_a_list_of_one_and_none_are_no_rows(rondine, laboratory):
    office = rondine.office()
    for count in (1, 0):
        run = rondine.watch(office.feeds.run("lab-result", {"count": count, "first": 2})["id"])
        assert (run["state"], run["counts"][0]["rows"]) == ("done", count), run


def test_a_row_that_does_not_fit_is_a_reject_with_its_xpath(rondine, laboratory):
    office, found = rondine.office(), tried(rondine, laboratory)
    made = office.mappings.propose(found["body"], rows=[ROWS], name="lab-strict")
    for rule in made["mapping"]["outputs"][0]["fields"]:
        if rule["name"] == "taken":
            rule.pop("convert")
    run, records = kept(rondine, laboratory, "lab-results", made, name="lab-strict")
    rejects = list(office.runs.rejects(run["id"]))
    assert (len(records), len(rejects)) == (6, 6)
    assert rejects[0]["problems"][0]["path"] == f"{ROWS}[1]/lab:taken"
    assert "02.10.2026" in rejects[0]["problems"][0]["reason"]


def test_json_where_xml_is_expected_fails_the_run_and_says_so(rondine, laboratory):
    office = rondine.office()
    mapping = office.mappings.get("lab-result")["document"]
    body = office.samples.keep("json-sample", text='{"results": []}')["body"]
    with pytest.raises(RondineProblem, match="the response is JSON, and the mapping reads XML"):
        office.mappings.preview(body, mapping)


def test_a_pasted_sample_is_read_by_what_it_is(rondine):
    office = rondine.office()
    xml = office.samples.keep("pasted-xml", text="<r><t n='1'/><t n='2'/></r>")
    assert office.bodies.outline(xml["body"])["row_choices"][0]["path"] == "/r/t"
    lines = office.samples.keep("pasted-lines", text='{"n": 1}\n{"n": 2}', media_type="application/x-ndjson")
    assert office.bodies.outline(lines["body"])["row_choices"][0] == {"path": "$[*]", "count": 2, "holds": "object"}
    with pytest.raises(RondineProblem, match="mismatched tag") as problem:
        office.samples.keep("pasted-broken", text="<r>\n<t></r>")
    assert "line 2" in problem.value.where
    with pytest.raises(RondineProblem, match="some bodies are XML and some are JSON"):
        office.bodies.outline(xml["body"], lines["body"])


def test_an_xml_error_of_the_service_is_told_in_its_words(rondine, laboratory):
    office = rondine.office()
    refused = rondine.sign_in(
        "laboratory-refused",
        rondine.outside("soil"),
        {"type": "basic", "user_name": "nobody"},
        {"password": "wrong-one"},
    )
    found = office.trials.send(service=refused, document={"path": "/results"})
    assert found["call"]["status"] == 401 and found["outcome"]["message"] == "user name or password is wrong"


def test_answers_of_a_soap_service_become_records(rondine):
    office, base = rondine.office(), rondine.outside("permits")
    made = office.definitions.import_into(
        "soap-records", address=f"{base}/services/counter?wsdl", record_types=[], connect={"environment": "test"}
    )
    keys = {office.operations.get(name)["document"]["came_from"]["key"]: name for name in made["operations"]}
    name = keys["ListPermits"]
    found = office.trials.send(service="soap-records", operation=name, inputs={"status": "granted"})
    assert found["differences"] == [] and found["described"] == "200"
    rows = found["row_choices"][0]["path"]
    assert rows.endswith("/p:permit")
    run, records = kept(
        rondine, "soap-records", name, office.mappings.propose(found["body"], rows=[rows], name="soap-permit"),
        name="soap-permit", status="granted"
    )  # fmt: skip
    assert run["state"] == "done" and len(records) == found["row_choices"][0]["count"], run
    assert {record["status"] for record in records} == {"granted"}
    office.feeds.save(
        "soap-permit",
        operation=keys["FindPermit"],
        mapping="soap-permit",
        environment="test",
        document={"inputs": {"number": "P-999"}},
    )
    failed = rondine.watch(office.feeds.run("soap-permit")["id"])
    assert failed["state"] == "failed" and "there is no permit P-999" in failed["error"]["message"]


def test_atom_of_an_old_odata_service_comes_in_page_by_page(rondine):
    office, base = rondine.office(), rondine.outside("seeds")
    sign_in = {
        "type": "client_credentials",
        "token_address": f"{base}/oauth/token",
        "client_id": "tree-office",
        "scope": "lots.read",
    }
    name = rondine.sign_in("atom-store", f"{base}/old", sign_in, {"client_secret": rondine.papers.seeds_secret})
    document = {"path": "/Lots", "query": [{"name": "$format", "value": "atom"}]}
    found = office.trials.send(service=name, document=document)
    assert found["row_choices"][0] == {"path": "/atom:feed/atom:entry", "count": 25, "holds": "object"}
    assert found["paging"][0]["paging"] == {"type": "next_address", "at": "/atom:feed/atom:link[@rel='next']/@href"}
    office.operations.make("atom-lots", service=name, document={**document, "paging": found["paging"][0]["paging"]})
    made = office.mappings.propose(found["body"], rows=["/atom:feed/atom:entry"], name="atom-lot")
    types = {field["name"]: field["type"] for field in made["record_type"]["fields"]}
    assert (types["grams"], types["number"], types["stored"]) == ("integer", "integer", "datetime")
    run, records = kept(rondine, name, "atom-lots", made, name="atom-lot", key=["number"])
    assert run["state"] == "done" and run["completeness"] == "complete" and len(records) == 60, run


def test_dates_of_the_old_odata_json_are_dates(rondine):
    office = rondine.office()
    found = office.trials.send(service="atom-store", document={"path": "/Lots"})
    made = office.mappings.propose(found["body"], rows=["$.d.results[*]"], name="old-lot")
    assert next(field["type"] for field in made["record_type"]["fields"] if field["name"] == "stored") == "datetime"
    first = office.mappings.preview(found["body"], made["mapping"], {"old-lot": made["record_type"]})["outputs"][0][
        "shown"
    ][0]
    assert first["data"]["stored"] == "2021-10-02T00:00:00Z", first


def test_decimal_commas_and_two_forms_of_dates_are_proposed_as_what_they_are_and_kept_so(rondine, laboratory):
    office, found = rondine.office(), tried(rondine, laboratory)
    made = office.mappings.propose(found["body"], rows=[ROWS], name="lab-measured")
    types = {field["name"]: field["type"] for field in made["record_type"]["fields"]}
    assert (types["humus"], types["taken"]) == ("decimal", "date")
    assert any("dd.MM.yyyy and yyyy-MM-dd" in note or "yyyy-MM-dd and dd.MM.yyyy" in note for note in made["notes"])
    run, records = kept(rondine, laboratory, "lab-results", made, name="lab-measured")
    assert (run["state"], run["counts"][0]["created"], run["counts"][0]["rejected"]) == ("done", 12, 0)
    by_number = {record["number"]: record for record in records}
    assert (by_number["S-1041"]["humus"], by_number["S-1041"]["taken"]) == ("3.1", "2026-10-02")


def test_rows_that_do_not_pass_a_condition_are_filtered_and_every_row_is_counted(rondine, laboratory):
    office, found = rondine.office(), tried(rondine, laboratory)
    made = office.mappings.propose(found["body"], rows=[ROWS], name="lab-deep")
    output = made["mapping"]["outputs"][0]
    output["where"] = [{"from": "lab:layers/lab:layer[2]", "is": "present"}]
    output["fields"].append(
        {
            "name": "depth",
            "from": {"xpath": "lab:layers/lab:layer/@depth", "all": True},
            "convert": [{"type": "aggregate", "function": "max"}],
        }
    )
    made["record_type"]["fields"].append({"name": "depth", "type": "integer"})
    shown = office.mappings.preview(found["body"], made["mapping"], {"lab-deep": made["record_type"]})["outputs"][0]
    assert (shown["rows"], shown["records"], shown["filtered"]) == (12, 8, 4)
    run, records = kept(rondine, laboratory, "lab-results", made, name="lab-deep")
    count = run["counts"][0]
    assert (count["rows"], count["created"], count["filtered"]) == (12, 8, 4) and "4 filtered" in run["summary"]
    assert {record["depth"] for record in records} == {40, 60}


def test_a_value_that_does_not_fit_stops_the_run_where_the_mapping_says_so(rondine, laboratory):
    office, found = rondine.office(), tried(rondine, laboratory)
    made = office.mappings.propose(found["body"], rows=[ROWS], name="lab-stops")
    for rule in made["mapping"]["outputs"][0]["fields"]:
        if rule["name"] == "taken":
            rule["convert"], rule["on_failure"] = [{"type": "date", "patterns": ["dd.MM.yyyy"]}], "stop"
    run, records = kept(rondine, laboratory, "lab-results", made, name="lab-stops")
    assert run["state"] == "failed" and "2026-10-03" in run["error"]["message"] and records == []
    assert "lab:result[2]" in run["error"]["where"] or "lab:result[2]" in run["error"]["message"]


def test_fields_come_from_the_header_and_the_standing_values_of_the_call(rondine, serve):
    async def answer(request):
        return web.json_response({"OLM-1": {"girth": "2,5"}, "OLM-2": {"girth": "3,25"}}, headers={"ETag": '"v7"'})

    office, outside = rondine.office(), serve(answer)
    rondine.permit(outside.port)
    service = rondine.connect("facts", outside.url)
    office.standing_values.set_value("facts-year", 2026, "test")
    office.operations.make("facts", service=service, document={"path": "/trees"})
    fields = [
        {"name": "number", "from": {"key": "tree"}},
        {"name": "girth", "from": "girth", "convert": [{"type": "number", "decimal": ","}]},
        {"name": "version", "from": {"header": "etag"}},
        {"name": "year", "from": {"standing": "facts-year"}},
    ]
    types = {"number": "text", "girth": "decimal", "version": "text", "year": "integer"}
    made = {
        "record_type": {"fields": [{"name": name, "type": kind} for name, kind in types.items()], "key": ["number"]},
        "mapping": {
            "outputs": [
                {"record_type": "fact", "rows": [{"level": "tree", "at": {"jsonpath": "$.*"}}], "fields": fields}
            ]
        },
    }
    run, records = kept(rondine, service, "facts", made, name="fact")
    assert run["state"] == "done", run
    assert records[0] == {"number": "OLM-1", "girth": "2.5", "version": '"v7"', "year": 2026}
    trace = office.records.get("test", "fact", "OLM-2")["trace"]["row"]
    assert trace["data"]["version"] == '"v7"' and trace["data"]["year"] == 2026


def test_a_preview_tells_what_is_left_aside_and_what_may_get_lost(rondine, laboratory):
    office, found = rondine.office(), tried(rondine, laboratory)
    made = office.mappings.propose(found["body"], rows=[ROWS], name="lab-covered", take=["@number", "lab:humus"])
    made["record_type"]["fields"][1]["type"] = "integer"
    made["mapping"]["outputs"][0]["fields"][1].pop("convert")
    made["record_type"]["fields"].append({"name": "surveyor", "type": "text"})
    shown = office.mappings.preview(found["body"], made["mapping"], {"lab-covered": made["record_type"]})["outputs"][0][
        "coverage"
    ]
    assert shown["open"] == ["surveyor"] and "lab:taken" in shown["unused"]
    assert shown["losses"][0]["field"] == "humus" and "has fractions" in shown["losses"][0]["words"]
