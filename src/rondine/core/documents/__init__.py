"""Bytes to values: JSON, NDJSON and XML within limits, exact; and their parts for looking at."""

from rondine.core.documents.json import (
    Limits,
    MemberNode,
    json_text,
    node_at,
    nodes_below,
    places_of,
    positions_of,
    read_json,
)
from rondine.core.documents.reading import (
    DocumentFormat,
    ReadDocument,
    format_of,
    likely_media_type,
    read_document,
    text_of_body,
)

__all__ = [
    "DocumentFormat",
    "Limits",
    "MemberNode",
    "ReadDocument",
    "format_of",
    "json_text",
    "likely_media_type",
    "node_at",
    "nodes_below",
    "places_of",
    "positions_of",
    "read_document",
    "read_json",
    "text_of_body",
]
