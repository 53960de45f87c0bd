"""Rows that come again as they came are not read again; whatever else happens to records, the outcome is that of a feed
that reads everything."""

import os
import signal
from copy import deepcopy
from pathlib import Path
from random import Random

import pytest
from tests.made_feed import feed, whole
from tests.whole_rondine import wait_until

KINDS = {"number": "text", "girth": "decimal", "street": "text"}


def rows_of(numbers, **data):
    return [{"number": f"OLM-{number}", "girth": number, "street": "Elm Walk", **data} for number in numbers]


def counts(run, record_type):
    [found] = [one for one in run["counts"] if one["record_type"] == record_type]
    names = ("rows", "created", "changed", "unchanged", "repeated", "rejected", "filtered", "unseen", "gone")
    return {name: found[name] for name in names}


def remembered(rondine, name):
    """Rows of a feed's last run that the next one can know again."""
    found = rondine.sql(
        "SELECT coalesce(sum(octet_length(b.hashes)) / 16, 0) FROM records_seenbatch b"
        " JOIN runs_run r ON r.id = b.run_id JOIN feeds_feed f ON f.id = r.feed_id WHERE f.name = %s",
        name,
    )
    return int(found[0][0])


def twin(rondine, trees, name):
    """A feed that knows rows again, and one of the same rows that reads all of them: it has a second output."""
    known = feed(rondine, trees, name, whole([]), kinds=KINDS)
    plain = feed(rondine, trees, f"{name}-plain", whole([]), kinds=KINDS)
    office = rondine.office()
    document = office.record_types.get(plain)["document"]
    office.record_types.make(f"{name}-second", document=document)
    held = office.mappings.get(plain)
    [output] = held["document"]["outputs"]
    both = {"outputs": [output, {**output, "record_type": f"{name}-second"}]}
    office.mappings.change(plain, version=held["version"], document=both)
    return known, plain


def kept(rondine, name):
    office = rondine.office()
    found = office.records.search("test", name, gone="also")
    return sorted((one["key"], sorted(one["data"].items()), one["gone_at"] is None) for one in found)


def test_what_comes_again_is_unchanged_and_what_differs_is_not(rondine, trees):
    name = feed(rondine, trees, "known-again", whole(rows_of(range(50))), kinds=KINDS)
    rondine.finish(name)
    assert remembered(rondine, name) == 50
    again = counts(rondine.finish(name), name)
    assert (again["rows"], again["unchanged"], again["changed"]) == (50, 50, 0)
    rows = rows_of(range(50))
    rows[7]["street"] = "Lime Street"
    trees.pages = whole([*rows[:20], *rows_of([90]), *rows[21:], rows[3]])
    run = rondine.finish(name)
    expected = {"rows": 51, "created": 1, "changed": 1, "unchanged": 48, "repeated": 1, "unseen": 1, "gone": 1}
    assert counts(run, name) == {**counts(run, name), **expected}
    record = rondine.office().records.get("test", name, "OLM-7")
    assert record["data"]["street"] == "Lime Street"


def test_the_first_feed_mends_what_another_one_changed(rondine, trees):
    """What is kept is no more what the rows say, though they come as they came."""
    name = feed(rondine, trees, "shared", whole(rows_of(range(10))), kinds=KINDS)
    rondine.finish(name)
    other = feed(rondine, trees, "shared-too", whole(rows_of([4], street="Ash Row")), kinds=KINDS, record_type="shared")
    assert counts(rondine.finish(other), name)["changed"] == 1
    trees.pages = whole(rows_of(range(10)))
    assert counts(rondine.finish(name), name)["changed"] == 1
    assert rondine.office().records.get("test", name, "OLM-4")["data"]["street"] == "Elm Walk"
    assert counts(rondine.finish(name), name)["unchanged"] == 10


