"""People, projects and their members, tokens, one's own password."""

import getpass
import sys
from argparse import ArgumentParser, BooleanOptionalAction, Namespace
from typing import Any

from rondine_cli.output import Output
from rondine_cli.session import Session

ROLES = ("viewer", "operator", "builder", "administrator")


def add_commands(commands: Any) -> None:
    _add_people(commands)
    _add_members(commands)
    _add_tokens(commands)
    password = commands.add_parser("password", help="change your own password; ends your sessions and other tokens")
    password.add_argument("--stdin", action="store_true", help="read the old and the new one, a line each")
    password.set_defaults(run=run_own_password)


def _add_people(commands: Any) -> None:
    person = commands.add_parser("person", help="the people of this installation (its administrators)").add_subparsers(
        required=True, metavar="VERB"
    )
    person.add_parser("list", help="list them").set_defaults(run=run_people)
    make = person.add_parser("make", help="make one; a password is made up unless one is given")
    make.add_argument("name")
    make.add_argument("--title", help="how they are shown (default: the name)")
    make.add_argument("--administrator", action="store_true", help="of this installation: makes people and projects")
    _add_password(make)
    make.set_defaults(run=run_make_person)
    change = person.add_parser("change", help="close or open an account, make somebody administrator or not")
    change.add_argument("name")
    change.add_argument("--title")
    change.add_argument("--active", action=BooleanOptionalAction, help="whether they can sign in")
    change.add_argument("--administrator", action=BooleanOptionalAction, help="of this installation")
    change.set_defaults(run=run_change_person)
    password = person.add_parser("password", help="set somebody's password; ends their sessions and tokens")
    password.add_argument("name")
    _add_password(password)
    password.set_defaults(run=run_reset_password)


def _add_password(parser: ArgumentParser) -> None:
    parser.add_argument("--password-stdin", action="store_true", help="read the password from standard input")


def _add_members(commands: Any) -> None:
    member = commands.add_parser("member", help="who belongs to the project (its administrators)").add_subparsers(
        required=True, metavar="VERB"
    )
    member.add_parser("list", help="list them").set_defaults(run=run_members)
    put = member.add_parser("set", help="give somebody a role in it")
    put.add_argument("person")
    put.add_argument("role", choices=ROLES)
    put.set_defaults(run=run_set_member)
    remove = member.add_parser("remove", help="take somebody out of it")
    remove.add_argument("person")
    remove.set_defaults(run=run_remove_member)


def _add_tokens(commands: Any) -> None:
    token = commands.add_parser("token", help="the tokens by which programs act as you").add_subparsers(
        required=True, metavar="VERB"
    )
    listed = token.add_parser("list", help="list them, with their last use")
    _add_of(listed)
    listed.set_defaults(run=run_tokens)
    make = token.add_parser("make", help="make another; it is printed once")
    make.add_argument("title", help="what it is for")
    make.add_argument("--days", type=int, help="how long it lasts (default: 90, or as long as the token in use)")
    make.set_defaults(run=run_make_token)
    revoke = token.add_parser("revoke", help="end one")
    revoke.add_argument("id", type=int, help="as 'rondine token list' shows it")
    _add_of(revoke)
    revoke.set_defaults(run=run_revoke_token)


def _add_of(parser: ArgumentParser) -> None:
    parser.add_argument("--of", metavar="PERSON", help="somebody else's (administrators of the installation)")


def add_project_verbs(project: Any) -> None:
    """The verbs of `rondine project` that make and change projects."""
    make = project.add_parser("make", help="make an empty one (administrators of the installation)")
    make.add_argument("name")
    make.add_argument("--title", default="", help="how it is shown (default: the name)")
    make.set_defaults(run=run_make_project)
    change = project.add_parser("change", help="show it under another title")
    change.add_argument("name")
    change.add_argument("--title", required=True)
    change.set_defaults(run=run_change_project)
    remove = project.add_parser("remove", help="remove an empty one")
    remove.add_argument("name")
    remove.set_defaults(run=run_remove_project)


def run_people(session: Session, args: Namespace, out: Output) -> None:
    people = (
        {**one, "belongs_to": ", ".join(f"{role['project']}: {role['role']}" for role in one["projects"])}
        for one in session.people.list()
    )
    columns = ["name", "title", "is_active", "is_administrator", "belongs_to", "tokens", "last_login"]
    out.rows(people, columns, empty="there is nobody")


