"""The applications' door: /api/v1/use/{project}/{environment}/..., a small ASGI application beside Django, as Django's
own request cycle costs a thread and 2 ms a request. JSON in and out; everything wrong is a problem document (RFC 9457).

    GET   .                            what the application may use, with examples
    GET   openapi.json                 the same as an OpenAPI 3.1 document
    POST  operations/{name}            a call; at once, or in the background (Prefer: respond-async, RFC 7240); with
                                       files as multipart/form-data
    POST  operations/{name}/content    a call, answered with the response's body alone, byte for byte
    GET   operations/{name}/content    the same of one that only reads, inputs in the query; also ranges of bytes
    POST  flows/{name}                 a run of a flow; answered when it ends, if that is in time
    GET   records/{record_type}        records, kept or live, a page at a time; POST makes a live one
    GET   records/{record_type}/{key}  one of them; PATCH, PUT, DELETE change a live one
    GET   changes/{record_type}        what happened to them, from a mark on
    POST  sessions                     a user signs in at a service with an own account (`sessions.py`)
    GET   runs/{number}                a call, while it runs and after; runs/{number}/reply what it was answered with
    GET   runs/{number}/events         the same as an event stream, until it is over
          mcp                          the Model Context Protocol (`language_models.py`)
"""

import asyncio
import re
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from importlib import import_module
from typing import Any
from urllib.parse import parse_qsl, unquote

import structlog
from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import connections

from rondine.core.documents import read_json
from rondine.core.errors import InputError, NotFound, Problem, RondineError, did_you_mean
from rondine.core.http.files import has_file
from rondine.server.api.problems import refusal
from rondine.server.api.rendering import JsonRenderer, plain_numbers
from rondine.server.applications.admission import Admission, Admitting, RateReached
from rondine.server.applications.describing import described, openapi_document
from rondine.server.applications.flows import FlowDoor
from rondine.server.applications.invoking import Invoker, Timed
from rondine.server.applications.live import METHODS, LiveDoor, given_data
from rondine.server.applications.offering import Offer
from rondine.server.applications.own_runs import reply_of_run, reply_or_run, shown_run
from rondine.server.applications.reading import changes_of
from rondine.server.applications.replies import Caller, FlowQuestion, Question, Reply, problem_reply
from rondine.server.applications.sessions import SessionDoor
from rondine.server.applications.traces import Traces
from rondine.server.applications.uploads import read_form
from rondine.server.connecting.process import parts
from rondine.server.live.asking import live_records, max_age_of
from rondine.server.runs.streams import stream
from rondine.server.threads import in_database

