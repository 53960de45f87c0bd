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
    OfferedFlow,
    OfferedOperation,
    inputs_schema,
    reply_schema,
)
from rondine.core.errors import NotFound, did_you_mean
from rondine.server.applications.admission import Admission
from rondine.server.applications.describing import offering_of
from rondine.server.applications.flows import FlowDoor
from rondine.server.applications.invoking import Invoker
from rondine.server.applications.live import LiveDoor
from rondine.server.applications.offering import Offer
from rondine.server.applications.record_tools import KEY, RECORDS, call_record_tool, record_tools
from rondine.server.applications.replies import Caller, FlowQuestion, Question, Reply, problem_reply
from rondine.server.threads import in_database

#: What a call can be given beside the operation's inputs, unless an input is called so.
MAPPING, AFTER = "mapping", "after"
#: What the names of flows' tools begin with.
FLOWS = "flows."
_KEY_PROPERTY: dict[str, Any] = {
    KEY: {"type": "string", "description": "repeated with the same one, the call is made once; by default a new one"}
}
_PLAIN = "as the service sends it"


@dataclass(frozen=True, slots=True)
class Asking:
    """Who asks: an application that was let in. caller: whom it calls for.  origin: Rondine's
    address, as the client has it."""

    admission: Admission
    invoker: Invoker
    live: LiveDoor
    flows: FlowDoor
    caller: Caller
    origin: str


def _asking(context: ServerRequestContext[Any, Any]) -> Asking:
    found: Asking = context.request.scope["rondine.asking"]  # type: ignore[union-attr]  # always over HTTP
    return found


async def _list_tools(
    context: ServerRequestContext[Any, Any], params: types.PaginatedRequestParams | None
) -> types.ListToolsResult:
    who = _asking(context)
    offering = await in_database(who.invoker.pool, offering_of, who.admission, who.origin)
    tools = [_operation_tool(one) for one in offering.operations] + [_flow_tool(one) for one in offering.flows]
    return types.ListToolsResult(tools=[*tools, *(tool for one in offering.record_types for tool in record_tools(one))])


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
        more |= _KEY_PROPERTY
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


def _flow_tool(flow: OfferedFlow) -> types.Tool:
    schema = inputs_schema(flow.inputs)
    words = flow.description or flow.title or flow.name
    if not flow.is_short:
        words += " (may take long: where it is not over in time, the answer is its run, with what it waits for)"
    return types.Tool(
        name=f"{FLOWS}{flow.name}",
        title=flow.title or flow.name,
        description=words if flow.is_reading else f"{words} (changes something)",
        input_schema={**schema, "properties": {**schema["properties"], **({} if flow.is_reading else _KEY_PROPERTY)}},
        output_schema=_answer_schema(flow) if flow.is_short and flow.is_reading else None,  # else it may be a run
        annotations=types.ToolAnnotations(
            read_only_hint=flow.is_reading,
            destructive_hint=not flow.is_reading,
            idempotent_hint=flow.is_reading,
            open_world_hint=True,
        ),
    )


def _answer_schema(flow: OfferedFlow) -> dict[str, Any]:
    text, reply = {"type": "string"}, reply_schema(flow, is_whole=True)
    return {"type": "object", "properties": {"run": text, "flow": text, "reply": reply}}


async def _call_tool(
    context: ServerRequestContext[Any, Any], params: types.CallToolRequestParams
) -> types.CallToolResult:
    """What is wrong is part of the result, so that the model reads it and mends its call."""
    who, arguments = _asking(context), dict(params.arguments or {})
    try:
        if who.admission.document.callers is not None:
            await in_database(who.invoker.pool, Offer(who.admission).check_caller, who.caller.name)
        if params.name.startswith(RECORDS):
            name = params.name.removeprefix(RECORDS)
            reply = await call_record_tool(who.live, who.admission, who.caller, name, arguments)
        elif params.name.startswith(FLOWS):
            reply = await _call_flow(who, params.name.removeprefix(FLOWS), arguments)
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


async def _call(who: Asking, name: str, arguments: dict[str, Any]) -> Reply:
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
    mapping = "" if mapping == _PLAIN else mapping
    question = Question(name, arguments, mapping, after=more.get(AFTER, ""), caller=who.caller)
    key = "" if operation.is_reading else more.get(KEY) or str(uuid.uuid4())
    timed = await who.invoker.call(who.admission, question, key, who.admission.document.time_limit)
    return timed.reply


async def _call_flow(who: Asking, name: str, arguments: dict[str, Any]) -> Reply:
    ready = await who.flows.ready(who.admission, name)
    is_own = all(one.name != KEY for one in ready.document.inputs)
    given = str(arguments.pop(KEY, "") or "") if is_own else ""
    key = given or (str(uuid.uuid4()) if ready.effects.writes else "")
    question = FlowQuestion(name, arguments, who.caller)
    return (await who.flows.answer(who.admission, question, key, who.admission.document.time_limit)).reply


class LanguageModels:
    """The protocol's server of one process. It runs from the first request on, within the event loop."""

    def __init__(self) -> None:
        server: Server[Any] = Server(
            "rondine",
            title="Rondine",
            instructions="Tools of one application: operations of outside services, and records. A reply says in"
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

    async def serve(self, scope: Any, receive: Any, send: Any, asking: Asking) -> None:
        await self._started.wait()
        await self._manager.handle_request({**scope, "rondine.asking": asking}, receive, send)
