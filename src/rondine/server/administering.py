"""`rondine-server person` and `project`: the first people and projects of an installation, without anybody to ask for
leave."""

import argparse
import getpass
import sys
from typing import Any


def add_commands(commands: Any) -> None:
    person = commands.add_parser("person", help="the people of this installation").add_subparsers(
        required=True, metavar="VERB"
    )
    make = person.add_parser("make", help="make one; the password is asked for, or made up where nobody can be asked")
    make.add_argument("name", help="small letters, digits, - and _")
    make.add_argument("--title", default="", help="how they are shown (default: the name)")
    make.add_argument("--administrator", action="store_true", help="of this installation: makes people and projects")
    _add_password(make)
    make.set_defaults(run=_run(run_make_person))
    person.add_parser("list", help="list them").set_defaults(run=_run(run_list_people))
    password = person.add_parser("password", help="set somebody's password; ends their sessions and tokens")
    password.add_argument("name")
    _add_password(password)
    password.set_defaults(run=_run(run_password))
    change = person.add_parser("change", help="close or open somebody's account, make them administrator or not")
    change.add_argument("name")
    change.add_argument("--title")
    change.add_argument("--active", action=argparse.BooleanOptionalAction, help="whether they can sign in")
    change.add_argument("--administrator", action=argparse.BooleanOptionalAction, help="of this installation")
    change.set_defaults(run=_run(run_change_person))

    project = commands.add_parser("project", help="the projects of this installation").add_subparsers(
        required=True, metavar="VERB"
    )
    make = project.add_parser("make", help="make an empty one")
    make.add_argument("name", help="small letters, digits, - and _")
    make.add_argument("--title", default="", help="how it is shown (default: the name)")
    make.add_argument("--administrator", required=True, metavar="PERSON", help="who decides about it")
    make.set_defaults(run=_run(run_make_project))
    project.add_parser("list", help="list them with their members").set_defaults(run=_run(run_list_projects))
    member = project.add_parser("member", help="give somebody a role in one")
    member.add_argument("project")
    member.add_argument("person")
    member.add_argument("role", choices=["viewer", "operator", "builder", "administrator", "none"])
    member.set_defaults(run=_run(run_member))


def _add_password(parser: argparse.ArgumentParser) -> None:
    how = parser.add_mutually_exclusive_group()
    how.add_argument("--password-stdin", action="store_true", help="read it from standard input")
    how.add_argument("--make-password", action="store_true", help="make one up and print it")


def _run(action: Any) -> Any:
    """With Django set up; an error that Rondine names ends the command with 1."""

    def run(args: argparse.Namespace) -> None:
        import django

        django.setup()
        from django.db import DatabaseError

        from rondine.core.errors import RondineError, sentence

        try:
            action(args)
        except RondineError as error:
            sys.exit(f"{error.where}: {error.message}. {sentence(error.hint)}".strip())
        except DatabaseError as error:
            sys.exit(
                f"the database does not take it: {' '.join(str(error).split())}. Is RONDINE_DATABASE right, and did"
                " rondine-server prepare run?"
            )

    return run


def _password(args: argparse.Namespace) -> str | None:
    """The password that was given; None if one is to be made up."""
    if args.password_stdin:
        return sys.stdin.readline().rstrip("\n")
    if args.make_password or not sys.stdin.isatty():
        return None
    first = getpass.getpass(f"password for {args.name}: ")
    if getpass.getpass("once more: ") != first:
        sys.exit("the two are not the same; nothing was changed")
    return first


def run_make_person(args: argparse.Namespace) -> None:
    from rondine.server.access.actions import make_person

    given = _password(args)
    person, password = make_person(args.name, given, title=args.title, is_administrator=args.administrator)
    print(f"{person.name} is made{', an administrator of this installation' if person.is_administrator else ''}")
    if given is None:
        print(f"password: {password}")


def run_list_people(args: argparse.Namespace) -> None:
    from rondine.server.access.models import Person

    for person in Person.objects.prefetch_related("memberships__project").order_by("name"):
        roles = ", ".join(f"{m.project.name}: {m.role}" for m in person.memberships.all())
        notes = ["administrator"] * person.is_administrator + ["closed"] * (not person.is_active)
        print(f"{person.name:<20} {person.title:<24} {' '.join(notes):<14} {roles or 'no project'}".rstrip())


def run_password(args: argparse.Namespace) -> None:
    from rondine.server.access.actions import find_person, set_password

    person, given = find_person(args.name), _password(args)
    password = set_password(person, given)
    print(f"the password of {person.name} is set; sessions and tokens have ended")
    if given is None:
        print(f"password: {password}")


def run_change_person(args: argparse.Namespace) -> None:
    from rondine.server.access.actions import change_person, find_person

    given = {"title": args.title, "is_active": args.active, "is_administrator": args.administrator}
    values = {name: value for name, value in given.items() if value is not None}
    if not values:
        sys.exit("nothing to change: give --title, --active, --no-active, --administrator or --no-administrator")
    person = change_person(find_person(args.name), **values)
    print(
        f"{person.name} ({person.title}) {'can sign in' if person.is_active else 'cannot sign in any more'}"
        f"{', administrator of this installation' if person.is_administrator else ''}"
    )


def run_make_project(args: argparse.Namespace) -> None:
    from rondine.server.access.actions import find_person, make_project

    project = make_project(args.name, title=args.title, administrator=find_person(args.administrator))
    environments = ", ".join(sorted(environment.name for environment in project.environments.all()))
    print(f"{project.name} is made, with the environments {environments}; {args.administrator} is its administrator")


def run_list_projects(args: argparse.Namespace) -> None:
    from rondine.server.access.models import Project

    for project in Project.objects.prefetch_related("memberships__person").order_by("name"):
        members = ", ".join(f"{m.person.name} ({m.role})" for m in project.memberships.all())
        print(f"{project.name:<20} {project.title:<30} {members or 'nobody'}")


def run_member(args: argparse.Namespace) -> None:
    from rondine.core.errors import NotFound, did_you_mean
    from rondine.server.access.actions import find_person, remove_member, set_member
    from rondine.server.access.models import Project

    project = Project.objects.filter(name=args.project).first()
    if project is None:
        names = Project.objects.values_list("name", flat=True)
        raise NotFound(f'there is no project "{args.project}"', where="project", hint=did_you_mean(args.project, names))
    person = find_person(args.person)
    if args.role == "none":
        remove_member(project, person)
        print(f"{person.name} is not a member of {project.name} any more")
    else:
        set_member(project, person, args.role)
        print(f"{person.name} is {args.role} in {project.name}")
