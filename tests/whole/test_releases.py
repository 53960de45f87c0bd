"""Releases: what an environment runs is what was released, whatever becomes of the draft."""

import json
from copy import deepcopy

import pytest

from rondine_client import RondineProblem

ROWS = [{"number": f"OLM-{number}", "girth": number, "height": 10 * number} for number in (1, 2, 3)]


class Grove:
    """A project of its own, as a release holds all of a project's items. Its feed brings three trees from a service."""

    def __init__(self, rondine, trees, name):
        self.rondine, self.name = rondine, name
        admin = rondine.client("ada")
        admin.projects.make(name)
        admin.project(name).members.set("mira", "builder")
        admin.project(name).hosts.permit("127.0.0.1", trees.outside.port, is_private=True)
        self.admin, self.project = admin.project(name), rondine.client("mira").project(name)
        trees.pages = [{"trees": ROWS, "next": None}]
        project = self.project
        project.services.make("register")
        base = {"base_address": trees.outside.url}
        project.connections.make("register-test", service="register", environment="test", document=base)
        project.operations.make("list-trees", service="register", document={"path": "/trees"})
        fields = [{"name": "number", "type": "text"}, {"name": "girth", "type": "decimal", "searchable": True}]
        project.record_types.make("tree", document={"key": ["number"], "fields": fields})
        output = {
            "record_type": "tree",
            "rows": [{"level": "tree", "at": "trees[*]"}],
            "fields": [{"name": "number", "from": "number"}, {"name": "girth", "from": "girth"}],
        }
        project.mappings.make("trees", service="register", document={"outputs": [output]})
        project.feeds.make("all-trees", operation="list-trees", mapping="trees", environment="test")

    def take_girth_from(self, member):
        held = self.project.mappings.get("trees")
        document = deepcopy(held["document"])
        document["outputs"][0]["fields"][1]["from"] = member
        self.project.mappings.change("trees", version=held["version"], document=document, why=f"from {member}")

    def run(self):
        *_, run = self.project.runs.watch(self.project.feeds.run("all-trees")["id"])
        assert run["state"] == "done", run["ending"]
        return run

    def girths(self):
        return [str(one["data"]["girth"]) for one in self.project.records.search("test", "tree")]


def refused(call, *args, **kwargs):
    with pytest.raises(RondineProblem) as told:
        call(*args, **kwargs)
    return told.value


def test_an_environment_runs_what_was_released_until_it_goes_over(rondine, trees):
    grove = Grove(rondine, trees, "grove")
    project = grove.project
    assert project.releases.check() == []
    assert refused(project.releases.get, 1).code == "not_found"
    first = project.releases.make("the first trees")
    assert (first["number"], first["items"], first["environments"], first["by"]) == (1, 4, [], "mira")
    assert "nothing has changed since release 1" in refused(project.releases.make).message
    switch = project.environments.use_release("test", 1, why="opening")
    assert (switch["before"], switch["after"]) == (None, 1)
    assert project.environments.get("test")["release"] == 1
    grove.run()
    assert grove.girths() == ["1", "2", "3"]

    grove.take_girth_from("height")
    grove.run()
    assert grove.girths() == ["1", "2", "3"]  # as released
    [difference] = project.releases.compare(1)
    assert (difference["kind"], difference["name"], difference["what"]) == ("mapping", "trees", "changed")
    assert (difference["by"], difference["why"]) == ("mira", "from height")
    [value] = difference["differences"]
    assert (value["kind"], value["before"], value["after"]) == ("changed", '"girth"', '"height"')

    project.releases.make("girth is the height")
    assert project.releases.compare(2) == [] and len(project.releases.compare(1, 2)) == 1
    project.environments.use_release("test", 2)
    assert grove.run()["counts"][0]["changed"] == 3
    assert grove.girths() == ["10", "20", "30"]
    back = project.environments.roll_back("test", why="it is not")
    assert (back["before"], back["after"], back["is_back"]) == (2, 1, True)
    grove.run()
    assert grove.girths() == ["1", "2", "3"]
    assert project.environments.roll_back("test")["after"] is None  # the draft, as at first
    grove.run()
    assert grove.girths() == ["10", "20", "30"]
    history = [(one["before"], one["after"]) for one in project.environments.switches("test")]
    assert history == [(1, None), (2, 1), (1, 2), (None, 1)]
    assert "went by nothing else before" in refused(project.environments.roll_back, "live").message


