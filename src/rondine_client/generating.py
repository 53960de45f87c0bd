"""Typed code for what an application is offered, written from its OpenAPI document: a Python package with dataclasses,
and a TypeScript module. Both are small: they call what the client library, or `fetch`, calls anyway."""

from __future__ import annotations

import keyword
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

RECORD = "record_"


@dataclass(frozen=True, slots=True)
class Value:
    """A member of a record or reply, or an input. kind: string, integer, decimal, number, boolean, date, datetime or
    json.  records: a list of records of this type, in place of a value."""

    name: str
    kind: str
    is_optional: bool
    words: str = ""
    records: str = ""


@dataclass(frozen=True, slots=True)
class Call:
    """mappings: by name, the record types that each fills."""

    name: str
    words: str
    inputs: list[Value]
    mappings: dict[str, list[str]]


@dataclass(frozen=True, slots=True)
class Flow:
    """A flow with what it is given, and what it replies."""

    name: str
    words: str
    inputs: list[Value]
    reply: list[Value]


@dataclass(frozen=True, slots=True)
class Records:
    """Records that can be read. key: the names of the fields of their key.  roles: how they can be changed: create,
    change, replace, remove."""

    name: str
    key: list[str]
    roles: list[str]


@dataclass(frozen=True, slots=True)
class Offer:
    """What is generated for, in an order of its own: the same document gives the same text."""

    title: str
    version: str
    types: dict[str, list[Value]]
    calls: list[Call]
    flows: list[Flow]
    records: list[Records]


_DOES = {"create": "Makes one", "change": "Changes what is given", "replace": "Writes it whole", "remove": "Removes it"}
_METHODS = {"create": "post", "change": "patch", "replace": "put", "remove": "delete"}


def offer_of(document: Mapping[str, Any]) -> Offer:
    """document: as `Application.openapi` gives it."""
    schemas = document["components"]["schemas"]
    types = {
        name.removeprefix(RECORD): _values(schema)
        for name, schema in sorted(schemas.items())
        if name.startswith(RECORD)
    }
    calls, flows, records = [], [], []
    for path, methods in sorted(document["paths"].items()):
        parts = path.strip("/").split("/")
        if parts[0] == "operations" and len(parts) == 2:
            calls.append(_call(parts[1], methods["post"]))
        elif parts[0] == "flows":
            flows.append(_flow(parts[1], methods["post"]))
        elif parts[0] == "records" and len(parts) > 2:
            many = document["paths"].get(f"/records/{parts[1]}", {})
            roles = [role for role, method in _METHODS.items() if method in (many if role == "create" else methods)]
            records.append(Records(parts[1], [part.strip("{}") for part in parts[2:]], roles))
    info = document["info"]
    return Offer(info["title"], info["version"], types, calls, flows, records)


def _call(name: str, operation: Mapping[str, Any]) -> Call:
    body = operation["requestBody"]["content"]["application/json"]["schema"]
    reply = operation["responses"]["200"]["content"]["application/json"]["schema"]
    mappings = {
        one["title"]: sorted(one["properties"]["records"]["properties"])
        for one in reply.get("oneOf", [])
        if "records" in one["properties"]
    }
    words = operation.get("description") or operation.get("summary") or name
    return Call(name, words, _values(body["properties"]["inputs"]), mappings)


def _flow(name: str, operation: Mapping[str, Any]) -> Flow:
    body = operation["requestBody"]["content"]["application/json"]["schema"]
    answer = operation["responses"]["200"]["content"]["application/json"]["schema"]
    words = operation.get("description") or operation.get("summary") or name
    return Flow(name, words, _values(body["properties"]["inputs"]), _values(answer["properties"]["reply"]))


def _values(schema: Mapping[str, Any]) -> list[Value]:
    required = schema.get("required", [])
    return [
        Value(name, _kind(one), name not in required, one.get("description", ""), _records_of(one))
        for name, one in schema.get("properties", {}).items()
    ]


def _records_of(schema: Mapping[str, Any]) -> str:
    reference = str(schema.get("items", {}).get("$ref", "")) if schema.get("type") == "array" else ""
    return reference.rpartition("/")[2].removeprefix(RECORD)


def _kind(schema: Mapping[str, Any]) -> str:
    types = schema.get("type", [])
    types = [types] if isinstance(types, str) else types
    match schema.get("format"):
        case "decimal":
            return "decimal"
        case "date":
            return "date"
        case "date-time":
            return "datetime"
    return next((one for one in ("integer", "number", "boolean", "string") if one in types), "json")


