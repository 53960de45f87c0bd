"""A mapping document made ready to run: each output with two ways from a row to its record.

The fast way is generated source (`generated.py`). A row that fails there goes the exact way (`explain`), field by field
through the compiled paths, which finds every problem and every place. Both give equal records; a property test holds
them together.
"""

from collections.abc import Callable, Collection, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from rondine.core.conversions.types import ConversionError, in_words
from rondine.core.documents.members import MISSING, at_names
from rondine.core.documents.reading import ReadDocument
from rondine.core.errors import DocumentError, DraftError, MappingError
from rondine.core.mapping.document import ROOT, Format, MappingDocument, Output, RecordTypeDocument, problems_of
from rondine.core.mapping.generated import FastWay, fast_way, is_plain_list, plain_part, sources_of
from rondine.core.mapping.taking import (
    EMPTY,
    Levels,
    check_unit,
    find_rows,
    holds,
    made,
    made_rule,
    made_source,
    stepped,
    take,
)
from rondine.core.paths import JsonPath, Location, Node, WholeXPath, normalized_path, xpath_of


@dataclass(frozen=True, slots=True)
class FieldProblem:
    """field: its name.  path: where in the response, as a normalized path; empty if the value comes from elsewhere or
    is missing."""

    field: str
    path: str
    reason: str
    value: Any = None


@dataclass(frozen=True, slots=True)
class Reject:
    """A row that could not become a record. ordinal: the row's number in the response, from 0.  path: its place."""

    ordinal: int
    path: str
    problems: tuple[FieldProblem, ...]
    row: Any


@dataclass(slots=True)
class Mapped:
    """What one response became: rows = records + rejects + filtered. data: of the records, in the order of the rows.
    ordinals: each one's row."""

    rows: int = 0
    filtered: int = 0
    ordinals: Sequence[int] = ()
    data: list[dict[str, Any]] = field(default_factory=list)
    rejects: list[Reject] = field(default_factory=list)

    @property
    def records(self) -> list[tuple[int, dict[str, Any]]]:
        return list(zip(self.ordinals, self.data, strict=True))


@dataclass(frozen=True, slots=True)
class FieldTrace:
    """How one value was made. location: its place in the response, None if it has none.  note: what became of it, in
    words."""

    field: str
    location: Location | None
    note: str = ""


@dataclass(frozen=True, slots=True)
class RowTrace:
    """row: its value.  data: None for a reject, and for a row that a condition leaves out (is_filtered)."""

    ordinal: int
    location: Location
    row: Any
    data: dict[str, Any] | None
    fields: tuple[FieldTrace, ...]
    problems: tuple[FieldProblem, ...]
    is_filtered: bool = False


@dataclass(frozen=True, slots=True)
class Rows:
    """Values of the first level. items: as the fast way reads them.  place: of one, by index.  whole: one with all that
    is in it, by index.

    first: the number of the first in the response.  ordinal: of the first row in them.
    """

    items: Sequence[Any]
    location: Callable[[int], Location]
    whole: Callable[[int], Any]
    first: int = 0
    ordinal: int = 0


