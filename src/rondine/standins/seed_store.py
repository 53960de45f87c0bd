"""The seed store: OData 4.0 behind OAuth 2 client credentials.

GET /odata                                the service document: its entity sets
GET /odata/$metadata                      CSDL, in XML
GET /odata/Collections, /Lots, /Tests, /Withdrawals
                                          $filter $select $expand $orderby $top $skip $count, pages of 25 by next link
GET, PATCH, PUT, DELETE /odata/Lots(7)    with ETag and If-Match; POST /odata/Lots
POST /odata/Lots(7)/Olmara.Seeds.Withdraw {"Grams": 5, "Purpose": "Planting"}
GET /odata/ScarceLots(below=260)
GET /old/Lots                             the same lots as OData 2.0, read only, in its own envelope;
                                          ?$format=atom: as an Atom feed
"""

import hashlib
import json
import re
import uuid
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any
from urllib.parse import unquote
from xml.sax.saxutils import escape, quoteattr

from aiohttp import web

from rondine.standins.token_desk import TokenDesk

SCOPES = frozenset({"lots.read", "lots.write"})
SPECIES = ("Tilia cordata", "Quercus robur", "Acer campestre", "Sorbus torminalis")
COLLECTIONS = {"STREET": "Street trees", "L'ORTO": "The kitchen garden's", "WOOD": "The town wood"}
METADATA = Path(__file__).parent / "documents" / "seeds.xml"
PAGE = 25
KEYS = {"Collections": ("Code",), "Lots": ("Number",), "Tests": ("LotNumber", "On"), "Withdrawals": ("Id",)}
Row = dict[str, Any]


