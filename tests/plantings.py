"""The planting diary of Olmara as services of three kinds, each with all that can be done with a planting: REST with its
OpenAPI definition, OData 2.0, and GraphQL (by Ariadne); `soap_plantings.py` is a fourth. Each has what was planted in
`rows`."""

import hashlib
import json
import re
import threading
from datetime import UTC, datetime
from wsgiref.simple_server import WSGIRequestHandler, make_server

from aiohttp import web
from ariadne import MutationType, ObjectType, QueryType, make_executable_schema
from ariadne.wsgi import GraphQL

SPECIES = ("Tilia cordata", "Quercus robur", "Sorbus aucuparia")


def first_rows(count=23):
    return {
        number: {
            "number": number,
            "species": SPECIES[number % 3],
            "height": 1.5 + number / 4,
            "planted": f"2026-03-{1 + number % 28:02d}",
            "site": {"street": f"Mill Lane {number}", "is_paved": number % 2 == 0},
        }
        for number in range(1, count + 1)
    }


def etag(row):
    return '"' + hashlib.sha256(json.dumps(row, sort_keys=True).encode()).hexdigest()[:10] + '"'


class Rest:
    """By a page at a time; ?species= &height_min= &sort=height|-height &page=. Every planting has an ETag, which is
    asked for again when it is changed."""

    def __init__(self):
        self.rows, self.calls = first_rows(), []

    async def answer(self, request):
        self.calls.append(f"{request.method} {request.path_qs}")
        if request.path == "/openapi.json":
            return web.json_response(self.definition())
        key = request.path.removeprefix("/plantings").strip("/")
        if not key:
            return self.page(request.query) if request.method == "GET" else await self.made(request)
        row = self.rows.get(int(key))
        if row is None:
            return web.json_response({"message": f"there is no planting {key}"}, status=404)
        if request.method == "GET":
            return web.json_response(row, headers={"ETag": etag(row)})
        if request.headers.get("If-Match") not in ("*", etag(row)):
            return web.json_response({"message": "it was changed"}, status=412)
        if request.method == "DELETE":
            del self.rows[int(key)]
            return web.Response(status=204)
        given = await request.json()
        kept = {"number": row["number"]} if request.method == "PUT" else row
        self.rows[int(key)] = {**kept, **given}  # whole: an object within it is not merged
        return web.json_response(self.rows[int(key)], headers={"ETag": etag(self.rows[int(key)])})

    def page(self, query):
        found = [row for row in self.rows.values() if query.get("species") in (None, row["species"])]
        found = [row for row in found if row.get("height", 0) >= float(query.get("height_min", 0))]
        if sort := query.get("sort"):
            found.sort(key=lambda row: row.get(sort.lstrip("-"), 0), reverse=sort.startswith("-"))
        page = int(query.get("page", 1))
        return web.json_response(
            {"plantings": found[page * 5 - 5 : page * 5], "page": page, "pages": -(-len(found) // 5)}
        )

    async def made(self, request):
        number = max(self.rows) + 1
        self.rows[number] = {"number": number, **await request.json()}
        return web.json_response({"number": number}, status=201)

    @staticmethod
    def definition():
        text, number = {"type": "string"}, {"type": "number"}
        site = {"type": "object", "properties": {"street": text, "is_paved": {"type": "boolean"}}}
        members = {"species": text, "height": number, "planted": {"type": "string", "format": "date"}, "site": site}
        whole = {"type": "object", "required": ["number"], "properties": {"number": {"type": "integer"}, **members}}

        def answered(schema, status="200"):
            return {status: {"description": "", "content": {"application/json": {"schema": schema}}}}

        def body(schema):
            return {"required": True, "content": {"application/json": {"schema": schema}}}

        given = {"type": "object", "required": ["species"], "properties": members}
        one, pages = {"$ref": "#/components/schemas/Planting"}, {"type": "integer"}
        listed = {"plantings": {"type": "array", "items": one}, "page": pages, "pages": pages}
        query = [
            {"name": "species", "in": "query", "schema": text},
            {"name": "height_min", "in": "query", "schema": number},
            {"name": "sort", "in": "query", "schema": {"type": "string", "enum": ["height", "-height"]}},
            {"name": "page", "in": "query", "schema": pages},
        ]
        key = {"name": "number", "in": "path", "required": True, "schema": pages}
        match = {"name": "If-Match", "in": "header", "schema": text}
        changing = {"parameters": [match], "requestBody": body({**given, "required": []}), "responses": answered(one)}
        return {
            "openapi": "3.1.0",
            "info": {"title": "Plantings", "version": "1"},
            "paths": {
                "/plantings": {
                    "get": {
                        "operationId": "listPlantings",
                        "parameters": query,
                        "responses": answered({"type": "object", "properties": listed}),
                    },
                    "post": {
                        "operationId": "plant",
                        "requestBody": body(given),
                        "responses": answered({"type": "object", "properties": {"number": pages}}, "201"),
                    },
                },
                "/plantings/{number}": {
                    "parameters": [key],
                    "get": {"operationId": "getPlanting", "responses": answered(one)},
                    "patch": {"operationId": "changePlanting", **changing},
                    "put": {"operationId": "writePlanting", **changing, "requestBody": body(given)},
                    "delete": {
                        "operationId": "removePlanting",
                        "parameters": [match],
                        "responses": {"204": {"description": "gone"}},
                    },
                },
            },
            "components": {"schemas": {"Planting": whole}},
        }


class OData2:
    """As OData 2.0 has it: everything in `d`, dates as /Date()/, decimals as texts, MERGE by X-HTTP-Method."""

    METADATA = """<?xml version="1.0"?><edmx:Edmx Version="1.0" xmlns:edmx="http://schemas.microsoft.com/ado/2007/06/edmx">
<edmx:DataServices m:DataServiceVersion="2.0" xmlns:m="http://schemas.microsoft.com/ado/2007/08/dataservices/metadata">
<Schema Namespace="Olmara" xmlns="http://schemas.microsoft.com/ado/2008/09/edm">
<ComplexType Name="Site"><Property Name="Street" Type="Edm.String"/><Property Name="IsPaved" Type="Edm.Boolean"/></ComplexType>
<EntityType Name="Planting"><Key><PropertyRef Name="Number"/></Key><Property Name="Number" Type="Edm.Int32" Nullable="false"/>
<Property Name="Species" Type="Edm.String" Nullable="false"/><Property Name="Height" Type="Edm.Decimal"/>
<Property Name="Planted" Type="Edm.DateTime"/><Property Name="Site" Type="Olmara.Site"/></EntityType>
<EntityContainer Name="Diary" m:IsDefaultEntityContainer="true"><EntitySet Name="Plantings" EntityType="Olmara.Planting"/>
</EntityContainer></Schema></edmx:DataServices></edmx:Edmx>"""

    def __init__(self):
        self.rows, self.calls = first_rows(), []

    async def answer(self, request):
        self.calls.append(f"{request.method} {request.path_qs}")
        if request.path == "/$metadata":
            return web.Response(text=self.METADATA, content_type="application/xml")
        found = re.fullmatch(r"/Plantings(?:\((\d+)\))?", request.path)
        if found is None:
            return self.failed(404, f"there is no {request.path}")
        if found.group(1) is None:
            return self.page(request.query) if request.method == "GET" else await self.made(request)
        number = int(found.group(1))
        if number not in self.rows:
            return self.failed(404, f"there is no planting {number}")
        row = self.rows[number]
        if request.method == "GET":
            return web.json_response({"d": self.shown(row)})
        if request.headers.get("If-Match") not in ("*", self.tag(row)):
            return self.failed(412, "it was changed")
        if request.method == "DELETE":
            del self.rows[number]
            return web.Response(status=204)
        given = self.read(await request.json())
        is_merge = request.headers.get("X-HTTP-Method") == "MERGE"
        self.rows[number] = {**(row if is_merge else {}), **given, "number": number}
        return web.Response(status=204)

    @staticmethod
    def failed(status, words):
        error = {"error": {"code": "Failed", "message": {"lang": "en", "value": words}}}
        return web.json_response(error, status=status)

    @staticmethod
    def tag(row):
        return f"W/{etag(row)}"

    def shown(self, row):
        moment = int(datetime.fromisoformat(row["planted"]).replace(tzinfo=UTC).timestamp() * 1000)
        site = row.get("site") or {}
        return {
            "__metadata": {"uri": f"Plantings({row['number']})", "etag": self.tag(row)},
            "Number": row["number"],
            "Species": row["species"],
            "Height": str(row["height"]),
            "Planted": f"/Date({moment})/",
            "Site": {"Street": site.get("street"), "IsPaved": site.get("is_paved")},
        }

    @staticmethod
    def read(given):
        row = {name.lower(): value for name, value in given.items() if name in ("Number", "Species")}
        if "Height" in given:
            row["height"] = float(given["Height"])
        if "Planted" in given:
            millis = int(re.fullmatch(r"/Date\((\d+)\)/", given["Planted"]).group(1))
            row["planted"] = datetime.fromtimestamp(millis / 1000, UTC).date().isoformat()
        if "Site" in given:
            row["site"] = {"street": given["Site"].get("Street"), "is_paved": given["Site"].get("IsPaved")}
        return row

    def page(self, query):
        found = list(self.rows.values())
        for part in query.get("$filter", "").split(" and "):
            if compared := re.fullmatch(r"(\w+) (eq|ge|le) (?:'(.*)'|([\d.]+)M|datetime'(.*)T.*')", part):
                name, how = compared.group(1).lower(), compared.group(2)
                wanted = float(compared.group(4)) if compared.group(4) else compared.group(3) or compared.group(5)
                tests = {"eq": lambda a, b: a == b, "ge": lambda a, b: a >= b, "le": lambda a, b: a <= b}
                found = [row for row in found if tests[how](row[name], wanted)]
            elif part:
                return self.failed(400, f"the filter is not understood: {part}")
        if order := query.get("$orderby"):
            name, _, how = order.partition(" ")
            found.sort(key=lambda row: row[name.lower()], reverse=how == "desc")
        start = int(query.get("$skiptoken", 0))
        inner = {"results": [self.shown(row) for row in found[start : start + 10]]}
        if start + 10 < len(found):
            rest = "".join(f"&{name}={query[name]}" for name in ("$filter", "$orderby") if name in query)
            inner["__next"] = f"/Plantings?$skiptoken={start + 10}{rest}"
        return web.json_response({"d": inner})

    async def made(self, request):
        given = self.read(await request.json())
        self.rows[given["number"]] = given
        return web.json_response({"d": self.shown(given)}, status=201)


class Quiet(WSGIRequestHandler):
    def log_message(self, *_):
        pass


class Wsgi:
    """Serves a WSGI application on a port of its own, in a thread."""

    def __init__(self, application):
        self.server = make_server("127.0.0.1", 0, application, handler_class=Quiet)
        self.port = self.server.server_port
        self.url = f"http://127.0.0.1:{self.port}"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def close(self):
        self.server.shutdown()
        self.server.server_close()


class GraphQl:
    """Plantings by Ariadne, a server library that none of us wrote."""

    SDL = """
    scalar Date
    type Query { plantings(species: String, first: Int = 10, after: String): PlantingConnection!
                 planting(number: Int!): Planting }
    type Mutation { createPlanting(input: NewPlanting!): Planting!
                    updatePlanting(number: Int!, input: PlantingChange!): Planting!
                    deletePlanting(number: Int!): Boolean! }
    type PlantingConnection { nodes: [Planting!]! pageInfo: PageInfo! }
    type PageInfo { hasNextPage: Boolean! endCursor: String }
    type Planting { number: Int! species: String! height: Float planted: Date street: String }
    input NewPlanting { number: Int! species: String! height: Float planted: Date street: String }
    input PlantingChange { species: String height: Float planted: Date street: String }
    """

    def __init__(self):
        self.rows = {number: {**row, "street": row["site"]["street"]} for number, row in first_rows().items()}
        query, mutation, planting = QueryType(), MutationType(), ObjectType("Planting")

        @query.field("plantings")
        def plantings(_, info, species=None, first=10, after=None):
            found = [row for row in self.rows.values() if species in (None, row["species"])]
            start = next((at + 1 for at, row in enumerate(found) if str(row["number"]) == after), 0)
            page = found[start : start + first]
            end = str(page[-1]["number"]) if page else None
            return {"nodes": page, "pageInfo": {"hasNextPage": start + first < len(found), "endCursor": end}}

        query.set_field("planting", lambda _, info, number: self.rows.get(number))

        @mutation.field("createPlanting")
        def create(_, info, input):
            self.rows[input["number"]] = dict(input)
            return self.rows[input["number"]]

        @mutation.field("updatePlanting")
        def update(_, info, number, input):
            if number not in self.rows:
                raise ValueError(f"there is no planting {number}")
            self.rows[number].update(input)
            return self.rows[number]

        mutation.set_field("deletePlanting", lambda _, info, number: self.rows.pop(number, None) is not None)
        schema = make_executable_schema(self.SDL, query, mutation, planting)
        self.served = Wsgi(GraphQL(schema))
