"""What applications are offered, described for their developers: an OpenAPI 3.1 document of exactly that, and a call
ready to copy for each thing."""

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from msgspec import UNSET

from rondine.core.conversions.types import FieldType
from rondine.core.definitions.export import described_input
from rondine.core.mapping.document import RecordField, RecordTypeDocument
from rondine.core.operations.inputs import Input

#: How the values of a record's fields stand in JSON: decimals keep every digit as texts, and so do integers that a
#: double does not hold.
_FIELDS: Mapping[str, dict[str, Any]] = {
    "text": {"type": "string"},
    "integer": {"type": ["integer", "string"], "pattern": r"^-?\d+$", "description": "a text beyond 2^53"},
    "decimal": {"type": "string", "format": "decimal", "pattern": r"^-?\d+(\.\d+)?$"},
    "boolean": {"type": "boolean"},
    "date": {"type": "string", "format": "date"},
    "datetime": {"type": "string", "format": "date-time"},
    "json": {},
}
#: A value for an input that names none itself.
_SAMPLES: Mapping[str, Any] = {
    "text": "…",
    "integer": 1,
    "decimal": "1.5",
    "boolean": True,
    "date": "2026-03-01",
    "datetime": "2026-03-01T08:00:00Z",
    "json": {},
}
_PROBLEM = {
    "description": "a problem document (RFC 9457)",
    "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
}
PROBLEM_SCHEMA: dict[str, Any] = {
    "type": "object",
    "required": ["type", "title", "status", "detail", "code", "where", "hint", "problems", "may_pass"],
    "properties": {
        "type": {"type": "string"},
        "title": {"type": "string"},
        "status": {"type": "integer"},
        "detail": {"type": "string", "description": "what happened"},
        "code": {"type": "string", "description": "the kind, for programs"},
        "where": {"type": "string"},
        "hint": {"type": "string", "description": "what to do"},
        "problems": {"type": "array", "items": {"type": "object"}},
        "may_pass": {"type": "boolean", "description": "the same request may succeed a while later"},
        "outside": {
            "type": "object",
            "description": "what the service answered, if it did",
            "properties": {"status": {"type": "integer"}, "message": {"type": "string"}},
        },
        "run": {"type": "string", "description": "where the call is told, if one was made"},
        "failure": {"type": "object", "description": "of a flow, as its steps see one: kind, message, step, ..."},
        "undone": {"type": "array", "items": {"type": "string"}, "description": "of a flow, what was taken back"},
        "not_undone": {"type": "object", "description": "of a flow, what could not be taken back, and why"},
    },
}
RUN_SCHEMA: dict[str, Any] = {
    "type": "object",
    "required": [
        "run",
        "number",
        "operation",
        "flow",
        "state",
        "message",
        "waits_for",
        "queued_at",
        "started_at",
        "ended_at",
        "reply",
    ],
    "properties": {
        "run": {"type": "string", "description": "its address"},
        "number": {"type": "integer"},
        "operation": {"type": "string", "description": "empty for a flow"},
        "flow": {"type": "string", "description": "empty for an operation"},
        "state": {"enum": ["queued", "running", "waiting", "done", "failed", "cancelled"]},
        "message": {"type": "string", "description": "how it ended"},
        "waits_for": {
            "type": "array",
            "description": "of a flow, what has to come from outside before it goes on",
            "items": {
                "type": "object",
                "required": ["kind", "question", "until"],
                "properties": {
                    "kind": {"enum": ["time", "callback", "person", "doubt"]},
                    "question": {"type": "string", "description": "that a person is asked"},
                    "until": {"type": ["string", "null"], "format": "date-time"},
                },
            },
        },
        "queued_at": {"type": "string", "format": "date-time"},
        "started_at": {"type": ["string", "null"], "format": "date-time"},
        "ended_at": {"type": ["string", "null"], "format": "date-time"},
        "reply": {
            "type": ["object", "null"],
            "description": "what the call was answered with, once it is over and where that is kept",
            "properties": {"status": {"type": "integer"}, "address": {"type": "string"}, "body": {}},
        },
    },
}


@dataclass(frozen=True, slots=True)
class OfferedMapping:
    """What makes records of an operation's response. record_types: those that it fills."""

    name: str
    title: str
    record_types: Mapping[str, RecordTypeDocument]


