"""What a mapping leaves aside and what it may lose, told from samples before anything runs."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rondine.core.documents.reading import ReadDocument
from rondine.core.mapping.document import ROOT, MappingDocument, Output, RecordTypeDocument, Source, parsed_source
from rondine.core.mapping.taking import find_rows
from rondine.core.paths import parse_jsonpath
from rondine.core.paths.jsonpath import step_text
from rondine.core.schema import OutlineRow, infer, outline
from rondine.core.schema.data_keys import Keys

#: Rows that are looked at.
MOST_ROWS = 5_000
#: (type seen in samples, type of the field) -> what may get lost, or keep values from fitting.
_LOSSES: Mapping[tuple[str, str], str] = {
    ("decimal", "integer"): "has fractions: such values are rejected, unless they are rounded on the way",
    ("datetime", "date"): "has times of day, and the field takes dates alone",
    ("json", "text"): "has lists or objects, and the field takes a text",
    ("text", "integer"): "has texts that are no whole numbers",
    ("text", "decimal"): "has texts that are no numbers",
    ("text", "boolean"): "has texts that are neither true nor false",
    ("text", "date"): "has texts that are no dates as year-month-day",
    ("text", "datetime"): "has texts that are no dates and times with an offset",
    ("date", "datetime"): "has dates without a time of day",
}


@dataclass(frozen=True, slots=True)
class Coverage:
    """unused: paths of values that no rule takes.  open: fields that no rule fills.  losses: (field, what may get
    lost)."""

    unused: tuple[str, ...]
    open: tuple[str, ...]
    losses: tuple[tuple[str, str], ...]


def coverage(
    mapping: MappingDocument, output: Output, record_type: RecordTypeDocument, documents: Sequence[ReadDocument]
) -> Coverage:
    """Of one output, over the rows of these samples; of very many, over some from all parts. Raises MappingError if the
    rows cannot be found."""
    values: list[Any] = [document.value for document in documents]
    for depth, level in enumerate(output.rows):
        rows = level.path(mapping.format)
        values = [node.value for value in values for node in find_rows(rows, value, must_exist=depth == 0)]
    values = values[:: -(-len(values) // MOST_ROWS) or 1]
    is_xml = mapping.format == "xml"
    sources = {rule.name: list(_paths(rule.source, mapping)) for rule in output.fields}
    taken = {path for paths in sources.values() for path in paths} | set(_lists_taken(mapping, output))
    taken |= {path for rule in output.fields if rule.unit is not None for path in _paths(rule.unit, mapping)}
    shape = infer(values, is_xml=is_xml, keys={} if is_xml else _named(taken))
    lines = {line.path: line for line in outline(shape, is_xml=is_xml) if line.type}
    unused: list[str] = []
    for path, line in lines.items():
        if line.seen > line.nulls and not _is_covered(path, taken) and not _is_covered(path, set(unused)):
            unused.append(path)
    filled = {rule.name for rule in output.fields}
    losses = []
    for rule in output.fields:
        known = record_type.field(rule.name)
        outline_rows = [lines[path] for path in sources[rule.name] if path in lines]
        if known is None or rule.convert or len(outline_rows) != 1:
            continue
        if words := _loss(outline_rows[0], rule.type or known.type):
            losses.append((rule.name, words))
    return Coverage(
        tuple(unused), tuple(field.name for field in record_type.fields if field.name not in filled), tuple(losses)
    )


@dataclass(frozen=True, slots=True)
class Taken:
    """A path of the whole response, as outlines write it, and the field that takes it; field is empty for the rows
    themselves."""

    path: str
    record_type: str
    field: str

    @property
    def words(self) -> str:
        return f"{self.record_type}.{self.field}" if self.field else f"the rows of {self.record_type}"

    def holds(self, path: str) -> bool:
        """Whether a path is this one or within it."""
        return _is_covered(path, {self.path})

    def meets(self, path: str) -> bool:
        """Whether a path is this one, around it or within it."""
        return _is_covered(self.path, {path}) or (bool(self.field) and _is_covered(path, {self.path}))


def paths_taken(mapping: MappingDocument) -> list[Taken]:
    """Everything that a mapping takes of responses. Of what is not a plain path from a level, nothing."""
    of, found = mapping.format, []
    for output in mapping.outputs:
        bases, at = {ROOT: "" if of == "xml" else "$"}, "" if of == "xml" else "$"
        for level in output.rows:
            text = level.path(of).text
            at = _joined_path(at, text)
            bases[level.level] = at
        bases[""] = at
        found.append(Taken(at, output.record_type, ""))
        for rule in output.fields:
            for level_name, text in _sources(rule.source, mapping):
                found.append(Taken(_joined_path(bases.get(level_name, at), text), output.record_type, rule.name))
    return found


def _joined_path(base: str, text: str) -> str:
    if text.startswith("$"):
        return base + text[1:]
    return text if text.startswith("/") else f"{base}/{text}" if text != "." else base


def _sources(source: str | Source, mapping: MappingDocument) -> list[tuple[str, str]]:
    """(level, path) of all that a source takes."""
    one = parsed_source(source, mapping.format)
    inner = [found for each in [*(one.first_of or []), *(one.several or [])] for found in _sources(each, mapping)]
    path = one.path()
    return inner if path is None else [*inner, (one.level, path.text)]


def _named(paths: Iterable[str]) -> dict[str, Keys]:
    """The objects whose members these paths call by name, whatever their keys look like."""
    found: dict[str, Keys] = {}
    for path in paths:
        place = parse_jsonpath(path).singular() or ()
        for length in range(len(place)):
            steps = (step_text(part) if isinstance(part, str) else f"[{part}]" for part in place[:length])
            found["".join(("$", *steps))] = "names"
    return found


def _lists_taken(mapping: MappingDocument, output: Output) -> list[str]:
    """The lists in a row that other outputs make their rows of, as outlines write them."""
    depth = len(output.rows)
    return [
        other.rows[depth].path(mapping.format).text.removesuffix("[*]")
        for other in mapping.outputs
        if len(other.rows) > depth and [row.at for row in other.rows[:depth]] == [row.at for row in output.rows]
    ]


def _paths(source: str | Source, mapping: MappingDocument) -> list[str]:
    """The paths from the row that a source takes, as outlines write them."""
    return [path for level, path in _sources(source, mapping) if not level]


def _is_covered(path: str, taken: set[str]) -> bool:
    """Whether a value, or something around it, is taken."""
    return any(path == one or path.startswith((f"{one}.", f"{one}[", f"{one}/")) for one in taken)


def _loss(line: OutlineRow, kind: str) -> str:
    words = _LOSSES.get((line.type, kind), "")
    if (line.type, kind) == ("decimal", "integer") and not line.fractional:
        return ""
    example = f", such as {line.examples[0]}" if line.examples and words else ""
    return f"{line.path} {words}{example}" if words else ""
