"""Bindings."""

from django.db import models

from rondine.core.live.document import BindingDocument
from rondine.core.settings import load
from rondine.server.items.models import Item


class Binding(Item):
    """Which operations find and change the records of a type; one a type."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_binding_a_name")]

    def loaded(self) -> BindingDocument:
        return load(BindingDocument, self.document)