@dataclass(frozen=True, slots=True)
class OfferedSignIn:
    """How a user signs in at the service of an operation. asks: what the user gives, by name; nothing where the user
    consents at the service's own page."""

    service: str
    asks: Sequence[str]


@dataclass(frozen=True, slots=True)
class OfferedOperation:
    """sign_in: of its users, where they have their own.  files: inputs that may be files."""

    name: str
    title: str
    description: str
    inputs: Sequence[Input]
    is_reading: bool
    mappings: Sequence[OfferedMapping]
    sign_in: OfferedSignIn | None = None
    files: Collection[str] = ()


@dataclass(frozen=True, slots=True)
class OfferedMember:
    """Of a flow's reply. records: a list of records of this type, in place of a value."""

    name: str
    title: str
    type: FieldType
    records: str
    required: bool


@dataclass(frozen=True, slots=True)
class OfferedFlow:
    """record_types: of which its reply has lists.  is_short: it waits for nobody."""

    name: str
    title: str
    description: str
    inputs: Sequence[Input]
    reply: Sequence[OfferedMember]
    record_types: Mapping[str, RecordTypeDocument]
    is_reading: bool
    is_short: bool


@dataclass(frozen=True, slots=True)
class OfferedType:
    """compare, sorts: of live ones, by field, the ways in which their service filters, and the fields by which it puts
    them in order; of kept ones None: as far as fields are searchable.  roles: what can be done besides reading: create,
    change, replace, remove.  sign_in: of users, where they have their own."""

    name: str
    title: str
    document: RecordTypeDocument
    compare: Mapping[str, Sequence[str]] | None = None
    sorts: Sequence[str] = ()
    roles: Sequence[str] = ()
    sign_in: OfferedSignIn | None = None

    @property
    def is_live(self) -> bool:
        return self.document.kind == "live"


@dataclass(frozen=True, slots=True)
class Offering:
    """address: of the environment's door, absolute.  version: what it goes by."""

    title: str
    address: str
    version: str
    operations: Sequence[OfferedOperation]
    flows: Sequence[OfferedFlow]
    record_types: Sequence[OfferedType]


def offering_openapi(offering: Offering) -> dict[str, Any]:
    """The OpenAPI 3.1 document of an offering."""
    schemas: dict[str, Any] = {"Problem": PROBLEM_SCHEMA, "Run": RUN_SCHEMA}
    paths: dict[str, Any] = {}
    for operation in offering.operations:
        called = _operation(operation, schemas)
        paths[f"/operations/{operation.name}"] = {"post": called}
        paths[f"/operations/{operation.name}/content"] = _content(operation, called)
    for flow in offering.flows:
        for name, document in flow.record_types.items():
            schemas.setdefault(_record_name(name), record_schema(document))
        paths[f"/flows/{flow.name}"] = {"post": _flow(flow)}
    for offered in offering.record_types:
        schemas[_record_name(offered.name)] = record_schema(offered.document)
        paths |= _record_paths(offered)
    sign_ins = [one.sign_in for one in offering.operations] + [one.sign_in for one in offering.record_types]
    if any(sign_in is not None for sign_in in sign_ins):
        schemas["Session"] = SESSION_SCHEMA
        paths |= _session_paths()
    if offering.operations or offering.flows:
        paths["/runs/{number}"] = {
            "get": {
                "operationId": "get_run",
                "summary": "a call, while it runs and after",
                "parameters": [
                    {"name": "number", "in": "path", "required": True, "schema": {"type": "integer"}},
                ],
                "responses": {
                    "200": _json("the call", {"$ref": "#/components/schemas/Run"}),
                    "default": _PROBLEM,
                },
            }
        }
    return {
        "openapi": "3.1.0",
        "info": {"title": offering.title, "version": offering.version},
        "servers": [{"url": offering.address}],
        "security": [{"token": []}],
        "paths": paths,
        "components": {
            "securitySchemes": {"token": {"type": "http", "scheme": "bearer"}},
            "schemas": schemas,
        },
    }


