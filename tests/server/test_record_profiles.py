"""What the values of kept records look like: counted by the database as a count of our own says."""

import random
from collections import Counter
from decimal import Decimal

import pytest
from aiohttp import web
from tests.made_feed import whole

from rondine_client import RondineProblem

KINDS = {
    "number": "text", "street": "text", "girth": "decimal", "stems": "integer", "planted": "date",
    "seen": "datetime", "felled": "boolean", "notes": "json",
}  # fmt: skip


def made_up(count=500):
    """Trees with some values missing, null, or the same as others."""
    chance = random.Random(20)
    for number in range(count):
        tree = {
            "number": f"OLM-{number:05}",
            "street": chance.choice(["Lime Walk", "Mill Lane", "Quay", 'o\'Hara "Row"', "at 10:30:00.000000Z", None]),
            "girth": str(Decimal(chance.randrange(40, 400)) / 10),
            "stems": chance.choice([1, 1, 1, 2, 3]),
            "planted": f"{chance.randrange(1920, 2026)}-0{chance.randrange(1, 9)}-11",
            "seen": f"2026-0{chance.randrange(1, 9)}-0{chance.randrange(1, 9)}T10:30:00.25Z",
            "felled": chance.random() < 0.1,
            "notes": {"leans": True} if number % 2 else None,
        }
        if chance.random() < 0.2:
            del tree["girth"]
        yield tree


TREES = list(made_up())


@pytest.fixture(scope="module")
def avenue(rondine, serve_for_module):
    admin = rondine.client("ada")
    admin.projects.make("profiled")
    project = admin.project("profiled")
    outside = serve_for_module(lambda request: web.json_response(whole(TREES)[0]))
    project.hosts.permit("127.0.0.1", outside.port, is_private=True)
    project.services.make("profiled")
    base = {"base_address": outside.url}
    project.connections.make("profiled", service="profiled", environment="test", document=base)
    project.operations.make("profiled", service="profiled", document={"path": "/trees"})
    fields = [{"name": name, "type": kind, "searchable": kind != "json"} for name, kind in KINDS.items()]
    project.record_types.make("tree", document={"key": ["number"], "fields": fields})
    rows = {"rows": [{"level": "tree", "at": "trees[*]"}], "fields": [{"name": name, "from": name} for name in KINDS]}
    project.mappings.make("profiled", service="profiled", document={"outputs": [{"record_type": "tree", **rows}]})
    project.feeds.make("profiled", operation="profiled", mapping="profiled", environment="test")
    *_, run = project.runs.watch(project.feeds.run("profiled")["id"])
    assert (run["state"], project.records.profile("test", "tree")["records"]) == ("done", len(TREES)), run
    return project


def test_each_field_is_counted_over_all_records(avenue):
    found = avenue.records.profile("test", "tree")
    assert found["is_all"] is True
    columns = {one["name"]: one for one in found["columns"]}
    assert list(columns) == list(KINDS)
    for name, column in columns.items():
        values = [tree[name] for tree in TREES if tree.get(name) is not None]
        assert column["missing"] == len(TREES) - len(values), name
        assert column["distinct"] == len({str(value) for value in values}), name
    assert (columns["number"]["least"], columns["number"]["most"]) == ("OLM-00000", "OLM-00499")
    girths = [Decimal(tree["girth"]) for tree in TREES if "girth" in tree]
    assert (Decimal(columns["girth"]["least"]), Decimal(columns["girth"]["most"])) == (min(girths), max(girths))
    assert columns["planted"]["least"] == min(tree["planted"] for tree in TREES)
    assert columns["felled"]["least"] is columns["notes"]["least"] is None and columns["notes"]["parts"] == []


