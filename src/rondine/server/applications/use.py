"""The applications' door: /api/v1/use/{project}/{environment}/..., a small ASGI application beside Django, as Django's
own request cycle costs a thread and 2 ms a request. JSON in and out; everything wrong is a problem document (RFC 9457).

    GET   .                            what the application may use, with examples
    GET   openapi.json                 the same as an OpenAPI 3.1 document
    POST  operations/{name}/content    a call, answered with the response's body alone, byte for byte
    POST  operations/{name}            a call; at once, or in the background (Prefer: respond-async, RFC 7240)
    GET   records/{record_type}        kept records, a page at a time
    GET   records/{record_type}/{key}  one of them
    GET   changes/{record_type}        what happened to them, from a mark on
    GET   runs/{number}                a call, while it runs and after; runs/{number}/reply what it was answered with
    GET   runs/{number}/events         the same as an event stream, until it is over
          mcp                          the Model Context Protocol (`language_models.py`)
"""

import asyncio
import re
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from importlib import import_module
from typing import Any
from urllib.parse import parse_qsl, unquote

import structlog
from django.conf import settings
from django.db import connections

from rondine.core.documents import read_json
from rondine.core.errors import InputError, NotFound, Problem, RondineError, did_you_mean
from rondine.server.api.problems import refusal
from rondine.server.api.rendering import JsonRenderer, plain_numbers
from rondine.server.applications.admission import Admission, Admitting, RateReached
from rondine.server.applications.describing import described, openapi_document
from rondine.server.applications.invoking import Invoker
from rondine.server.applications.lasting import Claim, run_address, stored_reply
from rondine.server.applications.models import Invocation
from rondine.server.applications.offering import Offer
from rondine.server.applications.reading import changes_of, one_record, page_of_records
from rondine.server.applications.replies import Question, Reply, problem_reply
from rondine.server.applications.traces import Traces
from rondine.server.connecting.process import parts
from rondine.server.runs.models import Run
from rondine.server.runs.streams import stream
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.applications")
ADDRESS = re.compile(r"/api/v1/use/([a-z0-9_-]+)/([a-z0-9_-]+)(/.*)?")
LANGUAGE_MODELS = "rondine.server.applications.language_models"
#: Bytes of a request's body.
MOST = 16 * 1024 * 1024
#: Seconds that a caller may wait for a call in the background.
MOST_WAIT = 150.0
_KEY = re.compile(r'"?([\x21\x23-\x7e]{8,100})"?')
_render = JsonRenderer().render


@dataclass
class _Request:
    """scope, receive: of ASGI. path: below the environment, its steps still percent-encoded."""

    scope: Any
    receive: Any
    path: str

    @cached_property
    def headers(self) -> dict[str, str]:
        return {name.decode("latin-1"): value.decode("latin-1") for name, value in self.scope["headers"]}

    @cached_property
    def query(self) -> dict[str, str]:
        """Raises InputError for a parameter that comes twice, or has what no database holds."""
        found: dict[str, str] = {}
        for name, value in parse_qsl(self.scope["query_string"].decode("latin-1"), keep_blank_values=True):
            if name in found:
                raise InputError(f'"{name[:60]}" comes twice', where=f"?{name[:60]}", hint="give it once")
            if "\0" in name + value:
                raise InputError("it has the character U+0000", where=f"?{name[:60]!a}", hint="leave it out")
            found[name] = value
        return found

    @property
    def origin(self) -> str:
        """The service's address, as the client has it."""
        scheme = "https" if settings.SECURE else self.scope.get("scheme", "http")
        return f"{scheme}://{self.headers.get('host', '127.0.0.1')}"

    async def body(self) -> bytes:
        pieces, size, more = [], 0, True
        while more:
            message = await self.receive()
            if message["type"] == "http.disconnect":
                raise refusal(400, "the request broke off", "the request's body", "send it again, whole")
            pieces.append(message.get("body", b""))
            size += len(pieces[-1])
            if size > MOST:
                raise refusal(
                    413, f"the request is larger than {MOST // 1024**2} MiB", "the request's body", "send less"
                )
            more = message.get("more_body", False)
        return b"".join(pieces)

    @property
    def steps(self) -> list[str]:
        return [unquote(step, errors="strict") for step in self.path.strip("/").split("/") if step]


