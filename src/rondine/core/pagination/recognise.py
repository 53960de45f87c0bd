"""Which paging a response shows. A guess stays a guess until a run has proven it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qsl, urlsplit

from rondine.core.http import Headers, Response
from rondine.core.pagination import LinkHeader, NextAddress, PageNumber, Paging
from rondine.core.pagination.link_header import next_link
from rondine.core.paths import pointer_text

_NEXT = {"next", "nextpage", "nexturl", "nexthref", "nextaddress", "nextlink", "@odata.nextlink", "__next"}
_TOTAL = {"total", "count", "totalcount", "totalrows", "totalresults", "@odata.count"}
_PAGE = ("page", "page_number", "pageNumber", "p")


@dataclass(frozen=True, slots=True)
class PagingGuess:
    """A strategy and what it was read from, in words."""

    paging: Paging
    reason: str


def recognise(url: str, headers: Headers, document: Any) -> list[PagingGuess]:
    """The strategies that the response shows, the surest first; empty if it shows none."""
    guesses = []
    if next_link(Response(200, headers).header("Link")):
        guesses.append(PagingGuess(LinkHeader(), "a next link in the Link header"))
    members = _members(document)
    for location, value in members:
        if _plain(location[-1]) in _NEXT and isinstance(value, str) and ("/" in value or "?" in value):
            guesses.append(
                PagingGuess(NextAddress(at=pointer_text(location)), f"a next address at {pointer_text(location)}")
            )
    total = next(
        (
            pointer_text(location)
            for location, value in members
            if _plain(location[-1]) in _TOTAL and type(value) is int
        ),
        None,
    )
    asked = {name for name, _ in parse_qsl(urlsplit(url).query, keep_blank_values=True)}
    parameter = next((name for name in _PAGE if name in asked), None)
    named = any(
        _plain(location[-1]) in ("page", "pagenumber", "pages") and type(value) is int for location, value in members
    )
    if parameter or (named and total and not guesses):
        guesses.append(
            PagingGuess(
                PageNumber(parameter=parameter or "page", total=total),
                f'a page number in "{parameter or "page"}"' + (f", the total at {total}" if total else ""),
            )
        )
    return guesses


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


def _plain(name: str) -> str:
    return name.lower().replace("_", "").replace("-", "")