def test_parts_are_the_commonest_values_or_ranges_that_filter_to_as_many(avenue):
    columns = {one["name"]: one for one in avenue.records.profile("test", "tree")["columns"]}
    streets = Counter(tree["street"] for tree in TREES if tree["street"])
    assert {part["least"]: part["count"] for part in columns["street"]["parts"]} == streets
    counts = [part["count"] for part in columns["street"]["parts"]]
    assert columns["street"]["by"] == "value" and counts == sorted(counts, reverse=True)
    assert {part["least"] for part in columns["felled"]["parts"]} == {"true", "false"}
    for name in ("girth", "planted", "seen"):
        column = columns[name]
        assert column["by"] == "range" and len(column["parts"]) == 8
        assert sum(part["count"] for part in column["parts"]) == len(TREES) - column["missing"]
        assert (column["parts"][0]["least"], column["parts"][-1]["most"]) == (column["least"], column["most"])
    for name in ("girth", "planted", "seen", "stems", "street", "felled"):
        for part in (part for part in columns[name]["parts"] if part["count"]):
            filters = {f"{name}.from": part["least"], f"{name}.to": part["most"]}
            assert len(list(avenue.records.search("test", "tree", **filters))) == part["count"], (name, part)


def test_filters_leave_what_is_counted_and_say_what_is_wrong(avenue):
    some = avenue.records.profile("test", "tree", street="Quay", **{"girth.from": "20"})
    fitting = [tree for tree in TREES if tree["street"] == "Quay" and Decimal(tree.get("girth", "0")) >= 20]
    assert some["records"] == len(fitting) > 0
    [street] = [one for one in some["columns"] if one["name"] == "street"]
    assert street["parts"] == [{"least": "Quay", "most": "Quay", "count": len(fitting)}]
    none = avenue.records.profile("test", "tree", street="Nowhere")
    assert (none["records"], none["is_all"]) == (0, True)
    assert all(one["distinct"] == 0 and one["parts"] == [] for one in none["columns"])
    assert avenue.records.profile("test", "tree", gone="only")["records"] == 0
    assert avenue.records.profile("live", "tree")["records"] == 0
    for filters, words in (({"strete": "Quay"}, "no field"), ({"girth": "wide"}, "girth"), ({"gone": "maybe"}, "gone")):
        with pytest.raises(RondineProblem, match=words):
            avenue.records.profile("test", "tree", **filters)
    held = avenue.record_types.get("tree")
    avenue.record_types.make("other", document={**held["document"], "kind": "passing"})
    with pytest.raises(RondineProblem, match="not kept"):
        avenue.records.profile("test", "other")


def test_it_is_told_when_not_all_records_were_looked_at(avenue, rondine):
    [(set_id,)] = rondine.sql(
        "INSERT INTO records_recordset (count, indexed, feeds, revision, view, environment_id, record_type_id)"
        " SELECT 50001, '[]', '[]', 0, '{}', environment.id, type.id"
        " FROM connecting_environment environment JOIN access_project project ON environment.project_id = project.id"
        " JOIN records_recordtype type ON type.project_id = project.id"
        " WHERE project.name = 'profiled' AND environment.name = 'live' AND type.name = 'tree' RETURNING id"
    )
    rondine.sql(
        "INSERT INTO records_record (set_id, digest, hash, key, data, type_version, run_id, call, ordinal, made_at,"
        " changed_at, brought_by) SELECT %s, gen_random_uuid(), gen_random_uuid(), format('[\"T-%%s\"]', number),"
        " jsonb_build_object('number', format('T-%%s', number), 'girth', number), 1, 1, 1, 1, now(), now(), 1"
        " FROM generate_series(1, 50001) AS number RETURNING 1",
        set_id,
    )
    found = avenue.records.profile("live", "tree")
    assert (found["records"], found["is_all"]) == (50_000, False)
    girth = next(one for one in found["columns"] if one["name"] == "girth")
    assert girth["distinct"] == 50_000 and sum(part["count"] for part in girth["parts"]) == 50_000
    fewer = avenue.records.profile("live", "tree", **{"girth.from": "1000"})
    assert (fewer["records"], fewer["is_all"]) == (49_002, True)
