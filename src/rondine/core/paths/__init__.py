"""Compiled selectors: JSON Pointer (RFC 6901) and the common part of JSONPath (RFC 9535)."""

from rondine.core.paths.jsonpath import JsonPath, parse_jsonpath
from rondine.core.paths.place import (
    Location,
    Node,
    normalized_path,
    parse_normalized,
    parse_pointer,
    pointer_text,
    resolve,
)
from rondine.core.paths.short import parse_short, short_form

__all__ = [
    "JsonPath",
    "Location",
    "Node",
    "normalized_path",
    "parse_jsonpath",
    "parse_normalized",
    "parse_pointer",
    "parse_short",
    "pointer_text",
    "resolve",
    "short_form",
]
