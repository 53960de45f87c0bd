"""Test cases."""

from django.db import models

from rondine.core.items.case import CaseDocument
from rondine.core.settings import load
from rondine.server.items.models import Item


class Case(Item):
    """A test case of an operation, and of a mapping."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_case_a_name")]

    def loaded(self) -> CaseDocument:
        return load(CaseDocument, self.document)
