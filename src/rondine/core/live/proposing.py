"""Which operations of a service could play which role for a record type, told by its mapping: by what their responses
hold, the pattern of their paths, OData's entity sets, and the verbs that operations of GraphQL and SOAP are called by.

A proposal is to be looked at: what no input was found for is told with it.
"""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from msgspec import structs

from rondine.core.definitions.declared import members_of, opened
from rondine.core.errors import Problem
from rondine.core.live.asking import Fields
from rondine.core.live.document import (
    WRITING,
    BindingDocument,
    Compare,
    FilterInput,
    InputSource,
    ListBinding,
    Role,
    RoleBinding,
)
from rondine.core.names import singular
from rondine.core.operations.document import GraphQLBody, OperationDocument, SoapBody, is_reading, values_of
from rondine.core.operations.inputs import Input
from rondine.core.operations.values import ValueOf, parts_of
from rondine.core.pagination import OneResponse
from rondine.core.schema.json_schema import Schema, types_of

#: Verbs that names of operations begin with, by what they do.
_VERBS: Mapping[str, Role] = {
    **dict.fromkeys(("create", "add", "new", "insert", "post", "record", "plan", "ask", "register"), "create"),
    **dict.fromkeys(("update", "change", "edit", "patch", "modify", "move", "set", "save"), "change"),
    **dict.fromkeys(("replace", "put"), "replace"),
    **dict.fromkeys(("delete", "remove", "cancel", "withdraw", "destroy"), "remove"),
}  # fmt: skip
#: How deep in a response records are looked for.
_DEPTH = 5
#: Share of the mapping's fields that a response must have to be one of the records.
_ENOUGH = 0.5
_METHODS: Mapping[str, Role] = {"POST": "create", "PATCH": "change", "PUT": "replace", "DELETE": "remove"}


@dataclass(frozen=True, slots=True)
class Known:
    """An operation of the service. schemas: the `$defs` that its responses refer to.  answered: the schema of what it
    answered the last time, None if it was not called.  given: the values that its inputs had then."""

    name: str
    document: OperationDocument
    schemas: Mapping[str, Schema]
    answered: Schema | None = None
    given: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Proposed:
    """candidates: the operations that could play each role, the likeliest first; the binding has the first. problems:
    what nothing was found for."""

    binding: BindingDocument
    candidates: Mapping[Role, Sequence[str]]
    problems: Sequence[Problem]


@dataclass(slots=True)
class _Seen:
    """An operation as its response shows it. way: to the records in it, `*` for the elements of a list.  share: of the
    fields that are there."""

    known: Known
    way: tuple[str, ...] = ()
    share: float = 0.0
    schema: Schema = field(default_factory=dict)

    @property
    def document(self) -> OperationDocument:
        return self.known.document

    @property
    def is_list(self) -> bool:
        return "*" in self.way


def propose_binding(
    record_type: str, mapping: str, fields: Fields, operations: Sequence[Known], *, chosen: Mapping[Role, str]
) -> Proposed:
    """chosen: operations that somebody has named for a role."""
    paths = {rule.name: path for rule in fields.output.fields if (path := fields.path(rule.name))}
    seen = [_seen(known, paths) for known in operations]
    by_name = {one.known.name: one for one in seen}
    lists = _ranked_lists(seen, by_name.get(chosen.get("list", "")))
    anchor = lists[0] if lists else None
    parents = _parents(anchor)
    found: dict[Role, list[_Seen]] = {"list": lists, "find": _finds(seen, anchor, fields, parents)}
    for role in WRITING:
        found[role] = _writes(seen, role, anchor or next(iter(found["find"]), None), record_type)
    problems: list[Problem] = []
    roles: dict[str, Any] = {}
    for role, candidates in found.items():
        one = by_name.get(chosen.get(role, "")) or next(iter(candidates), None)
        if one is not None:
            if role != "list" and not one.share and anchor is not None:
                one = replace(one, way=_likely_way(one, anchor))
            roles[role] = _bound(role, one, fields, paths, parents, problems)
    names = {role: [one.known.name for one in candidates] for role, candidates in found.items()}
    return Proposed(BindingDocument(record_type=record_type, mapping=mapping, **roles), names, problems)


# --- what responses hold


