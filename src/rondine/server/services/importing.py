"""Importing definitions: looked at first, chosen from, written in one transaction; and again later, with what has changed shown before it is taken."""

import hashlib
import json
import threading
import zlib
from collections import OrderedDict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

import uritemplate
from asgiref.sync import sync_to_async
from django.db import transaction
from msgspec import UNSET, structs

from rondine.core.connection import ConnectionDocument
from rondine.core.definitions import Definition as Read
from rondine.core.definitions import DescribedOperation, Files, Server, fit_to_keep, read_definition
from rondine.core.definitions.compare import Difference, Merged, fields_of, merged, without_inputs
from rondine.core.definitions.files import MOST_FILES, Report, main_of, to_nobody, unpacked
from rondine.core.definitions.graphql import introspection_query
from rondine.core.definitions.model import DefinitionDocument, schemas_needed
from rondine.core.definitions.record_types import ProposedType, proposed_types
from rondine.core.documents import ReadDocument, read_document, read_json
from rondine.core.errors import (
    Conflict,
    DocumentError,
    InputError,
    ServiceError,
    did_you_mean,
)
from rondine.core.http import Request, Send, origin
from rondine.core.mapping.propose import row_choices
from rondine.core.names import proposed_name
from rondine.core.paths import parse_jsonpath, parse_xpath
from rondine.core.protocols.inputs import checked_inputs
from rondine.core.protocols.operation import CameFrom, OperationDocument, is_reading, path_variables
from rondine.core.protocols.outcome import outcome
from rondine.core.protocols.rest import build_request, with_connection
from rondine.core.protocols.soap import fault_of
from rondine.core.settings import dump, load
from rondine.core.signin import NoSignIn
from rondine.engine.client import Engine, Line
from rondine.server.access.models import Person, Project
from rondine.server.items.actions import ItemKind, change_item, find_item, make_item, make_items
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import Feed, RecordType
from rondine.server.services.actions import (
    TRIAL_PATIENCE,
    connection_for,
    environment_of,
    given_content,
    guard_of,
    line_of,
    release_database,
)
from rondine.server.services.kinds import CONNECTIONS, CREDENTIALS, DEFINITIONS, OPERATIONS, SERVICES
from rondine.server.services.models import (
    Connection,
    Definition,
    DefinitionFile,
    Operation,
    Service,
)

#: What documents of definitions are asked for as.
MOST_ROWS = 10
ACCEPT = "application/json, application/yaml, application/xml, application/graphql, text/plain, */*;q=0.5"


@dataclass(frozen=True, slots=True)
class Source:
    """The files of a definition and where they came from. address: empty if they were uploaded."""

    main: str
    contents: Mapping[str, bytes]
    address: str = ""

    @property
    def hash(self) -> str:
        digest = hashlib.sha256()
        for name in sorted(self.contents):
            digest.update(f"{name}\0{len(self.contents[name])}\0".encode() + self.contents[name])
        return digest.hexdigest()[:32]


def uploaded(files: Sequence[Mapping[str, Any]], main: str = "") -> Source:
    """Files as the API takes them: a name, and a text or bytes in base64."""
    contents = {}
    for number, one in enumerate(files):
        contents[one["name"]], _ = given_content(one, f"/files/{number}")
    contents = {name: fit_to_keep(content) for name, content in unpacked(contents).items()}
    if main and main not in contents:
        raise InputError(f'there is no file "{main}"', where="/main", hint=did_you_mean(main, contents))
    return Source(main or main_of(contents), contents)


