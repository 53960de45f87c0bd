"""Pagination by the Link header field (RFC 8288), relation type "next", or by another one that holds an address."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated

from msgspec import Meta

from rondine.core.http.messages import Position, Response
from rondine.core.pagination.steps import PagedOperation, Pages, Strategy, follow

_OWS = " \t"
_NOT_TOKEN = re.compile(r"[\s=;,\"]")


@dataclass(frozen=True, slots=True)
class Link:
    """target: as written, absolute or relative.  parameters: names in lower case; of one that is duplicated the
    first."""

    target: str
    parameters: Mapping[str, str]

    @property
    def relations(self) -> tuple[str, ...]:
        """Relation types, in lower case (RFC 8288, section 2.1)."""
        return tuple(self.parameters.get("rel", "").lower().split())


class LinkHeader(Strategy, tag="link_header", frozen=True):
    """Follows the next link in a header, usually Link, until a response has none."""

    header: Annotated[
        str,
        Meta(min_length=1, description="that names the next page; another one than Link holds its address alone"),
    ] = "Link"
    max_pages: Annotated[
        int, Meta(ge=1, description="responses to ask for at most; stops a service that links in a circle")
    ] = 10_000

    def exchange(self, paged: PagedOperation, position: Position = None) -> Pages:
        return follow(
            paged,
            self._next_of,
            position=position,
            wanted=self.wanted(),
            max_pages=self.max_pages,
            source=f"{self.header} header",
            ended="the last page has no next link",
        )

    def _next_of(self, response: Response) -> str | None:
        value = response.header(self.header)
        return next_link(value) if self.header.lower() == "link" else value or None


def next_link(value: str | None) -> str | None:
    """The target of the first link with relation type "next" (RFC 8288, section 3), None if there is none."""
    return next((link.target for link in links(value or "") if "next" in link.relations), None)


def links(value: str) -> list[Link]:
    """The links of a Link header field, read as RFC 8288, appendix B.2 says: what is in quotes is text, whatever it
    looks like.

    Where the field breaks the grammar, the links before that place are given.
    """
    found = []
    at = 0
    while at < len(value):
        at = _skip(value, at, _OWS + ",")
        if at >= len(value) or value[at] != "<" or (end := value.find(">", at)) < 0:
            break
        target, at = value[at + 1 : end], end + 1
        parameters, at = _parameters(value, at)
        found.append(Link(target.strip(), parameters))
    return found


def _parameters(value: str, at: int) -> tuple[dict[str, str], int]:
    """(parameters by name, the place behind them): appendix B.3."""
    found: dict[str, str] = {}
    while True:
        at = _skip(value, at, _OWS)
        if at >= len(value) or value[at] != ";":
            return found, at
        at = _skip(value, at + 1, _OWS)
        begin = at
        while at < len(value) and not _NOT_TOKEN.match(value[at]):
            at += 1
        name = value[begin:at].lower()
        at = _skip(value, at, _OWS)
        text = ""
        if at < len(value) and value[at] == "=":
            at = _skip(value, at + 1, _OWS)
            text, at = _quoted(value, at) if value[at : at + 1] == '"' else _bare(value, at)
        if name:
            found.setdefault(name, text)


def _quoted(value: str, at: int) -> tuple[str, int]:
    """A quoted string from its opening quote on; one that does not end goes to the end of the field: appendix B.4."""
    text = []
    at += 1
    while at < len(value) and value[at] != '"':
        if value[at] == "\\" and at + 1 < len(value):
            at += 1
        text.append(value[at])
        at += 1
    return "".join(text), at + 1


def _bare(value: str, at: int) -> tuple[str, int]:
    begin = at
    while at < len(value) and value[at] not in ";,":
        at += 1
    return value[begin:at].rstrip(_OWS), at


def _skip(value: str, at: int, what: str) -> int:
    while at < len(value) and value[at] in what:
        at += 1
    return at
