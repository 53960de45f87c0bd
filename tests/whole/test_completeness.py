"""Complete is a proof: a run that saw signs of more rows says so everywhere, and whatever a trial tells, a run tells
too."""

import json

import pytest
from tests.made_feed import ROWS, feed
from tests.whole_rondine import wait_until


@pytest.mark.parametrize(
    ("name", "body", "headers", "words"),
    [
        ("more-flag", {"trees": ROWS, "has_more": True}, None, "/has_more is true"),
        ("more-total", {"trees": ROWS, "total": 40}, None, "40 rows are announced (/total), and 6 came"),
        ("more-cursor", {"trees": ROWS, "meta": {"next_cursor": "b7"}}, None, "/meta/next_cursor"),
        ("more-pages", {"trees": ROWS, "page": 1, "pages": 7}, None, "page 1 of 7"),
        ("more-link", {"trees": ROWS}, {"Link": '</trees?after=6>; rel="next"'}, "Link header"),
    ],
)
def test_a_response_that_shows_more_and_is_not_followed_makes_no_complete_run(
    rondine, trees, name, body, headers, words
):
    feed(rondine, trees, name, [body], headers=headers)
    run = rondine.finish(name)
    assert (run["state"], run["completeness"], run["counts"][0]["created"]) == ("done", "incomplete", 6)
    assert words in run["ending"] and "NOT COMPLETE" in run["summary"]
    assert run["remarks"][0]["kind"] == "incomplete"
    listed = next(iter(rondine.office().runs.search(feed=name)))
    assert "NOT COMPLETE" in listed["summary"]
    assert rondine.office().feeds.get(name)["last_run"]["completeness"] == "incomplete"
    told = rondine.cli("feed", "run", name, check=False)
    assert told.returncode == 1 and words in told.stdout
    assert json.loads(rondine.cli("run", "list", "--feed", name).stdout.splitlines()[0])["completeness"] == "incomplete"


def test_the_services_own_sign_of_the_end_proves_it_and_without_any_it_is_not_known(rondine, trees):
    run = rondine.finish(feed(rondine, trees, "end-shown", [{"trees": ROWS, "next": None}]))
    assert (run["completeness"], run["remarks"]) == ("complete", [])
    run = rondine.finish(feed(rondine, trees, "end-not-shown", [{"trees": ROWS}]))
    assert run["completeness"] == "unknown" and "says whether there is more" in run["ending"]
    assert rondine.cli("feed", "run", "end-not-shown").returncode == 0


def test_a_service_that_takes_no_notice_of_the_page_number_is_found_out_at_its_second_page(rondine, trees):
    for paging in ({"type": "page_number"}, {"type": "page_number", "total": "/total"}):
        name = feed(rondine, trees, f"ignoring-{len(paging)}", [{"trees": ROWS, "total": 18}], paging=paging)
        run = rondine.finish(name)
        assert run["state"] == "failed" and 'takes no notice of "page"' in run["error"]["message"]
        assert run["counts"][0]["created"] == 6 and run["counts"][0]["repeated"] == 0
        last = max(rondine.office().runs.calls(run["id"]), key=lambda call: call["number"] if call["error"] else 0)
        assert last["number"] == 2


def test_pages_are_counted_by_what_the_service_counts_not_by_the_rows_made_of_it(rondine, trees):
    """Two trees a page with three visits each: six rows, but the announced four trees are on two pages. A tree without
    visits ends nothing."""
    tree = {"visits": ROWS[:3]}
    other = {"visits": [{**one, "number": one["number"] + "-b"} for one in ROWS[:3]]}
    pages = [{"trees": [tree, tree], "total": 4}, {"trees": [other, {"visits": []}], "total": 4}]
    rows = [{"level": "tree", "at": "trees[*]"}, {"level": "visit", "at": "visits[*]"}]
    paging = {"type": "page_number", "total": "/total"}
    run = rondine.finish(feed(rondine, trees, "nested-planned", pages, paging=paging, rows=rows))
    assert (run["calls"], run["counts"][0]["created"]) == (2, 6)
    pages = [{"trees": [{"visits": []}]}, {"trees": [tree]}, {"trees": []}]
    run = rondine.finish(feed(rondine, trees, "nested-until-empty", pages, paging={"type": "page_number"}, rows=rows))
    assert (run["calls"], run["counts"][0]["created"], run["completeness"]) == (3, 3, "complete")


