"""Pagination strategies: each one file and one line here.

A strategy is an exchange that asks for page after page. A strategy whose pages can be addressed independently also
offers `plan`, so that several are fetched at a time.
"""

from rondine.core.pagination.link_header import LinkHeader
from rondine.core.pagination.next_address import NextAddress
from rondine.core.pagination.one_response import OneResponse
from rondine.core.pagination.page_number import PageNumber
from rondine.core.pagination.steps import Ending, Pages

__all__ = ["Ending", "LinkHeader", "NextAddress", "OneResponse", "PageNumber", "Pages", "Paging"]

Paging = LinkHeader | NextAddress | PageNumber | OneResponse
