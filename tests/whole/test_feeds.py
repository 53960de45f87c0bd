"""Feeds on real parts: a worker, PostgreSQL, the tree register; also when one of them stops in the middle."""

import json
import signal
import time
from concurrent.futures import ThreadPoolExecutor

import psycopg
import pytest
from aiohttp import web
from tests.canary import leaks
from tests.whole_rondine import wait_until

from rondine.standins.trees import TREES
from rondine_client import RondineProblem


@pytest.fixture
def register(rondine):
    yield rondine
    rondine.control()


def counts(run):
    (found,) = run["counts"]
    return {name: number for name, number in found.items() if number and name != "record_type"}


def kept(register, record_type):
    """What is in the table, without what a run leaves of itself."""
    return register.sql(
        "SELECT r.key, r.hash::text FROM records_record r JOIN records_recordset s ON s.id = r.set_id JOIN"
        " records_recordtype t ON t.id = s.record_type_id WHERE t.name = %s ORDER BY r.key",
        record_type,
    )


@pytest.mark.parametrize(
    ("name", "path", "paging", "parameter", "calls"),
    [
        ("by-link", "/v1/trees", {"type": "link_header"}, "limit", 13),
        ("by-address", "/v1/trees/by-address", {"type": "next_address", "at": "/next"}, "limit", 13),
        ("by-page", "/v1/trees/by-page", {"type": "page_number", "total": "/total"}, "size", 13),
        ("by-page-unannounced", "/v1/trees/by-page", {"type": "page_number"}, "size", 14),
    ],
)
def test_every_way_of_paging_brings_all_trees_once_and_nothing_changes_the_second_time(
    register, name, path, paging, parameter, calls
):
    register.feed(name, path, paging=paging, parameter=parameter)
    run = register.finish(name)
    assert (run["state"], run["completeness"], run["calls"]) == ("done", "complete", calls)
    assert counts(run) == {"rows": TREES, "created": TREES}
    again = register.finish(name)
    assert counts(again) == {"rows": TREES, "unchanged": TREES}
    assert "nothing changed" in again["summary"]
    assert len(list(register.office().runs.calls(run["id"]))) == calls


def test_a_changed_service_changes_the_records_and_rejects_what_no_longer_fits(register):
    name = register.feed("next-version", "/v1/trees", paging={"type": "link_header"})
    register.finish(name)
    register.control(version=2)
    run = register.finish(name)
    assert counts(run) == {"rows": TREES, "rejected": TREES}
    assert (run["state"], run["error"]["code"]) == ("failed", "all_rows_rejected")
    drift = [remark["message"] for remark in run["remarks"] if remark["kind"] == "drift"]
    assert any("$.trees[*].measures.girth" in one and f"{name}.girth (feed {name})" in one for one in drift), drift
    assert "the service differs from the schema on file" in run["summary"]
    reject = next(register.office().runs.rejects(run["id"]))
    assert (
        reject["problems"][0]["field"] == "girth"
        and reject["problems"][0]["reason"] == "is an object, not a decimal number"
    )
    assert json.loads(reject["row"])["measures"]["girth"]["unit"] == "m"
    assert len(kept(register, name)) == TREES


def test_a_record_leads_back_to_the_place_it_came_from(register):
    name = register.feed("traced", "/v1/trees", paging={"type": "link_header"})
    run = register.finish(name)
    found = register.office().records.get("test", name, "OLM-00003")
    assert (found["trace"]["run"], found["trace"]["call"]) == (run["id"], 1)
    place = next(field for field in found["trace"]["row"]["fields"] if field["field"] == "girth")
    assert place["pointer"] == "/trees/2/measures/girth"
    nodes = register.office().bodies.tree(found["trace"]["body"], "/trees/2/measures")["nodes"]
    assert (
        next(node["text"] for node in nodes if node["name"] == "girth").rstrip("0").rstrip(".")
        == found["data"]["girth"]
    )
    office = register.office()
    fed = office.runs.fed(run["id"], 1, place="/trees/2/measures")["outputs"][0]
    assert [(row["record"]["key"], row["record"]["run"]) for row in fed["shown"]] == [(["OLM-00003"], run["id"])]
    whole = office.runs.fed(run["id"], 1)["outputs"][0]
    assert len(whole["shown"]) == 100 and not whole["is_all"]
    told = register.cli("run", "fed", str(run["id"]), "--place", "/trees/2/measures/girth").stdout
    assert json.loads(told)["field"] == "girth" and json.loads(told)["record"] == f"{name} OLM-00003"
    assert "not kept" in office.runs.fed(run["id"], 2)["note"]
    assert "has no call 99" in register.cli("run", "fed", str(run["id"]), "--call", "99", check=False).stderr
    late = register.office().records.get("test", name, "OLM-02000")
    assert late["trace"]["row"] is None and "not kept" in late["trace"]["note"]


