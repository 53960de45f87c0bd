"""What a worker tidies up among the records: what has been gone for long, and changes that nobody wants to know."""

import json
from array import array
from datetime import UTC, datetime, timedelta

import pytest
from django.db import transaction

from rondine.core.mapping.row_encoding import EncodedRow, key_digest
from rondine.server.access.models import Project
from rondine.server.connecting.models import Environment
from rondine.server.records.going import mark_gone, missing
from rondine.server.records.housekeeping import tidy_up
from rondine.server.records.keeping import Filling, PlacedRow
from rondine.server.records.models import Record, RecordChange, RecordSet, RecordType
from rondine.server.records.seen import SeenRecords

NOW = datetime(2026, 6, 30, tzinfo=UTC)


@pytest.fixture
def records(transactional_db):
    project = Project.objects.create(name="tidied")
    document = {
        "key": ["number"],
        "fields": [{"name": "number", "type": "text"}],
        "history": "all",
        "gone_days": 10,
        "history_days": 20,
    }
    return RecordSet.objects.create(
        environment=Environment.objects.create(project=project, name="test"),
        record_type=RecordType.objects.create(project=project, name="tree", document=document),
    )


def keep(records, numbers, run, at, bit=1):
    rows = []
    for number in numbers:
        key, data = json.dumps([number]), json.dumps({"number": number})
        rows.append(PlacedRow(EncodedRow(key_digest(key), key, key_digest(data), data.encode(), 0), 1))
    with transaction.atomic():
        Record.objects.keep(Filling(records.pk, run, 1, bit, "all"), rows, at)


def go(records, keys, at, bit=1):
    with transaction.atomic():
        ids = Record.objects.filter(key__in=[json.dumps([key]) for key in keys]).values_list("pk", flat=True)
        return mark_gone(Filling(records.pk, 2, 1, bit, "all"), array("q", ids), at, alive=3)


def test_what_has_been_gone_for_long_is_removed_and_old_changes_are_forgotten(records):
    keep(records, "abcd", 1, NOW - timedelta(days=30))
    assert go(records, "a", NOW - timedelta(days=11)) == 1
    assert go(records, "b", NOW - timedelta(days=9)) == 1
    records.refresh_from_db()
    assert records.count == 2
    assert tidy_up(NOW) == {"removed": 1, "forgotten": 4}
    assert sorted(Record.objects.values_list("key", flat=True)) == ['["b"]', '["c"]', '["d"]']
    kinds = list(RecordChange.objects.order_by("pk").values_list("kind", "key"))
    assert kinds == [("gone", '["a"]'), ("gone", '["b"]'), ("removed", '["a"]')]
    assert tidy_up(NOW) == {"removed": 0, "forgotten": 0}


def test_only_what_the_feed_itself_brought_can_be_missing(records):
    keep(records, "abc", 1, NOW)
    keep(records, "cd", 2, NOW, bit=2)
    seen = SeenRecords()
    with transaction.atomic():
        absent = missing(Filling(records.pk, 3, 1, 2, "all"), seen)
    keys = Record.objects.filter(pk__in=list(absent.ids)).values_list("key", flat=True)
    assert (sorted(keys), absent.present) == (['["c"]', '["d"]'], 2)
    assert go(records, "cd", NOW, bit=2) == 1  # c is brought by the other feed still
    assert list(Record.objects.filter(gone_at=None).order_by("key").values_list("key", flat=True)) == [
        '["a"]',
        '["b"]',
        '["c"]',
    ]
