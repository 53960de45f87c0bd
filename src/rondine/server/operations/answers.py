"""What an operation answers, as JSON Schema: as a definition describes it, or as its samples have it."""

from typing import Any

from rondine.core.documents import ReadDocument
from rondine.core.errors import DocumentError
from rondine.core.schema import infer, to_json_schema
from rondine.core.schema.json_schema import Schema
from rondine.server.operations.models import Operation, Sample
from rondine.server.operations.trials import described_schemas
from rondine.server.runs.bodies import document_of

#: Samples of one operation that its schema is inferred from.
MOST_SAMPLES = 20


def sampled_schema(operation: Operation) -> dict[str, Any] | None:
    """The schema of what was sampled; None if nothing was that can be read."""
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


def answer_schema(operation: Operation) -> tuple[Schema, dict[str, Schema]]:
    """Of a good response, with the schemas that it refers to; true if nothing is known of it."""
    described = [one for one in operation.loaded().responses if one.status.startswith("2") and one.schema is not None]
    if described and described[0].schema is not None:
        return described[0].schema, described_schemas(operation.project_id, operation, described[0])
    sampled = sampled_schema(operation)
    return (True if sampled is None else sampled), {}
