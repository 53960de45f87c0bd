"""Kept records as applications read them."""

import json
from collections.abc import Mapping
from typing import Any, get_args

from rondine.core.errors import InputError
from rondine.core.mapping.document import RecordTypeDocument
from rondine.server.api.requests import checked_limit
from rondine.server.applications.admission import Admission
from rondine.server.applications.offering import Offer
from rondine.server.records.actions import check_kept, record_set
from rondine.server.records.browsing import GoneShown, browse, find_record, shown_data
from rondine.server.records.changes import changes, shown_change
from rondine.server.records.models import Record, RecordSet

#: Parameters that are no fields of a record type.
RESERVED = frozenset({"cursor", "limit", "gone"})


def _kept(admission: Admission, name: str) -> tuple[RecordSet, RecordTypeDocument]:
    records = record_set(admission.environment, Offer(admission).record_type(name))
    document = records.loaded()
    check_kept(name, document)
    return records, document


def page_of_records(admission: Admission, name: str, query: Mapping[str, str]) -> dict[str, Any]:
    """query: filters and order as of the builders' list, cursor, limit and gone."""
    records, document = _kept(admission, name)
    gone: Any = query.get("gone") or "no"
    if gone not in get_args(GoneShown):
        raise InputError(f'gone is "{gone[:20]}"', where="?gone", hint=f"give {', '.join(get_args(GoneShown))}")
    filters = {key: value for key, value in query.items() if key not in RESERVED and value != ""}
    page = browse(
        records, document, filters, limit=checked_limit(query.get("limit")), cursor=query.get("cursor"), gone=gone
    )
    items = [_shown(record, document) for record in page.records]
    return {"items": items, "next": page.next, "count": records.count}


def one_record(admission: Admission, name: str, key: list[str]) -> dict[str, Any]:
    """key: the values of the key fields. Raises NotFound."""
    records, document = _kept(admission, name)
    return _shown(find_record(records, document, key), document)


def changes_of(admission: Admission, name: str, query: Mapping[str, str]) -> dict[str, Any]:
    """What happened to records, from a mark on, the oldest first."""
    for parameter in query:
        if parameter not in ("after", "limit"):
            raise InputError(f'there is no parameter "{parameter}"', where=f"?{parameter}", hint="after, limit")
    after = query.get("after") or "0"
    if not (after.isascii() and after.isdecimal() and len(after) <= 18):
        raise InputError(f'"{after[:20]}" is no mark', where="?after", hint="take it from `next` of the page before")
    records, document = _kept(admission, name)
    page = changes(records, document, None, int(after), checked_limit(query.get("limit")))
    return {
        "items": [shown_change(change, page.records.get(change.record_id), document) for change in page.changes],
        "next": str(page.next),
        "is_all": page.is_all,
        "history": document.history,
    }


def _shown(record: Record, document: RecordTypeDocument) -> dict[str, Any]:
    return {
        "key": json.loads(record.key),
        "data": shown_data(record.data, document),
        "made_at": record.made_at,
        "changed_at": record.changed_at,
        "gone_at": record.gone_at,
    }