# --- Python

_PYTHON = {
    "string": "str", "integer": "int", "decimal": "Decimal", "number": "Decimal | float", "boolean": "bool",
    "date": "date", "datetime": "datetime", "json": "Any",
}  # fmt: skip
_READ = {
    "integer": "int({})",
    "decimal": "Decimal({})",
    "date": "date.fromisoformat({})",
    "datetime": "datetime.fromisoformat({})",
}
_HEAD = '''"""What {title} may use, as {version} has it.

Written by `rondine generate python`: what is changed here is lost when it is written again.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from rondine_client import Application


def _sent(value: Any) -> Any:
    """A value as JSON has it."""
    if isinstance(value, date | datetime):
        return value.isoformat()
    return str(value) if isinstance(value, Decimal) else value


def _given(values: Mapping[str, Any]) -> dict[str, Any]:
    return {{name: _sent(value) for name, value in values.items() if value is not None}}


@dataclass(frozen=True, slots=True)
class Reply:
    """What every reply says. is_all: these rows, with those of the pages before, are proven to be all; None if nothing
    says.  next: given as `after`, it brings the next page.  rejects: rows that became no record, and why."""

    run: str
    status: int
    outcome: str
    message: str
    is_all: bool | None
    next: str | None
    rejects: list[dict[str, Any]]


@dataclass(frozen=True, slots=True)
class Answer(Reply):
    """body: as the service sent it."""

    body: Any


def _said(reply: Mapping[str, Any]) -> dict[str, Any]:
    names = ("run", "status", "outcome", "message", "is_all", "next")
    return {{**{{name: reply[name] for name in names}}, "rejects": reply.get("rejects", [])}}
'''


_NOT_OVER = '''class NotOver(Exception):
    """A flow is not over in time: it waits for a person, say. run: as `Application.run` shows it; see
    `Application.watch`."""

    def __init__(self, run: Mapping[str, Any]) -> None:
        super().__init__(f"run {run['number']} is {run['state']}")
        self.run = run'''


def python_package(document: Mapping[str, Any]) -> dict[str, str]:
    """The files of a Python package, by their names: `__init__.py`, and `py.typed` (PEP 561)."""
    offer = offer_of(document)
    parts = [_HEAD.format(title=_plain(offer.title), version=_plain(offer.version)).rstrip()]
    parts += [_dataclass(name, values) for name, values in offer.types.items()]
    mappings = {name: types for call in offer.calls for name, types in call.mappings.items()}
    parts += [_reply_class(name, types) for name, types in sorted(mappings.items())]
    if offer.flows:
        parts += [_NOT_OVER, *(_result_class(flow) for flow in offer.flows)]
    parts.append(_client(offer))
    return {"__init__.py": "\n\n\n".join(parts) + "\n", "py.typed": ""}


def _dataclass(name: str, values: list[Value]) -> str:
    ordered = sorted(values, key=lambda one: one.is_optional)
    lines = ["@dataclass(frozen=True, slots=True)", f"class {_class(name)}:"]
    lines.append(f'    """A record of {_plain(name)}."""\n')
    for one in ordered:
        kind = _PYTHON[one.kind]
        lines.append(f"    {_identifier(one.name)}: {kind}{' | None = None' if one.is_optional else ''}")
        if one.words:
            lines[-1] += f"  # {_plain(one.words)}"
    lines += ["", "    @classmethod", f"    def read(cls, data: Mapping[str, Any]) -> {_class(name)}:"]
    lines.append('        """From the data of a record, or of a reply."""')
    lines.append("        return cls(")
    lines += [f"            {_identifier(one.name)}={_reading(one)}," for one in ordered]
    return "\n".join([*lines, "        )"])


def _reading(one: Value) -> str:
    """What reads a value out of `data`."""
    read = _READ.get(one.kind, "{}").format(f"data[{one.name!r}]")
    if not one.is_optional:
        return read
    return f"None if data.get({one.name!r}) is None else {read}" if one.kind in _READ else f"data.get({one.name!r})"


