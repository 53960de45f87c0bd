"""The records table: keeping in bulk, and browsing with filters and order, on real PostgreSQL."""

import json
import uuid
from datetime import UTC, datetime
from random import Random

import psycopg
import pytest
from django.db import connection, transaction
from hypothesis import given
from hypothesis import strategies as st
from psycopg import sql

from rondine.core.errors import InputError, NotFound
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.mapping.row_encoding import EncodedRow, key_digest
from rondine.core.settings import load
from rondine.server.access.models import Project
from rondine.server.connecting.models import Environment
from rondine.server.records import browsing
from rondine.server.records.binary import Digests
from rondine.server.records.browsing import browse, make_indexes, shown_data
from rondine.server.records.keeping import LOOK_UP, PRESENT, Filling, Kept, PlacedRow, prepare_look_up
from rondine.server.records.models import Record, RecordSet, RecordType, SeenBatch
from rondine.server.records.planning import Planner
from rondine.server.records.seen import SeenRecords

DOCUMENT = {
    "key": ["number"],
    "fields": [
        {"name": name, "type": kind, "searchable": name != "care"}
        for name, kind in (
            ("number", "text"),
            ("girth", "decimal"),
            ("position", "integer"),
            ("planted", "date"),
            ("surveyed", "datetime"),
            ("protected", "boolean"),
            ("care", "json"),
        )
    ],
}
TYPE = load(RecordTypeDocument, DOCUMENT)


@pytest.fixture
def records(db):
    project = Project.objects.create(name="grove")
    environment = Environment.objects.create(project=project, name="test")
    return RecordSet.objects.create(
        environment=environment, record_type=RecordType.objects.create(project=project, name="tree", document=DOCUMENT)
    )


def row(number, **data):
    body = json.dumps({"number": number, **data}, sort_keys=True)
    key = json.dumps([number])
    return EncodedRow(key_digest(key), key, key_digest(body), body.encode(), 0)


def keep(records, *rows, run=1):
    with transaction.atomic():
        return Record.objects.keep(Filling(records.pk, run, 1), [PlacedRow(one, 1) for one in rows], datetime.now(UTC))


def test_each_row_is_counted_once(records):
    assert keep(records, row("a"), row("b")) == Kept(created=2)
    assert keep(records, row("a"), row("b", girth=2), row("c"), run=2) == Kept(created=1, changed=1, unchanged=1)
    records.refresh_from_db()
    assert (records.count, Record.objects.filter(set=records).count()) == (3, 3)
    assert Record.objects.get(key='["b"]').run_id == 2
    assert Record.objects.get(key='["a"]').run_id == 1


def test_a_key_that_comes_again_is_repeated_and_the_last_one_wins(records):
    assert keep(records, row("a", girth=1), row("a", girth=2)) == Kept(created=1, repeated=1)
    assert keep(records, row("a", girth=3), row("b")) == Kept(created=1, repeated=1)
    assert {one.key: one.data.get("girth") for one in Record.objects.all()} == {'["a"]': 3, '["b"]': None}


def test_what_a_run_has_met_is_known_to_its_next_attempt(records):
    """A bit a record in memory, and a row a batch in the database, from which another worker goes on."""
    with transaction.atomic():
        rows = [PlacedRow(row(str(n)), 1) for n in range(3)]
        seen = SeenRecords()
        assert Record.objects.keep(Filling(records.pk, 7, 1), rows, datetime.now(UTC), seen) == Kept(created=3)
    again = SeenRecords.of(7, records.pk, SeenBatch.objects)
    assert again.count == seen.count == 3 and all(one.pk in again for one in Record.objects.all())
    assert SeenRecords.of(8, records.pk, SeenBatch.objects).count == 0
    # the same key again is repeated, with another content too; the last one wins
    assert keep(records, row("1", girth=5), row("9"), run=7) == Kept(created=1, repeated=1)
    assert Record.objects.get(key='["1"]').data["girth"] == 5
    assert keep(records, row("1", girth=6), row("2"), row("2"), run=8) == Kept(changed=1, unchanged=1, repeated=1)


@given(st.lists(st.integers(0, 2**40), max_size=50))
def test_a_bit_is_kept_of_each_id(ids):
    seen = SeenRecords()
    met: set[int] = set()
    for record_id in ids:
        assert seen.add(record_id) is (record_id not in met)
        met.add(record_id)
    assert seen.count == len(met) and all(one in seen for one in met)
    assert all(one + 1 in met or one + 1 not in seen for one in met)


