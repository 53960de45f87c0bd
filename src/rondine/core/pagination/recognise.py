"""Which paging a response shows. A guess stays a guess until a run has proven it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qsl, urlsplit

from rondine.core.http.messages import Headers, Response
from rondine.core.pagination import LinkHeader, NextAddress, PageNumber, Paging
from rondine.core.pagination.link_header import next_link
from rondine.core.paths import pointer_text

NEXT_NAMES = {"next", "nextpage", "nexturl", "nexthref", "nextaddress", "nextlink", "@odata.nextlink", "__next"}
TOTAL_NAMES = {"total", "count", "totalcount", "totalrows", "totalresults", "@odata.count"}
PAGE_NAMES = ("page", "page_number", "pageNumber", "p")


@dataclass(frozen=True, slots=True)
class PagingGuess:
    """A strategy and what it was read from, in words."""

    paging: Paging
    reason: str


def recognise(url: str, headers: Headers, document: Any, *, is_xml: bool = False) -> list[PagingGuess]:
    """The strategies that the response shows, the surest first; empty if it shows none. is_xml: the document is as
    `read_elements` gives it."""
    guesses = []
    if next_link(Response(200, headers).header("Link")):
        guesses.append(PagingGuess(LinkHeader(), "a next link in the Link header"))
    if is_xml:
        return guesses + _in_xml(document)
    members = _members(document)
    for location, value in members:
        if plain_name(location[-1]) in NEXT_NAMES and isinstance(value, str) and ("/" in value or "?" in value):
            guesses.append(
                PagingGuess(NextAddress(at=pointer_text(location)), f"a next address at {pointer_text(location)}")
            )
    total = next(
        (
            pointer_text(location)
            for location, value in members
            if plain_name(location[-1]) in TOTAL_NAMES and type(value) is int
        ),
        None,
    )
    asked = {name for name, _ in parse_qsl(urlsplit(url).query, keep_blank_values=True)}
    parameter = next((name for name in PAGE_NAMES if name in asked), None)
    named = any(
        plain_name(location[-1]) in ("page", "pagenumber", "pages") and type(value) is int
        for location, value in members
    )
    if parameter or (named and total and not guesses):
        guesses.append(
            PagingGuess(
                PageNumber(parameter=parameter or "page", total=total),
                f'a page number in "{parameter or "page"}"' + (f", the total at {total}" if total else ""),
            )
        )
    return guesses


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
        if plain_name(_last(name)) in NEXT_NAMES and isinstance(value, str) and ("/" in value or "?" in value):
            return [PagingGuess(NextAddress(at=f"/{root}/{name}"), f"a next address at /{root}/{name}")]
    return []


def _last(name: str) -> str:
    return name.removeprefix("@").rpartition(":")[2]


def _members(document: Any) -> Sequence[tuple[tuple[str, ...], Any]]:
    """Members of the outermost object and of the objects directly in it."""
    if not isinstance(document, dict):
        return []
    found: list[tuple[tuple[str, ...], Any]] = []
    for name, value in document.items():
        found.append(((name,), value))
        if isinstance(value, dict):
            found += [((name, inner), one) for inner, one in value.items()]
    return found


def plain_name(name: str) -> str:
    return name.lower().replace("_", "").replace("-", "")