def _result_class(flow: Flow) -> str:
    ordered = sorted(flow.reply, key=lambda one: one.is_optional and not one.records)
    lines = ["@dataclass(frozen=True, slots=True)", f"class {_class(flow.name)}Result:"]
    lines += [f'    """What flow {_plain(flow.name)} replies. run: its address."""', "", "    run: str"]
    for one in ordered:
        kind = f"list[{_class(one.records)}]" if one.records else _PYTHON[one.kind]
        lines.append(
            f"    {_identifier(one.name)}: {kind}{' | None = None' if one.is_optional and not one.records else ''}"
        )
    lines += ["", "    @classmethod", f"    def read(cls, answer: Mapping[str, Any]) -> {_class(flow.name)}Result:"]
    lines += ["        data = answer['reply']", "        return cls(", "            run=answer['run'],"]
    for one in ordered:
        read = f"[{_class(one.records)}.read(each) for each in data.get({one.name!r}) or []]"
        lines.append(f"            {_identifier(one.name)}={read if one.records else _reading(one)},")
    return "\n".join([*lines, "        )"])


def _reply_class(mapping: str, types: list[str]) -> str:
    lines = ["@dataclass(frozen=True, slots=True)", f"class {_class(mapping)}Reply(Reply):"]
    lines.append(f'    """What mapping {_plain(mapping)} makes of a response."""\n')
    lines += [f"    {_identifier(one)}: list[{_class(one)}]" for one in types]
    lines += ["", "    @classmethod", f"    def read(cls, reply: Mapping[str, Any]) -> {_class(mapping)}Reply:"]
    lines.append("        return cls(")
    lines.append("            **_said(reply),")
    for one in types:
        lines.append(
            f"            {_identifier(one)}=[{_class(one)}.read(data) for data in reply['records'][{one!r}]],"
        )
    return "\n".join([*lines, "        )"])


def _client(offer: Offer) -> str:
    name = _class(offer.title)
    lines = [f"class {name}:", f'    """{_plain(offer.title)}: what it may use, typed."""', ""]
    lines += ["    def __init__(self, application: Application) -> None:", "        self.application = application"]
    for call in offer.calls:
        lines += ["", *_call_method(call, "", "Answer")]
        for mapping in sorted(call.mappings):
            lines += ["", *_call_method(call, mapping, f"{_class(mapping)}Reply")]
            lines += ["", *_pages_method(call, mapping)]
    for flow in offer.flows:
        lines += ["", *_flow_method(flow)]
    for records in offer.records:
        if records.name in offer.types:
            lines += ["", *_record_methods(records, offer.types[records.name])]
    return "\n".join(lines)


def _flow_method(flow: Flow) -> Iterator[str]:
    parameters, given = _arguments(flow, "key: str | None = None, wait: float | None = None")
    result = f"{_class(flow.name)}Result"
    yield f"    def run_{_identifier(flow.name)}(self, {parameters}) -> {result}:"
    yield f'        """{_plain(flow.words)}. Raises NotOver, and RondineProblem (flow_failed)."""'
    yield f"        answer = self.application.call_flow({flow.name!r}, {given}, key=key, wait=wait)"
    yield '        if "state" in answer:'
    yield "            raise NotOver(answer)"
    yield f"        return {result}.read(answer)"


def _arguments(call: Call | Flow, more: str) -> tuple[str, str]:
    """(a method's parameters after self, the mapping of what was given)."""
    ordered = sorted(call.inputs, key=lambda one: one.is_optional)
    given = [
        f"{_identifier(one.name)}: {_PYTHON[one.kind]}{' | None = None' if one.is_optional else ''}" for one in ordered
    ]
    values = ", ".join(f"{one.name!r}: {_identifier(one.name)}" for one in call.inputs)
    parameters = ", ".join(filter(None, [*given, more]))
    return (f"*, {parameters}" if parameters else ""), f"_given({{{values}}})"


def _call_method(call: Call, mapping: str, reply: str) -> Iterator[str]:
    parameters, given = _arguments(call, "after: str | None = None, key: str | None = None")
    name = _identifier(call.name) + (f"_as_{_identifier(mapping)}" if mapping else "")
    yield f"    def {name}(self, {parameters}) -> {reply}:"
    yield f'        """{_plain(call.words)}"""'
    more = f", mapping={mapping!r}" if mapping else ""
    yield f"        reply = self.application.call({call.name!r}, {given}{more}, after=after, key=key)"
    if mapping:
        yield f"        return {reply}.read(reply)"
    else:
        yield '        return Answer(**_said(reply), body=reply.get("body"))'


