"""The applications' door in the API's own OpenAPI document: no Django view stands behind it. What one token may call,
with its inputs and records, is in the document that the door itself gives."""

from collections.abc import Sequence
from typing import Any

from rondine.core.definitions.offering import PROBLEM_SCHEMA, RUN_SCHEMA, told_members

_TEXT = {"type": "string"}
_COUNT = {"type": "integer", "minimum": 1, "maximum": 500}
_MOMENT = {"type": "string", "format": "date-time"}
_NAMED = {
    "type": "object",
    "required": ["name", "title"],
    "properties": {"name": _TEXT, "title": _TEXT},
    "additionalProperties": {},
}
_ANY_OBJECT = {"type": "object", "additionalProperties": {}}

_SCHEMAS: dict[str, Any] = {
    "CallProblem": PROBLEM_SCHEMA,
    "CallRun": RUN_SCHEMA,
    "CallReply": {
        "type": "object",
        "required": ["run", "status", "outcome", "message", "is_all", "all_why", "next"],
        "properties": {
            **told_members(),
            "media_type": _TEXT,
            "body": {"description": "as the service sent it; XML and other texts as a text"},
            "content": {**_TEXT, "description": "base64 of a body that is no text"},
            "records": {
                "type": "object",
                "additionalProperties": {"type": "array", "items": _ANY_OBJECT},
                "description": "by record type, where a mapping was asked for",
            },
            "rejects": {"type": "array", "items": _ANY_OBJECT},
            "filtered": {"type": "integer"},
        },
    },
    "Offering": {
        "type": "object",
        "required": [
            "application", "title", "project", "environment", "release", "address", "calls_a_minute", "time_limit",
            "names_callers", "operations", "record_types",
        ],
        "properties": {
            **dict.fromkeys(("application", "title", "project", "environment", "address"), _TEXT),
            "release": {"type": ["integer", "null"]},
            "calls_a_minute": {"type": ["integer", "null"]},
            "time_limit": {"type": "number"},
            "names_callers": {"type": "boolean", "description": "each call has to name a user (Rondine-Caller)"},
            "operations": {"type": "array", "items": {"$ref": "#/components/schemas/UsableOperation"}},
            "record_types": {"type": "array", "items": {"$ref": "#/components/schemas/UsableType"}},
        },
    },
    "UsableOperation": {
        "type": "object",
        "required": ["name", "title", "description", "writes", "inputs", "mappings", "examples"],
        "properties": {
            **dict.fromkeys(("name", "title", "description"), _TEXT),
            "writes": {"type": "boolean", "description": "it changes something at the service"},
            "inputs": {"type": "array", "items": {"$ref": "#/components/schemas/Input"}},
            "mappings": {"type": "array", "items": _NAMED},
            "examples": {"$ref": "#/components/schemas/CallExamples"},
        },
    },
    "UsableType": {
        "type": "object",
        "required": ["name", "title", "key", "fields", "examples"],
        "properties": {
            **dict.fromkeys(("name", "title"), _TEXT),
            "key": {"type": "array", "items": _TEXT},
            "fields": {"type": "array", "items": {"$ref": "#/components/schemas/RecordField"}},
            "examples": {"$ref": "#/components/schemas/CallExamples"},
        },
    },
    "CallExamples": {
        "type": "object",
        "required": ["http", "python", "typescript"],
        "properties": dict.fromkeys(("http", "python", "typescript"), _TEXT),
    },
    "UsedRecord": {
        "type": "object",
        "required": ["key", "data", "made_at", "changed_at", "gone_at"],
        "properties": {
            "key": {"type": "array", "items": {}},
            "data": _ANY_OBJECT,
            "made_at": _MOMENT,
            "changed_at": _MOMENT,
            "gone_at": {"type": ["string", "null"], "format": "date-time"},
        },
    },
    "UsedRecordPage": {
        "type": "object",
        "required": ["items", "next", "count"],
        "properties": {
            "items": {"type": "array", "items": {"$ref": "#/components/schemas/UsedRecord"}},
            "next": {"type": ["string", "null"]},
            "count": {"type": "integer"},
        },
    },
    "UsedChanges": {
        "type": "object",
        "required": ["items", "next", "is_all", "history"],
        "properties": {
            "items": {"type": "array", "items": {"$ref": "#/components/schemas/RecordChangeItem"}},
            "next": {**_TEXT, "description": "the mark to read on from"},
            "is_all": {"type": "boolean"},
            "history": _TEXT,
        },
    },
    "CallQuestion": {
        "type": "object",
        "properties": {
            "inputs": _ANY_OBJECT,
            "mapping": {**_TEXT, "description": "makes records of the response"},
            "after": {**_TEXT, "description": "`next` of the page before"},
        },
    },
}  # fmt: skip


