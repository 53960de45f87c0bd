"""Which paging a description shows, before any response was seen: in the headers and members that it declares."""

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from rondine.core.definitions.declared import members_of, opened
from rondine.core.pagination import Cursor, LinkHeader, NextAddress, Offset, PageNumber
from rondine.core.pagination.recognise import (
    CURSOR_NAMES,
    MORE_NAMES,
    NEXT_NAMES,
    PAGE_NAMES,
    PAGES_NAMES,
    SIZE_NAMES,
    TOTAL_NAMES,
    PagingGuess,
    plain_name,
)
from rondine.core.paths import pointer_text
from rondine.core.schema.json_schema import types_of

#: Words of a format or a name that say that a text is an address, where it might be a cursor.
_ADDRESS = ("uri", "url", "iri")


def described_paging(
    schema: Any, schemas: Mapping[str, Any], *, headers: Collection[str], query: Mapping[str, str]
) -> PagingGuess | None:
    """The surest, None if nothing is declared. schema: of the good response.  headers: that it declares.  query: the
    inputs that its parameters take, by the parameters' names."""
    if any(name.lower() == "link" for name in headers):
        return PagingGuess(LinkHeader(), "the Link header that it declares")
    members = list(_members(opened(schema, schemas), schemas))
    for location, one in members:
        if plain_name(location[-1]) in NEXT_NAMES and _is_address(location[-1], one):
            at = pointer_text(location)
            return PagingGuess(NextAddress(at=at), f"the address of the next page that it declares at {at}")
    if (cursor := _cursor(members, query)) is not None:
        return cursor
    total = _number_at(members, TOTAL_NAMES)
    pages = _number_at(members, PAGES_NAMES) if total is None else None
    header = next((name for name in headers if plain_name(name).removeprefix("x") in ("totalcount", "total")), "")
    header = "" if total or pages else header
    words = f", the total at {total}" if total else f", the number of pages at {pages}" if pages else ""
    words += f", the total in {header}" if header else ""
    size = next((query[name] for name in SIZE_NAMES if name in query), "")
    parameter = next((name for name in PAGE_NAMES if name in query), None)
    if parameter is not None:
        paging = PageNumber(input=query[parameter], total=total, total_header=header, pages=pages, size_input=size)
        return PagingGuess(paging, f'the page number that it takes in "{parameter}"{words}')
    parameter = next((name for name in ("offset", "skip", "$skip", "startIndex") if name in query), None)
    if parameter is not None:
        first = 1 if parameter == "startIndex" else 0
        offset = Offset(input=query[parameter], first=first, total=total, total_header=header, size_input=size)
        return PagingGuess(offset, f'the number of rows before a page that it takes in "{parameter}"{words}')
    return None


def _cursor(members: list[tuple[tuple[str, ...], dict[str, Any]]], query: Mapping[str, str]) -> PagingGuess | None:
    """A member called a next cursor, and a parameter that it can be sent with."""
    more = next(
        (
            pointer_text(location)
            for location, one in members
            if plain_name(location[-1]) in MORE_NAMES and "boolean" in types_of(one)
        ),
        None,
    )
    for location, one in members:
        sent_as = (*CURSOR_NAMES.get(plain_name(location[-1]), ()), "cursor", "after", "pageToken", "page_token")
        parameter = next((name for name in sent_as if name in query), None)
        if plain_name(location[-1]) in CURSOR_NAMES and parameter is not None and "string" in types_of(one):
            at = pointer_text(location)
            words = f'the next cursor that it declares at {at}, and takes in "{parameter}"'
            return PagingGuess(Cursor(input=query[parameter], at=at, more=more), words)
    return None


def _number_at(members: list[tuple[tuple[str, ...], dict[str, Any]]], names: Collection[str]) -> str | None:
    return next(
        (
            pointer_text(location)
            for location, one in members
            if plain_name(location[-1]) in names and "integer" in types_of(one)
        ),
        None,
    )


def _members(schema: dict[str, Any], schemas: Mapping[str, Any]) -> Iterator[tuple[tuple[str, ...], dict[str, Any]]]:
    """Members of the outermost object and of the objects directly in it."""
    for name, member in members_of(schema).items():
        one = opened(member, schemas)
        yield (name,), one
        for inner, held in members_of(one).items():
            yield (name, inner), opened(held, schemas)


def _is_address(name: str, schema: dict[str, Any]) -> bool:
    kinds = types_of(schema)
    is_text = "string" in kinds
    says = f"{schema.get('format', '')} {name} {schema.get('description', '')}".lower()
    return is_text and (
        any(word in says for word in _ADDRESS) or "link" in name.lower() or name.lower().endswith("href")
    )
