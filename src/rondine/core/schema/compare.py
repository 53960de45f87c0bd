"""What newer samples have that older ones do not allow: parts that came, parts that are gone, and parts that are
otherwise.

One sample shows less than many: a part that was not always there may be missing, a number may happen to be whole. Such
is no difference.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice

from rondine.core.schema.compare_values import MOST_TOLD
from rondine.core.schema.outline import OutlineRow

#: What texts are read as -> as what fewer of them may be read.
_HOLDS = {
    "decimal": frozenset({"integer"}),
    "text": frozenset({"integer", "decimal", "boolean", "date", "datetime"}),
}


@dataclass(frozen=True, slots=True)
class StructureDifference:
    """path: as in outlines.  kind: added, removed, or changed.  before, after: the part in words; empty where it is not
    there."""

    path: str
    kind: str
    before: str = ""
    after: str = ""


def compare_outlines(before: Sequence[OutlineRow], after: Sequence[OutlineRow]) -> list[StructureDifference]:
    """What differs in the second of two outlines, from the outside in; of what came or is gone whole, only the
    outermost part."""
    return list(islice(_differences(before, after), MOST_TOLD))


def _differences(before: Sequence[OutlineRow], after: Sequence[OutlineRow]) -> Iterator[StructureDifference]:
    known = {one.path: one for one in before}
    now = {one.path: one for one in after}
    for line, around in _with_parents(before):
        outline_row = now.get(line.path)
        if outline_row is not None:
            if _differs(line, outline_row):
                yield StructureDifference(line.path, "changed", _told(line), _told(outline_row))
        elif line.presence == 1 and (around is None or _could_hold(now.get(around.path), line)):
            yield StructureDifference(line.path, "removed", _told(line))
    for line, around in _with_parents(after):
        if line.path not in known and (around is None or _could_hold(known.get(around.path), line)):
            yield StructureDifference(line.path, "added", "", _told(line))


def _with_parents(lines: Sequence[OutlineRow]) -> Iterator[tuple[OutlineRow, OutlineRow | None]]:
    around: list[OutlineRow] = []
    for line in lines:
        del around[line.depth :]
        yield line, around[-1] if around else None
        around.append(line)


def _could_hold(around: OutlineRow | None, part: OutlineRow) -> bool:
    """Whether what is around a part was seen in a way that would show it: an empty list tells nothing of its
    elements."""
    if around is None:
        return False
    if part.path.endswith("[*]"):
        return around.key_count > 0 or (around.lengths is not None and around.lengths[1] > 0)
    return "object" in around.types or part.name.startswith("@")


def _differs(before: OutlineRow, after: OutlineRow) -> bool:
    is_new_null = after.nulls > 0 and before.nulls == 0
    is_less = before.presence == 1 and after.presence < 1
    return is_new_null or is_less or not _covers(before, after)


def _covers(before: OutlineRow, after: OutlineRow) -> bool:
    kinds, were = (_kinds(outline_row) for outline_row in (after, before))
    if "number" in were:
        were = were | {"integer"}
    if not kinds <= were:
        return False
    if kinds != {"string"} or were != {"string"}:
        return True
    return before.type == after.type or after.type in _HOLDS.get(before.type, ())


def _kinds(line: OutlineRow) -> set[str]:
    """JSON Schema's types; an element of XML that has a value and attributes is what its value is."""
    found = {kind for kind in line.types if kind != "null"}
    return {"string"} if "object" in found and line.type not in ("", "json") else found


def _told(line: OutlineRow) -> str:
    kinds = [kind for kind in line.types if kind != "null"]
    if len(kinds) > 1:
        words = " or ".join("list" if kind == "array" else kind for kind in kinds)
    elif line.lengths is not None:
        words = "list"
    else:
        words = line.type or " or ".join(kinds)
    if not kinds:
        return "always null"
    return words + (", null at times" if line.nulls else "") + (", not always there" if line.presence < 1 else "")
