"""Records whose rows no longer come: marked as gone when a run proves it, and never without a reason for doubt told."""

import json

import pytest
from tests.made_feed import ROWS, feed, whole


def keys(rondine, name, **query):
    return [record["key"][0] for record in rondine.office().records.search("test", name, **query)]


def kinds(run):
    return [remark["kind"] for remark in run["remarks"]]


def test_what_no_longer_comes_is_gone_and_comes_back(rondine, trees):
    name = feed(rondine, trees, "going", whole(ROWS))
    rondine.finish(name)
    trees.pages = whole(ROWS[1:])
    run = rondine.finish(name)
    count = run["counts"][0]
    assert (count["unseen"], count["gone"], count["unchanged"], kinds(run)) == (1, 1, 5, ["gone"])
    assert "1 gone" in run["summary"]
    assert keys(rondine, name) == [f"OLM-{number}" for number in range(2, 7)]
    assert keys(rondine, name, gone="only") == ["OLM-1"] and len(keys(rondine, name, gone="also")) == 6
    office = rondine.office()
    assert office.records.page("test", name)["count"] == 5
    record = office.records.get("test", name, "OLM-1")
    assert record["gone_at"] and record["feeds"] == []
    # it stays gone, once
    assert rondine.finish(name)["counts"][0]["gone"] == 0
    trees.pages = whole(ROWS)
    count = rondine.finish(name)["counts"][0]
    assert (count["changed"], count["unchanged"], count["unseen"]) == (1, 5, 0)
    assert office.records.get("test", name, "OLM-1")["gone_at"] is None
    changes = office.records.changes("test", name, "OLM-1")["items"]
    assert [change["kind"] for change in changes] == ["returned", "gone"]
    shown = rondine.cli("record", "changes", name, "OLM-1").stdout
    assert [json.loads(line)["kind"] for line in shown.splitlines()] == ["returned", "gone"]


def test_more_than_a_share_is_not_marked_until_somebody_says_so(rondine, trees):
    name = feed(rondine, trees, "held-back", whole(ROWS))
    rondine.finish(name)
    trees.pages = whole(ROWS[:2])
    run = rondine.finish(name)
    assert (run["counts"][0]["unseen"], run["counts"][0]["gone"], kinds(run)) == (4, 0, ["not_marked"])
    assert "more than 20% of the 6" in run["remarks"][0]["message"] and "were not marked as gone" in run["summary"]
    assert len(keys(rondine, name)) == 6
    trees.pages = whole([])
    assert kinds(rondine.finish(name)) == ["not_marked"]
    told = rondine.cli("feed", "run", name, "--mark-all-gone").stdout
    assert "6 gone" in json.loads(told)["summary"] and keys(rondine, name) == []


def test_a_single_record_may_go_whatever_its_share(rondine, trees):
    name = feed(rondine, trees, "few", whole(ROWS[:2]))
    rondine.finish(name)
    trees.pages = whole(ROWS[:1])
    assert rondine.finish(name)["counts"][0]["gone"] == 1


@pytest.mark.parametrize(
    ("name", "document", "pages", "expected"),
    [
        ("left", {"gone": {"action": "leave"}}, whole(ROWS[1:]), ["unseen"]),
        ("doubtful", {}, [{"trees": ROWS[1:]}], []),
        ("half-bad-row", {}, whole([*ROWS[1:5], {"number": "OLM-6", "girth": {}}]), ["not_marked"]),
    ],
)
def test_nothing_is_marked_where_it_is_not_proven(rondine, trees, name, document, pages, expected):
    feed(rondine, trees, name, whole(ROWS), document=document)
    rondine.finish(name)
    trees.pages = pages
    run = rondine.finish(name)
    assert [kind for kind in kinds(run) if kind != "drift"] == expected
    assert len(keys(rondine, name)) == 6 and run["counts"][0]["gone"] == 0


