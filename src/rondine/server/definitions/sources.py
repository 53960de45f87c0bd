"""Where definitions are read from: uploads, addresses and what hangs on them, services that are asked, and what was
imported before."""

import hashlib
import json
import threading
import zlib
from collections import OrderedDict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from functools import cached_property
from typing import Any
from urllib.parse import urlsplit

from asgiref.sync import sync_to_async
from django.utils import timezone
from msgspec import msgpack

from rondine.core.definitions import Definition as Read
from rondine.core.definitions import Files, fit_to_keep, read_definition
from rondine.core.definitions.csdl import is_service_document
from rondine.core.definitions.files import MOST_FILES, Report, main_of, to_nobody, unpacked
from rondine.core.definitions.graphql import introspection_query
from rondine.core.definitions.model import DefinitionDocument
from rondine.core.documents import ReadDocument, read_json
from rondine.core.errors import (
    DocumentError,
    InputError,
    NotFound,
    ServiceError,
    did_you_mean,
)
from rondine.core.http.messages import Request, Send, origin
from rondine.core.operations.outcome import by_status
from rondine.core.protocols.classifying import USUAL_RULES, classify_response
from rondine.core.signin import NoSignIn
from rondine.engine.client import Engine, OpenConnection
from rondine.server.access.models import Project
from rondine.server.connecting.models import Connection, Service
from rondine.server.connecting.opening import connection_for, environment_of, guard_of, open_connection
from rondine.server.definitions.models import Look
from rondine.server.definitions.reader import WORTH_A_PROCESS, read_in_own_process
from rondine.server.operations.models import Definition
from rondine.server.operations.samples import uploaded_content
from rondine.server.threads import in_own_thread, release_database

#: How long the files that somebody looks at are kept, and how many of them in a project.
LOOKS_KEPT = timedelta(days=1)
MOST_LOOKS = 20
#: What documents of definitions are asked for as.
ACCEPT = "application/json, application/yaml, application/xml, application/graphql, text/plain, */*;q=0.5"


@dataclass(frozen=True)
class Source:
    """The files of a definition and where they came from. address: empty if they were uploaded.  part: which of the
    services in it, if several."""

    main: str
    contents: Mapping[str, bytes]
    address: str = ""
    part: str = ""

    @cached_property
    def hash(self) -> str:
        """Of all files, to notice that one has changed."""
        digest = hashlib.sha256()
        for name in sorted(self.contents):
            digest.update(f"{name}\0{len(self.contents[name])}\0".encode() + self.contents[name])
        return digest.hexdigest()[:32]


def uploaded(files: Sequence[Mapping[str, Any]], main: str = "") -> Source:
    """Files as the API takes them: a name, and a text or bytes in base64."""
    contents = {}
    for number, one in enumerate(files):
        contents[one["name"]], _ = uploaded_content(one, f"/files/{number}")
    contents = {name: fit_to_keep(content) for name, content in unpacked(contents).items()}
    if main and main not in contents:
        raise InputError(f'there is no file "{main}"', where="/main", hint=did_you_mean(main, contents))
    return Source(main or main_of(contents), contents)


def stored_source(item: Definition) -> Source:
    """The definition as it was imported."""
    document: DefinitionDocument = item.loaded()
    contents = {file.name: file.content() for file in item.files.all()}
    return Source(document.main, contents, document.address, document.part)


def keep_look(project: Project, source: Source) -> str:
    """Keeps the files that somebody looks at for a while; gives what they are found by."""
    looks = Look.objects.filter(project=project)
    looks.filter(made_at__lt=timezone.now() - LOOKS_KEPT).delete()
    older = looks.order_by("-made_at").values_list("pk", flat=True)[MOST_LOOKS - 1 :]
    looks.filter(pk__in=list(older)).delete()
    stored = zlib.compress(msgpack.encode(dict(source.contents)), 1)
    made = Look.objects.create(project=project, main=source.main, address=source.address, stored=stored)
    return str(made.pk)


def cached_source(project: Project, look: str) -> Source:
    """The files that somebody looked at. Raises NotFound if they are not kept any more."""
    found = Look.objects.filter(project=project, pk=look).first()
    if found is None:
        raise NotFound("these files are not kept any more", where="/look", hint="look at the definition again")
    contents = msgpack.decode(zlib.decompress(bytes(found.stored)), type=dict[str, bytes])
    return Source(found.main, contents, found.address)


