"""What a response says of the rows that are not in it: that there are more, how many there are in all, or that these
were the last.

A run may only say that it is complete if the service said so, and nothing else it said contradicts that. So signs are
looked for wherever services write them, whatever strategy was followed: in the Link and count headers, and in the
members beside the list that is read, not within its rows, where a "total" may be anything. Within rows only the
standards' own signs count: a list of a row that goes on at an address of its own (OData JSON Format 4.01, section
4.5.5), and connections with `pageInfo` (GraphQL Cursor Connections).
"""

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from rondine.core.http.messages import Headers
from rondine.core.pagination.link_header import links, next_link
from rondine.core.paths import pointer_text

#: In the way to a list: each element of the list so far.
EACH = "*"
#: Elements of outer lists that are looked into for inner ones that go on.
MOST_ELEMENTS = 10_000
#: Objects within objects beside the list that are looked at: {"meta": {"pagination": {"total": 7}}}.
_DEPTH = 2

_TOTAL = {
    "total", "totalcount", "totalrows", "totalresults", "totalitems", "totalrecords", "totalelements", "totalhits",
    "totalsize",
    "totalentries", "@odata.count", "odata.count", "__count",
}  # fmt: skip
#: May also be the number of rows in this response: a sign only if it is larger than that.
_COUNT = {"count", "size", "results", "hits", "matched", "found"}
_NEXT = {
    "next", "nextpage", "nexturl", "nexturi", "nexthref", "nextaddress", "nextlink", "@odata.nextlink",
    "odata.nextlink", "__next", "nextcursor",
    "nextpagetoken", "nextpagecursor", "nexttoken", "nextmarker", "nextoffset", "nextstart", "continuationtoken",
    "continuation",
}  # fmt: skip
_MORE = {
    "hasmore",
    "hasnext",
    "hasnextpage",
    "more",
    "moreresults",
    "moreavailable",
    "ismore",
    "truncated",
    "istruncated",
}
_LAST = {"last", "islast", "islastpage"}
_PAGE = {"page", "pagenumber", "currentpage"}
_PAGES = {"pages", "totalpages", "pagecount", "lastpage", "numpages", "pagestotal"}
_LINKS = {"links", "_links"}
_OTHER_PAGES = {"prev", "previous", "first", "last"}
_WHOLE = re.compile(r"\d{1,18}", re.ASCII)
_RANGE = re.compile(r"([^\s]+)\s+(?:(\d{1,18})-(\d{1,18})|\*)/(\d{1,18}|\*)", re.ASCII)


@dataclass(frozen=True, slots=True)
class Signs:
    """more: what says that there is more, in words.  ended: what says that these were the last.  total: the announced
    number of rows in all, and where it stands.  count: a number that may be that of all rows or of these.  pages: page
    and last page, if told."""

    more: tuple[str, ...] = ()
    ended: tuple[str, ...] = ()
    total: tuple[int, str] | None = None
    count: tuple[int, str] | None = None
    pages: tuple[int, int, str] | None = None

    def missing(self, received: int | None) -> str:
        """Why the rows received until this response are not all, in words; empty if nothing says so. received: None if
        it is not known."""
        if self.more:
            return self.more[0]
        for found in (self.total, self.count):
            if found is not None and received is not None and received < found[0]:
                return f"{found[0]:,} rows are announced ({found[1]}), and {received:,} came"
        is_reached = self.total is not None and received is not None
        if self.pages is not None and not is_reached and self.pages[0] < self.pages[1]:
            return f"this is page {self.pages[0]:,} of {self.pages[1]:,} ({self.pages[2]})"
        return ""

    def proof(self, received: int | None) -> str:
        """Why the rows received until this response are all, in words; empty if nothing says so, or if something says
        the contrary."""
        if self.missing(received):
            return ""
        if self.ended:
            return self.ended[0]
        if self.total is not None and received is not None:
            return f"all {self.total[0]:,} announced rows came ({self.total[1]})"
        if self.pages is not None and self.pages[0] >= self.pages[1]:
            return f"page {self.pages[0]:,} is the last one ({self.pages[2]})"
        return ""


class _Found:
    def __init__(self) -> None:
        self.more: list[str] = []
        self.ended: list[str] = []
        self.total: tuple[int, str] | None = None
        self.count: tuple[int, str] | None = None
        self.pages: tuple[int, int, str] | None = None

    def signs(self) -> Signs:
        return Signs(tuple(self.more), tuple(self.ended), self.total, self.count, self.pages)


def signs_of(
    headers: Headers, document: Any, lists: Iterable[Sequence[str]] = ((),), *, status: int = 200, is_xml: bool = False
) -> Signs:
    """document: the body's value, with or without its rows; None if there is none.

    lists: the ways to the lists that are read: names of members, EACH for every element of a list.
    """
    found = _Found()
    _in_headers(found, headers, status)
    if is_xml:
        document = _plain_xml(document)
        lists = [[_local(name) for name in way] for way in lists]
    for way in lists:
        _along(found, document, tuple(way))
    return found.signs()


def _in_headers(found: _Found, headers: Headers, status: int) -> None:
    joined = ", ".join(value for name, value in headers if name.lower() == "link")
    if next_link(joined):
        found.more.append("a next link in the Link header")
    elif any(rel in _OTHER_PAGES for link in links(joined) for rel in link.relations):
        found.ended.append("the Link header names other pages and no next one")
    for name, value in headers:
        plain = _plain(name).removeprefix("x")
        where = f"the header {name}"
        if plain in ("totalcount", "total") and _WHOLE.fullmatch(value.strip()):
            found.total = found.total or (int(value), where)
        elif plain in ("nextpage", "nextcursor", "nextpagetoken", "hasmore"):
            _judge(found, plain, value.strip(), where)
        elif name.lower() == "content-range" and (match := _RANGE.fullmatch(value.strip())):
            _in_range(found, match, status, where)


