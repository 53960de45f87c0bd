"""A shape as lines for people: path, type, presence, an example; and the corrections that people make to it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Annotated, Any

from msgspec import Meta

from rondine.core.conversions.steps import Conversion, DateOf, Number
from rondine.core.conversions.types import FieldType
from rondine.core.documents.elements import TEXT
from rondine.core.paths.jsonpath import step_text
from rondine.core.schema.alternatives import Alternatives
from rondine.core.schema.data_keys import SHOWN, Keys
from rondine.core.schema.infer import text_type
from rondine.core.schema.shape import Shape
from rondine.core.settings import Document, dump

#: Lines of an outline at most; an object with more members than that has data for keys.
MOST_LINES = 2_000


class Correction(Document, frozen=True):
    """What a person says of one part of a response, against what the samples say."""

    path: Annotated[str, Meta(description="as in the outline")]
    type: Annotated[FieldType | None, Meta(description="read it as this")] = None
    name: Annotated[str | None, Meta(description="call the field so; the original name stays on the wire")] = None
    keys: Annotated[
        Keys | None,
        Meta(description="of an object, whether its keys are data, a member for each of many things, or names"),
    ] = None


def decided_keys(corrections: Sequence[Correction]) -> dict[str, Keys]:
    """What people said of the keys of objects, by path; see `infer`."""
    return {correction.path: correction.keys for correction in corrections if correction.keys is not None}


@dataclass(frozen=True, slots=True)
class OutlineRow:
    """path: a JSONPath with [*] for each element, in XML an XPath.  presence: share of the parent's occurrences that
    had it (0 to 1). type: the field type proposed or corrected, empty for objects and lists.  lists: how many lists it
    is within, its own included in XML. convert: steps that are proposed on the way to that type, for dates and numbers
    in foreign forms.  range: least and most, if all are numbers or texts of them.  keys: of an object whose keys are
    data, some of them, and key_count how many there were; its values have one line, `path[*]`. alternatives: the member
    by whose text its objects are of several kinds, and what each kind has of its own."""

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
    lists: int = 0
    convert: tuple[Conversion, ...] = ()
    range: tuple[str, str] | None = None
    keys: tuple[str, ...] = ()
    key_count: int = 0
    alternatives: Alternatives | None = None

    def to_json(self) -> dict[str, Any]:
        told = self.alternatives.to_json() if self.alternatives else None
        plain = {name: getattr(self, name) for name in self.__slots__}
        return {**plain, "convert": dump(list(self.convert)), "alternatives": told}


def outline(shape: Shape, corrections: Sequence[Correction] = (), *, is_xml: bool = False) -> list[OutlineRow]:
    """The lines of a shape from the outside in, corrected; unknown paths among the corrections change nothing.

    is_xml: paths are XPaths, and elements that repeat have one line for all of them. A row's own paths begin with its
    first step, the row is `.`.
    """
    by_path = {correction.path: correction for correction in corrections}
    if is_xml:
        return list(islice(_elements(shape, ".", "", 0, shape.seen, by_path), MOST_LINES))
    return list(islice(_rows(shape, "$", "", 0, shape.seen, by_path), MOST_LINES))


def document_outline(shape: Shape, corrections: Sequence[Correction] = (), *, is_xml: bool = False) -> list[OutlineRow]:
    """The lines of whole documents: as `outline`, but that XPaths are absolute."""
    if not is_xml:
        return outline(shape, corrections)
    by_path = {correction.path: correction for correction in corrections}
    return list(islice(_elements(shape, "/", "", 0, shape.seen, by_path), MOST_LINES))


def _elements(
    held: Shape, path: str, name: str, depth: int, of: int, corrections: dict[str, Correction], lists: int = 0
) -> Iterator[OutlineRow]:
    shape = held.element if held.kinds["array"] and held.element is not None else held
    lists += shape is not held
    correction = corrections.get(path)
    text = _text_in(shape)
    yield OutlineRow(
        path=path,
        name=(correction.name if correction and correction.name else name),
        depth=depth,
        types=shape.types,
        type=(correction.type if correction and correction.type else element_type(shape)),
        convert=proposed_steps(text, correction),
        format=text.format if text_type(text) == "string" else None,
        presence=round(held.seen / of, 4) if of else 0.0,
        nulls=held.nulls + (shape.nulls if shape is not held else 0),
        seen=shape.seen,
        fractional=text.fractions,
        lengths=held.lengths,
        examples=text.examples,
        is_corrected=correction is not None,
        lists=lists,
        range=text.range,
        alternatives=shape.variants.alternatives(),
    )
    for member_name, member in shape.members.items():
        if member is not text:
            step = member_name if path == "." else f"{path.rstrip('/')}/{member_name}"
            yield from _elements(member, step, member_name, depth + 1, shape.kinds["object"], corrections, lists)


def _text_in(shape: Shape) -> Shape:
    """The shape of an element's text, which is its own where it has no attributes; its own too where it holds other
    elements."""
    if TEXT in shape.members and all(name == TEXT or name.startswith("@") for name in shape.members):
        return shape.members[TEXT]
    return shape


def proposed_steps(shape: Shape, correction: Correction | None = None) -> tuple[Conversion, ...]:
    """The conversion that texts in a foreign form need: a decimal comma, dates in other patterns. None if a person said
    that they are texts."""
    if shape.types not in (["string"], ["string", "null"]):
        return ()
    kind = correction.type if correction else None
    if shape.date_patterns and kind in (None, "date"):
        return (DateOf(patterns=shape.date_patterns),)
    if shape.formats and "comma" in shape.formats and kind in (None, "decimal"):
        return (Number(decimal=",", grouping="." if any("." in example for example in shape.examples) else ""),)
    return ()


def element_type(shape: Shape) -> FieldType | str:
    """The field type of an element or attribute: of its text; empty for one that only holds others."""
    if shape.kinds["object"]:
        if any(not name.startswith("@") and name != TEXT for name in shape.members):
            return ""
        return element_type(text) if (text := _text_in(shape)) is not shape else "text"
    found = {"integer": "integer", "number": "decimal", "boolean": "boolean"}.get(text_type(shape))
    return found or field_type(shape)


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
        convert=proposed_steps(shape, correction),
        format=shape.format,
        presence=round(shape.seen / of, 4) if of else 0.0,
        nulls=shape.nulls,
        seen=shape.seen,
        fractional=shape.fractions,
        lengths=shape.lengths,
        examples=shape.examples,
        is_corrected=correction is not None,
        range=shape.range,
        keys=tuple(shape.keys[:SHOWN]),
        key_count=len(shape.keys),
        alternatives=shape.variants.alternatives() if shape.values is None else None,
    )
    if shape.values is not None:
        yield from _rows(shape.values, f"{path}[*]", "each", depth + 1, shape.values.seen, corrections)
    for member_name, member in shape.members.items():
        yield from _rows(
            member, f"{path}{step_text(member_name)}", member_name, depth + 1, shape.kinds["object"], corrections
        )
    if shape.element is not None and shape.element.seen:
        yield from _rows(shape.element, f"{path}[*]", "each", depth + 1, shape.element.seen, corrections)


def field_type(shape: Shape) -> FieldType | str:
    """The field type a scalar is read as without loss: mixed kinds become text, lists and maps of plain values json; ""
    for other objects."""
    if steps := proposed_steps(shape):
        return "date" if isinstance(steps[0], DateOf) else "decimal"
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
            return "json" if shape.values is not None and not shape.values.kinds["object"] else ""
