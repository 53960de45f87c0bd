"""Live records: found, listed, made, changed and removed at services of each protocol, by bindings that were proposed."""

import signal

import pytest
from tests.conftest import OutsideService
from tests.living import DOCUMENTS, Living, Site
from tests.whole_rondine import wait_until

from rondine_client import Application, RondineProblem


@pytest.fixture(scope="module")
def living(rondine):
    found = Living(rondine, "living")
    for name in ("crew", "seeds", "desk", "permits"):
        found.permit(rondine.more[name])
    found.permit(rondine.register_port)
    return found


@pytest.fixture(scope="module")
def lots(rondine, living):
    """OData 4: seed lots, all roles."""
    base = rondine.outside("seeds")
    rondine.tell("seeds")
    sign_in = {
        "type": "client_credentials",
        "token_address": f"{base}/oauth/token",
        "client_id": "tree-office",
        "scope": "lots.read lots.write",
    }
    living.connect("seeds", f"{base}/odata", sign_in, {"client_secret": rondine.papers.seeds_secret})
    files = {"seeds.xml": (DOCUMENTS / "seeds.xml").read_bytes()}
    living.project.definitions.import_into("seeds", files=files, record_types=[])
    living.bind("lot", "list-lots", ["$.value[*]"])
    return living.project.records


def refused(action, *arguments, **options):
    with pytest.raises(RondineProblem) as raised:
        action(*arguments, **options)
    return raised.value.document


def test_odata_lists_filters_orders_and_pages_at_the_service(lots, living):
    uses = lots.uses("test", "lot")
    assert uses["kind"] == "live" and not uses["problem"]
    assert [role["role"] for role in uses["roles"]] == ["list", "find", "create", "change", "replace", "remove"]
    page = lots.page("test", "lot", limit=5, sort="-grams", **{"grams.to": "400", "species": "Quercus robur"})
    grams = [float(one["data"]["grams"]) for one in page["items"]]
    assert grams == sorted(grams, reverse=True) and len(grams) == 5 and max(grams) <= 400
    assert {one["data"]["species"] for one in page["items"]} == {"Quercus robur"}
    assert page["live"]["calls"] == 1 and page["live"]["local"] == [] and page["count"] is None
    assert page["items"][0]["version"].startswith('W/"')
    every = list(lots.search("test", "lot"))
    assert len(every) == 60 and len({one["id"] for one in every}) == 60
    assert page["is_all"] is False and page["next"]


def test_a_new_record_is_read_back_and_a_change_is_seen_at_the_service(lots, rondine):
    made = lots.create(
        "test", "lot", {"number": 900, "species": "Tilia cordata", "grams": "12.5", "stored": "2026-01-02"}
    )
    assert made["confirmed"] == "read back" and made["key"] == ["900"] and made["differences"] == []
    assert made["data"]["grams"] == "12.5" and made["data"]["stored"] == "2026-01-02"
    found = lots.get("test", "lot", "900")
    assert found["version"] == made["version"] and found["live"]["calls"] == 1
    changed = lots.change("test", "lot", "900", data={"grams": "7", "room": "attic"}, version=found["version"])
    assert changed["data"]["room"] == "attic" and changed["version"] != found["version"]
    assert changed["data"]["species"] == "Tilia cordata", "fields that were not given stay"
    stale = refused(lots.change, "test", "lot", "900", data={"grams": "1"}, version=found["version"])
    assert stale["code"] == "changed_meanwhile" and stale["status"] == 412
    assert lots.get("test", "lot", "900")["data"]["grams"] == "7"
    whole = {"species": "Quercus robur", "grams": "3"}
    lots.replace("test", "lot", "900", data=whole, version=changed["version"])
    assert "room" not in lots.get("test", "lot", "900")["data"], "what is not given goes"
    assert refused(lots.remove, "test", "lot", "900", version="")["code"] == "version_needed"
    lots.remove("test", "lot", "900", version="*")
    assert refused(lots.get, "test", "lot", "900")["code"] == "not_found"
    assert refused(lots.change, "test", "lot", "900", data={"grams": "1"}, version="*")["code"] == "not_found"


def test_what_cannot_be_written_is_refused_before_anything_is_sent(lots, living):
    before = next(living.project.runs.search())["id"]
    unknown = refused(lots.create, "test", "lot", {"number": 901, "gramms": "1"})
    assert unknown["where"] == "/data/gramms" and 'did you mean "grams"' in unknown["hint"]
    wrong = refused(lots.create, "test", "lot", {"number": "many", "species": "x"})
    assert wrong["where"] == "/data/number"
    computed = refused(lots.change, "test", "lot", "1", data={"changed": "2026-01-01T00:00:00Z"}, version="*")
    assert 'takes no value for "changed"' in computed["detail"]
    emptied = refused(lots.change, "test", "lot", "1", data={"species": None}, version="*")
    assert "cannot be emptied" in emptied["detail"]
    key = refused(lots.change, "test", "lot", "1", data={"number": 2}, version="*")
    assert "part of the key" in key["detail"]
    assert next(living.project.runs.search())["id"] == before