async def fetched(
    project: Project,
    engine: Engine,
    address: str,
    *,
    service: str = "",
    environment: str = "",
    introspect: bool = False,
    report: Report = to_nobody,
) -> Source:
    """The definition at an address, and the files it refers to on the same host. service, environment: whose connection signs in, if the address
    is on its host. introspect: a GraphQL service is asked for its schema. report: told of files fetched. The host must be permitted.
    """
    if not address.startswith(("https://", "http://")):
        raise InputError(
            f'"{address[:80]}" is not an address', where="/address", hint="it begins with https:// or http://"
        )
    line = await sync_to_async(_line_for)(project, address, service, environment)
    await release_database()
    if introspect:
        return Source(address, {address: await _introspected(engine, line, address)}, address)
    contents = {address: fit_to_keep(await _fetch(engine, line, address))}
    files = Files(address, contents)
    pending = await sync_to_async(files.outside, thread_sensitive=False)()
    while pending and len(contents) < MOST_FILES:
        here = [one for one in pending if origin(one) == origin(address)]
        if not here:
            break
        for one in here[:50]:
            report("files fetched", len(contents), len(contents) + len(here))
            try:
                contents[one] = await _fetch(engine, line, one)
            except (ServiceError, DocumentError):
                contents[one] = b""
        pending = await sync_to_async(Files(address, contents).outside, thread_sensitive=False)()
    return Source(address, contents, address)


def _line_for(project: Project, address: str, service: str, environment: str) -> Line:
    if service and environment:
        found = Service.objects.filter(project=project, name=service).first()
        connection = (
            Connection.objects.filter(service=found, environment=environment_of(project, environment)).first()
            if found
            else None
        )
        if connection is not None and not connection.problems:
            line = line_of(connection_for(connection.service, connection.environment))
            if origin(line.base_address) == origin(address):
                return line
    return Line(f"definitions {project.pk}", 0, "", NoSignIn(), guard_of(project.pk), is_connection=False)


async def _introspected(engine: Engine, line: Line, address: str) -> bytes:
    """A GraphQL service's answer to the introspection query. Raises ServiceError with its message if it tells nothing."""
    body = json.dumps({"query": introspection_query()}).encode()
    headers = (("Content-Type", "application/json"), ("Accept", "application/json"))
    arrival = await engine.call(line, Send(Request("POST", address, headers, body)))
    try:
        value = read_json(arrival.body, charset=arrival.charset)
    except DocumentError:
        value = None
    meaning = outcome(arrival.status, value)
    if not meaning.is_good:
        raise ServiceError(
            f"{arrival.status} {arrival.reason}: {meaning.words}{': ' + meaning.message if meaning.message else ''}",
            where=f"POST {address}",
            hint="if introspection is switched off there, import the schema's text (SDL), or write the query by hand",
        )
    return arrival.body


async def _fetch(engine: Engine, line: Line, address: str) -> bytes:
    arrival = await engine.call(line, Send(Request("GET", address, (("Accept", ACCEPT),))))
    meaning = outcome(arrival.status)
    if not meaning.is_good:
        raise ServiceError(
            f"{arrival.status} {arrival.reason}: {meaning.words}",
            where=f"GET {address}",
            hint=meaning.hint or "check the address in a browser",
        )
    return arrival.body


_cache: OrderedDict[tuple[str, str, str], Read] = OrderedDict()
_cache_lock = threading.Lock()


def read(source: Source, report: Report = to_nobody) -> Read:
    """What is sound in it; read once for looking and importing. report: told of progress. Raises DocumentError with the place."""
    key = (source.hash, source.main, source.address)
    with _cache_lock:
        if key in _cache:
            _cache.move_to_end(key)
            return _cache[key]
    found = read_definition(Files(source.main, source.contents, report), source.address)
    with _cache_lock:
        _cache[key] = found
        while len(_cache) > 4:
            _cache.popitem(last=False)
    return found


@dataclass(frozen=True, slots=True)
class Preview:
    """What an import would make. names: of operations, by key: the ones there are, or free ones.  there: keys that are imported already."""

    source: Source
    definition: Read
    names: Mapping[str, str]
    there: frozenset[str]
    types: list[ProposedType]


def preview(project: Project, source: Source, service: str = "", report: Report = to_nobody) -> Preview:
    found = read(source, report)
    names, there = _names(project, found, service)
    documents = [one.document for one in found.operations[:500]]
    types = proposed_types(documents, found.schemas, found.roots, project.naming_rule())
    return Preview(source, found, names, frozenset(there), types)


