"""A service of the project as an OpenAPI document."""

from rondine.core.definitions.export import Exported, ExportedOperation, to_openapi
from rondine.core.documents import ReadDocument
from rondine.core.errors import DocumentError
from rondine.core.items.connection import ConnectionDocument
from rondine.core.schema import infer, to_json_schema
from rondine.server.access.models import Project
from rondine.server.connecting.kinds import SERVICES
from rondine.server.connecting.models import Connection, Service
from rondine.server.connecting.opening import environment_of
from rondine.server.items.actions import find_item
from rondine.server.operations.models import Definition, Operation, Sample
from rondine.server.runs.bodies import document_of

#: Samples of one operation that its schema is inferred from.
MOST_SAMPLES = 20


def export_service(project: Project, name: str, environment: str = "test") -> Exported:
    """OpenAPI 3.1 of its operations; where they are reached and how to sign in, without secrets, is that of the
    environment."""
    service: Service = find_item(SERVICES, project, name)
    held = service.loaded()
    connection = Connection.objects.filter(service=service, environment=environment_of(project, environment)).first()
    reached = connection.loaded() if connection else ConnectionDocument()
    schemas = {}
    definitions = list(Definition.objects.filter(service=service).order_by("name"))
    for definition in definitions:
        schemas.update(definition.schemas)
    operations = [
        ExportedOperation(operation.name, operation.title, operation.loaded(), _sampled(operation))
        for operation in Operation.objects.filter(service=service).order_by("name")
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
    if operation.document.get("responses"):
        return None
    documents: list[ReadDocument] = []
    for sample in Sample.objects.filter(operation=operation).select_related("body").order_by("name")[:MOST_SAMPLES]:
        try:
            documents.append(document_of(sample.body))
        except DocumentError:
            continue
    if not documents:
        return None
    first = documents[0]
    values = [document.value for document in documents if document.is_xml == first.is_xml]
    return to_json_schema(infer(values, is_xml=first.is_xml), is_xml=first.is_xml, namespaces=first.namespaces)
