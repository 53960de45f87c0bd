"""Which paging a description shows, before any response was seen: in the headers and members that it declares."""

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from rondine.core.definitions.declared import members_of, opened
from rondine.core.pagination import LinkHeader, NextAddress, PageNumber
from rondine.core.pagination.recognise import NEXT_NAMES, PAGE_NAMES, TOTAL_NAMES, PagingGuess, plain_name
from rondine.core.paths import pointer_text
from rondine.core.schema.json_schema import types_of

#: Words of a format or a name that say that a text is an address, where it might be a cursor.
_ADDRESS = ("uri", "url", "iri")


def described_paging(
    schema: Any, schemas: Mapping[str, Any], *, headers: Collection[str], query: Collection[str]
) -> PagingGuess | None:
    """The surest, None if nothing is declared. schema: of the good response.  headers: that it declares.  query: names
    of the query's parameters."""
    if any(name.lower() == "link" for name in headers):
        return PagingGuess(LinkHeader(), "the Link header that it declares")
    members = list(_members(opened(schema, schemas), schemas))
    for location, one in members:
        if plain_name(location[-1]) in NEXT_NAMES and _is_address(location[-1], one):
            at = pointer_text(location)
            return PagingGuess(NextAddress(at=at), f"the address of the next page that it declares at {at}")
    parameter = next((name for name in PAGE_NAMES if name in query), None)
    total = next(
        (
            pointer_text(location)
            for location, one in members
            if plain_name(location[-1]) in TOTAL_NAMES and "integer" in types_of(one)
        ),
        None,
    )
    if parameter is None:
        return None
    words = f'the page number that it takes in "{parameter}"' + (f", the total at {total}" if total else "")
    return PagingGuess(PageNumber(parameter=parameter, total=total), words)


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
