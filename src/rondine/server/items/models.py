"""Item: the base of everything configured in a project; Revision: every state an item ever had."""

import uuid
from typing import Any

from django.conf import settings
from django.db import models

from rondine.server.items.exact import ExactJSONField


class Item(models.Model):
    """name: unique in its project and kind.  version: counts the changes; the API's ETag.  problems: why it cannot run
    yet."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    project = models.ForeignKey("access.Project", on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=63)
    title = models.CharField(max_length=200, blank=True)
    version = models.PositiveIntegerField(default=1)
    document = ExactJSONField(default=dict)
    problems = models.JSONField(default=list)
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return self.name

    def loaded(self) -> Any:
        """The document as a value of its class in the core, which each kind names. Raises InputError."""
        raise NotImplementedError


class Revision(models.Model):
    """One state of one item, without secrets. kind: the item's kind, as in the API's paths."""

    project = models.ForeignKey("access.Project", on_delete=models.CASCADE, related_name="revisions")
    kind = models.CharField(max_length=40)
    item_id = models.UUIDField()
    name = models.CharField(max_length=63)
    version = models.PositiveIntegerField()
    content = ExactJSONField()
    what = models.CharField(max_length=20, choices=[("made", "made"), ("changed", "changed"), ("removed", "removed")])
    why = models.CharField(max_length=500, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "item_id", "version"], name="one_revision_a_version")]
        indexes = [models.Index(fields=["project", "-at"], name="revisions_by_time")]


class Reference(models.Model):
    """A name by which a document refers to another item, as its class declares it (`core/items/references.py`); written
    whenever the document is saved.

    user_kind, user_id: whose document it is.  kind, name: of what it refers to, whether that is there or not.  pointer:
    JSON Pointer to the name.
    """

    project = models.ForeignKey("access.Project", on_delete=models.CASCADE, related_name="+")
    user_kind = models.CharField(max_length=40)
    user_id = models.UUIDField()
    kind = models.CharField(max_length=40)
    name = models.TextField()
    pointer = models.TextField()

    class Meta:
        indexes = [
            models.Index(fields=["project", "kind", "name"], name="references_by_name"),
            models.Index(fields=["user_id"], name="references_of_a_user"),
        ]
