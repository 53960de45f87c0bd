"""The guided example: the whole road from an address to kept records, through the client, told step by step."""

import json
from argparse import Namespace
from pathlib import Path
from typing import Any

from rondine_cli.describing import trial_text
from rondine_cli.guide_import import run_import
from rondine_cli.output import Output
from rondine_cli.running import run_text
from rondine_cli.session import Session

PAGE = 100


def add_commands(commands: Any) -> None:
    guide = commands.add_parser(
        "guide", help="walk from an address to kept records on the demo's tree register, and say each step"
    )
    guide.add_argument(
        "--key-file",
        type=Path,
        default=Path("var/register.key"),
        help="the file with the register's API key (default: var/register.key)",
    )
    guide.add_argument(
        "--register",
        default=None,
        metavar="URL",
        help="the register's address (default: as ./start wrote it to var/ports)",
    )
    guide.add_argument(
        "part",
        nargs="?",
        choices=["records", "sign-in", "import"],
        default="records",
        help="records: from an address to kept records (default).  sign-in: the ways to sign in, and limits.  "
        "import: definitions, from a document and from the service itself",
    )
    guide.add_argument(
        "--papers",
        type=Path,
        default=Path("var/standins.json"),
        help="the file with the other stand-ins' secrets (default: var/standins.json)",
    )
    guide.set_defaults(run=lambda session, args, out: PARTS[args.part](session, args, out))


def run_sign_in(session: Session, args: Namespace, out: Output) -> int:
    """Connects seed store, soil laboratory and crew board, each by another sign-in, and shows what is seen of it afterwards."""
    office = session.office
    papers = json.loads(args.papers.read_text())
    ports = dict(line.split("=") for line in (args.papers.parent / "ports").read_text().split())
    at = {name: f"http://127.0.0.1:{ports[name]}" for name in ("seeds", "soil", "crew")}

    def tell(text: str) -> None:
        for line in text.splitlines():
            out.out.print(f"   {line}", markup=False)

    def connect(
        number: int, service: str, title: str, base: str, sign_in: dict[str, Any], secrets: dict[str, str], **more: Any
    ) -> str:
        name = f"{service}-test"
        scheme = sign_in["type"]
        out.out.print(f"\n[bold]{number}. {title}: {scheme.replace('_', ' ')}[/bold]")
        command = f"rondine connection make {name} --service {service} --sign-in {scheme} ..."
        out.out.print(f"   the same by command: {command}", style="dim", markup=False)
        office.services.save(service, title=title)
        office.credentials.save(f"{service}-key", environment="test")
        office.set_secrets(f"{service}-key", **secrets)
        document = {"base_address": base, "sign_in": sign_in, **more}
        office.connections.save(
            name,
            title=f"{title}, test",
            service=service,
            environment="test",
            credential=f"{service}-key",
            document=document,
        )
        check = office.check_connection(name)
        tell("\n".join(f"{'✓' if one['is_good'] else '✗'} {one['step']}: {one['words']}" for one in check["steps"]))
        return name

    def operation(service: str, name: str, title: str, path: str) -> None:
        office.operations.save(name, title=title, service=service, document={"path": path})
        trial = office.try_operation(service=service, operation=name)
        call = trial["call"]
        tell(f"GET {path} answered {call['status']}" if call["status"] else call["error"]["message"])

    office.set_standing_value("survey-year", "2026", "test")
    client = {"token_address": f"{at['seeds']}/oauth/token", "client_id": papers["seeds_client"], "scope": "lots.read"}
    name = connect(
        1,
        "seed-store",
        "Seed store",
        at["seeds"],
        {"type": "client_credentials", **client},
        {"client_secret": papers["seeds_secret"]},
        limits=[{"calls": 10, "span": "second"}, {"calls": 2000, "span": "month"}],
        headers=[{"name": "X-Survey-Year", "value": [{"standing": "survey-year"}]}],
    )
    operation("seed-store", "list-lots", "List lots", "/odata/Lots")
    tell(f"the access token: {office.sign_in_state(name)['tokens'][0]['words']}")
    tell(", ".join(f"{one['words']}: {one['left']:,} left" for one in office.meter(name)["limits"]))
    basic = {"type": "basic", "user_name": papers["soil_user"]}
    connect(2, "soil-laboratory", "Soil laboratory", at["soil"], basic, {"password": papers["soil_password"]})
    operation("soil-laboratory", "list-results", "List lab results", "/results")
    consent = {
        "type": "authorization_code",
        "authorization_address": f"{at['crew']}/oauth/consent",
        "token_address": f"{at['crew']}/oauth/token",
        "client_id": papers["crew_client"],
        "scope": "days.read days.plan",
    }
    connect(3, "crew-board", "Crew board", at["crew"], consent, {"client_secret": papers["crew_secret"]})
    office.operations.save("list-days", title="List crew days", service="crew-board", document={"path": "/v1/days"})
    tell("a person must consent first: rondine connection sign-in crew-board-test, or on the connection's page")
    out.out.print("\n[bold]Look at it in the console[/bold]")
    tell(f"{session.url}/p/{office.name}/connections/crew-board-test")
    return 0


