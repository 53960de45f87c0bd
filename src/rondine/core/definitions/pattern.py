"""The usual pattern of a resource, as most REST services follow it: list, find, create, replace, change, remove."""

from typing import Any

from rondine.core.definitions.inputs import Inputs
from rondine.core.definitions.model import DescribedOperation
from rondine.core.errors import InputError
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.names import proposed_name, singular
from rondine.core.operations.document import JsonBody, Member, OperationDocument
from rondine.core.operations.values import ValueOf
from rondine.core.protocols.styles import check_template

_SCHEMAS: dict[str, dict[str, Any]] = {
    "text": {"type": "string"}, "integer": {"type": "integer"}, "decimal": {"type": "number"},
    "boolean": {"type": "boolean"},
    "date": {"type": "string", "format": "date"}, "datetime": {"type": "string", "format": "date-time"},
    "json": {"type": ["object", "array"]},
}  # fmt: skip


def usual_operations(
    path: str, record_type: RecordTypeDocument | None = None, key: str = ""
) -> list[DescribedOperation]:
    """Six operations below one path, such as /v1/trees; each is a proposal to be edited.

    record_type: its fields become the members of bodies; its key the place in the path.  key: the place's name, if
    there is no record type.
    """
    path = "/" + path.strip("/ ")
    check_template(path)
    words = [step for step in path.split("/") if step and "{" not in step]
    if not words:
        raise InputError("the path names no resource", where="/path", hint="such as /v1/trees")
    one, many = singular(words[-1]), words[-1]
    keys = [
        field for field in (record_type.fields if record_type else []) if record_type and field.name in record_type.key
    ]
    place = keys[0].name.replace("-", "_") if keys else key or "id"
    described_operations = []
    for verb, method, is_one, has_body in (
        ("List", "GET", False, False), ("Find", "GET", True, False), ("Create", "POST", False, True),
        ("Replace", "PUT", True, True), ("Change", "PATCH", True, True), ("Remove", "DELETE", True, False),
    ):  # fmt: skip
        inputs = Inputs()
        members = []
        if is_one:
            inputs.add(place, _SCHEMAS[keys[0].type] if keys else {"type": "string"}, required=True)
        for field in record_type.fields if record_type and has_body else []:
            if is_one and field in keys:
                continue
            given = inputs.add(
                field.name, _SCHEMAS[field.type], required=verb == "Replace" and field in keys, prefix="body"
            )
            members.append(Member(at=f"/{field.name}", value=ValueOf(input=given)))
        title = f"{verb} {many if verb == 'List' else one}".replace("_", " ").replace("-", " ")
        document = OperationDocument(
            method=method,  # type: ignore[arg-type]
            path=f"{path}/{{{place}}}" if is_one else path,
            inputs=inputs.found,
            body=JsonBody(members=members) if has_body else None,
            tags=[many],
        )
        described_operations.append(
            DescribedOperation(f"{method} {document.path}", proposed_name(title), title, document)
        )
    return described_operations
