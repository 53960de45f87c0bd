"""Ten million kept records: how long a page, a filter and one record by key take, as the API's own code asks for them.

The rows are made by PostgreSQL itself in a database that is dropped afterwards; making them takes some minutes.
"""

import argparse
import statistics
import time
from collections.abc import Callable
from typing import Any

from common import own_database


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=10_000_000)
    parser.add_argument("--asks", type=int, default=60)
    args = parser.parse_args()
    with own_database():
        measure(args.rows, args.asks)


def measure(rows: int, asks: int) -> None:
    import random

    from django.db import connection

    from rondine.core.mapping.document import RecordTypeDocument
    from rondine.core.mapping.row_encoding import key_digest
    from rondine.core.settings import load
    from rondine.server.access.models import Project
    from rondine.server.connecting.models import Environment
    from rondine.server.records.browsing import browse, find_record, make_indexes
    from rondine.server.records.models import RecordSet, RecordType

    fields = [
        {"name": "number", "type": "text", "searchable": True},
        {"name": "district", "type": "text", "searchable": True},
        {"name": "girth", "type": "decimal", "searchable": True},
        {"name": "planted", "type": "date", "searchable": True},
    ]
    document = load(RecordTypeDocument, {"fields": fields, "key": ["number"]})
    project = Project.objects.create(name="speed")
    environment = Environment.objects.create(project=project, name="test")
    records = RecordSet.objects.create(
        environment=environment,
        record_type=RecordType.objects.create(
            project=project, name="tree", document={"fields": fields, "key": ["number"]}
        ),
        count=rows,
    )
    began = time.perf_counter()
    with connection.cursor() as cursor:
        for start in range(0, rows, 500_000):
            cursor.execute(
                """INSERT INTO records_record
                    (set_id, digest, hash, key, data, type_version, run_id, call, ordinal, made_at, changed_at,
                    brought_by)
                SELECT %s, md5(i::text)::uuid, md5('h' || i)::uuid, '["OLM-' || lpad(i::text, 8, '0') || '"]',
                    jsonb_build_object('number', 'OLM-' || lpad(i::text, 8, '0'), 'district',
                    'district ' || (i * 7919 %% 40), 'girth', (20 + i * 104729 %% 900) / 100.0,
                        'planted', (date '1890-01-01' + (i * 31 %% 48000)::int)::text, 'note', repeat('x',
                        (i %% 60)::int)), 1, 1, 1, 0, now(), now(), 1
                FROM generate_series(%s::bigint, %s::bigint) i""",
                [records.pk, start, min(start + 500_000, rows) - 1],
            )
        print(f"{rows:,} rows made in {time.perf_counter() - began:.0f} s", flush=True)
        began = time.perf_counter()
        make_indexes(records, document)
        cursor.execute("ANALYZE records_record")
        print(f"four searchable fields indexed in {time.perf_counter() - began:.0f} s", flush=True)
        cursor.execute(
            "SELECT pg_size_pretty(pg_relation_size('records_record')),"
            " pg_size_pretty(pg_indexes_size('records_record'))"
        )
        print("table {}, indexes {}".format(*cursor.fetchone()), flush=True)
    rng = random.Random(1)
    middle: dict[str, str] = {}

    def deep() -> Any:
        page = browse(records, document, {}, cursor=middle.get("cursor"))
        middle["cursor"] = page.next or ""
        return page.records

    ways: dict[str, Callable[[], Any]] = {
        "a page, the first and on from there": deep,
        "a range of decimals": lambda: (
            browse(records, document, {"girth.from": f"{rng.randrange(20, 900) / 100}", "girth.to": "9.2"}).records
        ),
        "one text, equal": lambda: browse(records, document, {"district": f"district {rng.randrange(40)}"}).records,
        "two filters and an order": lambda: (
            browse(records, document, {"district": f"district {rng.randrange(40)}", "sort": "-girth"}).records
        ),
        "a day": lambda: (
            browse(
                records,
                document,
                {"planted": f"19{rng.randrange(10, 99)}-0{rng.randrange(1, 10)}-1{rng.randrange(10)}"},
            ).records
        ),
        "last by text": lambda: browse(records, document, {"sort": "-number"}).records,
    }
    for name, action in ways.items():
        tell(name, [timed(action) for _ in range(asks)])
    number = f"OLM-{rng.randrange(rows):08d}"
    with connection.cursor() as cursor:  # the made rows have digests of their own; give some the real ones
        numbers = [f"OLM-{rng.randrange(rows):08d}" for _ in range(asks)]
        for number in set(numbers):
            cursor.execute(
                "UPDATE records_record SET digest = %s::uuid WHERE set_id = %s AND digest = md5(%s)::uuid",
                [key_digest(f'["{number}"]').hex(), records.pk, str(int(number[4:]))],
            )
    tell("one by key", [timed(lambda number=number: find_record(records, document, [number])) for number in numbers])


def timed(action: Callable[[], Any]) -> float:
    began = time.perf_counter()
    action()
    return (time.perf_counter() - began) * 1000


def tell(name: str, times: list[float]) -> None:
    ordered = sorted(times)
    print(
        f"  {name:<38} median {statistics.median(times):7.2f} ms   p95 {ordered[int(len(ordered) * 0.95) - 1]:7.2f} ms",
        flush=True,
    )


if __name__ == "__main__":
    main()