def _pages_method(call: Call, mapping: str) -> Iterator[str]:
    parameters, given = _arguments(call, "")
    reply = f"{_class(mapping)}Reply"
    name = f"{_identifier(call.name)}_as_{_identifier(mapping)}_by_page"
    yield f"    def {name}(self{', ' + parameters if parameters else ''}) -> Iterator[{reply}]:"
    yield f'        """{_plain(call.words)}: page by page, until there is no next one."""'
    yield f"        for reply in self.application.replies({call.name!r}, {given}, mapping={mapping!r}):"
    yield f"            yield {reply}.read(reply)"


def _record_methods(records: Records, values: list[Value]) -> Iterator[str]:
    name, kind = _identifier(records.name), _class(records.name)
    yield f"    def {name}_records(self, *, limit: int | None = None, **filters: Any) -> Iterator[{kind}]:"
    yield f'        """Records of {_plain(records.name)}; filters as of `Application.records`."""'
    yield f"        for record in self.application.records({records.name!r}, limit=limit, **_given(filters)):"
    yield f'            yield {kind}.read(record["data"])'
    yield ""
    kinds = {one.name: _PYTHON[one.kind] for one in values}
    key = ", ".join(f"{_identifier(one)}: {kinds.get(one, 'str')}" for one in records.key)
    given = ", ".join(f"_sent({_identifier(one)})" for one in records.key)
    yield f"    def {name}_record(self, {key}) -> {kind}:"
    yield '        """One record. Raises RondineProblem (not_found)."""'
    yield f'        return {kind}.read(self.application.record({records.name!r}, {given})["data"])'
    for role in records.roles:
        yield ""
        yield from _writing_method(records, values, role, key, given)


def _writing_method(records: Records, values: list[Value], role: str, key: str, given: str) -> Iterator[str]:
    """Gives the record as it is read back; None if that could not be, or it is removed."""
    name, kind = _identifier(records.name), _class(records.name)
    fields = [one for one in values if role == "create" or one.name not in records.key]
    typed = ", ".join(f"{_identifier(one.name)}: {_PYTHON[one.kind]} | None = None" for one in fields)
    data = ", ".join(f"{one.name!r}: {_identifier(one.name)}" for one in fields)
    parameters = ["self"] if role == "create" else ["self", key, "version: str"]
    parameters += [] if role == "remove" or not typed else ["*", typed]
    returns = "None" if role == "remove" else f"{kind} | None"
    yield f"    def {role}_{name}({', '.join(parameters)}) -> {returns}:"
    yield f'        """{_DOES[role]} at the service."""'
    asked = f"{records.name!r}" if role == "create" else f"{records.name!r}, {given}"
    more = "" if role == "remove" else f", _given({{{data}}})" if role == "create" else f", data=_given({{{data}}})"
    more += "" if role == "create" else ", version=version"
    call = f"self.application.{role}({asked}{more})"
    if role == "remove":
        yield f"        {call}"
        return
    yield f'        data = {call}["data"]'
    yield f"        return None if data is None else {kind}.read(data)"


# --- TypeScript

_TYPESCRIPT = {
    "string": "string", "integer": "number | string", "decimal": "string", "number": "number | string",
    "boolean": "boolean", "date": "string", "datetime": "string", "json": "unknown",
}  # fmt: skip
_TS_HEAD = """// What {title} may use, as {version} has it.
// Written by `rondine generate typescript`: what is changed here is lost when it is written again.

/** What every reply says. is_all: these rows, with those of the pages before, are proven to be all; null if nothing
 * says. next: given as `after`, it brings the next page. */
export interface Reply {{
  run: string;
  status: number;
  outcome: "good" | "partial" | "nothing_found";
  message: string;
  is_all: boolean | null;
  all_why: string;
  next: string | null;
}}

export interface Answer extends Reply {{
  media_type: string;
  body: unknown;
  content?: string;
}}

export interface Mapped<R> extends Reply {{
  records: R;
  rejects: {{ record_type: string; ordinal: number; path: string; problems: unknown[] }}[];
  filtered: number;
}}

/** A record. made_at, changed_at, gone_at: of a kept one. version: of a live one, for its change. */
export interface Found<T> {{
  key: unknown[];
  data: T;
  made_at?: string;
  changed_at?: string;
  gone_at?: string | null;
  version?: string | null;
}}

/** count: of kept records. is_all: of live ones, proven with those of the pages before. */
export interface Page<T> {{
  items: Found<T>[];
  next: string | null;
  count?: number | null;
  is_all?: boolean | null;
}}

/** What became of a change at the service. differences: what is read back as something else than was sent. */
export interface Written<T> {{
  key: unknown[] | null;
  data: T | null;
  version: string | null;
  confirmed: "read back" | "answered" | "accepted";
  differences: {{ where: string; message: string; hint: string }}[];
  run: string;
}}

/** What a flow that is over replies; or its run, with `state`, if it is not over in time. */
export interface FlowReply<R> {{
  run: string;
  flow: string;
  reply: R;
  state?: undefined;
}}

export interface FlowRun {{
  run: string;
  number: number;
  flow: string;
  state: "queued" | "running" | "waiting" | "done" | "failed" | "cancelled";
  waits_for: {{ kind: "time" | "callback" | "person" | "doubt"; question: string; until: string | null }}[];
  reply: {{ status: number; address: string; body: unknown }} | null;
}}

export interface Options {{
  after?: string;
  /** Sent again with the same one, a call is made once; one that writes must have it. */
  key?: string;
  /** The user whom the application calls for, where it is limited to some. */
  caller?: string;
}}

/** What was refused or failed, as its problem document says it (RFC 9457). */
export class RondineProblem extends Error {{
  constructor(readonly problem: {{ status: number; code: string; detail: string; hint: string; may_pass: boolean }}) {{
    super(problem.detail);
  }}
}}
"""