@dataclass
class _Preference:
    """What a request prefers (RFC 7240). is_async: to be answered before the call has ended.  wait: seconds; None if it
    does not say."""

    is_async: bool = False
    wait: float | None = None


@dataclass
class UseDoor:
    """One a process, made within its event loop."""

    admitting: Admitting
    invoker: Invoker

    async def answer(self, request: _Request, project: str, environment: str) -> Reply:
        """Raises what is wrong with the request."""
        began = time.perf_counter()
        admission = await self.admitting.admit(request.headers.get("authorization", ""), project, environment)
        if request.steps[:1] in (["operations"], ["records"], ["changes"]):
            await self._check_caller(request, admission)
        match request.steps:
            case []:
                return await self._from_database(request, described, admission, request.origin)
            case ["openapi.json"]:
                return await self._from_database(request, openapi_document, admission, request.origin)
            case ["operations", name]:
                return await self._call(request, admission, name, began)
            case ["operations", name, "content"]:
                return await self._call(request, admission, name, began, is_content=True)
            case ["records", name]:
                return await self._from_database(request, page_of_records, admission, name, request.query)
            case ["records", name, *key]:
                return await self._from_database(request, one_record, admission, name, key)
            case ["changes", name]:
                return await self._from_database(request, changes_of, admission, name, request.query)
            case ["runs", number]:
                return await self._from_database(request, shown_run, admission, number)
            case ["runs", number, "reply"]:
                _check_method(request, "GET")
                return await in_database(self.invoker.pool, reply_of_run, admission, number)
        raise NotFound(
            "there is nothing at this address",
            where=request.scope["path"][:200],
            hint=f"see what there is: /api/v1/use/{project}/{environment}",
        )

    async def _check_caller(self, request: _Request, admission: Admission) -> None:
        """Raises SignInNeeded or NotAllowed, where the application may call for some of its users only."""
        if admission.document.callers is not None:
            caller = request.headers.get("rondine-caller", "").strip()
            await in_database(self.invoker.pool, Offer(admission).check_caller, caller)

    async def _from_database(self, request: _Request, action: Callable[..., Any], *arguments: Any) -> Reply:
        _check_method(request, "GET")
        return Reply(200, _render(await in_database(self.invoker.pool, action, *arguments)))

    async def _call(
        self, request: _Request, admission: Admission, name: str, began: float, *, is_content: bool = False
    ) -> Reply:
        _check_method(request, "POST")
        if request.query:
            first = next(iter(request.query))
            raise InputError(f'there is no parameter "{first}"', where=f"?{first}", hint="inputs go into the body")
        question = _question(name, await request.body(), is_content=is_content)
        key = _key(request.headers.get("idempotency-key", ""))
        preference = preference_of(request.headers.get("prefer", ""))
        if preference.is_async:
            found = await self.invoker.leave(admission, question, key)
            return await self._background(admission, found, preference.wait or 0.0)
        time_limit = min(admission.document.time_limit, preference.wait or admission.document.time_limit)
        timed = await self.invoker.call(admission, question, key, time_limit)
        ours = (time.perf_counter() - began) * 1000 - timed.service - timed.limits
        timing = f"rondine;dur={max(0.0, ours):.1f}, service;dur={timed.service:.1f}, limits;dur={timed.limits:.1f}"
        reply = timed.reply
        return Reply(reply.status, reply.body, reply.media_type, (*reply.headers, ("Server-Timing", timing)))

    async def _background(self, admission: Admission, found: Claim, wait: float) -> Reply:
        """The reply, if it is there in time; else 202 with the run's address."""
        environment = admission.environment
        address = run_address(environment.project.name, environment.name, found.run)
        reply = found.reply or await self.invoker.reply_within(found.run, wait)
        if reply is not None:
            return reply
        shown = await in_database(self.invoker.pool, shown_run, admission, str(found.run))
        headers = (("Location", address), ("Preference-Applied", "respond-async"))
        return Reply(202, _render(shown), headers=headers)


