"""The applications' door in the API's own OpenAPI document: no Django view stands behind it. What one token may call,
with its inputs and records, is in the document that the door itself gives."""

from collections.abc import Sequence
from typing import Any

from rondine.core.definitions.offering import (
    ANSWER_SCHEMA,
    BEGIN_SCHEMA,
    PROBLEM_SCHEMA,
    RUN_SCHEMA,
    SESSION_SCHEMA,
    told_members,
)

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
_SIGN_IN = {
    "oneOf": [{"$ref": "#/components/schemas/UsableSignIn"}, {"type": "null"}],
    "description": "how its users sign in themselves, where they do",
}

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
            "names_callers", "operations", "flows", "record_types",
        ],
        "properties": {
            **dict.fromkeys(("application", "title", "project", "environment", "address"), _TEXT),
            "release": {"type": ["integer", "null"]},
            "calls_a_minute": {"type": ["integer", "null"]},
            "time_limit": {"type": "number"},
            "names_callers": {"type": "boolean", "description": "each call has to name a user (Rondine-Caller)"},
            "operations": {"type": "array", "items": {"$ref": "#/components/schemas/UsableOperation"}},
            "flows": {"type": "array", "items": {"$ref": "#/components/schemas/UsableFlow"}},
            "record_types": {"type": "array", "items": {"$ref": "#/components/schemas/UsableType"}},
        },
    },
    "UsableOperation": {
        "type": "object",
        "required": ["name", "title", "description", "writes", "sign_in", "inputs", "files", "mappings", "examples"],
        "properties": {
            **dict.fromkeys(("name", "title", "description"), _TEXT),
            "writes": {"type": "boolean", "description": "it changes something at the service"},
            "sign_in": _SIGN_IN,
            "inputs": {"type": "array", "items": {"$ref": "#/components/schemas/Input"}},
            "files": {"type": "array", "items": _TEXT, "description": "inputs that may be files, in a form"},
            "mappings": {"type": "array", "items": _NAMED},
            "examples": {"$ref": "#/components/schemas/CallExamples"},
        },
    },
    "UsableFlow": {
        "type": "object",
        "required": ["name", "title", "description", "writes", "may_take_long", "inputs", "reply", "examples"],
        "properties": {
            **dict.fromkeys(("name", "title", "description"), _TEXT),
            "writes": {"type": "boolean", "description": "it changes something"},
            "may_take_long": {"type": "boolean", "description": "it may wait, for a person, say"},
            "inputs": {"type": "array", "items": {"$ref": "#/components/schemas/Input"}},
            "reply": {"type": "array", "items": {"$ref": "#/components/schemas/ReplyMember"}},
            "examples": {"$ref": "#/components/schemas/CallExamples"},
        },
    },
    "FlowReply": {
        "type": "object",
        "required": ["run", "flow", "reply"],
        "properties": {"run": {**_TEXT, "description": "the address of the run"}, "flow": _TEXT, "reply": _ANY_OBJECT},
    },
    "FlowQuestion": {"type": "object", "properties": {"inputs": _ANY_OBJECT}},
    "UsableType": {
        "type": "object",
        "required": ["name", "title", "kind", "roles", "sign_in", "key", "fields", "examples"],
        "properties": {
            **dict.fromkeys(("name", "title"), _TEXT),
            "kind": {"enum": ["kept", "live"]},
            "roles": {"type": "array", "items": _TEXT, "description": "create, change, replace, remove"},
            "sign_in": _SIGN_IN,
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
        "required": ["key", "data"],
        "description": "of a kept record made_at, changed_at and gone_at, of a live one its version",
        "properties": {
            "key": {"type": "array", "items": {}},
            "data": _ANY_OBJECT,
            "id": _TEXT,
            "version": {"type": ["string", "null"], "description": "for If-Match"},
            "live": {"$ref": "#/components/schemas/LiveShown"},
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
            "count": {"type": ["integer", "null"], "description": "of kept records"},
            "is_all": {"type": ["boolean", "null"], "description": "of live records: these are proven to be all"},
            "all_why": _TEXT,
            "rejects": {"type": "array", "items": {"$ref": "#/components/schemas/LiveReject"}},
            "live": {"$ref": "#/components/schemas/LiveShown"},
        },
    },
    "UsedWritten": {
        "type": "object",
        "required": ["key", "data", "version", "confirmed", "differences", "calls", "run"],
        "properties": {
            "key": {"type": ["array", "null"], "items": {}},
            "data": {"type": ["object", "null"], "additionalProperties": {}},
            "version": {"type": ["string", "null"]},
            "confirmed": {"enum": ["read back", "answered", "accepted"]},
            "differences": {"type": "array", "items": {"$ref": "#/components/schemas/ProblemItem"}},
            "calls": {"type": "integer"},
            "run": {**_TEXT, "description": "the address of the run"},
        },
    },
    "UsedValues": {"type": "object", "required": ["data"], "properties": {"data": _ANY_OBJECT}},
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
    "UsableSignIn": {
        "type": "object",
        "required": ["service", "asks"],
        "properties": {
            "service": _TEXT,
            "asks": {
                "type": "array",
                "items": _TEXT,
                "description": "what the user gives; nothing where the user consents at the service",
            },
        },
    },
    "UserSession": SESSION_SCHEMA,
    "NewUserSession": BEGIN_SCHEMA,
    "UserAnswer": ANSWER_SCHEMA,
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
        ("/flows/{flow}", "post", "callFlow", "Runs a flow.", "FlowReply", ("flow",)),
        ("/records/{record_type}", "get", "useRecords", "Records, by page.", "UsedRecordPage", ("record_type",)),
        ("/records/{record_type}/{key}", "get", "useRecord", "One of them.", "UsedRecord", ("record_type", "key")),
        ("/changes/{record_type}", "get", "useChanges", "What happened to them.", "UsedChanges", ("record_type",)),
        ("/runs/{number}", "get", "useRun", "A call, while it runs and after.", "CallRun", ("number",)),
        ("/runs/{number}/reply", "get", "useReply", "What a call was answered with.", "", ("number",)),
    ):
        result["paths"][at + path] = {method: _operation(name, words, schema, ("project", "environment", *parameters))}
    for path in ("", "/content"):
        called = result["paths"][f"{at}/operations/{{operation}}{path}"]["post"]
        called["requestBody"] = {
            "content": {
                "application/json": {"schema": _reference("CallQuestion")},
                "multipart/form-data": {"schema": {**_ANY_OBJECT, "description": "inputs by name, some of them files"}},
            }
        }
        if not path:
            words = "as of a question, where the inputs come in a form"
            called["parameters"] += [
                {"name": name, "in": "query", "schema": _TEXT, "description": words} for name in ("mapping", "after")
            ]
        _add_calling(called)
    called = result["paths"][f"{at}/flows/{{flow}}"]["post"]
    called["requestBody"] = {"content": {"application/json": {"schema": _reference("FlowQuestion")}}}
    _add_calling(called)
    result["paths"][f"{at}/operations/{{operation}}/content"]["get"] = _content_of_query()
    result["paths"] |= _session_paths(at)
    _add_writing(result["paths"], f"{at}/records/{{record_type}}")
    for path, names in (
        (
            "/records/{record_type}",
            {
                "sort": _TEXT,
                "cursor": _TEXT,
                "limit": _COUNT,
                "gone": {"enum": ["no", "also", "only"]},
                "local": {"type": "boolean"},
            },
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


def _add_calling(called: dict[str, Any]) -> None:
    """What goes for calls of operations and of flows."""
    called["responses"]["202"] = _content("application/json", _reference("CallRun"))
    called["parameters"] += [
        {"name": name, "in": "header", "schema": _TEXT, "description": words}
        for name, words in (
            ("Idempotency-Key", "the call is made once for each; one that writes must have it"),
            ("Prefer", "wait=SECONDS; respond-async: in the background (RFC 7240)"),
            ("Rondine-Caller", "the user whom the application calls for"),
            ("Rondine-Session", "in which the user has signed in at the service"),
        )
    ]


def _content_of_query() -> dict[str, Any]:
    words = "The body alone of what only reads, or a range of its bytes; the inputs are the query."
    made = _operation("readContent", words, "", ("project", "environment", "operation"))
    made["parameters"] += [
        {"name": name, "in": "header", "schema": _TEXT, "description": said}
        for name, said in (
            ("Range", "one range of bytes (RFC 9110, section 14)"),
            ("If-Range", "the ETag or Last-Modified of what is known"),
            ("Rondine-Caller", "the user whom the application calls for"),
            ("Rondine-Session", "in which the user has signed in at the service"),
        )
    ]
    inputs = {"name": "inputs", "in": "query", "style": "form", "explode": True, "schema": _ANY_OBJECT}
    made["parameters"].append({**inputs, "description": "each by its name"})
    made["responses"]["206"] = _content("*/*", {})
    return made


def _session_paths(at: str) -> dict[str, Any]:
    """Where users sign in at services themselves."""
    paths: dict[str, Any] = {}
    for path, method, name, words, schema, asked, status in (
        ("", "post", "beginSession", "A user signs in at a service.", "UserSession", "NewUserSession", "201"),
        ("/current", "get", "checkSession", "Whether a session is good.", "UserSession", "", "200"),
        ("/current", "delete", "endSession", "The user signs out.", "", "", "204"),
        ("/current/answer", "post", "answerSession", "Back from the consent page.", "UserSession", "UserAnswer", "200"),
    ):
        made = _operation(name, words, schema, ("project", "environment"))
        made["responses"] = {status: made["responses"].pop("200"), **made["responses"]}
        if status == "204":
            made["responses"][status] = {"description": ""}
        if asked:
            made["requestBody"] = {
                "required": True,
                "content": {"application/json": {"schema": _reference(asked)}},
            }
        if path:
            header = {"name": "Rondine-Session", "in": "header", "required": True, "schema": _TEXT}
            made["parameters"].append({**header, "description": "the session's token"})
        paths.setdefault(f"{at}/sessions{path}", {})[method] = made
    return paths


def _add_writing(paths: dict[str, Any], at: str) -> None:
    """The changes of live records."""
    for path, method, name, words, status in (
        ("", "post", "useCreateRecord", "Makes a live record.", "201"),
        ("/{key}", "patch", "useChangeRecord", "Changes some fields of a live record.", "200"),
        ("/{key}", "put", "useReplaceRecord", "Writes a live record whole.", "200"),
        ("/{key}", "delete", "useRemoveRecord", "Removes a live record.", "200"),
    ):
        parameters = ("project", "environment", "record_type", *(("key",) if path else ()))
        made = _operation(name, words, "UsedWritten", parameters)
        made["responses"] = {status: made["responses"].pop("200"), **made["responses"]}
        headers = [("Idempotency-Key", "the change is made once for each")]
        headers += [("If-Match", "the version that was read, or * for whatever it is now")] if path else []
        made["parameters"] += [
            {"name": header, "in": "header", "schema": _TEXT, "description": said} for header, said in headers
        ]
        if method != "delete":
            made["requestBody"] = {"content": {"application/json": {"schema": _reference("UsedValues")}}}
        paths.setdefault(at + path, {})[method] = made


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
