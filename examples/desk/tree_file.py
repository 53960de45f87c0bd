"""The tree file: one tree's papers from five services in one reply, as a flow. Three are asked at once, two after the
first; what is late or refuses is told with its reason. And a flow that waits for a person's yes."""

from typing import Any

from making import ENVIRONMENT, connect, good, operation

SOIL, PERMITS = {"lab": "urn:olmara:soil:2"}, {"p": "urn:olmara:permits"}
INSPECTIONS = """query Inspections($tree: ID, $first: Int) {
  inspections(tree: $tree, first: $first) { nodes { id on grade } }
}"""
#: By part of the file: where its papers are in the answer, where number and title of each are, namespaces of XML.
PAPERS: dict[str, tuple[Any, str, str, dict[str, str]]] = {
    "tree": ({"jsonpath": "$"}, "number", "species.latin", {}),
    "soil": ("/lab:results/lab:result", "@number", "lab:taken", SOIL),
    "inspections": ("data.inspections.nodes[*]", "id", "grade", {}),
    "lots": ("value[*]", "Number", "Species", {}),
    "permit": ("//p:permit", "p:number", "p:reason", PERMITS),
}
NUMBER, PERMIT, SPECIES = ({"name": name, "required": True} for name in ("number", "permit", "species"))


def set_up_tree_file(project: Any, at: dict[str, str], papers: dict[str, str]) -> None:
    """at: addresses, by service.  papers: clients and secrets."""
    for service, title, base, secrets, sign_in in (
        (
            "soil-laboratory",
            "Soil laboratory",
            at["soil"],
            {"password": papers["soil_password"]},
            {"type": "basic", "user_name": papers["soil_user"]},
        ),
        ("inspection-desk", "Inspection desk", at["inspections"], {"token": papers["desk_token"]}, {"type": "bearer"}),
        (
            "seed-store",
            "Seed store",
            f"{at['seeds']}/odata",
            {"client_secret": papers["seeds_secret"]},
            {
                "type": "client_credentials",
                "token_address": f"{at['seeds']}/oauth/token",
                "client_id": papers["seeds_client"],
                "scope": "lots.read",
            },
        ),
    ):
        project.services.save(service, title=title)
        project.credentials.save(f"{service}-key", environment=ENVIRONMENT)
        project.credentials.set_secrets(f"{service}-key", **secrets)
        connect(project, service, base, f"{service}-key", sign_in)
    project.services.save("permit-counter", title="Permit counter")
    document = {"base_address": f"{at['permits']}/services"}
    of = {"service": "permit-counter", "environment": ENVIRONMENT}
    good(project.connections.save(f"permit-counter-{ENVIRONMENT}", document=document, **of))
    operations = _operations(project)
    fields = [{"name": name, "type": "text", "title": name.capitalize()} for name in ("source", "number", "title")]
    document = {"kind": "passing", "key": ["number"], "fields": fields}
    good(project.record_types.save("paper", title="Papers of a tree", document=document))
    for part, (rows, number, title, namespaces) in PAPERS.items():
        taken = [{"name": "number", "from": number}, {"name": "title", "from": title}]
        output = {"record_type": "paper", "rows": [{"level": "paper", "at": rows}], "fields": taken}
        xml = {"format": "xml", "namespaces": namespaces} if namespaces else {}
        service = project.operations.get(operations[part])["service"]
        good(project.mappings.save(f"{part}-paper", service=service, document={"outputs": [output], **xml}))
    good(project.flows.save("tree-file", title="Tree file", document=tree_file(operations)))
    good(project.flows.save("may-it-be-felled", title="May it be felled?", document=FELLING))


def _operations(project: Any) -> dict[str, str]:
    """By part of the file."""
    operation(project, "soil-laboratory", "soil-archive", "/archive/results")
    variables = [{"at": f"/{name}", "value": {"input": name}} for name in ("tree", "first")]
    body: dict[str, Any] = {"type": "graphql", "query": INSPECTIONS, "variables": variables}
    inputs = [{"name": "tree"}, {"name": "first", "type": "integer"}]
    operation(project, "inspection-desk", "list-inspections", "/graphql", *inputs, method="POST", body=body)
    odata = {
        "top": {"input": "top"},
        "order": [{"property": "Grams", "is_descending": True}],
        "filter": [{"property": "Species", "value": {"input": "species"}}],
        "select": ["Number", "Species", "Grams"],
    }
    operation(project, "seed-store", "list-lots", "/Lots", SPECIES, {"name": "top", "type": "integer"}, odata=odata)
    elements = [{"at": "n1:number", "value": {"input": "number"}}]
    body = {"type": "soap", "action": "urn:find", "root": "n1:FindPermit", "namespaces": {"n1": "urn:olmara:permits"}}
    body |= {"elements": elements, "reads": True}
    operation(project, "permit-counter", "find-permit", "/counter", NUMBER, method="POST", body=body)
    return {
        "tree": "get-tree",
        "soil": "soil-archive",
        "inspections": "list-inspections",
        "lots": "list-lots",
        "permit": "find-permit",
    }


def tree_file(operations: dict[str, str]) -> dict[str, Any]:
    def branch(part: str, **inputs: Any) -> dict[str, Any]:
        return {"name": part, "operation": operations[part], "mapping": f"{part}-paper", "inputs": inputs}

    def together(name: str, title: str, *branches: dict[str, Any]) -> dict[str, Any]:
        more = {"success": {"type": "what_succeeds"}, "gather": {"record_type": "paper", "origin": "source"}}
        return {"type": "ask", "name": name, "title": title, "together": [*branches], "time_limit": 3, **more}

    number = {"input": "number"}
    species = {"result": "first", "at": {"jsonpath": "$.parts.tree.records.paper[0].title"}}
    reply = {
        name: {"joined": [{"result": step, "at": at} for step in ("first", "then")]}
        for name, at in (("papers", "records"), ("reasons", "failures"))
    }
    return {
        "description": "The papers of one tree, from five services. What is not there in time is told with its reason.",
        "inputs": [{**NUMBER, "title": "The tree's number"}, {**PERMIT, "title": "Number of its permit"}],
        "reply": [{"name": "papers", "records": "paper"}, {"name": "reasons"}],
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
            {"type": "end", "name": "reply", "reply": reply},
        ],
    }


FELLING: dict[str, Any] = {
    "description": "Somebody at the office says whether a tree may be felled.",
    "inputs": [NUMBER],
    "reply": [{"name": "agreed", "type": "boolean"}, {"name": "by", "type": "text"}],
    "steps": [
        {
            "type": "ask",
            "name": "tree",
            "ask": {"operation": "get-tree", "mapping": "one-tree", "inputs": {"number": {"input": "number"}}},
        },
        {
            "type": "pause",
            "name": "look",
            "time_limit": 604_800,
            "person": {
                "question": "May it be felled?",
                "shows": {
                    "number": {"input": "number"},
                    "girth": {"result": "tree", "at": {"jsonpath": "$.records.tree[0].girth_m"}},
                    "protected": {"result": "tree", "at": {"jsonpath": "$.records.tree[0].protected"}},
                },
            },
        },
        {
            "type": "end",
            "name": "reply",
            "reply": {"agreed": {"result": "look", "at": "agreed"}, "by": {"result": "look", "at": "by"}},
        },
    ],
}