_SESSION: dict[str, Any] = {
    "name": "Rondine-Session",
    "in": "header",
    "required": True,
    "schema": {"type": "string"},
    "description": "of the user, who has signed in at the service; several are separated by commas",
}
SESSION_SCHEMA: dict[str, Any] = {
    "type": "object",
    "required": ["service", "state", "is_proven", "caller", "made_at", "expires_at"],
    "properties": {
        "service": {"type": "string"},
        "state": {"enum": ["begun", "signed_in"], "description": "begun: the user is at the service's page of consent"},
        "is_proven": {"type": "boolean", "description": "the service has accepted the user"},
        "caller": {"type": "string", "description": "the user, if the application named one"},
        "made_at": {"type": "string", "format": "date-time"},
        "expires_at": {"type": "string", "format": "date-time"},
        "session": {"type": "string", "description": "its token, told this once: send it as Rondine-Session"},
        "address": {"type": ["string", "null"], "description": "of the page of consent, to send the user to"},
    },
}
BEGIN_SCHEMA: dict[str, Any] = {
    "type": "object",
    "additionalProperties": False,
    "required": ["service"],
    "properties": {
        "service": {"type": "string"},
        "callback": {"type": "string", "description": "where the service sends the user back to, who consents there"},
        "user_name": {"type": "string"},
        "secrets": {"type": "object", "additionalProperties": {"type": "string"}},
    },
}
ANSWER_SCHEMA: dict[str, Any] = {
    "type": "object",
    "additionalProperties": False,
    "required": ["answer"],
    "properties": {"answer": {"type": "object", "additionalProperties": {"type": "string"}}},
}


def _session_paths() -> dict[str, Any]:
    session = _json("the session", {"$ref": "#/components/schemas/Session"})

    def step(name: str, words: str, status: str, asked: dict[str, Any] | None = None) -> dict[str, Any]:
        return {
            "operationId": name,
            "summary": words,
            "parameters": [] if name == "begin_session" else [_SESSION],
            **({"requestBody": {"required": True, **_json("", asked)}} if asked else {}),
            "responses": {status: {"description": "done"} if status == "204" else session, "default": _PROBLEM},
        }

    return {
        "/sessions": {"post": step("begin_session", "a user signs in at a service", "201", BEGIN_SCHEMA)},
        "/sessions/current": {
            "get": step("get_session", "whether it is good", "200"),
            "delete": step("end_session", "the user signs out", "204"),
        },
        "/sessions/current/answer": {
            "post": step("answer_session", "the query with which the service sent the user back", "200", ANSWER_SCHEMA)
        },
    }


def record_schema(document: RecordTypeDocument) -> dict[str, Any]:
    """JSON Schema of a record's data, as applications get it."""
    return {
        "type": "object",
        "required": list(document.key),
        "properties": {
            field.name: _field_schema(field, is_key=field.name in document.key) for field in document.fields
        },
    }


def _nullable(kind: FieldType) -> dict[str, Any]:
    """The schema of a value of a type, or of none."""
    schema = {**_FIELDS[kind]}
    kinds = schema.get("type")
    if kinds is not None:
        schema["type"] = [*([kinds] if isinstance(kinds, str) else kinds), "null"]
    return schema


def _field_schema(field: RecordField, *, is_key: bool) -> dict[str, Any]:
    schema = {**_FIELDS[field.type]} if is_key else _nullable(field.type)
    words = [field.title, f"in {field.unit}" if field.unit else "", schema.get("description", "")]
    if text := "; ".join(filter(None, words)):
        schema["description"] = text
    return schema


def _operation(operation: OfferedOperation, schemas: dict[str, Any]) -> dict[str, Any]:
    members: dict[str, Any] = {"inputs": inputs_schema(operation.inputs)}
    if operation.mappings:
        names = [one.name for one in operation.mappings]
        members["mapping"] = {"enum": names, "description": "makes records of the response"}
    members["after"] = {"type": "string", "description": "`next` of the page before, to get the one after it"}
    required = ["inputs"] if any(one.required for one in operation.inputs) else []
    request = {"type": "object", "additionalProperties": False, "required": required, "properties": members}
    contents = {"application/json": {"schema": request}}
    if operation.files:
        contents["multipart/form-data"] = {"schema": _form_schema(operation)}
    results: list[dict[str, Any]] = [_response_schema()]
    for mapping in operation.mappings:
        for name, document in mapping.record_types.items():
            schemas.setdefault(_record_name(name), record_schema(document))
        results.append(_records_schema(mapping))
    return {
        "operationId": f"call_{operation.name}",
        "summary": operation.title or operation.name,
        "description": operation.description,
        "x-writes": not operation.is_reading,
        "parameters": [*_CALLING, *([_SESSION] if operation.sign_in is not None else [])],
        "requestBody": {"required": bool(required), "content": contents},
        "responses": {
            "200": _json("the reply", results[0] if len(results) == 1 else {"oneOf": results}),
            "202": _json("it runs in the background", {"$ref": "#/components/schemas/Run"}),
            "default": _PROBLEM,
        },
    }


