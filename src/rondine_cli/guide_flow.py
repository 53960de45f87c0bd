"""The guided example of flows: one tree's papers from five services, three at once, one late, one refusing."""

import json
from argparse import Namespace
from typing import Any

from rondine_cli.guide_import import connect_seeds
from rondine_cli.guide_telling import Telling
from rondine_cli.output import Output
from rondine_cli.session import Session

FLOW = "tree-file"
INPUTS = {"number": "OLM-00022", "permit": "P-99"}
#: What a paper is, whichever service it comes from.
PAPER = {
    "kind": "passing",
    "key": ["number"],
    "fields": [
        {"name": name, "type": "text", "title": title}
        for name, title in (("source", "Whose it is"), ("number", "Number"), ("title", "What it says"))
    ],
}


def run_flow(session: Session, args: Namespace, out: Output) -> int:
    """Connects five services, brings what each answers into one record type, and asks them all in one flow."""
    office = session.office
    papers = json.loads(args.papers.read_text())
    ports = dict(line.split("=") for line in (args.papers.parent / "ports").read_text().split())
    at = {name: f"http://127.0.0.1:{port}" for name, port in ports.items()}

    telling = Telling(out)
    step, tell = telling.step, telling.tell

    step("Connect five services, and import what three of them say of themselves", "rondine definition import --help")
    asked = _operations(office, papers, at, args.key_file.read_text().strip())
    tell("\n".join(f"{part:<12} {operation}" for part, operation in asked.items()))

    step("Say what a paper is, and how each service's answer becomes one", "rondine mapping make --help")
    office.record_types.save("paper", title="Papers of a tree", document=PAPER)
    for part, operation in asked.items():
        service = office.operations.get(operation)["service"]
        office.mappings.save(f"{part}-paper", service=service, document=_mapping(*MAPPINGS[part]))
    tell(", ".join(f"{part}-paper" for part in asked))

    step("Put the flow together", f"rondine flow make {FLOW} tree-file.json")
    made = office.flows.save(FLOW, title="Tree file", document=tree_file(asked))
    for problem in made["problems"]:
        out.bad(f"{problem['where']}: {problem['message']}")
    tell(f"version {made['version']}: {', '.join(one['name'] for one in made['document'].get('steps', []))}")

    given = " ".join(f"--input {name}={value}" for name, value in INPUTS.items())
    step("Run it: the archive is late, and the permit counter knows no such permit", f"rondine flow run {FLOW} {given}")
    begun = office.flows.run(FLOW, INPUTS, environment="test")
    [*_, last] = office.runs.watch(begun["id"])
    shown: Any = office.flows.shown(begun["id"])
    tell(f"run {begun['id']} is {last['state']}")
    if shown["reply"] is None:
        out.bad(f"{last['ending']}; see it: rondine flow steps {begun['id']}")
        return 1
    for paper in shown["reply"]["papers"]:
        tell(f"{paper['source']:<12} {paper['number']:<14} {paper['title']}")
    for reason in shown["reply"]["reasons"]:
        tell(f"{reason['part']:<12} not there: {reason['message']}")

    address = f"{session.url}/p/{office.name}"
    words = f"\nLook at it in the console: {address}/flows/{FLOW} and {address}/runs/{begun['id']}"
    out.out.print(words, markup=False)
    return 0


