"""Signing in and out, and the projects one belongs to."""

import getpass
import sys
from argparse import Namespace
from typing import Any

from rondine_cli import state
from rondine_cli.administration import add_project_verbs
from rondine_cli.output import Output
from rondine_cli.session import Session


def add_commands(commands: Any) -> None:
    login = commands.add_parser("login", help="sign in; the token is kept for later commands")
    login.add_argument("name", nargs="?", help="your name; asked for if left out")
    login.add_argument("--password-stdin", action="store_true", help="read the password from standard input")
    login.set_defaults(run=run_login)
    commands.add_parser("logout", help="end the token").set_defaults(run=run_logout)
    commands.add_parser("whoami", help="who is signed in, where, and what they may do").set_defaults(run=run_whoami)
    project = commands.add_parser("project", help="the projects you belong to").add_subparsers(
        required=True, metavar="VERB"
    )
    add_project_verbs(project)
    project.add_parser("list", help="list them").set_defaults(run=run_projects)
    checked = project.add_parser("check", help="everything that is not ready, or cannot start; exit status 1 if any is")
    checked.set_defaults(run=run_check)
    use = project.add_parser("use", help="keep one for later commands")
    use.add_argument("name")
    use.set_defaults(run=run_use)
    _add_naming(commands)


def _add_naming(commands: Any) -> None:
    naming = commands.add_parser("naming", help="the rule by which names are proposed").add_subparsers(
        required=True, metavar="VERB"
    )
    naming.add_parser("show", help="show it").set_defaults(run=run_naming)
    change = naming.add_parser("set", help="change it; what is left out is as usual, and nothing is renamed")
    change.add_argument("--separator", choices=["-", "_"], default="-", help="between the words of items' names")
    change.add_argument("--field-separator", choices=["-", "_"], default="_")
    change.add_argument("--service-first", action="store_true", help="operations and feeds begin with their service")
    change.add_argument("--feeds-begin", default="all", metavar="WORD", help="what feeds begin with; empty for nothing")
    change.set_defaults(run=run_set_naming)
    propose = naming.add_parser("propose", help="a name by the rule, and whether it is free")
    propose.add_argument("kind", help="service, operation, record type, mapping, feed, field ...")
    propose.add_argument("text", help="what it is called in words")
    propose.add_argument("--service", default="")
    propose.set_defaults(run=run_propose_name)


def run_naming(session: Session, args: Namespace, out: Output) -> None:
    rule = {"separator": "-", "field_separator": "_", "service_first": False, "feeds_begin": "all"}
    rule |= session.office.names.rule()
    out.value(rule, "\n".join(f"{name.replace('_', ' '):<16} {value}" for name, value in rule.items()))


def run_set_naming(session: Session, args: Namespace, out: Output) -> None:
    session.office.names.set_rule(
        separator=args.separator,
        field_separator=args.field_separator,
        service_first=args.service_first,
        feeds_begin=args.feeds_begin,
    )
    run_naming(session, args, out)


def run_propose_name(session: Session, args: Namespace, out: Output) -> int:
    found = session.office.names.propose(args.kind, args.text, service=args.service)
    taken = f" ({found['wanted']} is taken)" if found["is_taken"] else ""
    out.value(found, f"{found['name']}{taken}")
    return 0


def run_login(session: Session, args: Namespace, out: Output) -> None:
    name = args.name or input("name: ")
    password = sys.stdin.readline().rstrip("\n") if args.password_stdin else getpass.getpass("password: ")
    token = session.sign_in(name, password, "command line")
    projects = session.session()["projects"]
    state.write(
        {
            "url": session.url,
            "token": token,
            "name": name,
            "project": projects[0]["name"] if len(projects) == 1 else None,
        }
    )
    out.good(
        f"{name} is signed in at {session.url}"
        + (f", project {projects[0]['name']} ({projects[0]['role']})" if len(projects) == 1 else "")
    )


def run_logout(session: Session, args: Namespace, out: Output) -> None:
    session.sign_out()
    state.forget()
    out.good("signed out; the token is no longer good")


def run_whoami(session: Session, args: Namespace, out: Output) -> None:
    found = session.session()
    out.value(
        {name: value for name, value in found.items() if name != "csrf_token"},
        "\n".join(
            [
                f"{found['title']} ({found['name']}) at {session.url}"
                + (", administrator of this installation" if found["is_administrator"] else ""),
                *(
                    f"  {project['name']}: {project['role']}, may {', '.join(project['permissions'])}"
                    for project in found["projects"]
                ),
            ]
        ),
    )


def run_check(session: Session, args: Namespace, out: Output) -> int:
    columns = ["word", "name", "environment", "where", "message", "hint"]
    count = out.rows(session.office.check(), columns, empty="everything is ready")
    return 1 if count else 0


def run_projects(session: Session, args: Namespace, out: Output) -> None:
    out.rows(
        session.session()["projects"],
        ["name", "title", "role", "environments"],
        empty="you belong to no project; an administrator can add you",
    )


def run_use(session: Session, args: Namespace, out: Output) -> None:
    state.write({**state.read(), "project": args.name})
    out.good(f"commands are about {args.name} from now on")