def no_source(where: str) -> InputError:
    return InputError("nothing was given to read", where=where, hint="give an address, or files")


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
    """The definition at an address, and the files it refers to on the same host. service, environment: whose connection
    signs in, if the address is on its host. introspect: a GraphQL service is asked for its schema. The address of an
    OData service leads to its metadata.  report: told of files fetched. The host must be permitted.
    """
    if not address.startswith(("https://", "http://")):
        raise InputError(
            f'"{address[:80]}" is not an address', where="/address", hint="it begins with https:// or http://"
        )
    opened = await sync_to_async(_connection_for)(project, address, service, environment)
    await release_database()
    if introspect:
        return Source(address, {address: await _introspected(engine, opened, address)}, address)
    content = await _fetch(engine, opened, address)
    if await in_own_thread(is_service_document)(content):
        parts = urlsplit(address)
        address = parts._replace(path=f"{parts.path.rstrip('/')}/$metadata", fragment="").geturl()
        content = await _fetch(engine, opened, address)
    contents = {address: fit_to_keep(content)}
    files = Files(address, contents)
    pending = await in_own_thread(files.outside)()
    while pending and len(contents) < MOST_FILES:
        here = [one for one in pending if origin(one) == origin(address)]
        if not here:
            break
        for one in here[:50]:
            report("files fetched", len(contents), len(contents) + len(here))
            try:
                contents[one] = await _fetch(engine, opened, one)
            except (ServiceError, DocumentError):
                contents[one] = b""
        pending = await in_own_thread(Files(address, contents).outside)()
    return Source(address, contents, address)


def _connection_for(project: Project, address: str, service: str, environment: str) -> OpenConnection:
    if service and environment:
        found = Service.objects.filter(project=project, name=service).first()
        connection = (
            Connection.objects.filter(service=found, environment=environment_of(project, environment)).first()
            if found
            else None
        )
        if connection is not None and not connection.problems:
            opened = open_connection(connection_for(connection.service, connection.environment))
            if origin(opened.base_address) == origin(address):
                return opened
    return OpenConnection(f"definitions {project.pk}", 0, "", NoSignIn(), guard_of(project.pk), is_connection=False)


async def _introspected(engine: Engine, opened: OpenConnection, address: str) -> bytes:
    """A GraphQL service's answer to the introspection query. Raises ServiceError with its message if it tells
    nothing."""
    body = json.dumps({"query": introspection_query()}).encode()
    headers = (("Content-Type", "application/json"), ("Accept", "application/json"))
    received = await engine.call(opened, Send(Request("POST", address, headers, body)))
    try:
        value = read_json(received.body, charset=received.charset)
    except DocumentError:
        value = None
    meaning = classify_response(USUAL_RULES, received.status, ReadDocument(value))
    if not meaning.is_good:
        raise ServiceError(
            f"{received.status} {received.reason}: {meaning.words}{': ' + meaning.message if meaning.message else ''}",
            where=f"POST {address}",
            hint="if introspection is switched off there, import the schema's text (SDL), or write the query by hand",
        )
    return received.body


async def _fetch(engine: Engine, opened: OpenConnection, address: str) -> bytes:
    received = await engine.call(opened, Send(Request("GET", address, (("Accept", ACCEPT),))))
    meaning = by_status(received.status)
    if not meaning.is_good:
        raise ServiceError(
            f"{received.status} {received.reason}: {meaning.words}",
            where=f"GET {address}",
            hint=meaning.hint or "check the address in a browser",
        )
    return received.body


_cache: OrderedDict[tuple[str, str, str, str], Read] = OrderedDict()
_cache_lock = threading.Lock()


def read(source: Source, report: Report = to_nobody) -> Read:
    """What is sound in it; read once for looking and importing. report: told of progress. Raises DocumentError with the
    place."""
    key = (source.hash, source.main, source.address, source.part)
    with _cache_lock:
        if key in _cache:
            _cache.move_to_end(key)
            return _cache[key]
    if sum(map(len, source.contents.values())) >= WORTH_A_PROCESS:
        definition = read_in_own_process(source.main, source.contents, source.address, report, part=source.part)
    else:
        definition = read_definition(Files(source.main, source.contents, report), source.address, source.part)
    with _cache_lock:
        _cache[key] = definition
        while len(_cache) > 4:
            _cache.popitem(last=False)
    return definition
