"""Samples to JSON Schema 2020-12, with what was seen of each part."""

from rondine.core.schema.infer import Shape, infer, to_json_schema
from rondine.core.schema.outline import Correction, OutlineRow, document_outline, outline

__all__ = ["Correction", "OutlineRow", "Shape", "document_outline", "infer", "outline", "to_json_schema"]
