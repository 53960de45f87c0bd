"""The tree register's other ways of giving its trees page by page; all need the key, and take ?district= and
?min_girth= as /v1/trees does.

GET  /v1/pages/offset         ?offset= &limit=, the total in X-Total-Count
GET  /v1/pages/plain          ?page= (from 0) &size=, a bare list that announces nothing
GET  /v1/pages/numbered       ?page= &size=, announces the number of pages
GET  /v1/pages/more           ?after= &limit=, {"next_cursor", "has_more"} in "paging"
GET  /v1/pages/header         ?cursor= &limit=, the next one in X-Next-Cursor
GET  /v1/pages/key            ?after= &limit=, the trees whose number comes after that one
GET  /v1/pages/relative       ?start= &limit=, "next" is relative to the base address
GET  /v1/pages/list      ?page= &size= &delimiter=, CSV; the next page in a Link header
GET  /v1/pages/surveyed       ?from= &to= (days, the end left out), 400 trees at most, "truncated" if there are more
POST /v1/pages/search         {"page": {"number", "size"}, "filter": {"district"}}, announces the total
POST /v1/pages/envelope       SOAP 1.1: <t:Trees><t:cursor/><t:limit/></t:Trees>
"""

import csv
import io
import json
from collections.abc import Callable
from typing import Any
from xml.sax.saxutils import escape

from aiohttp import web
from lxml import etree

T = "urn:olmara:trees"
ENVELOPE = "http://schemas.xmlsoap.org/soap/envelope/"
#: Trees that one answer to /v1/pages/surveyed has at most.
MOST_SURVEYED = 400
Trees = list[dict[str, Any]]


