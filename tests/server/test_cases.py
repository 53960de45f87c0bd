"""Test cases: recorded, checked without a network, and asked before a release."""

import json

import pytest
from tests.living import Tried

from rondine_client import RondineProblem


@pytest.fixture
def grove(rondine, serve, request):
    name = "cases-" + request.node.name.removeprefix("test_").replace("_", "-")[:30].strip("-")
    return Tried(rondine, serve, name)


def test_a_mapping_that_goes_wrong_is_named_by_its_field(grove, rondine):
    cases = grove.project.cases
    made = grove.record()
    expected = made["document"]["expected"]
    assert expected["records"]["tree"] == [{"number": "OLM-1", "girth": "1.25", "planted": "2026-03-01"}]
    assert expected["filtered"] == 1 and len(expected["rejects"]) == 1 and "girth" in expected["rejects"][0]
    assert expected["request"].startswith("GET /trees?district=Orti HTTP/1.1")
    before = len(grove.served)
    assert cases.check() == [{"case": "orti", "is_good": True, "differences": [], "problem": "", "hint": ""}]
    found = rondine.cli("--project", grove.name, "check")
    assert "1 case as expected" in found.stderr

    grove.map_otherwise(convert=[{"type": "arithmetic", "divide": "10"}])
    [checked] = cases.check(["orti"])
    [difference] = checked["differences"]
    assert difference["path"] == "$['records']['tree'][0]['girth']"
    assert (difference["before"], difference["after"]) == ('"1.25"', '"12.5"')
    wrong = rondine.cli("--project", grove.name, "check", check=False)
    assert wrong.returncode == 1 and 'was "1.25", and is "12.5"' in wrong.stderr and "girth" in wrong.stderr
    assert len(grove.served) == before, "nothing was called"

    again = cases.record_again("orti")
    assert again["document"]["expected"]["records"]["tree"][0]["girth"] == "12.5" and cases.check()[0]["is_good"]


def test_a_request_that_goes_wrong_is_told_too(grove):
    project = grove.project
    grove.record("request", run=None, mapping="")
    held = project.operations.get("trees")
    project.operations.change("trees", version=held["version"], document={**held["document"], "path": "/all-trees"})
    [checked] = project.cases.check()
    assert checked["differences"][0]["path"] == "$['request']" and "/all-trees" in checked["differences"][0]["after"]


def test_a_failure_of_the_service_is_expected_with_its_words(grove):
    project = grove.project
    run = project.trials.send(service="register", operation="trees", inputs={"district": "Nowhere"})["run"]
    made = grove.record("nowhere", run=run, inputs={"district": "Nowhere"})
    expected = made["document"]["expected"]
    assert (expected["outcome"], expected["message"]) == ("failure", "there is no such district")
    rules = {"nothing_found": {"statuses": [422]}}
    held = project.operations.get("trees")
    project.operations.change("trees", version=held["version"], document={**held["document"], "outcomes": rules})
    [checked] = project.cases.check()
    assert [one["path"] for one in checked["differences"]] == ["$['message']", "$['outcome']"]


def test_what_keeps_a_case_from_coming_to_anything_is_told(grove):
    project = grove.project
    grove.record()
    with pytest.raises(RondineProblem) as raised:
        grove.record("more", inputs={"street": "x"})
    assert raised.value.document["problems"][0]["where"] == "/street"
    with pytest.raises(RondineProblem) as raised:
        project.cases.check(["ortis"])
    assert raised.value.document["code"] == "not_found"
    held = project.samples.get("orti")
    with pytest.raises(RondineProblem) as raised:
        project.samples.remove("orti", version=held["version"])
    assert "orti" in raised.value.document["detail"], "it is in use"
    grove.map_otherwise(name="thickness")
    [checked] = project.cases.check()
    assert not checked["is_good"] and "thickness" in checked["problem"]


def test_a_standing_value_is_recorded_with_the_case(grove):
    project = grove.project
    document = json.loads(json.dumps(grove.mapping))
    document["outputs"][0]["fields"].append({"name": "state", "from": {"standing": "felled-word"}})
    fields = project.record_types.get("tree")
    more = {**fields["document"], "fields": [*fields["document"]["fields"], {"name": "state", "type": "text"}]}
    project.record_types.change("tree", version=fields["version"], document=more)
    held = project.mappings.get("trees")
    project.mappings.change("trees", version=held["version"], document=document)
    made = grove.record()
    assert made["document"]["standing"] == {"felled-word": "felled"}
    assert made["document"]["expected"]["records"]["tree"][0]["state"] == "felled"
    value = project.standing_values.get("felled-word")
    project.standing_values.change("felled-word", version=value["version"], document={"values": {"test": "gone"}})
    assert project.cases.check()[0]["is_good"]


def test_cases_are_checked_before_a_release(grove):
    project = grove.project
    grove.record()
    assert project.releases.check() == []
    grove.map_otherwise(convert=[])
    [unready] = project.releases.check()
    assert (unready["kind"], unready["name"]) == ("case", "orti") and "girth" in unready["problems"][0]["message"]
    with pytest.raises(RondineProblem) as raised:
        project.releases.make("too early")
    assert "orti" in raised.value.document["detail"] or "orti" in str(raised.value.document["problems"])
    reason = "the new unit is wanted"
    project.releases.make("on purpose", waive=[{"kind": "case", "name": "orti", "reason": reason}])


def test_the_inputs_of_a_case_serve_where_the_operation_is_tried_and_where_an_application_calls(
    grove, rondine, monkeypatch
):
    grove.record()
    held = grove.project.cases.get("orti")
    grove.project.cases.change(
        "orti", version=held["version"], document={**held["document"], "inputs": {"district": "Terrazze"}}
    )

    def says(*words, check=True):
        return rondine.cli("--project", grove.name, *words, check=check)

    assert "GET /trees?district=Terrazze" in says("operation", "request", "trees", "--case", "orti").stdout
    says("operation", "try", "trees", "--case", "orti")
    assert grove.served[-1] == "/trees?district=Terrazze"
    says("operation", "try", "trees", "--case", "orti", "--input", "district=Fiumara")
    assert grove.served[-1] == "/trees?district=Fiumara", "what is given here goes before"

    application = {"operations": ["trees"]}
    grove.admin.applications.make("case-desk", environment="test", document=application)
    token = grove.admin.applications.make_token("case-desk", "tests")["token"]
    monkeypatch.setitem(rondine.env, "RONDINE_APPLICATION_TOKEN", token)
    reply = json.loads(says("use", "call", "trees", "--case", "orti", "--mapping", "trees").stdout)
    assert grove.served[-1] == "/trees?district=Terrazze" and reply["records"]["tree"][0]["number"] == "OLM-1"

    grove.project.operations.make("others", service="register", document={"path": "/others"})
    wrong = says("operation", "try", "others", "--case", "orti", check=False)
    assert wrong.returncode != 0 and 'case "orti" has no input that others takes (it has district)' in wrong.stderr
    unknown = says("operation", "try", "trees", "--case", "ortii", check=False)
    assert unknown.returncode != 0 and 'did you mean "orti"?' in unknown.stderr
