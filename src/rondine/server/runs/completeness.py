"""Whether a run saw all rows: a proof, a sign of the contrary, or neither.

It is complete only if the service itself showed the end (no further link, cursor or page; the announced number reached)
and nothing in its last response says that there is more. Without a sign either way it is not known to be complete,
which is no fault, and is said.
"""

from dataclasses import dataclass
from typing import Any, Literal

from rondine.core.pagination import Ending
from rondine.core.pagination.signs import Signs

Completeness = Literal["", "complete", "incomplete", "unknown"]


@dataclass(frozen=True, slots=True)
class Verdict:
    """reason: in words, of why the run ended, and of why it is complete or not."""

    completeness: Completeness
    reason: str
    hint: str = ""

    def to_json(self) -> dict[str, Any]:
        return {"completeness": self.completeness, "reason": self.reason, "hint": self.hint}


def verdict_of(
    ending: Ending,
    signs: Signs,
    *,
    received: int | None,
    is_one_object: bool,
    is_partial: bool,
    is_delimited: bool,
    has_paging: bool,
) -> Verdict:
    """signs: of the last response.  received: rows of the list that the service counts, over all pages; None if they
    cannot be told. is_delimited: every response shows where it ends.
    """
    if missing := ending.missing or signs.missing(received):
        hint = (
            "look at the last response; the operation's paging may be another one"
            if has_paging
            else "let the operation follow its paging: try it, and keep what is recognised"
        )
        return Verdict("incomplete", f"{ending.reason}, and there is more: {missing}", hint)
    if is_partial:
        return Verdict("incomplete", f"{ending.reason}, and the service could give a part only", "look at the remarks")
    is_counted = signs.total is not None and received is not None
    if not is_delimited and not is_counted:
        return Verdict("unknown", f"{ending.reason}, and a response may have broken off", "look at the remarks")
    if ending.is_proven:
        return Verdict("complete", ending.reason)
    if proof := signs.proof(received):
        return Verdict("complete", f"{ending.reason}: {proof}")
    if is_one_object and ending.pages == 1:
        return Verdict("complete", "the response is one object and no list")
    return Verdict("unknown", f"{ending.reason}, and nothing in it says whether there is more")