def test_what_is_new_in_the_draft_is_not_there_until_it_is_released(rondine, trees):
    grove = Grove(rondine, trees, "thicket")
    project = grove.project
    project.operations.make("spare", service="register", document={"path": "/spare"})
    project.releases.make()
    project.environments.use_release("test", 1)
    words = refused(project.operations.remove, "spare", version=1).message
    assert words == 'operation "spare" is in release 1, which test goes by'
    project.operations.make("short", service="register", document={"path": "/short"})
    made = project.feeds.make("short", operation="short", mapping="trees", environment="test")
    assert 'operation "short" is not in release 1' in made["problems"][0]["message"]
    assert refused(project.feeds.run, "short").code == "not_ready"
    project.releases.make()
    project.environments.use_release("test", 2)
    assert project.feeds.get("short")["problems"] == []
    project.operations.make("fallow", service="register", document={"path": "/fallow"})
    project.releases.make()
    project.operations.remove("fallow", version=1)
    gone = refused(project.environments.use_release, "test", 3).message
    assert gone == 'release 3 holds operation "fallow", which was removed since'
    # a record type that changes in the draft is shown as the environment goes by it, as long as it does
    held = project.record_types.get("tree")
    document = deepcopy(held["document"])
    document["fields"].append({"name": "height", "type": "integer", "searchable": True})
    grove.run()
    project.record_types.change("tree", version=held["version"], document=document)
    assert "height" in refused(list, project.records.search("test", "tree", sort="height")).message
    project.environments.use_release("test", None)
    assert [one["data"].get("height") for one in project.records.search("test", "tree", sort="height")] == [None] * 3


def test_what_is_renamed_in_the_draft_keeps_its_name_in_a_release(rondine, trees):
    grove = Grove(rondine, trees, "alley")
    project = grove.project
    document = {
        "path": "/trees",
        "inputs": [{"name": "number"}],
        "query": [{"name": "number", "value": {"input": "number"}}],
    }
    project.operations.make("one-tree", service="register", document=document)
    asks = {"for_each": {"record_type": "tree"}}
    project.feeds.make("each-tree", operation="one-tree", mapping="trees", environment="test", document=asks)
    project.releases.make()
    project.environments.use_release("test", 1)
    grove.run()
    held = project.record_types.get("tree")
    project.record_types.change("tree", version=held["version"], name="plant")
    assert project.feeds.get("each-tree")["document"]["for_each"]["record_type"] == "plant"
    assert grove.run()["counts"][0]["record_type"] == "tree"
    *_, run = project.runs.watch(project.feeds.run("each-tree")["id"])
    assert (run["state"], run["rows_asked"], run["rows_failed"]) == ("done", 3, 0), run["ending"]
    assert len(list(project.records.search("test", "plant"))) == 3
    [difference] = [one for one in project.releases.compare(1) if one["kind"] == "record type"]
    assert (difference["name_before"], difference["name"]) == ("tree", "plant")


def test_a_release_is_ready_or_says_why_not(rondine, trees):
    grove = Grove(rondine, trees, "copse")
    project = grove.project
    held = project.mappings.get("trees")
    document = deepcopy(held["document"])
    document["outputs"][0]["fields"].append({"name": "crown", "from": "crown"})
    project.mappings.change("trees", version=held["version"], document=document)
    [unready] = project.releases.check()
    assert (unready["kind"], unready["name"]) == ("mapping", "trees")
    problem = refused(project.releases.make)
    assert (problem.code, problem.problems[0]["where"]) == ("not_ready", "mapping trees")
    wrong = refused(project.releases.make, waive=[{"kind": "mapping", "name": "shrubs", "reason": "in spring"}])
    assert "nothing that could be waived" in wrong.message
    waived = project.releases.make(waive=[{"kind": "mapping", "name": "trees", "reason": "the crown comes in spring"}])
    assert [one["reason"] for one in waived["waived"]] == ["the crown comes in spring"]
    project.environments.use_release("test", 1)
    [problem] = project.feeds.get("all-trees")["problems"]
    assert problem["message"].startswith('mapping "trees" is not ready: ')
    assert refused(project.feeds.run, "all-trees").code == "not_ready"
    assert (
        "in use" in refused(project.releases.withdraw, 1).message
        or "goes by" in refused(project.releases.withdraw, 1).message
    )
    project.environments.use_release("test", None)
    project.releases.withdraw(1, why="the crown")
    assert "was withdrawn: the crown" in refused(project.environments.use_release, "test", 1).message
    grove.admin.environments.change("live", is_protected=True)
    assert refused(project.environments.use_release, "live", None).code == "not_allowed"
    assert refused(project.releases.compare, 1, 7).code == "not_found"


def test_a_checklist_names_what_an_environment_lacks(rondine, trees):
    grove = Grove(rondine, trees, "hedge")
    project = grove.project
    held = project.operations.get("list-trees")
    query = [{"name": "year", "value": [{"standing": "survey-year"}]}]
    project.standing_values.set_value("survey-year", 2026, "test")
    project.operations.change("list-trees", version=held["version"], document={**held["document"], "query": query})
    project.releases.make()
    lacking = {one["what"]: one for one in project.environments.checklist("live", 1)}
    assert set(lacking) == {"service register", "standing value survey-year", "feed all-trees"}
    assert lacking["service register"]["who"] == "builder"
    project.standing_values.set_value("survey-year", 2026, "live")
    project.connections.make(
        "register-live", service="register", environment="live", document={"base_address": "https://register.example"}
    )
    lacking = {one["what"]: one for one in project.environments.checklist("live", 1)}
    assert lacking["connection register-live"]["who"] == "administrator"  # the host is not permitted
    assert project.environments.checklist("test", 1) == []


