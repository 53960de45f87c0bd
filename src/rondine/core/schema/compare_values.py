"""Two documents compared by structure and value: formatting, the order of members and the way numbers are written count for nothing."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import islice
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
    """kind: added, removed, changed (another value), or retyped (of another kind).  before, after: as JSON, up to 200 characters; empty if not there."""

    path: str
    kind: str
    before: str = ""
    after: str = ""


def compare_documents(one: ReadDocument, other: ReadDocument) -> list[ValueDifference]:
    """What is otherwise in the second, by place. Elements of lists are compared by their position. Raises DocumentError for XML against JSON."""
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
            for number in range(len(after), len(before)):
                yield ValueDifference(shown((*here, number)), "removed", _text(before[number]))
            for number in range(len(before), len(after)):
                yield ValueDifference(shown((*here, number)), "added", "", _text(after[number]))
            pairs = list(enumerate(zip(before, after, strict=False)))
            pending += [(old, new, (*here, number)) for number, (old, new) in reversed(pairs)]
        elif not equal(before, after):
            numbers = {"integer", "number"}
            kinds = {kind_of(before), kind_of(after)}
            kind = "changed" if len(kinds) == 1 or kinds <= numbers else "retyped"
            yield ValueDifference(shown(here), kind, _text(before), _text(after))


def _text(value: Any) -> str:
    return json_text(value)[:200]
