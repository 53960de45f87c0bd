"""Environments, standing values, credentials, and what keeps things from starting."""

import getpass
import sys
from argparse import ArgumentTypeError, Namespace
from pathlib import Path
from typing import Any

from rondine_cli.items import add_item_verbs, show_problems
from rondine_cli.output import Output
from rondine_cli.session import Session

#: Of options that were left out, where None means something.
NOT_GIVEN = object()


def add_commands(commands: Any) -> None:
    environment = commands.add_parser("environment", help="where items run: test, live, own ones").add_subparsers(
        required=True, metavar="VERB"
    )
    environment.add_parser("list", help="list them").set_defaults(run=run_environments)
    missing = environment.add_parser("missing", help="what is missing in one")
    missing.add_argument("name")
    missing.set_defaults(run=run_missing)
    for verb, help_text, run in (("make", "make one", run_make), ("change", "change one", run_change)):
        made = environment.add_parser(verb, help=help_text)
        made.add_argument("name")
        made.add_argument("--title")
        made.add_argument("--description")
        protection = made.add_mutually_exclusive_group()
        protection.add_argument(
            "--protected", action="store_true", default=None, help="only administrators change what is in it"
        )
        protection.add_argument("--unprotected", action="store_false", dest="protected", default=None)
        for option, what in (("--keep-runs", "runs, calls and deliveries"), ("--keep-bodies", "bodies of responses")):
            made.add_argument(
                option, type=days, default=NOT_GIVEN, metavar="DAYS", help=f"for how long {what} are kept, or: ever"
            )
        if verb == "change":
            made.add_argument(
                "--callback",
                metavar="ADDRESS",
                help="where services send people back to after their consent; empty for the usual address",
            )
        made.set_defaults(run=run)
    proof = environment.add_parser(
        "prove-callback", help="show what to open in the browser, to prove that its callback address leads here"
    )
    proof.add_argument("name")
    proof.set_defaults(run=run_prove_callback)
    remove = environment.add_parser("remove", help="remove an empty one")
    remove.add_argument("name")
    remove.set_defaults(run=run_remove)

    value = commands.add_parser("standing-value", help="named values that operations refer to").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(value, "standing_values", "standing value", ["name", "document.values", "document.description"])
    setting = value.add_parser("set", help="give it a value in one environment; it is made if there is none")
    setting.add_argument("name")
    setting.add_argument("value")
    setting.add_argument("--in", dest="environment", default="test", metavar="ENVIRONMENT")
    setting.set_defaults(run=run_value_set)
    uses = value.add_parser("uses", help="where it is used")
    uses.add_argument("name")
    uses.set_defaults(run=run_uses)

    credential = commands.add_parser("credential", help="secrets of a sign-in, written and never read").add_subparsers(
        required=True, metavar="VERB"
    )
    add_item_verbs(
        credential, "credentials", "credential", ["name", "environment", "names", "origins", "set_at", "has_second"]
    )
    make = credential.add_parser("make", help="make one")
    make.add_argument("name")
    make.add_argument("--environment", default="test")
    make.set_defaults(run=run_credential_make)
    setting = credential.add_parser(
        "set", help="give it its secrets: asked for, or read from standard input, a line each"
    )
    setting.add_argument("name")
    setting.add_argument(
        "--secret",
        action="append",
        metavar="NAME",
        help="a secret of the scheme; may be given several times (default: key)",
    )
    setting.add_argument(
        "--from-file",
        action="append",
        default=[],
        metavar="NAME=FILE",
        help="a secret kept in a file, such as a private key",
    )
    setting.add_argument(
        "--key-file",
        action="append",
        default=[],
        metavar="NAME=FILE",
        help=(
            "a private key in PEM or PKCS#12, such as tls_private_key=client.p12; its passphrase is asked for, empty"
            " for none"
        ),
    )
    setting.add_argument(
        "--certificate-to",
        type=Path,
        metavar="FILE",
        help="write the certificate that the key's file holds there, in PEM",
    )
    setting.add_argument("--second", action="store_true", help="valid in turn: tried where the first is refused")
    setting.add_argument(
        "--for",
        action="append",
        default=[],
        dest="origins",
        metavar="ADDRESS",
        help="another address that they may be sent to, besides those they were entered for",
    )
    setting.set_defaults(run=run_credential_set)
    permit = credential.add_parser("permit", help="let its secrets be sent to another address (administrators)")
    permit.add_argument("name")
    permit.add_argument("address", help="its scheme, host and port count, such as https://register.example")
    permit.set_defaults(run=run_credential_permit)
    drop = credential.add_parser("drop-second", help="take the second secrets away")
    drop.add_argument("name")
    drop.set_defaults(run=run_drop_second)

    commands.add_parser("obstacles", help="everything that is set up but cannot start, and why").set_defaults(
        run=run_obstacles
    )


def run_prove_callback(session: Session, args: Namespace, out: Output) -> None:
    address = session.office.environments.prove_callback(args.name)
    out.value({"address": address}, address)
    out.say(
        "  open it within ten minutes, in the browser that you sign in with; the page Environments then says that it is"
        " proven"
    )


def run_environments(session: Session, args: Namespace, out: Output) -> None:
    rows = [
        {**environment, "missing_here": len(environment["missing"])}
        for environment in session.office.environments.list()
    ]
    out.rows(rows, ["name", "title", "is_protected", "connections", "missing_here"], empty="there is none")