def _seen(known: Known, paths: Mapping[str, tuple[str, ...]]) -> _Seen:
    best = _Seen(known)
    for whole in _good_responses(known):
        for way, schema in _objects(whole, known.schemas, (), 0):
            there = sum(_leads(schema, known.schemas, path) for path in paths.values())
            share = there / len(paths) if paths else 0.0
            if share > best.share:
                best = _Seen(known, way, share, schema)
    return best


def _good_responses(known: Known) -> Iterator[Schema]:
    """The schemas of good responses: as they are described, then as one was, which tells what no description does."""
    for response in known.document.responses:
        if response.status.startswith("2") and isinstance(response.schema, dict):
            yield response.schema
    if known.answered is not None:
        yield known.answered


def _objects(
    schema: Any, schemas: Mapping[str, Schema], way: tuple[str, ...], depth: int
) -> Iterator[tuple[tuple[str, ...], Schema]]:
    """Every object in a response, the outer ones first."""
    one = opened(schema, schemas)
    if "array" in types_of(one):
        yield from _objects(one.get("items"), schemas, (*way, "*"), depth + 1)
        return
    if not members_of(one):
        return
    yield way, one
    if depth < _DEPTH:
        for name, member in members_of(one).items():
            yield from _objects(member, schemas, (*way, name), depth + 1)


def _likely_way(one: _Seen, anchor: _Seen) -> tuple[str, ...]:
    """Where an operation has a record of which its responses show nothing: in what the list has its records in, if that
    is there at all."""
    way = tuple(step for step in anchor.way if step != "*")
    whole = _good_responses(one.known)
    return way if any(_leads(schema, one.known.schemas, way) for schema in whole) else ()


def _leads(schema: Schema, schemas: Mapping[str, Schema], path: tuple[str, ...]) -> bool:
    at: Any = schema
    for name in path:
        at = members_of(opened(at, schemas)).get(_local(name))
        if at is None:
            return False
    return True


def declared_types(operation: Known, way: tuple[str, ...]) -> dict[str, str]:
    """The types that OData metadata gives the properties of a row, by path (`Shelf/Row`)."""
    for response in operation.document.responses:
        for there, schema in _objects(response.schema, operation.schemas, (), 0) if response.schema else ():
            if there == way:
                return dict(_edm_types(schema, operation.schemas, "", 0))
    return {}


def row_way(rows: Sequence[str]) -> tuple[str, ...]:
    """The names that JSONPaths of levels lead through, `*` for the elements of a list."""
    return tuple(step for path in rows for step in re.findall(r"\*|[\w@.-]+", path.replace("$", "").replace(".", " ")))


def _edm_types(schema: Any, schemas: Mapping[str, Schema], before: str, depth: int) -> Iterator[tuple[str, str]]:
    for name, member in members_of(opened(schema, schemas)).items():
        one = opened(member, schemas)
        kind = one.get("x-type")
        if isinstance(kind, str):
            yield before + name, kind
        elif members_of(one) and depth < _DEPTH and not one.get("x-navigation"):
            yield from _edm_types(one, schemas, f"{before}{name}/", depth + 1)


# --- roles


def _ranked_lists(seen: Sequence[_Seen], chosen: _Seen | None) -> list[_Seen]:
    able = [
        one
        for one in seen
        if is_reading(one.document)
        and one.is_list
        and one.share >= _ENOUGH
        and (one is chosen or set(_required(one)) <= set(_parents(one)))
    ]
    able.sort(key=lambda one: (one is not chosen, -one.share, not _has_paging(one), _then(one), len(one.document.path)))
    return able if chosen is None or chosen in able else [chosen, *able]


def _has_paging(one: _Seen) -> bool:
    return one.document.paging is not None and not isinstance(one.document.paging, OneResponse)


def _then(one: _Seen) -> str:
    return one.document.odata.then if one.document.odata is not None else ""


def _required(one: _Seen) -> list[str]:
    return [input_.name for input_ in one.document.inputs if input_.required]


def _parents(anchor: _Seen | None) -> dict[str, Any]:
    """What the inputs in the path of a list were given the last time: they say whose records these are, such as the
    crew of /crews/{crew}/tasks, and are the same wherever else they stand."""
    if anchor is None:
        return {}
    return {name: anchor.known.given[name] for name in _key_inputs(anchor.document) if name in anchor.known.given}


