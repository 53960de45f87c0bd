"""Responses that differ from the schema on file: noted from when to when, warned of, a reason to stop, adopted."""

import json

import pytest
from tests.made_feed import ROWS, feed, whole

from rondine_client import RondineProblem

OTHER = [{**row, "girth": f"{row['girth']} m", "crown": 4.5} for row in ROWS]


def shown(office, name, **filters):
    """(path, kind, state) of a feed's differences."""
    return sorted((one["path"], one["kind"], one["state"]) for one in office.drift.search(feed=name, **filters))


def drifting(rondine, trees, name, **document):
    """A feed whose kinds take both versions, run once with the first."""
    kinds = {"number": "text", "girth": "text"}
    name = feed(rondine, trees, name, whole(ROWS), kinds=kinds, document=document)
    first = rondine.finish(name)
    assert first["state"] == "done" and first["compared"] == 0  # nothing was on file
    return name


def test_what_differs_is_noted_from_when_to_when_with_what_takes_it(rondine, trees):
    name = drifting(rondine, trees, "drifted")
    office = rondine.office()
    trees.pages = whole(OTHER)
    second = rondine.finish(name)
    assert (second["state"], second["compared"]) == ("done", 1)
    assert shown(office, name) == [
        ("$.trees[*].crown", "new", "open"),
        ("$.trees[*].girth", "changed", "open"),
    ]
    girth = next(one for one in office.drift.search(feed=name) if one["path"].endswith("girth"))
    assert girth["words"] == "changed from integer to text" and girth["example"] == '"1 m"'
    assert girth["used_by"] == [f"{name}.girth (feed {name})"] and girth["operation"] == name
    assert sum(remark["kind"] == "drift" for remark in second["remarks"]) == 2
    third = rondine.finish(name)  # what is on file stays what it was before the service changed
    found = next(one for one in office.drift.search(feed=name) if one["id"] == girth["id"])
    assert (found["first_run"], found["last_run"], found["ended_run"]) == (second["id"], third["id"], None)
    trees.pages = whole(ROWS)
    fourth = rondine.finish(name)
    assert shown(office, name, state="open") == []
    found = next(one for one in office.drift.search(feed=name) if one["id"] == girth["id"])
    assert (found["state"], found["ended_run"], found["last_run"]) == ("ended", fourth["id"], third["id"])
    trees.pages = whole(OTHER)
    rondine.finish(name)
    assert len(shown(office, name)) == 4  # it came back: a period of its own
    told = rondine.cli("drift", "list", "--feed", name, "--state", "open").stdout
    assert '"$.trees[*].crown"' in told and "girth" in told


def test_a_difference_is_adopted_one_part_at_a_time(rondine, trees):
    name = drifting(rondine, trees, "adopting-parts")
    office = rondine.office()
    trees.pages = whole(OTHER)
    rondine.finish(name)
    by_path = {one["path"]: one["id"] for one in office.drift.search(feed=name)}
    crown, girth = by_path["$.trees[*].crown"], by_path["$.trees[*].girth"]
    assert office.drift.adopt(crown)["state"] == "adopted"
    accepted = office.operations.get(name)["document"]["response"]["accepted"]
    assert accepted == [{"path": "$.trees[*].crown", "kind": "new", "words": "is new: decimal"}]
    run = rondine.finish(name)
    assert [remark["message"].split(" ")[0] for remark in run["remarks"] if remark["kind"] == "drift"] == [
        "$.trees[*].girth"
    ]
    with pytest.raises(RondineProblem, match="adopted already"):
        office.drift.adopt(crown)
    assert '"state": "adopted"' in rondine.cli("drift", "adopt", str(girth)).stdout
    run = rondine.finish(name)
    assert run["remarks"] == [] and run["compared"] == 1
    assert {state for *_, state in shown(office, name)} == {"adopted"}


def test_a_feed_that_stops_for_drift_keeps_nothing_of_the_response(rondine, trees):
    name = drifting(rondine, trees, "stopping-for", drift="stop")
    office = rondine.office()
    before = {one["key"][0]: one["data"] for one in office.records.search("test", name)}
    trees.pages = whole([{**row, "crown": 4} for row in ROWS])
    run = rondine.finish(name)
    assert run["state"] == "done"  # nothing takes what is new
    between = [{"number": f"OLM-{number}", "girth": number} for number in range(100, 1100)]
    trees.pages = whole([*ROWS, *between[:500], {"number": "OLM-99", "girth": "9 m"}, *between[500:]])
    assert rondine.finish(name)["error"]["code"] == "drift"  # however deep it stands
    trees.pages = whole(OTHER)
    run = rondine.finish(name)
    assert (run["state"], run["error"]["code"]) == ("failed", "drift")
    assert "$.trees[*].girth changed from integer to text" in run["error"]["message"]
    assert {one["key"][0]: one["data"] for one in office.records.search("test", name)} == before
    [girth] = [one["id"] for one in office.drift.search(feed=name, state="open") if one["words"].endswith("to text")]
    office.drift.adopt(girth)
    run = rondine.finish(name)
    assert run["state"] == "done" and run["counts"][0]["changed"] == len(ROWS)


def test_a_feed_that_notes_drift_does_not_warn(rondine, trees):
    name = drifting(rondine, trees, "noting", drift="note")
    office = rondine.office()
    trees.pages = whole([{"number": row["number"]} for row in ROWS])
    run = rondine.finish(name)
    assert run["remarks"] == [] and run["state"] == "done"
    assert shown(office, name) == [("$.trees[*].girth", "missing", "open")]


def test_what_the_mapping_takes_and_no_row_has_is_named(rondine, trees):
    """It was not always there, so its absence is no difference from what came before."""
    name = drifting(rondine, trees, "never-seen")
    office = rondine.office()
    office.samples.keep(name, text=json.dumps({"trees": [*ROWS, {"number": "OLM-7"}], "next": None}), operation=name)
    trees.pages = whole([{"number": row["number"]} for row in ROWS])
    run = rondine.finish(name)
    assert shown(office, name) == [("$.trees[*].girth", "unseen", "open")] and run["remarks"] == []


def test_drift_on_the_last_page_is_found(rondine, trees):
    pages = [{"trees": ROWS[:3], "pages": 2}, {"trees": ROWS[3:], "pages": 2}]
    paging = {"type": "page_number", "pages": "/pages"}
    name = feed(rondine, trees, "drift-at-the-end", pages, paging)
    rondine.finish(name)
    trees.pages = [pages[0], {"trees": [{**row, "bark": "grey"} for row in ROWS[3:]], "pages": 2}]
    run = rondine.finish(name)
    assert run["compared"] == 2
    [bark] = rondine.office().drift.search(feed=name)
    assert (bark["path"], bark["call"], bark["example"]) == ("$.trees[*].bark", 2, '"grey"')
