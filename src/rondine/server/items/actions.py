"""Making, changing and renaming items: one way for all kinds, each change a revision."""

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from django.db import IntegrityError, transaction

from rondine.core.errors import Conflict, InputError, NotAllowed, NotFound, Stale, VersionNeeded, did_you_mean
from rondine.core.items.references import renamed
from rondine.core.names import check_name
from rondine.core.settings import dump, load
from rondine.server.access.models import Person, Project
from rondine.server.items.kinds import ItemKind
from rondine.server.items.models import Item, Revision
from rondine.server.items.references import refresh_users, users_of, write_references


def find_item(kind: ItemKind, project: Project, name: str) -> Any:
    """Raises NotFound, with the nearest name."""
    found = kind.model._default_manager.select_related(*kind.references).filter(project=project, name=name).first()
    if found is None:
        names = kind.model._default_manager.filter(project=project).values_list("name", flat=True)[:1000]
        raise NotFound(
            f'there is no {kind.word} "{name}"',
            where=f"{kind.name} of {project.name}",
            hint=did_you_mean(name, names) or f"make it first: {kind.command}",
        )
    return found


def make_item(
    kind: ItemKind,
    project: Project,
    person: Person | None,
    data: Mapping[str, Any],
    *,
    role: str | None = None,
    **attributes: Any,
) -> Any:
    """data: name, title, document, references by name, why.  attributes: what the kind's model has besides.  role: of
    the person, None for Rondine itself.

    Raises InputError for a wrong shape, Conflict for a taken name."""
    item = kind.model(project=project, name=check_name(data["name"]), title=data.get("title") or "", **attributes)
    _fill(kind, item, project, data, is_new=True)
    check_protected(kind.environments(item, None), role)
    with transaction.atomic():
        _judge(kind, item, person, role)
        _save(kind, item)
        record_change(kind, item, "made", person, data.get("why", ""))
        kind.made(item, person, role)
    return item


def make_items(
    kind: ItemKind,
    project: Project,
    person: Person | None,
    data: Sequence[Mapping[str, Any]],
    *,
    role: str | None = None,
) -> list[Any]:
    """Many at once, as an import makes them: two statements instead of several for each. All of them are made, or none.

    Raises what `make_item` raises; of a taken name the first."""
    if not data:
        return []
    names = [check_name(one["name"]) for one in data]
    there = kind.model._default_manager.filter(project=project, name__in=names).values_list("name", flat=True)
    doubled = [name for name, count in Counter(names).items() if count > 1]
    for name in (*there, *doubled):
        raise _taken(kind, name)
    items = []
    found: dict[tuple[str, Any], Any] = {}
    for one in data:
        item = kind.model(project=project, name=one["name"], title=one.get("title") or "")
        _fill(kind, item, project, one, is_new=True, known=found)
        items.append(item)
    check_protected([environment for item in items for environment in kind.environments(item, None)], role)
    with transaction.atomic():
        for item in items:
            _judge(kind, item, person, role)
        kind.model._default_manager.bulk_create(items, batch_size=500)
        _settle(kind, items)
        Revision.objects.bulk_create(
            [_revision(kind, item, "made", person, one.get("why", "")) for item, one in zip(items, data, strict=True)],
            batch_size=500,
        )
    return items


def change_item(
    kind: ItemKind,
    project: Project,
    person: Person | None,
    name: str,
    data: Mapping[str, Any],
    version: int | None,
    *,
    role: str | None = None,
) -> Any:
    """What is changed to what it is already stays at its version. version: the one the caller has seen; None is refused
    (VersionNeeded), another than the present one too (Stale, with the state now)."""
    with transaction.atomic():
        item = locked_item(kind, project, name, version)
        old, before, content = item.name, item.document, _content(kind, item)
        touched = kind.environments(item, before)
        if "name" in data:
            item.name = check_name(data["name"])
        if "title" in data:
            item.title = data["title"]
        _fill(kind, item, project, data, is_new=False)
        check_protected([*touched, *kind.environments(item, before)], role)
        _judge(kind, item, person, role)
        is_changed = item.name != old or _content(kind, item) != content
        item.version += is_changed
        _save(kind, item)
        if item.name != old:
            kind.renamed(item, old)
            _rename_references(kind, item, old, person)
        if is_changed:
            record_change(kind, item, "changed", person, data.get("why", ""))
    return item


def _rename_references(kind: ItemKind, item: Item, old: str, person: Person | None) -> None:
    """Every document that refers to the item by its name gets the new one, as a version of its own."""
    for other, user in users_of(kind, [item.project_id], [old])[old]:
        user.document = dump(renamed(load(other.document, user.document), kind.name, old, item.name))
        if user.pk == item.pk:  # it refers to itself, and is recorded by who renamed it
            item.document = user.document
            _save(kind, item)
            continue
        user.version += 1
        user.problems = [problem.to_json() for problem in other.problems(user)]
        _save(other, user)
        record_change(other, user, "changed", person, f'{kind.word} "{old}" is called "{item.name}" now')


