"""What runs in an environment goes by: items as a release holds them, or as they are in the draft."""

from collections.abc import Iterable
from copy import copy
from typing import Any, TypeVar
from uuid import UUID

from rondine.core.documents.json import json_text
from rondine.core.errors import Conflict, DraftError, NotFound, Problem
from rondine.core.items.references import renamed
from rondine.server.access.models import Project
from rondine.server.connecting.models import Environment
from rondine.server.items.kinds import HOLDERS, KINDS, ItemKind
from rondine.server.items.models import Item, Revision

#: Kinds of items that are released; all others belong to an environment, or describe what is.
RELEASED = ("services", "operations", "queries", "record-types", "mappings", "bindings", "flows")
AnyItem = TypeVar("AnyItem", bound=Item)
D = TypeVar("D")


class Configuration:
    """The items of an environment. They are given as their models, with document, name and version of the release, and
    are not to be saved."""

    def __init__(self, environment: Environment) -> None:
        self.environment, self.release = environment, environment.release
        self._revisions: dict[str, dict[UUID, Revision]] = {}

    @property
    def words(self) -> str:
        return "the draft" if self.release is None else str(self.release)

    def item(self, kind: ItemKind, item: AnyItem) -> AnyItem:
        """Raises DraftError for one that is not in the release."""
        if self.release is None:
            return item
        revision = self._of(kind).get(item.pk)
        if revision is None:
            raise DraftError(
                f'{kind.word} "{item.name}" is not in {self.release}, which {self.environment.name} goes by',
                where=f"environment {self.environment.name}",
                hint=f"make a release that has it: rondine release make --to {self.environment.name}",
            )
        return self._released(kind, item, revision)

    def item_or_draft(self, kind: ItemKind, item: AnyItem) -> AnyItem:
        """For what was kept before there was a release, too."""
        revision = self._of(kind).get(item.pk) if self.release is not None else None
        return item if revision is None else self._released(kind, item, revision)

    def items(self, kind: ItemKind) -> list[Any]:
        """All of a kind."""
        items = kind.model._default_manager.filter(project=self.environment.project_id)
        if self.release is None:
            return list(items)
        revisions = self._of(kind)
        return [self._released(kind, item, revisions[item.pk]) for item in items.filter(pk__in=revisions)]

    def named(self, kind: ItemKind, name: str) -> Any:
        """One by the name that it has here. Raises NotFound."""
        items = kind.model._default_manager.filter(project=self.environment.project_id)
        if self.release is None:
            item = items.filter(name=name).first()
        else:
            held = Revision.objects.filter(kind=kind.name, name=name, releaseditem__release=self.release).first()
            item = items.filter(pk=held.item_id).first() if held is not None else None
            item = self._released(kind, item, held) if item is not None and held is not None else None
        if item is not None:
            return item
        where = f"{self.words} of {self.environment.name}"
        raise NotFound(f'there is no {kind.word} "{name}"', where=where, hint="another release may have it")

    def documents(self, kind: ItemKind) -> dict[str, Any]:
        """The documents of all of a kind, by name."""
        return {item.name: item.loaded() for item in self.items(kind)}

    def in_its_names(self, document: D) -> D:
        """A document that is not released, such as a feed's, with record types called as they are in the release."""
        if self.release is None:
            return document
        kind = KINDS["record-types"]
        names = {item.pk: item.name for item in kind.model._default_manager.filter(project=self.environment.project_id)}
        for item_id, revision in self._of(kind).items():
            if names.get(item_id, revision.name) != revision.name:
                document = renamed(document, kind.name, names[item_id], revision.name)
        return document

    def _released(self, kind: ItemKind, item: AnyItem, revision: Revision) -> AnyItem:
        """What was let pass when it was released still keeps it from running."""
        assert self.release is not None
        released = copy(item)
        released.name, released.version = revision.name, revision.version
        released.title, released.document = revision.content["title"], revision.content["document"]
        released.problems = [
            Problem("", waived["message"], f"let pass in {self.release}: {waived['reason']}").to_json()
            for waived in self.release.waived
            if (waived["kind"], waived["name"]) == (kind.word, revision.name)
        ]
        return released

    def _of(self, kind: ItemKind) -> dict[UUID, Revision]:
        if kind.name not in self._revisions:
            assert self.release is not None
            found = Revision.objects.filter(kind=kind.name, releaseditem__release=self.release)
            self._revisions[kind.name] = {revision.item_id: revision for revision in found}
        return self._revisions[kind.name]


def releases_in_use(kind: ItemKind, item: Item) -> list[str]:
    """Those that hold the item, and which environments go by them: it must not be removed from under these."""
    environments = Environment.objects.select_related("release").filter(
        release__items__revision__kind=kind.name, release__items__revision__item_id=item.pk
    )
    return [f"{one.release}, which {one.name} goes by" for one in environments.order_by("name")]


HOLDERS.append(releases_in_use)


def check_no_release_sends(project: Project, value: str) -> None:
    """Raises Conflict if a document has the value in a release that an environment goes by."""
    text = json_text(value)[1:-1]
    for environment in Environment.objects.select_related("release").filter(project=project, release__isnull=False):
        for revision in Revision.objects.filter(releaseditem__release=environment.release).iterator(200):
            if text in json_text(revision.content):
                raise Conflict(
                    f"{KINDS[revision.kind].word} {revision.name} sends it in {environment.release}, which"
                    f" {environment.name} goes by, and would send something else from now on",
                    where=f"environment {environment.name}",
                    hint=f"let it go by the draft first: rondine release use draft --in {environment.name}; then move"
                    " the value, and release again",
                )


def in_order(revisions: Iterable[Revision]) -> list[Revision]:
    """As releases are shown: by kind, then by name."""
    return sorted(revisions, key=lambda revision: (RELEASED.index(revision.kind), revision.name))


def released_kinds() -> Iterable[ItemKind]:
    return [KINDS[name] for name in RELEASED if name in KINDS]
