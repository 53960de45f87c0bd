"""Services as described, and how they are reached in each environment."""

import uuid
import zlib

from django.db import models

from rondine.server.access.models import Project
from rondine.server.items.models import Item


class Environment(models.Model):
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="environments")
    name = models.CharField(max_length=63)
    title = models.CharField(max_length=200, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_environment_a_name")]

    def __str__(self) -> str:
        return self.name


class Service(Item):
    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_service_a_name")]


class Credential(Item):
    """The secrets of one sign-in scheme. sealed: encrypted JSON of name to secret, empty before any were given."""

    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="credentials")
    key_version = models.PositiveIntegerField(default=0)
    sealed = models.BinaryField(default=b"")
    names = models.JSONField(default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_credential_a_name")]


class Connection(Item):
    service = models.ForeignKey(Service, on_delete=models.CASCADE, related_name="connections")
    environment = models.ForeignKey(Environment, on_delete=models.PROTECT, related_name="connections")
    credential = models.ForeignKey(Credential, null=True, on_delete=models.PROTECT, related_name="connections")
    check_result = models.JSONField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["project", "name"], name="one_connection_a_name"),
            models.UniqueConstraint(fields=["service", "environment"], name="one_connection_a_service_and_environment"),
        ]


class Operation(Item):
    service = models.ForeignKey(Service, on_delete=models.CASCADE, related_name="operations")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_operation_a_name")]


class Body(models.Model):
    """A body as it came, byte for byte. stored: compressed (zlib)."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="+")
    media_type = models.CharField(max_length=200, blank=True)
    charset = models.CharField(max_length=60, default="utf-8")
    size = models.BigIntegerField()
    stored = models.BinaryField()
    made_at = models.DateTimeField(auto_now_add=True)

    @classmethod
    def of(cls, project_id: int, body: bytes, media_type: str, charset: str) -> "Body":
        return cls(
            project_id=project_id,
            media_type=media_type[:200],
            charset=charset[:60],
            size=len(body),
            stored=zlib.compress(body, 3),
        )

    def content(self) -> bytes:
        return zlib.decompress(bytes(self.stored))


class Sample(Item):
    """A stored response of an operation, cleaned of secrets. document: the request as text, status, headers."""

    operation = models.ForeignKey(Operation, null=True, on_delete=models.CASCADE, related_name="samples")
    body = models.ForeignKey(Body, on_delete=models.PROTECT, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_sample_a_name")]