_TS_ASK = """\
  /** address: of the environment's door, such as https://rondine.example/api/v1/use/olmara/live. */
  constructor(private readonly address: string, private readonly token: string) {}

  private async ask<T>(path: string, init: RequestInit = {}, headers: Record<string, string> = {}): Promise<T> {
    const response = await fetch(this.address + path, {
      ...init,
      headers: { Authorization: `Bearer ${this.token}`, ...headers },
    });
    const value = await response.json();
    if (!response.ok) throw new RondineProblem(value);
    return value as T;
  }

  private call<T>(operation: string, inputs: object, mapping?: string, options: Options = {}): Promise<T> {
    const headers: Record<string, string> = { "Content-Type": "application/json" };
    if (options.key) headers["Idempotency-Key"] = options.key;
    if (options.caller) headers["Rondine-Caller"] = options.caller;
    const body = JSON.stringify({ inputs, mapping, after: options.after });
    return this.ask<T>(`/operations/${operation}`, { method: "POST", body }, headers);
  }

  private run<T>(flow: string, inputs: object, options: Options = {}): Promise<T> {
    const headers: Record<string, string> = { "Content-Type": "application/json" };
    if (options.key) headers["Idempotency-Key"] = options.key;
    if (options.caller) headers["Rondine-Caller"] = options.caller;
    return this.ask<T>(`/flows/${flow}`, { method: "POST", body: JSON.stringify({ inputs }) }, headers);
  }

  private write<T>(method: string, path: string, value: unknown, version?: string, key?: string): Promise<T> {
    const headers: Record<string, string> = { "Idempotency-Key": key ?? crypto.randomUUID() };
    if (version !== undefined) headers["If-Match"] = version;
    if (value === undefined) return this.ask<T>(path, { method }, headers);
    headers["Content-Type"] = "application/json";
    return this.ask<T>(path, { method, body: JSON.stringify(value) }, headers);
  }"""


def typescript_module(document: Mapping[str, Any]) -> str:
    """One module without dependencies: it needs `fetch`."""
    offer = offer_of(document)
    parts = [_TS_HEAD.format(title=_plain(offer.title), version=_plain(offer.version)).rstrip()]
    for name, values in offer.types.items():
        members = "\n".join(f"  {_member(one)}{' | null' if one.is_optional else ''};" for one in values)
        parts.append(f"export interface {_class(name)} {{\n{members}\n}}")
    for call in offer.calls:
        members = "\n".join(f"  {_member(one)};" for one in call.inputs)
        parts.append(f"export interface {_class(call.name)}Inputs {{\n{members}\n}}")
    for flow in offer.flows:
        members = "\n".join(f"  {_member(one)};" for one in flow.inputs)
        parts.append(f"export interface {_class(flow.name)}Inputs {{\n{members}\n}}")
        members = "\n".join(f"  {_member(one)}{' | null' if one.is_optional else ''};" for one in flow.reply)
        parts.append(f"export interface {_class(flow.name)}Result {{\n{members}\n}}")
    parts.append("\n".join(_ts_client(offer)))
    return "\n\n".join(parts) + "\n"