class SeedStore:
    def __init__(self, *, client_id: str, client_secret: str, public_key: str = "") -> None:
        self.desk = TokenDesk(
            client_id, client_secret, public_key=public_key, scopes=SCOPES, user=("office", client_secret)
        )
        codes = list(COLLECTIONS)
        self.rows: dict[str, list[Row]] = {
            "Collections": [{"Code": code, "Title": title} for code, title in COLLECTIONS.items()],
            "Lots": [
                {
                    "Number": number,
                    "Species": SPECIES[number % 4],
                    "Grams": 250 + 5 * number,
                    "Year": 2020 + number % 7,
                    "Stored": f"{2020 + number % 7}-10-{1 + number % 28:02d}",
                    "Shelf": {"Room": "cellar" if number % 2 else "attic", "Row": 1 + number % 9},
                    "CollectionCode": codes[number % 3],
                    "Changed": "2026-11-03T09:00:00Z",
                }
                for number in range(1, 61)
            ],
            "Tests": [
                {
                    "LotNumber": number,
                    "On": str(date(2025, 3, 1) + timedelta(days=200 * n)),
                    "Sown": 100,
                    "Germinated": 40 + (number * 7 + n * 13) % 60,
                }
                for number in range(1, 61)
                for n in range(number % 3)
            ],
            "Withdrawals": [],
        }

    def application(self) -> web.Application:
        app = web.Application()
        app.add_routes(
            [
                *self.desk.routes(),
                web.get("/odata", self.service_document),
                web.get("/odata/$metadata", self.metadata),
                web.route("*", "/odata/{path:.+}", self.odata),
                web.get("/old/Lots", self.old_lots),
            ]
        )
        return app

    async def metadata(self, request: web.Request) -> web.Response:
        return self._refused(request) or web.Response(text=METADATA.read_text(), content_type="application/xml")

    async def service_document(self, request: web.Request) -> web.Response:
        names = ("Collections", "Lots", "Tests", "Withdrawals")
        listed = [{"name": name, "kind": "EntitySet", "url": name} for name in names]
        return self._refused(request) or reply({"@odata.context": "$metadata", "value": listed})

    def _refused(self, request: web.Request) -> web.Response | None:
        if why := self.desk.why_not(request):
            return failure(401, "Unauthorized", why, {"WWW-Authenticate": "Bearer"})
        return None

    async def odata(self, request: web.Request) -> web.Response:
        if refused := self._refused(request):
            return refused
        path = unquote(request.rel_url.raw_path.removeprefix("/odata/"))
        try:
            return await self._answer(request, path)
        except Wrong as error:
            return failure(error.status, error.code, str(error))

    async def _answer(self, request: web.Request, path: str) -> web.Response:
        if found := re.fullmatch(r"ScarceLots\(below=([\d.]+)\)", path):
            rows = [lot for lot in self.rows["Lots"] if lot["Grams"] < Decimal(found.group(1))]
            return reply({"@odata.context": "$metadata#Lots", "value": rows})
        found = re.fullmatch(r"(\w+)(?:\((.*?)\))?(?:/([\w.]+))?", path)
        name = found.group(1) if found else ""
        if found is None or name not in self.rows:
            raise Wrong(404, f"there is no {path} here")
        if found.group(2) is None:
            return await self._set(request, name) if request.method == "GET" else await self._create(request, name)
        one = self._one(name, found.group(2))
        if found.group(3) is None:
            return await self._entity(request, name, one)
        if found.group(3) == "Olmara.Seeds.Withdraw" and name == "Lots":
            return self._withdraw(one, json.loads(await request.text(), parse_float=Decimal))
        related = self._related(name, one, found.group(3))
        if isinstance(related, list):
            return self._page(request, related, {"Lots": "Lots", "Tests": "Tests"}.get(found.group(3), name))
        return reply(related)

    def _one(self, name: str, text: str) -> Row:
        keys = KEYS[name]
        parts = dict(re.findall(r"(\w+)=('(?:[^']|'')*'|[^,]+)", text)) if "=" in text else {keys[0]: text}
        wanted = {key: literal(value) for key, value in parts.items()}
        for one in self.rows[name]:
            if all(str(one[key]) == str(wanted.get(key)) for key in keys):
                return one
        raise Wrong(404, f"there is no {name}({text})")

    def _related(self, name: str, one: Row, navigation: str) -> Any:
        match (name, navigation):
            case ("Lots", "Tests"):
                return [each for each in self.rows["Tests"] if each["LotNumber"] == one["Number"]]
            case ("Lots", "Collection"):
                return next(each for each in self.rows["Collections"] if each["Code"] == one["CollectionCode"])
            case ("Collections", "Lots"):
                return [each for each in self.rows["Lots"] if each["CollectionCode"] == one["Code"]]
            case ("Tests", "Lot"):
                return next(each for each in self.rows["Lots"] if each["Number"] == one["LotNumber"])
        raise Wrong(404, f"{name} has no {navigation}")

    async def _set(self, request: web.Request, name: str) -> web.Response:
        return self._page(request, self.rows[name], name)

    def _page(self, request: web.Request, rows: list[Row], name: str) -> web.Response:
        query = request.query
        found = self._chosen(rows, name, {key: query[key] for key in query if key.startswith("$")})
        out: Row = {"@odata.context": f"$metadata#{name}"}
        if query.get("$count") == "true":
            out["@odata.count"] = len(found)
        start = int(query.get("$skiptoken", query.get("$skip", "0")))
        most = int(query["$top"]) if "$top" in query else len(found)
        end = min(start + PAGE, most + int(query.get("$skip", "0")) if "$top" in query else len(found))
        shown = found[start:end]
        if end < len(found) and ("$top" not in query or end - int(query.get("$skip", "0")) < most):
            out["@odata.nextLink"] = str(request.url.update_query({"$skiptoken": str(end)}))
        select = [one for one in query.get("$select", "").split(",") if one and one != "*"]
        expand = parted(query.get("$expand", ""), ",")
        out["value"] = [self._shown(name, one, select, expand) for one in shown]
        return reply(out)

    def _chosen(self, rows: list[Row], name: str, options: dict[str, str]) -> list[Row]:
        if text := options.get("$filter"):
            rows = [row for row in rows if holds(text, row)]
        if text := options.get("$search"):
            rows = [row for row in rows if text.strip('"').lower() in json.dumps(row, default=str).lower()]
        for order in reversed([part.split() for part in options.get("$orderby", "").split(",") if part]):
            rows = sorted(rows, key=lambda one: value_at(one, order[0]), reverse=order[1:] == ["desc"])
        return rows

    def _shown(self, name: str, one: Row, select: list[str], expand: list[str]) -> Row:
        unknown = [part for part in select if part not in one]
        if unknown:
            raise Wrong(400, f"{name} has no property {unknown[0]}")
        out = {"@odata.etag": etag(one), **({key: one[key] for key in select} if select else one)}
        for part in expand:
            navigation, _, inside = part.partition("(")
            options = dict(each.split("=", 1) for each in parted(inside.removesuffix(")"), ";")) if inside else {}
            related = self._related(name, one, navigation)
            inner = [each for each in options.get("$select", "").split(",") if each]
            deeper = parted(options.get("$expand", ""), ",")
            many = related if isinstance(related, list) else [related]
            target = {"Lots": "Lots", "Lot": "Lots", "Tests": "Tests", "Collection": "Collections"}[navigation]
            shown = [self._shown(target, each, inner, deeper) for each in self._chosen(many, target, options)]
            shown = shown[: int(options["$top"])] if "$top" in options else shown
            out[navigation] = shown if isinstance(related, list) else shown[0] if shown else None
        return out

    async def _entity(self, request: web.Request, name: str, one: Row) -> web.Response:
        if request.method == "GET":
            select = [part for part in request.query.get("$select", "").split(",") if part]
            shown = self._shown(name, one, select, parted(request.query.get("$expand", ""), ","))
            return reply({"@odata.context": f"$metadata#{name}/$entity", **shown}, headers={"ETag": etag(one)})
        if name not in ("Lots", "Tests"):
            raise Wrong(405, f"{name} cannot be changed")
        wanted = request.headers.get("If-Match")
        if wanted not in (None, "*", etag(one)):
            raise Wrong(412, "somebody has changed it since", "PreconditionFailed")
        if request.method == "DELETE":
            self.rows[name].remove(one)
            return web.Response(status=204)
        given = json.loads(await request.text(), parse_float=Decimal)
        self._check(name, given)
        if request.method == "PUT":
            for key in [key for key in one if key not in KEYS[name]]:
                one[key] = given.get(key)
        for key, value in given.items():  # of a complex property, only what is given (OData 4.0 Part 1, 11.4.3)
            merges = request.method == "PATCH" and isinstance(value, dict) and isinstance(one.get(key), dict)
            one[key] = {**one[key], **value} if merges else value
        if "Changed" in one:
            one["Changed"] = datetime.now(UTC).isoformat(timespec="microseconds").replace("+00:00", "Z")
        return reply(one, headers={"ETag": etag(one)})

    async def _create(self, request: web.Request, name: str) -> web.Response:
        if name not in ("Lots", "Tests"):
            raise Wrong(405, f"nothing can be added to {name}")
        given = json.loads(await request.text(), parse_float=Decimal)
        self._check(name, given)
        if any(key not in given for key in KEYS[name]):
            raise Wrong(400, f"{KEYS[name][0]} is missing")
        if any(all(one[key] == given[key] for key in KEYS[name]) for one in self.rows[name]):
            raise Wrong(409, f"{given[KEYS[name][0]]} is there already", "Conflict")
        made = {**dict.fromkeys(self.rows[name][0]), **given}
        self.rows[name].append(made)
        return reply(made, status=201, headers={"ETag": etag(made)})

    def _check(self, name: str, given: Row) -> None:
        known = self.rows[name][0]
        if unknown := [key for key in given if key not in known]:
            raise Wrong(400, f"{name} has no property {unknown[0]}")

    def _withdraw(self, lot: Row, given: Row) -> web.Response:
        grams = given.get("Grams")
        if not isinstance(grams, (int, Decimal)) or given.get("Purpose") not in ("Planting", "Exchange", "Test"):
            raise Wrong(400, "Grams is a number, and Purpose one of Planting, Exchange, Test")
        if grams > lot["Grams"]:
            raise Wrong(409, f"lot {lot['Number']} has only {lot['Grams']} g", "TooMuch")
        lot["Grams"] -= grams
        made = {"Id": str(uuid.uuid4()), "LotNumber": lot["Number"], "Grams": grams, "Purpose": given["Purpose"]}
        self.rows["Withdrawals"].append(made)
        return reply({"@odata.context": "$metadata#Withdrawals/$entity", **made})

    async def old_lots(self, request: web.Request) -> web.Response:
        if refused := self._refused(request):
            return refused
        rows = self.rows["Lots"]
        if text := request.query.get("$filter"):
            try:
                rows = [row for row in rows if holds(text, row, old=True)]
            except Wrong as error:
                body = {"error": {"code": error.code, "message": {"lang": "en", "value": str(error)}}}
                return reply(body, status=error.status)
        start = int(request.query.get("$skiptoken", "0"))
        most = int(request.query.get("$top", len(rows)))
        shown = rows[:most][start : start + PAGE]
        is_atom = request.query.get("$format") == "atom"
        following = ""
        if start + PAGE < min(most, len(rows)):
            kept = {"$format": "atom"} if is_atom else {}
            following = str(request.url.with_query({**kept, "$skiptoken": str(start + PAGE)}))
        if is_atom:
            return web.Response(text=atom(shown, following), content_type="application/atom+xml")
        inner: Row = {"results": [{**one, "Stored": f"/Date({milliseconds(one['Stored'])})/"} for one in shown]}
        if following:
            inner["__next"] = following
        if request.query.get("$inlinecount") == "allpages":
            inner["__count"] = str(len(rows))
        return reply({"d": inner})