_CALLING: list[dict[str, Any]] = [
    {
        "name": "Idempotency-Key",
        "in": "header",
        "schema": {"type": "string", "minLength": 8, "maxLength": 100},
        "description": "sent again with the same key, the call is made once, and the reply is the same",
    },
    {
        "name": "Prefer",
        "in": "header",
        "schema": {"type": "string"},
        "description": "wait=SECONDS; respond-async: in the background (RFC 7240)",
    },
    {
        "name": "Rondine-Caller",
        "in": "header",
        "schema": {"type": "string"},
        "description": "the user whom the application calls for, where it is limited to some",
    },
]


def _flow(flow: OfferedFlow) -> dict[str, Any]:
    required = ["inputs"] if any(one.required for one in flow.inputs) else []
    members = {"inputs": inputs_schema(flow.inputs)}
    request = {"type": "object", "additionalProperties": False, "required": required, "properties": members}
    reply = {
        "type": "object",
        "required": ["run", "flow", "reply"],
        "properties": {"run": {"type": "string"}, "flow": {"type": "string"}, "reply": reply_schema(flow)},
    }
    return {
        "operationId": f"run_{flow.name}",
        "summary": flow.title or flow.name,
        "description": flow.description,
        "x-writes": not flow.is_reading,
        "parameters": _CALLING,
        "requestBody": {"required": bool(required), "content": {"application/json": {"schema": request}}},
        "responses": {
            "200": _json("the reply", reply),
            "202": _json("it is not over yet", {"$ref": "#/components/schemas/Run"}),
            "default": _PROBLEM,
        },
    }


def reply_schema(flow: OfferedFlow, *, is_whole: bool = False) -> dict[str, Any]:
    """JSON Schema of a flow's reply. is_whole: record types are written out, and not referred to."""

    def member(one: OfferedMember) -> dict[str, Any]:
        title = {"description": one.title} if one.title else {}
        if not one.records:
            return {**_nullable(one.type), **title}
        held = flow.record_types.get(one.records)
        items: dict[str, Any] = {"$ref": _reference(one.records)}
        if held is None or is_whole:
            items = {"type": "object"} if held is None else record_schema(held)
        return {"type": "array", "items": items, **title}

    return {
        "type": "object",
        "required": [one.name for one in flow.reply if one.required],
        "properties": {one.name: member(one) for one in flow.reply},
    }


def _content(operation: OfferedOperation, called: dict[str, Any]) -> dict[str, Any]:
    """Where the bare body of a response is. called: the operation, for its reply."""
    inputs = inputs_schema(operation.inputs)
    body = {"content": {"*/*": {"schema": {"type": "string", "format": "binary"}}}}
    asked = {"type": "object", "additionalProperties": False, "properties": {"inputs": inputs}}
    contents = {"application/json": {"schema": asked}}
    if operation.files:
        contents["multipart/form-data"] = {"schema": _form_schema(operation)}
    found: dict[str, Any] = {
        "post": {
            **called,
            "operationId": f"post_content_{operation.name}",
            "requestBody": {**called["requestBody"], "content": contents},
            "responses": {"200": {"description": "the body alone, byte for byte", **body}, "default": _PROBLEM},
        }
    }
    if operation.is_reading:
        query = [
            {
                "name": name,
                "in": "query",
                "required": name in inputs["required"],
                "schema": schema,
                **({"description": schema["description"]} if "description" in schema else {}),
            }
            for name, schema in inputs["properties"].items()
        ]
        ranges = [
            {"name": name, "in": "header", "schema": {"type": "string"}, "description": words}
            for name, words in (("Range", "one range of bytes, such as bytes=0-1023"), ("If-Range", "of what is known"))
        ]
        headers = [one for one in called["parameters"] if one["name"].startswith("Rondine-")]
        found["get"] = {
            "operationId": f"get_content_{operation.name}",
            "summary": called["summary"],
            "parameters": [*query, *ranges, *headers],
            "responses": {
                "200": {"description": "the body alone, byte for byte", **body},
                "206": {"description": "a range of it", **body},
                "default": _PROBLEM,
            },
        }
    return found


