"""Live records at a server that none of us wrote: Kinto, which keeps JSON behind a REST interface with entity tags and
pages, and describes itself in OpenAPI 2.0. From its description to records found, made, changed and removed."""

import sys
from pathlib import Path

import httpx
import pytest
from tests.whole_rondine import free_ports, running

from rondine_client import Application, RondineProblem

INI = """
[server:main]
use = egg:waitress#main
host = 127.0.0.1
port = %(http_port)s

[app:main]
use = egg:kinto
kinto.includes = kinto.plugins.default_bucket kinto.plugins.accounts
kinto.storage_backend = kinto.core.storage.memory
kinto.cache_backend = kinto.core.cache.memory
kinto.permission_backend = kinto.core.permission.memory
kinto.userid_hmac_secret = only-for-tests
kinto.default_bucket_hmac_secret = only-for-tests
multiauth.policies = account
multiauth.policy.account.use = kinto.plugins.accounts.AccountsPolicy
kinto.account_create_principals = system.Everyone

[loggers]
keys = root
[handlers]
keys = console
[formatters]
keys = plain
[logger_root]
level = WARNING
handlers = console
[handler_console]
class = StreamHandler
args = (sys.stderr,)
formatter = plain
[formatter_plain]
format = %(message)s
"""
RECORDS = "/buckets/{bucket_id}/collections/{collection_id}/records"
OPERATIONS = [
    f"GET {RECORDS}", f"POST {RECORDS}", *(f"{method} {RECORDS}/{{id}}" for method in ("GET", "PUT", "PATCH", "DELETE"))
]  # fmt: skip
OFFICE = {"bucket_id": "default", "collection_id": "plantings"}


class Store:
    """The server, asked beside Rondine."""

    def __init__(self, address):
        self.address = address
        self.http = httpx.Client(base_url=address, auth=("office", "bark-0123"), timeout=30)
        self.http.put("/accounts/office", json={"data": {"password": "bark-0123"}}, auth=None).raise_for_status()
        for number in range(1, 26):
            planting = {"number": f"P-{number}", "girth": number / 10, "species": "Tilia cordata", "on": "2026-10-01"}
            self.sent("POST", "", {"data": planting})

    def sent(self, method, key, body=None):
        answer = self.http.request(method, f"/buckets/default/collections/plantings/records{key}", json=body)
        answer.raise_for_status()
        return answer.json()["data"]

    def numbers(self):
        return sorted(one["number"] for one in self.sent("GET", ""))


@pytest.fixture(scope="module")
def store(tmp_path_factory):
    settings = tmp_path_factory.mktemp("store") / "kinto.ini"
    settings.write_text(INI)
    port = next(free_ports(18470))
    words = [str(Path(sys.executable).with_name("kinto")), "start", "--ini", str(settings), "--port", str(port)]
    address = f"http://127.0.0.1:{port}/v1"
    with running(words, f"{address}/__api__"):
        yield Store(address)


@pytest.fixture(scope="module")
def office(rondine, store):
    """A project whose plantings are live at the store: all of it imported and proposed, nothing written by hand."""
    admin = rondine.client("ada")
    admin.projects.make("store-office")
    project = admin.project("store-office")
    project.hosts.permit("127.0.0.1", int(httpx.URL(store.address).port), is_private=True)
    found = project.definitions.look_at(address=f"{store.address}/__api__")
    assert (found["format"], found["title"]) == ("OpenAPI 2.0", "kinto")
    project.definitions.import_into("store", look=found["look"], operations=OPERATIONS, record_types=[])
    project.credentials.make("office", environment="test")
    project.credentials.set_secrets("office", password="bark-0123")
    document = {"base_address": store.address, "sign_in": {"type": "basic", "user_name": "office"}}
    project.connections.make("store", service="store", environment="test", credential="office", document=document)
    trial = project.trials.send(service="store", operation="get-records", inputs={**OFFICE, "limit": 10})
    assert trial["paging"][0]["paging"] == {"type": "link_header", "header": "Next-Page"}
    held = project.operations.get("get-records")
    followed = {**held["document"], "paging": trial["paging"][0]["paging"]}
    project.operations.change("get-records", version=held["version"], document=followed)
    made = project.mappings.propose(trial["body"], rows=["$.data[*]"], name="planting")
    project.record_types.make("planting", document={**made["record_type"], "kind": "live"})
    project.mappings.make("planting", service="store", document=made["mapping"])
    proposed = project.bindings.propose("planting")
    assert proposed["problems"] == []
    bound = project.bindings.make("planting", document=proposed["document"])
    assert bound["problems"] == []
    return project


def refused(action, *arguments, **options):
    with pytest.raises(RondineProblem) as raised:
        action(*arguments, **options)
    return raised.value.document


