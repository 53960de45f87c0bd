"""Feeds."""

from django.db import models
from django.db.models import Q

from rondine.core.items.feed import FeedDocument
from rondine.core.settings import load
from rondine.server.access.models import Person
from rondine.server.connecting.models import Environment
from rondine.server.items.planned import Planned
from rondine.server.mappings.models import Mapping
from rondine.server.operations.models import Operation


class Feed(Planned):
    """is_late: it was told that it is."""

    operation = models.ForeignKey(Operation, on_delete=models.PROTECT, related_name="feeds")
    mapping = models.ForeignKey(Mapping, on_delete=models.PROTECT, related_name="feeds")
    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="feeds")

    is_late = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_feed_a_name")]

    def loaded(self) -> FeedDocument:
        return load(FeedDocument, self.document)


class DriftPeriod(models.Model):
    """A difference of a feed's responses from the schema on file, from the first run that found it to the last in a
    row. on_file: what that was.  example: a value that showed it.  used_by: fields that take the part, with their
    feeds.  call: of the first run.  ended_run: the first that looked and did not find it any more.  adopted_at: since
    when it is as it should be."""

    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="drift")
    path = models.CharField(max_length=600)
    kind = models.CharField(max_length=10)
    words = models.CharField(max_length=600)
    on_file = models.CharField(max_length=200)
    example = models.CharField(max_length=100, blank=True)
    used_by = models.JSONField(default=list)
    first_run = models.BigIntegerField()
    call = models.PositiveIntegerField()
    first_at = models.DateTimeField()
    last_run = models.BigIntegerField()
    last_at = models.DateTimeField()
    ended_run = models.BigIntegerField(null=True)
    ended_at = models.DateTimeField(null=True)
    adopted_at = models.DateTimeField(null=True)
    adopted_by = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["feed", "path", "kind", "words"],
                condition=Q(ended_at=None, adopted_at=None),
                name="one_open_period_a_difference",
            )
        ]
        indexes = [models.Index(fields=["feed", "-id"], name="drift_of_a_feed")]

    @property
    def state(self) -> str:
        return "adopted" if self.adopted_at else "ended" if self.ended_at else "open"
