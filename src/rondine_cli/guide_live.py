"""The guided example of live records: seed lots, found and changed at the seed store itself."""

import json
from argparse import Namespace
from typing import Any

from rondine_cli.guide_import import connect_seeds
from rondine_cli.guide_telling import Telling
from rondine_cli.output import Output
from rondine_cli.session import Session
from rondine_client import RondineProblem

TYPE = "seed-lot"


def run_live(session: Session, args: Namespace, out: Output) -> int:
    """Binds a record type to the operations of an imported service, and finds and changes its records there."""
    office = session.office
    papers = json.loads(args.papers.read_text())
    ports = dict(line.split("=") for line in (args.papers.parent / "ports").read_text().split())

    telling = Telling(out)
    step, tell = telling.step, telling.tell

    step("Connect the seed store, and import its OData metadata", "rondine definition import --help")
    source = connect_seeds(office, papers, f"http://127.0.0.1:{ports['seeds']}")
    office.definitions.import_into(record_types=[], **source)
    listing = next(
        one["name"]
        for one in office.operations.search(service="seeds")
        if one["document"].get("path") == "/Lots" and one["document"].get("paging")
    )
    tell(f"{listing} lists lots")

    step("Try it, and take what comes back as records", "rondine mapping propose --help")
    trial = office.trials.send(service="seeds", operation=listing)
    found = office.mappings.propose(trial["body"] or "", rows=["$.value[*]"], name=TYPE)
    office.record_types.save(TYPE, title="Seed lots", document=found["record_type"])
    office.mappings.save(TYPE, service="seeds", document=found["mapping"])
    tell(f"{TYPE}: {', '.join(field['name'] for field in found['record_type'].get('fields', []))}")

    step("Bind it to the operations of its service", f"rondine binding propose {TYPE} --save --live")
    proposed = office.bindings.propose(TYPE, operations={"list": listing})
    document: Any = proposed["document"]
    for role in ("list", "find", "create", "change", "replace", "remove"):
        tell(f"{role:<8} {document[role]['operation'] if document.get(role) else 'none'}")
    office.bindings.save(TYPE, document=document)
    office.record_types.save(TYPE, document={**found["record_type"], "kind": "live"})

    asked = f"rondine record list {TYPE} --where grams.from=500 --sort=-grams --limit 3"
    step("Ask for some: the service filters and sorts", asked)
    records: Any = office.records
    page = records.page("test", TYPE, sort="-grams", limit=3, **{"grams.from": "500"})
    for one in page["items"]:
        tell(f"lot {one['data']['number']}: {one['data']['grams']} g of {one['data']['species']}")
    live = page["live"]
    tell(f"{live['calls']} outside call, told with run {live['run']}; nothing of it is kept")

    step("Change one at the service", f"rondine record change {TYPE} 7 --set grams=120.5")
    before = office.records.get("test", TYPE, "7")
    changed = office.records.change("test", TYPE, "7", data={"grams": "120.5"}, version=before["version"] or "*")
    tell(f"{before['data']['grams']} g before; {changed['confirmed']}: {(changed['data'] or {})['grams']} g")

    older = f"rondine record change {TYPE} 7 --set grams=1 --version VERSION"
    step("Change it from what it was before: somebody else was quicker", older)
    try:
        office.records.change("test", TYPE, "7", data={"grams": "1"}, version=before["version"] or "")
    except RondineProblem as problem:
        tell(f"refused: {problem.message}")
    back = office.records.change("test", TYPE, "7", data={"grams": before["data"]["grams"]}, version="*")
    tell(f"put back: {(back['data'] or {})['grams']} g")

    address = f"{session.url}/p/{office.name}"
    out.out.print(f"\nLook at it in the console: {address}/records/{TYPE} and {address}/bindings/{TYPE}", markup=False)
    return 0