def _form_schema(operation: OfferedOperation) -> dict[str, Any]:
    """Of a form whose parts are the inputs, some of them files (OpenAPI 3.1, section 4.8.14.4)."""
    inputs = inputs_schema(operation.inputs)
    binary = {"type": "string", "contentMediaType": "application/octet-stream"}
    return {**inputs, "properties": inputs["properties"] | dict.fromkeys(sorted(operation.files), binary)}


def inputs_schema(inputs: Sequence[Input]) -> dict[str, Any]:
    """JSON Schema of an operation's inputs."""
    properties = {}
    for one in inputs:
        found = described_input(one)
        schema = {**found["schema"]}
        if text := "; ".join(filter(None, (one.title, one.description, f"in {one.unit}" if one.unit else ""))):
            schema["description"] = text
        if "example" in found:
            schema["examples"] = [found["example"]]
        properties[one.name] = schema
    return {
        "type": "object",
        "additionalProperties": False,
        "required": [one.name for one in inputs if one.required and one.default is UNSET],
        "properties": properties,
    }


def told_members() -> dict[str, Any]:
    return {
        "run": {"type": "string", "description": "where the call is told"},
        "status": {"type": "integer", "description": "that the service answered with"},
        "outcome": {"enum": ["good", "partial", "nothing_found"]},
        "message": {"type": "string", "description": "the service's own, if a part is missing"},
        "is_all": {
            "type": ["boolean", "null"],
            "description": "these rows, with those of the pages before, are proven to be all; null if nothing says",
        },
        "all_why": {"type": "string", "description": "why"},
        "next": {"type": ["string", "null"], "description": "give it as `after` to get the next page"},
    }


def _response_schema() -> dict[str, Any]:
    return {
        "type": "object",
        "required": [*told_members(), "media_type", "body"],
        "properties": {
            **told_members(),
            "media_type": {"type": "string"},
            "body": {"description": "as the service sent it; XML and other texts as a text"},
            "content": {"type": "string", "contentEncoding": "base64", "description": "of a body that is no text"},
        },
    }


def _records_schema(mapping: OfferedMapping) -> dict[str, Any]:
    reject = {
        "type": "object",
        "properties": {
            "record_type": {"type": "string"},
            "ordinal": {"type": "integer"},
            "path": {"type": "string"},
            "problems": {"type": "array", "items": {"type": "object"}},
        },
    }
    lists = {name: {"type": "array", "items": {"$ref": _reference(name)}} for name in mapping.record_types}
    return {
        "title": mapping.name,
        "type": "object",
        "required": [*told_members(), "records", "rejects", "filtered"],
        "properties": {
            **told_members(),
            "records": {"type": "object", "required": list(lists), "properties": lists},
            "rejects": {"type": "array", "items": reject, "description": "rows that could not become a record"},
            "filtered": {"type": "integer", "description": "rows that the mapping leaves out"},
        },
    }


_STAMPS: Mapping[str, Any] = {
    "made_at": {"type": "string", "format": "date-time"},
    "changed_at": {"type": "string", "format": "date-time"},
    "gone_at": {"type": ["string", "null"], "format": "date-time", "description": "since when it no longer comes"},
}
_LIVE: Mapping[str, Any] = {
    "type": "object",
    "required": ["calls", "age", "read_at", "is_cached", "stale_why", "local", "run"],
    "properties": {
        "calls": {"type": "integer", "description": "outside calls that the answer took"},
        "age": {"type": "number", "description": "seconds since the service gave it"},
        "read_at": {"type": "string", "format": "date-time"},
        "is_cached": {"type": "boolean", "description": "no call was made for it now"},
        "stale_why": {"type": "string", "description": "why it is older than was asked for"},
        "local": {"type": "array", "items": {"type": "string"}, "description": "what the service could not do"},
        "run": {"type": ["integer", "null"]},
    },
}
_VERSION: Mapping[str, Any] = {"type": ["string", "null"], "description": "for If-Match, where it is changed"}


