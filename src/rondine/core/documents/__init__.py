"""Bytes to values: exact JSON within limits, and its parts for looking at."""

from rondine.core.documents.json import Limits, MemberNode, json_text, node_at, nodes_below, read_json

__all__ = ["Limits", "MemberNode", "json_text", "node_at", "nodes_below", "read_json"]