def _finds(seen: Sequence[_Seen], anchor: _Seen | None, fields: Fields, parents: Mapping[str, Any]) -> list[_Seen]:
    key = fields.record_type.key
    able = [
        one
        for one in seen
        if is_reading(one.document)
        and not one.is_list
        and (one.share >= _ENOUGH or (_is_one_of(one, anchor) and not one.share))
        and 0 < len(set(_required(one)) - set(parents)) <= max(1, len(key))
        and not _then(one)
    ]
    able.sort(key=lambda one: (not _is_beside(one, anchor), -one.share, len(one.document.path)))
    return able


def _writes(seen: Sequence[_Seen], role: Role, anchor: _Seen | None, record_type: str) -> list[_Seen]:
    able = []
    for one in seen:
        document = one.document
        if is_reading(document) or _then(one):
            continue
        if isinstance(document.body, GraphQLBody | SoapBody):
            verb, *rest = _words(one.known.name)
            about = {singular(word) for word in rest}
            wanted = {*map(singular, _words(record_type)), *(_stem(anchor) if anchor else ())}
            if _VERBS.get(verb) == role and (about & wanted or one.share >= _ENOUGH):
                able.append(one)
        elif anchor is not None and _role_of(one) == role and _is_beside(one, anchor):
            able.append(one)
    able.sort(key=lambda one: (-one.share, len(one.document.path), one.known.name))
    return able


def _stem(anchor: _Seen) -> set[str]:
    words = [singular(word) for word in _words(anchor.known.name)]
    return set(words[1:] if len(words) > 1 and words[0] in ("list", "find", "get", "search") else words)


def _role_of(one: _Seen) -> Role | None:
    document = one.document
    if any(header.name.lower() == "x-http-method" and header.value == "MERGE" for header in document.headers):
        return "change"
    has_key = bool(_key_inputs(document)) and (document.odata is not None or _ends_in_key(document.path))
    role = _METHODS.get(document.method)
    return role if role is not None and has_key == (role != "create") else None


def _is_beside(one: _Seen, anchor: _Seen | None) -> bool:
    """Whether two operations are about the same collection."""
    if anchor is None:
        return False
    if one.document.odata is not None or anchor.document.odata is not None:
        return one.document.path == anchor.document.path
    return _collection(one.document.path) == _collection(anchor.document.path)


def _is_one_of(one: _Seen, anchor: _Seen | None) -> bool:
    """Whether an operation's address is that of a list with a key behind it."""
    return _is_beside(one, anchor) and one.document.odata is None and _ends_in_key(one.document.path)


def _ends_in_key(path: str) -> bool:
    return path.rstrip("/") != _collection(path)


def _collection(path: str) -> str:
    return re.sub(r"/\{[^}]*\}$", "", path.rstrip("/"))


def _words(name: str) -> list[str]:
    return re.findall(r"[a-z]+|[0-9]+", re.sub(r"([A-Z])", r" \1", name).lower())


def _key_inputs(document: OperationDocument) -> list[str]:
    """Inputs that stand in the path or in OData's key."""
    if document.odata is not None and document.odata.key:
        return [one.value.input for one in document.odata.key if isinstance(one.value, ValueOf)]
    return re.findall(r"\{([^}:*+?/]+)\}", document.path)


# --- inputs


def _bound(
    role: Role,
    one: _Seen,
    fields: Fields,
    paths: Mapping[str, tuple[str, ...]],
    parents: Mapping[str, Any],
    problems: list[Problem],
) -> RoleBinding:
    document = one.document
    carriers = _carriers(document)
    inputs = {name: InputSource(value=parents[name]) for name in _key_inputs(document) if name in parents}
    inputs |= _key_sources(role, document, fields, carriers, paths, set(inputs))
    free = [input_ for input_ in document.inputs if input_.name not in inputs]
    if_match = {name for name, ways in carriers.items() if ("if-match",) in ways}
    for input_ in free:
        if input_.name in if_match and role in WRITING:
            inputs[input_.name] = InputSource(version=True)
        elif role in WRITING and role != "remove":
            source = _source(input_, carriers.get(input_.name, []), fields, paths)
            source = source or _whole(input_, carriers.get(input_.name, []), one, paths)
            if source is not None:
                inputs[input_.name] = source
    if role == "list":
        filters = [made for input_ in free if (made := _filter(input_, fields)) is not None]
        taken = {one.input for one in filters}
        _tell_open(role, [input_ for input_ in free if input_.name not in taken], inputs, problems)
        return ListBinding(operation=one.known.name, inputs=inputs, rows=_rows(one, fields, role), filters=filters)
    _tell_open(role, free, inputs, problems)
    if role not in ("list", "find", "remove") and not _brings_fields(role, inputs, fields):
        words = f"the operation that does {role} is given none of the record's fields"
        problems.append(Problem(f"/{role}/inputs", words, "say what it is given, or take another operation"))
    bound = RoleBinding(operation=one.known.name, inputs=inputs, rows=_rows(one, fields, role))
    if role == "find" or one.share >= _ENOUGH:
        return bound
    keys = _key_way(one, fields, paths) if role == "create" else None
    if keys is not None:
        return structs.replace(bound, rows=keys, brings="key")
    return structs.replace(bound, rows=None, brings="nothing")


