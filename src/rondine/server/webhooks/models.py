"""Webhooks, and what came in by them."""

from django.db import models
from django.db.models import Q

from rondine.core.items.webhook import WebhookDocument
from rondine.core.settings import load
from rondine.server.connecting.models import Credential, Environment
from rondine.server.items.models import Item
from rondine.server.runs.models import Body, Run

STATES = ("waiting", "done", "failed")


class Webhook(Item):
    """credential: has the signing_key that deliveries are verified with."""

    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="webhooks")
    credential = models.ForeignKey(Credential, null=True, on_delete=models.PROTECT, related_name="webhooks")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_webhook_a_name")]

    def loaded(self) -> WebhookDocument:
        return load(WebhookDocument, self.document)


class Delivery(models.Model):
    """One verified request of a service. mark: what tells it from others (the id it has, or a digest of its body).
    run: in which it was acted on.  call: its number there."""

    webhook = models.ForeignKey(Webhook, on_delete=models.CASCADE, related_name="deliveries")
    mark = models.CharField(max_length=200)
    body = models.ForeignKey(Body, on_delete=models.PROTECT, related_name="+")
    headers = models.JSONField(default=list)
    state = models.CharField(max_length=10, choices=[(state, state) for state in STATES], default="waiting")
    error = models.JSONField(null=True)
    run = models.ForeignKey(Run, null=True, on_delete=models.SET_NULL, related_name="deliveries")
    call = models.PositiveIntegerField(null=True)
    repeated = models.PositiveIntegerField(default=0)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["webhook", "mark"], name="one_delivery_a_mark"),
            models.CheckConstraint(condition=Q(state__in=STATES), name="delivery_state_is_known"),
        ]
        indexes = [
            models.Index(fields=["webhook", "id"], condition=Q(state="waiting"), name="deliveries_waiting"),
            models.Index(fields=["webhook", "-id"], name="deliveries_newest_first"),
        ]
