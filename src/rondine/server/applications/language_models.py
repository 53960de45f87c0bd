"""What an application is offered, as tools for language models: the Model Context Protocol over streamable HTTP, by the
official SDK. Every request stands alone (stateless), comes in by the same token, and is let in, limited, scoped and
written down as every other one.

This module is loaded with the first such request: what it needs takes two seconds and 60 MB.
"""

import asyncio
import json
import uuid
from dataclasses import dataclass
from typing import Any

import mcp_types as types
from mcp.server.context import ServerRequestContext
from mcp.server.lowlevel import Server
from mcp.server.streamable_http_manager import StreamableHTTPSessionManager

from rondine.core.definitions.offering import (
    OfferedOperation,
    OfferedType,
    inputs_schema,
    record_schema,
    searchable_filters,
)
from rondine.core.errors import InputError, NotFound, did_you_mean
from rondine.server.applications.admission import Admission
from rondine.server.applications.describing import offering_of
from rondine.server.applications.invoking import Invoker
from rondine.server.applications.offering import Offer
from rondine.server.applications.reading import page_of_records
from rondine.server.applications.replies import Question, Reply, problem_reply
from rondine.server.threads import in_database

#: Of the tools that read kept records, before the record type's name.
RECORDS = "records."
#: What a call can be given beside the operation's inputs, unless an input is called so.
MAPPING, AFTER, KEY = "mapping", "after", "idempotency_key"
_PLAIN = "as the service sends it"


@dataclass(frozen=True, slots=True)
class Caller:
    """Who asks: an application that was let in. caller: the user whom it calls for, if it names one.  origin: Rondine's
    address, as the client has it."""

    admission: Admission
    invoker: Invoker
    caller: str
    origin: str


def _caller(context: ServerRequestContext[Any, Any]) -> Caller:
    found: Caller = context.request.scope["rondine.caller"]  # type: ignore[union-attr]  # always over HTTP
    return found


async def _list_tools(
    context: ServerRequestContext[Any, Any], params: types.PaginatedRequestParams | None
) -> types.ListToolsResult:
    who = _caller(context)
    offering = await in_database(who.invoker.pool, offering_of, who.admission, who.origin)
    tools = [_operation_tool(one) for one in offering.operations]
    return types.ListToolsResult(tools=[*tools, *(_records_tool(one) for one in offering.record_types)])


def _operation_tool(operation: OfferedOperation) -> types.Tool:
    schema = inputs_schema(operation.inputs)
    more: dict[str, Any] = {
        AFTER: {"type": "string", "description": "`next` of the reply before, to get the page after it"}
    }
    if operation.mappings:
        more[MAPPING] = {
            "enum": [*(one.name for one in operation.mappings), _PLAIN],
            "description": "what makes records of the answer; by default the first",
        }
    if not operation.is_reading:
        more[KEY] = {
            "type": "string",
            "description": "repeated with the same one, the call is made once; by default a new one",
        }
    properties = {**more, **schema["properties"]}
    words = operation.description or operation.title or operation.name
    return types.Tool(
        name=operation.name,
        title=operation.title or operation.name,
        description=words if operation.is_reading else f"{words} (changes something at the service)",
        input_schema={**schema, "properties": properties},
        annotations=types.ToolAnnotations(
            read_only_hint=operation.is_reading,
            destructive_hint=not operation.is_reading,
            idempotent_hint=operation.is_reading,
            open_world_hint=True,
        ),
    )


def _records_tool(offered: OfferedType) -> types.Tool:
    names = ", ".join(record_schema(offered.document)["properties"])
    title = offered.title or offered.name
    return types.Tool(
        name=f"{RECORDS}{offered.name}",
        title=f"{title}: kept records",
        description=f"Reads kept records, a page at a time. Their fields: {names}.",
        input_schema={
            "type": "object",
            "additionalProperties": False,
            "properties": {one["name"]: _described(one) for one in searchable_filters(offered.document)},
        },
        annotations=types.ToolAnnotations(read_only_hint=True, open_world_hint=False),
    )


def _described(parameter: dict[str, Any]) -> dict[str, Any]:
    words = parameter.get("description")
    return {**parameter["schema"], **({"description": words} if words else {})}


async def _call_tool(
    context: ServerRequestContext[Any, Any], params: types.CallToolRequestParams
) -> types.CallToolResult:
    """What is wrong is part of the result, so that the model reads it and mends its call."""
    who, arguments = _caller(context), dict(params.arguments or {})
    try:
        if who.admission.document.callers is not None:
            await in_database(who.invoker.pool, Offer(who.admission).check_caller, who.caller)
        if params.name.startswith(RECORDS):
            reply = await _read(who, params.name.removeprefix(RECORDS), arguments)
        else:
            reply = await _call(who, params.name, arguments)
    except Exception as error:
        reply = problem_reply(error)
    text = reply.body.decode("utf-8", "replace")
    value = json.loads(text) if reply.media_type.endswith("json") else None
    return types.CallToolResult(
        content=[types.TextContent(type="text", text=text)],
        structured_content=value if isinstance(value, dict) else None,
        is_error=not reply.is_good,
    )


async def _read(who: Caller, name: str, arguments: dict[str, Any]) -> Reply:
    for member, value in arguments.items():
        if isinstance(value, dict | list):
            raise InputError("it is no single value", where=f"/{member}", hint="give a text or a number")
    query = {member: str(value) for member, value in arguments.items() if value is not None}
    page = await in_database(who.invoker.pool, page_of_records, who.admission, name, query)
    return Reply(200, json.dumps(page, default=str, ensure_ascii=False).encode())


async def _call(who: Caller, name: str, arguments: dict[str, Any]) -> Reply:
    offering = await in_database(who.invoker.pool, offering_of, who.admission, who.origin)
    operation = next((one for one in offering.operations if one.name == name), None)
    if operation is None:
        # says why: not there, not offered, or one that writes where it may not
        await in_database(who.invoker.pool, Offer(who.admission).operation, name)
        hint = did_you_mean(name, [one.name for one in offering.operations])
        raise NotFound(f'there is no tool "{name}"', where="tools", hint=hint)
    inputs = {one.name for one in operation.inputs}
    words = [word for word in (MAPPING, AFTER, KEY) if word in arguments and word not in inputs]
    more = {word: str(arguments.pop(word) or "") for word in words}
    mapping = more.get(MAPPING) or (operation.mappings[0].name if operation.mappings else "")
    question = Question(name, arguments, "" if mapping == _PLAIN else mapping, after=more.get(AFTER, ""))
    key = "" if operation.is_reading else more.get(KEY) or str(uuid.uuid4())
    timed = await who.invoker.call(who.admission, question, key, who.admission.document.time_limit)
    return timed.reply


class LanguageModels:
    """The protocol's server of one process. It runs from the first request on, within the event loop."""

    def __init__(self) -> None:
        server: Server[Any] = Server(
            "rondine",
            title="Rondine",
            instructions="Tools of one application: operations of outside services, and kept records. A reply says in"
            " `is_all` whether its rows are proven to be all; `next` given as `after` brings the page after it.",
            on_list_tools=_list_tools,
            on_call_tool=_call_tool,
        )
        self._manager = StreamableHTTPSessionManager(server, json_response=True, stateless=True)
        self._started = asyncio.Event()
        self._task = asyncio.create_task(self._run())

    async def _run(self) -> None:
        async with self._manager.run():
            self._started.set()
            await asyncio.Event().wait()

    async def serve(self, scope: Any, receive: Any, send: Any, caller: Caller) -> None:
        await self._started.wait()
        await self._manager.handle_request({**scope, "rondine.caller": caller}, receive, send)