def test_every_role_is_proposed_from_its_description_and_one_answer(office):
    document = office.bindings.get("planting")["document"]
    roles = {role: document[role]["operation"] for role in ("list", "find", "create", "change", "replace", "remove")}
    assert roles == {
        "list": "get-records", "find": "get-record", "create": "create-record", "change": "patch-record",
        "replace": "update-record", "remove": "delete-record",
    }  # fmt: skip
    for role in roles:
        assert document[role]["inputs"]["bucket_id"] == {"value": "default"}, role
    assert document["change"]["inputs"]["If_Match"] == {"version": True} and document["find"]["rows"] == ["$.data"]
    assert "If_Match" not in document["list"]["inputs"]


def test_a_list_follows_its_pages_and_what_the_server_cannot_do_is_said(office, store):
    page = office.records.page("test", "planting", limit=10)
    assert (len(page["items"]), page["is_all"], page["live"]["calls"]) == (10, False, 1)
    found = [one["data"]["number"] for one in office.records.search("test", "planting")]
    assert sorted(found) == store.numbers() and len(found) == 25
    assert (
        "cannot put them in order of girth" in refused(office.records.page, "test", "planting", sort="girth")["detail"]
    )
    local = office.records.page("test", "planting", sort="-girth", limit=3, local=True)
    assert [one["data"]["girth"] for one in local["items"]] == ["2.5", "2.4", "2.3"]
    [one] = office.records.page("test", "planting", id=page["items"][0]["key"][0])["items"]
    assert one["key"] == page["items"][0]["key"]


def test_records_are_made_changed_replaced_and_removed_there(office, store):
    records, before = office.records, store.numbers()
    first = records.create("test", "planting", {"number": "P-90", "girth": "1.25", "on": "2026-11-01"})
    assert first["confirmed"] == "accepted", "nothing has shown yet what its answer has of the record"
    tried = {**OFFICE, "data": {"number": "P-92", "girth": 0.5, "species": "Tilia cordata"}}
    assert office.trials.send(service="store", operation="create-record", inputs=tried, confirmed=True)["outcome"][
        "is_good"
    ]
    document = office.bindings.propose("planting")["document"]
    office.bindings.save("planting", document=document)
    made = records.create("test", "planting", {"number": "P-91", "girth": "1.25", "species": "Acer campestre"})
    assert (made["confirmed"], made["differences"]) == ("read back", [])
    key = made["key"][0]
    assert store.sent("GET", f"/{key}")["girth"] == 1.25
    assert store.numbers() == sorted([*before, "P-90", "P-91", "P-92"])

    found = records.get("test", "planting", key)
    changed = records.change("test", "planting", key, data={"girth": "7.5"}, version=found["version"])
    assert (changed["confirmed"], store.sent("GET", f"/{key}")["girth"]) == ("read back", 7.5)
    assert store.sent("GET", f"/{key}")["species"] == "Acer campestre"
    store.sent("PATCH", f"/{key}", {"data": {"species": "Ulmus glabra"}})
    stale = refused(records.change, "test", "planting", key, data={"girth": "9"}, version=changed["version"])
    assert stale["code"] == "changed_meanwhile" and store.sent("GET", f"/{key}")["girth"] == 7.5
    records.change("test", "planting", key, data={"girth": "8.5"}, version="*")

    found = records.get("test", "planting", key)
    whole = {"number": "P-91", "girth": "8.5", "on": "2026-11-02"}
    records.replace("test", "planting", key, data=whole, version=found["version"])
    assert "species" not in store.sent("GET", f"/{key}")
    records.remove("test", "planting", key, version="*")
    assert refused(records.get, "test", "planting", key)["code"] == "not_found"
    assert store.numbers() == sorted([*before, "P-90", "P-92"])


def test_a_feed_keeps_all_of_them_and_an_application_calls_it(rondine, office, store):
    office.record_types.make("planted", document={**office.record_types.get("planting")["document"], "kind": "kept"})
    output = {**office.mappings.get("planting")["document"]["outputs"][0], "record_type": "planted"}
    office.mappings.make("planted", service="store", document={"outputs": [output]})
    feed = {"inputs": {**OFFICE, "limit": 7}}
    office.feeds.make("planted", operation="get-records", mapping="planted", environment="test", document=feed)
    for expected in ("created", "unchanged"):
        *_, run = office.runs.watch(office.feeds.run("planted")["id"])
        [counts] = run["counts"]
        assert (run["state"], run["completeness"], counts[expected]) == ("done", "complete", len(store.numbers())), run
    office.applications.make("desk", environment="test", document={"record_types": ["planting"], "may_write": True})
    token = office.applications.make_token("desk", "tests")["token"]
    desk = Application("store-office", "test", token=token, url=rondine.url)
    made = desk.create("planting", {"number": "P-95", "girth": "0.5"})
    assert made["confirmed"] == "read back" and "P-95" in store.numbers()