def test_a_run_with_other_inputs_marks_nothing(rondine, trees):
    operation = {"inputs": [{"name": "district"}], "query": [{"name": "district", "value": {"input": "district"}}]}
    name = feed(rondine, trees, "district-run", whole(ROWS), operation=operation)
    rondine.finish(name)
    trees.pages = whole(ROWS[:5])
    run = rondine.watch(rondine.office().feeds.run(name, {"district": "north"})["id"])
    assert (run["completeness"], run["brings_all"], run["counts"][0]["unseen"]) == ("complete", False, None)
    assert len(keys(rondine, name)) == 6


def test_several_feeds_fill_one_record_type_and_each_record_names_them(rondine, trees):
    """A record is gone when the last feed that brought it brings it no more; each touches the fields that it fills."""
    type_name = feed(
        rondine,
        trees,
        "common",
        whole(ROWS[:4]),
        kinds={"number": "text", "girth": "decimal", "note": "text"},
        filled=["number", "girth"],
    )
    rondine.finish(type_name)
    noted = [{"number": row["number"], "note": "surveyed"} for row in ROWS[2:]]
    other = feed(
        rondine, trees, "common-notes", whole(noted), record_type=type_name, kinds={"number": "text", "note": "text"}
    )
    count = rondine.finish(other)["counts"][0]
    assert (count["created"], count["changed"], count["unseen"]) == (2, 2, 0)
    records = {record["key"][0]: record for record in rondine.office().records.search("test", type_name)}
    assert records["OLM-1"]["feeds"] == ["common"] and records["OLM-6"]["feeds"] == ["common-notes"]
    assert records["OLM-3"]["feeds"] == ["common", "common-notes"]
    assert records["OLM-3"]["data"] == {"number": "OLM-3", "girth": "3", "note": "surveyed"}
    trees.pages = whole(noted[1:])
    count = rondine.finish(other)["counts"][0]
    assert (count["unseen"], count["gone"]) == (1, 0)  # the first feed brings it still
    trees.pages = whole(ROWS[:2])
    run = rondine.watch(rondine.office().feeds.run(type_name, may_mark_all=True)["id"])
    assert (run["counts"][0]["unseen"], run["counts"][0]["gone"]) == (2, 1)
    assert "1 more are still brought by other feeds" in run["remarks"][0]["message"]
    assert keys(rondine, type_name, gone="only") == ["OLM-3"]


def test_a_feed_that_was_removed_brings_nothing_any_more(rondine, trees):
    name = feed(rondine, trees, "removed-feed", whole(ROWS))
    rondine.finish(name)
    office = rondine.office()
    office.feeds.remove(name)
    office.feeds.make("next-feed", operation=name, mapping=name, environment="test")
    rondine.finish("next-feed")
    assert office.records.get("test", name, "OLM-1")["feeds"] == ["a feed that was removed", "next-feed"]
    trees.pages = whole(ROWS[1:])
    assert rondine.finish("next-feed")["counts"][0]["gone"] == 1
    assert keys(rondine, name, gone="only") == ["OLM-1"]


def test_changes_can_be_followed_from_mark_to_mark(rondine, trees):
    name = feed(rondine, trees, "followed", whole(ROWS), type_document={"history": "all"})
    rondine.finish(name)
    records = rondine.office().records
    page = records.changes("test", name, after=0, limit=4)
    assert [(change["kind"], change["key"][0]) for change in page["items"]] == [
        ("created", f"OLM-{number}") for number in range(1, 5)
    ]
    assert not page["is_all"]
    page = records.changes("test", name, after=page["next"])
    assert len(page["items"]) == 2 and page["is_all"]
    assert records.changes("test", name, after=page["next"]) == {**page, "items": [], "next": page["next"]}
    trees.pages = whole([{**ROWS[0], "girth": 1.5}, *ROWS[1:]])
    rondine.finish(name)
    (change,) = records.changes("test", name, after=page["next"])["items"]
    assert (change["kind"], change["before"], change["after"]) == ("changed", {"girth": "1"}, {"girth": "1.5"})
    assert change["data"] == {"number": "OLM-1", "girth": "1.5"}
