"""Which paging a response shows. A guess stays a guess until a run has proven it."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import parse_qsl, urlsplit

from rondine.core.http.messages import Headers, Response
from rondine.core.pagination import Cursor, GraphqlConnection, LinkHeader, NextAddress, Offset, PageNumber, Paging
from rondine.core.pagination.link_header import next_link
from rondine.core.pagination.steps import whole_number
from rondine.core.paths import pointer_text

NEXT_NAMES = {"next", "nextpage", "nexturl", "nexthref", "nextaddress", "nextlink", "@odata.nextlink", "__next"}
TOTAL_NAMES = {
    "total",
    "count",
    "totalcount",
    "totalrows",
    "totalresults",
    "totalitems",
    "totalelements",
    "@odata.count",
}
PAGES_NAMES = {"totalpages", "pagecount", "pages", "numpages"}
PAGE_NAMES = ("page", "page_number", "pageNumber", "p")
OFFSET_NAMES = ("offset", "skip", "$skip", "start", "startIndex", "start_index", "from")
SIZE_NAMES = ("limit", "size", "page_size", "pageSize", "per_page", "perPage", "rows", "count", "top", "$top", "first")
#: Of the member that holds the next cursor, however it is written -> the name that it is likely sent under.
CURSOR_NAMES = {
    "nextcursor": ("cursor",),
    "endcursor": ("after", "cursor"),
    "nextpagetoken": ("pageToken", "page_token"),
    "nexttoken": ("nextToken", "next_token", "token"),
    "nextmarker": ("marker",),
    "continuationtoken": ("continuationToken", "continuation_token", "continuation"),
    "nextpagecursor": ("cursor", "pageCursor"),
    "nextpage": ("page", "page_token", "cursor"),
    "scrollid": ("scroll_id", "scrollId"),
    "cursor": ("cursor",),
    "next": ("cursor", "next", "after", "starting_after"),
}
#: How a header begins that holds an address, and no page's number or cursor.
_ADDRESS = re.compile(r"https?://|/|\?")
MORE_NAMES = {"hasmore", "more", "hasnext", "hasnextpage", "moreresults", "istruncated", "truncated"}


@dataclass(frozen=True, slots=True)
class PagingGuess:
    """A strategy and what it was read from, in words."""

    paging: Paging
    reason: str


@dataclass(frozen=True, slots=True)
class Asked:
    """How a response was asked for: what the names of its query and of the operation's inputs say of its paging.

    query: parameters of the request, by name.  inputs: the operation's inputs, by the query parameter, header, or
    member of the body that takes them; those of others, such as GraphQL variables, by their own names.
    """

    query: Mapping[str, str] = field(default_factory=dict)
    inputs: Mapping[str, str] = field(default_factory=dict)

    def first_of(self, names: Iterable[str]) -> str | None:
        """The first of these that is asked with, or that an input is for; as an input if there is one."""
        for name in names:
            if name in self.inputs:
                return self.inputs[name]
            if name in self.query or name in self.inputs.values():
                return name
        return None


def recognise(
    url: str,
    headers: Headers,
    document: Any,
    *,
    is_xml: bool = False,
    inputs: Mapping[str, str] | None = None,
) -> list[PagingGuess]:
    """The strategies that the response shows, the surest first; empty if it shows none.

    is_xml: the document is as `read_elements` gives it.  inputs: of the operation, by what takes them (see `Asked`).
    """
    guesses = []
    response = Response(200, headers)
    asked = Asked(dict(parse_qsl(urlsplit(url).query, keep_blank_values=True)), inputs or {})
    if next_link(response.header("Link")):
        guesses.append(PagingGuess(LinkHeader(), "a next link in the Link header"))
    for name, value in headers:
        if plain_name(name.lower().removeprefix("x-")) in NEXT_NAMES and _ADDRESS.match(value):
            guesses.append(PagingGuess(LinkHeader(header=name), f"a next address in the header {name}"))
    if is_xml:
        return guesses + _in_xml(document)
    guesses += _connections(document, asked)
    members = _members(document)
    guesses += _next_addresses(members)
    if not guesses:
        guesses += _cursors(members, response, asked)
    return guesses + _numbers(members, response, asked, is_sure=not guesses)


def _next_addresses(members: Sequence[tuple[tuple[str, ...], Any]]) -> list[PagingGuess]:
    return [
        PagingGuess(NextAddress(at=pointer_text(location)), f"a next address at {pointer_text(location)}")
        for location, value in members
        if plain_name(location[-1]) in NEXT_NAMES and is_address(value)
    ]


def is_address(value: object) -> bool:
    return isinstance(value, str) and ("/" in value or "?" in value)


def _connections(document: Any, asked: Asked) -> list[PagingGuess]:
    """GraphQL connections whose pageInfo says whether there is a next page (GraphQL Cursor Connections)."""
    found = []
    data = document.get("data") if isinstance(document, dict) else None
    for location in _with_page_info(data, ("data",)):
        at = pointer_text(location)
        name = asked.first_of(("after", f"{location[-1]}_after", "cursor"))
        found.append(
            PagingGuess(GraphqlConnection(at=at, input=name or "after"), f"the pageInfo of the connection at {at}")
        )
    return found


def _with_page_info(value: Any, location: tuple[str, ...], depth: int = 0) -> list[tuple[str, ...]]:
    if not isinstance(value, dict) or depth > 4:
        return []
    info = value.get("pageInfo")
    if isinstance(info, dict) and "hasNextPage" in info:
        return [location]
    return [found for name, one in value.items() for found in _with_page_info(one, (*location, name), depth + 1)]


def _cursors(members: Sequence[tuple[tuple[str, ...], Any]], response: Response, asked: Asked) -> list[PagingGuess]:
    """A member, or a header, that is called a next cursor, and the parameter that it is likely sent with."""
    more = next(
        (
            pointer_text(location)
            for location, value in members
            if plain_name(location[-1]) in MORE_NAMES and isinstance(value, bool)
        ),
        None,
    )
    for location, value in members:
        sent_as = CURSOR_NAMES.get(plain_name(location[-1]))
        is_text = isinstance(value, str) and value and not is_address(value)
        is_number = type(value) is int and plain_name(location[-1]) not in ("next", "cursor")
        if sent_as is None or not (is_text or is_number):
            continue
        name = asked.first_of((*sent_as, "cursor", "after", "pageToken", "page_token"))
        if name is None and plain_name(location[-1]) in ("next", "cursor"):  # it may be anything
            continue
        at = pointer_text(location)
        words = f'a next cursor at {at}, sent as "{name or sent_as[0]}"' + ("" if name else ", by its name")
        return [PagingGuess(Cursor(input=name or sent_as[0], at=at, more=more), words)]
    for header, value in response.headers:
        plain = plain_name(header).removeprefix("x")
        if plain in CURSOR_NAMES and plain != "next" and value and not is_address(value):
            name = asked.first_of(CURSOR_NAMES[plain]) or CURSOR_NAMES[plain][0]
            return [PagingGuess(Cursor(input=name, header=header), f'a next cursor in {header}, sent as "{name}"')]
    return []


def _numbers(
    members: Sequence[tuple[tuple[str, ...], Any]], response: Response, asked: Asked, *, is_sure: bool
) -> list[PagingGuess]:
    """Page numbers and offsets: by the parameter that was asked with, or by what the response says of itself."""
    total = _number_at(members, TOTAL_NAMES)
    pages = _number_at(members, PAGES_NAMES) if total is None else None
    header = "" if total or pages else _total_header(response)
    words = f", the total at {total}" if total else f", the number of pages at {pages}" if pages else ""
    words += f", the total in {header}" if header else ""
    size = asked.first_of(SIZE_NAMES) or ""
    numbered = [
        (location, value)
        for location, value in members
        if plain_name(location[-1]) in ("page", "pagenumber", "currentpage") and type(value) is int
    ]
    parameter = asked.first_of(PAGE_NAMES)
    if parameter or (numbered and (total or pages) and is_sure):
        first = 0 if numbered and numbered[0][1] == 0 else 1
        paging = PageNumber(
            input=parameter or "page", first=first, total=total, total_header=header, pages=pages, size_input=size
        )
        return [PagingGuess(paging, f'a page number in "{paging.input}"{words}')]
    said = any(plain_name(location[-1]) in ("offset", "skip", "startindex") for location, _ in members)
    parameter = asked.first_of(OFFSET_NAMES[:3]) or (
        asked.first_of(OFFSET_NAMES) if size and (total or header) else None
    )
    if parameter or (said and (total or header) and is_sure):
        first = 1 if parameter in ("startIndex", "start_index") else 0
        offset = Offset(input=parameter or "offset", first=first, total=total, total_header=header, size_input=size)
        return [PagingGuess(offset, f'the number of rows before a page in "{offset.input}"{words}')]
    return []


def _number_at(members: Sequence[tuple[tuple[str, ...], Any]], names: Iterable[str]) -> str | None:
    return next(
        (
            pointer_text(location)
            for location, value in members
            if plain_name(location[-1]) in names and type(value) is int
        ),
        None,
    )


def _total_header(response: Response) -> str:
    for name, value in response.headers:
        if plain_name(name).removeprefix("x") in ("totalcount", "total") and whole_number(value) is not None:
            return name
    return ""


def _in_xml(document: Any) -> list[PagingGuess]:
    """A link to the next page as Atom has it (RFC 4287, section 4.2.7; RFC 5005, section 3), or an element that holds
    its address."""
    root = next(iter(document), "") if isinstance(document, dict) else ""
    held = document[root] if root else None
    for name, value in held.items() if isinstance(held, dict) else ():
        links = value if isinstance(value, list) else [value]
        if _last(name) == "link" and any(isinstance(link, dict) and link.get("@rel") == "next" for link in links):
            at = f"/{root}/{name}[@rel='next']/@href"
            return [PagingGuess(NextAddress(at=at), f"a link to the next page at {at}")]
        if plain_name(_last(name)) in NEXT_NAMES and is_address(value):
            return [PagingGuess(NextAddress(at=f"/{root}/{name}"), f"a next address at /{root}/{name}")]
    return []


def _last(name: str) -> str:
    return name.removeprefix("@").rpartition(":")[2]


def _members(document: Any) -> Sequence[tuple[tuple[str, ...], Any]]:
    """Members of the outermost object, of the objects directly in it, and of those in these."""
    found: list[tuple[tuple[str, ...], Any]] = []

    def take(value: Any, location: tuple[str, ...]) -> None:
        for name, held in value.items():
            found.append(((*location, name), held))
            if isinstance(held, dict) and len(location) < 2:
                take(held, (*location, name))

    if isinstance(document, dict):
        take(document, ())
    return sorted(found, key=lambda one: len(one[0]))


def plain_name(name: str) -> str:
    return name.lower().replace("_", "").replace("-", "")