def _names(project: Project, found: Read, service: str) -> tuple[dict[str, str], set[str]]:
    taken = set(Operation.objects.filter(project=project).values_list("name", flat=True))
    there: dict[str, str] = {}
    if service:
        for name, key in Operation.objects.filter(project=project, service__name=service).values_list(
            "name", "document__came_from__key"
        ):
            if key:
                there[key] = name
    names = {}
    rule = project.naming_rule()
    for one in found.operations:
        if one.key in there:
            names[one.key] = there[one.key]
        else:
            names[one.key] = rule.name("operation", one.name, service=service, taken=taken)
            taken.add(names[one.key])
    return names, set(there) & set(names)


@dataclass(frozen=True, slots=True)
class Imported:
    service: str
    definition: str
    operations: list[str]
    record_types: list[str]
    connection: str | None
    credential: str | None
    secrets_needed: list[str]


def import_definition(
    project: Project, person: Person, role: str, source: Source, given: Mapping[str, Any]
) -> Imported:
    """Writes what was chosen, all of it or nothing.

    given: service (made if there is none), title, operations (keys; None for all), names (by key), left_out (inputs by key), record_types (names),
    connect (environment, server, blanks, sign_in), hash (of what was looked at).
    """
    if given.get("hash") and given["hash"] != source.hash:
        raise Conflict(
            "the definition has changed since it was looked at", where="/hash", hint="look at it again, then choose"
        )
    found = read(source)
    chosen = _chosen(found, given.get("operations"))
    service_name = given.get("service") or project.naming_rule().name(
        "service", found.title or urlsplit(source.address).hostname or "service"
    )
    with transaction.atomic():
        service = _service(project, person, role, service_name, given.get("title") or found.title, found)
        names, there = _names(project, found, service_name)
        names |= {key: name for key, name in (given.get("names") or {}).items() if key not in there}
        item = _definition(project, person, role, service, source, found)
        contents = []
        for one in chosen:
            if one.key in there:
                continue
            document = _document(one, item.name)
            if left := set((given.get("left_out") or {}).get(one.key, [])):
                _check_inputs(one, left)
                document = without_inputs(document, left)
            content = {"name": names[one.key], "title": one.title, "service": service.name, "document": dump(document)}
            contents.append(content)
        made = [each.name for each in make_items(OPERATIONS, project, person, contents, role=role)]
        if made and item.document.get("hash") != source.hash:
            _store_files(item, source)
            described = {"document": dump(_described(source, found)), "why": "more of it was imported"}
            item = change_item(DEFINITIONS, project, person, item.name, described, item.version, role=role)
        _remember(item, found, [one for one in chosen if one.key not in there])
        types = _make_types(project, person, role, chosen, found, given.get("record_types"))
        connection, credential, needed = None, None, []
        if (wanted := given.get("connect")) is not None:
            connection, credential, needed = _connect(project, person, role, service, found, wanted)
    return Imported(service.name, item.name, made, types, connection, credential, needed)


def _chosen(found: Read, keys: Sequence[str] | None) -> list[DescribedOperation]:
    if keys is None:
        return list(found.operations)
    by_key = {one.key: one for one in found.operations}
    if unknown := [key for key in keys if key not in by_key]:
        raise InputError(
            f'the definition has no operation "{unknown[0][:120]}"',
            where="/operations",
            hint=did_you_mean(unknown[0], by_key),
        )
    return [by_key[key] for key in dict.fromkeys(keys)]


def _check_inputs(one: DescribedOperation, left: set[str]) -> None:
    known = {each.name: each for each in one.document.inputs}
    for name in left:
        if name not in known:
            raise InputError(f'"{one.key}" has no input "{name}"', where="/left_out", hint=did_you_mean(name, known))
        if name in path_variables(one.document.path):
            raise InputError(
                f'"{name}" is part of the path of "{one.key}"', where="/left_out", hint="it cannot be left out"
            )