def test_a_batch_reads_the_index_of_keys_alone_whatever_else_is_kept(records):
    """The plan, not the time: one look-up a key, and no walk through the set, even where nobody has counted its rows;
    also where those of others were counted, so that this one seems to be empty."""
    others = [
        RecordSet.objects.create(
            environment=Environment.objects.create(project=records.environment.project, name=f"other-{number}"),
            record_type=records.record_type,
        )
        for number in range(3)
    ]
    for other in others:
        keep(other, *(row(str(n)) for n in range(300)))
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE records_record")
    keep(records, *(row(str(n)) for n in range(300)))
    digests = Digests([key_digest('["1"]')])
    with transaction.atomic(), psycopg.Cursor(connection.connection) as cursor:
        prepare_look_up(cursor)
        look_up = LOOK_UP.format(columns=PRESENT, table="records_record")
        cursor.execute(f"EXPLAIN (FORMAT JSON) {look_up}", {"digests": digests, "set": records.pk})
        plan = json.dumps(cursor.fetchone())
    assert "one_record_of_a_digest" in plan and "Seq Scan" not in plan and "records_in_order" not in plan
    assert "Hash Join" not in plan and "Merge Join" not in plan
    mine = Record.objects.get(set=records, key='["1"]').pk
    assert Record.objects.ids_of(records.pk, [key_digest('["1"]'), key_digest('["none"]')]) == [mine]


def test_changed_records_are_found_by_their_ids_whatever_statistics_say(records):
    """A table that was emptied and filled again seems to hold one row until it is analyzed; nor is it known how many
    rows of a batch have changed."""
    keep(records, *(row(str(n)) for n in range(3000)))
    with connection.cursor() as cursor:
        cursor.execute("UPDATE pg_class SET reltuples = 0, relpages = 10000 WHERE relname = 'records_record'")

    def read():
        """Rows of any table that the transaction has read until now."""
        with connection.cursor() as cursor:
            cursor.execute("SELECT sum(seq_tup_read + coalesce(idx_tup_fetch, 0)) FROM pg_stat_xact_all_tables")
            return cursor.fetchone()[0]

    before = read()
    assert keep(records, *(row(str(n), girth=n % 3) for n in range(300)), run=2) == Kept(changed=300)
    assert read() - before < 20 * 300


def test_what_a_dry_run_counts_is_what_a_run_does(records):
    """Whatever the batches are: new, changed, the same, twice in one batch or over several."""
    chance = Random(7)
    for run in range(1, 30):
        batches = [
            [row(str(chance.randrange(25)), girth=chance.randrange(2)) for _ in range(chance.randrange(12))]
            for _ in range(3)
        ]
        planner = Planner(Filling(records.pk, 1000 + run, 1), "tree")
        with transaction.atomic():
            planned = [planner.plan([PlacedRow(one, 1) for one in batch], 3) for batch in batches]
        before = {one.key: one.data for one in Record.objects.all()}
        kept = [keep(records, *batch, run=run) for batch in batches]
        assert [counted for counted, _ in planned] == kept
        for counted, changes in planned:
            assert len(changes) == min(3, counted.created + counted.changed)
            for change in changes:
                assert (change.kind == "created") is (change.key not in before)
                if change.kind == "changed":
                    assert change.before == {"girth": before[change.key]["girth"]} != change.after


def test_records_of_a_set_that_is_gone_are_not_kept(records):
    gone = records.pk
    records.delete()
    with pytest.raises(NotFound, match="was removed meanwhile"), transaction.atomic():
        Record.objects.keep(Filling(gone, 1, 1), [PlacedRow(row("a"), 1)], datetime.now(UTC))
    assert Record.objects.count() == 0


def test_a_batch_that_is_rolled_back_leaves_nothing(records):
    with pytest.raises(ZeroDivisionError), transaction.atomic():
        Record.objects.keep(Filling(records.pk, 1, 1), [PlacedRow(row("a"), 1)], datetime.now(UTC))
        raise ZeroDivisionError
    records.refresh_from_db()
    assert (records.count, Record.objects.count()) == (0, 0)
    assert keep(records, row("a")) == Kept(created=1)


def test_numbers_and_text_survive_postgresql(records):
    body = (
        b'{"number":"a","girth":0.10000000000000000555,"position":123456789012345678901234567890,"note":"\\"\\\\'
        b' \\t\xc3\xa8 \\\\N"}'
    )
    keep(records, EncodedRow(b"1" * 16, '["a"]', b"2" * 16, body, 0))
    data = Record.objects.get().data
    assert str(data["girth"]) == "0.10000000000000000555"
    assert data["position"] == 123456789012345678901234567890
    assert data["note"] == '"\\ \tè \\N'
    assert shown_data(data, TYPE) == {
        "number": "a",
        "girth": "0.10000000000000000555",
        "position": "123456789012345678901234567890",
        "note": '"\\ \tè \\N',
    }


