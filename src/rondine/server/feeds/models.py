"""Feeds."""

from django.db import models

from rondine.core.items.feed import FeedDocument
from rondine.core.settings import load
from rondine.server.connecting.models import Environment
from rondine.server.items.models import Item
from rondine.server.mappings.models import Mapping
from rondine.server.operations.models import Operation


class Feed(Item):
    """due_at, begins_at: when it runs next by itself, as its schedule says and with jitter and quiet hours; written by
    the workers. planned_for_version: of the document that these were made from.  refusal: why the last time that was
    due started nothing.  is_late: it was told that it is.
    watch_mark: the last change that its watch has looked at; null without one."""

    operation = models.ForeignKey(Operation, on_delete=models.PROTECT, related_name="feeds")
    mapping = models.ForeignKey(Mapping, on_delete=models.PROTECT, related_name="feeds")
    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="feeds")

    due_at = models.DateTimeField(null=True)
    begins_at = models.DateTimeField(null=True, db_index=True)
    planned_for_version = models.PositiveIntegerField(default=0)
    refusal = models.JSONField(null=True)
    watch_mark = models.BigIntegerField(null=True)
    is_late = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_feed_a_name")]

    def loaded(self) -> FeedDocument:
        return load(FeedDocument, self.document)
