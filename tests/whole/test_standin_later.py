"""The tree register's long answers and change notices, walked as their user does: from the service to kept records."""

import httpx
import pytest
from tests.whole_rondine import wait_until

SECRET = "whsec_b2xtYXJhLXRyZWUtb2ZmaWNlLWNoYW5nZXM="
LATER = {"state": "/state", "ready": ["ready"], "failed": ["failed"], "result": "/result", "every": 0.3}
NUMBER = {"name": "number", "from": "number"}
STREET = {"name": "street", "from": "place.street"}


@pytest.fixture
def register(rondine):
    """Calls the register as its owner does."""
    with httpx.Client(base_url=rondine.register_url, headers={"X-Register-Key": rondine.key}) as client:
        yield client
    rondine.control()


def mapped(office, name, at, *fields):
    kinds = {"number": "text", "street": "text", "change": "integer", "last_work": "text"}
    document = {
        "key": ["number"],
        "fields": [{"name": one["name"], "type": kinds[one["name"]], "searchable": True} for one in fields],
    }
    office.record_types.make(name, document=document)
    mapping = {"outputs": [{"record_type": name, "rows": [{"level": "tree", "at": at}], "fields": list(fields)}]}
    office.mappings.make(name, service=name, document=mapping)


def export_feed(rondine, name):
    """Nothing may be tried again: an export that fails has failed."""
    rondine.connect(name)
    office = rondine.office()
    document = {"method": "POST", "path": "/v1/exports", "reads": True, "later": LATER}
    office.operations.make(name, service=name, document=document)
    mapped(office, name, "trees[*]", NUMBER, STREET)
    made = office.feeds.make(
        name, operation=name, mapping=name, environment="test", document={"retrying": {"max_retries": 0}}
    )
    assert made["problems"] == []
    return name


def test_an_export_is_ordered_looked_after_and_kept(rondine, register):
    rondine.control(export_seconds=1.5)
    name = export_feed(rondine, "register-export")
    run = rondine.finish(name)
    total = register.get("/v1/trees/by-page").json()["total"]
    assert (run["state"], run["completeness"], run["counts"][0]["created"]) == ("done", "complete", total), run
    purposes = [call["purpose"] for call in rondine.office().runs.calls(run["id"])]
    assert purposes[0] == "ordered" and purposes[1:-1] and set(purposes[1:-1]) == {"looked after"}
    assert rondine.finish(name)["counts"][0]["unchanged"] == total
    rondine.control(export_seconds=0.5, export_fails=True)
    run = rondine.finish(name)
    assert run["state"] == "failed" and 'its state is "failed"' in run["error"]["message"], run


def test_changes_that_the_register_sends_are_kept_once_and_in_order(rondine, register):
    rondine.control(deliveries=2)
    rondine.connect("register-changes")
    office = rondine.office()
    path = {"jsonpath": "$"}
    fields = [
        {"name": "number", "from": "tree.number"},
        {"name": "street", "from": "tree.place.street"},
        {"name": "change", "from": "change"},
        {"name": "last_work", "from": {"jsonpath": "$.care[-1].work"}},
    ]
    mapped(office, "register-changes", path, *fields)
    office.credentials.make("register-signs", environment="test")
    office.credentials.set_secrets("register-signs", signing_key=SECRET)
    becomes = {"type": "records", "mapping": "register-changes", "newest_by": "change"}
    webhook = office.webhooks.make(
        "register-changes", environment="test", credential="register-signs", document={"becomes": becomes}
    )
    assert webhook["problems"] == []
    listener = {"address": f"{rondine.url}{webhook['path']}", "secret": SECRET}
    register.put("/v1/listeners/olmara", json=listener).raise_for_status()
    numbers = [one["number"] for one in register.get("/v1/trees", params={"limit": 3}).json()["trees"]]
    works = [(n, work) for n in numbers for work in ("pruned", "watered")]
    for number, work in works:
        told = {"work": work, "done_on": "2026-11-04"}
        assert register.post(f"/v1/trees/{number}/care", json=told).status_code == 201

    def kept():
        return {one["key"][0]: one["data"] for one in office.records.search("test", "register-changes")}

    wait_until(lambda: [kept().get(number, {}).get("last_work") for number in numbers] == ["watered"] * 3, 30)
    wait_until(lambda: register.get("/v1/listeners").json()["listeners"][0]["sent"] == 2 * len(works), 30)
    changes = list(office.records.changes("test", "register-changes", numbers[0])["items"])
    assert len(changes) <= 2  # pruned, and then watered: what came twice changed nothing
    register.delete("/v1/listeners/olmara").raise_for_status()
    assert register.delete("/v1/listeners/olmara").status_code == 404


def test_the_register_refuses_what_it_cannot_use(register):
    for given, words in [({"address": 7}, "texts"), ({"address": "http://127.0.0.1:1/", "secret": "§"}, "base64")]:
        refused = register.put("/v1/listeners/olmara", json=given)
        assert refused.status_code == 422 and words in refused.json()["error"]["message"]
    assert register.post("/v1/exports", content="[").status_code == 422
    assert register.get("/v1/exports/99").status_code == 404