def _record_paths(offered: OfferedType) -> dict[str, Any]:
    data = {"key": {"type": "array"}, "data": {"$ref": _reference(offered.name)}}
    item: dict[str, Any]
    page: dict[str, Any] = {"items": {"type": "array", "items": {}}, "next": {"type": ["string", "null"]}}
    if offered.is_live:
        item = {"type": "object", "required": [*data, "version"], "properties": {**data, "version": _VERSION}}
        one = {**item, "properties": {**item["properties"], "live": _LIVE}}
        page |= {
            "is_all": {"type": ["boolean", "null"], "description": "proven to be all, with the pages before"},
            "all_why": {"type": "string"},
            "rejects": {"type": "array", "items": {"type": "object"}, "description": "rows that are no records"},
            "live": _LIVE,
        }
    else:
        item = one = {"type": "object", "required": [*data, *_STAMPS], "properties": {**data, **_STAMPS}}
        page["count"] = {"type": "integer", "description": "all that are kept, whatever the filter"}
    page["items"] = {"type": "array", "items": item}
    keys = [
        {"name": name, "in": "path", "required": True, "schema": {"type": "string"}} for name in offered.document.key
    ]
    more = [*([_MAX_AGE] if offered.is_live else []), *([_SESSION] if offered.sign_in is not None else [])]
    at = "/".join(f"{{{name}}}" for name in offered.document.key)
    title, kind = offered.title or offered.name, "live" if offered.is_live else "kept"
    listed = _json("a page", {"type": "object", "required": list(page), "properties": page})
    many = {
        "get": {
            "operationId": f"list_{offered.name}",
            "summary": f"{title}: {kind} records, a page at a time",
            "parameters": [*searchable_filters(offered), *more],
            "responses": {"200": listed, "default": _PROBLEM},
        }
    }
    single = {
        "get": {
            "operationId": f"get_{offered.name}",
            "summary": f"{title}: one record",
            "parameters": [*keys, *more],
            "responses": {"200": _json("the record", one), "default": _PROBLEM},
        }
    }
    if "create" in offered.roles:
        many["post"] = _writing(offered, "create", [], "201")
    for role, method in (("change", "patch"), ("replace", "put"), ("remove", "delete")):
        if role in offered.roles:
            single[method] = _writing(offered, role, [*keys, _IF_MATCH], "200")
    return {f"/records/{offered.name}": many, **({f"/records/{offered.name}/{at}": single} if at else {})}


_MAX_AGE = {
    "name": "Cache-Control",
    "in": "header",
    "schema": {"type": "string"},
    "description": "max-age=SECONDS: how old the answer may be",
}
_IF_MATCH = {
    "name": "If-Match",
    "in": "header",
    "required": True,
    "schema": {"type": "string"},
    "description": "the version that was read, or * for whatever it is now",
}


def _writing(offered: OfferedType, role: str, parameters: Sequence[Mapping[str, Any]], status: str) -> dict[str, Any]:
    key = {"name": "Idempotency-Key", "in": "header", "required": True, "schema": {"type": "string", "minLength": 8}}
    written = {
        "type": "object",
        "required": ["key", "data", "version", "confirmed", "differences", "calls", "run"],
        "properties": {
            "key": {"type": ["array", "null"]},
            "data": {"oneOf": [{"$ref": _reference(offered.name)}, {"type": "null"}]},
            "version": _VERSION,
            "confirmed": {"enum": ["read back", "answered", "accepted"]},
            "differences": {"type": "array", "items": {"type": "object"}},
            "calls": {"type": "integer"},
            "run": {"type": "string"},
        },
    }
    found: dict[str, Any] = {
        "operationId": f"{role}_{offered.name}",
        "summary": f"{offered.title or offered.name}: {role}, at the service",
        "x-writes": True,
        "parameters": [*parameters, key, *([_SESSION] if offered.sign_in is not None else [])],
        "responses": {status: _json("what became of it", written), "default": _PROBLEM},
    }
    if role != "remove":
        values = {**record_schema(offered.document), "required": []}
        body = {"type": "object", "required": ["data"], "properties": {"data": values}}
        found["requestBody"] = {"required": True, "content": {"application/json": {"schema": body}}}
    return found