def _operations(office: Any, papers: dict[str, str], at: dict[str, str], register_key: str) -> dict[str, str]:
    """The operation of each part, by the part's name; services, connections and definitions are made as needed."""

    def connect(service: str, title: str, base: str, sign_in: dict[str, Any] | None, **secrets: str) -> None:
        office.services.save(service, title=title)
        document: dict[str, Any] = {"base_address": base, **({"sign_in": sign_in} if sign_in else {})}
        names: dict[str, Any] = {"service": service, "environment": "test"}
        if secrets:
            office.credentials.save(f"{service}-key", environment="test")
            office.credentials.set_secrets(f"{service}-key", **secrets)
            names["credential"] = f"{service}-key"
        office.connections.save(f"{service}-test", document=document, **names)

    def imported(service: str, wanted: str, **source: Any) -> str:
        source = {"service": service, "environment": "test", **source}
        office.definitions.import_into(record_types=[], **source)
        found = [one for one in office.operations.search(service=service) if one["document"].get("came_from")]
        return next(str(one["name"]) for one in found if wanted == one["document"]["came_from"]["key"])

    key = {"type": "api_key", "name": "X-Register-Key"}
    connect("papers-register", "Tree register", at["register"], key, key=register_key)
    tree = {"path": "/v1/trees/{number}", "inputs": [{"name": "number", "required": True}]}
    office.operations.save("tree-of-number", title="One tree", service="papers-register", document=tree)
    basic = {"type": "basic", "user_name": papers["soil_user"]}
    connect("papers-soil", "Soil laboratory", at["soil"], basic, password=papers["soil_password"])
    office.operations.save(
        "soil-archive",
        title="Lab results, from the archive",
        service="papers-soil",
        document={"path": "/archive/results"},
    )
    connect("desk", "Inspection desk", at["desk"], {"type": "bearer"}, token=papers["desk_token"])
    connect("papers-permits", "Permit counter", f"{at['permits']}/services", None)
    listed = imported(**connect_seeds(office, papers, at["seeds"]), wanted="GET /Lots")
    lots = office.operations.get(listed)["document"]
    lots.pop("came_from")  # it goes its own way from here
    lots["inputs"] = [
        *(one for one in lots["inputs"] if one["name"] != "species"),
        {"name": "species", "required": True},
    ]
    lots["odata"] |= {
        "select": ["Number", "Species", "Grams"],
        "filter": [{"property": "Species", "operator": "eq", "value": {"input": "species"}}],
        "order": [{"property": "Grams", "is_descending": True}],
    }
    office.operations.save("lots-of-species", title="Seed lots of a species", service="seeds", document=lots)
    return {
        "tree": "tree-of-number",
        "soil": "soil-archive",
        "inspections": imported("desk", "query inspections", address=f"{at['desk']}/graphql", introspect=True),
        "lots": "lots-of-species",
        "permit": imported("papers-permits", "FindPermit", address=f"{at['permits']}/services/counter?wsdl"),
    }


SOIL, PERMITS = {"lab": "urn:olmara:soil:2"}, {"p": "urn:olmara:permits"}
#: By part: where the papers are in its answer, where number and title of each are, and the namespaces of XML.
MAPPINGS: dict[str, tuple[Any, str, str, dict[str, str]]] = {
    "tree": ({"jsonpath": "$"}, "number", "species.latin", {}),
    "soil": ("/lab:results/lab:result", "@number", "lab:taken", SOIL),
    "inspections": ("data.inspections.nodes[*]", "id", "grade", {}),
    "lots": ("value[*]", "Number", "Species", {}),
    "permit": ("//p:permit", "p:number", "p:reason", PERMITS),
}


def _mapping(rows: Any, number: str, title: str, namespaces: dict[str, str]) -> dict[str, Any]:
    fields = [{"name": "number", "from": number}, {"name": "title", "from": title}]
    output = {"record_type": "paper", "rows": [{"level": "paper", "at": rows}], "fields": fields}
    return {"outputs": [output], **({"format": "xml", "namespaces": namespaces} if namespaces else {})}


def tree_file(asked: dict[str, str]) -> dict[str, Any]:
    """asked: the operation of each part."""

    def branch(part: str, **inputs: Any) -> dict[str, Any]:
        return {"name": part, "operation": asked[part], "mapping": f"{part}-paper", "inputs": inputs}

    def together(name: str, title: str, *branches: dict[str, Any]) -> dict[str, Any]:
        more = {"success": {"type": "what_succeeds"}, "gather": {"record_type": "paper", "origin": "source"}}
        return {"type": "ask", "name": name, "title": title, "together": [*branches], "time_limit": 3, **more}

    number = {"input": "number"}
    species = {"result": "first", "at": {"jsonpath": "$.parts.tree.records.paper[0].title"}}
    parts = [{"result": name, "at": "records"} for name in ("first", "then")]
    reasons = [{"result": name, "at": "failures"} for name in ("first", "then")]
    return {
        "description": "The papers of one tree, from five services. What is not there in time is told with its reason.",
        "inputs": [
            {"name": "number", "title": "The tree's number", "required": True, "try_value": "OLM-00022"},
            {"name": "permit", "title": "Number of its permit", "required": True, "try_value": "P-7"},
        ],
        "reply": [{"name": "papers", "records": "paper", "title": "Papers"}, {"name": "reasons"}],
        "steps": [
            together(
                "first",
                "Ask register, laboratory and inspection desk for the tree",
                branch("tree", number=number),
                branch("soil"),
                branch("inspections", tree=number, first={"value": 1}),
            ),
            together(
                "then",
                "Ask the seed store for lots of its species, and the counter for its permit",
                branch("lots", species=species, top={"value": 1}),
                branch("permit", number={"input": "permit"}),
            ),
            {
                "type": "end",
                "name": "reply",
                "reply": {"papers": {"joined": parts}, "reasons": {"joined": reasons}},
            },
        ],
    }
