"""Record types, mappings, feeds; and the records themselves, in one table for all types."""

import json
from decimal import Decimal
from typing import Any

from django.db import models
from django.db.models import Q

from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.settings import load
from rondine.server.connecting.models import Environment
from rondine.server.items.exact import ExactJSONField
from rondine.server.items.kinds import KINDS
from rondine.server.items.models import Item
from rondine.server.records.keeping import RecordManager
from rondine.server.releases.configuration import Configuration

#: What can happen to a record.
CHANGES = ("created", "changed", "gone", "returned", "removed")


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
    """The kept records of one record type in one environment. count: exact, without those that are gone, changed with
    every batch.  indexed: searchable fields that have their index.  feeds: that brought any, by their ids, in the order
    of their bits in `Record.brought_by`.  revision: rises whenever what is kept of a record changes.  view: what is
    known of its SQL view: {"digest": of the statement that made it, "role": that may read it, "problem": why it could
    not be made}."""

    environment = models.ForeignKey(Environment, on_delete=models.CASCADE, related_name="record_sets")
    record_type = models.ForeignKey(RecordType, on_delete=models.PROTECT, related_name="record_sets")
    count = models.BigIntegerField(default=0)
    indexed = models.JSONField(default=list)
    feeds = models.JSONField(default=list)
    revision = models.BigIntegerField(default=0)
    view = models.JSONField(default=dict)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["environment", "record_type"], name="one_record_set_a_type_and_environment")
        ]
        verbose_name = "the kept records"

    def __str__(self) -> str:
        return f"in {self.environment} ({self.count:,})"

    def loaded(self) -> RecordTypeDocument:
        """The record type as the environment goes by it."""
        configuration = Configuration(self.environment)
        document: RecordTypeDocument = configuration.item_or_draft(KINDS["record-types"], self.record_type).loaded()
        return document

    def bit_of(self, feed_id: str) -> int:
        """The bit that stands for a feed in `Record.brought_by`; 0 if it never brought any."""
        return 1 << self.feeds.index(feed_id) if feed_id in self.feeds else 0


class Record(models.Model):
    """key: the canonical form, a JSON list.  digest: BLAKE2b-128 of it.  hash: the same of the data.  run, call,
    ordinal: where it came from last.  brought_by: the feeds that bring it, a bit each; none, if it is gone, and then
    gone_at says since when."""

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
    brought_by = models.BigIntegerField(default=1)
    gone_at = models.DateTimeField(null=True)

    objects = RecordManager()

    @property
    def key_values(self) -> list[Any]:
        values: list[Any] = json.loads(self.key)
        return values

    class Meta:
        # what a batch asks of each key is in the index: the rows themselves are not looked at
        constraints = [
            models.UniqueConstraint(
                fields=["set", "digest"], include=["hash", "id", "brought_by"], name="one_record_of_a_digest"
            )
        ]
        indexes = [
            models.Index(fields=["set", "id"], name="records_in_order"),
            models.Index(fields=["set", "gone_at"], condition=Q(gone_at__isnull=False), name="records_gone"),
        ]


class RecordChange(models.Model):
    """One change of one record, in the order in which they came to be seen. before, after: the fields that differ, as
    they were and as they became; null for created, gone and removed."""

    set_id = models.BigIntegerField()
    record_id = models.BigIntegerField()
    digest = models.UUIDField()
    key = models.TextField()
    run_id = models.BigIntegerField()
    at = models.DateTimeField()
    kind = models.CharField(max_length=10, choices=[(kind, kind) for kind in CHANGES])
    before = models.JSONField(null=True, decoder=ExactDecoder)
    after = models.JSONField(null=True, decoder=ExactDecoder)

    class Meta:
        constraints = [models.CheckConstraint(condition=Q(kind__in=CHANGES), name="kind_of_change_is_known")]
        indexes = [
            models.Index(fields=["set_id", "id"], name="changes_in_order"),
            models.Index(fields=["set_id", "digest", "id"], name="changes_of_a_key"),
            models.Index(fields=["at"], name="changes_by_age"),
        ]


class PlannedChange(models.Model):
    """What a dry run found that a run would do to a record. before, after: the fields that would differ; of a record
    that would be created, all it would have."""

    run_id = models.BigIntegerField()
    record_type = models.CharField(max_length=63)
    key = models.TextField()
    kind = models.CharField(max_length=10, choices=[(kind, kind) for kind in CHANGES])
    before = ExactJSONField(null=True, decoder=ExactDecoder)
    after = ExactJSONField(null=True, decoder=ExactDecoder)

    class Meta:
        indexes = [models.Index(fields=["run_id", "id"], name="planned_changes_of_a_run")]


class SeenBatch(models.Model):
    """Records that a run met first in one batch; tells repeats from first meetings, and what is gone from what was not
    reached. ids: of the records, 64-bit numbers, little end first, compressed (zlib).

    The last run's are left for the next one of its feed, to know rows again. plan: how rows became records.  hashes:
    BLAKE2b-128 of the text that each record was made of, one after another; null, if they are not remembered.
    revision: of the set, once the batch was kept.
    """

    run_id = models.BigIntegerField()
    set_id = models.BigIntegerField()
    ids = models.BinaryField()
    plan = models.UUIDField(null=True)
    hashes = models.BinaryField(null=True)
    revision = models.BigIntegerField(null=True)

    class Meta:
        indexes = [
            models.Index(fields=["run_id", "set_id"], name="seen_batches_of_a_run"),
            models.Index(fields=["set_id", "plan", "run_id"], name="seen_batches_of_a_plan"),
        ]