def run_make_person(session: Session, args: Namespace, out: Output) -> None:
    content: dict[str, Any] = {"is_administrator": args.administrator}
    if args.title:
        content["title"] = args.title
    if args.password_stdin:
        content["password"] = sys.stdin.readline().rstrip("\n")
    made = session.people.make(args.name, **content)
    password = f"\npassword: {made['made_password']}" if made["made_password"] else ""
    out.value(made, f"{made['name']} can sign in{password}")
    out.say(f"  next: rondine --project PROJECT member set {made['name']} {'|'.join(ROLES)}")


def run_change_person(session: Session, args: Namespace, out: Output) -> int:
    given = {"title": args.title, "is_active": args.active, "is_administrator": args.administrator}
    content = {name: value for name, value in given.items() if value is not None}
    if not content:
        out.bad("nothing to change: give --title, --active, --no-active, --administrator or --no-administrator")
        return 2
    changed = session.people.change(args.name, **content)
    out.value(
        changed,
        f"{changed['name']} ({changed['title']}) {'can sign in' if changed['is_active'] else 'cannot sign in any more'}"
        f"{', administrator of this installation' if changed['is_administrator'] else ''}",
    )
    return 0


def run_reset_password(session: Session, args: Namespace, out: Output) -> None:
    made = session.people.reset_password(args.name, sys.stdin.readline().rstrip("\n") if args.password_stdin else None)
    out.value({"made_password": made}, f"password: {made}" if made else "the password is set")
    out.say(f"  the sessions and tokens of {args.name} have ended")


def run_own_password(session: Session, args: Namespace, out: Output) -> int:
    if args.stdin:
        old, new = (sys.stdin.readline().rstrip("\n") for _ in range(2))
    else:
        old, new = getpass.getpass("password up to now: "), getpass.getpass("new password: ")
        if getpass.getpass("once more: ") != new:
            out.bad("the two are not the same; nothing was changed")
            return 1
    session.change_password(old, new)
    out.good("your password is changed; your sessions and other tokens have ended")
    return 0


def run_members(session: Session, args: Namespace, out: Output) -> None:
    columns = ["name", "title", "role", "is_active"]
    out.rows(session.office.members.list(), columns, empty="nobody belongs to this project")


def run_set_member(session: Session, args: Namespace, out: Output) -> None:
    made = session.office.members.set(args.person, args.role)
    out.value(made, f"{made['name']} is {made['role']} in {session.office.name}")


def run_remove_member(session: Session, args: Namespace, out: Output) -> None:
    session.office.members.remove(args.person)
    out.good(f"{args.person} is not a member of {session.office.name} any more")


def run_tokens(session: Session, args: Namespace, out: Output) -> None:
    tokens = session.people.tokens(args.of) if args.of else session.tokens
    out.rows(tokens.list(), ["id", "title", "made_at", "used_at", "expires_at"], empty="there is no token")


def run_make_token(session: Session, args: Namespace, out: Output) -> None:
    made = session.tokens.make(args.title, **({"days": args.days} if args.days is not None else {}))
    out.value(made, made["token"])
    out.say(f"  it acts as you until {made['expires_at'] or 'it is revoked'}, and is not shown again")


def run_revoke_token(session: Session, args: Namespace, out: Output) -> None:
    (session.people.tokens(args.of) if args.of else session.tokens).revoke(args.id)
    out.good(f"token {args.id} is no longer good")


def run_make_project(session: Session, args: Namespace, out: Output) -> None:
    made = session.projects.make(args.name, args.title)
    out.value(made, f"{made['name']} is made, and you are its administrator")
    out.say(f"  next: rondine project use {made['name']}; rondine host permit HOST")


def run_change_project(session: Session, args: Namespace, out: Output) -> None:
    changed = session.projects.change(args.name, title=args.title)
    out.value(changed, f"{changed['name']} is shown as {changed['title']}")


def run_remove_project(session: Session, args: Namespace, out: Output) -> None:
    session.projects.remove(args.name)
    out.good(f"{args.name} is removed")
