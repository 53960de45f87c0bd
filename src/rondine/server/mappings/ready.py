"""A mapping made ready to be run on responses, whose records are not kept."""

from rondine.core.mapping.compile import compile_mapping
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.settings import load
from rondine.server.mappings.kinds import resolved_mapping
from rondine.server.mappings.models import Mapping
from rondine.server.operations.answering import ReadyMapping
from rondine.server.records.kinds import record_types_in
from rondine.server.releases.configuration import Configuration


def ready_mapping(configuration: Configuration, held: Mapping) -> ReadyMapping:
    """held: as the environment has it. Raises DraftError and InputError."""
    document = resolved_mapping(held.project_id, held.loaded(), held.name, configuration)
    stored = record_types_in(configuration, {output.record_type for output in document.outputs})
    types = {name: load(RecordTypeDocument, one) for name, one in stored["record_types"].items()}
    return ReadyMapping(held.name, document, compile_mapping(document, types, is_kept=False), types)