def run_missing(session: Session, args: Namespace, out: Output) -> None:
    found = next(
        (environment for environment in session.office.environments.list() if environment["name"] == args.name), None
    )
    if found is None:
        raise ArgumentTypeError(f'there is no environment "{args.name}"; see: rondine environment list')
    out.rows(found["missing"], ["where", "message", "hint"], empty="nothing is missing")


def _content(args: Namespace) -> dict[str, Any]:
    given = {"title": args.title, "description": args.description, "is_protected": args.protected}
    given["callback"] = getattr(args, "callback", None)
    ages = {"runs_days": args.keep_runs, "bodies_days": args.keep_bodies}
    return {name: value for name, value in given.items() if value is not None} | {
        name: value for name, value in ages.items() if value is not NOT_GIVEN
    }


def days(text: str) -> int | None:
    """A number of days, or None for ever."""
    if text == "ever":
        return None
    if text.isdecimal() and 1 <= int(text) <= 36_500:
        return int(text)
    raise ArgumentTypeError(f'"{text}" is neither a number of days, such as 30, nor the word ever')


def run_make(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.environments.make(args.name, **_content(args))
    out.value(
        made, f"environment {made['name']} is made; what is missing in it: rondine environment missing {made['name']}"
    )


def run_change(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.environments.change(args.name, **_content(args))
    kept = [f"{made[name] or 'ever'}{' days' if made[name] else ''}" for name in ("runs_days", "bodies_days")]
    is_protected = "protected" if made["is_protected"] else "not protected"
    words = f"environment {made['name']} is {is_protected}; it keeps runs for {kept[0]} and bodies for {kept[1]}"
    out.value(made, words)


def run_remove(session: Session, args: Namespace, out: Output) -> None:
    session.office.environments.remove(args.name)
    out.good(f"environment {args.name} is removed")


def run_value_set(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.standing_values.set_value(args.name, args.value, args.environment)
    users = ", ".join(f"{one['kind']} {one['name']}" for one in made["used_by"])
    out.value(made, f"{args.name} is {args.value} in {args.environment}" + (f"; used by {users}" if users else ""))
    show_problems(made, out)
    for warning in made["warnings"]:
        out.say(f"mind: {warning['message']} - {warning['hint']}")


def run_uses(session: Session, args: Namespace, out: Output) -> None:
    found = session.office.standing_values.get(args.name)["used_by"]
    out.rows(found, ["kind", "name"], empty="nothing uses it")


def run_credential_make(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.credentials.make(args.name, environment=args.environment)
    out.value(made, f"credential {made['name']} is made; give it its secret: rondine credential set {made['name']}")


def run_credential_set(session: Session, args: Namespace, out: Output) -> None:
    secrets: dict[str, str] = {}
    for pair in args.from_file:
        name, equals, path = pair.partition("=")
        if not equals:
            raise ArgumentTypeError(f"--from-file {pair}: write NAME=FILE, such as private_key=key.pem")
        secrets[name] = Path(path).read_text().strip()
    key_files = {}
    for pair in args.key_file:
        name, equals, path = pair.partition("=")
        if not equals:
            raise ArgumentTypeError(f"--key-file {pair}: write NAME=FILE, such as tls_private_key=client.p12")
        key_files[name] = (Path(path).read_bytes(), typed(f"passphrase of {path} (empty for none): "))
    for name in args.secret or ([] if secrets or key_files else ["key"]):
        secrets[name] = typed(f"{name}: ")
    made = session.office.credentials.set_secrets(
        args.name, is_second=args.second, origins=args.origins, key_files=key_files, **secrets
    )
    names = [*secrets, *key_files]
    out.good(
        f"the {'second ' if args.second else ''}{', '.join(names)} of {args.name}"
        f" {'is' if len(names) == 1 else 'are'} set, not shown again"
    )
    certificate = "".join(made["certificates"].values())
    if args.certificate_to and certificate:
        args.certificate_to.write_text(certificate)
        out.say(f"its certificate is in {args.certificate_to}; give it to the connection:")
        out.say(f"  rondine connection make NAME --service SERVICE --certificate {args.certificate_to}")
    elif args.certificate_to:
        out.bad("--certificate-to: no file of a key holds a certificate")
    elif certificate:
        out.say("the key's file holds a certificate too; with --certificate-to FILE it is written there")
    out.say(
        f"sent to {', '.join(made['origins'])} alone"
        if made["origins"]
        else "sent nowhere yet: no connection uses the credential"
    )


def typed(words: str) -> str:
    return getpass.getpass(words) if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")


def run_credential_permit(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.credentials.permit_origin(args.name, args.address)
    out.value(made, f"the secrets of {made['name']} may be sent to {', '.join(made['origins'])}")


def run_drop_second(session: Session, args: Namespace, out: Output) -> None:
    session.office.credentials.drop_second_secrets(args.name)
    out.good(f"{args.name} has one set of secrets again")


def run_obstacles(session: Session, args: Namespace, out: Output) -> int:
    found = session.office.obstacles()
    if out.as_json:
        out.rows(found, [], empty="")
        return 1 if found else 0
    for one in found:
        place = f" in {one['environment']}" if one["environment"] else ""
        out.out.print(f"[bold]{one['kind']} {one['name']}[/bold]{place}")
        for reason in one["reasons"]:
            out.out.print(f"  {reason['message']}" + (f" - {reason['hint']}" if reason["hint"] else ""), markup=False)
    if not found:
        out.good("everything that is set up can start")
    return 1 if found else 0
