"""What was read from a definition, whatever its format: services, operations, schemas, sign-ins, and what was wrong
with it."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Any

from msgspec import Meta

from rondine.core.errors import DocumentError, Problem, did_you_mean
from rondine.core.operations.document import OperationDocument
from rondine.core.schema.json_schema import Schema
from rondine.core.settings import Document
from rondine.core.signin import SignIn


@dataclass(frozen=True, slots=True)
class Server:
    """A base address, an RFC 6570 template. blanks: values for its places.  choices: the values that a place takes, if
    only some."""

    address: str
    description: str = ""
    blanks: Mapping[str, str] = field(default_factory=dict)
    choices: Mapping[str, list[str]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class SignInOffer:
    """A way to sign in. name: as the definition calls it.  sign_in: None if Rondine cannot do it.  words: what the
    definition says of it."""

    name: str
    sign_in: SignIn | None
    words: str = ""


@dataclass(frozen=True, slots=True)
class DescribedOperation:
    """key: what tells it from others in the definition, on every import.  name: proposed.  sign_ins: any of these will
    do; empty if none is named. is_anonymous: it says that it wants none. pointer: where it stands.  warnings: what was
    left out or guessed.
    """

    key: str
    name: str
    title: str
    document: OperationDocument
    pointer: str = ""
    tags: tuple[str, ...] = ()
    sign_ins: tuple[str, ...] = ()
    is_deprecated: bool = False
    warnings: tuple[Problem, ...] = ()
    is_anonymous: bool = False


@dataclass(frozen=True, slots=True)
class ServicePart:
    """One of several services in one definition, such as a host of a recorded session or of the ports of a WSDL. name:
    its scheme and host. count: its requests or operations."""

    name: str
    count: int


@dataclass(frozen=True, slots=True)
class Definition:
    """The sound parts of a definition. schemas: by name; they refer to each other as `#/$defs/<name>`.  roots: of a
    schema or a sample alone, the names of those that a document begins with.  parts: the services in it, if there are
    several; part: the one that this is.  left_out: operations that could not be read, with the reason.
    """

    format: str
    title: str = ""
    version: str = ""
    description: str = ""
    documentation: str = ""
    servers: tuple[Server, ...] = ()
    sign_ins: tuple[SignInOffer, ...] = ()
    operations: tuple[DescribedOperation, ...] = ()
    schemas: Mapping[str, Schema] = field(default_factory=dict)
    roots: tuple[str, ...] = ()
    warnings: tuple[Problem, ...] = ()
    left_out: tuple[Problem, ...] = ()
    files: tuple[str, ...] = ()
    parts: tuple[ServicePart, ...] = ()
    part: str = ""


class DefinitionDocument(Document, frozen=True):
    """What is kept of an imported definition."""

    format: str = ""
    title: str = ""
    version: str = ""
    address: Annotated[str, Meta(description="where it is read again from, empty if it was uploaded")] = ""
    documentation: str = ""
    main: Annotated[str, Meta(description="the file with the definition itself")] = ""
    part: Annotated[str, Meta(description="which of the services in it, if there are several")] = ""
    files: list[str] = []
    roots: Annotated[
        list[str], Meta(description="of a schema or a sample alone, the schemas that a response may be described by")
    ] = []
    hash: Annotated[str, Meta(description="of all its files, to notice that it has changed")] = ""


def chosen_part(wanted: str, known: Sequence[str], where: str) -> str:
    """The part that is wanted, empty if none is. Raises DocumentError if the definition has none of this name."""
    if not wanted or wanted in known:
        return wanted
    hint = did_you_mean(wanted, known) or "it describes one service: leave the part out"
    raise DocumentError(f'there is no part "{wanted[:120]}" in it', where=where, hint=hint)


def references_in(schema: Any) -> Iterator[str]:
    """The names of the `$defs` that a schema refers to, each as often as it does."""
    pending = [schema]
    while pending:
        one = pending.pop()
        if isinstance(one, dict):
            target = one.get("$ref")
            if isinstance(target, str) and target.startswith("#/$defs/"):
                yield target.removeprefix("#/$defs/")
            pending += one.values()
        elif isinstance(one, list):
            pending += one


def schemas_needed(operations: list[OperationDocument], schemas: Mapping[str, Schema]) -> dict[str, Schema]:
    """Just the schemas that these operations refer to, directly or through others."""
    needed: dict[str, Schema] = {}
    pending = [
        name
        for operation in operations
        for response in operation.responses
        for schema in (response.schema, *(header.schema for header in response.headers))
        for name in references_in(schema)
    ]
    while pending:
        name = pending.pop()
        if name not in needed and name in schemas:
            needed[name] = schemas[name]
            pending += references_in(schemas[name])
    return needed