def test_records_are_filtered_and_sorted_by_what_is_searchable(register):
    name = register.feed("filtered", "/v1/trees", paging={"type": "link_header"})
    register.finish(name)
    office = register.office()
    found = list(office.records.search("test", name, sort="-girth", **{"district": "Orti", "girth.from": "3"}))
    assert found and all(one["data"]["district"] == "Orti" and float(one["data"]["girth"]) >= 3 for one in found)
    girths = [float(one["data"]["girth"]) for one in found]
    assert girths == sorted(girths, reverse=True)
    assert sum(1 for _ in office.records.search("test", name)) == TREES == office.records.page("test", name)["count"]
    wait_until(
        lambda: (
            "girth:decimal"
            in register.sql(
                "SELECT s.indexed FROM records_recordset s JOIN records_recordtype t ON t.id = s.record_type_id WHERE"
                " t.name = %s",
                name,
            )[0][0]
        )
    )


def test_a_failing_call_ends_the_run_in_words_and_keeps_what_came_before(register):
    name = register.feed("failing", "/v1/trees", paging={"type": "link_header"})
    calls = int(register.office().runs.get(register.finish(name)["id"])["calls"])
    assert calls == 13
    office = register.office()
    once = {"retrying": {"max_retries": 0}}
    office.feeds.change(name, version=office.feeds.get(name)["version"], document=once)
    register.control(every=7)
    run = register.finish(name)
    assert run["state"] == "failed"
    assert "the service answered 500" in run["error"]["message"] and run["error"]["hint"]
    failed = [call for call in register.office().runs.calls(run["id"]) if call["error"]]
    assert len(failed) == 1 and failed[0]["status"] == 500 and failed[0]["body"]
    assert counts(run).get("unchanged", 0) == 200 * (failed[0]["number"] - 1)
    register.control(drop=True)
    run = register.finish(name)
    assert (run["state"], run["error"]["code"]) == ("failed", "service_failed")
    assert [call["status"] for call in register.office().runs.calls(run["id"])] == [None]


def test_pages_in_a_circle_and_garbage_end_with_a_clear_reason(register):
    name = register.feed("circling", "/v1/trees", paging={"type": "link_header"})
    register.control(repeat=True)
    run = register.finish(name)
    assert run["state"] == "failed" and "circle" in run["error"]["message"]
    register.control(garbage=True)
    run = register.finish(name)
    assert "not JSON" in run["error"]["message"] and "page of HTML" in run["error"]["hint"]


def test_a_key_that_repeats_within_a_response_is_counted_and_kept_once(register, serve):
    trees = [
        {"number": "a", "girth": 1},
        {"number": "b", "girth": 1},
        {"number": "a", "girth": 2.0},
        {"girth": 5},
        {"number": None},
    ]
    outside = serve(lambda request: web.json_response({"trees": trees}))
    register.permit(outside.port)
    name = register.feed("repeating", "/", parameter="", service=register.connect("repeating", outside.url))
    run = register.finish(name)
    assert counts(run) == {"rows": 5, "created": 2, "repeated": 1, "rejected": 2}
    assert register.office().records.get("test", name, "a")["data"]["girth"] == "2"
    trees[2]["girth"] = 2
    assert counts(register.finish(name)) == {"rows": 5, "unchanged": 2, "repeated": 1, "rejected": 2}


def test_a_missing_list_fails_with_the_nearest_name_and_an_empty_one_does_not(register, serve):
    answers = [{"trees": [{"number": "a"}]}, {"trees": []}, {"tress": []}]
    outside = serve(lambda request: web.json_response(answers[min(len(outside.calls) - 1, 2)]))
    register.permit(outside.port)
    name = register.feed("vanishing", "/", parameter="", service=register.connect("vanishing", outside.url))
    run = register.finish(name)
    assert (run["state"], counts(run)) == ("done", {})
    run = register.finish(name)
    assert run["state"] == "failed" and 'did you mean "tress"?' in run["error"]["hint"]