def _service(project: Project, person: Person, role: str, name: str, title: str, found: Read) -> Service:
    service = Service.objects.filter(project=project, name=name).first()
    if service is not None:
        return service
    document = {"documentation": found.documentation} if found.documentation else {}
    made: Service = make_item(
        SERVICES, project, person, {"name": name, "title": title[:200], "document": document}, role=role
    )
    return made


def _document(one: DescribedOperation, definition: str) -> OperationDocument:
    came_from = CameFrom(definition=definition, pointer=one.pointer, key=one.key)
    return structs.replace(one.document, came_from=came_from)


def _described(source: Source, found: Read) -> DefinitionDocument:
    return DefinitionDocument(
        format=found.format,
        title=found.title[:200],
        version=found.version[:80],
        address=source.address,
        documentation=found.documentation[:2000],
        main=source.main,
        files=sorted(source.contents),
        roots=list(found.roots),
        hash=source.hash,
    )


def _definition(
    project: Project, person: Person, role: str, service: Service, source: Source, found: Read
) -> Definition:
    """The item for this content: one of the service that has it already, or came from the same address; or a new one with its files."""
    for held in Definition.objects.filter(project=project, service=service):
        is_same = held.document.get("hash") == source.hash and held.document.get("main") == source.main
        if is_same or (source.address and held.document.get("address") == source.address):
            return held
    taken = set(Definition.objects.filter(project=project).values_list("name", flat=True))
    content = {
        "name": proposed_name(service.name, taken=taken),
        "title": found.title[:200],
        "service": service.name,
        "document": dump(_described(source, found)),
    }
    item: Definition = make_item(DEFINITIONS, project, person, content, role=role)
    _store_files(item, source)
    return item


def _store_files(item: Definition, source: Source) -> None:
    item.files.all().delete()
    DefinitionFile.objects.bulk_create(
        DefinitionFile(definition=item, name=name, stored=zlib.compress(content, 6))
        for name, content in source.contents.items()
    )


def _remember(item: Definition, found: Read, chosen: Sequence[DescribedOperation]) -> None:
    """Keeps what the definition says of the chosen operations, and the schemas they need."""
    item.offered = {**item.offered, **{one.key: dump(one.document) for one in chosen}}
    documents = [load(OperationDocument, one) for one in item.offered.values()]
    item.schemas = {**item.schemas, **(found.schemas if found.roots else schemas_needed(documents, found.schemas))}
    item.save(update_fields=["offered", "schemas"])


def _make_types(
    project: Project,
    person: Person,
    role: str,
    chosen: Sequence[DescribedOperation],
    found: Read,
    wanted: Sequence[str] | None,
) -> list[str]:
    """Makes the record types that were chosen, those of the chosen operations by default; what is there stays as it is."""
    proposed = {
        one.name: one
        for one in proposed_types([one.document for one in chosen], found.schemas, found.roots, project.naming_rule())
    }
    names = list(proposed) if wanted is None else list(wanted)
    if unknown := [name for name in names if name not in proposed]:
        raise InputError(
            f'the chosen operations bring no record type "{unknown[0]}"',
            where="/record_types",
            hint=did_you_mean(unknown[0], proposed),
        )
    there = set(RecordType.objects.filter(project=project, name__in=names).values_list("name", flat=True))
    made = [name for name in names if name not in there]
    contents = [{"name": name, "document": dump(proposed[name].document)} for name in made]
    make_items(RECORD_TYPES, project, person, contents, role=role)
    return made


