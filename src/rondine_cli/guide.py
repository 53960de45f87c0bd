"""The guided example: the whole road from an address to kept records, command by command."""

import io
import json
import shlex
import sys
from argparse import ArgumentParser, Namespace
from pathlib import Path
from typing import Any

from rondine_cli.guide_flow import run_flow
from rondine_cli.guide_import import run_import
from rondine_cli.guide_live import run_live
from rondine_cli.output import Output
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
        choices=["records", "sign-in", "import", "live", "flow"],
        default="records",
        help=(
            "records: from an address to kept records (default).  sign-in: the ways to sign in, and limits.  "
            "import: definitions, from a document and from the service itself.  "
            "live: records found and changed at their service.  "
            "flow: one answer from five services"
        ),
    )
    guide.add_argument(
        "--papers",
        type=Path,
        default=Path("var/standins.json"),
        help="the file with the other stand-ins' secrets (default: var/standins.json)",
    )
    guide.set_defaults(run=lambda session, args, out: PARTS[args.part](session, args, out))


def run_sign_in(session: Session, args: Namespace, out: Output) -> int:
    """Connects seed store, soil laboratory and crew board, each by another sign-in, and shows what is seen of it
    afterwards."""
    office = session.office
    papers = json.loads(args.papers.read_text())
    ports = dict(line.split("=") for line in (args.papers.parent / "ports").read_text().split())
    at = {name: f"http://127.0.0.1:{ports[name]}" for name in ("seeds", "soil", "crew")}
    walk = Walk(session, out, args.parser)
    credentials = {credential["name"] for credential in office.credentials}

    def connect(service: str, title: str, secret: str, value: str, settings: str) -> None:
        walk.run(f"rondine service make {service} --title '{title}'")
        walk.run(f"rondine credential make {service}-key", unless=f"{service}-key" in credentials)
        walk.run(f"rondine credential set {service}-key --secret {secret}", typed=value)
        walk.run(
            f"rondine connection make {service}-test --title '{title}, test' --service {service}"
            f" --credential {service}-key {settings}"
        )

    walk.step(1, "Seed store: client credentials, limits, and a standing value with every request")
    walk.run("rondine standing-value set survey-year 2026")
    connect(
        "seed-store",
        "Seed store",
        "client_secret",
        papers["seeds_secret"],
        f"--base-address {at['seeds']} --sign-in client_credentials --setting token_address={at['seeds']}/oauth/token"
        f" --setting client_id={papers['seeds_client']} --setting scope=lots.read"
        " --limit '10 a second' --limit '2000 a month' --standing-header X-Survey-Year=survey-year",
    )
    walk.run("rondine connection check seed-store-test")
    walk.run(
        f"rondine operation make list-lots --title 'List lots' --service seed-store --address {at['seeds']}/odata/Lots"
    )
    walk.run("rondine operation try list-lots", most=9)
    walk.run("rondine connection token seed-store-test")
    walk.run("rondine connection meter seed-store-test")

    walk.step(2, "Soil laboratory: user name and password")
    connect(
        "soil-laboratory",
        "Soil laboratory",
        "password",
        papers["soil_password"],
        f"--base-address {at['soil']} --sign-in basic --setting user_name={papers['soil_user']}",
    )
    walk.run("rondine connection check soil-laboratory-test")
    walk.run(
        "rondine operation make list-results --title 'List lab results' --service soil-laboratory"
        f" --address {at['soil']}/results"
    )
    walk.run("rondine operation try list-results", most=9)

    walk.step(3, "Crew board: a person's consent")
    connect(
        "crew-board",
        "Crew board",
        "client_secret",
        papers["crew_secret"],
        f"--base-address {at['crew']} --sign-in authorization_code"
        f" --setting authorization_address={at['crew']}/oauth/consent --setting token_address={at['crew']}/oauth/token"
        f" --setting client_id={papers['crew_client']} --setting 'scope=days.read days.plan'",
    )
    walk.run("rondine connection check crew-board-test")
    walk.run(
        f"rondine operation make list-days --title 'List crew days' --service crew-board --address {at['crew']}/v1/days"
    )
    out.out.print(
        "\n   A person must consent first: rondine connection sign-in crew-board-test, or on the connection's page\n\n"
        f"Look at it in the console: {session.url}/p/{office.name}/connections/crew-board-test",
        markup=False,
    )
    return 0