def atom(rows: list[Row], following: str) -> str:
    """Lots as an Atom feed (RFC 4287) with OData 2.0's properties in its entries."""
    types = {"Grams": "Edm.Decimal", "Year": "Edm.Int16", "Number": "Edm.Int32"}
    entries = []
    for row in rows:
        plain = {**row, "Stored": f"{row['Stored']}T00:00:00Z"}
        properties = "".join(
            f"<d:{name}{f' m:type={quoteattr(types[name])}' if name in types else ''}>{escape(str(value))}</d:{name}>"
            for name, value in plain.items()
            if not isinstance(value, dict)
        )
        entries.append(
            f"<entry><id>Lots({row['Number']})</id><title/><updated>{row['Changed']}</updated>"
            f'<content type="application/xml"><m:properties>{properties}</m:properties></content></entry>'
        )
    link = f'<link rel="next" href={quoteattr(following)}/>' if following else ""
    return (
        '<?xml version="1.0" encoding="utf-8"?><feed xmlns="http://www.w3.org/2005/Atom"'
        ' xmlns:d="http://schemas.microsoft.com/ado/2007/08/dataservices"'
        ' xmlns:m="http://schemas.microsoft.com/ado/2007/08/dataservices/metadata"><title>Lots</title>'
        "<id>Lots</id><updated>2026-11-03T09:00:00Z</updated>"
        f'<link rel="self" href="Lots"/>{"".join(entries)}{link}</feed>'
    )


