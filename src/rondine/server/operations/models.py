"""Operations, the definitions and queries that they refer to, and samples of their responses."""

import zlib

from django.db import models

from rondine.core.definitions.model import DefinitionDocument
from rondine.core.items.sample import SampleDocument
from rondine.core.operations.document import OperationDocument
from rondine.core.protocols.prepared import PreparedQueryDocument
from rondine.core.settings import load
from rondine.server.connecting.models import Service
from rondine.server.items.exact import ExactJSONField
from rondine.server.items.models import Item
from rondine.server.runs.models import Body


class Operation(Item):
    service = models.ForeignKey(Service, on_delete=models.CASCADE, related_name="operations")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_operation_a_name")]

    def loaded(self) -> OperationDocument:
        return load(OperationDocument, self.document)


class Query(Item):
    """A prepared query: its text and variables, for all operations that refer to it."""

    class Meta:
        verbose_name = "prepared query"
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_query_a_name")]

    def loaded(self) -> PreparedQueryDocument:
        return load(PreparedQueryDocument, self.document)


class Definition(Item):
    """A document that describes a service, as it was imported. schemas: those that imported operations need, by name.
    offered: the operations as the document described them when they were last accepted, by key.  record_types: those
    that were made of it, by where they stand in it.
    """

    service = models.ForeignKey(Service, on_delete=models.CASCADE, related_name="definitions")
    schemas = ExactJSONField(default=dict)
    offered = ExactJSONField(default=dict)
    record_types = models.JSONField(default=dict)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_definition_a_name")]

    def loaded(self) -> DefinitionDocument:
        return load(DefinitionDocument, self.document)


class DefinitionFile(models.Model):
    """One file of a definition, byte for byte. name: its path in the upload, or its address."""

    definition = models.ForeignKey(Definition, on_delete=models.CASCADE, related_name="files")
    name = models.TextField()
    stored = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["definition", "name"], name="one_definition_file_a_name")]

    def content(self) -> bytes:
        return zlib.decompress(bytes(self.stored))


class Sample(Item):
    """A stored response of an operation, cleaned of secrets. document: the request as text, status, headers."""

    operation = models.ForeignKey(Operation, null=True, on_delete=models.CASCADE, related_name="samples")
    body = models.ForeignKey(Body, on_delete=models.PROTECT, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_sample_a_name")]

    def loaded(self) -> SampleDocument:
        return load(SampleDocument, self.document)
