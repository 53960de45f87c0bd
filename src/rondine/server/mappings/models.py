"""Mappings."""

from django.db import models

from rondine.core.mapping.document import MappingDocument
from rondine.core.settings import load
from rondine.server.connecting.models import Service
from rondine.server.items.models import Item


class Mapping(Item):
    service = models.ForeignKey(Service, on_delete=models.CASCADE, related_name="mappings")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_mapping_a_name")]

    def loaded(self) -> MappingDocument:
        return load(MappingDocument, self.document)
