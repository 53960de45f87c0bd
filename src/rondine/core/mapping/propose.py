"""A first record type and mapping from one response: what repeats becomes rows, what is wanted of a row becomes fields."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from rondine.core.errors import MappingError
from rondine.core.mapping.compile import find_rows
from rondine.core.mapping.document import (
    At,
    FieldRule,
    Level,
    MappingDocument,
    Output,
    RecordField,
    RecordTypeDocument,
    Source,
)
from rondine.core.names import proposed_name
from rondine.core.paths import parse_jsonpath, short_form
from rondine.core.schema.infer import Shape, infer
from rondine.core.schema.outline import Correction, OutlineRow, outline

#: Names that services give their keys, the surest first.
KEY_NAMES = ("id", "key", "number", "code", "uuid", "ref")


@dataclass(frozen=True, slots=True)
class RowChoice:
    """A place whose values could become rows. path: a JSONPath.  count: how many there are.  holds: object, or what else."""

    path: str
    count: int
    holds: str


@dataclass(frozen=True, slots=True)
class Proposal:
    """A record type and a mapping, and the paths of the row that were left out."""

    record_type_name: str
    record_type: RecordTypeDocument
    mapping: MappingDocument
    left_out: list[str]
    notes: list[str]


def row_choices(document: Any) -> list[RowChoice]:
    """What could become rows: lists of objects first, longer ones before shorter ones, the whole response last."""
    found: list[RowChoice] = []

    def walk(row: OutlineRow) -> None:
        if "array" in row.types and "[*]" not in row.path:
            nodes = parse_jsonpath(row.path + "[*]").find(document)
            if nodes:
                kinds = {"object" if isinstance(node.value, dict) else "value" for node in nodes}
                found.append(RowChoice(row.path + "[*]", len(nodes), "object" if kinds == {"object"} else "value"))

    for row in outline(infer([document])):
        walk(row)
    found.sort(key=lambda choice: (choice.holds != "object", -choice.count))
    return [*found, RowChoice("$", 1, "object" if isinstance(document, dict) else "value")]


def propose(
    documents: Sequence[Any],
    *,
    rows: Sequence[str],
    name: str,
    take: Sequence[str] | None = None,
    corrections: Sequence[Correction] = (),
) -> Proposal:
    """A record type and mapping for rows at these levels.

    rows: one JSONPath a level, each from the level around it.  take: paths of wanted values, each from the row (`$.measures.girth`);
    None takes every plain value.  corrections: what people said of the response, paths as in its outline.
    """
    if not rows:
        raise MappingError("nothing was pointed at", where="rows", hint="say what becomes one row")
    values = documents
    for depth, path in enumerate(rows):
        parsed = parse_jsonpath(path)
        values = [node.value for value in values for node in find_rows(parsed, value, must_exist=depth == 0)]
    shape = infer(values)
    whole = "".join([rows[0], *(path[1:] for path in rows[1:])])
    relative = [
        Correction(path="$" + one.path.removeprefix(whole), type=one.type, name=one.name)
        for one in corrections
        if one.path.startswith(whole)
    ]
    lines = [
        line for line in outline(shape, relative) if line.type and "[*]" not in line.path and not _is_control(line)
    ]
    wanted = [line for line in lines if take is None or line.path in take]
    if take is not None and (unknown := sorted(set(take) - {line.path for line in lines})):
        raise MappingError(
            f"no row has a value at {unknown[0]}",
            where="take",
            hint="take a value of the tree; objects are taken part by part",
        )
    fields: list[RecordField] = []
    rules: list[FieldRule] = []
    shapes: dict[str, Shape] = {}
    for line in wanted:
        field_name = _field_name(line, {one.name for one in fields}, name)
        fields.append(RecordField(name=field_name, type=line.type, searchable=line.type != "json"))  # type: ignore[arg-type]
        rules.append(FieldRule(name=field_name, source=_source(line.path)))
        shapes[field_name] = _shape_at(shape, line.path)
    key = _key(fields, shapes)
    rules = [FieldRule(name=rule.name, source=rule.source, required=rule.name in key) for rule in rules]
    return Proposal(
        name,
        RecordTypeDocument(fields=fields, key=key),
        MappingDocument(outputs=[Output(record_type=name, rows=_levels(rows, name), fields=rules)]),
        [line.path for line in lines if line not in wanted],
        _notes(wanted, key),
    )


def _is_control(line: OutlineRow) -> bool:
    """Whether a member is about the response rather than in it: OData's annotations (4.0) and metadata (before)."""
    return (
        line.name.startswith("@odata.")
        or "@odata." in line.name
        or "__metadata" in line.path
        or "__deferred" in line.path
    )


def _levels(rows: Sequence[str], name: str) -> list[Level]:
    levels: list[Level] = []
    for number, path in enumerate(rows):
        short = short_form(parse_jsonpath(path))
        last = number == len(rows) - 1
        level = name if last else proposed_name(path, taken=[one.level for one in levels] + [name])
        levels.append(Level(level=level, at=short if short else At(jsonpath=path)))
    return levels


def _source(path: str) -> str | Source:
    short = short_form(parse_jsonpath(path))
    return short if short else Source(jsonpath=path)


def _field_name(line: OutlineRow, taken: set[str], row_name: str) -> str:
    """The last name of the path; a clash puts the parent's before it; a plain value's row gives the record type's name."""
    if line.path == "$":
        return proposed_name(row_name, separator="_")
    proposal = proposed_name(line.name, separator="_")
    if proposal not in taken or line.is_corrected:
        return proposed_name(line.name, separator="_", taken=taken)
    parents = [str(part) for part in parse_jsonpath(line.path).singular() or ()]
    return proposed_name(" ".join([*parents[-2:-1], line.name]), separator="_", taken=taken)


def _shape_at(shape: Shape, path: str) -> Shape:
    for part in parse_jsonpath(path).singular() or ():
        shape = shape.members[str(part)]
    return shape


def _key(fields: list[RecordField], shapes: dict[str, Shape]) -> list[str]:
    """The field whose values were all there and all different, by its name if several are; none if no field is."""
    unique = [field.name for field in fields if field.type in ("text", "integer") and shapes[field.name].is_unique()]
    named = [name for ending in KEY_NAMES for name in unique if name == ending or name.endswith(f"_{ending}")]
    return (named or unique)[:1]


def _notes(lines: list[OutlineRow], key: list[str]) -> list[str]:
    notes = []
    for line in lines:
        numbers = line.seen - line.nulls
        if line.type == "decimal" and 0 < line.fractional < numbers:
            share = round(100 * (numbers - line.fractional) / numbers)
            notes.append(
                f"{line.name} is whole in {share}% of rows and fractional in the others: kept as decimal, so that 2 and 2.0 stay equal"
            )
        elif len([kind for kind in line.types if kind != "null"]) > 1:
            notes.append(
                f"{line.name} is sometimes {' and sometimes '.join(kind for kind in line.types if kind != 'null')}: kept as {line.type}"
            )
    if not key:
        notes.append("no value tells every row from all others: choose the key")
    return notes