@pytest.fixture
def grove(records):
    keep(
        records,
        *(
            row(
                f"OLM-{n:03d}",
                position=n % 7,
                protected=n % 5 == 0,
                planted=None if n % 4 == 0 else f"19{50 + n % 40:02d}-01-{1 + n % 28:02d}",
                surveyed=f"2025-03-01T{n % 24:02d}:00:00Z",
                **({} if n % 3 == 0 else {"girth": n / 4}),
            )
            for n in range(60)
        ),
    )
    return records


def numbers(records, limit=500, **query):
    return [
        record.data["number"]
        for record in browse(
            records, TYPE, {name.replace("__", "."): value for name, value in query.items()}, limit=limit
        ).records
    ]


@pytest.mark.parametrize(
    ("query", "count"),
    [
        ({"number": "OLM-007"}, 1),
        ({"number__begins": "OLM-01"}, 10),
        ({"girth__from": "10", "girth__to": "11.00"}, 4),
        ({"position": "3"}, 9),
        ({"protected": "true"}, 12),
        ({"planted__from": "1980-01-01"}, 8),
        ({"surveyed__to": "2025-03-01T02:30:00+02:00"}, 3),
        ({"girth": "0.25"}, 1),
        ({"protected": "false", "position": "0"}, 7),
        ({"number": "no' such"}, 0),
    ],
)
def test_filters_compare_by_type(grove, query, count):
    assert len(numbers(grove, **query)) == count


@pytest.mark.parametrize("sort", ["", "girth", "-girth", "planted", "-number", "surveyed", "protected"])
@pytest.mark.parametrize("limit", [1, 7, 60])
def test_pages_put_together_are_all_records_in_order(grove, sort, limit):
    found, cursor = [], None
    while True:
        page = browse(grove, TYPE, {"sort": sort} if sort else {}, limit=limit, cursor=cursor)
        found += [record.data for record in page.records]
        cursor = page.next
        if cursor is None:
            break
    assert len({one["number"] for one in found}) == len(found) == 60
    if sort:
        values = [
            str(one[name]) if name != "girth" else one[name]
            for one in found
            if one.get(name := sort.lstrip("-")) is not None
        ]
        assert values == sorted(values, reverse=sort.startswith("-"))
        assert all(one.get(name) is None for one in found[len(values) :])


@pytest.mark.parametrize(
    ("query", "words"),
    [
        ({"girht": "1"}, 'no field "girht"'),
        ({"care": "x"}, "not searchable"),
        ({"girth": "abc"}, "not a decimal"),
        ({"girth.begins": "1"}, "no way to filter"),
        ({"sort": "nothing"}, 'no field "nothing"'),
    ],
)
def test_a_wrong_filter_is_told(grove, query, words):
    with pytest.raises(InputError, match=words):
        browse(grove, TYPE, query)
    with pytest.raises(InputError, match="cursor"):
        browse(grove, TYPE, {}, cursor="!!")


@pytest.mark.django_db(transaction=True)
def test_a_filter_on_an_indexed_field_uses_its_index(transactional_db):
    project = Project.objects.create(name=f"p{uuid.uuid4().hex[:8]}")
    environment = Environment.objects.create(project=project, name="test")
    records = RecordSet.objects.create(
        environment=environment, record_type=RecordType.objects.create(project=project, name="tree", document=DOCUMENT)
    )
    keep(records, *(row(f"n{n}", girth=n / 4, surveyed=f"2025-03-01T00:{n % 60:02d}:00Z") for n in range(3000)))
    assert set(make_indexes(records, TYPE)) == {field.name for field in TYPE.fields if field.searchable}
    assert make_indexes(records, TYPE) == []
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE records_record")
    for query, index in (
        ({"girth.from": "7", "girth.to": "8"}, "girth_decimal"),
        ({"surveyed": "2025-03-01T00:07:00Z"}, "surveyed_datetime"),
        ({"sort": "-number"}, "number_text"),
    ):
        plan = plan_of(records, query)
        assert f"records_{records.pk}_{index}" in plan, plan


def plan_of(records, query):
    """PostgreSQL's plan for the first statement that browsing sends."""
    plans = []

    def explain(where, columns, order, limit):
        with connection.cursor() as cursor:
            cursor.cursor.execute(sql.SQL("EXPLAIN {}").format(browsing.page_statement(where, columns, order, limit)))
            plans.append("\n".join(line for (line,) in cursor.cursor.fetchall()))
        return []

    original, browsing._fetch = browsing._fetch, explain
    try:
        browse(records, TYPE, query)
    finally:
        browsing._fetch = original
    return plans[0]