def _in_range(found: _Found, match: re.Match[str], status: int, where: str) -> None:
    """A Content-Range (RFC 9110, section 14.4): in bytes of the content, or in a unit of the service's, which is
    rows."""
    unit, _, last, whole = match.groups()
    if whole == "*":
        return
    if unit.lower() != "bytes":
        found.total = found.total or (int(whole), where)
    elif status == 206 and last and int(last) + 1 < int(whole):
        found.more.append(f"only a part of the content came ({where})")


def _along(found: _Found, document: Any, way: tuple[str, ...]) -> None:
    """Looks beside the way to one list, and into the lists on it."""
    holder = document
    location: tuple[str, ...] = ()
    for number, name in enumerate(way):
        if name == EACH:
            if isinstance(holder, list):
                _within(found, holder, way[number + 1 :], location)
            return
        if not isinstance(holder, dict):
            return
        _beside(found, holder, name, location)
        holder, location = holder.get(name), (*location, name)


def _beside(found: _Found, holder: dict[str, Any], name: str, location: tuple[str, ...], depth: int = 0) -> None:
    """The members of an object but the one that leads to the rows."""
    page: tuple[int, str] | None = None
    last: tuple[int, str] | None = None
    for key, value in holder.items():
        if key == name:
            continue
        plain, where = _plain(key), pointer_text((*location, key))
        if isinstance(value, dict):
            if plain in _NEXT:
                _judge(found, plain, value.get("href"), pointer_text((*location, key, "href")))
            elif depth < _DEPTH:
                if plain in _LINKS and "next" not in value and _OTHER_PAGES & set(value):
                    found.ended.append(f"other pages are named and no next one ({where})")
                _beside(found, value, "", (*location, key), depth + 1)
            continue
        if plain in _PAGE and _number(value) is not None:
            page = (_number(value) or 0, where)
        elif plain in _PAGES and _number(value) is not None:
            last = (_number(value) or 0, where)
        else:
            _judge(found, plain, value, where)
    if page is not None and last is not None and found.pages is None:
        found.pages = (page[0], last[0], page[1])


def _judge(found: _Found, plain: str, value: Any, where: str) -> None:
    number = _number(value)
    if plain in _TOTAL:
        if number is not None:
            found.total = found.total or (number, where)
    elif plain in _COUNT:
        if number is not None:
            found.count = found.count or (number, where)
    elif plain in _NEXT:
        if value in (None, "", False):
            found.ended.append(f"there is no next page ({where})")
        elif isinstance(value, str | int):
            found.more.append(f"a next page is named ({where})")
    elif plain in _MORE:
        if _is(value, True):
            found.more.append(f"{where} is true")
        elif _is(value, False):
            found.ended.append(f"{where} is false")
    elif plain in _LAST:
        if _is(value, False):
            found.more.append(f"{where} is false")
        elif _is(value, True):
            found.ended.append(f"{where} is true")


def _within(found: _Found, elements: list[Any], way: tuple[str, ...], location: tuple[str, ...]) -> None:
    """Lists of rows that go on at an address of their own: their rows here are not all."""
    if not way:
        return
    for number, element in enumerate(elements[:MOST_ELEMENTS]):
        holder: Any = element
        here: tuple[Any, ...] = (*location, number)
        for step, name in enumerate(way):
            if name == EACH:
                if isinstance(holder, list):
                    _within(found, holder, way[step + 1 :], here)
                break
            if not isinstance(holder, dict):
                break
            for at, value in _goes_on(holder, name):
                if value not in (None, "", False):
                    where = pointer_text((*here, *at))
                    found.more.append(f"the list {name} within a row goes on elsewhere ({where})")
                    return
            holder, here = holder.get(name), (*here, name)


def _goes_on(holder: dict[str, Any], name: str) -> Iterator[tuple[tuple[str, ...], Any]]:
    for suffix in ("@odata.nextLink", "@nextLink", "@odata.navigationLinkNext"):
        if name + suffix in holder:
            yield (name + suffix,), holder[name + suffix]
    if "__next" in holder:
        yield ("__next",), holder["__next"]
    info = holder.get("pageInfo")
    if isinstance(info, dict):
        yield ("pageInfo", "hasNextPage"), info.get("hasNextPage")


def _number(value: Any) -> int | None:
    if type(value) is int:
        return value
    return int(value) if isinstance(value, str) and _WHOLE.fullmatch(value) else None


def _is(value: Any, wanted: bool) -> bool:
    return value is wanted or (isinstance(value, str) and value.lower() == str(wanted).lower())


def _plain(name: str) -> str:
    return name.lower().replace("_", "").replace("-", "") if not name.startswith("_") else name.lower()


def _plain_xml(value: Any, depth: int = 0) -> Any:
    """An XML value with local names; of Atom's links (RFC 4287, section 4.2.7), the next one as a member."""
    if isinstance(value, list):
        return [_plain_xml(one, depth) for one in value[:MOST_ELEMENTS]]
    if not isinstance(value, dict):
        return value
    made: dict[str, Any] = {}
    for name, held in value.items():
        plain = _local(name)
        if plain == "link":
            relations = {
                one.get("@rel"): one.get("@href")
                for one in (held if isinstance(held, list) else [held])
                if isinstance(one, dict)
            }
            made["_links"] = {str(rel): {"href": href} for rel, href in relations.items()}
        else:
            made.setdefault(plain, _plain_xml(held, depth + 1))
    return made


def _local(name: str) -> str:
    return name if name == EACH else name.removeprefix("@").rpartition(":")[2]