log = structlog.get_logger("rondine.applications")
ADDRESS = re.compile(r"/api/v1/use/([a-z0-9_-]+)/([a-z0-9_-]+)(/.*)?", re.DOTALL)
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
    def caller_name(self) -> str:
        """The user of the application whom it is for; empty if it names none. Raises InputError for what is no name."""
        text = self.headers.get("rondine-caller", "").strip()
        if len(text) > 200 or not text.isprintable():
            raise InputError("it is no key of 200 characters at most", where="Rondine-Caller header", hint="send a key")
        return text

    @property
    def max_age(self) -> float:
        """Seconds that an answer may be old. Raises InputError."""
        return max_age_of(self.headers.get("cache-control"))

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
    live: LiveDoor
    sessions: SessionDoor
    flows: FlowDoor

    async def answer(self, request: _Request, project: str, environment: str) -> Reply:
        """Raises what is wrong with the request."""
        began = time.perf_counter()
        admission = await self.admitting.admit(request.headers.get("authorization", ""), project, environment)
        caller = Caller(request.caller_name)
        if request.steps[:1] in (["operations"], ["flows"], ["records"], ["changes"], ["sessions"]):
            await self._check_caller(caller, admission)
            named = request.headers.get("rondine-session", "")
            if named and request.steps[0] != "sessions":
                caller = Caller(caller.name, await self.sessions.named(admission, named, caller.name))
        match request.steps:
            case []:
                return await self._from_database(request, described, admission, request.origin)
            case ["openapi.json"]:
                return await self._from_database(request, openapi_document, admission, request.origin)
            case ["operations", name]:
                return await self._called(request, admission, name, caller, began)
            case ["operations", name, "content"]:
                return await self._called(request, admission, name, caller, began, is_content=True)
            case ["flows", name]:
                return await self._flow(request, admission, name, caller, began)
            case ["records", name]:
                return await self._records(request, admission, name, caller)
            case ["records", name, *key]:
                return await self._record(request, admission, name, key, caller)
            case ["sessions", *way]:
                return await self._session(request, admission, way, caller.name)
            case ["changes", name]:
                return await self._from_database(request, changes_of, admission, name, request.query)
            case ["runs", number]:
                return await self._from_database(request, shown_run, admission, number)
            case ["runs", number, "reply"]:
                _check_method(request, "GET")
                return await in_database(self.invoker.pool, reply_of_run, admission, number)
        raise _nothing_here(request)

    async def _check_caller(self, caller: Caller, admission: Admission) -> None:
        """Raises SignInNeeded or NotAllowed, where the application may call for some of its users only."""
        if admission.document.callers is not None:
            await in_database(self.invoker.pool, Offer(admission).check_caller, caller.name)

    async def _from_database(self, request: _Request, action: Callable[..., Any], *arguments: Any) -> Reply:
        _check_method(request, "GET")
        return Reply(200, _render(await in_database(self.invoker.pool, action, *arguments)))

    async def _records(self, request: _Request, admission: Admission, name: str, caller: Caller) -> Reply:
        if request.scope["method"] == "POST":
            return await self._write_record(request, admission, name, [], caller)
        _check_method(request, "GET")
        return await self.live.page(admission, name, request.query, request.max_age, caller)

    async def _record(
        self, request: _Request, admission: Admission, name: str, key: list[str], caller: Caller
    ) -> Reply:
        if request.scope["method"] in ("PATCH", "PUT", "DELETE"):
            return await self._write_record(request, admission, name, key, caller)
        _check_method(request, "GET")
        return await self.live.one(admission, name, key, request.max_age, caller)

    async def _write_record(
        self, request: _Request, admission: Admission, name: str, key: list[str], caller: Caller
    ) -> Reply:
        body = await request.body()
        value = _json_of(body)
        data, role = given_data(body, value), METHODS[request.scope["method"]]
        version = request.headers.get("if-match", "").strip()
        mark = _key(request.headers.get("idempotency-key", ""))
        return await self.live.write(admission, name, role, key, data, version, mark, caller)

    async def _session(self, request: _Request, admission: Admission, way: list[str], caller: str) -> Reply:
        """Users sign in at services themselves."""
        session = request.headers.get("rondine-session", "")
        match way, request.scope["method"]:
            case [], "POST":
                return await self.sessions.begin(admission, _json_of(await request.body()), caller)
            case ["current"], "GET":
                return await self.sessions.show(admission, session)
            case ["current"], "DELETE":
                return await self.sessions.end(admission, session)
            case ["current", "answer"], "POST":
                return await self.sessions.answer(admission, session, _json_of(await request.body()))
            case [] | ["current", "answer"], _:
                _check_method(request, "POST")
            case ["current"], _:
                _check_method(request, "GET, DELETE")
        raise _nothing_here(request)

    async def _called(
        self,
        request: _Request,
        admission: Admission,
        name: str,
        caller: Caller,
        began: float,
        *,
        is_content: bool = False,
    ) -> Reply:
        key = _key(request.headers.get("idempotency-key", ""))
        if is_content and request.scope["method"] == "GET":
            question, key = await self._question_of_query(request, admission, name, caller), ""
        else:
            _check_method(request, "GET, POST" if is_content else "POST")
            if request.headers.get("content-type", "").lower().startswith("multipart/form-data"):
                question = await self._question_of_form(
                    request, admission, Question(name, {}, "", is_content, "", caller), key
                )
            else:
                _check_query(request, (), "inputs go into the body")
                question = _question(name, await request.body(), is_content=is_content, caller=caller)
        return await self._call(request, admission, question, key, began)

    async def _question_of_query(self, request: _Request, admission: Admission, name: str, caller: Caller) -> Question:
        """Raises a refusal for an operation that writes: a GET changes nothing (RFC 9110, section 9.2.1)."""
        byte_range, if_range = (request.headers.get(field, "").strip() for field in ("range", "if-range"))
        question = Question(name, request.query, "", True, "", caller, byte_range, if_range)
        ready = await self.invoker.ready(admission, question)
        if not ready.operation.is_reading:
            raise refusal(405, f'operation "{name}" writes, and GET is for what only reads', "the request", "use POST")
        return question

    async def _question_of_form(
        self, request: _Request, admission: Admission, question: Question, key: str
    ) -> Question:
        """The inputs of a form with files. What is wrong without them is told before they come in."""
        _check_query(request, () if question.is_content else ("mapping", "after"), "inputs are parts of the form")
        question = replace(question, mapping=request.query.get("mapping", ""), after=request.query.get("after", ""))
        if preference_of(request.headers.get("prefer", "")).is_async:
            hint = "leave respond-async out, or send them as base64 in JSON"
            raise InputError("files are sent at once, and not kept for a worker", where="Prefer header", hint=hint)
        await self.invoker.check(admission, question, key, ())
        inputs = await read_form(request.receive, request.headers, admission.document.most_upload_bytes)
        files = [name for name, value in inputs.items() if has_file(value)]
        await self.invoker.check(admission, question, key, files)
        return replace(question, inputs=inputs)

    async def _flow(self, request: _Request, admission: Admission, name: str, caller: Caller, began: float) -> Reply:
        _check_method(request, "POST")
        _check_query(request, (), "inputs go into the body")
        key = _key(request.headers.get("idempotency-key", ""))
        preference = preference_of(request.headers.get("prefer", ""))
        question = FlowQuestion(name, _inputs_of(await request.body(), ("inputs",))[0], caller)
        if preference.is_async:
            return await self.flows.in_background(admission, question, key, preference.wait or 0.0)
        time_limit = min(admission.document.time_limit, preference.wait or admission.document.time_limit)
        return _timed(await self.flows.answer(admission, question, key, time_limit), began)

    async def _call(self, request: _Request, admission: Admission, question: Question, key: str, began: float) -> Reply:
        preference = preference_of(request.headers.get("prefer", ""))
        if preference.is_async:
            found = await self.invoker.leave(admission, question, key)
            return await reply_or_run(self.invoker, admission, found, preference.wait or 0.0)
        time_limit = min(admission.document.time_limit, preference.wait or admission.document.time_limit)
        timed = await self.invoker.call(admission, question, key, time_limit)
        return _timed(timed, began)