class Wrong(Exception):
    def __init__(self, status: int, message: str, code: str = "BadRequest") -> None:
        super().__init__(message)
        self.status, self.code = status, code


def failure(status: int, code: str, message: str, headers: dict[str, str] | None = None) -> web.Response:
    return reply({"error": {"code": code, "message": message}}, status=status, headers=headers)


def reply(value: Any, *, status: int = 200, headers: dict[str, str] | None = None) -> web.Response:
    text = json.dumps(value, ensure_ascii=False, default=float)
    return web.Response(
        text=text, status=status, content_type="application/json", headers={"OData-Version": "4.0", **(headers or {})}
    )


def etag(one: Row) -> str:
    return 'W/"' + hashlib.sha256(json.dumps(one, default=str).encode()).hexdigest()[:12] + '"'


def milliseconds(text: str) -> int:
    return int(datetime.fromisoformat(text).replace(tzinfo=UTC).timestamp() * 1000)


def parted(text: str, between: str) -> list[str]:
    """Parts of a text, those in brackets and quotes kept whole."""
    out, depth, quoted, start = [], 0, False, 0
    for at, char in enumerate(text):
        quoted ^= char == "'"
        depth += 0 if quoted else (char == "(") - (char == ")")
        if char == between and depth == 0 and not quoted:
            out.append(text[start:at])
            start = at + 1
    return [one for one in [*out, text[start:]] if one]


