"""Making and changing people, projects and memberships: for the API and for `rondine-server` alike."""

import secrets
from collections.abc import Callable
from typing import Any, TypeVar

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import Q

from rondine.core.errors import Conflict, InputError, NotFound, did_you_mean
from rondine.core.names import check_name
from rondine.server.access.models import ApiToken, Membership, PermittedHost, Person, Project

T = TypeVar("T")
#: What every project begins with.
ENVIRONMENTS = ("test", "live")


def make_person(
    name: str, password: str | None, *, title: str = "", is_administrator: bool = False
) -> tuple[Person, str]:
    """The person and their password, which is made up if it is None. Raises InputError for a weak one, Conflict for a
    taken name."""
    check_name(name)
    password = made_up_password() if password is None else password
    with transaction.atomic():
        _lock_people()
        if Person.objects.filter(name=name).exists():
            raise Conflict(f'there is a person "{name}" already', where="/name", hint="choose another name")
        check_strength(password, Person(name=name, title=title))
        person = Person.objects.create_person(name, password, title)
        if is_administrator:
            person.is_administrator = True
            person.save(update_fields=["is_administrator"])
    return person, password


def set_password(person: Person, password: str | None, *, keep: ApiToken | None = None) -> str:
    """Sets it, or one that is made up, and ends the person's sessions and tokens, but for `keep`. Returns the
    password."""
    password = made_up_password() if password is None else password
    check_strength(password, person)
    with transaction.atomic():
        person.set_password(password)
        person.save(update_fields=["password"])  # sessions hold a digest of it, and end with it
        tokens = person.tokens.all() if keep is None else person.tokens.exclude(pk=keep.pk)
        tokens.delete()
    return password


def check_strength(password: str, person: Person) -> None:
    """Raises InputError with every reason why the password is too weak."""
    try:
        validate_password(password, person)
    except ValidationError as error:
        raise InputError(
            " ".join(error.messages), where="/password", hint="take a longer one, such as four or five words"
        ) from None


def made_up_password() -> str:
    return "-".join(secrets.token_hex(3) for _ in range(4))


def change_person(person: Person, **values: Any) -> Person:
    """values: title, is_active, is_administrator. Raises Conflict if nobody would be left who makes people."""
    with transaction.atomic():
        _lock_people()
        person.refresh_from_db()
        for name, value in values.items():
            setattr(person, name, value)
        person.save(update_fields=list(values))
        if not Person.objects.filter(is_administrator=True, is_active=True).exists():
            raise Conflict(
                f"{person.name} is the last administrator of this installation",
                where="/is_administrator",
                hint="make somebody else one first",
            )
        if not person.is_active:
            person.tokens.all().delete()
    return person


def make_project(name: str, *, title: str = "", administrator: Person | None = None) -> Project:
    """An empty project with its environments. Raises Conflict for a taken name."""
    check_name(name)
    with transaction.atomic():
        _lock_people()
        if Project.objects.filter(name=name).exists():
            raise Conflict(f'there is a project "{name}" already', where="/name", hint="choose another name")
        project = Project.objects.create(name=name, title=title or name)
        for environment in ENVIRONMENTS:
            project.environments.create(name=environment)
        if administrator is not None:
            Membership.objects.create(person=administrator, project=project, role="administrator")
    return project


def remove_project(project: Project) -> None:
    """Raises Conflict as long as anything was made in it: what is in a project is removed by name, never on the
    side."""
    with transaction.atomic():
        Project.objects.select_for_update().get(pk=project.pk)
        counts = {}
        relations: list[Any] = Project._meta.get_fields(include_hidden=True)  # items have no name for the way back
        for relation in relations:
            if not relation.one_to_many:
                continue
            model = relation.related_model
            if model in (Membership, PermittedHost) or model._meta.model_name in ("environment", "revision", "release"):
                continue  # what every project has, and what was removed in it before
            if count := model.objects.filter(**{relation.field.name: project}).count():
                counts[str(model._meta.verbose_name_plural)] = count
        if counts:
            raise Conflict(
                f"{project.name} is not empty:"
                f" {', '.join(f'{count} {name}' for name, count in sorted(counts.items()))}",
                where="project",
                hint="remove what is in it first",
            )
        project.delete()


def set_member(project: Project, person: Person, role: str) -> Membership:
    """Gives a person a role in a project. Raises Conflict if the project would be left without an administrator."""
    return _keeping_an_administrator(
        project,
        lambda: Membership.objects.update_or_create(project=project, person=person, defaults={"role": role})[0],
    )


def remove_member(project: Project, person: Person) -> None:
    """Raises NotFound, or Conflict as `set_member` does."""
    if not Membership.objects.filter(project=project, person=person).exists():
        raise NotFound(
            f"{person.name} is not a member of {project.name}", where="members", hint="see who is: rondine member list"
        )
    _keeping_an_administrator(project, Membership.objects.filter(project=project, person=person).delete)


def _keeping_an_administrator(project: Project, change: Callable[[], T]) -> T:
    with transaction.atomic():
        Project.objects.select_for_update().get(pk=project.pk)
        administrators = Q(role="administrator", person__is_active=True)
        had_one = project.memberships.filter(administrators).exists()
        result = change()
        if had_one and not project.memberships.filter(administrators).exists():
            raise Conflict(
                f"{project.name} would have no administrator",
                where="/role",
                hint="make somebody else administrator first",
            )
    return result


def find_person(name: str, where: str = "person") -> Person:
    """Raises NotFound with the nearest name."""
    person = Person.objects.filter(name=name).first()
    if person is None:
        names = Person.objects.values_list("name", flat=True)
        raise NotFound(
            f'there is no person "{name}"', where=where, hint=did_you_mean(name, names) or "see who there is"
        )
    return person


def _lock_people() -> None:
    """One change of people and projects at a time, so that what was checked stays true."""
    list(Person.objects.select_for_update().order_by("pk").values_list("pk", flat=True))
