"""Signing in and out, and the projects one belongs to."""

import getpass
import sys
from argparse import Namespace
from typing import Any

from rondine_cli import state
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
    project.add_parser("list", help="list them").set_defaults(run=run_projects)
    use = project.add_parser("use", help="keep one for later commands")
    use.add_argument("name")
    use.set_defaults(run=run_use)


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
    found.pop("csrf_token")
    out.value(
        found,
        "\n".join(
            [
                f"{found['title']} ({found['name']}) at {session.url}",
                *(f"  {one['name']}: {one['role']}, may {', '.join(one['permissions'])}" for one in found["projects"]),
            ]
        ),
    )


def run_projects(session: Session, args: Namespace, out: Output) -> None:
    out.rows(
        session.session()["projects"],
        ["name", "title", "role", "environments"],
        empty="you belong to no project; an administrator can add you",
    )


def run_use(session: Session, args: Namespace, out: Output) -> None:
    state.write({**state.read(), "project": args.name})
    out.good(f"commands are about {args.name} from now on")