def test_fewer_rows_than_announced_over_all_pages_are_not_all(rondine, trees):
    pages = [{"trees": ROWS[:3], "total": 6}, {"trees": ROWS[3:5], "total": 6}]
    run = rondine.finish(feed(rondine, trees, "fewer", pages, paging={"type": "page_number", "total": "/total"}))
    assert run["completeness"] == "incomplete" and "6 rows are announced (/total), and 5 came" in run["ending"]


def test_a_whole_response_of_rejects_is_told_and_a_run_without_one_good_row_has_failed(rondine, trees):
    bad = [{"number": one["number"] + "x", "girth": {"value": 1}} for one in ROWS]
    pages = [{"trees": ROWS}, {"trees": bad}, {"trees": []}]
    name = feed(rondine, trees, "half-bad", pages, paging={"type": "page_number"})
    run = rondine.finish(name)
    assert run["state"] == "done" and "a whole response was rejected" in run["summary"]
    assert [(remark["kind"], remark["call"]) for remark in run["remarks"]] == [("rejected", 2)]
    trees.pages = [{"trees": bad}, {"trees": []}]
    run = rondine.finish(name)
    assert (run["state"], run["error"]["code"]) == ("failed", "all_rows_rejected")
    drift = [remark["message"] for remark in run["remarks"] if remark["kind"] == "drift"]
    assert len(drift) == 1 and "$.trees[*].girth" in drift[0] and "used by half-bad.girth (feed half-bad)" in drift[0]


def test_a_changed_service_is_told_with_what_uses_the_changed_fields(rondine, trees):
    name = feed(rondine, trees, "drifting", [{"trees": ROWS, "next": None}])
    rondine.finish(name)
    trees.pages = [
        {"trees": [{**one, "girth": str(one["girth"]), "crown": {"width": 3}} for one in ROWS], "next": None}
    ]
    run = rondine.finish(name)
    drift = [remark["message"] for remark in run["remarks"] if remark["kind"] == "drift"]
    assert any("$.trees[*].girth" in one and "used by drifting.girth" in one for one in drift), drift
    assert any("$.trees[*].crown is new" in one and "nothing uses it" in one for one in drift), drift
    assert "differs from the schema on file" in run["summary"]
    again = rondine.finish(name)
    assert [remark["kind"] for remark in again["remarks"]] == ["drift", "drift"]
    calls = list(rondine.office().runs.calls(again["id"]))
    office = rondine.office()
    office.samples.keep("drifted", content=office.bodies.content(calls[0]["body"]), operation=name)
    assert rondine.finish(name)["remarks"] == []


def test_records_that_no_row_of_a_complete_run_was_for_are_counted(rondine, trees):
    name = feed(rondine, trees, "shrinking", [{"trees": ROWS, "next": None}])
    assert rondine.finish(name)["counts"][0]["unseen"] == 0
    trees.pages = [{"trees": ROWS[:4], "next": None}]
    run = rondine.finish(name)
    assert (run["counts"][0]["unseen"], run["remarks"][0]["kind"]) == (2, "not_marked")
    assert "2 not seen" in run["summary"]
    trees.pages = [{"trees": ROWS[:2]}]
    assert rondine.finish(name)["counts"][0]["unseen"] is None


def test_a_partial_graphql_answer_is_told_by_its_run(rondine, trees):
    body = {"data": {"trees": ROWS}, "errors": [{"message": "the desk is closed", "path": ["trees", 3, "girth"]}]}
    rows = [{"level": "tree", "at": "data.trees[*]"}]
    run = rondine.finish(feed(rondine, trees, "partial", [body], rows=rows))
    assert (run["state"], run["completeness"]) == ("done", "incomplete")
    remark = next(one for one in run["remarks"] if one["kind"] == "partial")
    assert "trees.3.girth: the desk is closed" in remark["message"] and remark["call"] == 1
    assert "the service answered in part" in run["summary"]


def test_what_was_proven_before_a_worker_stopped_is_what_the_run_says_after(rondine, trees):
    run = rondine.finish(feed(rondine, trees, "stopped-at-the-end", [{"trees": ROWS, "has_more": True}]))
    rondine.sql(
        "UPDATE runs_run SET state = 'running', completeness = '', ended_at = NULL, alive_at = now() - interval '1"
        " hour' WHERE id = %s RETURNING id",
        run["id"],
    )
    wait_until(lambda: rondine.office().runs.get(run["id"])["state"] == "done")
    assert rondine.office().runs.get(run["id"])["completeness"] == "incomplete"


