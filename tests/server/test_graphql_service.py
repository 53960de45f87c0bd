"""The inspection desk, a GraphQL service: its schema asked for, a query composed without typing, partial answers,
mutations, and a feed."""

import json

import pytest

from rondine_client import RondineProblem


@pytest.fixture(scope="module")
def desk(rondine):
    office, base = rondine.office(), rondine.outside("desk")
    rondine.sign_in("graphql-desk", base, {"type": "bearer"}, {"token": rondine.papers.desk_token})
    made = office.definitions.import_into(
        address=f"{base}/graphql",
        introspect=True,
        service="graphql-desk",
        environment="test",
        record_types=["inspection"],
    )
    return {office.operations.get(name)["document"]["came_from"]["key"]: name for name in made["operations"]}


def tried(rondine, operation, inputs, **more):
    office = rondine.office()
    found = office.trials.send(service="graphql-desk", operation=operation, inputs=inputs, **more)
    return found, json.loads(office.bodies.text(found["body"])["text"])


def test_a_query_made_without_typing_runs_and_maps(rondine, desk):
    office = rondine.office()
    item = office.operations.get(desk["query inspections"])
    query = item["document"]["body"]["query"]
    taken = office.definitions.choose_fields(
        "graphql-desk", query, ["inspections", "nodes"], take=["inspections", "nodes", "tree", "number"]
    )
    assert (
        {field["name"] for field in taken["fields"] if field["is_taken"]} >= {"id", "grade", "tree"}
        and taken["problems"] == []
        and taken["depth"] == 4
    )
    document = item["document"]
    document["body"]["query"] = taken["query"]
    office.operations.change(item["name"], version=item["version"], document=document)
    found, value = tried(rondine, item["name"], {"grade": "ACT", "first": 5})
    rows = value["data"]["inspections"]["nodes"]
    assert len(rows) == 5 and {row["grade"] for row in rows} == {"ACT"} and rows[0]["tree"]["number"].startswith("OLM-")
    assert found["row_choices"][0]["path"] == "$.data.inspections.nodes[*]" and found["outcome"]["is_good"]


def test_partial_data_and_its_errors_are_both_kept(rondine, desk):
    found, value = tried(rondine, desk["query inspection"], {"id": "I-7"})
    assert value["data"]["inspection"]["id"] == "I-7" and found["outcome"]["is_good"]
    assert "in part" in found["outcome"]["words"] and "report of I-7 is lost" in found["outcome"]["message"]


def test_a_mutation_asks_to_be_confirmed_and_its_refusal_is_shown_although_the_status_is_200(rondine, desk):
    given = {"input": {"tree": "OLM-00007", "on": "2026-11-03", "grade": "WATCH", "findings": [{"part": 'bark "A"'}]}}
    with pytest.raises(RondineProblem, match="may change something"):
        tried(rondine, desk["mutation recordInspection"], given)
    found, value = tried(rondine, desk["mutation recordInspection"], given, confirmed=True)
    assert value["data"]["recordInspection"]["id"] and found["outcome"]["is_good"]
    given["input"]["on"] = "2027-01-01"
    found, _ = tried(rondine, desk["mutation recordInspection"], given, confirmed=True)
    assert (
        found["call"]["status"] == 200
        and not found["outcome"]["is_good"]
        and "in the future" in found["outcome"]["message"]
    )


def test_a_feed_takes_inspections_and_fails_when_the_desk_answers_errors(rondine, desk):
    office = rondine.office()
    fields = [
        {"name": "id", "from": "id", "required": True},
        {"name": "grade", "from": "grade"},
        {"name": "on", "from": "on"},
    ]
    document = {
        "outputs": [
            {
                "record_type": "inspection",
                "rows": [{"level": "inspection", "at": "data.inspections.nodes[*]"}],
                "fields": fields,
            }
        ]
    }
    office.mappings.make("desk-inspections", service="graphql-desk", document=document)
    office.feeds.make(
        "desk-inspections",
        operation=desk["query inspections"],
        mapping="desk-inspections",
        environment="test",
        document={"inputs": {"first": 50}},
    )
    run = list(office.runs.watch(office.feeds.run("desk-inspections")["id"]))[-1]
    kept = len(list(office.records.search("test", "inspection")))
    # both pages came; some reports are lost there, so it is not called complete
    assert (run["state"], run["completeness"], run["calls"]) == ("done", "incomplete", 2) and 90 <= kept <= 100
    assert run["ending"] == "hasNextPage is false, and the service could give a part only"
    rondine.tell("desk", fail=True)
    run = list(office.runs.watch(office.feeds.run("desk-inspections")["id"]))[-1]
    rondine.tell("desk")
    assert run["state"] == "failed" and "the desk is closed today" in str(run)