def run_guide(session: Session, args: Namespace, out: Output) -> int:
    """Each step is the commands that are printed, and nothing else; what is there already is left as it is."""
    office = session.office
    register = args.register or _register()
    walk = Walk(session, out, args.parser)
    services, operations = (
        {service["name"] for service in office.services},
        {operation["name"] for operation in office.operations},
    )
    credentials, samples = (
        {credential["name"] for credential in office.credentials},
        {sample["name"] for sample in office.samples},
    )

    walk.step(1, "Connect to the tree register")
    walk.run("rondine service make tree-register --title 'Tree register'", unless="tree-register" in services)
    walk.run("rondine credential make tree-key", unless="tree-key" in credentials)
    walk.run(f"rondine credential set tree-key --from-file key={args.key_file}")
    walk.run(
        "rondine connection make register-test --title 'Tree register, test' --service tree-register"
        f" --base-address {register} --credential tree-key --api-key-header X-Register-Key"
    )
    if walk.run("rondine connection check register-test"):
        out.bad("the connection does not work; are the stand-ins up? ./start --status")
        return 1

    walk.step(2, "Describe an operation by pasting an address")
    address = f"{register}/v1/trees?district={{district}}&limit={PAGE}"
    make = f"rondine operation make list-trees --title 'List trees' --service tree-register --address '{address}'"
    walk.run(make, unless="list-trees" in operations)

    walk.step(3, "Try it")
    walk.run("rondine operation try list-trees --input district=Terrazze")

    walk.step(4, "Keep the response as a sample; follow its pages; look at its schema and say better names")
    keep = "rondine sample keep trees-of-terrazze --operation list-trees"
    walk.run(keep, unless="trees-of-terrazze" in samples)
    walk.run("rondine operation correct list-trees '$.trees[*].measures.girth' --name girth_m")
    walk.run("rondine operation correct list-trees '$.trees[*].measures.height' --name height_m")
    walk.run("rondine sample schema trees-of-terrazze")

    walk.step(5, "Point at what becomes one row; take the proposal")
    walk.run(
        "rondine mapping propose trees-of-terrazze --rows '$.trees[*]' --record-type tree"
        " --unit girth_m=m --unit height_m=m --save trees --service tree-register"
    )
    walk.run("rondine mapping preview trees trees-of-terrazze", most=8)

    walk.step(6, "Make a feed and run it, twice")
    walk.run("rondine feed make all-trees --title 'All trees' --operation list-trees --mapping trees")
    for _ in range(2):
        if walk.run("rondine feed run all-trees"):
            return 1
    walk.run("rondine record show tree OLM-00014", most=12)
    out.out.print(
        f"\nLook at it in the console: {session.url}/p/{office.name}/operations/list-trees and"
        f" {session.url}/p/{office.name}/records/tree",
        markup=False,
    )
    return 0


class Walk:
    """Prints commands and runs them in this process, with what they print below."""

    def __init__(self, session: Session, out: Output, parser: ArgumentParser) -> None:
        self._session, self._out, self._parser = session, out, parser

    def step(self, number: int, title: str) -> None:
        self._out.out.print(f"\n[bold]{number}. {title}[/bold]")

    def run(self, command: str, *, unless: bool = False, most: int = 60, typed: str = "") -> int:
        """The exit status. unless: what it makes is there already.  most: lines of its output that are shown.  typed:
        what it asks for."""
        self._out.out.print(f"   {command}", style="dim", markup=False)
        if unless:
            self._out.out.print("   there already", markup=False)
            return 0
        args = self._parser.parse_args(shlex.split(command)[1:])
        printed = io.StringIO()
        keyboard, sys.stdin = sys.stdin, io.StringIO(f"{typed}\n") if typed else sys.stdin
        try:
            status = args.run(self._session, args, Output.into(printed)) or 0
        finally:
            sys.stdin = keyboard
        lines = printed.getvalue().rstrip().splitlines()
        for line in lines[:most]:
            self._out.out.print(f"     {line}", markup=False)
        if len(lines) > most:
            self._out.out.print(f"     … {len(lines) - most} more lines", markup=False)
        return int(status)


def _register() -> str:
    """The register's address from the file that ./start writes."""
    try:
        ports = dict(line.split("=", 1) for line in Path("var/ports").read_text().split())
        return f"http://127.0.0.1:{ports['register']}"
    except (OSError, ValueError, KeyError):
        return "http://127.0.0.1:18210"


PARTS = {"records": run_guide, "sign-in": run_sign_in, "import": run_import, "live": run_live, "flow": run_flow}
