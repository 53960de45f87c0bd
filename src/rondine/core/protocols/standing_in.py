"""What stands in for a service: which operation a request is of, and a response as that describes it, page by page."""

import hashlib
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Any
from urllib.parse import parse_qsl, urlencode

from msgspec import Meta

from rondine.core.documents.json import json_text, read_json
from rondine.core.errors import DocumentError, NotFound
from rondine.core.operations.document import GraphQLBody, JsonBody, OperationDocument, ResponseDescription
from rondine.core.operations.odata import ODataQuery
from rondine.core.operations.values import ValueOf
from rondine.core.pagination import Cursor, LinkHeader, NextAddress, Offset, PageNumber
from rondine.core.protocols.graphql import one_line
from rondine.core.protocols.paged import inputs_by_carrier
from rondine.core.schema.check import differences
from rondine.core.schema.invented import Inventor, NothingFits, invented
from rondine.core.settings import Document

#: The query parameter of the addresses of further pages.
FROM = "stand-in-from"
#: The path of stand-ins: the service's id and a secret.
PATH = r"/stand-ins/([0-9a-f]{32})-([0-9a-f]{24})"
#: Members that tell rows apart.
_TELLING = ("id", "number", "key", "code")


class StandIn(Document, frozen=True):
    """What stands in for a service while that is away: it responds at an address of Rondine's own, with kept samples,
    or with what is invented as the operations describe their responses."""

    delay: Annotated[float, Meta(ge=0, le=600, description="seconds before each response")] = 0.0
    fail_every: Annotated[int, Meta(ge=0, description="each so many-th call fails; 1: all, 0: none")] = 0
    fail_status: Annotated[int, Meta(ge=400, le=599, description="that a call fails with")] = 503
    rows: Annotated[int, Meta(ge=0, le=100_000, description="of lists, in all")] = 25
    page_size: Annotated[int, Meta(ge=1, le=10_000, description="rows of a page, unless the request says")] = 10


@dataclass(frozen=True, slots=True)
class Asked:
    """A request. path: below the stand-in's address.  base: that address."""

    method: str
    path: str
    query: str
    body: bytes
    base: str

    @property
    def pairs(self) -> dict[str, str]:
        return dict(parse_qsl(self.query, keep_blank_values=True))

    @property
    def value(self) -> Any:
        """Of a JSON body; None of any other."""
        try:
            return read_json(self.body)
        except DocumentError:
            return None


@dataclass(slots=True)
class StoodIn:
    """A response. made: how, in words."""

    status: int
    media_type: str
    body: bytes
    made: str
    headers: list[tuple[str, str]] = field(default_factory=list)


def is_of_stand_in(address: str) -> bool:
    """Whether a base address leads to a stand-in, and not to a service."""
    return re.search(PATH, address) is not None


def operation_of(operations: Mapping[str, OperationDocument], asked: Asked) -> str:
    """The name of the operation that a request is of, the one that says most about it. Raises NotFound."""
    fitting = []
    for name, document in operations.items():
        if document.method == asked.method and _pattern(document).fullmatch(asked.path):
            if isinstance(document.body, GraphQLBody) and not _is_query(document.body, asked):
                continue
            fixed = [one for one in document.query if isinstance(one.value, str) and one.enabled]
            told = sum(asked.pairs.get(one.name) == one.value for one in fixed)
            fitting.append((told - len(fixed), -document.path.count("{"), told, name))
    if not fitting:
        raise NotFound(
            f"the service has no operation for {asked.method} {asked.path[:200]}",
            where="the address",
            hint="describe it, or import the service's definition again",
        )
    return max(fitting)[-1]


def _pattern(document: OperationDocument) -> re.Pattern[str]:
    path = re.sub(r"\{[?&][^}]*\}", "", document.path).partition("?")[0]
    parts = re.split(r"(\{[^}]*\})", path)
    text = "".join("[^/]+" if part.startswith("{") else re.escape(part) for part in parts)
    behind = _behind(document.odata) if document.odata is not None else ""
    return re.compile(f"{text.rstrip('/')}{behind}/?")


