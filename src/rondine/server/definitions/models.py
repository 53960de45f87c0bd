"""Definitions that somebody looks at."""

import uuid

from django.db import models

from rondine.server.access.models import Project


class Look(models.Model):
    """The files of a definition that somebody looks at, kept for a day so that they need not be sent or fetched again
    to choose from them.

    stored: the contents by name (MessagePack, zlib); address: where they came from, empty if they were uploaded.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="+")
    main = models.TextField()
    address = models.TextField(blank=True)
    stored = models.BinaryField()
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["project", "made_at"], name="looks_by_time")]