def check_protected(environments: list[Any], role: str | None) -> None:
    """Raises NotAllowed if one is protected and the role is not administrator. None is Rondine itself."""
    for environment in environments:
        if environment.is_protected and role not in (None, "administrator"):
            raise NotAllowed(
                f'environment "{environment.name}" is protected: as {role} you may not change what is in it',
                where=f"environment {environment.name}",
                hint="ask somebody who is administrator",
            )


def locked_item(kind: ItemKind, project: Project, name: str, version: int | None) -> Any:
    """For a change. Raises VersionNeeded without a version, Stale for another than the present one."""
    find_item(kind, project, name)
    item = (
        kind.model._default_manager.select_for_update(of=("self",))
        .select_related(*kind.references)
        .get(project=project, name=name)
    )
    if version is None:
        raise VersionNeeded(
            "the request does not say which version it changes",
            where="If-Match",
            hint=f'send If-Match: "{item.version}" after reading the item',
        )
    if version != item.version:
        stale = Stale(
            f'{kind.word} "{name}" was changed meanwhile: it is at version {item.version}, you have seen {version}',
            where="If-Match",
            hint="look at the difference and save again",
        )
        stale.current = item  # type: ignore[attr-defined]
        raise stale
    return item


def _fill(
    kind: ItemKind,
    item: Any,
    project: Project,
    data: Mapping[str, Any],
    *,
    is_new: bool,
    known: dict[tuple[str, Any], Any] | None = None,
) -> None:
    """known: references found before, by field and name."""
    known = {} if known is None else known
    for name, model in kind.references.items():
        if name not in data or (data[name] is None and name not in kind.optional):
            if is_new and name not in kind.optional:
                raise InputError(f"a {kind.word} needs its {name}", where=f"/{name}", hint="give it by name")
            continue
        found = None
        if data[name] is not None and (found := known.get((name, data[name]))) is None:
            found = model._default_manager.filter(project=project, name=data[name]).first()
            if found is None:
                names = model._default_manager.filter(project=project).values_list("name", flat=True)[:1000]
                near = did_you_mean(str(data[name]), names)
                word = str(model._meta.verbose_name)
                make = f"make it: rondine {word.replace(' ', '-')} make {data[name]}"
                raise InputError(
                    f'there is no {word} "{data[name]}"', where=f"/{name}", hint=f"{near}; {make}" if near else make
                )
            known[name, data[name]] = found
        setattr(item, name, found)
    if is_new or "document" in data:
        item.document = dump(load(kind.document, data.get("document") or {}, where="/document"))


def _judge(kind: ItemKind, item: Any, person: Person | None, role: str | None) -> None:
    """What keeps it from running, after what this person may let it do."""
    kind.admitted(item, person, role)
    item.problems = [problem.to_json() for problem in kind.problems(item)]


def _save(kind: ItemKind, item: Any) -> None:
    try:
        with transaction.atomic():
            item.save()
    except IntegrityError as error:
        if "a_service_and_environment" in str(error):
            raise Conflict(
                f'service "{item.service}" has a connection in "{item.environment}" already',
                where="/environment",
                hint="change that one",
            ) from error
        raise _taken(kind, item.name) from error
    _settle(kind, [item])


def _settle(kind: ItemKind, items: Sequence[Any]) -> None:
    """What follows when items of one project were saved."""
    write_references(kind, items)
    kind.changed(items)
    refresh_users(kind, items)


def _taken(kind: ItemKind, name: str) -> Conflict:
    return Conflict(
        f'the {kind.word} "{name}" is there already', where="/name", hint="take another name, or change that one"
    )


def record_change(kind: ItemKind, item: Any, what: str, person: Person | None, why: str) -> None:
    _revision(kind, item, what, person, why).save(force_insert=True)


def _content(kind: ItemKind, item: Any) -> dict[str, Any]:
    references = {name: str(getattr(item, name)) if getattr(item, name) else None for name in kind.references}
    return {"title": item.title, "document": item.document, **references}


def _revision(kind: ItemKind, item: Any, what: str, person: Person | None, why: str) -> Revision:
    content = {"title": item.title, "document": item.document} if what == "removed" else _content(kind, item)
    return Revision(
        project=item.project,
        kind=kind.name,
        item_id=item.pk,
        name=item.name,
        version=item.version,
        content=content,
        what=what,
        why=why[:500],
        by=person,
    )
