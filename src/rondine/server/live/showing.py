"""Live records as the API gives them."""

from collections.abc import Mapping
from typing import Any

from rondine.core.mapping.document import RecordTypeDocument
from rondine.server.live.asking import Found, Listed, LiveRecord, Written
from rondine.server.live.cache import Aged
from rondine.server.records.browsing import shown_data


def shown_live_record(record: LiveRecord, document: RecordTypeDocument) -> dict[str, Any]:
    data = shown_data(record.data, document)
    key = [data.get(name) for name in document.key]
    return {"id": "/".join(map(str, key)), "key": key, "data": data, "version": record.version or None}


def shown_live_page(aged: Aged[Listed], document: RecordTypeDocument) -> dict[str, Any]:
    listed = aged.value
    return {
        "items": [shown_live_record(record, document) for record in listed.records],
        "next": listed.next,
        "count": None,
        "is_all": listed.is_all,
        "all_why": listed.why,
        "rejects": [
            {
                "ordinal": reject.ordinal,
                "path": reject.path,
                "problems": [{"field": one.field, "path": one.path, "reason": one.reason} for one in reject.problems],
            }
            for reject in listed.rejects
        ],
        "live": _told(aged, {"local": list(listed.local)}),
    }


def shown_found(aged: Aged[Found], document: RecordTypeDocument) -> dict[str, Any]:
    return {**shown_live_record(aged.value.record, document), "live": _told(aged, {"local": []})}


def _told(aged: Aged[Any], more: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "calls": aged.value.calls,
        "age": round(aged.age, 3),
        "read_at": aged.value.read_at,
        "is_cached": aged.is_cached,
        "stale_why": aged.stale_why,
        "run": aged.value.run,
        **more,
    }


def shown_written(written: Written, document: RecordTypeDocument) -> dict[str, Any]:
    record = written.record
    return {
        "key": written.key,
        "data": shown_data(record.data, document) if record is not None else None,
        "version": (record.version or None) if record is not None else None,
        "confirmed": written.confirmed,
        "differences": written.differences,
        "calls": written.calls,
        "run": written.run,
    }