def test_a_service_that_refuses_is_quoted_and_its_call_is_kept(lots, living):
    twice = refused(lots.create, "test", "lot", {"number": 1, "species": "Tilia cordata", "grams": "1"})
    assert "1 is there already" in twice["detail"]
    run = next(living.project.runs.search(kind="live"))
    assert run["state"] == "failed" and "1 is there already" in run["summary"]
    [call] = living.project.runs.calls(run["id"])
    assert call["status"] == 409 and call["method"] == "POST"


def test_nothing_of_a_live_record_is_found_in_the_database(lots, living, rondine):
    marker = "Sorbus inventata"
    lots.create("test", "lot", {"number": 950, "species": marker, "grams": "1", "collection_code": "STREET"})
    assert lots.get("test", "lot", "950")["data"]["species"] == marker
    assert any(one["data"]["species"] == marker for one in lots.search("test", "lot", **{"number.from": "940"}))
    # what was sent by hand is told with its run; what the service sent is not kept
    mine = "SELECT id FROM runs_run WHERE kind = 'live' AND content->>'role' = 'create'"
    rondine.sql(f"DELETE FROM runs_call WHERE run_id IN ({mine}) RETURNING id")
    rondine.sql(f"DELETE FROM runs_run WHERE id IN ({mine}) RETURNING id")
    tables = rondine.sql("SELECT table_name FROM information_schema.tables WHERE table_schema = 'public'")
    holding = [
        name
        for (name,) in tables
        if rondine.sql(f'SELECT 1 FROM "{name}" t WHERE t::text LIKE %s LIMIT 1', f"%{marker}%")
    ]
    assert holding == []
    bodies = rondine.sql(
        "SELECT count(*) FROM runs_call c JOIN runs_run r ON r.id = c.run_id WHERE r.kind = 'live' AND c.body_id IS NOT NULL AND c.error IS NULL"
    )
    assert bodies[0][0] == 0
    lots.remove("test", "lot", "950", version="*")


def test_a_maximum_age_cuts_the_calls_as_far_as_the_binding_permits(lots, living, rondine):
    fresh = [lots.get("test", "lot", "3", max_age=60)["live"] for _ in range(2)]
    assert [one["is_cached"] for one in fresh] == [False, False], "the binding permits none"
    living.set("lot", max_age=30, stale_for=600)
    try:
        first = lots.page("test", "lot", limit=3, max_age=20)
        again = lots.page("test", "lot", limit=3, max_age=20)
        assert (first["live"]["is_cached"], again["live"]["is_cached"]) == (False, True)
        assert again["live"]["run"] == first["live"]["run"] and again["items"] == first["items"]
        assert 0 < again["live"]["age"] < 20
        assert not lots.page("test", "lot", limit=3)["live"]["is_cached"], "who permits no age gets it new"
        # a write through Rondine is seen at once
        now = lots.get("test", "lot", "3", max_age=20)
        lots.change("test", "lot", "3", data={"grams": "111"}, version=now["version"])
        assert lots.get("test", "lot", "3", max_age=20)["data"]["grams"] == "111"
    finally:
        living.set("lot", max_age=0, stale_for=0)


def test_wrong_questions_say_what_and_where(lots, living):
    assert refused(lots.page, "test", "lot", gramms="3")["where"] == "?gramms"
    assert refused(lots.page, "test", "lot", **{"grams.from": "many"})["where"] == "?grams.from"
    assert refused(lots.page, "test", "lot", **{"grams.begins": "1"})["where"] == "?grams.begins"
    assert refused(lots.page, "test", "lot", cursor="nonsense")["where"] == "/after"
    assert refused(lots.page, "test", "lot", gone="also")["where"] == "?gone"
    assert refused(lots.get, "test", "lot", "x")["detail"].startswith("number ")


def test_a_protected_environment_is_written_to_only_on_purpose(lots, living):
    admin = living.admin
    admin.environments.change("test", is_protected=True)
    try:
        given = {"number": 970, "species": "Tilia cordata", "grams": "1"}
        refusal = refused(lots.create, "test", "lot", given)
        assert (refusal["status"], refusal["where"]) == (409, "in_protected")
        assert refused(lots.remove, "test", "lot", "5", version="*")["where"] == "in_protected"
        lots.create("test", "lot", given, in_protected=True)
        lots.remove("test", "lot", "970", version="*", in_protected=True)
    finally:
        admin.environments.change("test", is_protected=False)


