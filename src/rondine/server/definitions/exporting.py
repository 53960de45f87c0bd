"""A service of the project as an OpenAPI document."""

from collections.abc import Collection

from rondine.core.definitions.export import Exported, ExportedOperation, to_openapi
from rondine.core.items.connection import ConnectionDocument
from rondine.server.access.models import Project
from rondine.server.connecting.kinds import SERVICES
from rondine.server.connecting.models import Connection, Service
from rondine.server.connecting.opening import environment_of
from rondine.server.items.actions import find_item
from rondine.server.operations.answers import sampled_schema
from rondine.server.operations.models import Definition, Operation


def export_service(
    project: Project, name: str, environment: str = "test", only: Collection[str] | None = None
) -> Exported:
    """OpenAPI 3.1 of its operations; where they are reached and how to sign in, without secrets, is that of the
    environment. only: the names of those that are wanted; by default all."""
    service: Service = find_item(SERVICES, project, name)
    held = service.loaded()
    connection = Connection.objects.filter(service=service, environment=environment_of(project, environment)).first()
    reached = connection.loaded() if connection else ConnectionDocument()
    schemas = {}
    definitions = list(Definition.objects.filter(service=service).order_by("name"))
    for definition in definitions:
        schemas.update(definition.schemas)
    held_operations = Operation.objects.filter(service=service).order_by("name")
    if only is not None:
        held_operations = held_operations.filter(name__in=only)
    operations = [
        ExportedOperation(operation.name, operation.title, operation.loaded(), _sampled(operation))
        for operation in held_operations
    ]
    return to_openapi(
        title=service.title or service.name,
        version=definitions[0].document.get("version", "1") if definitions else str(service.version),
        documentation=held.documentation,
        operations=operations,
        schemas=schemas,
        address=reached.base_address,
        blanks=reached.blanks,
        sign_in=reached.sign_in,
    )


def _sampled(operation: Operation) -> dict[str, object] | None:
    """The schema of what was sampled, unless a definition describes the responses."""
    return None if operation.document.get("responses") else sampled_schema(operation)