def run_guide(session: Session, args: Namespace, out: Output) -> int:
    office = session.office
    register = args.register or _register()

    def step(number: int, title: str, command: str) -> None:
        out.out.print(f"\n[bold]{number}. {title}[/bold]")
        out.out.print(f"   the same by command: {command}", style="dim", markup=False)

    def tell(text: str) -> None:
        for line in text.splitlines():
            out.out.print(f"   {line}", markup=False)

    step(1, "Connect to the tree register", "rondine connection make register-test --service tree-register ...")
    office.services.save("tree-register", title="Tree register")
    office.credentials.save("tree-key", environment="test")
    office.set_secrets("tree-key", key=args.key_file.read_text().strip())
    office.connections.save(
        "register-test",
        title="Tree register, test",
        service="tree-register",
        environment="test",
        credential="tree-key",
        document={"base_address": register, "sign_in": {"type": "api_key", "name": "X-Register-Key"}},
    )
    check = office.check_connection("register-test")
    tell("\n".join(f"{'✓' if one['is_good'] else '✗'} {one['step']}: {one['words']}" for one in check["steps"]))
    if not check["works"]:
        out.bad("the connection does not work; are the stand-ins up? ./start --status")
        return 1

    address = f"{register}/v1/trees?district=<district>&limit={PAGE}"
    step(
        2,
        "Describe an operation by pasting an address",
        f"rondine operation make list-trees --service tree-register --address '{address}'",
    )
    parts = office.take_apart(address)
    document = parts["operation"]
    tell(f"{address}\nhas the path {document['path']}, the fixed value limit={PAGE}, and one input: district")

    step(3, "Try it", "rondine operation try list-trees --input district=Terrazze")
    trial = office.try_operation(service="tree-register", document=document, inputs={"district": "Terrazze"})
    tell("\n".join(trial_text(session, trial).splitlines()[:16]))
    document["paging"] = trial["paging"][0]["paging"]
    document["inputs"][0]["try_value"] = "Terrazze"
    office.operations.save("list-trees", title="List trees", service="tree-register", document=document)

    step(
        4,
        "Keep the response as a sample and look at its schema",
        f"rondine sample keep trees-of-terrazze --run {trial['run']}; rondine sample schema trees-of-terrazze",
    )
    if not any(one["name"] == "trees-of-terrazze" for one in office.samples):
        office.keep_sample("trees-of-terrazze", run=trial["run"], operation="list-trees")
    corrections = [
        {"path": "$.trees[*].measures.girth", "name": "girth_m"},
        {"path": "$.trees[*].measures.height", "name": "height_m"},
    ]
    for line in office.outline(trial["body"], corrections=corrections)["lines"][2:14]:
        tell(
            f"{'  ' * line['depth']}{line['name']:<14} {line['type'] or ' or '.join(line['types']):<10} there in {line['presence']:.0%}{'  corrected' if line['is_corrected'] else ''}"
        )
    document["response"] = {"rows": ["$.trees[*]"], "corrections": corrections}
    office.operations.save("list-trees", service="tree-register", document=document)

    step(
        5,
        "Point at what becomes one row; take the proposal",
        "rondine mapping propose trees-of-terrazze --rows '$.trees[*]' --record-type tree --save trees --service tree-register",
    )
    found = office.propose(trial["body"], rows=["$.trees[*]"], name="tree", corrections=corrections)
    record_type = found["record_type"]
    for field in record_type["fields"]:
        if field["name"] in ("girth_m", "height_m"):
            field["unit"] = "m"
    tell(f"{len(record_type['fields'])} fields, key {', '.join(record_type['key'])}\n" + "\n".join(found["notes"]))
    preview = office.preview(trial["body"], found["mapping"], {"tree": record_type})["outputs"][0]
    girth = next(one for one in preview["shown"][0]["fields"] if one["field"] == "girth_m")
    tell(
        f"{preview['records']} records from {preview['rows']} rows; girth_m of the first is {preview['shown'][0]['data']['girth_m']}, from {girth['pointer']}"
    )
    office.record_types.save("tree", title="Tree", document=record_type)
    office.mappings.save("trees", title="Trees", service="tree-register", document=found["mapping"])

    step(
        6,
        "Make a feed and run it, twice",
        "rondine feed make all-trees --operation list-trees --mapping trees; rondine feed run all-trees",
    )
    office.feeds.save("all-trees", title="All trees", operation="list-trees", mapping="trees", environment="test")
    for _ in range(2):
        *_, last = office.watch(office.run_feed("all-trees")["id"])
        tell(run_text(last))
        if last["state"] != "done":
            return 1
    tell(f"in Terrazze: {sum(1 for _ in office.records('test', 'tree', district='Terrazze'))} records")
    out.out.print(
        f"\nLook at it in the console: {session.url}/p/{office.name}/operations/list-trees and {session.url}/p/{office.name}/records/tree",
        markup=False,
    )
    return 0


def _register() -> str:
    """The register's address from the file that ./start writes."""
    try:
        ports = dict(line.split("=", 1) for line in Path("var/ports").read_text().split())
        return f"http://127.0.0.1:{ports['register']}"
    except (OSError, ValueError, KeyError):
        return "http://127.0.0.1:18210"


PARTS = {"records": run_guide, "sign-in": run_sign_in, "import": run_import}