def test_a_feed_that_cannot_run_says_every_reason(register):
    name = register.feed("incomplete", "/v1/trees")
    office = register.office()
    operation = office.operations.get(name)
    office.operations.change(
        name,
        version=operation["version"],
        document={
            **operation["document"],
            "inputs": [{"name": "district", "required": True}],
            "query": [{"name": "district", "value": {"input": "district"}}],
        },
    )
    connection = office.connections.get(f"{name}-test")
    office.connections.change(
        f"{name}-test", version=connection["version"], document={**connection["document"], "base_address": ""}
    )
    with pytest.raises(RondineProblem) as raised:
        office.feeds.run(name)
    assert {problem["where"] for problem in raised.value.problems} == {"/inputs/district", "/environment"}


def test_one_run_of_a_feed_at_a_time_and_it_can_be_cancelled(register):
    name = register.feed("cancelled", "/v1/trees", paging={"type": "link_header"}, limit=50)
    register.control(delay=0.2)
    office = register.office()
    run = office.feeds.run(name)
    with pytest.raises(RondineProblem, match="running already"):
        office.feeds.run(name)
    wait_until(lambda: office.runs.get(run["id"])["counts"] and office.runs.get(run["id"])["counts"][0]["rows"])
    assert office.runs.cancel(run["id"])["state"] == "cancelled"
    last = register.watch(run["id"])
    kept_now = len(kept(register, name))
    assert 0 < kept_now == last["counts"][0]["created"] < TREES
    with pytest.raises(RondineProblem, match="over already"):
        office.runs.cancel(run["id"])
    register.control()
    assert counts(register.finish(name)) == {"rows": TREES, "created": TREES - kept_now, "unchanged": kept_now}


def undisturbed(register, name, counted):
    """The run is that of exactly one run: all rows once, the same records as a feed that nobody disturbed."""
    assert counted["rows"] == TREES
    assert counted.get("repeated", 0) == 0
    if not register.sql("SELECT 1 FROM records_recordtype WHERE name = 'undisturbed'"):
        register.finish(register.feed("undisturbed", "/v1/trees", paging={"type": "link_header"}))
    assert kept(register, name) == kept(register, "undisturbed")


def test_a_worker_killed_in_the_middle_loses_and_doubles_nothing(register):
    name = register.feed("killed", "/v1/trees", paging={"type": "link_header"}, limit=60)
    register.control(delay=0.1)
    run = register.office().feeds.run(name)
    wait_until(lambda: register.sql("SELECT checkpoint FROM runs_run WHERE id = %s", run["id"])[0][0])
    register.end("worker", signal.SIGKILL)
    before = register.office().runs.get(run["id"])
    assert before["state"] == "running" and 0 < before["counts"][0]["rows"] < TREES
    register.control()
    register.start_worker()
    last = register.watch(run["id"])
    assert (last["state"], last["attempt"], last["completeness"]) == ("done", 2, "complete")
    undisturbed(register, name, counts(last))


def test_a_worker_thought_dead_keeps_nothing_any_more(register):
    name = register.feed("paused", "/v1/trees", paging={"type": "link_header"}, limit=60)
    register.control(delay=0.1)
    run = register.office().feeds.run(name)
    wait_until(lambda: register.sql("SELECT checkpoint FROM runs_run WHERE id = %s", run["id"])[0][0])
    paused = register.processes.pop("worker")
    paused.send_signal(signal.SIGSTOP)
    register.control()
    register.start_worker()
    last = register.watch(run["id"])  # the second worker takes it over when the first has been silent for long enough
    assert (last["state"], last["attempt"]) == ("done", 2)
    paused.send_signal(signal.SIGCONT)
    wait_until(
        lambda: (
            f'"run": {run["id"]}' in (register.home / "worker.log").read_text()
            and "ended elsewhere" in (register.home / "worker.log").read_text()
        )
    )
    undisturbed(register, name, counts(register.office().runs.get(run["id"])))
    paused.terminate()
    paused.wait(20)


END_ALL = """
    SELECT count(pg_terminate_backend(pid, 10000)) FROM pg_stat_activity
    WHERE datname = current_database() AND pid <> pg_backend_pid()
"""
WAITING = """
    SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'
"""


def test_postgresql_restarted_in_the_middle_loses_and_doubles_nothing(register):
    name = register.feed("restarted", "/v1/trees", paging={"type": "link_header"}, limit=60)
    register.control(delay=0.1)
    run = register.office().feeds.run(name)
    wait_until(lambda: register.sql("SELECT checkpoint FROM runs_run WHERE id = %s", run["id"])[0][0])
    register.sql(END_ALL)
    register.control()
    deadline = time.monotonic() + 90
    while time.monotonic() < deadline:
        last = register.office().runs.get(run["id"])
        if last["state"] not in ("queued", "running"):
            break
        time.sleep(0.2)
    assert last["state"] == "done", last
    undisturbed(register, name, counts(last))
    for _ in range(5):  # what the web process does in threads of its own has connections of its own
        look = register.office().definitions.look_at(address=f"{register.register_url}/openapi.json")
        assert look["operations"]