def _behind(odata: ODataQuery) -> str:
    """Of the key and what follows it (OData 4.01 URL Conventions, section 4.3)."""
    brackets = r"\([^/]*\)"
    is_called = odata.is_function and not odata.is_before_4
    return (brackets if odata.key else "") + re.escape(odata.then) + (brackets if is_called else "")


def _is_query(body: GraphQLBody, asked: Asked) -> bool:
    text = asked.value.get("query", "") if isinstance(asked.value, dict) else asked.pairs.get("query", "")
    return isinstance(text, str) and one_line(text) == one_line(body.query)


def described_response(document: OperationDocument) -> ResponseDescription | None:
    """The good response that a definition describes, with a JSON body if there is one."""
    good = [one for one in document.responses if re.fullmatch(r"2(\d\d|XX)|default", one.status)]
    return min(good, key=lambda one: (one.schema is None, "json" not in one.media_type, one.status), default=None)


def invented_response(
    document: OperationDocument,
    described: ResponseDescription,
    schemas: Mapping[str, Any],
    stand_in: StandIn,
    asked: Asked,
) -> StoodIn:
    """The same question has the same answer. Raises NothingFits for a schema that no value is found for."""
    status = int(described.status) if described.status.isdigit() else 200
    if described.schema is None or status == 204:
        return StoodIn(status, "", b"", "nothing is described but the status")
    if described.media_type and "json" not in described.media_type:
        raise NothingFits(f"{described.media_type} is not invented", where="response", hint="keep a sample of it")
    page = _page(document, stand_in, asked)
    seed = hashlib.sha256(f"{asked.method} {asked.path} {sorted(page.others.items())}".encode()).hexdigest()
    place, items = _rows(document, described.schema, schemas)
    body = invented(described.schema, schemas, seed, elements=0 if place == [] and items is not None else None)
    if items is not None:
        rows = [_row(items, schemas, f"{seed} {number}", number) for number in range(page.first, page.end)]
        body = rows if place == [] else _put(body, place, rows)
        for at, value in page.members.items():
            body = _put(body, _steps(at), value)
    made = "invented as the operation describes it"
    media_type = described.media_type or "application/json"
    return StoodIn(status, media_type, json_text(body).encode(), made, page.headers if items is not None else [])


@dataclass(slots=True)
class _Page:
    """first, end: of its rows.  members: what its body says of pages, by place; None takes it away.  others: what is
    asked besides, for the seed."""

    first: int
    end: int
    others: dict[str, str]
    members: dict[str, Any] = field(default_factory=dict)
    headers: list[tuple[str, str]] = field(default_factory=list)


def _page(document: OperationDocument, stand_in: StandIn, asked: Asked) -> _Page:
    paging, rows = document.paging, stand_in.rows
    used = {FROM}

    def given(name: str) -> str:
        """What an input of paging has in the request."""
        carriers = [carrier for carrier, known in inputs_by_carrier(document).items() if known == name]
        for carrier in (*carriers, name):
            used.add(carrier)
            if carrier in asked.pairs:
                return asked.pairs[carrier]
        if isinstance(document.body, JsonBody):
            for member in document.body.members:
                if isinstance(member.value, ValueOf) and member.value.input == name:
                    return str(_at(asked.value, _steps(member.at)) or "")
        return ""

    def number(text: str, otherwise: int) -> int:
        return int(text) if re.fullmatch(r"\d{1,9}", text) else otherwise

    size, page = stand_in.page_size, _Page(0, rows, {})
    match paging:
        case PageNumber() | Offset():
            size = max(1, number(given(paging.size_input), size)) if paging.size_input else size
            at = number(given(paging.input), paging.first) - paging.first
            page.first = at * size if isinstance(paging, PageNumber) else at
            if paging.total is not None:
                page.members[paging.total] = rows
            if paging.total_header:
                page.headers.append((paging.total_header, str(rows)))
        case Cursor():
            page.first = number(given(paging.input).removeprefix("row-"), 0)
            following = page.first + size
            token = f"row-{following}" if following < rows else None
            if paging.at:
                page.members[paging.at] = token
            elif token:
                page.headers.append((paging.header, token))
            if paging.more is not None:
                page.members[paging.more] = token is not None
        case LinkHeader() | NextAddress():
            page.first = number(asked.pairs.get(FROM, ""), 0)
            following = page.first + size
            query = urlencode({**asked.pairs, FROM: following})
            address = f"{asked.base}{asked.path}?{query}" if following < rows else None
            if isinstance(paging, NextAddress):
                page.members[paging.at] = address
            elif address:
                is_link = paging.header.lower() == "link"
                page.headers.append((paging.header, f'<{address}>; rel="next"' if is_link else address))
        case _:
            size = rows
    page.first = min(page.first, rows)
    page.end = min(rows, page.first + size)
    page.others = {name: value for name, value in asked.pairs.items() if name not in used}
    return page