def _brings_fields(role: Role, inputs: Mapping[str, InputSource], fields: Fields) -> bool:
    """Whether a write says anything of the record, besides which one it is."""
    known = [] if role == "create" else fields.record_type.key
    return any(source.members or (source.field and source.field not in known) for source in inputs.values())


def _tell_open(role: Role, inputs: Sequence[Input], found: Mapping[str, InputSource], problems: list[Problem]) -> None:
    for input_ in inputs:
        if input_.required and input_.name not in found:
            words = f'nothing was found for the input "{input_.name}" of the operation that does {role}'
            problems.append(
                Problem(f"/{role}/inputs/{input_.name}", words, "say what it is given: a field, or a value")
            )


def _key_sources(
    role: Role,
    document: OperationDocument,
    fields: Fields,
    carriers: Mapping[str, list[tuple[str, ...]]],
    paths: Mapping[str, tuple[str, ...]],
    taken: set[str],
) -> dict[str, InputSource]:
    """What the inputs by which one record is found are given. taken: those that say whose records these are."""
    if role in ("list", "create"):
        return {}
    key = fields.record_type.key
    names = _key_inputs(document) or [input_.name for input_ in document.inputs if input_.required]
    names = [name for name in names if name not in taken]
    found: dict[str, InputSource] = {}
    for name in names:
        alike = next((one for one in key if _letters(one) == _letters(name)), "")
        source = InputSource(field=alike) if alike else _source(Input(name=name), carriers.get(name, []), fields, paths)
        if source is not None and source.field in key and source not in found.values():
            found[name] = source
    if not found and len(names) == len(key) == 1:
        found[names[0]] = InputSource(field=key[0])
    return found


def _carriers(document: OperationDocument) -> dict[str, list[tuple[str, ...]]]:
    """Where each input goes, as the names that lead there."""
    found: dict[str, list[tuple[str, ...]]] = {}
    places = dict(values_of(document))
    for pointer, value in places.items():
        way = _way_of(document, pointer)
        for part in parts_of(value):
            if isinstance(part, ValueOf) and part.input and way:
                found.setdefault(part.input, []).append(way)
    return found


def _way_of(document: OperationDocument, pointer: str) -> tuple[str, ...]:
    """The names that lead to a value in what is sent. pointer: of the value in the operation."""
    parts = pointer.strip("/").split("/")
    held: Any = document
    for part in parts:
        held = held[int(part)] if isinstance(held, list) else getattr(held, part, None)
    at = getattr(held, "at", None)
    if isinstance(at, str):
        return tuple(_local(step) for step in at.strip("/").split("/") if step and not step.isdigit())
    name = getattr(held, "name", "")
    return (name.lower() if parts[0] == "headers" else name,) if name else ()


def _source(
    input_: Input, ways: Sequence[tuple[str, ...]], fields: Fields, paths: Mapping[str, tuple[str, ...]]
) -> InputSource | None:
    """The field whose value stands at the same place in responses, or that is called the same."""
    if input_.members:
        members = {
            name: source
            for name in input_.members
            if (source := _source(Input(name="x"), [(name,)], fields, paths)) is not None
        }
        return InputSource(members=members) if members else None
    local = {name: tuple(_local(step) for step in path) for name, path in paths.items()}
    for way in ways:
        for length in range(len(way)):
            for name, path in local.items():
                if way[length:] == path:
                    return InputSource(field=name)
    words = {_letters(input_.name), *(_letters("".join(way)) for way in ways), *(_letters(way[-1]) for way in ways)}
    for record_field in fields.record_type.fields:
        if record_field.name in paths and _letters(record_field.name) in words:
            return InputSource(field=record_field.name)
    for name, path in local.items():
        if _letters("".join(path)) in words or (len(path) > 1 and _letters(path[0]) in words and path[-1] in _IDS):
            return InputSource(field=name)
    return None


