"""What differs between two releases, or between one and the draft."""

from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from rondine.core.documents.reading import ReadDocument
from rondine.core.schema.compare_values import ValueDifference, compare_documents
from rondine.server.access.models import Project
from rondine.server.items.kinds import KINDS
from rondine.server.items.models import Revision
from rondine.server.releases.actions import revisions_of
from rondine.server.releases.configuration import in_order
from rondine.server.releases.models import Release


@dataclass(frozen=True, slots=True)
class ItemDifference:
    """kind: its word.  name: in the second state, of a removed one in the first.  what: added, removed or changed.
    before, after: its versions, None where it is not there.  by, why: of the change to what it is in the second."""

    kind: str
    name: str
    what: str
    before: int | None = None
    after: int | None = None
    name_before: str = ""
    by: str | None = None
    why: str = ""
    differences: list[ValueDifference] = field(default_factory=list)


def compare_releases(project: Project, before: Release | None, after: Release | None) -> list[ItemDifference]:
    """Item by item, and field by field of what changed. None: the draft."""
    old, new = _state(project, before), _state(project, after)
    found = []
    for revision in in_order(({**old, **new}).values()):
        key = revision.kind, revision.item_id
        one, other = old.get(key), new.get(key)
        if one is None or other is None or one.pk != other.pk:
            found.append(_difference(one, other))
    return found


def _difference(old: Revision | None, new: Revision | None) -> ItemDifference:
    kind = KINDS[(new or old).kind].word  # type: ignore[union-attr]
    if new is None:
        assert old is not None
        return ItemDifference(kind, old.name, "removed", before=old.version, name_before=old.name)
    by, why = new.by.name if new.by else None, new.why
    if old is None:
        return ItemDifference(kind, new.name, "added", after=new.version, by=by, why=why)
    differences = compare_documents(ReadDocument(_content(old)), ReadDocument(_content(new)))
    return ItemDifference(kind, new.name, "changed", old.version, new.version, old.name, by, why, differences)


def _content(revision: Revision) -> dict[str, Any]:
    """What a person changes of an item."""
    return {"name": revision.name, **revision.content}


def _state(project: Project, release: Release | None) -> dict[tuple[str, UUID], Revision]:
    return {(one.kind, one.item_id): one for one in revisions_of(project, release).select_related("by")}
