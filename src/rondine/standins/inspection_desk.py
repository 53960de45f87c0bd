"""The inspection desk: GraphQL over HTTP with a bearer token.

POST /graphql        {"query": ..., "variables": ..., "operationName": ...};
                     GET for queries: ?query= &variables= &operationName=
GET, PUT /control    {"introspection": false, "one_line": true, "token": ...}

Failures come with status 200 and `errors`; an inspection's `report` fails for every seventh, so that data and errors
come together.
"""

import json
from dataclasses import asdict, dataclass
from datetime import date, timedelta
from typing import Any

from aiohttp import web
from graphql import GraphQLError, GraphQLSchema, build_schema, graphql_sync, parse
from graphql.language import OperationDefinitionNode

from rondine.standins.trees import SPECIES

GRADES = ("SOUND", "WATCH", "ACT")
SDL = '''
"""A day as YYYY-MM-DD."""
scalar Date

enum Grade { SOUND WATCH ACT }

type Query {
  "Inspections, the newest first."
  inspections(tree: ID, grade: Grade, first: Int = 20, after: String): InspectionConnection!
  inspection(id: ID!): Inspection
  inspector(name: String!): Inspector
}

type Mutation {
  recordInspection(input: NewInspection!): Inspection!
  withdrawInspection(id: ID!): Boolean!
}

type Subscription { inspected: Inspection! }

type InspectionConnection {
  totalCount: Int!
  nodes: [Inspection!]!
  edges: [InspectionEdge!]!
  pageInfo: PageInfo!
}

type InspectionEdge { cursor: String!  node: Inspection! }

type PageInfo { hasNextPage: Boolean!  endCursor: String }

type Inspection {
  id: ID!
  tree: Tree!
  on: Date!
  grade: Grade!
  notes: String
  "Written by hand; some are lost."
  report: String
  inspector: Inspector!
  findings(severe: Boolean): [Finding!]!
}

type Tree { number: ID!  species: String! }

type Inspector { name: String!  inspections(first: Int!): [Inspection!]! }

type Finding { part: String!  severe: Boolean! }

input NewInspection { tree: ID!  on: Date!  grade: Grade!  notes: String  findings: [NewFinding!] }

input NewFinding { part: String!  severe: Boolean }
'''


@dataclass
class Control:
    """introspection: whether the schema is told.  one_line: refuse queries with line breaks.  fail: every answer is an
    error, with status 200."""

    introspection: bool = True
    one_line: bool = False
    fail: bool = False