def _whole(
    input_: Input, ways: Sequence[tuple[str, ...]], one: _Seen, paths: Mapping[str, tuple[str, ...]]
) -> InputSource | None:
    """All fields in one object, for an input that is sent where responses have the record and of which nothing more is
    described."""
    way = tuple(step for step in one.way if step != "*")
    if input_.type != "json" or input_.members or not way or way not in ways:
        return None
    return InputSource(members={path[0]: InputSource(field=name) for name, path in paths.items() if len(path) == 1})


#: What the key of an object within a record is called, where a write takes the key in place of the object.
_IDS = ("id", "number", "code", "key")
_BOUNDS: Sequence[tuple[str, Compare]] = (
    ("min", "from"), ("from", "from"), ("since", "from"), ("after", "from"), ("start", "from"),
    ("max", "to"), ("to", "to"), ("until", "to"), ("before", "to"), ("end", "to"),
)  # fmt: skip


def _filter(input_: Input, fields: Fields) -> FilterInput | None:
    """What an input of a list is called like: a field, or a bound of one (min_girth, from)."""
    plain = _letters(input_.name)
    for one in fields.record_type.fields:
        if one.type != "json" and plain in (_letters(one.name), *_leaf(fields, one.name)):
            return FilterInput(input=input_.name, field=one.name)
    words = _words(input_.name)
    for word, compare in _BOUNDS:
        if word not in (words[0], words[-1]):
            continue
        rest = "".join(words[1:] if words[0] == word else words[:-1])
        for one in fields.record_type.fields:
            if rest and rest in (_letters(one.name), *_leaf(fields, one.name)):
                return FilterInput(input=input_.name, field=one.name, compare=compare)
        dates = [one for one in fields.record_type.fields if one.type in ("date", "datetime")]
        if not rest and len(dates) == 1 and input_.type in ("date", "datetime", "text"):
            return FilterInput(input=input_.name, field=dates[0].name, compare=compare)
    return None


def _leaf(fields: Fields, name: str) -> tuple[str, ...]:
    path = fields.path(name)
    return (_letters(path[-1]), _letters("".join(path))) if path else ()


# --- rows


def _rows(one: _Seen, fields: Fields, role: Role) -> list[str] | None:
    """Where the records are in this operation's responses; None if it is where the mapping says."""
    if fields.format == "xml":
        if role == "list" or not fields.output.rows:
            return None
        names = [step for step in one.way if step != "*"]
        last, colon, _ = _last_step(fields).rpartition(":")
        return [f"//{last}{colon}{names[-1]}" if names else f"//{_last_step(fields)}"]
    if not one.share and role == "list":
        return None
    written = "$" + "".join("[*]" if step == "*" else _step(step) for step in one.way)
    if [written] == [level.path("json").text for level in fields.output.rows]:
        return None
    return [written]


def _key_way(one: _Seen, fields: Fields, paths: Mapping[str, tuple[str, ...]]) -> list[str] | None:
    """Where a response has the key of what was made, and nothing else of it."""
    wanted = [paths[name] for name in fields.record_type.key if name in paths]
    if not wanted or len(wanted) != len(fields.record_type.key):
        return None
    for whole in _good_responses(one.known):
        for way, schema in _objects(whole, one.known.schemas, (), 0):
            if all(_leads(schema, one.known.schemas, path) for path in wanted):
                if fields.format == "xml":
                    leaf = wanted[0][0]
                    return [f"//*[{leaf}]"]
                return ["$" + "".join("[*]" if step == "*" else _step(step) for step in way)]
    return None


def _last_step(fields: Fields) -> str:
    return fields.output.rows[-1].path("xml").text.rstrip("/").rpartition("/")[2].partition("[")[0]


def _step(name: str) -> str:
    if re.fullmatch(r"[A-Za-z_]\w*", name):
        return f".{name}"
    return "['" + name.replace("\\", "\\\\").replace("'", "\\'") + "']"


def _local(name: str) -> str:
    return name.removeprefix("@").rpartition(":")[2]


def _letters(text: str) -> str:
    return re.sub(r"[^a-z0-9]", "", text.lower())