def _connect(
    project: Project, person: Person, role: str, service: Service, found: Read, wanted: Mapping[str, Any]
) -> tuple[str | None, str | None, list[str]]:
    """Prepares the connection of an environment from servers and sign-ins. One that is there stays as it is."""
    environment = environment_of(project, wanted.get("environment") or "test")
    if held := Connection.objects.filter(service=service, environment=environment).first():
        return held.name, held.credential.name if held.credential else None, []
    address = wanted.get("address") or ""
    server = next((one for one in found.servers if one.address == address), None)
    if not address:
        server = found.servers[0] if found.servers else None
    offers = {one.name: one for one in found.sign_ins}
    name = wanted.get("sign_in")
    if name and name not in offers:
        raise InputError(
            f'the definition has no sign-in "{name}"', where="/connect/sign_in", hint=did_you_mean(name, offers)
        )
    usable = [one.sign_in for one in found.sign_ins if one.sign_in is not None]
    sign_in = (offers[name].sign_in if name else usable[0] if usable else None) or NoSignIn()
    blanks = {**(server.blanks if server else {}), **(wanted.get("blanks") or {})}
    document = ConnectionDocument(
        base_address=address or (server.address if server else ""),
        blanks={key: str(value) for key, value in blanks.items()},
        sign_in=sign_in,
        documentation=found.documentation,
    )
    credential = None
    if document.secret_names():
        credential = _free(CREDENTIALS, project, f"{service.name}-{environment.name}-key")
        make_item(CREDENTIALS, project, person, {"name": credential, "environment": environment.name}, role=role)
    connection = _free(CONNECTIONS, project, f"{service.name}-{environment.name}")
    content = {
        "name": connection,
        "service": service.name,
        "environment": environment.name,
        "credential": credential,
        "document": dump(document),
    }
    make_item(CONNECTIONS, project, person, content, role=role)
    return connection, credential, list(document.secret_names())


def _free(kind: ItemKind, project: Project, wanted: str) -> str:
    taken = set(kind.model._default_manager.filter(project=project).values_list("name", flat=True))
    return proposed_name(wanted, taken=taken)


# --- looking at rows before anything is made


@dataclass(frozen=True, slots=True)
class FirstRows:
    """url: what was asked, without secrets.  path: where the rows are in the response, a JSONPath.  rows: the first of them, as JSON."""

    url: str
    status: int
    words: str
    message: str
    path: str
    rows: list[Any]
    count: int


async def first_rows(
    project: Project,
    engine: Engine,
    source: Source,
    key: str,
    *,
    service: str,
    environment: str,
    values: Mapping[str, Any],
) -> FirstRows:
    """Asks the service for the first rows of an operation that is only described so far. Nothing is stored, not even a run.

    It signs in by the service's connection in the environment; without one it asks the definition's first server as it is.
    """
    found = await sync_to_async(read, thread_sensitive=False)(source)
    described = next((one for one in found.operations if one.key == key), None)
    if described is None:
        known = [one.key for one in found.operations]
        words = f'the definition has no operation "{key[:120]}"'
        raise InputError(words, where="/key", hint=did_you_mean(key, known))
    if not is_reading(described.document):
        raise InputError(f"{described.document.method} may write", where="/key", hint="choose an operation that reads")
    line, base = await sync_to_async(_line_to)(project, found, service, environment)
    known_values = {
        one.name: one.try_value
        for one in described.document.inputs
        if one.try_value is not UNSET and one.try_value is not None
    }
    known_values |= {"top": MOST_ROWS} if any(one.name == "top" for one in described.document.inputs) else {}
    inputs = checked_inputs(described.document.inputs, {**known_values, **values})
    built = with_connection(build_request(described.document, base, inputs), line.headers, line.query)
    await release_database()
    arrival = await engine.call(line, Send(built.request), patience=TRIAL_PATIENCE)
    answer = ReadDocument(None)
    try:
        answer = read_document(arrival.body, media_type=arrival.media_type, charset=arrival.charset)
    except DocumentError:
        if 200 <= arrival.status < 300:
            raise
    meaning = outcome(
        arrival.status, answer.value, arrival.headers, fault=fault_of(answer.value) if answer.is_xml else ""
    )
    if not meaning.is_good:
        return FirstRows(built.request.url, arrival.status, meaning.words, meaning.message, "", [], 0)
    best = row_choices(answer)[0]
    path = parse_xpath(best.path) if answer.is_xml else parse_jsonpath(best.path)
    rows = [node.value for node in path.find(answer.value)]
    return FirstRows(built.request.url, arrival.status, meaning.words, "", best.path, rows[:MOST_ROWS], len(rows))