class InspectionDesk:
    def __init__(self, *, token: str, rows: int = 90) -> None:
        self.token = token
        self.control = Control()
        self.schema: GraphQLSchema = build_schema(SDL)
        people = ("Ines", "Otto", "Pia")
        self.rows: list[dict[str, Any]] = [
            {
                "id": f"I-{number}",
                "tree": {"number": f"OLM-{1 + number * 7 % 2412:05d}", "species": SPECIES[number % len(SPECIES)][0]},
                "on": str(date(2026, 11, 1) - timedelta(days=number)),
                "grade": GRADES[number % 3],
                "notes": None if number % 4 else 'said: "leans"',
                "inspector": people[number % 3],
                "findings": [
                    {"part": part, "severe": number % 2 == 0} for part in ("crown", "stem", "root")[: number % 4]
                ],
            }
            for number in range(1, rows + 1)
        ]

    def application(self) -> web.Application:
        app = web.Application()
        app.add_routes(
            [web.route("*", "/graphql", self.answer), web.get("/control", self.show), web.put("/control", self.set)]
        )
        return app

    async def show(self, request: web.Request) -> web.Response:
        return web.json_response(asdict(self.control))

    async def set(self, request: web.Request) -> web.Response:
        self.control = Control(**json.loads(await request.text() or "{}"))
        return await self.show(request)

    async def answer(self, request: web.Request) -> web.Response:
        if request.headers.get("Authorization") != f"Bearer {self.token}":
            return failed("the token is missing, or not one we gave out", status=401, code="UNAUTHENTICATED")
        if request.method == "GET":
            given: dict[str, Any] = {**request.query, "variables": json.loads(request.query.get("variables", "{}"))}
        else:
            given = json.loads(await request.text() or "{}")
        text = given.get("query") or ""
        if self.control.fail:
            return failed("the desk is closed today", code="CLOSED")
        if self.control.one_line and "\n" in text:
            return failed("line breaks are not allowed here", status=400, code="BAD_QUERY")
        if "__schema" in text and not self.control.introspection:
            return failed("introspection is switched off", code="INTROSPECTION_OFF")
        try:
            kinds = {
                definition.operation.value
                for definition in parse(text).definitions
                if isinstance(definition, OperationDefinitionNode)
            }
        except GraphQLError as error:
            return failed(error.message, code="GRAPHQL_PARSE_FAILED")
        if request.method == "GET" and kinds - {"query"}:
            return failed("a mutation is sent by POST", status=405, code="METHOD")
        done = graphql_sync(
            self.schema, text, root_value=self, variable_values=given.get("variables") or {},
            operation_name=given.get("operationName"),
            field_resolver=resolve,
        )  # fmt: skip
        return web.json_response(done.formatted)

    # --- the roots' fields

    def inspections(
        self, info: Any, first: int = 20, after: str | None = None, tree: str | None = None, grade: str | None = None
    ) -> Any:
        found = [row for row in self.rows if tree in (None, row["tree"]["number"]) and grade in (None, row["grade"])]
        start = next((n + 1 for n, one in enumerate(found) if one["id"] == after), 0)
        page = found[start : start + first]
        return {
            "totalCount": len(found),
            "nodes": page,
            "edges": [{"cursor": one["id"], "node": one} for one in page],
            "pageInfo": {"hasNextPage": start + first < len(found), "endCursor": page[-1]["id"] if page else None},
        }

    def inspection(self, info: Any, id: str) -> Any:
        return next((row for row in self.rows if row["id"] == id), None)

    def inspector(self, info: Any, name: str) -> Any:
        return {"name": name} if any(row["inspector"] == name for row in self.rows) else None

    def recordInspection(self, info: Any, input: dict[str, Any]) -> Any:
        if input["on"] > "2026-12-31":
            raise GraphQLError(f"{input['on']} is in the future", extensions={"code": "BAD_DAY"})
        number = input["tree"]
        made = {
            "id": f"I-{len(self.rows) + 1}", "tree": {"number": number, "species": SPECIES[0][0]}, "on": input["on"],
            "grade": input["grade"],
            "notes": input.get("notes"), "inspector": "Ines", "findings": [{"severe": False,
            **finding} for finding in input.get("findings") or []],
        }  # fmt: skip
        self.rows.insert(0, made)
        return made

    def withdrawInspection(self, info: Any, id: str) -> bool:
        before = len(self.rows)
        self.rows = [row for row in self.rows if row["id"] != id]
        return len(self.rows) < before


def resolve(source: Any, info: Any, **arguments: Any) -> Any:
    """A field of a row, or of the desk itself."""
    if isinstance(source, InspectionDesk):
        return getattr(source, info.field_name)(info, **arguments)
    desk: InspectionDesk = info.root_value
    match info.field_name:
        case "report":
            number = int(source["id"].partition("-")[2])
            if number % 7 == 0:
                raise GraphQLError(f"the report of {source['id']} is lost", extensions={"code": "LOST"})
            return f"Report {number}"
        case "inspector" if isinstance(source.get("inspector"), str):
            return {"name": source["inspector"]}
        case "inspections":
            return [row for row in desk.rows if row["inspector"] == source["name"]][: arguments["first"]]
        case "findings":
            severe = arguments.get("severe")
            return [finding for finding in source["findings"] if severe in (None, finding["severe"])]
    return source.get(info.field_name)


def failed(message: str, *, status: int = 200, code: str) -> web.Response:
    return web.json_response({"errors": [{"message": message, "extensions": {"code": code}}]}, status=status)
