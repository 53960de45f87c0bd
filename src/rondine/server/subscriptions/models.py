"""Subscriptions, and what happened that they tell of."""

from django.db import models
from django.db.models import Q

from rondine.core.items.subscription import CALL_ENDED, FEED_EVENTS, FLOW_EVENTS, SubscriptionDocument
from rondine.core.settings import load
from rondine.server.connecting.models import Credential, Environment
from rondine.server.items.models import Item

EVENTS = (*FEED_EVENTS, CALL_ENDED, *FLOW_EVENTS)


class Event(models.Model):
    """Something that happened to a feed, a flow, or a call of an application, in the order in which it can be seen
    within its environment. data: message, hint, and what it is about."""

    environment = models.ForeignKey(Environment, on_delete=models.CASCADE, related_name="events")
    kind = models.CharField(max_length=20, choices=[(kind, kind) for kind in EVENTS])
    feed = models.CharField(max_length=63, blank=True)
    application = models.CharField(max_length=63, blank=True, default="")
    flow = models.CharField(max_length=63, blank=True, default="")
    run_id = models.BigIntegerField(null=True)
    data = models.JSONField()
    at = models.DateTimeField()

    class Meta:
        constraints = [models.CheckConstraint(condition=Q(kind__in=EVENTS), name="kind_of_event_is_known")]
        indexes = [
            models.Index(fields=["environment", "id"], name="events_in_order"),
            models.Index(fields=["at"], name="events_by_age"),
        ]


class Subscription(Item):
    """credential: has the key that webhooks are signed with.  mark: the last event, or change, that was told, or left
    out.  upto: the last one in what is being told, so that it is the same when it is tried again; null if nothing is.
    next_at: when to look again.  failures: in a row.  error: of the last one; null if it went well."""

    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="subscriptions")
    credential = models.ForeignKey(Credential, null=True, on_delete=models.PROTECT, related_name="subscriptions")
    mark = models.BigIntegerField(default=0)
    upto = models.BigIntegerField(null=True)
    next_at = models.DateTimeField(auto_now_add=True, db_index=True)
    failures = models.PositiveIntegerField(default=0)
    error = models.JSONField(null=True)
    told = models.BigIntegerField(default=0)
    told_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_subscription_a_name")]

    def loaded(self) -> SubscriptionDocument:
        return load(SubscriptionDocument, self.document)