def test_what_would_stop_a_flow_at_live_records_is_told_before(lots, living):
    project = living.project
    fields = [{"name": "number", "type": "integer"}]
    project.record_types.make("unbound", document={"key": ["number"], "fields": fields, "kind": "live"})
    number = {"number": {"input": "number"}}
    steps = [
        {"type": "ask", "name": "all", "ask": {"record_type": "lot"}},
        {"type": "records", "name": "one", "action": "find", "record_type": "lot", "key": number},
        {"type": "records", "name": "none", "action": "find", "record_type": "unbound", "key": number},
        {"type": "end", "name": "end", "reply": {}},
    ]
    inputs = [{"name": "number", "type": "integer", "required": True}]
    made = project.flows.make("of-lots", document={"inputs": inputs, "steps": steps, "reply": []})
    assert made["problems"] == []
    [told] = project.flows.obstacles("of-lots")
    assert told["where"] == "/steps/2/record_type"
    assert told["message"] == 'unbound: record type "unbound" is bound to no operations'
    held = project.connections.get("seeds")
    off = project.connections.change("seeds", version=held["version"], document={**held["document"], "enabled": False})
    try:
        found = project.flows.obstacles("of-lots")
        places = [one["where"] for one in found]
        assert places == ["/steps/0/ask/record_type", "/steps/1/record_type", "/steps/2/record_type"]
        assert found[0]["message"] == 'lot: connection "seeds" is disabled'
    finally:
        project.connections.change("seeds", version=off["version"], document=held["document"])
    assert len(project.flows.obstacles("of-lots")) == 1


def test_a_flow_makes_changes_lists_and_removes_live_records(lots, living, rondine):
    number = {"number": {"input": "number"}}
    values = {"species": {"value": "Tilia cordata"}, "grams": {"value": "12.5"}, "stored": {"value": "2026-01-02"}}
    of_lots = {"type": "records", "record_type": "lot"}
    find = {**of_lots, "name": "found", "action": "find", "key": number}
    every = {"type": "ask", "name": "every", "ask": {"record_type": "lot", "inputs": number}}
    steps = [
        {**of_lots, "name": "made", "action": "keep", "fields": {**number, **values}},
        {**of_lots, "name": "changed", "action": "change", "key": number, "fields": {"grams": {"value": "13"}}},
        find,
        every,
        {**of_lots, "name": "gone", "action": "remove", "key": number},
        {**find, "name": "after"},
    ]
    reply = {
        "grams": {"result": "found", "at": "record.grams"},
        "listed": {"result": "every", "at": "records.lot"},
        "after": {"result": "after", "at": "outcome"},
    }
    inputs = [{"name": "number", "type": "integer", "required": True}]
    ending = {"type": "end", "name": "end", "reply": reply}
    replied = [{"name": name} for name in reply]
    flows, runs = living.project.flows, living.project.runs
    document = {"inputs": inputs, "steps": [*steps, ending], "reply": replied}
    assert flows.make("all-of-lots", document=document)["problems"] == []
    [*_, last] = runs.watch(flows.run("all-of-lots", {"number": 905})["id"])
    assert last["state"] == "done", last
    replied = flows.shown(last["id"])["reply"]
    assert (replied["grams"], replied["after"], len(replied["listed"])) == ("13", "nothing_found", 1)
    asked = [run for run in runs.search(kind="live") if run["begun_by"] == f"run {last['id']}"]
    assert len(asked) == 6 and {run["by"] for run in asked} == {"mira"}

    reading = {"type": "end", "name": "end", "reply": {name: reply[name] for name in ("grams", "listed")}}
    document = {
        "inputs": inputs,
        "steps": [find, every, reading],
        "reply": [{"name": name} for name in reading["reply"]],
    }
    assert flows.make("read-lots", document=document)["problems"] == []
    applications = living.admin.applications
    applications.make("of-lots", environment="test", document={"all_flows": True, "may_write": True})
    token = applications.make_token("of-lots", "tests")["token"]
    use = Application(living.name, "test", token=token, url=rondine.url)
    told = use.call_flow("read-lots", {"number": 7})["reply"]
    assert [float(one["grams"]) for one in told["listed"]] == [float(told["grams"])]
    assert use.call_flow("all-of-lots", {"number": 906})["reply"]["after"] == "nothing_found"


def test_a_live_record_that_may_have_been_made_already_is_not_made_again_by_a_flow(rondine):
    site = Site(rondine, OutsideService, "site-doubt")
    project = site.living.project
    fields = {"species": {"value": "Tilia cordata"}, "height": {"value": "2.5"}}
    made = {"type": "records", "name": "made", "action": "keep", "record_type": "planting", "fields": fields}
    document = {"inputs": [], "steps": [made, {"type": "end", "name": "end", "reply": {}}], "reply": []}
    assert project.flows.make("planted", document=document)["problems"] == []
    rows, site.late = len(site.rest.rows), 3
    run = project.flows.run("planted")["id"]
    wait_until(lambda: len(site.rest.rows) > rows, 30)
    rondine.end("worker", signal.SIGKILL)
    rondine.start_worker()
    [pause] = wait_until(lambda: project.runs.get(run)["state"] == "waiting" and project.flows.shown(run)["pauses"], 90)
    assert (pause["kind"], pause["task"]) == ("doubt", "made")
    assert len(site.rest.rows) == rows + 1
    project.flows.settle(run, "made", "done")
    [*_, last] = project.runs.watch(run)
    assert last["state"] == "done"
    assert len([call for call in site.rest.calls if call.startswith("POST")]) == 1
    site.outside.close()
