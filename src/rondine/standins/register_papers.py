"""What the tree register keeps beside its trees; all of it needs the key.

GET  /v1/measures                       how thick the trees were, by year    ?page= &size= (1-1000)
GET  /v1/counts                         trees by species; takes a while      ?district=
GET  /v1/trees/{number}/sheet.pdf       the survey sheet as PDF; also ranges of it
GET  /v1/trees/{number}/papers          what was handed in about a tree
POST /v1/trees/{number}/papers          hands one in: a form with title and file
GET  /v1/trees/{number}/papers/{place}  its content, byte for byte; also ranges of it
"""

import asyncio
import hashlib
import random
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from aiohttp import web

#: When the trees were measured.
YEARS = range(2013, 2026, 2)
#: Seconds that counting takes.
COUNTING = 3.0


@dataclass(frozen=True)
class Paper:
    title: str
    name: str
    media_type: str
    content: bytes


@dataclass
class RegisterPapers:
    """found: the trees of a district, or all.  one: the tree that a request is about.  girth: of a tree, in metres."""

    found: Callable[[str], list[dict[str, Any]]]
    one: Callable[[web.Request], dict[str, Any]]
    girth: Callable[[dict[str, Any]], float]
    papers: dict[str, list[Paper]] = field(default_factory=dict)
    counting: float = COUNTING

    def routes(self) -> list[web.AbstractRouteDef]:
        return [
            web.get("/v1/measures", self.measures),
            web.get("/v1/counts", self.counts),
            web.get("/v1/trees/{number}/sheet.pdf", self.sheet),
            web.get("/v1/trees/{number}/papers", self.list),
            web.post("/v1/trees/{number}/papers", self.hand_in),
            web.get("/v1/trees/{number}/papers/{place}", self.content),
        ]

    async def measures(self, request: web.Request) -> web.Response:
        page, size = int(request.query.get("page", "1")), int(request.query.get("size", "1000"))
        trees, first = self.found(""), (page - 1) * size
        rows = [
            self._measure(trees[place // len(YEARS)], YEARS[place % len(YEARS)])
            for place in range(first, min(first + size, len(trees) * len(YEARS)))
        ]
        return web.json_response({"measures": rows, "page": page, "total": len(trees) * len(YEARS)})

    def _measure(self, tree: dict[str, Any], year: int) -> dict[str, Any]:
        grown = random.Random(tree["number"]).uniform(0.004, 0.03)
        girth = max(0.04, self.girth(tree) - grown * (YEARS[-1] - year))
        return {"tree": tree["number"], "year": year, "girth": round(girth, 2)}

    async def counts(self, request: web.Request) -> web.Response:
        await asyncio.sleep(self.counting)
        district = request.query.get("district", "")
        trees = self.found(district)
        if not trees:
            message = f"the register knows no district {district}"
            return web.json_response({"error": {"status": 404, "message": message}}, status=404)
        counted = Counter(tree["species"]["common"] for tree in trees)
        rows = [{"species": name, "trees": count} for name, count in counted.most_common()]
        return web.json_response({"district": district, "counts": rows, "trees": len(trees)})

    async def sheet(self, request: web.Request) -> web.Response:
        tree = self.one(request)
        place = tree["place"]
        lines = [
            f"Survey sheet of {tree['number']}",
            f"{tree['species']['common']} ({tree['species']['latin'].replace('×', 'x')})",
            f"{place['district']}, {place.get('street', 'no street')}",
            f"girth {self.girth(tree):.2f} m, surveyed {tree['surveyed'][:10]}",
        ]
        return ranged(request, pdf(lines), "application/pdf", f"{tree['number']}.pdf")

    async def list(self, request: web.Request) -> web.Response:
        number = self.one(request)["number"]
        shown = [
            {
                "place": place,
                "title": one.title,
                "name": one.name,
                "media_type": one.media_type,
                "size": len(one.content),
            }
            for place, one in enumerate(self.papers.get(number, []), 1)
        ]
        return web.json_response({"papers": shown})

    async def hand_in(self, request: web.Request) -> web.Response:
        number = self.one(request)["number"]
        form = await request.post()
        file = form.get("file")
        if not isinstance(file, web.FileField):
            message = "a form with a file is asked for"
            return web.json_response({"error": {"status": 422, "message": message}}, status=422)
        paper = Paper(str(form.get("title") or file.filename), file.filename, file.content_type, file.file.read())
        held = self.papers.setdefault(number, [])
        held.append(paper)
        digest = hashlib.sha256(paper.content).hexdigest()
        return web.json_response({"place": len(held), "size": len(paper.content), "sha256": digest}, status=201)

    async def content(self, request: web.Request) -> web.Response:
        held = self.papers.get(self.one(request)["number"], [])
        place = request.match_info["place"]
        if not place.isdecimal() or not 1 <= int(place) <= len(held):
            return web.json_response({"error": {"status": 404, "message": f"there is no paper {place}"}}, status=404)
        paper = held[int(place) - 1]
        return ranged(request, paper.content, paper.media_type, paper.name)


def ranged(request: web.Request, content: bytes, media_type: str, name: str) -> web.Response:
    """The content, or the range of it that is asked for."""
    tag = f'"{hashlib.sha256(content).hexdigest()[:16]}"'
    headers = {
        "ETag": tag,
        "Accept-Ranges": "bytes",
        "Content-Type": media_type,
        "Content-Disposition": f'inline; filename="{name}"',
    }
    wanted = request.http_range
    if wanted.start is None or request.headers.get("If-Range", tag) != tag:
        return web.Response(body=content, headers=headers)
    first, last, _ = wanted.indices(len(content))
    if first >= last:
        return web.Response(status=416, headers={"Content-Range": f"bytes */{len(content)}"})
    headers["Content-Range"] = f"bytes {first}-{last - 1}/{len(content)}"
    return web.Response(status=206, body=content[first:last], headers=headers)


def pdf(lines: list[str]) -> bytes:
    """A page with some lines of text, as ISO 32000 has it."""
    shown = "".join(f"({line.translate(_ESCAPED)}) Tj 0 -22 Td " for line in lines)
    drawn = (
        f"BT /F1 14 Tf 60 780 Td {shown}ET 0.37 0.54 0.35 rg 250 560 120 90 re f 0.54 0.42 0.29 rg 300 480 20 80 re f"
    )
    parts = [
        "<< /Type /Catalog /Pages 2 0 R >>",
        "<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        "<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R"
        " /Resources << /Font << /F1 5 0 R >> >> >>",
        f"<< /Length {len(drawn)} >>\nstream\n{drawn}\nendstream",
        "<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
    ]
    made, places = b"%PDF-1.4\n", []
    for number, part in enumerate(parts, 1):
        places.append(len(made))
        made += f"{number} 0 obj\n{part}\nendobj\n".encode("latin-1", "replace")
    table = "".join(f"{place:010d} 00000 n \n" for place in places)
    trailer = f"trailer << /Size {len(parts) + 1} /Root 1 0 R >>\nstartxref\n{len(made)}\n%%EOF\n"
    return made + f"xref\n0 {len(parts) + 1}\n0000000000 65535 f \n{table}{trailer}".encode()


_ESCAPED = str.maketrans({"(": r"\(", ")": r"\)", "\\": r"\\"})
