"""Kept, live and passing: a choice for each record type, which can be changed later; and kept copies written back."""

import pytest
from tests.conftest import OutsideService
from tests.living import Site
from tests.whole_rondine import wait_until

from rondine_client import RondineProblem


@pytest.fixture(scope="module")
def site(rondine):
    made = Site(rondine, OutsideService, "site-kinds")
    yield made
    made.outside.close()


def refused(action, *arguments, **options):
    with pytest.raises(RondineProblem) as raised:
        action(*arguments, **options)
    return raised.value.document


def let_be(site, kind):
    project = site.living.project
    held = project.record_types.get("planting")
    project.record_types.change("planting", version=held["version"], document={**held["document"], "kind": kind})


def run_feed(site):
    project = site.living.project
    run = project.feeds.run("plantings")
    wait_until(lambda: project.runs.get(run["id"])["state"] not in ("queued", "running"))
    return project.runs.get(run["id"])


@pytest.fixture
def kept(site):
    """The plantings as copies, of which each test changes other ones."""
    let_be(site, "kept")
    if not list(site.living.project.feeds):
        options = {"operation": "list-plantings", "mapping": "planting", "environment": "test"}
        site.living.project.feeds.make("plantings", **options)
    assert run_feed(site)["state"] == "done"
    return site.living.project.records


def test_live_shows_what_is_new_and_kept_shows_what_was(site, kept):
    site.rest.rows[2]["height"] = 8.25
    assert kept.get("test", "planting", "2")["data"]["height"] == "2"
    let_be(site, "live")
    assert kept.get("test", "planting", "2")["data"]["height"] == "8.25"
    assert "are live, and not kept" in refused(list, kept.export("test", "planting"))["detail"]
    assert "are live, and not kept" in refused(kept.changes, "test", "planting")["detail"]
    refusal = refused(site.living.project.feeds.run, "plantings")
    assert "it would keep nothing: planting is live" in refusal["detail"]
    let_be(site, "kept")
    assert kept.get("test", "planting", "2")["data"]["height"] == "2", "the copy is there still"
    assert run_feed(site)["summary"].startswith("planting: 1 changed")
    assert kept.get("test", "planting", "2")["data"]["height"] == "8.25"


def test_passing_records_are_there_for_the_length_of_a_call(site, kept, rondine):
    let_be(site, "passing")
    assert "is passing" in refused(kept.page, "test", "planting")["detail"]
    assert "would keep nothing" in refused(site.living.project.feeds.run, "plantings")["detail"]
    admin = site.living.admin
    admin.applications.make("caller", environment="test", document={"all_operations": True, "all_record_types": True})
    token = admin.applications.make_token("caller", "tests")["token"]
    use = site.application(token=token)
    found = use.call("list-plantings", mapping="planting")["records"]["planting"]
    assert len(found) == 5 and found[0]["species"]
    assert "passing" in refused(use.page, "planting")["detail"]
    assert "are passing, and not kept" in refused(use.changes, "planting")["detail"]
    assert use.offer()["record_types"] == []
    let_be(site, "kept")
    assert kept.page("test", "planting")["count"] == 23, "what was kept before is there still"


def test_a_kept_copy_is_written_back_unless_both_sides_have_changed(site, kept):
    rest = site.rest
    rest.rows[4] = {**rest.rows[4], "species": "Ulmus glabra"}  # another field than what is changed here
    done = kept.change("test", "planting", "4", data={"height": "6.5"}, version="kept")
    assert (rest.rows[4]["height"], rest.rows[4]["species"]) == (6.5, "Ulmus glabra")
    assert done["confirmed"] == "read back" and "changes with the next run of plantings" in done["note"]
    assert kept.get("test", "planting", "4")["data"]["height"] == "2.5", "the copy is as old as it says"
    rest.rows[5] = {**rest.rows[5], "height": 7.75}
    conflict = refused(kept.change, "test", "planting", "5", data={"height": "9"}, version="kept")
    assert (conflict["status"], conflict["detail"]) == (412, "changed on both sides: height")
    assert (
        'height is "2.75" in the copy, "7.75" at the service now, and "9" was given'
        in conflict["problems"][0]["message"]
    )
    assert rest.rows[5]["height"] == 7.75
    kept.change("test", "planting", "5", data={"height": "9"}, version="*")
    assert rest.rows[5]["height"] == 9
    assert refused(kept.remove, "test", "planting", "5", version="kept")["status"] == 412
    assert 5 in rest.rows
    run_feed(site)
    kept.remove("test", "planting", "5", version="kept")
    assert 5 not in rest.rows


def test_a_type_without_a_binding_says_how_to_bind_it(site, kept):
    project = site.living.project
    held = project.bindings.get("planting")["document"]
    project.bindings.remove("planting")
    try:
        problem = refused(kept.change, "test", "planting", "6", data={"height": "1"}, version="*")
        assert problem["hint"] == "bind it to a service: rondine binding propose planting"
        let_be(site, "live")
        assert "is bound to no operations" in kept.uses("test", "planting")["problem"]
        assert refused(kept.page, "test", "planting")["code"] == "not_found"
    finally:
        project.bindings.make("planting", document=held)
        let_be(site, "kept")


def test_a_binding_that_cannot_work_says_each_reason(site):
    project = site.living.project
    document = project.bindings.get("planting")["document"]
    broken = {
        **document,
        "find": {"operation": "get-plantin", "inputs": {}},
        "change": {"operation": "change-planting", "inputs": {"number": {"field": "nummer"}, "colour": {"value": 1}}},
        "remove": {"operation": "get-planting", "inputs": {"number": {"field": "number"}}},
        "list": {**document["list"], "filters": [{"input": "species", "field": "specie"}]},
    }
    made = project.bindings.make("broken", document=broken)
    said = {problem["where"]: problem["message"] for problem in made["problems"]}
    assert said["/record_type"] == 'binding "planting" is for planting already'
    assert said["/find/operation"] == 'its service has no operation "get-plantin"'
    assert said["/change/inputs/number"] == 'there is no field "nummer"'
    assert said["/change/inputs/colour"] == 'the operation has no input "colour"'
    assert said["/remove/operation"] == '"get-planting" only reads: it cannot remove'
    assert said["/list/filters/0"] == 'there is no field "specie"'
    project.bindings.remove("broken")
    wrong = {**document, "find": {"operation": "get-planting", "inputs": {"number": {"field": "x", "version": True}}}}
    assert "give exactly one of" in refused(project.bindings.make, "broken", document=wrong)["detail"]


def test_a_release_holds_the_binding_and_its_environment_goes_by_it(site):
    project, records = site.living.project, site.living.project.records
    let_be(site, "live")
    assert [one["kind"] for one in project.releases.contents(project.releases.make("plantings")["number"])].count(
        "binding"
    ) == 1
    project.environments.use_release("test", 1)
    try:
        site.living.set("planting", change=None)
        assert "change" in [one["role"] for one in records.uses("test", "planting")["roles"]], "as released"
        assert records.change("test", "planting", "9", data={"height": "3"}, version="*")["confirmed"] == "read back"
        run = next(project.runs.search(kind="live"))
        assert run["release"] == 1
        project.environments.roll_back("test")
        refusal = refused(records.change, "test", "planting", "9", data={"height": "4"}, version="*")
        assert refusal["detail"] == "no operation of the service is bound to change planting"
    finally:
        if project.environments.get("test")["release"] is not None:
            project.environments.roll_back("test")
