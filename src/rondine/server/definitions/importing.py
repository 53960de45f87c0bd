"""Importing definitions: looked at first, chosen from, written in one transaction."""

import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlsplit

from django.db import transaction
from msgspec import structs

from rondine.core.definitions import Definition as Read
from rondine.core.definitions import DescribedOperation
from rondine.core.definitions.compare import without_inputs
from rondine.core.definitions.files import Report, to_nobody
from rondine.core.definitions.model import DefinitionDocument, schemas_needed
from rondine.core.definitions.record_types import ProposedType, proposed_types
from rondine.core.errors import (
    Conflict,
    InputError,
    did_you_mean,
)
from rondine.core.items.connection import ConnectionDocument, OwnSignIn
from rondine.core.names import proposed_name
from rondine.core.operations.document import CameFrom, OperationDocument, path_variables
from rondine.core.pagination import OneResponse
from rondine.core.settings import dump, load
from rondine.core.signin import NoSignIn
from rondine.server.access.models import Person, Project
from rondine.server.connecting.kinds import CONNECTIONS, CREDENTIALS, SERVICES
from rondine.server.connecting.models import Connection, Service
from rondine.server.connecting.opening import environment_of
from rondine.server.definitions.sources import Source, read
from rondine.server.items.actions import change_item, make_item, make_items
from rondine.server.items.kinds import ItemKind
from rondine.server.operations.kinds import DEFINITIONS, OPERATIONS
from rondine.server.operations.models import Definition, DefinitionFile, Operation
from rondine.server.records.kinds import RECORD_TYPES
from rondine.server.records.models import RecordType


@dataclass(frozen=True, slots=True)
class Preview:
    """What an import would make. names: of operations, by key: the ones there are, or free ones.  there: keys that are
    imported already."""

    source: Source
    definition: Read
    names: Mapping[str, str]
    there: frozenset[str]
    types: list[ProposedType]


def preview(project: Project, source: Source, service: str = "", report: Report = to_nobody) -> Preview:
    definition = read(source, report)
    names, there = free_names(project, definition, service)
    documents = [operation.document for operation in definition.operations[:500]]
    held = _held(project, service, source, definition.part)
    types = _types(project, documents, definition, held.record_types if held else {})
    return Preview(source, definition, names, frozenset(there), types)


def _types(
    project: Project, operations: Sequence[OperationDocument], found: Read, made: Mapping[str, str]
) -> list[ProposedType]:
    """made: the record types that came of this definition before, by their source; names of all others are taken."""
    there = set(RecordType.objects.filter(project=project).values_list("name", flat=True))
    made = {source: name for source, name in made.items() if name in there}
    taken = there - set(made.values())
    return proposed_types(operations, found.schemas, found.roots, project.naming_rule(), taken=taken, made=made)


def free_names(project: Project, found: Read, service: str) -> tuple[dict[str, str], set[str]]:
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
    for operation in found.operations:
        if operation.key in there:
            names[operation.key] = there[operation.key]
        else:
            names[operation.key] = rule.name("operation", operation.name, service=service, taken=taken)
            taken.add(names[operation.key])
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
    notes: list[str]
    #: What was made of the other services in the definition.
    others: "Sequence[Imported]" = ()


def import_parts(
    project: Project, person: Person, role: str, source: Source, data: Mapping[str, Any]
) -> list[Imported]:
    """What was chosen of the part that was looked at, and with every_part all of the other services in the definition;
    all of it or nothing."""
    with transaction.atomic():
        made = [import_definition(project, person, role, source, data)]
        if data.get("every_part"):
            definition = read(source)
            connect = data.get("connect")
            rest: dict[str, Any] = {
                "paging": data.get("paging"),
                "connect": None if connect is None else {"environment": connect.get("environment")},
                "record_types": [] if data.get("record_types") == [] else None,
            }
            for part in definition.parts:
                if part.name != definition.part:
                    service = project.naming_rule().name("service", urlsplit(part.name).netloc)
                    other = replace(source, part=part.name)
                    made.append(import_definition(project, person, role, other, {**rest, "service": service}))
    return made


