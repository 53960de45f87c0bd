"""Releases, what is in them, and which environment went by which."""

from django.db import models

from rondine.server.access.models import Person, Project
from rondine.server.connecting.models import Environment
from rondine.server.items.models import Revision


class Release(models.Model):
    """A state of a project's items; it never changes. waived: what was wrong with its items and was let pass, as
    [{kind, name, message, reason}].  withdrawn_at: since when no environment may go over to it."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="releases")
    number = models.PositiveIntegerField()
    notes = models.TextField(blank=True)
    waived = models.JSONField(default=list)
    by = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    withdrawn_at = models.DateTimeField(null=True)
    withdrawn_why = models.CharField(max_length=500, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "number"], name="one_release_a_number")]

    def __str__(self) -> str:
        return f"release {self.number}"


class ReleasedItem(models.Model):
    """A revision that a release consists of."""

    release = models.ForeignKey(Release, on_delete=models.CASCADE, related_name="items")
    revision = models.ForeignKey(Revision, on_delete=models.RESTRICT)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["release", "revision"], name="one_place_in_a_release")]


class Switch(models.Model):
    """An environment went over from one release to another; null stands for the draft."""

    environment = models.ForeignKey(Environment, on_delete=models.CASCADE, related_name="switches")
    before = models.ForeignKey(Release, null=True, on_delete=models.RESTRICT, related_name="+")
    after = models.ForeignKey(Release, null=True, on_delete=models.RESTRICT, related_name="+")
    is_back = models.BooleanField(default=False)
    why = models.CharField(max_length=500, blank=True)
    by = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["environment", "-id"], name="switches_newest_first")]
