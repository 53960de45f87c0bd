"""Which part of all rows a response has: whether these are all, and from where to go on if not.

Who asks for one page at a time goes on from what the page before gave. That is encrypted, as it may hold an address of
the service and whatever stands in that; it is good for the same question alone.
"""

import base64
import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings

from rondine.core.documents import ReadDocument
from rondine.core.errors import InputError, PaginationError
from rondine.core.http.messages import Position, Response
from rondine.core.mapping.row_lists import first_list, has_one_list, reads_one_object, row_lists
from rondine.core.pagination import Ending, OneResponse
from rondine.core.pagination.one_page import OnePage
from rondine.core.pagination.places import wanted_values
from rondine.core.pagination.signs import signs_of
from rondine.core.paths import parse_jsonpath, parse_xpath
from rondine.engine.receiving import Received
from rondine.server.operations.answering import ReadyMapping
from rondine.server.operations.calling import ReadyOperation
from rondine.server.runs.completeness import verdict_of

#: How deep in a response its list is looked for, where nothing says which it is.
_DEPTH = 3
_SALT = "rondine.page"


@dataclass(frozen=True, slots=True)
class Going:
    """From where a call goes on. received: rows that came with the pages before.  skip: rows of the page at the
    position that were given already."""

    position: Position = None
    received: int = 0
    skip: int = 0


@dataclass(frozen=True, slots=True)
class Part:
    """is_all: these rows, with those of the pages before, are proven to be all; None if nothing says.  words: why.
    next: what the next page is asked for with; empty if there is none."""

    is_all: bool | None
    words: str
    next: str = ""


def sealed(going: Going, *question: Any) -> str:
    """question: whatever tells what is asked, and by whom, from everything else."""
    value = [going.position, going.received, going.skip, _bound_to(question)]
    return _cipher().encrypt(json.dumps(value).encode()).decode().rstrip("=")


def opened(text: str, *question: Any) -> Going:
    """Raises InputError for a text that was not given for this question."""
    try:
        position, received, skip, bound = json.loads(_cipher().decrypt(text + "=" * (-len(text) % 4)))
    except (InvalidToken, ValueError):
        bound = None
    if bound != _bound_to(question):
        raise InputError(
            "this was not given for the page after another one of the same call",
            where="/after",
            hint="take it from `next` of the page before, and give the same inputs",
        )
    return Going(position, received, skip)


@cache
def _cipher() -> Fernet:
    """All processes of an installation have the same."""
    digest = hashlib.sha256(f"{_SALT} {settings.SECRET_KEY}".encode()).digest()
    return Fernet(base64.urlsafe_b64encode(digest))


def _bound_to(question: Sequence[Any]) -> str:
    text = json.dumps(question, sort_keys=True, default=str)
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:32]


def part_of(
    ready: ReadyOperation,
    page: OnePage,
    received: Received,
    read: ReadDocument,
    mapping: ReadyMapping | None,
    going: Going,
    *,
    is_partial: bool,
) -> tuple[Part, Going | None]:
    """Which part of all a good response has, and from where to go on."""
    lists, count = _lists(ready, read, mapping)
    in_all = None if count is None else going.received + count
    signs = signs_of(received.headers, read.value, lists, status=received.status, is_xml=read.is_xml)
    response = Response(
        received.status,
        received.headers,
        received.request.url,
        wanted_values(read, page.ask.wanted) if read.value is not None else {},
        count,
        more=signs.missing(in_all),
        whole=signs.proof(in_all),
    )
    try:
        following = page.after(response)
    except PaginationError as error:
        return Part(False, f"there is more, and the next page cannot be asked for: {error.message}"), None
    if not isinstance(following, Ending):
        return Part(False, "there is a next page"), Going(following.position, in_all or 0)
    verdict = verdict_of(
        following,
        signs,
        received=in_all,
        is_one_object=count is None if mapping is None else reads_one_object(mapping.outputs),
        is_partial=is_partial,
        is_delimited=received.is_delimited,
        has_paging=not isinstance(ready.document.paging or OneResponse(), OneResponse),
    )
    return Part({"complete": True, "incomplete": False}.get(verdict.completeness), verdict.reason), None


def _lists(
    ready: ReadyOperation, read: ReadDocument, mapping: ReadyMapping | None
) -> tuple[Sequence[Sequence[str]], int | None]:
    """(the ways to the lists whose elements are counted, how many elements the first has; None if there is no list)."""
    if read.value is None:
        return [], None
    if mapping is not None:
        outputs = mapping.outputs
        count = outputs[0].count_first(read.value) if outputs and has_one_list(outputs) else None
        return row_lists(outputs), count
    if ready.document.response.rows:
        path = ready.document.response.rows[0]
        nodes = (parse_xpath(path) if read.is_xml else parse_jsonpath(path)).find(read.value)
        way = None if read.is_xml else first_list(path)
        return ([way] if way is not None else []), len(nodes)
    way = _longest(read.value)
    return ([way] if way is not None else []), None if way is None else len(_at(read.value, way))


def _longest(value: Any) -> tuple[str, ...] | None:
    """The way to the longest list within objects."""
    found: list[tuple[int, tuple[str, ...]]] = []

    def walk(value: Any, way: tuple[str, ...]) -> None:
        if isinstance(value, list):
            found.append((len(value), way))
        elif isinstance(value, dict) and len(way) < _DEPTH:
            for name, one in value.items():
                walk(one, (*way, name))

    walk(value, ())
    return max(found, key=lambda one: (one[0], -len(one[1])))[1] if found else None


def _at(value: Any, way: Sequence[str]) -> Any:
    for name in way:
        value = value[name]
    return value
