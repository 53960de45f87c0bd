"""The whole road with a server that none of us wrote: Datasette, which serves a SQLite database as JSON and CSV."""

import json
import sqlite3
import sys
from contextlib import closing
from decimal import Decimal

import pytest
from tests.whole_rondine import free_ports, running

from rondine_client import RondineProblem

#: Trees, in pages of 60.
TREES = 250


@pytest.fixture(scope="module")
def archive(rondine, tmp_path_factory):
    """Its address and its database."""
    database = tmp_path_factory.mktemp("archive") / "archive.db"
    with closing(sqlite3.connect(database)) as held, held:
        held.execute("CREATE TABLE trees (number TEXT PRIMARY KEY, girth REAL, district TEXT, note TEXT)")
        rows = [(f"OLM-{n:05}", n / 8, "Orti" if n % 3 else "Terrazze", None if n % 2 else "") for n in range(TREES)]
        held.executemany("INSERT INTO trees VALUES (?, ?, ?, ?)", rows)
    port = next(free_ports(18480))
    words = [sys.executable, "-m", "datasette", "serve", str(database), "--host", "127.0.0.1", "--port", str(port)]
    with running([*words, "--setting", "max_returned_rows", "1000"], f"http://127.0.0.1:{port}/archive.json"):
        rondine.permit(port)
        yield f"http://127.0.0.1:{port}", database


def change(database, *statements):
    with closing(sqlite3.connect(database)) as held, held:
        for statement in statements:
            held.execute(statement)


def counts(run):
    [found] = run["counts"]
    return {
        name: found[name] for name in ("rows", "created", "changed", "unchanged", "rejected", "gone") if found[name]
    }


def remembered(rondine, run):
    """Rows of a run that the next one can know again."""
    statement = "SELECT coalesce(sum(octet_length(hashes)) / 16, 0) FROM records_seenbatch WHERE run_id = %s"
    return int(rondine.sql(statement, run["id"])[0][0])


def kept(rondine, name):
    """Girths by number as the API gives them and as the database holds them, which have to be the same."""
    found = {
        one["data"]["number"]: Decimal(one["data"]["girth"]) for one in rondine.office().records.search("test", name)
    }
    held = rondine.sql(
        "SELECT r.data ->> 'number', r.data ->> 'girth' FROM records_record r"
        " JOIN records_recordset s ON s.id = r.set_id JOIN records_recordtype t ON t.id = s.record_type_id"
        " WHERE t.name = %s AND r.gone_at IS NULL",
        name,
    )
    assert found == {number: Decimal(girth) for number, girth in held} and len(found) == len(held)
    return found


def whole_road(rondine, database, name):
    """Runs a feed of all trees three times; in between, the archive changes."""
    first = rondine.finish(name)
    assert (first["state"], counts(first)) == ("done", {"rows": TREES, "created": TREES}), first["ending"]
    trees = kept(rondine, name)
    assert len(trees) == TREES and trees["OLM-00007"] == Decimal("0.875")
    again = rondine.finish(name)
    assert counts(again) == {"rows": TREES, "unchanged": TREES}
    change(
        database,
        "UPDATE trees SET girth = 99.5 WHERE number = 'OLM-00007'",
        "DELETE FROM trees WHERE number = 'OLM-00100'",
        "INSERT INTO trees VALUES ('OLM-90000', 1, 'Orti', 'new')",
    )
    changed = rondine.finish(name)
    trees = kept(rondine, name)
    assert (trees["OLM-00007"], "OLM-90000" in trees, len(trees)) == (99.5, True, TREES + 1 - gone(changed))
    change(
        database,
        "UPDATE trees SET girth = 0.875 WHERE number = 'OLM-00007'",
        "INSERT INTO trees VALUES ('OLM-00100', 12.5, 'Orti', '')",
        "DELETE FROM trees WHERE number = 'OLM-90000'",
    )
    return first, changed


def gone(run):
    return counts(run).get("gone", 0)


DEFINITION = {
    "openapi": "3.0.3",
    "info": {"title": "Archive", "version": "1"},
    "paths": {
        "/archive/trees.json": {
            "get": {
                "operationId": "listTrees",
                "parameters": [
                    {"name": "_size", "in": "query", "schema": {"type": "integer"}},
                    {"name": "_shape", "in": "query", "schema": {"type": "string"}},
                ],
                "responses": {"200": {"description": "trees"}},
            }
        }
    },
}