def _check_method(request: _Request, method: str) -> None:
    if request.scope["method"] != method:
        raise refusal(405, f"{request.scope['method']} is not for this address", "the request", f"use {method}")


def _key(text: str) -> str:
    found = _KEY.fullmatch(text.strip())
    if text.strip() and not found:
        raise InputError(
            f"{text[:40]!a} is not a key",
            where="Idempotency-Key header",
            hint="send 8 to 100 printable characters, such as a UUID, another one for everything that is to be done",
        )
    return found.group(1) if found else ""


def preference_of(text: str) -> _Preference:
    """Preferences that are not known are passed over (RFC 7240, section 2). Raises InputError for a wait that is no
    number of seconds."""
    found = _Preference()
    for preference in filter(None, (part.strip() for part in re.split("[,;]", text))):
        name, _, value = (part.strip() for part in preference.partition("="))
        if name.lower() == "respond-async":
            found.is_async = True
        elif name.lower() == "wait":
            if not re.fullmatch(r"\d{1,6}(\.\d{1,3})?", value) or not float(value):
                raise InputError(
                    f'"{value[:20]}" is no number of seconds', where="Prefer header", hint="such as wait=10"
                )
            found.wait = min(float(value), MOST_WAIT)
    return found


def _question(name: str, body: bytes, *, is_content: bool) -> Question:
    """Raises InputError with the place of what is wrong."""
    value = plain_numbers(read_json(body, name="the request's body")) if body.strip() else {}
    if not isinstance(value, dict):
        raise InputError("the body is not an object", where="/", hint='such as {"inputs": {"number": "T-17"}}')
    known = ("inputs",) if is_content else ("inputs", "mapping", "after")
    problems = [
        Problem(f"/{member}", f'there is no member "{member}"', did_you_mean(member, known))
        for member in value
        if member not in known
    ]
    inputs, mapping, after = value.get("inputs") or {}, value.get("mapping") or "", value.get("after") or ""
    if not isinstance(inputs, dict):
        problems.append(Problem("/inputs", "it is not an object", "give each input by its name"))
    if not isinstance(mapping, str):
        problems.append(Problem("/mapping", "it is not a text", "give the mapping's name"))
    if not isinstance(after, str):
        problems.append(Problem("/after", "it is not a text", "take it from `next` of the page before"))
    if problems:
        raise InputError(problems[0].message, where=problems[0].where, hint=problems[0].hint, problems=problems)
    return Question(name, inputs, mapping, is_content, after)


def _run_of(admission: Admission, number: str) -> Run:
    """Raises NotFound, also for a run of somebody else."""
    run = None
    if number.isascii() and number.isdecimal() and len(number) <= 18:
        runs = Run.objects.select_related("operation", "invocation").filter(application=admission.application)
        run = runs.filter(pk=int(number)).first()
    if run is None:
        hint = "calls that only read are there half a second after their reply, and for as long as runs are kept"
        raise NotFound(f"this application has no run {number[:20]}", where="runs", hint=hint)
    return run


def shown_run(admission: Admission, number: str) -> dict[str, Any]:
    """A call while it runs and after. reply: with its status, if it is kept and JSON."""
    run = _run_of(admission, number)
    environment = admission.environment
    address = run_address(environment.project.name, environment.name, run.pk)
    invocation: Invocation | None = getattr(run, "invocation", None)
    reply = stored_reply(invocation) if invocation is not None and invocation.reply is not None else None
    return {
        "run": address,
        "number": run.pk,
        "operation": run.content.get("operation", ""),
        "state": run.state,
        "message": run.ending,
        "queued_at": run.queued_at,
        "started_at": run.started_at,
        "ended_at": run.ended_at,
        "reply": None
        if reply is None
        else {
            "status": reply.status,
            "address": f"{address}/reply",
            "body": read_json(reply.body) if reply.media_type.endswith("json") else None,
        },
    }


