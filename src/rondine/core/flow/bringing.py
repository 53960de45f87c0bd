"""What several tasks of one step come to together."""

from collections.abc import Mapping, Sequence
from typing import Any

from rondine.core.flow.document import AskStep, Gather
from rondine.core.flow.tasks import Outcome


def brought(step: AskStep, outcomes: Mapping[str, Outcome], labels: Sequence[str]) -> dict[str, Any]:
    """What several tasks came to, in the order of the step."""
    failures = [
        {"part": label, **outcome["failure"]} for label, outcome in outcomes.items() if outcome["outcome"] == "failure"
    ]
    good = len(outcomes) - len(failures)
    made: dict[str, Any] = {
        "outcome": "good" if not failures else "partial",
        "succeeded": good,
        "failed": len(failures),
        "failures": failures,
        "parts": dict(outcomes) if step.each is None else [outcomes.get(label) for label in labels],
    }
    if step.gather is not None:
        made["records"] = _records_of(step.gather, outcomes)
    return made


def _records_of(gather: Gather, outcomes: Mapping[str, Outcome]) -> list[dict[str, Any]]:
    """The records of a type in all outcomes, each with where it came from."""
    found = []
    for label, outcome in outcomes.items():
        records = outcome.get("records", [])
        if isinstance(records, Mapping):
            records = records.get(gather.record_type, [])
        origin = {gather.origin: label} if gather.origin else {}
        found += [{**record, **origin} for record in records]
    return found


def too_few(outcomes: Mapping[str, Outcome], bad: Sequence[str], wanted: int) -> dict[str, Any]:
    failures = [{"part": label, **outcomes[label]["failure"]} for label in bad]
    reasons = "; ".join(f"{one['part']}: {one.get('message', '')}" for one in failures[:5])
    words = f"{len(outcomes) - len(bad)} of {len(outcomes)} succeeded, and {wanted} at least are wanted"
    return {
        "kind": "too_few_succeeded",
        "message": f"{words} ({reasons})" if reasons else words,
        "failures": failures,
        "may_pass": bool(failures) and all(one.get("may_pass") for one in failures),
    }
