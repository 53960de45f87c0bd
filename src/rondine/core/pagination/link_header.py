"""Pagination by the Link header field (RFC 8288), relation type "next"."""

import re

from rondine.core.http import Request, Response
from rondine.core.pagination.steps import Pages, follow
from rondine.core.settings import Document

_LINK = re.compile(r"""<([^>]*)>((?:\s*;\s*[^\s=;,]+\s*(?:=\s*(?:"(?:[^"\\]|\\.)*"|[^\s",;]*))?)*)""")
_REL = re.compile(r""";\s*rel\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s",;]*))""", re.IGNORECASE)


class LinkHeader(Document, tag="link_header", frozen=True):
    """Follow the "next" link until a response has none.

    max_pages: responses to ask for at most; stops a service that links in a circle.
    """

    max_pages: int = 10_000

    def wanted(self) -> dict[str, str]:
        return {}

    def exchange(self, first: Request) -> Pages:
        return follow(
            first,
            _next_of,
            wanted=self.wanted(),
            max_pages=self.max_pages,
            source="Link header",
            ended="the last page has no next link",
        )


def _next_of(response: Response) -> str | None:
    return next_link(response.header("Link"))


def next_link(value: str | None) -> str | None:
    """The target of the first link with relation type "next" (RFC 8288, section 3), None if there is none."""
    for found in _LINK.finditer(value or ""):
        rel = _REL.search(found.group(2))  # section 3.3: only the first rel counts
        if rel and "next" in (rel.group(1) or rel.group(2) or "").lower().split():
            return found.group(1)
    return None