def _line_to(project: Project, found: Read, service: str, environment: str) -> tuple[Line, str]:
    held = Service.objects.filter(project=project, name=service).first() if service else None
    if held is not None:
        line = line_of(connection_for(held, environment_of(project, environment)))
        return line, line.base_address
    if not found.servers:
        raise InputError(
            "the definition names no server", where="/service", hint="connect the service first, and name it"
        )
    base = uritemplate.expand(found.servers[0].address, dict(found.servers[0].blanks))
    return Line(f"definitions {project.pk}", 0, base, NoSignIn(), guard_of(project.pk), is_connection=False), base


# --- importing again


@dataclass(frozen=True, slots=True)
class Change:
    """One operation, or schema that stands alone, of which the definition says otherwise than before. kind: added, removed or changed.  name: of
    the operation here, empty if it is not imported or no operation.  used_by: what may be hit.
    """

    kind: str
    key: str
    name: str
    title: str
    merged: Merged | None
    used_by: list[str]
    schema: str = ""


@dataclass(frozen=True, slots=True)
class Comparison:
    source: Source
    definition: Read
    changes: list[Change]
    unchanged: int


def stored_source(item: Definition) -> Source:
    """The definition as it was imported."""
    document: DefinitionDocument = load(DefinitionDocument, item.document)
    return Source(document.main, {one.name: one.content() for one in item.files.all()}, document.address)


def compare(project: Project, name: str, source: Source) -> Comparison:
    """What has changed since it was imported, of imported operations and new ones; nothing is written."""
    item: Definition = find_item(DEFINITIONS, project, name)
    found = read(source)
    now = {one.key: one for one in found.operations}
    before = read(stored_source(item))
    held = {
        one.document["came_from"]["key"]: one
        for one in Operation.objects.filter(project=project, document__came_from__definition=name)
    }
    changes: list[Change] = []
    unchanged = 0
    for key, operation in held.items():
        users = used_by(operation)
        if key not in now:
            if operation.document.get("enabled", True):
                changes.append(Change("removed", key, operation.name, operation.title, None, users))
            continue
        offered = load(OperationDocument, item.offered.get(key, {}))
        own = load(OperationDocument, operation.document)
        result = merged(offered, now[key].document, own, item.schemas, found.schemas)
        if result.differences:
            changes.append(Change("changed", key, operation.name, operation.title, result, users))
        else:
            unchanged += 1
    known = {one.key for one in before.operations} | set(held)
    changes += [Change("added", key, "", one.title, None, []) for key, one in now.items() if key not in known]
    schemas = _schema_changes(project, item, found)
    return Comparison(source, found, [*changes, *schemas], unchanged + len(found.roots) - len(schemas))


def _schema_changes(project: Project, item: Definition, found: Read) -> list[Change]:
    """What a schema or sample that stands alone says otherwise, by field."""
    before = item.document.get("roots", [])
    users: list[str] = []
    for one in Operation.objects.filter(project=project, document__responses__contains=[{"definition": item.name}]):
        users += [f"operation {one.name}", *used_by(one)]
    changes = []
    for root in dict.fromkeys([*before, *found.roots]):
        reference = {"$ref": f"#/$defs/{root}"}
        was = fields_of(reference, item.schemas) if root in before else {}
        now = fields_of(reference, found.schemas) if root in found.roots else {}
        differ = [
            Difference(path, was.get(path), now.get(path)) for path in {**was, **now} if was.get(path) != now.get(path)
        ]
        if differ:
            kind = (
                "changed" if root in before and root in found.roots else "added" if root in found.roots else "removed"
            )
            result = Merged(OperationDocument(), differ)
            changes.append(Change(kind, f"schema {root}", "", root, result, list(dict.fromkeys(users)), schema=root))
    return changes