class RegisterPages:
    """found: the trees that a request is about.  shown: of some of them, those that an answer really has; how it
    misbehaves is the register's own affair.  announced: how many the register says that there are.
    """

    def __init__(
        self,
        found: Callable[[web.Request], Trees],
        shown: Callable[[Trees, int, int], Trees],
        announced: Callable[[Trees], int],
    ) -> None:
        self._found, self._shown, self._announced = found, shown, announced

    def routes(self) -> list[web.RouteDef]:
        return [
            web.get("/v1/pages/offset", self.offset),
            web.get("/v1/pages/plain", self.plain),
            web.get("/v1/pages/numbered", self.numbered),
            web.get("/v1/pages/more", self.more),
            web.get("/v1/pages/header", self.header),
            web.get("/v1/pages/key", self.key),
            web.get("/v1/pages/relative", self.relative),
            web.get("/v1/pages/list", self.as_csv),
            web.get("/v1/pages/surveyed", self.surveyed),
            web.post("/v1/pages/search", self.search),
            web.post("/v1/pages/envelope", self.envelope),
        ]

    async def offset(self, request: web.Request) -> web.Response:
        found = self._found(request)
        trees = self._shown(found, whole(request, "offset", 0), size_of(request, "limit"))
        return answer({"trees": trees}, {"X-Total-Count": str(self._announced(found))})

    async def plain(self, request: web.Request) -> web.Response:
        size = size_of(request, "size")
        return answer(self._shown(self._found(request), whole(request, "page", 0) * size, size))

    async def numbered(self, request: web.Request) -> web.Response:
        found, size, page = self._found(request), size_of(request, "size"), whole(request, "page", 1)
        pages = -(-self._announced(found) // size)
        return answer({"trees": self._shown(found, (page - 1) * size, size), "page": page, "total_pages": pages})

    async def more(self, request: web.Request) -> web.Response:
        found, limit, start = self._found(request), size_of(request, "limit"), after(request, "after")
        is_more = start + limit < len(found)
        cursor = f"c{start + limit}" if is_more else None
        return answer(
            {"trees": self._shown(found, start, limit), "paging": {"next_cursor": cursor, "has_more": is_more}}
        )

    async def header(self, request: web.Request) -> web.Response:
        found, limit, start = self._found(request), size_of(request, "limit"), after(request, "cursor")
        headers = {"X-Next-Cursor": f"c{start + limit}"} if start + limit < len(found) else {}
        return answer({"trees": self._shown(found, start, limit)}, headers)

    async def key(self, request: web.Request) -> web.Response:
        found, last = self._found(request), request.query.get("after", "")
        start = sum(tree["number"] <= last for tree in found)
        return answer({"trees": self._shown(found, start, size_of(request, "limit"))})

    async def relative(self, request: web.Request) -> web.Response:
        found, limit, start = self._found(request), size_of(request, "limit"), whole(request, "start", 0)
        following = f"v1/pages/relative?start={start + limit}&limit={limit}" if start + limit < len(found) else None
        return answer({"trees": self._shown(found, start, limit), "links": {"next": following}})

    async def as_csv(self, request: web.Request) -> web.Response:
        found, size, page = self._found(request), size_of(request, "size"), whole(request, "page", 1)
        rows = [flat(tree) for tree in self._shown(found, (page - 1) * size, size)]
        out = io.StringIO()
        columns = dict.fromkeys(name for tree in found for name in flat(tree))
        writer = csv.DictWriter(out, [*columns], delimiter=request.query.get("delimiter", ","))
        writer.writeheader()
        writer.writerows(rows)
        headers = {"Content-Type": "text/csv; charset=utf-8; header=present"}
        if page * size < len(found):
            headers["Link"] = f'<{request.url.update_query(page=page + 1)}>; rel="next"'
        return web.Response(body=out.getvalue().encode(), headers=headers)

    async def surveyed(self, request: web.Request) -> web.Response:
        begin, end = request.query.get("from", ""), request.query.get("to", "9999")
        found = [tree for tree in self._found(request) if begin <= tree["surveyed"] < end]
        trees = self._shown(found, 0, MOST_SURVEYED)
        return answer({"trees": trees, "truncated": len(found) > MOST_SURVEYED})

    async def search(self, request: web.Request) -> web.Response:
        given = json.loads(await request.text() or "{}")
        page, district = given.get("page") or {}, (given.get("filter") or {}).get("district")
        found = [one for one in self._found(request) if district in (None, one["place"]["district"])]
        number, size = int(page.get("number", 1)), min(500, int(page.get("size", 100)))
        trees = self._shown(found, (number - 1) * size, size)
        return answer({"trees": trees, "page": {"number": number, "total": self._announced(found)}})

    async def envelope(self, request: web.Request) -> web.Response:
        parser = etree.XMLParser(resolve_entities=False, no_network=True)
        asked: Any = etree.fromstring(await request.read(), parser).find(f".//{{{T}}}Trees")
        found, limit = self._found(request), min(500, int(asked.findtext(f"{{{T}}}limit") or 100))
        start = int((asked.findtext(f"{{{T}}}cursor") or "c0").removeprefix("c"))
        trees = "".join(
            f"<t:tree><t:number>{tree['number']}</t:number>"
            f"<t:district>{escape(tree['place']['district'])}</t:district></t:tree>"
            for tree in self._shown(found, start, limit)
        )
        is_more = start + limit < len(found)
        told = f"<t:next>c{start + limit}</t:next>" if is_more else ""
        text = (
            f'<?xml version="1.0"?><s:Envelope xmlns:s="{ENVELOPE}"><s:Body>'
            f'<t:TreesResponse xmlns:t="{T}">{trees}{told}<t:more>{str(is_more).lower()}</t:more></t:TreesResponse>'
            "</s:Body></s:Envelope>"
        )
        return web.Response(text=text, content_type="text/xml")


def flat(tree: dict[str, Any]) -> dict[str, Any]:
    """A tree as one line of a table: what is nested by names joined with a dot; lists, which a table cannot hold, are
    JSON; nothing for null."""
    row: dict[str, Any] = {}
    for name, value in tree.items():
        if isinstance(value, dict):
            row |= {f"{name}.{inner}": one for inner, one in flat(value).items()}
        elif isinstance(value, list):
            row[name] = json.dumps(value, ensure_ascii=False)
        elif isinstance(value, bool):
            row[name] = str(value).lower()
        else:
            row[name] = value
    return row


def answer(value: Any, headers: dict[str, str] | None = None) -> web.Response:
    return web.Response(
        body=json.dumps(value, ensure_ascii=False).encode(), headers=headers, content_type="application/json"
    )


def whole(request: web.Request, name: str, default: int) -> int:
    text = request.query.get(name, str(default))
    if not text.isdigit():
        raise web.HTTPUnprocessableEntity(
            text=json.dumps({"error": {"status": 422, "message": f'{name} is "{text}", not a number'}}),
            content_type="application/json",
        )
    return int(text)


def size_of(request: web.Request, name: str) -> int:
    return max(1, min(500, whole(request, name, 100)))


def after(request: web.Request, name: str) -> int:
    """How many trees come before what a cursor names."""
    return int(request.query.get(name, "c0").removeprefix("c") or 0)
