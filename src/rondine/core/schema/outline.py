"""A shape as lines for people: path, type, presence, an example; and the corrections that people make to it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from rondine.core.mapping.types import FieldType
from rondine.core.schema.infer import Shape
from rondine.core.settings import Document

Step = str | None  # a member's name, or None for "each element"
#: Lines of an outline at most; an object with more members than that has data for keys.
MOST_LINES = 2_000


class Correction(Document, frozen=True):
    """What a person says of one part of a response, against what the samples say. path: as in the outline.

    type: read it as this.  name: call the field so; the original name stays on the wire.
    """

    path: str
    type: FieldType | None = None
    name: str | None = None


@dataclass(frozen=True, slots=True)
class OutlineRow:
    """path: a JSONPath with [*] for each element.  presence: share of the parent's occurrences that had it (0 to 1).
    type: the field type proposed or corrected, empty for objects and lists."""

    path: str
    name: str
    depth: int
    types: list[str]
    type: str
    format: str | None
    presence: float
    nulls: int
    seen: int
    fractional: int
    lengths: tuple[int, int] | None
    examples: list[str]
    is_corrected: bool = False

    def to_json(self) -> dict[str, Any]:
        return {name: getattr(self, name) for name in self.__slots__}


def outline(shape: Shape, corrections: Sequence[Correction] = ()) -> list[OutlineRow]:
    """The lines of a shape from the outside in, corrected; unknown paths among the corrections change nothing."""
    by_path = {one.path: one for one in corrections}
    return [row for number, row in enumerate(_rows(shape, "$", "", 0, shape.seen, by_path)) if number < MOST_LINES]


def _rows(
    shape: Shape, path: str, name: str, depth: int, of: int, corrections: dict[str, Correction]
) -> Iterator[OutlineRow]:
    correction = corrections.get(path)
    yield OutlineRow(
        path=path,
        name=(correction.name if correction and correction.name else name),
        depth=depth,
        types=shape.types,
        type=(correction.type if correction and correction.type else field_type(shape)),
        format=shape.format,
        presence=round(shape.seen / of, 4) if of else 0.0,
        nulls=shape.nulls,
        seen=shape.seen,
        fractional=shape.fractional,
        lengths=shape.lengths,
        examples=shape.examples,
        is_corrected=correction is not None,
    )
    for member_name, member in shape.members.items():
        yield from _rows(
            member, f"{path}{step_text(member_name)}", member_name, depth + 1, shape.kinds["object"], corrections
        )
    if shape.element is not None and shape.element.seen:
        yield from _rows(shape.element, f"{path}[*]", "each", depth + 1, shape.element.seen, corrections)


def step_text(name: str) -> str:
    """One step of a path, short where RFC 9535's shorthand allows it."""
    from rondine.core.paths import normalized_path
    from rondine.core.paths.jsonpath import SHORTHAND

    return f".{name}" if SHORTHAND.fullmatch(name) else normalized_path((name,))[1:]


def field_type(shape: Shape) -> FieldType | str:
    """The field type a scalar is read as without loss: mixed kinds become text, lists of plain values json; "" for objects."""
    types = [kind for kind in shape.types if kind != "null"]
    if not types:
        return "text"
    if len(types) > 1:
        return "json" if {"object", "array"} & set(types) else "text"
    match types[0]:
        case "string":
            return {"date": "date", "date-time": "datetime"}.get(shape.format or "", "text")
        case "integer":
            return "integer"
        case "number":
            return "decimal"
        case "boolean":
            return "boolean"
        case "array":
            return "json" if shape.element is None or not shape.element.kinds["object"] else ""
        case _:
            return ""
