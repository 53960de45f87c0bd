"""What a batch of 10,000 rows costs to keep, beside more and more records that are kept already: all new, all
unchanged, a tenth changed. The cost must stay as it is.

The records beside them are made by PostgreSQL itself in a database that is dropped afterwards.
"""

import argparse
import json
import statistics
import time
from datetime import UTC, datetime

from common import own_database

BATCH = 10_000


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--sizes", default="10000,1000000,10000000", help="records that are kept already, rising")
    parser.add_argument("--rounds", type=int, default=5)
    args = parser.parse_args()
    with own_database():
        measure([int(size) for size in args.sizes.split(",")], args.rounds)


def measure(sizes: list[int], rounds: int) -> None:
    from django.db import connection, transaction

    from rondine.core.mapping.row_encoding import EncodedRow, key_digest
    from rondine.server.access.models import Project
    from rondine.server.connecting.models import Environment
    from rondine.server.records.keeping import Filling, PlacedRow
    from rondine.server.records.models import Record, RecordSet, RecordType
    from rondine.server.records.seen import SeenRecords

    project = Project.objects.create(name="speed")
    environment = Environment.objects.create(project=project, name="test")
    document = {"key": ["number"], "fields": [{"name": "number", "type": "text"}]}
    record_type = RecordType.objects.create(project=project, name="tree", document=document)
    records = RecordSet.objects.create(environment=environment, record_type=record_type)

    def row(number: int, girth: float) -> PlacedRow:
        data = {"number": f"OLM-{number:08d}", "girth": girth, "district": "Borgo Alto", "care": ["mulched", "staked"]}
        body, key = json.dumps(data).encode(), json.dumps([data["number"]])
        return PlacedRow(EncodedRow(key_digest(key), key, key_digest(body.decode()), body, 0), 1)

    def keep(rows: list[PlacedRow], run: int) -> float:
        began = time.perf_counter()
        with transaction.atomic():
            Record.objects.keep(Filling(records.pk, run, 1), rows, datetime.now(UTC), SeenRecords())
        return (time.perf_counter() - began) * 1000

    first: dict[str, float] = {}
    run, made, number = 0, 0, 0
    for size in sizes:
        began = time.perf_counter()
        with connection.cursor() as cursor:
            while made < size:
                upto = min(made + 500_000, size)
                cursor.execute(
                    """INSERT INTO records_record
                        (set_id, digest, hash, key, data, type_version, run_id, call, ordinal, made_at, changed_at,
                        brought_by)
                    SELECT %s, md5(i::text)::uuid, md5('h' || i)::uuid, '["T-' || i || '"]',
                        jsonb_build_object('number', 'T-' || i, 'girth', (20 + i * 104729 %% 900) / 100.0,
                            'district', 'district ' || (i * 7919 %% 40)), 1, 1, 1, 0, now(), now(), 1
                    FROM generate_series(%s::bigint, %s::bigint) i""",
                    [records.pk, made, upto - 1],
                )
                made = upto
        print(f"{size:,} records are kept ({time.perf_counter() - began:.0f} s to make them)", flush=True)
        times: dict[str, list[float]] = {"all new": [], "all unchanged": [], "a tenth changed": []}
        for _ in range(rounds):
            rows = [row(number + place, 2.5) for place in range(BATCH)]
            number += BATCH
            times["all new"].append(keep(rows, run := run + 1))
            times["all unchanged"].append(keep(rows, run := run + 1))
            changed = [row(number - BATCH + place, 3.5) if place % 10 == 0 else one for place, one in enumerate(rows)]
            times["a tenth changed"].append(keep(changed, run := run + 1))
        for name, each in times.items():
            median = statistics.median(each)
            ratio = median / first.setdefault(name, median)
            print(f"  {name:<16} {median:7.1f} ms   {ratio:5.2f} x that beside {sizes[0]:,}", flush=True)


if __name__ == "__main__":
    main()
