"""Feeds."""

from django.db import models

from rondine.core.items.feed import FeedDocument
from rondine.core.settings import load
from rondine.server.connecting.models import Environment
from rondine.server.items.models import Item
from rondine.server.mappings.models import Mapping
from rondine.server.operations.models import Operation


class Feed(Item):
    operation = models.ForeignKey(Operation, on_delete=models.PROTECT, related_name="feeds")
    mapping = models.ForeignKey(Mapping, on_delete=models.PROTECT, related_name="feeds")
    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="feeds")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_feed_a_name")]

    def loaded(self) -> FeedDocument:
        return load(FeedDocument, self.document)
