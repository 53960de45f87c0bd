"""From a record to those it belongs to, and to those that belong to it: one step."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from rondine.core.conversions.types import CONVERSIONS
from rondine.core.mapping.document import RecordTypeDocument
from rondine.core.mapping.row_encoding import key_digest, key_text
from rondine.server.connecting.models import Environment
from rondine.server.records.actions import names_of_feeds, record_set
from rondine.server.records.browsing import RecordPage, browse, shown_data
from rondine.server.records.models import Record, RecordType

#: Records of each type that are shown with the one they belong to.
SHOWN = 20


@dataclass(frozen=True, slots=True)
class Parts:
    """Records of one type that belong to one. where: the filter that finds all of them.  page: the first of them.
    feeds: that bring them, by their bits."""

    record_type: str
    document: RecordTypeDocument
    where: dict[str, str]
    page: RecordPage
    feeds: dict[int, str]


def owners(environment: Environment, record: Record, document: RecordTypeDocument) -> list[dict[str, Any]]:
    """The records that this one belongs to: [{record_type, key, is_kept}]; without those whose key it does not have."""
    found = []
    for link in document.links:
        values = [record.data.get(name) for name in link.fields]
        other = RecordType.objects.filter(project=environment.project, name=link.record_type).first()
        if other is None or any(value is None for value in values):
            continue
        typed = [_typed(document, name, value) for name, value in zip(link.fields, values, strict=True)]
        is_kept = bool(Record.objects.ids_of(record_set(environment, other).pk, [key_digest(key_text(typed))]))
        found.append({"record_type": link.record_type, "key": values, "is_kept": is_kept})
    return found


def parts_of(environment: Environment, record: Record, name: str, document: RecordTypeDocument) -> list[Parts]:
    """The first records of each type that belong to this one."""
    found = []
    for other in RecordType.objects.filter(
        project=environment.project, document__links__contains=[{"record_type": name}]
    ).order_by("name"):
        records = record_set(environment, other)
        of = records.loaded()
        link = next(one for one in of.links if one.record_type == name)
        shown: Mapping[str, Any] = shown_data(record.data, document)
        where = {held: str(shown[own]) for held, own in zip(link.fields, document.key, strict=False) if own in shown}
        fields = {field.name for field in of.fields if field.searchable}
        if len(where) < len(link.fields) or not set(where) <= fields:
            continue
        page = browse(records, of, where, limit=SHOWN)
        found.append(Parts(other.name, of, where, page, names_of_feeds(records)))
    return found


def _typed(document: RecordTypeDocument, name: str, value: Any) -> Any:
    field = document.field(name)
    return CONVERSIONS[field.type](value) if field else value
