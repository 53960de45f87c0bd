"""What happened to records: of one, or of all of a set from a mark on."""

import json
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.mapping.row_encoding import key_digest
from rondine.server.records.browsing import key_of, shown_data
from rondine.server.records.models import Record, RecordChange, RecordSet


@dataclass(frozen=True, slots=True)
class ChangesPage:
    """records: those that the changes are of, by their ids, as they are now.  next: the mark to read on from."""

    changes: Sequence[RecordChange]
    records: Mapping[int, Record]
    next: int
    is_all: bool


def changes(
    records: RecordSet, document: RecordTypeDocument, key: list[str] | None, after: int | None, limit: int
) -> ChangesPage:
    """Changes of a set after a mark, oldest first; without one, and of one record, the newest first. Raises NotFound
    for a key that is none."""
    found = RecordChange.objects.filter(set_id=records.pk)
    if key is not None:
        found = found.filter(digest=uuid.UUID(bytes=key_digest(key_of(document, key))))
    if after is not None:
        found = found.filter(pk__gt=after)
    page = list(found.order_by("pk" if after is not None else "-pk")[: limit + 1])
    is_all, page = len(page) <= limit, page[:limit]
    newest = max((change.pk for change in page), default=after or 0)
    return ChangesPage(page, Record.objects.in_bulk([change.record_id for change in page]), newest, is_all)


def shown_change(change: RecordChange, record: Record | None, document: RecordTypeDocument) -> dict[str, Any]:
    """A change as the API shows it, its values in the form that records have there."""
    return {
        "id": str(change.pk),
        "kind": change.kind,
        "key": json.loads(change.key),
        "run": change.run_id,
        "at": change.at,
        "before": None if change.before is None else shown_data(change.before, document),
        "after": None if change.after is None else shown_data(change.after, document),
        "data": None if record is None else shown_data(record.data, document),
    }
