"""Pagination strategies: each one file and one line here.

A strategy is a generator that asks for page after page; it says ahead which pages it will ask for, where it knows them,
so that several are fetched at a time. Whoever drives it, a test or a feed, sends what it asks for and nothing else.
"""

from rondine.core.pagination.link_header import LinkHeader
from rondine.core.pagination.next_address import NextAddress
from rondine.core.pagination.one_response import OneResponse
from rondine.core.pagination.page_number import PageNumber
from rondine.core.pagination.steps import Ahead, Ending, Pages, RepeatedPage

__all__ = [
    "Ahead",
    "Ending",
    "LinkHeader",
    "NextAddress",
    "OneResponse",
    "PageNumber",
    "Pages",
    "Paging",
    "RepeatedPage",
]

Paging = LinkHeader | NextAddress | PageNumber | OneResponse