def reply_of_run(admission: Admission, number: str) -> Reply:
    """What a call was answered with. Raises NotFound while it is not over, and for one whose reply is not kept."""
    run = _run_of(admission, number)
    invocation: Invocation | None = getattr(run, "invocation", None)
    if invocation is None or invocation.reply is None:
        words = "it is not over yet" if run.state in ("queued", "running") else "its reply is not kept"
        hint = "replies are kept of calls that write, that have an Idempotency-Key, or run in the background"
        raise NotFound(f"run {run.pk} has no reply: {words}", where="reply", hint=hint)
    return stored_reply(invocation)


_door: UseDoor | None = None
_language_models: Any = None


def door() -> UseDoor:
    global _door
    if _door is None:
        engine, pool = parts()
        _door = UseDoor(Admitting(pool), Invoker(engine, pool, Traces(pool)))
    return _door


async def close() -> None:
    """Writes down what is not yet."""
    if _door is not None:
        await _door.invoker.traces.flush()


async def serve(scope: Any, receive: Any, send: Any, project: str, environment: str) -> None:
    """One request."""
    raw = scope.get("raw_path") or scope["path"].encode()
    path = raw.partition(b"?")[0].decode("latin-1").split("/", 6)
    request = _Request(scope, receive, path[6] if len(path) > 6 else "")
    try:
        if request.path == "mcp":
            await _serve_language_models(request, send, project, environment)
            return
        if (found := re.fullmatch(r"runs/(\d{1,18})/events", request.path)) is not None:
            await _stream(request, send, project, environment, int(found.group(1)))
            return
        reply = await door().answer(request, project, environment)
    except UnicodeDecodeError:
        error = InputError("it is not UTF-8, percent-encoded", where="the address", hint="encode it so")
        reply = problem_reply(error)
    except Exception as error:
        headers: Sequence[tuple[str, str]] = ()
        if isinstance(error, RateReached):
            headers = (("Retry-After", str(error.seconds)),)
        if isinstance(error, RondineError) and error.status == 405:
            headers = (("Allow", error.hint.removeprefix("use ")),)
        reply = problem_reply(error, headers=headers)
    await _send(send, reply)


async def _send(send: Any, reply: Reply) -> None:
    headers = [
        (b"content-type", reply.media_type.encode("latin-1", "replace")),
        (b"content-length", str(len(reply.body)).encode()),
        (b"cache-control", b"no-store"),
        (b"x-content-type-options", b"nosniff"),
        *((name.lower().encode(), value.encode("latin-1", "replace")) for name, value in reply.headers),
    ]
    if not reply.media_type.startswith("application/"):
        headers.append((b"content-security-policy", b"sandbox"))
    await send({"type": "http.response.start", "status": reply.status, "headers": headers})
    await send({"type": "http.response.body", "body": reply.body})


async def _serve_language_models(request: _Request, send: Any, project: str, environment: str) -> None:
    """The Model Context Protocol. What it needs is loaded with the first request, in a thread."""
    global _language_models
    authorization = request.headers.get("authorization", "")
    admission = await door().admitting.admit(authorization, project, environment)
    module = await asyncio.get_running_loop().run_in_executor(None, import_module, LANGUAGE_MODELS)
    if _language_models is None:
        _language_models = module.LanguageModels()
    caller = module.Caller(admission, door().invoker, request.headers.get("rondine-caller", "").strip(), request.origin)
    await _language_models.serve(request.scope, request.receive, send, caller)


async def _stream(request: _Request, send: Any, project: str, environment: str, run: int) -> None:
    admission = await door().admitting.admit(request.headers.get("authorization", ""), project, environment)

    def shown() -> tuple[str, bytes]:
        try:
            found: Mapping[str, Any] = shown_run(admission, str(run))
            return found["state"], _render(found)
        finally:
            connections.close_all()

    await stream(request.receive, send, run, shown, shown)