def literal(text: str, *, old: bool = False) -> Any:
    text = text.strip()
    if old and (found := re.fullmatch(r"(?:datetime|guid)'([^']*)'", text)):
        return found.group(1).partition("T")[0]
    if re.fullmatch(r"'(?:[^']|'')*'", text):
        return text[1:-1].replace("''", "'")
    if text in ("true", "false", "null"):
        return {"true": True, "false": False, "null": None}[text]
    if found := re.fullmatch(r"(-?\d+(?:\.\d+)?)([LMdf])?", text):
        if found.group(2) and not old:
            raise Wrong(400, f"{text} is not a literal of OData 4")
        return Decimal(found.group(1)) if "." in text or found.group(2) else int(found.group(1))
    if re.fullmatch(r"[\d:TZ.+-]+|[0-9a-fA-F-]{36}", text):
        return text
    raise Wrong(400, f"{text} is not a literal")


def value_at(one: Row, path: str) -> Any:
    value: Any = one
    for step in path.split("/"):
        if not isinstance(value, dict) or step not in value:
            raise Wrong(400, f"there is no property {path}")
        value = value[step]
    return value


_COMPARED = {
    "eq": lambda a, b: a == b,
    "ne": lambda a, b: a != b,
    "gt": lambda a, b: a > b,
    "ge": lambda a, b: a >= b,
    "lt": lambda a, b: a < b,
    "le": lambda a, b: a <= b,
}


def holds(text: str, one: Row, *, old: bool = False) -> bool:
    """A filter of comparisons and text functions, joined by and, or, and brackets."""
    text = text.strip()
    for word, gather in ((" or ", any), (" and ", all)):
        parts = split_outside(text, word)
        if len(parts) > 1:
            return gather(holds(part, one, old=old) for part in parts)
    if text.startswith("(") and text.endswith(")"):
        return holds(text[1:-1], one, old=old)
    if found := re.fullmatch(r"(contains|startswith|endswith)\(([\w/]+),(.*)\)", text):
        held, wanted = str(value_at(one, found.group(2))), str(literal(found.group(3), old=old))
        return {"contains": wanted in held, "startswith": held.startswith(wanted), "endswith": held.endswith(wanted)}[
            found.group(1)
        ]
    if old and (found := re.fullmatch(r"substringof\((.*),([\w/]+)\)", text)):
        return str(literal(found.group(1), old=True)) in str(value_at(one, found.group(2)))
    if found := re.fullmatch(r"([\w/]+) (eq|ne|gt|ge|lt|le) (.*)", text):
        held, wanted = value_at(one, found.group(1)), literal(found.group(3), old=old)
        try:
            return bool(_COMPARED[found.group(2)](held, wanted))
        except TypeError as error:
            raise Wrong(400, f"{found.group(1)} cannot be compared with {found.group(3)}") from error
    raise Wrong(400, f"the filter is not understood: {text}")


def split_outside(text: str, word: str) -> list[str]:
    """Parts of a text at a word, outside quotes and brackets."""
    out, depth, quoted, start, at = [], 0, False, 0, 0
    while at < len(text):
        char = text[at]
        quoted ^= char == "'"
        depth += 0 if quoted else (char == "(") - (char == ")")
        if not quoted and depth == 0 and text.startswith(word, at):
            out.append(text[start:at])
            start = at = at + len(word)
            continue
        at += 1
    return [*out, text[start:]]