def test_another_mapping_reads_every_row(rondine, trees):
    name = feed(rondine, trees, "mapped-anew", whole(rows_of(range(10), walk="Oak Path")), kinds=KINDS)
    rondine.finish(name)
    office = rondine.office()
    held = office.mappings.get(name)
    document = deepcopy(held["document"])
    document["outputs"][0]["fields"][2]["from"] = "walk"
    office.mappings.change(name, version=held["version"], document=document)
    assert counts(rondine.finish(name), name)["changed"] == 10
    assert counts(rondine.finish(name), name)["unchanged"] == 10


def test_records_that_somebody_removed_behind_our_back_come_again(rondine, trees):
    name = feed(rondine, trees, "removed-behind", whole(rows_of(range(10))), kinds=KINDS)
    rondine.finish(name)
    rondine.sql(
        "WITH gone AS (DELETE FROM records_record r USING records_recordset s, records_recordtype t"
        " WHERE r.set_id = s.id AND t.id = s.record_type_id AND t.name = %s RETURNING r.id) SELECT count(*) FROM gone",
        name,
    )
    assert counts(rondine.finish(name), name)["created"] == 10


@pytest.mark.parametrize("seed", [1, 2])
def test_runs_of_any_order_are_those_of_a_feed_that_reads_everything(rondine, trees, seed):
    random = Random(seed)
    name, plain = twin(rondine, trees, f"twin-{seed}")
    other = feed(rondine, trees, f"twin-{seed}-other", whole([]), kinds=KINDS, record_type=name)
    same = feed(rondine, trees, f"twin-{seed}-same", whole([]), kinds=KINDS, record_type=plain)
    rows = rows_of(range(30))
    for _ in range(7):
        for change in random.sample(["value", "more", "fewer", "order", "twice", "bad", "other", "none"], 3):
            match change:
                case "value":
                    random.choice(rows)["street"] = f"Walk {random.randrange(5)}"
                case "more":
                    rows.insert(random.randrange(len(rows)), *rows_of([random.randrange(100, 200)]))
                case "fewer":
                    del rows[random.randrange(len(rows))]
                case "order":
                    random.shuffle(rows)
                case "twice":
                    rows.append({**random.choice(rows), "street": "again"})
                case "bad":
                    random.choice(rows)["girth"] = random.choice(["thick", 3])
                case "other":
                    trees.pages = whole(rows_of(random.sample(range(30), 3), street="of another feed"))
                    assert counts(rondine.finish(other), name) == counts(rondine.finish(same), plain)
        trees.pages = whole(rows)
        assert counts(rondine.finish(name), name) == counts(rondine.finish(plain), plain)
        assert kept(rondine, name) == kept(rondine, plain)


def readers():
    """The processes that read for workers."""
    found = []
    for process in Path("/proc").iterdir():
        try:
            if b"rondine.engine.apart" in (process / "cmdline").read_bytes():
                found.append(int(process.name))
        except (OSError, ValueError):
            continue
    return found


@pytest.mark.skipif(len(os.sched_getaffinity(0)) < 2, reason="one processor reads and keeps alike")
def test_a_long_run_is_read_by_a_process_of_its_own_and_survives_its_end(rondine, trees):
    kinds = {"number": "text", "note": "text"}
    paging = {"type": "page_number", "total": "/count"}
    name = feed(rondine, trees, "apart-and-killed", whole([]), paging, kinds=kinds)
    pages, size = 40, 100
    note = "bark " * 1_000
    made = [[{"number": f"{page}-{one}", "note": note} for one in range(size)] for page in range(pages)]
    trees.pages = [{"trees": page, "count": pages * size} for page in made]
    trees.seconds = 0.1
    before = set(readers())
    run = rondine.office().feeds.run(name)
    [reader] = wait_until(lambda: set(readers()) - before, 60)
    os.kill(reader, signal.SIGKILL)
    last = rondine.watch(run["id"])
    assert (last["state"], last["completeness"]) == ("done", "complete")
    assert counts(last, name) == {**counts(last, name), "rows": pages * size, "created": pages * size}
    trees.pages = [{"trees": page, "count": pages * size} for page in [made[1], made[0], *made[2:]]]
    again = rondine.finish(name)
    assert counts(again, name)["unchanged"] == pages * size
    wait_until(lambda: not set(readers()) - before, 20)
