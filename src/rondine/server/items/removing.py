"""Removing items: never what something still uses, and what belongs to one only when that was asked for."""

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

from django.db import models, transaction

from rondine.core.errors import Conflict
from rondine.server.access.models import Person, Project
from rondine.server.items.actions import check_protected, locked_item, record_change
from rondine.server.items.kinds import HOLDERS, KINDS, ItemKind
from rondine.server.items.models import Reference
from rondine.server.items.references import users_of


def remove_item(
    kind: ItemKind,
    project: Project,
    person: Person | None,
    name: str,
    version: int | None,
    *,
    with_its_items: bool = False,
    role: str | None = None,
) -> None:
    """with_its_items: removes what belongs to it too, such as the operations of a service; each as if it were removed
    alone. All of it goes, or nothing.

    Raises Conflict if something else still uses one of them, or if items belong to it and are not to go."""
    with transaction.atomic():
        item = locked_item(kind, project, name, version)
        going = [(kind, item), *_belonging(kind, item)]
        more = Counter(its_kind.name for its_kind, _ in going[1:] if its_kind.name not in kind.owns)
        if more and not with_its_items:
            told = [f"{count} {KINDS[its].name if count > 1 else KINDS[its].word}" for its, count in more.items()]
            raise Conflict(
                f'{kind.word} "{name}" has {", ".join(told)}',
                where=name,
                hint=f"remove these first, or all together: rondine {kind.word.replace(' ', '-')} remove {name} "
                "--with-its-items",
            )
        ids = [its_item.pk for _, its_item in going]
        check_protected([one for its_kind, its_item in going for one in its_kind.environments(its_item, None)], role)
        for its in dict.fromkeys(its_kind.name for its_kind, _ in going):
            _check_unused(KINDS[its], [one for its_kind, one in going if its_kind.name == its], set(ids))
        try:
            item.delete()
        except (models.ProtectedError, models.RestrictedError) as error:
            objects = next(iter(error.args[1:]), ())
            holders = sorted({f"{type(one)._meta.verbose_name} {one}" for one in objects})
            raise _used(kind, name, holders or ["something"]) from error
        Reference.objects.filter(user_id__in=ids).delete()
        for number, (its_kind, its_item) in enumerate(going):
            its_item.pk = ids[number]  # which Django has taken away
            its_item.version += 1
            record_change(its_kind, its_item, "removed", person, f"with {kind.word} {name}" if number else "")


def _belonging(kind: ItemKind, item: Any) -> list[tuple[ItemKind, Any]]:
    """What goes when an item goes, and what goes with that; each once."""
    found: dict[Any, tuple[ItemKind, Any]] = {}
    waiting = [(kind, [item])]
    while waiting:
        for other, field, members in _referring(*waiting.pop()):
            new = [one for one in members if one.pk not in found] if other.belongs_by(field) else []
            found |= {one.pk: (other, one) for one in new}
            if new:
                waiting.append((other, new))
    return list(found.values())


def _referring(kind: ItemKind, items: Sequence[Any]) -> Iterator[tuple[ItemKind, str, list[Any]]]:
    """What has one of the items in a field: by kind and field, in the order of names."""
    for other in KINDS.values():
        for field in other.fields_for(kind.model):
            found = other.model._default_manager.select_related(*other.references).filter(**{f"{field}__in": items})
            yield other, field, list(found.order_by("name"))


def _check_unused(kind: ItemKind, items: Sequence[Any], gone: set[Any]) -> None:
    """items: of the kind.  gone: the keys of what goes together."""
    users = users_of(kind, [items[0].project_id], [item.name for item in items])
    for other, field, members in _referring(kind, items):
        for one in members if not other.belongs_by(field) else ():
            users[getattr(one, field).name].append((other, one))
    for item in items:
        if told := sorted({f"{of.word} {user.name}" for of, user in users[item.name] if user.pk not in gone}):
            raise _used(kind, item.name, told)
        if held := [words for holder in HOLDERS for words in holder(kind, item)]:
            raise Conflict(
                f'{kind.word} "{item.name}" is in {", ".join(held)}',
                where=item.name,
                hint="let that go by another release, or by the draft: rondine release use",
            )


def _used(kind: ItemKind, name: str, users: list[str]) -> Conflict:
    more = f" and {len(users) - 5} more" if len(users) > 5 else ""
    return Conflict(
        f'{kind.word} "{name}" is still used by {", ".join(users[:5])}{more}',
        where=name,
        hint=f"remove or change that first; all of it: rondine where-used {kind.name} {name}",
    )
