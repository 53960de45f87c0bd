"""Record types, mappings, feeds; and the records themselves, in one table for all types."""

import json
from decimal import Decimal
from typing import Any

from django.db import models

from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.settings import load
from rondine.server.connecting.models import Environment
from rondine.server.items.models import Item
from rondine.server.records.keeping import RecordManager


class ExactDecoder(json.JSONDecoder):
    """Numbers with a fraction as Decimals, every digit kept."""

    def __init__(self, **options: Any) -> None:
        super().__init__(**{**options, "parse_float": Decimal})


class RecordType(Item):
    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_record_type_a_name")]

    def loaded(self) -> RecordTypeDocument:
        return load(RecordTypeDocument, self.document)


class RecordSet(models.Model):
    """The kept records of one record type in one environment. count: exact, changed with every batch. indexed:
    searchable fields that have their index."""

    environment = models.ForeignKey(Environment, on_delete=models.CASCADE, related_name="record_sets")
    record_type = models.ForeignKey(RecordType, on_delete=models.PROTECT, related_name="record_sets")
    count = models.BigIntegerField(default=0)
    indexed = models.JSONField(default=list)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["environment", "record_type"], name="one_record_set_a_type_and_environment")
        ]
        verbose_name = "the kept records"

    def __str__(self) -> str:
        return f"in {self.environment} ({self.count:,})"


class Record(models.Model):
    """key: the canonical form, a JSON list.  digest: BLAKE2b-128 of it.  hash: the same of the data.  run, call,
    ordinal: where it came from last."""

    # no constraint in the database: it would be checked with every row, and a batch counts its set within the same
    # transaction, which fails if the set is gone
    set = models.ForeignKey(
        RecordSet, on_delete=models.CASCADE, db_index=False, db_constraint=False, related_name="records"
    )
    digest = models.UUIDField()
    hash = models.UUIDField()
    key = models.TextField()
    data = models.JSONField(decoder=ExactDecoder)
    type_version = models.PositiveIntegerField()
    run_id = models.BigIntegerField()
    call = models.PositiveIntegerField()
    ordinal = models.PositiveIntegerField()
    made_at = models.DateTimeField()
    changed_at = models.DateTimeField()

    objects = RecordManager()

    class Meta:
        # what a batch asks of each key is in the index: the rows themselves are not looked at
        constraints = [
            models.UniqueConstraint(fields=["set", "digest"], include=["hash", "id"], name="one_record_of_a_key")
        ]
        indexes = [models.Index(fields=["set", "id"], name="records_in_order")]


class SeenBatch(models.Model):
    """Records that a run met first in one batch; tells repeats from first meetings, and what is gone from what was not
    reached. ids: of the records, 64-bit numbers, little end first, compressed (zlib)."""

    run_id = models.BigIntegerField()
    set_id = models.BigIntegerField()
    ids = models.BinaryField()

    class Meta:
        indexes = [models.Index(fields=["run_id", "set_id"], name="seen_batches_of_a_run")]