def import_definition(project: Project, person: Person, role: str, source: Source, data: Mapping[str, Any]) -> Imported:
    """Writes what was chosen, all of it or nothing.

    data: service (made if there is none), title, operations (keys; None for all), names (by key), left_out (inputs by
    key), record_types (names), connect (environment, server, blanks, sign_in), paging ("decline": one response only),
    hash (of what was looked at).
    """
    if data.get("hash") and data["hash"] != source.hash:
        raise Conflict(
            "the definition has changed since it was looked at", where="/hash", hint="look at it again, then choose"
        )
    definition = read(source)
    chosen = _chosen(definition, data.get("operations"))
    service_name = data.get("service") or project.naming_rule().name(
        "service", definition.title or urlsplit(source.address).hostname or "service"
    )
    notes: list[str] = []
    with transaction.atomic():
        service = _service(project, person, role, service_name, data.get("title") or definition.title, definition)
        names, there = free_names(project, definition, service_name)
        names |= {key: name for key, name in (data.get("names") or {}).items() if key not in there}
        item = _definition(project, person, role, service, source, definition)
        contents = []
        paged = 0
        for one in chosen:
            if one.key in there:
                continue
            document = as_imported(one, item.name)
            if left := set((data.get("left_out") or {}).get(one.key, [])):
                _check_inputs(one, left)
                document = without_inputs(document, left)
            if document.paging is not None and data.get("paging") == "decline":
                document = structs.replace(document, paging=OneResponse())
            paged += document.paging is not None and not isinstance(document.paging, OneResponse)
            content = {"name": names[one.key], "title": one.title, "service": service.name, "document": dump(document)}
            contents.append(content)
        if paged:
            pages = f"{paged:,} operations follow" if paged > 1 else "one operation follows"
            notes.append(f"{pages} the paging that the definition shows; each says which, and can be told another")
        made = [each.name for each in make_items(OPERATIONS, project, person, contents, role=role)]
        if made and item.document.get("hash") != source.hash:
            store_files(item, source)
            content = {"document": dump(described(source, definition)), "why": "more of it was imported"}
            item = change_item(DEFINITIONS, project, person, item.name, content, item.version, role=role)
        _remember(item, definition, [one for one in chosen if one.key not in there])
        types, more = _make_types(project, person, role, chosen, definition, data.get("record_types"), item)
        notes += more
        connection: str | None = None
        credential: str | None = None
        needed: list[str] = []
        if (wanted := data.get("connect")) is not None:
            anonymous = [
                names[described_operation.key]
                for described_operation in chosen
                if described_operation.is_anonymous and described_operation.key not in there
            ]
            connection, credential, needed = _connect(project, person, role, service, definition, wanted, anonymous)
    return Imported(service.name, item.name, made, types, connection, credential, needed, notes)


def _chosen(found: Read, keys: Sequence[str] | None) -> list[DescribedOperation]:
    if keys is None:
        return list(found.operations)
    by_key = {operation.key: operation for operation in found.operations}
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


def as_imported(one: DescribedOperation, definition: str) -> OperationDocument:
    came_from = CameFrom(definition=definition, pointer=one.pointer, key=one.key)
    return structs.replace(one.document, came_from=came_from)


def described(source: Source, found: Read) -> DefinitionDocument:
    return DefinitionDocument(
        format=found.format,
        title=found.title[:200],
        version=found.version[:80],
        address=source.address,
        documentation=found.documentation[:2000],
        main=source.main,
        part=found.part if found.parts else "",
        files=sorted(source.contents),
        roots=list(found.roots),
        hash=source.hash,
    )