class CompiledOutput:
    """One output, ready to run. Raises nothing for a bad row; raises MappingError if the rows cannot be found at
    all."""

    def __init__(self, output: Output, record_type: RecordTypeDocument, of: Format = "json") -> None:
        self.record_type = output.record_type
        self.key = tuple(record_type.key)
        self.levels = [(level.level, level.path(of)) for level in output.rows]
        self.or_one = [level.or_one for level in output.rows]
        order = {field.name: number for number, field in enumerate(record_type.fields)}
        in_order = sorted(output.fields, key=lambda rule: order.get(rule.name, len(order)))
        self.rules = [
            made_rule(rule, record_type, of) for rule in in_order
        ]  # so that all mappings write a record alike
        self.conditions = [(made_source(condition.source, of, is_text=True), condition) for condition in output.where]
        #: A place as people read it: a normalized path in JSON, an XPath in XML.
        self.shown = xpath_of if of == "xml" else normalized_path
        self.sources = sources_of(self.rules, self.conditions)
        #: Sources that generated source does not take need the exact way for every row; so do objects in place of inner
        #: lists.
        self.is_plain = (
            all(source.is_plain for source in self.sources)
            and not any(isinstance(path, WholeXPath) for _, path in self.levels)
            and not any(self.or_one[1:])
        )
        self.fast = fast_way(self.levels, self.rules, self.conditions) if self.is_plain else None

    def run(self, document: Any, inputs: Mapping[Hashable, Any] | None = None) -> Mapped:
        """The records and rejects of one response. inputs: by name, and what else `mapping_inputs` gives. Raises
        MappingError if a value that does not fit is to stop the run.
        """
        return self.run_rows(document, self._first_rows(document), inputs or {}, self.fast)

    def run_rows(self, document: Any, rows: Rows, inputs: Mapping[Hashable, Any], fast: FastWay | None) -> Mapped:
        """The records and rejects of some rows. document: for what is taken from around them.  fast: for rows read in
        its way, None for the exact way.

        Raises NotPlain if a row read in part needs to be read whole.
        """
        kept: list[dict[str, Any]] = []
        others: list[tuple[int, int, int] | None] = []  # None: left out by a condition
        gone: set[int] = set()

        def other(location: tuple[int, ...] | None) -> None:
            number = len(kept) + len(others)
            gone.add(rows.ordinal + number)
            others.append(None if location is None else (rows.ordinal + number, *(location or (number, 0))))  # type: ignore[arg-type]

        if fast is not None:
            fast(
                document,
                rows.items,
                rows.first,
                inputs,
                kept.append,
                lambda: other(None),
                lambda *location: other(location),
            )
        done = len(kept) + len(others)
        every = range(rows.ordinal, rows.ordinal + done)
        mapped = Mapped(done, others.count(None), [one for one in every if one not in gone] if gone else every, kept)
        failed = [one for one in others if one is not None]
        if fast is None or failed:
            traces = self._explained(document, rows, inputs, None if fast is None else failed, is_traced=False)
            self._add_explained(mapped, traces, {one[0] for one in failed})
        return mapped

    def _add_explained(self, mapped: Mapped, traces: Iterable[RowTrace], failed: Collection[int]) -> None:
        """Adds what became of the rows that went the exact way. failed: their ordinals, where the fast way has gone
        before and has counted them."""
        records: list[tuple[int, dict[str, Any]]] = []
        for trace in traces:
            mapped.rows += trace.ordinal not in failed
            if trace.is_filtered:
                mapped.filtered += 1
            elif trace.data is None:
                mapped.rejects.append(Reject(trace.ordinal, self.shown(trace.location), trace.problems, trace.row))
            else:
                records.append((trace.ordinal, trace.data))
        if not records:
            return
        records += zip(mapped.ordinals, mapped.data, strict=True)
        records.sort(key=lambda pair: pair[0])
        mapped.ordinals, mapped.data = [ordinal for ordinal, _ in records], [data for _, data in records]

    def explain(
        self, document: Any, inputs: Mapping[Hashable, Any] | None = None, *, only: Collection[int] | None = None
    ) -> Iterator[RowTrace]:
        """Each row the exact way, with the place of every value and every problem. only: the ordinals wanted, None for
        all."""
        rows = self._first_rows(document)
        if only is None:
            yield from self._explained(document, rows, inputs or {})
        elif len(self.levels) == 1:
            wanted = [(one, one, 0) for one in sorted(only) if one < len(rows.items)]
            yield from self._explained(document, rows, inputs or {}, wanted)
        else:
            yield from (trace for trace in self._explained(document, rows, inputs or {}) if trace.ordinal in only)

    def first_names(self) -> tuple[str, ...] | None:
        """The names that lead to the list whose elements the first level goes through; None if it is otherwise."""
        path = self.levels[0][1]
        if not isinstance(path, JsonPath):
            return None
        names, rest = plain_part(path)
        return names if is_plain_list(rest) else None

    def count_first(self, document: Any) -> int:
        """How many values the first level goes through. Raises MappingError if they cannot be found."""
        return len(self._first_rows(document).items)

    def _first_rows(self, document: Any) -> Rows:
        """The values of the first level. Those of a plain list are told apart by index alone, so that they cost no
        nodes."""
        path, names = self.levels[0][1], self.first_names()
        items = at_names(document, names) if names is not None else None
        if names is not None and isinstance(items, list):
            return Rows(items, lambda index: (*names, index), items.__getitem__)
        nodes = find_rows(path, document, must_exist=True, or_one=self.or_one[0])
        return Rows(
            [node.value for node in nodes], lambda index: nodes[index].location, lambda index: nodes[index].value
        )

    def _explained(
        self,
        document: Any,
        rows: Rows,
        inputs: Mapping[Hashable, Any],
        failed: Sequence[tuple[int, int, int]] | None = None,
        *,
        is_traced: bool = True,
    ) -> Iterator[RowTrace]:
        """failed: rows as the fast way tells them: (ordinal, index in the first level, number within that); None for
        all."""
        root = (Node((), document), 0)
        if failed is None:
            ordinal = rows.ordinal
            for index in range(len(rows.items)):
                for nodes in self._inner_rows(root, rows, index):
                    yield self._explain_row(ordinal, nodes, inputs, is_traced=is_traced)
                    ordinal += 1
            return
        inner: list[list[tuple[Node, int]]] = []
        at = -1
        for ordinal, index, number in failed:
            if index != at:
                at, inner = index, list(self._inner_rows(root, rows, index))
            yield self._explain_row(ordinal, inner[number], inputs, is_traced=is_traced)

    def _inner_rows(self, root: tuple[Node, int], rows: Rows, index: int) -> Iterator[list[tuple[Node, int]]]:
        """The rows within one value of the first level, each as one (node, position) a level, the root first."""

        def walk(depth: int, nodes: list[tuple[Node, int]]) -> Iterator[list[tuple[Node, int]]]:
            if depth == len(self.levels):
                yield nodes
                return
            base = nodes[-1][0]
            found_rows = find_rows(self.levels[depth][1], base.value, must_exist=False, or_one=self.or_one[depth])
            for position, found in enumerate(found_rows):
                here = Node(base.location + found.location, found.value)
                yield from walk(depth + 1, [*nodes, (here, position)])

        first = Node(rows.location(index), rows.whole(index))
        return walk(1, [root, (first, index + rows.first)])

    def _explain_row(
        self, ordinal: int, nodes: list[tuple[Node, int]], inputs: Mapping[Hashable, Any], *, is_traced: bool
    ) -> RowTrace:
        levels: Levels = {
            ROOT: nodes[0],
            "": nodes[-1],
            **{name: node for (name, _), node in zip(self.levels, nodes[1:], strict=True)},
        }
        here = nodes[-1][0].location
        if not all(holds(source, condition, levels, inputs) for source, condition in self.conditions):
            return RowTrace(ordinal, here, nodes[-1][0].value, None, (), (), is_filtered=True)
        data: dict[str, Any] = {}
        traces: list[FieldTrace] = []
        problems: list[FieldProblem] = []
        is_found = self.shown is xpath_of or not self.rules
        for rule in self.rules:
            location: Location | None = None
            raw = MISSING
            try:
                location, raw = take(rule.source, levels, inputs)
                is_found = is_found or raw is not MISSING
                if raw is not MISSING and raw not in EMPTY:
                    check_unit(rule, levels, inputs)
                value = made(rule, stepped(rule, raw))
            except ConversionError as error:
                path = self.shown(location) if location is not None else ""
                if rule.on_failure == "stop":
                    raise MappingError(
                        f'field "{rule.name}": {path} {error}',
                        where=self.shown(here),
                        hint="the mapping says that such a value stops the run",
                    ) from error
                if rule.on_failure == "empty":
                    data[rule.name] = None
                    traces.append(FieldTrace(rule.name, location, f"left empty: {error}"))
                    continue
                problems.append(FieldProblem(rule.name, path, str(error), None if raw is MISSING else raw))
                traces.append(FieldTrace(rule.name, location, str(error)))
                continue
            if value is not MISSING:
                data[rule.name] = value
            if not is_traced:
                continue
            note = (
                "default"
                if raw in (MISSING, None) and value is not MISSING and value is not None
                else "missing"
                if raw is MISSING
                else ""
            )
            traces.append(FieldTrace(rule.name, location, note))
        row = nodes[-1][0].value
        if (problems or not data) and not is_found and not isinstance(row, dict):
            many = "is a list: let the level go through [*], to take each of it" if isinstance(row, list) else ""
            words = many or f"is {in_words(row)}, in which no field finds anything"
            problems.insert(0, FieldProblem(self.rules[0].name, self.shown(here), f"the row {words}", None))
        return RowTrace(ordinal, here, row, None if problems else data, tuple(traces), tuple(problems))


def compile_mapping(
    mapping: MappingDocument, record_types: dict[str, RecordTypeDocument], *, is_kept: bool = True
) -> list[CompiledOutput]:
    """The outputs of a mapping, ready to run. Raises DraftError with every problem if it cannot run. is_kept: records
    need a key."""
    problems = problems_of(mapping, record_types, is_kept=is_kept)
    if problems:
        raise DraftError(
            "the mapping cannot run yet", where=problems[0].where, hint=problems[0].message, problems=problems
        )
    return [CompiledOutput(output, record_types[output.record_type], mapping.format) for output in mapping.outputs]


def check_format(mapping: MappingDocument, read: ReadDocument) -> None:
    """Raises DocumentError if a body is of another format than the mapping reads."""
    if read.is_xml != (mapping.format == "xml"):
        raise DocumentError(
            f"the response is {read.format.upper()}, and the mapping reads {mapping.format.upper()}",
            where="$",
            hint="look at what came back; another format needs another mapping",
        )
