"""What a call came to, told to programs: records with their rejects, and whether a failure may pass."""

from typing import Any

from rondine.core.errors import LimitReached, RondineError, ServiceError, TooMany
from rondine.server.operations.answering import Answered, OutsideFailed, ReadyMapping
from rondine.server.records.browsing import shown_data


def records_of(answered: Answered, mapping: ReadyMapping) -> dict[str, Any]:
    """Every row is told: as a record, as a reject, or as one that was filtered out."""
    records: dict[str, list[Any]] = {output.record_type: [] for output in mapping.outputs}
    rejects, filtered = [], 0
    for output, mapped in zip(mapping.outputs, answered.mapped, strict=False):
        document = mapping.record_types[output.record_type]
        records[output.record_type] += [shown_data(data, document) for data in mapped.data]
        filtered += mapped.filtered
        rejects += [
            {
                "record_type": output.record_type,
                "ordinal": reject.ordinal,
                "path": reject.path,
                "problems": [{"field": one.field, "path": one.path, "reason": one.reason} for one in reject.problems],
            }
            for reject in mapped.rejects
        ]
    return {"records": records, "rejects": rejects, "filtered": filtered}


def may_pass(error: RondineError) -> bool:
    """Whether the same request may succeed a while later."""
    if isinstance(error, OutsideFailed):
        return error.is_passing
    if isinstance(error, ServiceError):
        return error.may_pass
    return isinstance(error, LimitReached | TooMany) or error.status == 503
