"""What a run tells besides its counts: what is odd but stopped nothing, so that no "done" hides it."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

Kind = Literal[
    "incomplete",
    "partial",
    "undelimited",
    "drift",
    "rejected",
    "duplicates",
    "unseen",
    "gone",
    "not_marked",
    "went_on",
    "all_again",
    "outdated",
    "not_listed",
    "not_kept",
    "passing",
    "not_undone",
]
#: Different remarks that a run keeps; a response that is another one altogether would have thousands.
MOST = 50
#: Characters of one.
LONGEST = 600


@dataclass(frozen=True, slots=True)
class Remark:
    """kind: incomplete, if rows are missing; partial, if the service answered in part; undelimited, if a response that
    may have broken off looks whole; drift from the schema on file; rejected, if a whole response was; duplicates, of
    names in an object; unseen, kept records that no row was for; gone, those of them that were marked so; not_marked,
    if that was refused; went_on, behind what was kept before it failed; all_again, though its inputs move;
    outdated, rows older than what is kept; not_listed, changes that a dry run counts alone;
    not_kept, responses that rows cannot be read again from; passing, records of types that are not kept;
    not_undone, tasks of a flow that could not be taken back.
    call: the first one it is about, None for the run itself.  times: how many calls."""

    kind: Kind
    message: str
    hint: str = ""
    call: int | None = None
    times: int = 1

    def to_json(self) -> dict[str, Any]:
        return {
            "kind": self.kind,
            "message": self.message[:LONGEST],
            "hint": self.hint,
            "call": self.call,
            "times": self.times,
        }


def remark_of(stored: Mapping[str, Any]) -> Remark:
    return Remark(**stored)


def merged(before: Iterable[Remark], new: Iterable[Remark]) -> list[Remark]:
    """Each once, in the order of their first calls; the same about another call counts up. A call that comes again
    after a crash counts once."""
    found: dict[tuple[str, str], Remark] = {}
    for remark in (*before, *new):
        held = found.get((remark.kind, remark.message))
        if held is None:
            if len(found) < MOST or all(
                kind != remark.kind for kind, _ in found
            ):  # one of each kind: a resumed run goes by them
                found[remark.kind, remark.message] = remark
        elif remark.call is None or held.call is None or remark.call > held.call:
            found[remark.kind, remark.message] = replace(held, times=held.times + remark.times)
    return list(found.values())
