"""Samples to JSON Schema 2020-12, with what was seen of each part."""

from rondine.core.schema.infer import infer, to_json_schema
from rondine.core.schema.outline import Correction, OutlineRow, decided_keys, document_outline, outline
from rondine.core.schema.shape import Shape

__all__ = [
    "Correction",
    "OutlineRow",
    "Shape",
    "decided_keys",
    "document_outline",
    "infer",
    "outline",
    "to_json_schema",
]