def test_the_commands_do_the_same(rondine, trees):
    grove = Grove(rondine, trees, "orchard")

    def say(*words, status=0):
        found = rondine.cli("--project", "orchard", "release", *words, check=False)
        assert found.returncode == status, found.stderr
        return [json.loads(line) for line in found.stdout.splitlines()], found.stderr

    assert "everything is ready" in say("check")[1]
    made, switched = say("make", "--notes", "first", "--to", "test")[0]
    assert (made["number"], made["items"], switched["after"]) == (1, 4, 1)
    grove.take_girth_from("height")
    [difference] = say("compare", "1")[0]
    assert difference["differences"][0]["path"] == "$['document']['outputs'][0]['fields'][1]['from']"
    say("make", "--to", "test")
    [back] = say("roll-back", "test")[0]
    assert (back["before"], back["after"]) == (2, 1)
    assert [one["after"] for one in say("history", "test")[0]] == ["release 1", "release 2", "release 1"]
    assert {one["what"] for one in say("checklist", "live", "2", status=1)[0]} == {"service register", "feed all-trees"}
    assert say("withdraw", "2")[0][0]["withdrawn_at"]
    assert {one["kind"] for one in say("show", "1")[0][0]["contents"]} == {
        *("service", "operation", "record type", "mapping")
    }
    assert "neither the number of a release nor the word draft" in say("use", "soon", "--in", "test", status=2)[1]


def test_fixed_values_are_listed_and_each_named_in_one_action(rondine, trees):
    grove = Grove(rondine, trees, "avenue")
    project = grove.project
    held = project.operations.get("list-trees")
    query = [{"name": "year", "value": "2026"}]
    project.operations.change("list-trees", version=held["version"], document={**held["document"], "query": query})
    mapping = project.mappings.get("trees")
    document = deepcopy(mapping["document"])
    document["outputs"][0]["fields"][1]["from"] = {"value": "12"}
    project.mappings.change("trees", version=mapping["version"], document=document)
    asked, kept = project.releases.fixed_values()["items"]
    assert (asked["item"], asked["name"], asked["value"], asked["becomes"]) == ("list-trees", "year", "2026", "input")
    assert (kept["item"], kept["name"], kept["becomes"]) == ("trees", "girth", "standing value")
    stale = refused(project.releases.name_value, "operation", "list-trees", asked["place"], version=1)
    assert stale.code == "changed_meanwhile"
    named = project.releases.name_value("operation", "list-trees", asked["place"], version=asked["version"])
    assert (named["becomes"], named["name"]) == ("input", "year")
    [input_] = project.operations.get("list-trees")["document"]["inputs"]
    assert (input_["type"], input_["default"]) == ("integer", 2026)
    where = kept["place"]
    named = project.releases.name_value("mapping", "trees", where, version=kept["version"], name="usual-girth")
    assert project.standing_values.get("usual-girth")["document"]["values"] == {"test": "12", "live": "12"}
    grove.run()
    assert grove.girths() == ["12", "12", "12"]
    assert project.releases.fixed_values() == {"items": [], "is_all": True}
    assert project.releases.check() == []
    again = refused(project.releases.name_value, "mapping", "trees", where, version=named["version"])
    assert again.code == "not_found"


def test_a_project_goes_with_its_releases(rondine):
    admin = rondine.client("ada")
    admin.projects.make("fallow-land")
    project = admin.project("fallow-land")
    project.services.make("register")
    project.releases.make()
    project.environments.use_release("live", 1)
    assert refused(project.services.remove, "register", version=1).code == "conflict"
    project.environments.use_release("live", None)
    project.services.remove("register", version=1)
    admin.projects.remove("fallow-land")
    assert "fallow-land" not in {one["name"] for one in admin.projects.list()}


def test_a_key_is_not_moved_from_under_a_release_that_sends_it(rondine, trees):
    grove = Grove(rondine, trees, "spinney")
    project = grove.project
    held = project.operations.get("list-trees")
    query = [{"name": "key", "value": "seven-alders-by-the-mill"}]
    project.operations.change("list-trees", version=held["version"], document={**held["document"], "query": query})
    project.releases.make()
    project.environments.use_release("test", 1)
    problem = refused(project.connections.extract_secret, "/query/0", service="register", operation="list-trees")
    assert problem.message.startswith("operation list-trees sends it in release 1, which test goes by")
    assert project.operations.get("list-trees")["document"]["query"] == query
    project.environments.use_release("test", None)
    project.connections.extract_secret("/query/0", service="register", operation="list-trees")
    project.releases.make()
    project.environments.use_release("test", 2)
    assert grove.run()["counts"][0]["created"] == 3