def searchable_filters(offered: OfferedType) -> list[dict[str, Any]]:
    """The query parameters of a list of records: filters by fields, order, and which page."""
    document = offered.document
    fields = [field for field in document.fields if field.searchable and field.type != "json"]
    ways = offered.compare or {}
    if offered.compare is None:
        ways = {one.name: ("equal", "from", "to", *(("begins",) if one.type == "text" else ())) for one in fields}
    kinds = {field.name: field.type for field in document.fields}
    names = [
        (name if how == "equal" else f"{name}.{how}", kinds.get(name, "text")) for name in ways for how in ways[name]
    ]
    found = [{"name": name, "in": "query", "schema": {"type": "string"}, "description": kind} for name, kind in names]
    ordered = [field.name for field in fields] if offered.compare is None else offered.sorts
    sorts = [sign + name for name in ordered for sign in ("", "-")]
    if sorts:
        found.append({"name": "sort", "in": "query", "schema": {"enum": sorts}})
    other = {"name": "gone", "in": "query", "schema": {"enum": ["no", "also", "only"]}}
    if offered.is_live:
        words = "what the service cannot filter or order is done by Rondine, over all rows"
        other = {"name": "local", "in": "query", "schema": {"type": "boolean"}, "description": words}
    return [
        *found,
        {"name": "cursor", "in": "query", "schema": {"type": "string"}},
        {"name": "limit", "in": "query", "schema": {"type": "integer", "minimum": 1, "maximum": 500}},
        other,
    ]


def _json(description: str, schema: Mapping[str, Any]) -> dict[str, Any]:
    return {"description": description, "content": {"application/json": {"schema": schema}}}


def _record_name(name: str) -> str:
    return f"record_{name}"


def _reference(name: str) -> str:
    return f"#/components/schemas/{_record_name(name)}"


# --- calls to copy


def example_inputs(inputs: Sequence[Input]) -> dict[str, Any]:
    """Values that a call may begin with: of the inputs that have to be given, and of those with a value to try."""
    found = {}
    for one in inputs:
        if one.try_value is not UNSET and one.try_value is not None and not isinstance(one.try_value, dict):
            found[one.name] = one.try_value
        elif one.required and one.default is UNSET:
            found[one.name] = one.allowed[0] if one.allowed else _SAMPLES[one.type]
    return found


_JSON_TYPE = "Content-Type: application/json"


def operation_examples(operation: OfferedOperation, address: str, project: str, environment: str) -> dict[str, str]:
    """A call in HTTP (as curl sends it), Python and TypeScript; with a form, where inputs are files. address: of the
    environment's door."""
    files = sorted(one.name for one in operation.inputs if one.name in operation.files)
    question: dict[str, Any] = {"inputs": example_inputs(operation.inputs)}
    if operation.mappings:
        question["mapping"] = operation.mappings[0].name
    body = json.dumps(question, ensure_ascii=False, indent=2)
    key = [] if operation.is_reading else ["Idempotency-Key: $(uuidgen)"]
    if operation.sign_in is not None:
        key.append("Rondine-Session: $SESSION")
    query = f"?mapping={question['mapping']}" if files and "mapping" in question else ""
    target = f"{address}/operations/{operation.name}{query}"
    if files:
        plain = {name: value for name, value in question["inputs"].items() if name not in files}
        parts = [f"-F '{name}={value}'" for name, value in plain.items()]
        http = _curl(target, key, [*parts, *(f"-F {name}=@FILE" for name in files)])
        form = ["const form = new FormData();"]
        form += [f"form.append({json.dumps(name)}, {json.dumps(str(value))});" for name, value in plain.items()]
        form += [f"form.append({json.dumps(name)}, file);" for name in files]
    else:
        http = _curl(target, [_JSON_TYPE, *key], [_sent(body)])
        form = []
    has_session = operation.sign_in is not None
    typescript = _typescript("POST", target, body, has_key=not operation.is_reading, has_session=has_session, form=form)
    python = _python_call(operation, question, files, address, project, environment)
    return {"http": http, "python": python, "typescript": typescript}


def _curl(target: str, headers: Sequence[str], sent: Sequence[str]) -> str:
    """sent: the options that say what is sent."""
    headers = ["Authorization: Bearer $RONDINE_APPLICATION_TOKEN", *headers]
    return " \\\n  ".join([f"curl -X POST '{target}'", *(f'-H "{header}"' for header in headers), *sent])


