"""What applications are offered, described for their developers: an OpenAPI 3.1 document of exactly that, and a call
ready to copy for each thing."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from msgspec import UNSET

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
    },
}
RUN_SCHEMA: dict[str, Any] = {
    "type": "object",
    "required": ["run", "number", "operation", "state", "message", "queued_at", "started_at", "ended_at", "reply"],
    "properties": {
        "run": {"type": "string", "description": "its address"},
        "number": {"type": "integer"},
        "operation": {"type": "string"},
        "state": {"enum": ["queued", "running", "done", "failed", "cancelled"]},
        "message": {"type": "string", "description": "how it ended"},
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
class OfferedOperation:
    name: str
    title: str
    description: str
    inputs: Sequence[Input]
    is_reading: bool
    mappings: Sequence[OfferedMapping]


@dataclass(frozen=True, slots=True)
class OfferedType:
    name: str
    title: str
    document: RecordTypeDocument


@dataclass(frozen=True, slots=True)
class Offering:
    """address: of the environment's door, absolute.  version: what it goes by."""

    title: str
    address: str
    version: str
    operations: Sequence[OfferedOperation]
    record_types: Sequence[OfferedType]


def offering_openapi(offering: Offering) -> dict[str, Any]:
    """The OpenAPI 3.1 document of an offering."""
    schemas: dict[str, Any] = {"Problem": PROBLEM_SCHEMA, "Run": RUN_SCHEMA}
    paths: dict[str, Any] = {}
    for operation in offering.operations:
        paths[f"/operations/{operation.name}"] = {"post": _operation(operation, schemas)}
    for offered in offering.record_types:
        schemas[_record_name(offered.name)] = record_schema(offered.document)
        paths |= _record_paths(offered)
    if offering.operations:
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


def record_schema(document: RecordTypeDocument) -> dict[str, Any]:
    """JSON Schema of a record's data, as applications get it."""
    return {
        "type": "object",
        "required": list(document.key),
        "properties": {
            field.name: _field_schema(field, is_key=field.name in document.key) for field in document.fields
        },
    }


def _field_schema(field: RecordField, *, is_key: bool) -> dict[str, Any]:
    schema = {**_FIELDS[field.type]}
    kinds = schema.get("type")
    if kinds is not None and not is_key:
        schema["type"] = [*([kinds] if isinstance(kinds, str) else kinds), "null"]
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
        "parameters": [
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
        ],
        "requestBody": {"required": bool(required), "content": {"application/json": {"schema": request}}},
        "responses": {
            "200": _json("the reply", results[0] if len(results) == 1 else {"oneOf": results}),
            "202": _json("it runs in the background", {"$ref": "#/components/schemas/Run"}),
            "default": _PROBLEM,
        },
    }


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


def _record_paths(offered: OfferedType) -> dict[str, Any]:
    item = {
        "type": "object",
        "required": ["key", "data", "made_at", "changed_at", "gone_at"],
        "properties": {
            "key": {"type": "array"},
            "data": {"$ref": _reference(offered.name)},
            "made_at": {"type": "string", "format": "date-time"},
            "changed_at": {"type": "string", "format": "date-time"},
            "gone_at": {
                "type": ["string", "null"],
                "format": "date-time",
                "description": "since when it no longer comes",
            },
        },
    }
    page = {
        "type": "object",
        "required": ["items", "next", "count"],
        "properties": {
            "items": {"type": "array", "items": item},
            "next": {"type": ["string", "null"], "description": "the cursor of the page after"},
            "count": {"type": "integer", "description": "all that are kept, whatever the filter"},
        },
    }
    keys = [
        {"name": name, "in": "path", "required": True, "schema": {"type": "string"}} for name in offered.document.key
    ]
    at = "/".join(f"{{{name}}}" for name in offered.document.key)
    title = offered.title or offered.name
    found = {
        f"/records/{offered.name}": {
            "get": {
                "operationId": f"list_{offered.name}",
                "summary": f"{title}: kept records, a page at a time",
                "parameters": searchable_filters(offered.document),
                "responses": {"200": _json("a page", page), "default": _PROBLEM},
            }
        }
    }
    if at:
        found[f"/records/{offered.name}/{at}"] = {
            "get": {
                "operationId": f"get_{offered.name}",
                "summary": f"{title}: one record",
                "parameters": keys,
                "responses": {"200": _json("the record", item), "default": _PROBLEM},
            }
        }
    return found


