"""Records out: as files, whatever their number, and as SQL views with typed columns for a role that reads nothing
else."""

import csv
import io
import json

import psycopg
import pytest
from tests.made_feed import ROWS, feed, whole
from tests.whole_rondine import wait_until

KINDS = {
    "number": "text",
    "girth": "decimal",
    "position": "integer",
    "planted": "date",
    "surveyed": "datetime",
    "protected": "boolean",
    "care": "json",
}
FULL = {
    "number": 'OLM "1",\u2028\r\n2',
    "girth": 1.25,
    "position": 12345678901234567890,
    "planted": "2001-03-04",
    "surveyed": "2026-05-01T10:00:00+02:00",
    "protected": True,
    "care": ["watered", {"by": "crew 2"}],
}


def columns(rondine, schema, name):
    return dict(
        rondine.sql(
            "SELECT column_name::text, data_type::text FROM information_schema.columns"
            " WHERE table_schema = %s AND table_name = %s",
            schema,
            name,
        )
    )


def test_every_format_has_every_record(rondine, trees, tmp_path):
    rows = [FULL, *({**row, "position": None} for row in ROWS)]
    name = feed(rondine, trees, "exported", whole(rows), kinds=KINDS)
    rondine.finish(name)
    records = rondine.office().records
    data = [record["data"] for record in records.search("test", name)]
    assert len(data) == 7 and list(records.export("test", name)) == data
    assert json.loads(b"".join(records.file("test", f"{name}.json"))) == data
    assert json.loads(b"".join(records.file("test", f"{name}.json", number="none"))) == []
    target = tmp_path / "trees.csv"
    told = json.loads(rondine.cli("record", "export", name, "--to", str(target)).stdout)
    assert told == {"file": str(target), "bytes": target.stat().st_size} and not list(tmp_path.glob("*.part"))
    head, first, *_ = rows = list(csv.reader(io.StringIO(target.read_bytes().decode(), newline="")))
    assert head == list(KINDS) and len(rows) == 8
    assert first[:1] + first[5:] == [FULL["number"], "true", '["watered",{"by":"crew 2"}]']
    some = rondine.cli("record", "export", name, "--where", "girth.from=5", "--sort=-girth").stdout
    assert [json.loads(line)["number"] for line in some.splitlines()] == ["OLM-6", "OLM-5"]
    failed = rondine.cli("record", "export", name, "--to", str(tmp_path / "trees.xls"), check=False)
    assert failed.returncode == 1 and "ends in no format" in failed.stderr and not list(tmp_path.glob("*.xls*"))
    failed = rondine.cli("record", "export", name, "--where", "care=x", check=False)
    assert failed.returncode == 1 and "not searchable" in failed.stderr


def test_many_records_are_written_page_by_page(rondine, trees):
    rows = [{"number": f"T{number:05}", "girth": number % 7} for number in range(1_203)]
    name = feed(rondine, trees, "many-out", whole(rows))
    rondine.finish(name)
    for sort in (None, "girth"):
        exported = list(rondine.office().records.export("test", name, sort=sort))
        assert len({record["number"] for record in exported}) == 1_203


def test_a_view_has_typed_columns_and_a_role_that_reads_it_alone(rondine, trees):
    name = feed(rondine, trees, "viewed", whole([FULL]), kinds=KINDS)
    rondine.finish(name)
    office = rondine.office()

    def view():
        found = [view for view in office.records.views("test") if view["name"] == name]
        return found[0] if found and not found[0]["problem"] else None

    made = wait_until(view)
    assert (
        columns(rondine, made["schema"], name)
        == {
            "number": "text",
            "girth": "numeric",
            "position": "numeric",
            "planted": "date",
            "surveyed": "timestamp with time zone",
            "protected": "boolean",
            "care": "jsonb",
            "_changed_at": "timestamp with time zone",
            "_run": "bigint",
        }
        == {column["name"]: column["type"] for column in made["columns"]}
    )
    with psycopg.connect(rondine.uri, autocommit=True) as connection:
        connection.execute(f'SET ROLE "{made["role"]}"')
        number, girth, position, planted, protected = connection.execute(
            f'SELECT number, girth, position, planted, protected FROM "{made["schema"]}".{name}'
        ).fetchone()
        assert (number, str(girth), int(position)) == (FULL["number"], "1.25", FULL["position"])
        assert (planted.isoformat(), protected) == ("2001-03-04", True)
        with pytest.raises(psycopg.errors.InsufficientPrivilege):
            connection.execute("SELECT 1 FROM records_record")
        with pytest.raises(psycopg.errors.InsufficientPrivilege):
            connection.execute(f'DELETE FROM "{made["schema"]}".{name}')
    # kept in step with the record type: another field, another name; and without what is gone
    held = office.record_types.get(name)
    fields = [field for field in held["document"]["fields"] if field["name"] != "care"]
    document = {**held["document"], "fields": [*fields, {"name": "note", "type": "text"}]}
    office.record_types.change(name, version=held["version"], document=document, name="viewed-trees")
    wait_until(lambda: "note" in columns(rondine, made["schema"], "viewed-trees"))
    assert "care" not in columns(rondine, made["schema"], "viewed-trees")
    wait_until(lambda: not columns(rondine, made["schema"], name))
    assert "viewed-trees" in rondine.cli("record", "views").stdout


def test_a_view_that_cannot_be_made_says_so_and_keeps_no_other_from_it(rondine, trees):
    name = feed(rondine, trees, "taken-view", whole(ROWS))
    with psycopg.connect(rondine.uri, autocommit=True) as connection:
        connection.execute('CREATE SCHEMA IF NOT EXISTS "olmara__test"')
        connection.execute('CREATE TABLE "olmara__test"."taken-view" (number text)')
    rondine.finish(name)
    records = rondine.office().records

    def problem():
        return next((view["problem"] for view in records.views("test") if view["name"] == name), "")

    wait_until(lambda: "something else" in problem())
    assert rondine.sql('SELECT count(*) FROM "olmara__test"."taken-view"') == [(0,)]