def used_by(operation: Operation) -> list[str]:
    """What uses an operation: feeds with their mappings, connections that sign in by it."""
    found = []
    for feed in Feed.objects.filter(operation=operation).select_related("mapping"):
        found += [f"feed {feed.name}", f"mapping {feed.mapping.name}"]
    for connection in Connection.objects.filter(service=operation.service_id):
        document: ConnectionDocument = load(ConnectionDocument, connection.document)
        if getattr(document.sign_in, "operation", "") == operation.name or document.own_sign_in(operation.name):
            found.append(f"connection {connection.name}")
    return list(dict.fromkeys(found))


def update(
    project: Project,
    person: Person,
    role: str,
    name: str,
    source: Source,
    *,
    accept: Sequence[str] | None,
    add: Sequence[str],
    seen_hash: str = "",
) -> Comparison:
    """Takes the accepted changes (keys; None for all of imported operations), adds new operations, and keeps the definition as it is now.

    Removed operations stay, disabled: what uses them says so instead of failing. All of it is written, or nothing.
    """
    if seen_hash and seen_hash != source.hash:
        raise Conflict("the definition has changed since it was compared", where="/hash", hint="compare it again")
    found = compare(project, name, source)
    changes = {one.key: one for one in found.changes}
    for key in [*(accept or []), *add]:
        if key not in changes:
            raise InputError(f'nothing has changed at "{key[:120]}"', where="/accept", hint=did_you_mean(key, changes))
    taken = [one for one in found.changes if one.kind != "added" and (accept is None or one.key in accept)]
    with transaction.atomic():
        item: Definition = find_item(DEFINITIONS, project, name)
        why = f"imported again: {found.definition.title} {found.definition.version}".strip()
        for change in taken:
            if change.schema:
                continue  # it belongs to no operation; the schemas are taken below
            operation = Operation.objects.get(project=project, name=change.name)
            document = dict(operation.document)
            if change.merged is None:
                document["enabled"] = False
            else:
                fresh = next(one for one in found.definition.operations if one.key == change.key)
                came_from = CameFrom(definition=name, pointer=fresh.pointer, key=fresh.key)
                document = dump(structs.replace(change.merged.document, came_from=came_from))
            content = {"document": document, "why": why}
            change_item(OPERATIONS, project, person, operation.name, content, operation.version, role=role)
        fresh_ones = [one for one in found.definition.operations if one.key in add]
        names, _ = _names(project, found.definition, item.service.name)
        for one in fresh_ones:
            content = {
                "name": names[one.key],
                "title": one.title,
                "service": item.service.name,
                "document": dump(_document(one, name)),
            }
            make_item(OPERATIONS, project, person, content, role=role)
        accepted = {one.key for one in taken} | set(add)
        _accept(item, found, accepted)
        _store_files(item, source)
        described = {"document": dump(_described(source, found.definition)), "why": why}
        change_item(DEFINITIONS, project, person, name, described, item.version, role=role)
    return found


def _accept(item: Definition, found: Comparison, accepted: set[str]) -> None:
    now = {one.key: one for one in found.definition.operations}
    offered = {key: one for key, one in item.offered.items() if key not in accepted}
    offered |= {key: dump(now[key].document) for key in accepted if key in now}
    item.offered = offered
    documents = [load(OperationDocument, one) for one in offered.values()]
    if found.definition.roots and accepted:
        item.schemas = dict(found.definition.schemas)
    item.schemas = {**item.schemas, **schemas_needed(documents, found.definition.schemas)}
    item.save(update_fields=["offered", "schemas"])


def server_choices(servers: Sequence[Server]) -> list[dict[str, Any]]:
    return [
        {
            "address": one.address,
            "description": one.description,
            "blanks": dict(one.blanks),
            "choices": dict(one.choices),
        }
        for one in servers
    ]


def no_source(where: str) -> InputError:
    return InputError("nothing was given to read", where=where, hint="give an address, or files")