def _definition(
    project: Project, person: Person, role: str, service: Service, source: Source, found: Read
) -> Definition:
    """The item for this content: one of the service that has it already, or came from the same address; or a new one
    with its files."""
    if (held := _held(project, service.name, source, found.part)) is not None:
        return held
    taken = set(Definition.objects.filter(project=project).values_list("name", flat=True))
    content = {
        "name": proposed_name(service.name, taken=taken),
        "title": found.title[:200],
        "service": service.name,
        "document": dump(described(source, found)),
    }
    item: Definition = make_item(DEFINITIONS, project, person, content, role=role)
    store_files(item, source)
    return item


def _held(project: Project, service: str, source: Source, part: str) -> Definition | None:
    """The item that has this content and part of it already, or came from the same address."""
    for definition in Definition.objects.filter(project=project, service__name=service) if service else ():
        if (definition.document.get("part") or part) != part:
            continue
        is_same = definition.document.get("hash") == source.hash and definition.document.get("main") == source.main
        if is_same or (source.address and definition.document.get("address") == source.address):
            return definition
    return None


def store_files(item: Definition, source: Source) -> None:
    item.files.all().delete()
    DefinitionFile.objects.bulk_create(
        DefinitionFile(definition=item, name=name, stored=zlib.compress(content, 6))
        for name, content in source.contents.items()
    )


def _remember(item: Definition, found: Read, chosen: Sequence[DescribedOperation]) -> None:
    """Keeps what the definition says of the chosen operations, and the schemas they need."""
    item.offered = {
        **item.offered,
        **{described_operation.key: dump(described_operation.document) for described_operation in chosen},
    }
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
    item: Definition,
) -> tuple[list[str], list[str]]:
    """(the record types that were made, what is to be known of their names). Those that were chosen, of the chosen
    operations by default; what came of this definition before stays as it is, and what is another's keeps its name."""
    documents = [described_operation.document for described_operation in chosen]
    proposed = {one.name: one for one in _types(project, documents, found, item.record_types)}
    by_plain_name = {
        proposed_type.wanted: proposed_type.name for proposed_type in proposed.values() if proposed_type.wanted
    }
    names = list(proposed) if wanted is None else [by_plain_name.get(name, name) for name in wanted]
    if unknown := [name for name in names if name not in proposed]:
        raise InputError(
            f'the chosen operations bring no record type "{unknown[0]}"',
            where="/record_types",
            hint=did_you_mean(unknown[0], {**proposed, **by_plain_name}),
        )
    there = set(RecordType.objects.filter(project=project, name__in=names).values_list("name", flat=True))
    made = [name for name in names if name not in there]
    contents = [{"name": name, "document": dump(proposed[name].document)} for name in made]
    make_items(RECORD_TYPES, project, person, contents, role=role)
    item.record_types = {**item.record_types, **{proposed[name].source: name for name in names}}
    item.save(update_fields=["record_types"])
    notes = [
        f'there is a record type "{proposed[name].wanted}" of something else: this one is called "{name}"'
        for name in made
        if proposed[name].wanted
    ]
    return made, notes


def _connect(
    project: Project,
    person: Person,
    role: str,
    service: Service,
    found: Read,
    wanted: Mapping[str, Any],
    anonymous: Sequence[str],
) -> tuple[str | None, str | None, list[str]]:
    """Prepares the connection of an environment from servers and sign-ins. One that is there stays as it is. anonymous:
    operations that want no sign-in."""
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
    usable = [sign_in_offer.sign_in for sign_in_offer in found.sign_ins if sign_in_offer.sign_in is not None]
    sign_in = (offers[name].sign_in if name else usable[0] if usable else None) or NoSignIn()
    blanks = {**(server.blanks if server else {}), **(wanted.get("blanks") or {})}
    document = ConnectionDocument(
        base_address=address or (server.address if server else ""),
        blanks={key: str(value) for key, value in blanks.items()},
        sign_in=sign_in,
        own_sign_ins=[] if isinstance(sign_in, NoSignIn) else [OwnSignIn(operation=name) for name in anonymous],
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