def test_json_by_an_imported_definition(rondine, archive):
    address, database = archive
    office = rondine.office()
    files = {"archive.json": json.dumps({**DEFINITION, "servers": [{"url": address}]})}
    seen = office.definitions.look_at(files=files)
    assert [one["key"] for one in seen["operations"]] == ["GET /archive/trees.json"]
    made = office.definitions.import_into("archive", files=files, connect={"environment": "test"})
    [name] = made["operations"]
    held = office.operations.get(name)
    inputs = dict(zip([one["name"] for one in held["document"]["inputs"]], [60, "objects"], strict=True))
    trial = office.trials.send(service="archive", operation=name, inputs=inputs)
    [paging] = [one["paging"] for one in trial["paging"][:1]]
    office.operations.change(name, version=held["version"], document={**held["document"], "paging": paging})
    proposed = office.mappings.propose(trial["body"], rows=["$.rows[*]"], name=name)
    proposed["record_type"]["key"] = ["number"]
    office.record_types.make(name, document=proposed["record_type"])
    office.mappings.make(name, service="archive", document=proposed["mapping"])
    office.feeds.make(name, operation=name, mapping=name, environment="test", document={"inputs": inputs})
    first, changed = whole_road(rondine, database, name)
    assert (first["calls"], first["completeness"], remembered(rondine, changed)) == (5, "complete", TREES)
    assert counts(changed) == {"rows": TREES, "created": 1, "changed": 1, "unchanged": TREES - 2, "gone": 1}
    compared = office.definitions.compare(made["definition"], files=files)
    assert (compared["changes"], compared["unchanged"]) == ([], 1)
    office.definitions.update(made["definition"], files=files)
    back = rondine.finish(name)
    assert counts(back) == {"rows": TREES, "changed": 2, "unchanged": TREES - 2, "gone": 1}


def by_csv(rondine, address, name, document):
    office = rondine.office()
    rondine.connect(name, address)
    held = office.operations.make(name, service=name, document=document)
    trial = office.trials.send(service=name, operation=name)
    with pytest.raises(RondineProblem) as told:  # it comes as text/plain
        office.mappings.propose(trial["body"], rows=["$[*]"], name=name)
    assert "it looks like CSV" in told.value.hint
    document = {**document, "response": {"read_as": "text/csv"}}
    office.operations.change(name, version=held["version"], document=document)
    trial = office.trials.send(service=name, operation=name)
    proposed = office.mappings.propose(trial["body"], rows=["$[*]"], name=name)
    proposed["record_type"]["key"] = ["number"]
    office.record_types.make(name, document=proposed["record_type"])
    office.mappings.make(name, service=name, document=proposed["mapping"])
    office.feeds.make(name, operation=name, mapping=name, environment="test")


def test_csv_in_one_response(rondine, archive):
    address, database = archive
    query = [{"name": "_stream", "value": "on"}]
    by_csv(rondine, address, "archive-csv", {"path": "/archive/trees.csv", "query": query})
    first, changed = whole_road(rondine, database, "archive-csv")
    assert first["calls"] == 1
    assert changed["completeness"] == "unknown"  # nothing in one CSV says that it is all, so nothing is gone
    assert counts(changed) == {"rows": TREES, "created": 1, "changed": 1, "unchanged": TREES - 2}


def test_csv_in_pages_by_key(rondine, archive):
    address, database = archive
    sql = "select * from trees where number > coalesce(:after, '') order by number limit 60"
    query = [{"name": "sql", "value": sql}, {"name": "after", "value": {"input": "after"}}]
    document = {
        "path": "/archive.csv",
        "inputs": [{"name": "after", "default": ""}],
        "query": query,
        "paging": {"type": "keyset", "key": "$[-1].number"},
    }
    by_csv(rondine, address, "archive-csv-pages", document)
    first, changed = whole_road(rondine, database, "archive-csv-pages")
    assert first["calls"] in (5, 6)
    assert changed["completeness"] == "complete"  # a page with no rows has ended it
    assert counts(changed) == {"rows": TREES, "created": 1, "changed": 1, "unchanged": TREES - 2, "gone": 1}
