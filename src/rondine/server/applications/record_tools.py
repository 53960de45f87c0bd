"""Records as tools for language models: lists, single ones, and the ways in which live ones can be changed."""

import uuid
from collections.abc import Mapping
from typing import Any

import mcp_types as types

from rondine.core.definitions.offering import OfferedType, record_schema, searchable_filters
from rondine.core.errors import InputError, NotFound, did_you_mean
from rondine.core.live.document import WRITING, Role
from rondine.server.applications.admission import Admission
from rondine.server.applications.live import LiveDoor
from rondine.server.applications.offering import Offer
from rondine.server.applications.replies import Caller, Reply
from rondine.server.threads import in_database

#: Before the record type's name.
RECORDS = "records."
FIND = "find"
KEY = "idempotency_key"
_WORDS: Mapping[str, str] = {
    "create": "Makes a record at the service.",
    "change": "Changes the fields given of a record at the service; its other fields stay.",
    "replace": "Writes a record whole at the service: fields that are left out are emptied.",
    "remove": "Removes a record at the service.",
}


def record_tools(offered: OfferedType) -> list[types.Tool]:
    """`records.TYPE` that lists, `records.TYPE.find`, and one for each way of writing that is offered."""
    return [_list_tool(offered), _find_tool(offered), *(_writing_tool(offered, role) for role in offered.roles)]


def _title(offered: OfferedType) -> str:
    return offered.title or offered.name


def _list_tool(offered: OfferedType) -> types.Tool:
    kind = "live" if offered.is_live else "kept"
    names = ", ".join(record_schema(offered.document)["properties"])
    return types.Tool(
        name=f"{RECORDS}{offered.name}",
        title=f"{_title(offered)}: {kind} records",
        description=f"Reads {kind} records, a page at a time. Their fields: {names}.",
        input_schema=_object({one["name"]: _described(one) for one in searchable_filters(offered)}),
        annotations=types.ToolAnnotations(read_only_hint=True, open_world_hint=offered.is_live),
    )


def _find_tool(offered: OfferedType) -> types.Tool:
    version = ", with the version to change it by" if offered.is_live else ""
    return types.Tool(
        name=f"{RECORDS}{offered.name}.{FIND}",
        title=f"{_title(offered)}: one record",
        description=f"Reads one record by its key{version}.",
        input_schema=_object({"key": _key_schema(offered)}, ["key"]),
        annotations=types.ToolAnnotations(read_only_hint=True, open_world_hint=offered.is_live),
    )


def _writing_tool(offered: OfferedType, role: str) -> types.Tool:
    properties: dict[str, Any] = {}
    if role != "create":
        properties["key"] = _key_schema(offered)
        properties["version"] = {
            "type": "string",
            "description": "that the record was read with, refused if somebody has changed it since; * for any",
        }
    if role != "remove":
        properties["data"] = _object(record_schema(offered.document)["properties"])
    required = list(properties)
    properties[KEY] = {
        "type": "string",
        "description": "repeated with the same one, it is done once; by default a new one",
    }
    return types.Tool(
        name=f"{RECORDS}{offered.name}.{role}",
        title=f"{_title(offered)}: {role} a live record",
        description=_WORDS[role],
        input_schema=_object(properties, required),
        annotations=types.ToolAnnotations(
            read_only_hint=False, destructive_hint=role != "create", idempotent_hint=False, open_world_hint=True
        ),
    )


def _object(properties: Mapping[str, Any], required: list[str] | None = None) -> dict[str, Any]:
    more = {"required": required} if required else {}
    return {"type": "object", "additionalProperties": False, "properties": dict(properties), **more}


def _key_schema(offered: OfferedType) -> dict[str, Any]:
    fields = record_schema(offered.document)["properties"]
    names = list(offered.document.key)
    return _object({name: fields[name] for name in names}, names)


def _described(parameter: dict[str, Any]) -> dict[str, Any]:
    words = parameter.get("description")
    return {**parameter["schema"], **({"description": words} if words else {})}


async def call_record_tool(
    live: LiveDoor, admission: Admission, caller: Caller, name: str, arguments: Mapping[str, Any]
) -> Reply:
    """name: of the tool, without what it begins with. Raises RondineError for what is wrong with the call."""
    record_type, dot, verb = name.partition(".")
    if not dot:
        return await live.page(admission, record_type, _query(arguments), 0.0, caller)
    if verb != FIND and verb not in WRITING:
        hint = did_you_mean(verb, [FIND, *WRITING])
        raise NotFound(f'there is no tool "{RECORDS}{name}"', where="tools", hint=hint)
    allowed = {"key"} if verb == FIND else {"key", "version", "data", KEY}
    for member in arguments:
        if member not in allowed:
            raise InputError(f'there is no "{member}" here', where=f"/{member}", hint=did_you_mean(member, allowed))
    key = [] if verb == "create" else await _key(live, admission, record_type, arguments.get("key"))
    if verb == FIND:
        return await live.one(admission, record_type, key, 0.0, caller)
    data = arguments.get("data", {})
    if not isinstance(data, dict):
        raise InputError("it is no object of fields", where="/data", hint='give {"field": value}')
    role: Role = next(one for one in WRITING if one == verb)
    mark = str(arguments.get(KEY) or uuid.uuid4())
    return await live.write(admission, record_type, role, key, data, str(arguments.get("version") or ""), mark, caller)


def _query(arguments: Mapping[str, Any]) -> dict[str, str]:
    for member, value in arguments.items():
        if isinstance(value, dict | list):
            raise InputError("it is no single value", where=f"/{member}", hint="give a text or a number")
    return {
        member: ("true" if value else "false") if isinstance(value, bool) else str(value)
        for member, value in arguments.items()
        if value is not None
    }


async def _key(live: LiveDoor, admission: Admission, record_type: str, given: Any) -> list[str]:
    """The values of a key in their order."""
    names = await in_database(live.invoker.pool, lambda: Offer(admission).record_type(record_type).loaded().key)
    is_key = isinstance(given, dict) and set(given) == set(names)
    if not is_key or any(isinstance(given[name], dict | list | None) for name in names):
        shape = ", ".join(f'"{name}": ...' for name in names)
        raise InputError("it is not the key of a record", where="/key", hint=f"give {{{shape}}}")
    return [str(given[name]) for name in names]
