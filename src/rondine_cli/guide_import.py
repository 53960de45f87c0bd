"""The guided example of importing: the register's OpenAPI document, and the seed store's OData metadata from the
service itself."""

import json
from argparse import Namespace
from collections.abc import Mapping
from typing import Any

from rondine_cli.definitions import comparison_text, summary
from rondine_cli.guide_telling import Telling
from rondine_cli.output import Output
from rondine_cli.session import Session
from rondine_client import RondineProblem


def run_import(session: Session, args: Namespace, out: Output) -> int:
    """Imports two definitions, looks at rows before anything is made, and asks for chosen fields, filtered and with
    what belongs to them."""
    office = session.office
    papers = json.loads(args.papers.read_text())
    ports = dict(line.split("=") for line in (args.papers.parent / "ports").read_text().split())
    register, seeds = f"http://127.0.0.1:{ports['register']}", f"http://127.0.0.1:{ports['seeds']}"

    telling = Telling(out)
    step, tell = telling.step, telling.tell

    address = f"{register}/openapi.yaml"
    step("Look at the register's definition; nothing is written", f"rondine definition look {address}")
    seen = office.definitions.look_at(address=address)
    tell(summary(seen))
    tell("\n".join(f"{operation['key']:<32} {operation['title']}" for operation in seen["operations"]))

    wanted = [operation["key"] for operation in seen["operations"] if "care" in operation["tags"]]
    step("Import what concerns care", f"rondine definition import {address} --service register-care --tag care")
    made = office.definitions.import_into(
        "register-care",
        title="Register: care",
        address=address,
        operations=wanted,
        hash=seen["hash"],
        connect={"environment": "test"},
    )
    if made["credential"] and made["secrets_needed"]:
        office.credentials.set_secrets(made["credential"], key=args.key_file.read_text().strip())
    held = office.definitions.get(made["definition"])
    listed = next(name for name in held["operations"] if name.startswith("list-care"))
    trial = office.trials.send(service="register-care", operation=listed, inputs={"number": "OLM-00007"})
    tell(f"{', '.join(held['operations'])}; {listed} answered {trial['call']['status']}")

    step("See what has changed in the definition since", f"rondine definition compare {made['definition']}")
    tell(comparison_text(office.definitions.compare(made["definition"])))

    step(
        "Connect the seed store, and read its OData metadata from itself",
        "rondine definition look --help",
    )
    source = connect_seeds(office, papers, seeds)
    found = office.definitions.look_at(**source)
    tell(summary(found))

    step("Look at the first lots before anything is made", "rondine definition rows --help")
    rows = office.definitions.preview_rows("GET /Lots", **source)
    for row in rows["rows"][:3]:
        tell(json.dumps({name: value for name, value in row.items() if not name.startswith("@")}, ensure_ascii=False))
    tell("nothing was stored")

    step("Import it, and ask for chosen fields of some lots with their tests", "rondine operation try lots-to-test")
    office.definitions.import_into(record_types=[], hash=found["hash"], **source)
    held_name = next(definition["name"] for definition in office.definitions if definition["service"] == "seeds")
    _chosen(office, held_name, tell)
    step(
        "Ask the inspection desk, a GraphQL service, for its schema",
        "rondine definition import --help",
    )
    desk = f"http://127.0.0.1:{ports['desk']}"
    office.services.save("desk", title="Inspection desk")
    office.credentials.save("desk-key", environment="test")
    office.credentials.set_secrets("desk-key", token=papers["desk_token"])
    document = {"base_address": desk, "sign_in": {"type": "bearer"}}
    office.connections.save("desk-test", service="desk", environment="test", credential="desk-key", document=document)
    source = {"address": f"{desk}/graphql", "introspect": True, "service": "desk", "environment": "test"}
    found = office.definitions.look_at(**source)
    tell(summary(found))
    office.definitions.import_into(record_types=[], hash=found["hash"], **source)
    held = next(definition for definition in office.definitions if definition["service"] == "desk")
    name = next(operation for operation in held["operations"] if operation.startswith("inspections"))
    body: Any = office.operations.get(name)["document"]["body"]
    taken = office.definitions.choose_fields(
        held["name"], body["query"], take=["inspections", "nodes", "tree", "number"]
    )
    tell(taken["query"])
    tell(f"{taken['count']} fields, {taken['depth']} deep, up to {taken['cost']} values")
    trial = office.trials.send(service="desk", operation=name, inputs={"grade": "ACT", "first": 2})
    tell(office.bodies.text(trial["body"])["text"][:300] if trial["body"] else trial["unreadable"])

    lots, inspections = (f"{session.url}/p/{office.name}/operations/{one}" for one in ("lots-to-test", name))
    out.out.print(f"\nLook at it in the console: {lots} and {inspections}", markup=False)
    return 0


def connect_seeds(office: Any, papers: Mapping[str, str], seeds: str) -> dict[str, Any]:
    """The seed store's service with its connection. seeds: its address. Gives where its definition is read from."""
    office.services.save("seeds", title="Seed store, OData")
    office.credentials.save("seeds-key", environment="test")
    office.credentials.set_secrets("seeds-key", client_secret=papers["seeds_secret"])
    sign_in = {
        "type": "client_credentials",
        "token_address": f"{seeds}/oauth/token",
        "client_id": papers["seeds_client"],
        "scope": "lots.read lots.write",
    }
    document = {"base_address": f"{seeds}/odata", "sign_in": sign_in}
    office.connections.save(
        "seeds-test", service="seeds", environment="test", credential="seeds-key", document=document
    )
    return {"address": f"{seeds}/odata/$metadata", "service": "seeds", "environment": "test"}


def _chosen(office: Any, definition: str, tell: Any) -> None:
    """A list of lots with fields, a condition, an order and what comes along, all chosen."""
    names = office.definitions.get(definition)["operations"]
    listed = next(
        item for item in map(office.operations.get, names) if item["document"]["came_from"]["key"] == "GET /Lots"
    )
    document = listed["document"]
    document["inputs"] = [*document["inputs"], {"name": "species", "try_value": "Tilia"}]
    document["odata"] |= {
        "select": ["Number", "Species", "Grams"],
        "filter": [{"property": "Species", "operator": "startswith", "value": {"input": "species"}}],
        "order": [{"property": "Grams", "is_descending": True}],
        "expand": [{"property": "Tests", "select": ["On", "Germinated"]}],
    }
    try:
        office.operations.make("lots-to-test", title="Lots to test", service="seeds", document=document)
    except RondineProblem as problem:
        if problem.code != "conflict":
            raise
    trial = office.trials.send(service="seeds", operation="lots-to-test", inputs={"species": "Tilia", "top": 3})
    tell(trial["call"]["url"])
    for row in json.loads(office.bodies.text(trial["body"])["text"])["value"]:
        tell(f"lot {row['Number']}: {row['Grams']} g, {len(row['Tests'])} tests")
