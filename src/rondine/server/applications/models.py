"""Applications, their tokens, the calls that must not be made twice, and how much they use."""

from django.conf import settings
from django.db import models
from django.db.models import Q

from rondine.core.items.application import ApplicationDocument
from rondine.core.settings import load
from rondine.server.connecting.models import Environment
from rondine.server.items.exact import ExactJSONField
from rondine.server.items.models import Item
from rondine.server.runs.models import Run


class Application(Item):
    """A program that uses what one environment has. window_at, window_calls: of the minute that is counted now, where
    its calls are limited."""

    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="applications")
    window_at = models.DateTimeField(null=True)
    window_calls = models.PositiveIntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_application_a_name")]

    def loaded(self) -> ApplicationDocument:
        return load(ApplicationDocument, self.document)


class ApplicationToken(models.Model):
    """digest: SHA-256 of the token, which is shown once and never stored. expires_at: null for never."""

    application = models.ForeignKey(Application, on_delete=models.CASCADE, related_name="tokens")
    title = models.CharField(max_length=200)
    digest = models.BinaryField(max_length=32, unique=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    used_at = models.DateTimeField(null=True)
    expires_at = models.DateTimeField(null=True)


class Invocation(models.Model):
    """A call of an application that is written down before it is made: one that writes, that has an Idempotency-Key, or
    that a worker makes.

    asked: SHA-256 of what was asked for.  process: number of the process that makes the call, while it does; null
    before and after.  reply: zlib of the JSON that was answered, with its `reply_status`; null while it is under way,
    and until a worker has taken it.  is_background: a worker makes it.
    """

    run = models.OneToOneField(Run, on_delete=models.CASCADE, primary_key=True, related_name="invocation")
    application = models.ForeignKey(Application, on_delete=models.CASCADE, related_name="+")
    key = models.CharField(max_length=100, null=True)
    asked = models.BinaryField(max_length=32)
    question = ExactJSONField()
    process = models.IntegerField(null=True)
    reply_status = models.PositiveSmallIntegerField(null=True)
    reply = models.BinaryField(null=True)
    at = models.DateTimeField(auto_now_add=True)
    is_background = models.BooleanField(default=False)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["application", "key"], condition=Q(key__isnull=False), name="one_invocation_a_key"
            ),
            models.CheckConstraint(
                condition=Q(reply__isnull=True, reply_status__isnull=True)
                | Q(reply__isnull=False, reply_status__isnull=False),
                name="reply_has_its_status",
            ),
        ]
        indexes = [
            models.Index(fields=["at"], condition=Q(key__isnull=False), name="invocations_with_keys_by_age"),
            models.Index(fields=["process"], condition=Q(process__isnull=False), name="invocations_under_way"),
        ]


class UsageHour(models.Model):
    """How often an application used one thing within an hour. what: the operation's name, or `records` and that of the
    record type.  busy_ms: that its calls took in all, of which the services took `service_ms`."""

    application = models.ForeignKey(Application, on_delete=models.CASCADE, related_name="usage")
    hour = models.DateTimeField()
    what = models.CharField(max_length=140)
    calls = models.PositiveBigIntegerField(default=0)
    failed = models.PositiveBigIntegerField(default=0)
    busy_ms = models.FloatField(default=0)
    service_ms = models.FloatField(default=0)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["application", "hour", "what"], name="one_count_an_hour_and_thing")
        ]