def _timed(timed: Timed, began: float) -> Reply:
    """The reply with where its time went (Server-Timing)."""
    ours = (time.perf_counter() - began) * 1000 - timed.service - timed.limits
    timing = f"rondine;dur={max(0.0, ours):.1f}, service;dur={timed.service:.1f}, limits;dur={timed.limits:.1f}"
    return replace(timed.reply, headers=(*timed.reply.headers, ("Server-Timing", timing)))


def _nothing_here(request: _Request) -> NotFound:
    here = "/".join(request.scope["path"].split("/")[:6])
    return NotFound(
        "there is nothing at this address", where=request.scope["path"][:200], hint=f"see what there is: {here}"
    )


def _check_method(request: _Request, method: str) -> None:
    if request.scope["method"] not in method.split(", "):
        raise refusal(405, f"{request.scope['method']} is not for this address", "the request", f"use {method}")


def _check_query(request: _Request, known: Sequence[str], hint: str) -> None:
    for name in request.query:
        if name not in known:
            raise InputError(f'there is no parameter "{name[:60]}"', where=f"?{name[:60]}", hint=hint)


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


def _json_of(body: bytes) -> Any:
    """None for an empty body. Raises DocumentError."""
    return plain_numbers(read_json(body, name="the request's body")) if body.strip() else None


def _question(name: str, body: bytes, *, is_content: bool, caller: Caller) -> Question:
    """Raises InputError with the place of what is wrong."""
    known = ("inputs",) if is_content else ("inputs", "mapping", "after")
    inputs, mapping, after = _inputs_of(body, known)
    return Question(name, inputs, mapping, is_content, after, caller)


def _inputs_of(body: bytes, known: Sequence[str]) -> tuple[dict[str, Any], str, str]:
    """(inputs, mapping, after), as far as they are known. Raises InputError."""
    value = _json_of(body) if body.strip() else {}
    if not isinstance(value, dict):
        raise InputError("the body is not an object", where="/", hint='such as {"inputs": {"number": "T-17"}}')
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
    return inputs, mapping, after


_door: UseDoor | None = None
_language_models: Any = None


def door() -> UseDoor:
    global _door
    if _door is None:
        engine, pool = parts()
        invoker = Invoker(engine, pool, Traces(pool))
        live = LiveDoor(invoker, live_records())
        _door = UseDoor(Admitting(pool), invoker, live, SessionDoor(invoker), FlowDoor(invoker))
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
        (b"content-length", str(reply.size).encode()),
        (b"cache-control", b"no-store"),
        (b"x-content-type-options", b"nosniff"),
        *((name.lower().encode(), value.encode("latin-1", "replace")) for name, value in reply.headers),
    ]
    if not reply.media_type.startswith("application/"):
        headers.append((b"content-security-policy", b"sandbox"))
    await send({"type": "http.response.start", "status": reply.status, "headers": headers})
    for chunk in reply.chunks():
        await send({"type": "http.response.body", "body": chunk, "more_body": True})
    await send({"type": "http.response.body"})


async def _serve_language_models(request: _Request, send: Any, project: str, environment: str) -> None:
    """The Model Context Protocol. What it needs is loaded with the first request, in a thread."""
    global _language_models
    authorization = request.headers.get("authorization", "")
    admission = await door().admitting.admit(authorization, project, environment)
    module = await asyncio.get_running_loop().run_in_executor(None, import_module, LANGUAGE_MODELS)
    if _language_models is None:
        _language_models = module.LanguageModels()
    named = request.headers.get("rondine-session", "")
    sessions = await door().sessions.named(admission, named, request.caller_name) if named else ()
    caller = Caller(request.caller_name, sessions)
    asking = module.Asking(admission, door().invoker, door().live, door().flows, caller, request.origin)
    await _language_models.serve(request.scope, request.receive, send, asking)


async def _stream(request: _Request, send: Any, project: str, environment: str, run: int) -> None:
    admission = await door().admitting.admit(request.headers.get("authorization", ""), project, environment)

    def shown() -> tuple[str, bytes]:
        try:
            found: Mapping[str, Any] = shown_run(admission, str(run))
            return found["state"], _render(found)
        finally:
            connections.close_all()

    await sync_to_async(shown)()  # what is wrong is told as everywhere here
    await stream(request.receive, send, run, shown)
