"""Where items are used, a search over everything, and a check of a whole project."""

from itertools import count

import pytest
from aiohttp import web
from tests.made_feed import ROWS, whole

from rondine_client import RondineProblem

NUMBERS = count(1)


@pytest.fixture
def orchard(rondine, serve):
    """A project of its own: a service, an operation, its mapping, record type and feed, and an application."""
    outside = serve(lambda request: web.json_response(whole(ROWS)[0]))
    admin, name = rondine.client("ada"), f"orchard-{next(NUMBERS)}"
    admin.projects.make(name)
    project = admin.project(name)
    project.hosts.permit("127.0.0.1", outside.port, is_private=True)
    project.services.make("orchard-register", title="The orchard's register")
    base = {"base_address": outside.url}
    project.connections.make("orchard-test", service="orchard-register", environment="test", document=base)
    project.operations.make("list-rows", service="orchard-register", document={"path": "/rows-of-pears"})
    fields = [{"name": "number", "type": "text"}, {"name": "girth", "type": "decimal"}]
    project.record_types.make("pear", document={"key": ["number"], "fields": fields})
    output = {
        "record_type": "pear",
        "rows": [{"level": "tree", "at": "trees[*]"}],
        "fields": [{"name": "number", "from": "number"}, {"name": "girth", "from": "girth"}],
    }
    project.mappings.make("pears", service="orchard-register", document={"outputs": [output]})
    project.feeds.make("all-pears", operation="list-rows", mapping="pears", environment="test")
    project.applications.make("pear-desk", environment="test", document={"operations": ["list-rows"]})
    *_, run = project.runs.watch(project.feeds.run("all-pears")["id"])
    assert run["state"] == "done"
    return project


def test_each_use_is_told_with_its_last_result(orchard):
    uses = {(one["kind"], one["name"]): one for one in orchard.where_used("operations", "list-rows")}
    assert set(uses) == {("feeds", "all-pears"), ("applications", "pear-desk")}
    feed = uses["feeds", "all-pears"]
    assert (feed["how"], feed["environment"], feed["last"]["state"]) == ("operation", "test", "done")
    assert "6 created" in feed["last"]["words"]
    assert orchard.runs.get(feed["last"]["run"])["state"] == "done"
    application = uses["applications", "pear-desk"]
    assert (application["how"], application["last"]) == ("/operations/0", None)
    assert {one["name"] for one in orchard.where_used("services", "orchard-register")} == {
        "orchard-test",
        "list-rows",
        "pears",
    }
    [mapping] = orchard.where_used("record-types", "pear")
    assert (mapping["word"], mapping["how"]) == ("mapping", "/outputs/0/record_type")
    held = orchard.applications.get("pear-desk")
    document = {"all_operations": True, "all_record_types": True}
    orchard.applications.change("pear-desk", version=held["version"], document=document)
    assert ("applications", "/all_record_types") in {
        (one["kind"], one["how"]) for one in orchard.where_used("record-types", "pear")
    }
    orchard.releases.make("pears")
    orchard.environments.use_release("test", 1)
    assert ("releases", "release 1, which test goes by") in {
        (one["kind"], one["name"]) for one in orchard.where_used("mappings", "pears")
    }
    with pytest.raises(RondineProblem, match="there is no kind"):
        orchard.where_used("pears", "pears")


def test_a_search_finds_names_settings_records_and_runs(orchard):
    found = orchard.search("PEAR")
    places = {(one["kind"], one["name"]): one["where"] for one in found["items"]}
    assert places["record-types", "pear"] == "name"
    assert places["operations", "list-rows"] == "/path"
    assert found["is_all"]
    assert next(one for one in found["items"] if one["kind"] == "operations")["text"] == "/rows-of-pears"
    [record] = [one for one in orchard.search("OLM-3")["items"] if one["kind"] == "records"]
    assert (record["record_type"], record["environment"], record["key"]) == ("pear", "test", "OLM-3")
    [run] = orchard.runs.search(kind="feed")
    told = orchard.search(f"{run['id']:02}")["items"]
    assert ("runs", f"{run['id']:02}") in {(one["kind"], one["name"]) for one in told}
    [service] = orchard.search("orchard's")["items"]
    assert (service["where"], service["text"]) == ("title", "The orchard's register")
    assert orchard.search("no such thing") == {"items": [], "is_all": True}
    with pytest.raises(RondineProblem):
        orchard.search("x")


def test_a_check_lists_what_is_wrong_in_its_place(orchard):
    assert orchard.check() == []
    held = orchard.mappings.get("pears")
    outputs = [{**held["document"]["outputs"][0], "record_type": "apple"}]
    orchard.mappings.change("pears", version=held["version"], document={"outputs": outputs})
    connection = orchard.connections.get("orchard-test")
    orchard.connections.change(
        "orchard-test", version=connection["version"], document={**connection["document"], "enabled": False}
    )
    wrong = {(one["word"], one["name"]): one for one in orchard.check()}
    assert wrong["mapping", "pears"]["where"] == "/outputs/0/record_type"
    assert wrong["connection", "orchard-test"]["environment"] == "test"
    assert ("feed", "all-pears") in wrong  # it cannot start


def test_a_new_operation_is_on_the_list_at_once_and_says_how_it_went_the_last_time(orchard, rondine):
    orchard.operations.make("one-pear", service="orchard-register", document={"path": "/rows-of-pears"})
    listed = {one["name"]: one["last_run"] for one in orchard.operations.search("pear")}
    assert listed == {"one-pear": None}
    trial = orchard.trials.send(operation="one-pear", service="orchard-register")
    [found] = orchard.operations.search("one-pear")
    assert (found["last_run"]["id"], found["last_run"]["state"]) == (trial["run"], "done")
    held = orchard.connections.get("orchard-test")
    orchard.connections.change("orchard-test", version=held["version"], document={**held["document"], "enabled": False})
    with pytest.raises(RondineProblem, match="disabled"):
        orchard.trials.send(operation="one-pear", service="orchard-register")
    changed = orchard.connections.get("orchard-test")
    nowhere = {**held["document"], "base_address": "http://127.0.0.1:9"}
    orchard.hosts.permit("127.0.0.1", 9, is_private=True)
    orchard.connections.change("orchard-test", version=changed["version"], document=nowhere)
    orchard.trials.send(operation="one-pear", service="orchard-register")
    assert orchard.operations.get("one-pear")["last_run"]["state"] == "failed"
    rows = rondine.cli("--project", orchard.name, "operation", "list", "one-pear", person="ada").stdout
    assert '"state": "failed"' in rows
