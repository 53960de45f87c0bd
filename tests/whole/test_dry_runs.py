"""Runs that only tell what they would do, and rows that were rejected, mapped again without a call."""

import pytest
from tests.made_feed import ROWS, feed, whole

from rondine_client import RondineProblem

OUTCOMES = ("rows", "created", "changed", "unchanged", "repeated", "rejected", "filtered", "gone")


def counted(run):
    return {name: run["counts"][0][name] for name in OUTCOMES if run["counts"][0][name]}


def dry(rondine, name):
    office = rondine.office()
    return rondine.watch(office.feeds.run(name, is_dry=True)["id"])


def data_of(rondine, name):
    return {one["key"][0]: one["data"] for one in rondine.office().records.search("test", name)}


def test_a_dry_run_tells_what_a_run_would_do_and_keeps_nothing(rondine, trees):
    name = feed(rondine, trees, "dry-run", whole(ROWS), document={"gone": {"most_share": 0.5}})
    office = rondine.office()
    first = dry(rondine, name)
    assert (first["state"], first["is_dry"], counted(first)) == ("done", True, {"rows": 6, "created": 6})
    assert first["summary"].startswith("dry run, nothing was kept") and data_of(rondine, name) == {}
    planned = list(office.runs.planned(first["id"]))
    assert [(one["kind"], one["key"], one["after"]["girth"]) for one in planned[:1]] == [("created", ["OLM-1"], "1")]
    rondine.finish(name)
    before = data_of(rondine, name)
    trees.pages = whole(
        [{**ROWS[0], "girth": 2.86}, *ROWS[1:5], ROWS[1], {"number": "OLM-7", "girth": 7}, {"girth": 8}]
    )
    planned = dry(rondine, name)
    assert (
        planned["error"] is None and planned["counts"][0]["rejected"] == 1 and planned["counts"][0]["gone"] == 0
    )  # a reject may be what is missing
    trees.pages = whole([{**ROWS[0], "girth": 2.86}, *ROWS[1:5], ROWS[1], {"number": "OLM-7", "girth": 7}])
    planned = dry(rondine, name)
    assert data_of(rondine, name) == before
    changes = list(office.runs.planned(planned["id"]))
    assert [(one["kind"], one["key"], one["before"], one["after"]) for one in changes] == [
        ("created", ["OLM-7"], None, {"number": "OLM-7", "girth": "7"}),
        ("changed", ["OLM-1"], {"girth": "1"}, {"girth": "2.86"}),
        ("gone", ["OLM-6"], None, None),
    ]
    assert list(office.runs.planned(first["id"])) == []  # they are there until the next dry run
    real = rondine.finish(name)
    assert counted(real) == counted(planned)
    kinds = {"created": 1, "changed": 1, "gone": 1}
    assert {kind: real["counts"][0][kind] for kind in kinds} == kinds
    assert office.feeds.get(name)["last_run"]["id"] == real["id"]
    told = rondine.cli("feed", "run", name, "--dry").stdout
    assert '"is_dry": true' in told and rondine.cli("run", "planned", str(planned["id"])).stdout == ""


def test_a_dry_run_is_told_to_nobody_and_goes_on_from_nothing(rondine, trees):
    name = feed(rondine, trees, "dry-failing", [{"trees": "none"}], document={"retrying": {"max_retries": 0}})
    run = dry(rondine, name)
    assert run["state"] == "failed"
    assert list(rondine.office().events.search(feed=name)) == []
    with pytest.raises(RondineProblem, match="kept no page"):
        rondine.office().runs.go_on(run["id"])


def test_rejected_rows_are_mapped_again_from_the_kept_response_without_a_call(rondine, trees):
    rows = [*ROWS, {"number": "OLM-7", "girth": "7 m"}, {"number": "OLM-8", "girth": "8 m"}, {"girth": 9}]
    name = feed(rondine, trees, "mended", whole(rows))
    office = rondine.office()
    run = rondine.finish(name)
    assert counted(run) == {"rows": 9, "created": 6, "rejected": 3}
    held = office.mappings.get(name)
    document = held["document"]
    document["outputs"][0]["fields"][1]["convert"] = [{"type": "replace", "text": " m", "with": ""}]
    changed = office.mappings.change(name, version=held["version"], document=document)
    assert changed["problems"] == []
    assert office.runs.reject_reasons(run["id"]) == [
        {"record_type": name, "field": "girth", "rows": 2, "reason": 'is the text "7 m", not a decimal number'},
        {"record_type": name, "field": "number", "rows": 1, "reason": "is missing"},
    ]
    assert [row["ordinal"] for row in office.runs.rejects(run["id"], field="number")] == [8]
    calls = len(trees.outside.calls)
    again = rondine.watch(office.feeds.run(name, only_rejects_of=run["id"])["id"])
    assert counted(again) == {"rows": 3, "created": 2, "rejected": 1}
    assert again["calls"] == 0 and again["completeness"] == "unknown"
    assert again["ending"] == f"only the rows that run {run['id']} rejected"
    assert data_of(rondine, name)["OLM-8"]["girth"] == "8"
    trace = office.records.get("test", name, "OLM-8")["trace"]
    assert trace["run"] == again["id"] and trace["row"]["fields"][1]["pointer"] == "/trees/7/girth"
    assert len(trees.outside.calls) == calls
    [call] = office.runs.calls(again["id"])
    assert call["purpose"] == f"of run {run['id']}, read again" and call["status"] == 200
    with pytest.raises(RondineProblem, match="was later"):
        office.feeds.run(name, only_rejects_of=run["id"])
    left = rondine.cli("feed", "run", name, "--only-rejects-of", str(again["id"]), check=False)
    assert left.returncode == 1 and '"rejected": 1' in left.stdout


def test_rejects_are_not_mapped_again_where_their_rows_are_others_now(rondine, trees):
    name = feed(rondine, trees, "other-rows", whole([*ROWS, {"girth": 9}]))
    office = rondine.office()
    run = rondine.finish(name)
    held = office.mappings.get(name)
    held["document"]["outputs"][0]["rows"][0]["at"] = "next[*]"
    office.mappings.change(name, version=held["version"], document=held["document"])
    with pytest.raises(RondineProblem, match="takes other rows"):
        office.feeds.run(name, only_rejects_of=run["id"])
    other = feed(rondine, trees, "no-rejects", whole(ROWS))
    with pytest.raises(RondineProblem, match="no row was rejected"):
        office.feeds.run(other, only_rejects_of=run["id"])