def _member(value: Value) -> str:
    words = f"/** {_plain(value.words).replace('*/', '')} */\n  " if value.words else ""
    name = value.name if re.fullmatch(r"[A-Za-z_$][\w$]*", value.name) else repr(value.name)
    kind = f"{_class(value.records)}[]" if value.records else _TYPESCRIPT[value.kind]
    return f"{words}{name}{'?' if value.is_optional else ''}: {kind}"


def _ts_client(offer: Offer) -> Iterator[str]:
    yield f"export class {_class(offer.title)} {{"
    yield _TS_ASK
    for call in offer.calls:
        needs = any(not one.is_optional for one in call.inputs)
        given = f"inputs: {_class(call.name)}Inputs{'' if needs else ' = {}'}, options: Options = {{}}"
        yield ""
        yield f"  /** {_plain(call.words).replace('*/', '')} */"
        yield f"  {_camel(call.name)}({given}): Promise<Answer> {{"
        yield f"    return this.call<Answer>({_quoted(call.name)}, inputs, undefined, options);"
        yield "  }"
        for mapping, types in sorted(call.mappings.items()):
            shape = "{ " + "; ".join(f"{_quoted(one)}: {_class(one)}[]" for one in types) + " }"
            yield ""
            yield f"  {_camel(call.name)}As{_class(mapping)}({given}): Promise<Mapped<{shape}>> {{"
            yield f"    return this.call({_quoted(call.name)}, inputs, {_quoted(mapping)}, options);"
            yield "  }"
    for flow in offer.flows:
        needs = any(not one.is_optional for one in flow.inputs)
        given = f"inputs: {_class(flow.name)}Inputs{'' if needs else ' = {}'}, options: Options = {{}}"
        yield ""
        yield f"  /** {_plain(flow.words).replace('*/', '')} */"
        yield f"  run{_class(flow.name)}({given}): Promise<FlowReply<{_class(flow.name)}Result> | FlowRun> {{"
        yield f"    return this.run({_quoted(flow.name)}, inputs, options);"
        yield "  }"
    for records in offer.records:
        if records.name in offer.types:
            kind = _class(records.name)
            yield ""
            yield f"  {_camel(records.name)}Records(filters: Record<string, string> = {{}}): Promise<Page<{kind}>> {{"
            yield f"    return this.ask(`/records/{records.name}?${{new URLSearchParams(filters)}}`);"
            yield "  }"
            yield ""
            yield f"  {_camel(records.name)}Record(...key: string[]): Promise<Found<{kind}>> {{"
            path = f"/records/{records.name}/"
            yield f'    return this.ask("{path}" + key.map(encodeURIComponent).join("/"));'
            yield "  }"
            for role in records.roles:
                yield from _ts_writing(records, role)
    yield "}"


def _ts_writing(records: Records, role: str) -> Iterator[str]:
    kind, path = _class(records.name), f"/records/{records.name}"
    data = "" if role == "remove" else f"data: Partial<{kind}>"
    known = "" if role == "create" else "key: string[], version: string"
    parameters = ", ".join(filter(None, [known, data, "options: { key?: string } = {}"]))
    at = f'"{path}"' if role == "create" else f'"{path}/" + key.map(encodeURIComponent).join("/")'
    sent = "undefined" if role == "remove" else "{ data }"
    tag = "undefined" if role == "create" else "version"
    yield ""
    yield f"  {role}{kind}({parameters}): Promise<Written<{kind}>> {{"
    yield f'    return this.write("{_METHODS[role].upper()}", {at}, {sent}, {tag}, options.key);'
    yield "  }"


# --- names


def _class(name: str) -> str:
    words = re.findall(r"[A-Za-z0-9]+", name)
    made = "".join(word[:1].upper() + word[1:] for word in words)
    return made if made[:1].isalpha() else f"X{made}"


def _camel(name: str) -> str:
    made = _class(name)
    return made[:1].lower() + made[1:]


def _identifier(name: str) -> str:
    made = re.sub(r"\W", "_", name, flags=re.ASCII)
    if not made or made[0].isdigit():
        made = f"x_{made}"
    return (
        f"{made}_"
        if keyword.iskeyword(made) or made in ("self", "after", "key", "wait", "cls", "data", "run")
        else made
    )


def _quoted(text: str) -> str:
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def _plain(text: str) -> str:
    """Words within a comment or docstring: one line, nothing that ends it."""
    return re.sub(r"\s+", " ", text.replace("\\", "/").replace('"""', "'''")).strip()