def _sent(body: str) -> str:
    quoted = body.replace("'", "'\\''")
    return f"-d '{quoted}'"


def _python_head(address: str, project: str, environment: str) -> str:
    url = address.partition("/api/")[0]
    return (
        "import os\n\nfrom rondine_client import Application\n\n"
        'token = os.environ["RONDINE_APPLICATION_TOKEN"]\n'
        f'application = Application("{project}", "{environment}", token=token, url="{url}")\n'
    )


def _python_call(
    operation: OfferedOperation,
    question: Mapping[str, Any],
    files: Sequence[str],
    address: str,
    project: str,
    environment: str,
) -> str:
    inputs = {name: value for name, value in question["inputs"].items() if name not in files}
    arguments = [f'"{operation.name}"', repr(inputs)]
    if files:
        opened = ", ".join(f'"{name}": ("FILE", open("FILE", "rb"), "application/octet-stream")' for name in files)
        arguments.append(f"files={{{opened}}}")
    if "mapping" in question:
        arguments.append(f'mapping="{question["mapping"]}"')
    who = '.for_caller(session=os.environ["SESSION"])' if operation.sign_in is not None else ""
    call = f"reply = application{who}.call({', '.join(arguments)})"
    shown = 'reply["records"]' if "mapping" in question else 'reply["body"]'
    return f"{_python_head(address, project, environment)}{call}\nprint({shown})\n"


def flow_examples(flow: OfferedFlow, address: str, project: str, environment: str) -> dict[str, str]:
    """A run of it, in HTTP, Python and TypeScript."""
    inputs = example_inputs(flow.inputs)
    body = json.dumps({"inputs": inputs}, ensure_ascii=False, indent=2)
    target = f"{address}/flows/{flow.name}"
    key = [] if flow.is_reading else ["Idempotency-Key: $(uuidgen)"]
    arguments = f'"{flow.name}", {inputs!r}'
    if flow.is_short:
        call = f'print(application.call_flow({arguments})["reply"])\n'
    else:
        call = f'run = application.start_flow({arguments})\nfor seen in application.watch(run["number"]):\n'
        call += '    print(seen["state"], seen["waits_for"], seen["reply"])\n'
    return {
        "http": _curl(target, [_JSON_TYPE, *key], [_sent(body)]),
        "python": _python_head(address, project, environment) + call,
        "typescript": _typescript("POST", target, body, has_key=not flow.is_reading),
    }


def record_examples(offered: OfferedType, address: str, project: str, environment: str) -> dict[str, str]:
    """The first records, in HTTP, Python and TypeScript."""
    target = f"{address}/records/{offered.name}?limit=20"
    python = (
        f"{_python_head(address, project, environment)}"
        f'for record in application.records("{offered.name}", limit=20):\n    print(record["data"])\n'
    )
    return {
        "http": f"curl '{target}' -H \"Authorization: Bearer $RONDINE_APPLICATION_TOKEN\"",
        "python": python,
        "typescript": _typescript("GET", target, "", has_key=False),
    }


def _typescript(
    method: str, target: str, body: str, *, has_key: bool, has_session: bool = False, form: Sequence[str] = ()
) -> str:
    """body: JSON.  form: lines that make one, in its place."""
    headers = ["Authorization: `Bearer ${process.env.RONDINE_APPLICATION_TOKEN}`"]
    if body and not form:
        headers.append('"Content-Type": "application/json"')
    if has_key:
        headers.append('"Idempotency-Key": crypto.randomUUID()')
    if has_session:
        headers.append('"Rondine-Session": session')
    inner = ",\n    ".join(headers)
    lines = [
        *form,
        f'const response = await fetch("{target}", {{',
        f'  method: "{method}",',
        f"  headers: {{\n    {inner},\n  }},",
    ]
    if form:
        lines.append("  body: form,")
    elif body:
        indented = body.replace("\n", "\n  ")
        lines.append(f"  body: JSON.stringify({indented}),")
    return "\n".join(
        [
            *lines,
            "});",
            "const reply = await response.json();",
            "if (!response.ok) throw new Error(reply.detail);",
            "console.log(reply);",
            "",
        ]
    )
