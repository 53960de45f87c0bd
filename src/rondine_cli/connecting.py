"""Services, credentials, connections, permitted hosts."""

import getpass
import sys
from argparse import Namespace
from typing import Any

from rondine_cli.items import add_item_verbs, show_problems
from rondine_cli.output import Output
from rondine_cli.session import Session


def add_commands(commands: Any) -> None:
    service = commands.add_parser("service", help="outside services").add_subparsers(required=True, metavar="VERB")
    add_item_verbs(service, "services", "service", ["name", "title", "version"])
    make = service.add_parser("make", help="make or change one")
    make.add_argument("name")
    make.add_argument("--title", default="")
    make.add_argument("--documentation", default="", help="address of its documentation")
    make.set_defaults(run=run_service_make)

    credential = commands.add_parser("credential", help="secrets of a sign-in, written and never read").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(credential, "credentials", "credential", ["name", "environment", "names"])
    make = credential.add_parser("make", help="make one")
    make.add_argument("name")
    make.add_argument("--environment", default="test")
    make.set_defaults(run=run_credential_make)
    setting = credential.add_parser("set", help="give it its secret: asked for, or read from standard input")
    setting.add_argument("name")
    setting.add_argument("--secret", default="key", help="which secret of the scheme (default: key)")
    setting.set_defaults(run=run_credential_set)

    connection = commands.add_parser("connection", help="how a service is reached in an environment").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(
        connection,
        "connections",
        "connection",
        ["name", "service", "environment", "document.base_address", "check_result.works"],
    )
    make = connection.add_parser("make", help="make or change one")
    make.add_argument("name")
    make.add_argument("--service", required=True)
    make.add_argument("--environment", default="test")
    make.add_argument("--base-address", required=True, metavar="URL")
    make.add_argument("--api-key-header", metavar="NAME", help="sign in with an API key in this header")
    make.add_argument("--credential", help="the credential that holds the key")
    make.set_defaults(run=run_connection_make)
    check = connection.add_parser("check", help="see whether it works")
    check.add_argument("name")
    check.set_defaults(run=run_check)

    host = commands.add_parser(
        "host", help="the hosts that may be reached (administrators permit them)"
    ).add_subparsers(required=True, metavar="VERB")
    host.add_parser("list", help="list them").set_defaults(run=run_hosts)
    permit = host.add_parser("permit", help="permit one")
    permit.add_argument("host")
    permit.add_argument("--port", type=int)
    permit.add_argument("--private", action="store_true", help="it may have a private or loopback address")
    permit.set_defaults(run=run_permit)
    remove = host.add_parser("remove", help="take a permission back")
    remove.add_argument("id", type=int, help="as 'rondine host list' shows it")
    remove.set_defaults(run=run_host_remove)


def run_service_make(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.services.save(
        args.name, title=args.title, document={"documentation": args.documentation} if args.documentation else {}
    )
    out.value(made, f"service {made['name']} is at version {made['version']}")


def run_credential_make(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.credentials.make(args.name, environment=args.environment)
    out.value(made, f"credential {made['name']} is made; give it its secret: rondine credential set {made['name']}")


def run_credential_set(session: Session, args: Namespace, out: Output) -> None:
    secret = getpass.getpass(f"{args.secret}: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
    session.office.set_secrets(args.name, **{args.secret: secret})
    out.good(f"the {args.secret} of {args.name} is set; it is not shown again")


def run_connection_make(session: Session, args: Namespace, out: Output) -> None:
    sign_in = {"type": "api_key", "name": args.api_key_header} if args.api_key_header else {"type": "none"}
    document = {"base_address": args.base_address, "sign_in": sign_in}
    made = session.office.connections.save(
        args.name, service=args.service, environment=args.environment, credential=args.credential, document=document
    )
    out.value(
        made,
        f"connection {made['name']} is at version {made['version']}; see whether it works: rondine connection check {made['name']}",
    )
    show_problems(made, out)


def run_check(session: Session, args: Namespace, out: Output) -> int:
    found = session.office.check_connection(args.name)
    lines = [
        f"{'✓' if step['is_good'] else '✗'} {step['step']}: {step['words']}"
        + (f"\n  {step['hint']}" if step["hint"] else "")
        for step in found["steps"]
    ]
    out.value(found, "\n".join([*lines, "it works" if found["works"] else "it does not work"]))
    return 0 if found["works"] else 1


def run_hosts(session: Session, args: Namespace, out: Output) -> None:
    out.rows(
        session.office.hosts(),
        ["id", "host", "port", "is_private"],
        empty="no host is permitted; an administrator does it: rondine host permit HOST",
    )


def run_permit(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.permit_host(args.host, args.port, is_private=args.private)
    out.value(made, f"{made['host']} may be reached")


def run_host_remove(session: Session, args: Namespace, out: Output) -> None:
    session.office.remove_host(args.id)
    out.good("the permission is taken back")
