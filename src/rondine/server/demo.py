"""The demo world: Olmara's tree office, its people, and leave to reach the stand-ins on loopback. Safe to run again."""

import secrets
from collections.abc import Sequence
from pathlib import Path

from django.db import transaction

from rondine.server.access.actions import change_person, make_project
from rondine.server.access.models import Membership, PermittedHost, Person, Project

PEOPLE = (
    ("mira", "Mira", "builder"),
    ("odo", "Odo", "operator"),
    ("vela", "Vela", "viewer"),
    ("ada", "Ada", "administrator"),
)
PROJECT = ("olmara", "Olmara tree office")
_WORDS = (
    "alder",
    "bark",
    "cone",
    "elm",
    "fern",
    "grove",
    "hazel",
    "ivy",
    "larch",
    "moss",
    "oak",
    "pine",
    "root",
    "seed",
    "twig",
    "willow",
)


def make_demo(ports: Sequence[int], people_file: Path) -> dict[str, str]:
    """Makes what is missing; returns the names and passwords of all people. ports: the stand-ins', on loopback."""
    passwords = read_people(people_file)
    with transaction.atomic():
        project = Project.objects.filter(name=PROJECT[0]).first() or make_project(PROJECT[0], title=PROJECT[1])
        for name, title, role in PEOPLE:
            person = Person.objects.filter(name=name).first()
            if person is None or name not in passwords:
                passwords[name] = "-".join(secrets.choice(_WORDS) for _ in range(4)) + f"-{secrets.randbelow(1000):03d}"
            if person is None:
                person = Person.objects.create_person(name, passwords[name], title)
            elif not person.check_password(passwords[name]):
                person.set_password(passwords[name])
                person.save()
            Membership.objects.get_or_create(person=person, project=project, defaults={"role": role})
            if role == "administrator" and not person.is_administrator:
                change_person(person, is_administrator=True)
        for port in ports:
            PermittedHost.objects.get_or_create(
                project=project, host="127.0.0.1", port=port, defaults={"is_private": True}
            )
    people_file.parent.mkdir(parents=True, exist_ok=True)
    people_file.touch(mode=0o600)
    roles = {name: role for name, _, role in PEOPLE}
    people_file.write_text(
        "".join(f"{name} {password} {roles.get(name, '')}\n" for name, password in passwords.items())
    )
    return passwords


def read_people(path: Path) -> dict[str, str]:
    lines = path.read_text().splitlines() if path.exists() else []
    return {parts[0]: parts[1] for line in lines if len(parts := line.split()) >= 2}
