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
    """A member of a record, or an input. kind: string, integer, decimal, number, boolean, date, datetime or json."""

    name: str
    kind: str
    is_optional: bool
    words: str = ""


@dataclass(frozen=True, slots=True)
class Call:
    """mappings: by name, the record types that each fills."""

    name: str
    words: str
    inputs: list[Value]
    mappings: dict[str, list[str]]


@dataclass(frozen=True, slots=True)
class Records:
    """Kept records that can be read. key: the names of the fields of their key."""

    name: str
    key: list[str]


@dataclass(frozen=True, slots=True)
class Offer:
    """What is generated for, in an order of its own: the same document gives the same text."""

    title: str
    version: str
    types: dict[str, list[Value]]
    calls: list[Call]
    records: list[Records]


def offer_of(document: Mapping[str, Any]) -> Offer:
    """document: as `Application.openapi` gives it."""
    schemas = document["components"]["schemas"]
    types = {
        name.removeprefix(RECORD): _values(schema)
        for name, schema in sorted(schemas.items())
        if name.startswith(RECORD)
    }
    calls, records = [], []
    for path, methods in sorted(document["paths"].items()):
        parts = path.strip("/").split("/")
        if parts[0] == "operations":
            calls.append(_call(parts[1], methods["post"]))
        elif parts[0] == "records" and len(parts) > 2:
            records.append(Records(parts[1], [part.strip("{}") for part in parts[2:]]))
    info = document["info"]
    return Offer(info["title"], info["version"], types, calls, records)


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


def _values(schema: Mapping[str, Any]) -> list[Value]:
    required = schema.get("required", [])
    return [
        Value(name, _kind(one), name not in required, one.get("description", ""))
        for name, one in schema.get("properties", {}).items()
    ]


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


def python_package(document: Mapping[str, Any]) -> dict[str, str]:
    """The files of a Python package, by their names: `__init__.py`, and `py.typed` (PEP 561)."""
    offer = offer_of(document)
    parts = [_HEAD.format(title=_plain(offer.title), version=_plain(offer.version)).rstrip()]
    parts += [_dataclass(name, values) for name, values in offer.types.items()]
    mappings = {name: types for call in offer.calls for name, types in call.mappings.items()}
    parts += [_reply_class(name, types) for name, types in sorted(mappings.items())]
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
    for one in ordered:
        read = _READ.get(one.kind, "{}").format(f"data[{one.name!r}]")
        if one.is_optional:
            whole = f"data.get({one.name!r})" if one.kind not in _READ else ""
            read = whole or f"None if data.get({one.name!r}) is None else {read}"
        lines.append(f"            {_identifier(one.name)}={read},")
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
    for records in offer.records:
        if records.name in offer.types:
            lines += ["", *_record_methods(records, offer.types[records.name])]
    return "\n".join(lines)


def _arguments(call: Call, more: str) -> tuple[str, str]:
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
    yield f'        """Kept records of {_plain(records.name)}; filters as of `Application.records`."""'
    yield f"        for record in self.application.records({records.name!r}, limit=limit, **_given(filters)):"
    yield f'            yield {kind}.read(record["data"])'
    yield ""
    kinds = {one.name: _PYTHON[one.kind] for one in values}
    key = ", ".join(f"{_identifier(one)}: {kinds.get(one, 'str')}" for one in records.key)
    given = ", ".join(f"_sent({_identifier(one)})" for one in records.key)
    yield f"    def {name}_record(self, {key}) -> {kind}:"
    yield '        """One kept record. Raises RondineProblem (not_found)."""'
    yield f'        return {kind}.read(self.application.record({records.name!r}, {given})["data"])'


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

export interface Kept<T> {{
  key: unknown[];
  data: T;
  made_at: string;
  changed_at: string;
  gone_at: string | null;
}}

export interface Page<T> {{
  items: Kept<T>[];
  next: string | null;
  count: number;
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
    parts.append("\n".join(_ts_client(offer)))
    return "\n\n".join(parts) + "\n"


def _member(value: Value) -> str:
    words = f"/** {_plain(value.words).replace('*/', '')} */\n  " if value.words else ""
    name = value.name if re.fullmatch(r"[A-Za-z_$][\w$]*", value.name) else repr(value.name)
    return f"{words}{name}{'?' if value.is_optional else ''}: {_TYPESCRIPT[value.kind]}"


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
    for records in offer.records:
        if records.name in offer.types:
            kind = _class(records.name)
            yield ""
            yield f"  {_camel(records.name)}Records(filters: Record<string, string> = {{}}): Promise<Page<{kind}>> {{"
            yield f"    return this.ask(`/records/{records.name}?${{new URLSearchParams(filters)}}`);"
            yield "  }"
            yield ""
            yield f"  {_camel(records.name)}Record(...key: string[]): Promise<Kept<{kind}>> {{"
            path = f"/records/{records.name}/"
            yield f'    return this.ask("{path}" + key.map(encodeURIComponent).join("/"));'
            yield "  }"
    yield "}"


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
    return f"{made}_" if keyword.iskeyword(made) or made in ("self", "after", "key", "cls", "data") else made


def _quoted(text: str) -> str:
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def _plain(text: str) -> str:
    """Words within a comment or docstring: one line, nothing that ends it."""
    return re.sub(r"\s+", " ", text.replace("\\", "/").replace('"""', "'''")).strip()