def test_where_introspection_is_off_the_message_is_shown_and_a_query_is_written_by_hand(rondine, desk):
    office, base = rondine.office(), rondine.outside("desk")
    rondine.tell("desk", introspection=False, one_line=True)
    with pytest.raises(RondineProblem, match="introspection is switched off"):
        office.definitions.look_at(
            address=f"{base}/graphql", introspect=True, service="graphql-desk", environment="test"
        )
    body = {"type": "graphql", "query": '{\n  inspection(id: "I-1") { grade }\n}', "one_line": True}
    found = office.trials.send(service="graphql-desk", document={"method": "POST", "path": "/graphql", "body": body})
    rondine.tell("desk")
    assert json.loads(office.bodies.text(found["body"])["text"])["data"]["inspection"]["grade"]
    read = office.trials.send(
        service="graphql-desk", document={"method": "GET", "path": "/graphql", "body": {**body, "one_line": False}}
    )
    assert read["call"]["status"] == 200 and read["outcome"]["is_good"]


def test_one_edit_of_a_prepared_query_is_seen_by_every_operation_that_uses_it(rondine, desk, tmp_path):
    office = rondine.office()
    text = tmp_path / "one.graphql"
    text.write_text("query One($id: ID!) { inspection(id: $id) { grade } }")
    rondine.cli("query", "make", "one-inspection", "--graphql", str(text))
    body = {"type": "graphql", "prepared": "one-inspection"}
    for name in ("prepared-a", "prepared-b"):
        made = office.operations.make(
            name,
            service="graphql-desk",
            document={"method": "POST", "path": "/graphql", "inputs": [{"name": "id", "required": True}], "body": body},
        )
        assert made["problems"] == []
    assert office.queries.get("one-inspection")["used_by"] == ["prepared-a", "prepared-b"]
    assert set(tried(rondine, "prepared-a", {"id": "I-2"})[1]["data"]["inspection"]) == {"grade"}
    text.write_text("query One($id: ID!) { inspection(id: $id) { grade on } }")
    rondine.cli("query", "make", "one-inspection", "--graphql", str(text))
    assert set(tried(rondine, "prepared-b", {"id": "I-2"})[1]["data"]["inspection"]) == {"grade", "on"}
    held = office.queries.get("one-inspection")
    office.queries.change("one-inspection", version=held["version"], name="one-of-them")
    assert office.operations.get("prepared-a")["document"]["body"]["prepared"] == "one-of-them"
    with pytest.raises(RondineProblem, match="still used by operation prepared-a, operation prepared-b"):
        office.queries.remove("one-of-them")


def test_two_operations_of_one_address_are_told_apart_in_runs_calls_and_the_meter(rondine, desk):
    office = rondine.office()
    pair = [(desk["query inspections"], {"first": 2}), (desk["query inspection"], {"id": "I-3"})]
    found = [tried(rondine, name, inputs)[0] for name, inputs in pair]
    assert len({one["call"]["url"] for one in found}) == 1
    for (name, _), one in zip(pair, found, strict=True):
        run = office.runs.get(one["run"])
        assert (one["call"]["operation"], run["operation"]) == (name, name)
        assert " · query " in run["title"] and run["title"] != office.runs.get(found[one is found[0]]["run"])["title"]
        assert next(iter(office.runs.search(operation=name, limit=1)))["id"] == one["run"]
    counted = {
        operation["operation"]: operation["calls"]
        for operation in office.connections.meter("graphql-desk")["operations"]
    }
    assert all(counted[name] >= 1 for name, _ in pair)