def add_use(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """drf-spectacular's hook."""
    result["components"]["schemas"].update(_SCHEMAS)
    result["components"]["securitySchemes"]["applicationToken"] = {
        "type": "http",
        "scheme": "bearer",
        "description": "of an application; it is for one environment",
    }
    at = "/api/v1/use/{project}/{environment}"
    for path, method, name, words, schema, parameters in (
        ("", "get", "getOffering", "What the application may use, with examples.", "Offering", ()),
        ("/openapi.json", "get", "getOfferingDocument", "The same as an OpenAPI 3.1 document.", None, ()),
        ("/operations/{operation}", "post", "callOperation", "Calls an operation.", "CallReply", ("operation",)),
        ("/operations/{operation}/content", "post", "callForContent", "Its body alone.", "", ("operation",)),
        ("/records/{record_type}", "get", "useRecords", "Kept records, by page.", "UsedRecordPage", ("record_type",)),
        ("/records/{record_type}/{key}", "get", "useRecord", "One of them.", "UsedRecord", ("record_type", "key")),
        ("/changes/{record_type}", "get", "useChanges", "What happened to them.", "UsedChanges", ("record_type",)),
        ("/runs/{number}", "get", "useRun", "A call, while it runs and after.", "CallRun", ("number",)),
        ("/runs/{number}/reply", "get", "useReply", "What a call was answered with.", "", ("number",)),
    ):
        result["paths"][at + path] = {method: _operation(name, words, schema, ("project", "environment", *parameters))}
    for path in ("", "/content"):
        called = result["paths"][f"{at}/operations/{{operation}}{path}"]["post"]
        called["requestBody"] = {"content": {"application/json": {"schema": _reference("CallQuestion")}}}
        called["responses"]["202"] = _content("application/json", _reference("CallRun"))
        called["parameters"] += [
            {"name": name, "in": "header", "schema": _TEXT, "description": words}
            for name, words in (
                ("Idempotency-Key", "the call is made once for each; one that writes must have it"),
                ("Prefer", "wait=SECONDS; respond-async: in the background (RFC 7240)"),
                ("Rondine-Caller", "the user whom the application calls for"),
            )
        ]
    for path, names in (
        (
            "/records/{record_type}",
            {"sort": _TEXT, "cursor": _TEXT, "limit": _COUNT, "gone": {"enum": ["no", "also", "only"]}},
        ),
        ("/changes/{record_type}", {"after": _TEXT, "limit": _COUNT}),
    ):
        result["paths"][at + path]["get"]["parameters"] += [
            {"name": name, "in": "query", "schema": schema} for name, schema in names.items()
        ]
    result["paths"][f"{at}/runs/{{number}}/events"] = {
        "get": {
            **_operation("useEvents", "", "text/event-stream", ("project", "environment", "number")),
            "description": 'Events named "run", each with the call as `useRun` shows it; the last one when it is over.',
        }
    }
    return result


def _operation(name: str, words: str, schema: str | None, parameters: Sequence[str]) -> dict[str, Any]:
    """schema: a component; None for any JSON, empty for any content, or the media type of a text."""
    match schema:
        case None:
            content = _content("application/json", {})
        case "":
            content = _content("*/*", {})
        case "text/event-stream":
            content = _content(schema, _TEXT)
        case _:
            content = _content("application/json", _reference(schema))
    return {
        "operationId": name,
        "description": words,
        "tags": ["use"],
        "security": [{"applicationToken": []}],
        "parameters": [
            {"name": one, "in": "path", "required": True, "schema": {"type": "string"}} for one in parameters
        ],
        "responses": {
            "200": content,
            "default": {
                "description": "What is wrong, as a problem document (RFC 9457).",
                "content": {"application/problem+json": {"schema": _reference("CallProblem")}},
            },
        },
    }


def _content(media_type: str, schema: Any) -> dict[str, Any]:
    return {"description": "", "content": {media_type: {"schema": schema}}}


def _reference(component: str) -> dict[str, str]:
    return {"$ref": f"#/components/schemas/{component}"}
