"""Pagination strategies: each one file and one line here.

A strategy either follows an address or sets inputs of the operation, which puts them where they belong: query, path,
header, body, GraphQL variable, SOAP element. It is a generator that asks for page after page; it says ahead which pages
it will ask for, where it knows them, so that several are fetched at a time. Each ask has a position, from which the
strategy goes on after a break. Whoever drives it, a test or a feed, sends what it asks for and nothing else.
"""

from rondine.core.pagination.cursor import Cursor
from rondine.core.pagination.graphql_connection import GraphqlConnection
from rondine.core.pagination.keyset import Keyset
from rondine.core.pagination.link_header import LinkHeader
from rondine.core.pagination.next_address import NextAddress
from rondine.core.pagination.offset import Offset
from rondine.core.pagination.one_response import OneResponse
from rondine.core.pagination.page_number import PageNumber
from rondine.core.pagination.steps import Ahead, Ending, PagedOperation, Pages, RepeatedPage
from rondine.core.pagination.windows import Windows

__all__ = [
    "Ahead",
    "Cursor",
    "Ending",
    "GraphqlConnection",
    "Keyset",
    "LinkHeader",
    "NextAddress",
    "Offset",
    "OneResponse",
    "PageNumber",
    "PagedOperation",
    "Pages",
    "Paging",
    "RepeatedPage",
    "Windows",
]

Paging = LinkHeader | NextAddress | PageNumber | Offset | Cursor | GraphqlConnection | Keyset | Windows | OneResponse
