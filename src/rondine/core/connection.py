"""Documents of services, connections, credentials and feeds: what an item of each kind says."""

import re
from typing import Annotated, Any, Literal
from urllib.parse import urlsplit

from msgspec import Meta

from rondine.core.errors import Problem
from rondine.core.protocols.rest import OWN_HEADERS
from rondine.core.settings import Document
from rondine.core.signin import NoSignIn, SignIn

Seconds = Annotated[float, Meta(gt=0, le=3600)]


class ServiceDocument(Document, frozen=True):
    """An outside service. documentation: the address of its documentation."""

    protocol: Literal["rest"] = "rest"
    description: str = ""
    documentation: str = ""


class StandingHeader(Document, frozen=True):
    """A header that goes with every request; an operation's own of the same name replaces it."""

    name: str
    value: str


class TimeOutSettings(Document, frozen=True):
    """Seconds. connect: until the connection stands.  first_byte: until the head of the response.  idle: between two pieces of the body.
    whole: for all of a call."""

    connect: Seconds = 5.0
    first_byte: Seconds = 30.0
    idle: Seconds = 15.0
    whole: Seconds = 120.0


class ConnectionDocument(Document, frozen=True):
    """How a service is reached in one environment. base_address: scheme, host, port and common path.  most_bytes: of one response."""

    base_address: str = ""
    sign_in: SignIn = NoSignIn()
    headers: list[StandingHeader] = []
    time_outs: TimeOutSettings = TimeOutSettings()
    most_bytes: Annotated[int, Meta(ge=1, le=2**31)] = 64 * 1024 * 1024


class CredentialDocument(Document, frozen=True):
    """What a credential is for. Its secrets are no part of it."""

    description: str = ""


class SampleDocument(Document, frozen=True):
    """Where a sample came from. request: HTTP text with secrets masked."""

    request: str = ""
    status: int | None = None
    headers: list[list[str]] = []


class FeedDocument(Document, frozen=True):
    """An operation, its inputs and a mapping that keep a record type filled. parallel: pages fetched at a time, where pages can be planned."""

    inputs: dict[str, Any] = {}
    parallel: Annotated[int, Meta(ge=1, le=32)] = 4
    description: str = ""


def connection_problems(document: ConnectionDocument) -> list[Problem]:
    problems = []
    if not document.base_address:
        problems.append(Problem("/base_address", "the base address is missing", "such as https://register.example/v1"))
    else:
        try:
            parts = urlsplit(document.base_address)
            is_sound = (
                parts.scheme in ("http", "https")
                and bool(parts.hostname)
                and not parts.fragment
                and (parts.port or 1) > 0
            )
        except ValueError:
            is_sound = False
        if not is_sound or re.search(r"\s", document.base_address):
            problems.append(
                Problem(
                    "/base_address",
                    f'"{document.base_address[:80]}" is not an address',
                    "it begins with http:// or https:// and names a host",
                )
            )
        elif "@" in parts.netloc:
            problems.append(
                Problem(
                    "/base_address", "the address holds a user name or password", "take it out and use a credential"
                )
            )
        elif parts.query:
            problems.append(
                Problem("/base_address", "the address has a query", "query parameters belong to operations")
            )
    for number, header in enumerate(document.headers):
        if not re.fullmatch(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+", header.name) or header.name.lower() in OWN_HEADERS:
            problems.append(
                Problem(
                    f"/headers/{number}/name", f'"{header.name[:80]}" cannot be set', "name a header of the service"
                )
            )
        if re.search(r"[\r\n\0]", header.value):
            problems.append(
                Problem(f"/headers/{number}/value", "a header value has no line breaks", "write it on one line")
            )
    return problems
