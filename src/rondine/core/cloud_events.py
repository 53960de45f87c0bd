"""CloudEvents 1.0 in JSON ("JSON Event Format"), one or a batch."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from rondine.core.documents.json import json_text

BATCH = "application/cloudevents-batch+json; charset=utf-8"


def cloud_event(
    event_id: str, kind: str, source: str, subject: str, at: datetime, data: Mapping[str, Any]
) -> dict[str, Any]:
    """source: a URI reference; with event_id it names the event.  kind: `rondine.feed.failed`."""
    return {
        "specversion": "1.0",
        "id": event_id,
        "type": kind,
        "source": source,
        "subject": subject,
        "time": at.isoformat().replace("+00:00", "Z"),
        "datacontenttype": "application/json",
        "data": dict(data),
    }


def batch(events: Sequence[Mapping[str, Any]]) -> bytes:
    return json_text(list(events)).encode()