def test_the_next_request_is_answered_when_postgresql_has_ended_many_connections(register):
    office = register.office()

    def ask(_):
        return list(office.operations)

    with psycopg.connect(register.uri) as locking, ThreadPoolExecutor(16) as at_once:
        locking.execute("LOCK TABLE operations_operation IN ACCESS EXCLUSIVE MODE")
        asked = at_once.map(ask, range(16))
        wait_until(lambda: register.sql(WAITING)[0][0] >= 16)
        locking.rollback()
        assert all(asked)
    register.sql(END_ALL)
    for _ in range(3):
        assert ask(None)


CANARY = "canary-5e1f-not-to-be-found"


def test_a_secret_is_found_nowhere_afterwards(register, serve):
    """The secret goes out with every call, also with failing ones, and is searched for in all that is left: raw, and in
    the usual encodings."""
    outside = serve(
        lambda request: web.json_response(
            {"trees": [{"number": "a", "girth": "1,5"}], "next": None}, status=200 if len(outside.calls) % 3 else 500
        )
    )
    register.permit(outside.port)
    service = register.connect("canary", outside.url, key=CANARY, sign_in={"type": "api_key", "name": "X-Key"})
    office = register.office()
    name = register.feed("canary", "/", parameter="", service=service)
    seen = [
        register.finish(name),
        register.finish(name),
        office.trials.show_request(service=service, document={}),
        office.connections.check("canary-test"),
    ]
    for run in (seen[0], seen[1]):
        seen += [list(office.runs.calls(run["id"])), list(office.runs.rejects(run["id"]))]
    seen += [
        office.credentials.get("canary-key"),
        office.connections.get("canary-test"),
        office.credentials.revisions("canary-key"),
    ]
    assert any(headers.get("X-Key") == CANARY for _, headers in outside.calls), "it was really sent"
    assert leaks(register, seen, "canary-key"), "the search reaches the tables and answers"
    assert leaks(register, seen, CANARY) == []


def test_a_worker_told_to_stop_does_so_and_its_run_goes_on_elsewhere(register):
    """The worker stops when it is told to, within seconds, and its run goes on elsewhere."""
    name = register.feed("moved", "/v1/trees", paging={"type": "link_header"}, limit=60)
    register.control(delay=0.1)
    run = register.office().feeds.run(name)
    wait_until(lambda: register.sql("SELECT checkpoint FROM runs_run WHERE id = %s", run["id"])[0][0])
    began = time.monotonic()
    register.end("worker")
    assert time.monotonic() - began < 14
    register.control()
    register.start_worker()
    last = register.watch(run["id"])
    assert last["state"] == "done"
    undisturbed(register, name, counts(last))


def test_an_index_whose_worker_died_is_built_by_another_and_later_ones_too(register):
    """The killed worker's job holds the lock of all jobs that build indexes."""

    def indexed(name):
        rows = register.sql(
            "SELECT s.indexed FROM records_recordset s JOIN records_recordtype t ON t.id = s.record_type_id WHERE"
            " t.name = %s",
            name,
        )
        return rows[0][0] if rows else []

    for name in ("index-broken-off", "index-behind-it"):
        register.feed(name, "/v1/trees", paging={"type": "link_header"})
    busy = "SELECT 1 FROM procrastinate_jobs WHERE task_name = 'rondine.index_records' AND status IN ('todo', 'doing')"
    wait_until(lambda: not register.sql(busy))  # the indexes of other feeds are built
    with psycopg.connect(register.uri) as connection:
        connection.execute(
            "LOCK TABLE records_record IN SHARE UPDATE EXCLUSIVE MODE"
        )  # nobody builds an index meanwhile
        assert register.finish("index-broken-off")["state"] == "done"
        waiting = "SELECT 1 FROM procrastinate_jobs WHERE task_name = 'rondine.index_records' AND status = 'doing'"
        wait_until(lambda: register.sql(waiting), 60)
        register.end("worker", signal.SIGKILL)
    register.start_worker()
    assert register.finish("index-behind-it")["state"] == "done"
    wait_until(lambda: indexed("index-broken-off") and indexed("index-behind-it"), 90)