def _rows(document: OperationDocument, schema: Any, schemas: Mapping[str, Any]) -> tuple[list[str], Any]:
    """(where the rows are, the schema of one); None for one that is not known. The body itself, what the operation says
    of its rows, or the only list in the body."""
    inventor = Inventor(schemas, "")
    whole = inventor.resolved(schema)
    said = document.response.rows[0] if document.response.rows else ""
    if "items" in whole:
        return [], whole["items"]
    if said.startswith("$."):
        steps, found = _steps(said.removesuffix("[*]")), whole
        for step in steps:
            found = inventor.resolved((found.get("properties") or {}).get(step))
        return (steps, found["items"]) if "items" in found else ([], None)
    lists = {
        name: of["items"]
        for name, one in (whole.get("properties") or {}).items()
        if "items" in (of := inventor.resolved(one))
    }
    return next(([name], items) for name, items in lists.items()) if len(lists) == 1 else ([], None)


def _row(items: Any, schemas: Mapping[str, Any], seed: str, number: int) -> Any:
    """A row that differs from the others by what tells rows apart, if its schema lets it."""
    row = invented(items, schemas, seed)
    for name in _TELLING if isinstance(row, dict) else ():
        told = {int: number + 1, str: f"{name}-{number + 1}"}.get(type(row.get(name)))
        if told is not None and not isinstance(row[name], bool):
            changed = {**row, name: told}
            row = row if differences(changed, items, schemas) or _is_formed(items, name, schemas) else changed
    return row


def _is_formed(items: Any, name: str, schemas: Mapping[str, Any]) -> bool:
    """Whether a text has a form of its own, which is not looked at when it is compared."""
    inventor = Inventor(schemas, "")
    member = inventor.resolved(inventor.resolved(items).get("properties", {}).get(name, {}))
    return bool({"pattern", "format", "enum", "const"} & set(member))


def _steps(place: str) -> list[str]:
    """Of a JSON Pointer, or of a JSONPath of plain names."""
    if place.startswith("$"):
        return [step for step in place.removeprefix("$").split(".") if step]
    return [step.replace("~1", "/").replace("~0", "~") for step in place.split("/")[1:]]


def _at(value: Any, steps: Sequence[str]) -> Any:
    for step in steps:
        value = value.get(step) if isinstance(value, dict) else None
    return value


def _put(body: Any, steps: Sequence[str], value: Any) -> Any:
    """The body with a value at a place; None takes away what is there."""
    if not steps:
        return value
    held = dict(body) if isinstance(body, dict) else {}
    if len(steps) == 1 and value is None:
        held.pop(steps[0], None)
    else:
        held[steps[0]] = _put(held.get(steps[0]), steps[1:], value)
    return held


def failure(stand_in: StandIn) -> StoodIn:
    body = json.dumps({"message": "the stand-in was told to fail"}).encode()
    return StoodIn(stand_in.fail_status, "application/json", body, "told to fail")
