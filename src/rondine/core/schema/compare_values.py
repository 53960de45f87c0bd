"""Two documents compared by structure and value: formatting, the order of members and the way numbers are written count
for nothing."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from decimal import Decimal
from functools import partial
from itertools import islice, pairwise
from typing import Any

from rondine.core.documents.json import Location, json_text, kind_of
from rondine.core.documents.reading import ReadDocument
from rondine.core.errors import DocumentError
from rondine.core.paths import normalized_path, xpath_of
from rondine.core.paths.filters import equal

#: Differences that are told; two documents that have nothing in common have thousands.
MOST_TOLD = 500


@dataclass(frozen=True, slots=True)
class ValueDifference:
    """path: in the second document, of what was removed in the first.  kind: added, removed, changed (another value),
    retyped (of another kind), or reordered (of a list).  before, after: as JSON, up to 200 characters; empty if not
    there.
    """

    path: str
    kind: str
    before: str = ""
    after: str = ""


def compare_documents(one: ReadDocument, other: ReadDocument) -> list[ValueDifference]:
    """What differs in the second, by place. Elements of lists are compared by what tells them apart, so that one
    more of them is one difference.

    Raises DocumentError for XML against JSON.
    """
    if one.is_xml != other.is_xml:
        raise DocumentError("one is XML and the other JSON", where="$", hint="compare two of the same format")
    shown = xpath_of if one.is_xml else normalized_path
    return list(islice(_differences(one.value, other.value, (), shown), MOST_TOLD))


def _differences(one: Any, other: Any, at: Location, shown: Callable[[Location], str]) -> Iterator[ValueDifference]:
    pending: list[tuple[Any, Any, Location]] = [(one, other, at)]
    while pending:
        before, after, here = pending.pop()
        if isinstance(before, dict) and isinstance(after, dict):
            names = [*before, *(name for name in after if name not in before)]
            for name in names:
                if name not in after:
                    yield ValueDifference(shown((*here, name)), "removed", _text(before[name]))
                elif name not in before:
                    yield ValueDifference(shown((*here, name)), "added", "", _text(after[name]))
            pending += [
                (before[name], after[name], (*here, name))
                for name in reversed(names)
                if name in before and name in after
            ]
        elif isinstance(before, list) and isinstance(after, list):
            pairs = _pairs(before, after)
            yield from _left_over(before, after, pairs, here, shown)
            pending += [(before[old], after[new], (*here, new)) for old, new in reversed(pairs)]
        elif not equal(before, after):
            numbers = {"integer", "number"}
            kinds = {kind_of(before), kind_of(after)}
            kind = "changed" if len(kinds) == 1 or kinds <= numbers else "retyped"
            yield ValueDifference(shown(here), kind, _text(before), _text(after))


def _left_over(
    before: list[Any], after: list[Any], pairs: list[tuple[int, int]], here: Location, shown: Callable[[Location], str]
) -> Iterator[ValueDifference]:
    """The elements of two lists that have no counterpart, and whether those that have stand in another order."""
    kept, come = {old for old, _ in pairs}, {new for _, new in pairs}
    for number in range(len(before)):
        if number not in kept:
            yield ValueDifference(shown((*here, number)), "removed", _text(before[number]))
    for number in range(len(after)):
        if number not in come:
            yield ValueDifference(shown((*here, number)), "added", "", _text(after[number]))
    if any(one[1] > other[1] for one, other in pairwise(pairs)):
        yield ValueDifference(shown(here), "reordered")


def _pairs(before: list[Any], after: list[Any]) -> list[tuple[int, int]]:
    """Which elements are each other's counterparts: by position, unless what tells them apart brings more of them
    together."""
    by_position = [(number, number) for number in range(min(len(before), len(after)))]
    best, most = by_position, 0
    for keys in _tellings(before, after):
        places = {key: number for number, key in enumerate(keys[1])}
        shared = [(old, places[key]) for old, key in enumerate(keys[0]) if key in places]
        at_home = sum(old == new for old, new in shared)
        if len(shared) > max(most, at_home):
            best, most = shared, len(shared)
        if len(shared) == len(by_position):
            break  # nothing brings more of them together
    return best


def _tellings(before: list[Any], after: list[Any]) -> Iterator[tuple[list[Any], list[Any]]]:
    """What could tell the elements of two lists apart: they themselves, if they are plain values, or a plain member
    that all have."""
    if not before or not after:
        return
    both = (before, after)
    if all(isinstance(value, (str, int, Decimal)) for values in both for value in values):
        candidates: list[Callable[[Any], Any]] = [lambda one: one]
    elif all(isinstance(value, dict) for values in both for value in values):
        candidates = [partial(_member, name) for name in before[0]]
    else:
        return
    for key_of in candidates:
        keys = [[key_of(value) for value in values] for values in both]
        if all(None not in these and len(set(these)) == len(these) for these in keys):
            yield keys[0], keys[1]


def _member(name: str, one: dict[str, Any]) -> str | int | Decimal | None:
    value = one.get(name)
    return value if isinstance(value, (str, int, Decimal)) and not isinstance(value, bool) else None


def _text(value: Any) -> str:
    return json_text(value)[:200]