def test_paging_that_was_shown_is_adopted_and_can_be_declined(rondine, trees):
    trees.pages = [{"trees": ROWS[:3], "page": 1, "total": 6}, {"trees": ROWS[3:], "page": 2, "total": 6}]
    office, service = rondine.office(), rondine.connect("adopting", trees.outside.url)
    for name in ("by-sample", "by-feed", "declining"):
        office.operations.make(name, service=service, document={"path": "/trees"})
        trial = office.trials.send(service=service, operation=name)
        assert any("these rows are not all" in note for note in trial["notes"])
    made = office.samples.keep("adopted-sample", run=trial["run"], operation="by-sample")
    assert made["adopted"]["operation"] == "by-sample" and made["adopted"]["paging"]["type"] == "page_number"
    assert office.operations.get("by-sample")["document"]["paging"]["total"] == "/total"
    assert "one response only" in rondine.cli("operation", "paging", "declining", "one_response").stderr + rondine.cli(
        "operation", "paging", "declining"
    ).stderr + json.dumps(office.operations.get("declining")["document"]["paging"]).replace(
        "one_response", "one response only"
    )
    found = office.mappings.propose(trial["body"], rows=["$.trees[*]"], name="adopted-tree")
    office.record_types.make("adopted-tree", document={**found["record_type"], "key": ["number"]})
    office.mappings.make("adopted-tree", service=service, document=found["mapping"])
    for name, paging in (("by-feed", "page_number"), ("declining", "one_response")):
        made = office.feeds.make(name, operation=name, mapping="adopted-tree", environment="test")
        assert made["paging"]["type"] == paging
    run = rondine.finish("by-feed")
    assert (run["completeness"], run["calls"], run["counts"][0]["created"]) == ("complete", 2, 6)
    assert rondine.finish("declining")["completeness"] == "incomplete"


def test_a_kept_trial_follows_what_it_showed_unless_that_is_declined(rondine, trees):
    trees.pages = [{"trees": ROWS[:3], "page": 1, "total": 6}, {"trees": ROWS[3:], "page": 2, "total": 6}]
    office = rondine.office()
    run = office.trials.send_once(trees.outside.url, {"path": "/trees"})["run"]
    kept = rondine.cli("trial", "keep", str(run), "--service", "kept-following")
    assert json.loads(kept.stdout)["adopted"]["paging"]["type"] == "page_number"
    run = office.trials.send_once(trees.outside.url, {"path": "/trees"})["run"]
    kept = json.loads(rondine.cli("trial", "keep", str(run), "--service", "kept-declining", "--no-paging").stdout)
    assert kept["adopted"] is None
    assert office.operations.get(kept["operation"])["document"]["paging"] == {"type": "one_response"}


LINES = b"\n".join(json.dumps(row).encode() for row in ROWS) + b"\n"


@pytest.mark.parametrize(
    ("name", "head", "completeness"),
    [
        ("lines-open", b"", "unknown"),
        ("lines-length", b"Content-Length: %d\r\n" % len(LINES), "complete"),
    ],
)
def test_lines_that_end_with_the_connection_may_have_broken_off(rondine, serve_raw, name, head, completeness):
    answer = b'HTTP/1.1 200 OK\r\nContent-Type: application/x-ndjson\r\nLink: </>; rel="first"\r\n' + head
    port = serve_raw(answer + b"\r\n" + LINES)
    rondine.permit(port)
    office = rondine.office()
    service = rondine.connect(name, f"http://127.0.0.1:{port}")
    office.operations.make(name, service=service, document={"path": "/trees", "paging": {"type": "link_header"}})
    office.record_types.make(name, document={"fields": [{"name": "number", "type": "text"}], "key": ["number"]})
    rows = [{"level": "tree", "at": "[*]"}]
    fields = [{"name": "number", "from": "number"}]
    mapping = {"outputs": [{"record_type": name, "rows": rows, "fields": fields}]}
    office.mappings.make(name, service=service, document=mapping)
    office.feeds.make(name, operation=name, mapping=name, environment="test")
    run = rondine.finish(name)
    assert (run["state"], run["counts"][0]["created"], run["completeness"]) == ("done", 6, completeness)
    assert [remark["kind"] for remark in run["remarks"]] == (["undelimited"] if completeness == "unknown" else [])
