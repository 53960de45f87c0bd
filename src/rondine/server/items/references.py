"""Who refers to whom: the references of documents, in one table for all kinds of items."""

from collections.abc import Collection, Iterable
from typing import Any

from django.db import models

from rondine.core.items.references import references
from rondine.core.settings import load
from rondine.server.items.kinds import KINDS, ItemKind
from rondine.server.items.models import Item, Reference

#: Items that refer to one, each with its kind.
Users = list[tuple[ItemKind, Item]]


def write_references(kind: ItemKind, items: Iterable[Any]) -> None:
    """Puts down what the documents of items refer to now."""
    items = list(items)
    Reference.objects.filter(user_id__in=[item.pk for item in items]).delete()
    Reference.objects.bulk_create(
        [
            Reference(
                project_id=item.project_id,
                user_kind=kind.name,
                user_id=item.pk,
                kind=reference.kind,
                name=reference.name,
                pointer=reference.pointer,
            )
            for item in items
            for reference in references(load(kind.document, item.document))
        ],
        batch_size=1000,
    )


def users_of(kind: ItemKind, projects: Collection[Any], names: Collection[str]) -> dict[str, Users]:
    """The items whose documents refer to items of a kind, by the name they refer to; of these projects. Each once, in
    the order of kinds and names."""
    users: dict[str, Users] = {name: [] for name in names}
    rows = Reference.objects.filter(project__in=projects, kind=kind.name, name__in=users)
    ids: dict[str, dict[Any, set[str]]] = {}
    for user_kind, user_id, name in rows.values_list("user_kind", "user_id", "name").distinct():
        ids.setdefault(user_kind, {}).setdefault(user_id, set()).add(name)
    for other in KINDS.values():
        wanted = ids.get(other.name, {})
        found = other.model._default_manager.select_related(*other.references).filter(pk__in=wanted)
        for item in found.order_by("name") if wanted else ():
            for name in wanted[item.pk]:
                users[name].append((other, item))
    return users


def counts_of_members(model: type[models.Model], items: Collection[Any]) -> dict[Any, dict[str, int]]:
    """How many items of each kind belong to each of these, such as operations to a service, by their ids and the names
    of kinds; kinds that none belongs to are left out."""
    counts: dict[Any, dict[str, int]] = {item.pk: {} for item in items}
    for kind in KINDS.values():
        for field in kind.fields_for(model):
            rows = kind.model._default_manager.filter(**{f"{field}__in": list(counts)})
            for owner, count in rows.values_list(field).annotate(models.Count("pk")):
                counts[owner][kind.name] = count
    return counts


def refresh_problems(kind: ItemKind, items: Iterable[Any]) -> None:
    """Looks again at items that something else has changed; their version stays."""
    for item in items:
        problems = [problem.to_json() for problem in kind.problems(item)]
        if problems != item.problems:
            kind.model._default_manager.filter(pk=item.pk).update(problems=problems)


def refresh_users(kind: ItemKind, items: Iterable[Any]) -> None:
    """Looks again at what refers to changed items of one project, and at what refers to that."""
    changed: dict[str, list[Any]] = {kind.name: list(items)}
    seen = {item.pk for item in changed[kind.name]}
    while changed:
        name, its_items = changed.popitem()
        users = users_of(KINDS[name], {item.project_id for item in its_items}, {item.name for item in its_items})
        for user_kind, user in (pair for pairs in users.values() for pair in pairs):
            if user.pk not in seen:
                seen.add(user.pk)
                refresh_problems(user_kind, [user])
                changed.setdefault(user_kind.name, []).append(user)