def test_a_flow_asks_it_for_each_writes_there_and_takes_back_what_it_wrote(office, store):
    place = {name: {"value": value} for name, value in OFFICE.items()}
    number = {"data": {"members": {"number": {"input": "number"}, "girth": {"value": 0.5}}}}
    undo = {"operation": "delete-record", "inputs": {**place, "id": {"undone": True, "at": "body.data.id"}}}
    of = {"result": "list", "at": "records.planting"}
    one = {"operation": "get-record", "inputs": {**place, "id": {"item": True, "at": "id"}}}
    steps = [
        {
            "type": "ask",
            "name": "list",
            "ask": {"operation": "get-records", "mapping": "planting", "inputs": {**place, "limit": {"value": 3}}},
        },
        {"type": "ask", "name": "each", "each": {"of": of, "ask": one, "at_once": 2}},
        {
            "type": "ask",
            "name": "made",
            "ask": {"operation": "create-record", "inputs": {**place, **number}, "undo": undo},
        },
        {
            "type": "ask",
            "name": "again",
            "ask": {"operation": "get-record", "inputs": {**place, "id": {"input": "id"}}},
        },
    ]
    reply = {
        "numbers": {"result": "each", "at": {"jsonpath": "$.parts[*].body.data.number"}, "all": True},
        "made": {"result": "made", "at": "body.data.number"},
    }
    inputs = [{"name": "number", "required": True}, {"name": "id", "required": True}]
    document = {
        "inputs": inputs,
        "reply": [{"name": "numbers"}, {"name": "made"}],
        "steps": [*steps, {"type": "end", "name": "end", "reply": reply}],
    }
    made = office.flows.make("plantings", document=document)
    assert made["problems"] == [], made["problems"]
    offered = office.flows.offers(made["document"], "again")
    [opening] = [one for one in offered["openings"] if one["name"] == "id"]
    assert opening["required"] and opening["held"] == {"input": "id"}
    before, there = store.numbers(), store.sent("GET", "")[0]["id"]
    run = office.flows.run("plantings", {"number": "P-200", "id": "nothing-here"})["id"]
    *_, last = office.runs.watch(run)
    shown = office.flows.shown(run)
    assert (last["state"], shown["failure"]["step"], shown["failure"]["status"]) == ("failed", "again", 404)
    assert shown["undone"] == ["made"] and store.numbers() == before
    again = office.flows.run("plantings", {"number": "P-200", "id": there}, recorded={"run": run, "before": "made"})[
        "id"
    ]
    *_, last = office.runs.watch(again)
    told = office.flows.shown(again)
    assert last["state"] == "done", last["ending"]
    assert told["reply"]["made"] == "P-200" and len(told["reply"]["numbers"]) == 3
    assert store.numbers() == sorted([*before, "P-200"])
    assert [one["recorded"] for one in told["tasks"]] == [run] * 4 + [None, None]
    office.cases.record_flow("plantings", again)
    assert [one["is_good"] for one in office.cases.check()] == [True]


def test_a_flow_finds_makes_changes_and_removes_its_records(office, store):
    of_plantings = {"type": "records", "record_type": "planting"}
    key = {"id": {"result": "made", "at": "record.id"}}
    steps = [
        {
            **of_plantings,
            "name": "made",
            "action": "keep",
            "fields": {"number": {"input": "number"}, "girth": {"value": "0.75"}},
        },
        {**of_plantings, "name": "changed", "action": "change", "key": key, "fields": {"girth": {"value": "1.75"}}},
        {**of_plantings, "name": "found", "action": "find", "key": key},
        {"type": "ask", "name": "same", "ask": {"record_type": "planting", "inputs": {"id": key["id"]}}},
        {**of_plantings, "name": "gone", "action": "remove", "key": key},
        {**of_plantings, "name": "after", "action": "find", "key": key},
        {
            "type": "end",
            "name": "end",
            "reply": {
                "girth": {"result": "found", "at": "record.girth"},
                "same": {"result": "same", "at": "records.planting"},
                "after": {"result": "after", "at": "outcome"},
            },
        },
    ]
    inputs = [{"name": "number", "required": True}]
    document = {"inputs": inputs, "steps": steps, "reply": [{"name": name} for name in ("girth", "same", "after")]}
    made = office.flows.make("by-records", document=document)
    assert made["problems"] == [], made["problems"]
    assert office.flows.obstacles("by-records") == []
    before = store.numbers()
    for number in ("P-300", "P-301"):
        *_, last = office.runs.watch(office.flows.run("by-records", {"number": number})["id"])
        told = office.flows.shown(last["id"])
        assert last["state"] == "done", told["failure"]
        assert (told["reply"]["girth"], told["reply"]["after"]) == ("1.75", "nothing_found")
        assert [one["number"] for one in told["reply"]["same"]] == [number]
    assert store.numbers() == before


def test_its_description_again_is_unchanged(office, store):
    compared = office.definitions.compare("store", address=f"{store.address}/__api__")
    assert compared["changes"] == [] and compared["unchanged"] == len(OPERATIONS)