def searchable_filters(document: RecordTypeDocument) -> list[dict[str, Any]]:
    """The query parameters of a list of records: filters by searchable fields, order, and which page."""
    fields = [field for field in document.fields if field.searchable and field.type != "json"]
    names = [
        (f"{field.name}{how}", field.type)
        for field in fields
        for how in ("", ".from", ".to", *((".begins",) if field.type == "text" else ()))
    ]
    found = [{"name": name, "in": "query", "schema": {"type": "string"}, "description": kind} for name, kind in names]
    sorts = [sign + field.name for field in fields for sign in ("", "-")]
    if sorts:
        found.append({"name": "sort", "in": "query", "schema": {"enum": sorts}})
    return [
        *found,
        {"name": "cursor", "in": "query", "schema": {"type": "string"}},
        {"name": "limit", "in": "query", "schema": {"type": "integer", "minimum": 1, "maximum": 500}},
        {"name": "gone", "in": "query", "schema": {"enum": ["no", "also", "only"]}},
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


def operation_examples(operation: OfferedOperation, address: str, project: str, environment: str) -> dict[str, str]:
    """A call in HTTP (as curl sends it), Python and TypeScript. address: of the environment's door."""
    question: dict[str, Any] = {"inputs": example_inputs(operation.inputs)}
    if operation.mappings:
        question["mapping"] = operation.mappings[0].name
    body = json.dumps(question, ensure_ascii=False, indent=2)
    key = [] if operation.is_reading else ["Idempotency-Key: $(uuidgen)"]
    lines = [f"curl -X POST '{address}/operations/{operation.name}' \\"]
    lines += [
        f'  -H "{header}" \\'
        for header in ("Authorization: Bearer $RONDINE_APPLICATION_TOKEN", "Content-Type: application/json", *key)
    ]
    quoted = body.replace("'", "'\\''")
    http = "\n".join([*lines, f"  -d '{quoted}'"])
    return {
        "http": http,
        "python": _python_call(operation, question, address, project, environment),
        "typescript": _typescript(
            "POST", f"{address}/operations/{operation.name}", body, has_key=not operation.is_reading
        ),
    }


def _python_head(address: str, project: str, environment: str) -> str:
    url = address.partition("/api/")[0]
    return (
        "import os\n\nfrom rondine_client import Application\n\n"
        'token = os.environ["RONDINE_APPLICATION_TOKEN"]\n'
        f'application = Application("{project}", "{environment}", token=token, url="{url}")\n'
    )


def _python_call(
    operation: OfferedOperation, question: Mapping[str, Any], address: str, project: str, environment: str
) -> str:
    arguments = [f'"{operation.name}"', repr(dict(question["inputs"]))]
    if "mapping" in question:
        arguments.append(f'mapping="{question["mapping"]}"')
    call = f"reply = application.call({', '.join(arguments)})"
    shown = 'reply["records"]' if "mapping" in question else 'reply["body"]'
    return f"{_python_head(address, project, environment)}{call}\nprint({shown})\n"


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


def _typescript(method: str, target: str, body: str, *, has_key: bool) -> str:
    headers = ["Authorization: `Bearer ${process.env.RONDINE_APPLICATION_TOKEN}`"]
    if body:
        headers.append('"Content-Type": "application/json"')
    if has_key:
        headers.append('"Idempotency-Key": crypto.randomUUID()')
    inner = ",\n    ".join(headers)
    lines = [
        f'const response = await fetch("{target}", {{',
        f'  method: "{method}",',
        f"  headers: {{\n    {inner},\n  }},",
    ]
    if body:
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
