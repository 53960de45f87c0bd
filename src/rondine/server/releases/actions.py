"""Releases made, withdrawn, and gone over to."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from django.db import models, transaction
from django.utils import timezone

from rondine.core.errors import Conflict, DraftError, InputError, NotFound, Problem
from rondine.server.access.models import Person, Project
from rondine.server.connecting.models import Environment
from rondine.server.items.actions import check_protected
from rondine.server.items.kinds import KINDS
from rondine.server.items.models import Item, Revision
from rondine.server.items.references import refresh_problems
from rondine.server.releases.configuration import released_kinds
from rondine.server.releases.models import Release, ReleasedItem, Switch


@dataclass(frozen=True, slots=True)
class Unready:
    """An item that is not ready. kind: its word."""

    kind: str
    name: str
    problems: list[dict[str, str]]


#: Asked before a release is made: each gives what else keeps the draft from it.
CHECKS: list[Callable[[Project], Iterable[Unready]]] = []


def find_release(project: Project, number: int) -> Release:
    release = Release.objects.select_related("by").filter(project=project, number=number).first()
    if release is None:
        newest = Release.objects.filter(project=project).order_by("-number").first()
        hint = f"the newest is {newest.number}" if newest else "make the first one: rondine release make"
        raise NotFound(f"there is no release {number}", where=f"releases of {project.name}", hint=hint)
    return release


def unready_items(project: Project) -> list[Unready]:
    """What keeps the draft from being released as it is."""
    return [
        Unready(kind.word, item.name, item.problems)
        for kind in released_kinds()
        for item in kind.model._default_manager.filter(project=project).exclude(problems=[]).order_by("name")
    ] + [unready for check in CHECKS for unready in check(project)]


def make_release(
    project: Project, person: Person | None, *, notes: str = "", waived: Sequence[Mapping[str, str]] = ()
) -> Release:
    """The draft as it is now. waived: [{kind, name, reason}] of items that are released although they are not ready.

    Raises DraftError with all that is not ready and not waived, InputError for what needs no waiver, and Conflict if
    nothing has changed since the newest release."""
    with transaction.atomic():
        Project.objects.select_for_update().get(pk=project.pk)
        let_pass = _waived(unready_items(project), waived)
        revisions = revisions_now(project)
        newest = Release.objects.filter(project=project).order_by("-number").first()
        if newest is not None and set(newest.items.values_list("revision_id", flat=True)) == set(revisions):
            raise Conflict(
                f"nothing has changed since {newest}",
                where=f"releases of {project.name}",
                hint=f"use that one: rondine release use {newest.number} --in ENVIRONMENT",
            )
        if not revisions:
            raise Conflict(
                "there is nothing to release",
                where=f"project {project.name}",
                hint="make a service and its operations first",
            )
        release = Release.objects.create(
            project=project, number=newest.number + 1 if newest else 1, notes=notes, waived=let_pass, by=person
        )
        ReleasedItem.objects.bulk_create(
            [ReleasedItem(release=release, revision_id=revision_id) for revision_id in revisions], batch_size=1000
        )
    return release


def revisions_now(project: Project) -> list[int]:
    """Of each item of the draft, the one that holds it as it is."""
    found: list[int] = []
    for kind in released_kinds():
        versions = dict(kind.model._default_manager.filter(project=project).values_list("pk", "version"))
        rows = Revision.objects.filter(project=project, kind=kind.name, item_id__in=versions)
        now = {
            item_id: pk
            for pk, item_id, version in rows.values_list("pk", "item_id", "version")
            if versions[item_id] == version
        }
        assert len(now) == len(versions), f"{kind.name} without a revision"
        found += now.values()
    return found


def revisions_of(project: Project, release: Release | None) -> "models.QuerySet[Revision]":
    """Those that a release consists of, or the draft (None)."""
    if release is None:
        return Revision.objects.filter(pk__in=revisions_now(project))
    return Revision.objects.filter(releaseditem__release=release)


def _waived(unready: Sequence[Unready], waived: Sequence[Mapping[str, str]]) -> list[dict[str, str]]:
    reasons = {(one["kind"], one["name"]): one["reason"].strip() for one in waived}
    known = {(one.kind, one.name) for one in unready}
    for kind, name in reasons:
        if (kind, name) not in known:
            raise InputError(
                f'{kind} "{name}" has nothing that could be waived',
                where="/waive",
                hint="waive only what is not ready: rondine release check",
            )
    open_problems = [
        Problem(f"{one.kind} {one.name}", problem["message"], problem["hint"])
        for one in unready
        if not reasons.get((one.kind, one.name))
        for problem in one.problems
    ]
    if open_problems:
        count = len({problem.where for problem in open_problems})
        raise DraftError(
            f"{count} {'item is' if count == 1 else 'items are'} not ready: {open_problems[0].where}:"
            f" {open_problems[0].message}",
            where="the draft",
            hint='mend them, or let them pass with a reason: --waive "operation NAME: REASON"',
            problems=open_problems,
        )
    return [
        {"kind": one.kind, "name": one.name, "message": problem["message"], "reason": reasons[one.kind, one.name]}
        for one in unready
        for problem in one.problems
    ]


def withdraw_release(release: Release, why: str) -> Release:
    """No environment goes over to it any more. Raises Conflict while one goes by it."""
    users = ", ".join(release.environments.order_by("name").values_list("name", flat=True))
    if users:
        raise Conflict(
            f"{users} goes by {release}",
            where=str(release),
            hint="let it use another one first: rondine release use NUMBER --in ENVIRONMENT",
        )
    release.withdrawn_at, release.withdrawn_why = release.withdrawn_at or timezone.now(), why
    release.save(update_fields=["withdrawn_at", "withdrawn_why"])
    return release


def use_release(
    environment: Environment,
    release: Release | None,
    person: Person | None,
    role: str | None,
    *,
    why: str = "",
    is_back: bool = False,
) -> Switch:
    """Whatever begins in the environment from now on goes by the release, or by the draft; what runs already goes on
    by what it began with.

    Raises NotAllowed in a protected environment, and Conflict if the release is withdrawn or used there already."""
    check_protected([environment], role)
    with transaction.atomic():
        environment = Environment.objects.select_for_update(of=("self",)).get(pk=environment.pk)
        before = environment.release
        words = str(release) if release else "the draft"
        if before == release:
            raise Conflict(
                f"{environment.name} goes by {words} already", where=environment.name, hint="there is nothing to do"
            )
        if release is not None and release.withdrawn_at is not None:
            why_not = f": {release.withdrawn_why}" if release.withdrawn_why else ""
            raise Conflict(
                f"{release} was withdrawn{why_not}", where=str(release), hint="use another one, or make a new one"
            )
        if release is not None:
            _check_is_there(release)
        environment.release = release
        environment.save(update_fields=["release"])
        switch = Switch.objects.create(
            environment=environment, before=before, after=release, why=why, by=person, is_back=is_back
        )
        _look_again(environment)
    return switch


def _check_is_there(release: Release) -> None:
    """Raises Conflict if an item was removed since: what was kept by it, or refers to it, went with it."""
    for kind in released_kinds():
        held = Revision.objects.filter(releaseditem__release=release, kind=kind.name)
        ids = set(kind.model._default_manager.filter(project=release.project_id).values_list("pk", flat=True))
        for revision in held.order_by("name"):
            if revision.item_id not in ids:
                raise Conflict(
                    f'{release} holds {kind.word} "{revision.name}", which was removed since',
                    where=str(release),
                    hint="make it again, and a release with it; or use a release without it",
                )


def release_before(environment: Environment) -> Release | None:
    """What the environment went by before what it goes by now; None for the draft. Raises Conflict if there was
    nothing before."""
    last = (
        Switch.objects.select_related("before")
        .filter(environment=environment, after=environment.release, is_back=False)
        .order_by("-id")
        .first()
    )
    if last is None:
        raise Conflict(
            f"{environment.name} went by nothing else before",
            where=environment.name,
            hint="choose a release: rondine release use NUMBER --in " + environment.name,
        )
    return last.before


def _look_again(environment: Environment) -> None:
    """At what belongs to the environment and depends on what it goes by."""
    for kind in KINDS.values():
        if "environment" in kind.references:
            items: list[Item] = list(kind.model._default_manager.filter(environment=environment))  # type: ignore[misc]
            refresh_problems(kind, items)
    for kind in released_kinds():
        kind.changed([])
