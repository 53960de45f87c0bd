"""A mapping document made into one Python function for each output.

Two ways lead from a row to its record. The fast one is generated source: shared path prefixes are read once, a row costs one `try`, and
nothing explains. A row that fails there goes the exact way (`explain`), field by field through the compiled paths, which finds every
problem and every place. Both give equal records; a property test holds them together. Everything that comes from the document reaches the
source through a slot: the generated text contains generated identifiers only.
"""

from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from msgspec import UNSET

from rondine.core.documents.elements import TEXT, text_of
from rondine.core.documents.json import kind_of, node_at
from rondine.core.documents.reading import ReadDocument
from rondine.core.documents.wanted import Wanted, wanted_of
from rondine.core.errors import DocumentError, DraftError, MappingError, did_you_mean
from rondine.core.mapping.conversions import chain
from rondine.core.mapping.document import (
    ROOT,
    Condition,
    FieldRule,
    Format,
    MappingDocument,
    Output,
    Path,
    RecordTypeDocument,
    Source,
    parsed_source,
    problems_of,
)
from rondine.core.mapping.types import CONVERSIONS, ConversionError, to_decimal, to_text
from rondine.core.paths import JsonPath, Location, Node, XPath, normalized_path, resolve, xpath_of
from rondine.core.paths.filters import equal, less
from rondine.core.paths.iregexp import matches
from rondine.core.paths.jsonpath import Name, Several, Wildcard

MISSING = object()
EMPTY = (None, "")


@dataclass(frozen=True, slots=True)
class FieldProblem:
    """field: its name.  path: where in the response, as a normalized path; empty if the value comes from elsewhere or is missing."""

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
    """What one response became: rows = len(records) + len(rejects) + filtered. records: (ordinal, data) pairs in the order of the rows."""

    rows: int = 0
    filtered: int = 0
    records: list[tuple[int, dict[str, Any]]] = field(default_factory=list)
    rejects: list[Reject] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class FieldTrace:
    """How one value was made. location: its place in the response, None if it has none.  note: what became of it, in words."""

    field: str
    location: Location | None
    note: str = ""


@dataclass(frozen=True, slots=True)
class RowTrace:
    """data: None for a reject, and for a row that a condition leaves out (is_filtered)."""

    ordinal: int
    location: Location
    data: dict[str, Any] | None
    fields: tuple[FieldTrace, ...]
    problems: tuple[FieldProblem, ...]
    is_filtered: bool = False


@dataclass(frozen=True, slots=True)
class Taken:
    """A source with its path parsed. given: the name under which an input, standing value or header is given to a run; see `given_values`.

    first_of, several: sources within it.  is_text: of XML elements, their texts are taken.
    """

    level: str = ""
    path: Path | None = None
    is_all: bool = False
    position: str | None = None
    key: str | None = None
    given: Hashable = None
    value: Any = None
    first_of: tuple["Taken", ...] = ()
    several: tuple["Taken", ...] = ()
    is_text: bool = True

    @property
    def is_plain(self) -> bool:
        """Whether generated source can take it: all but keys and sources of sources."""
        return self.key is None and not self.first_of and not self.several


@dataclass(frozen=True, slots=True)
class Rule:
    """A field rule with its source parsed, its conversions found and its default converted. convert: None if it has no steps."""

    name: str
    source: Taken
    convert: Callable[[Any], Any] | None
    kind: str
    required: bool
    default: Any
    on_failure: str

    @property
    def path(self) -> Path | None:
        return self.source.path


#: Of a row: its levels by name as (node, position), the row itself under the empty name.
Levels = Mapping[str, tuple[Node, int]]


def given_values(
    inputs: Mapping[str, Any], standing: Mapping[str, Any] | None = None, headers: Iterable[tuple[str, str]] = ()
) -> dict[Hashable, Any]:
    """What a run is given besides the response: inputs by name, standing values and headers under names of their own."""
    found: dict[Hashable, Any] = {name: value for name, value in inputs.items()}  # noqa: C416 their names are of another type
    found.update({("standing", name): value for name, value in (standing or {}).items()})
    for name, value in headers:
        held = found.get(("header", name.lower()))
        found["header", name.lower()] = value if held is None else f"{held}, {value}"
    return found


class CompiledOutput:
    """One output, ready to run. Raises nothing for a bad row; raises MappingError if the rows cannot be found at all."""

    def __init__(self, output: Output, record_type: RecordTypeDocument, of: Format = "json") -> None:
        self.record_type = output.record_type
        self.key = tuple(record_type.key)
        self.levels = [(level.level, level.path(of)) for level in output.rows]
        self.rules = [_rule(rule, record_type, of) for rule in output.fields]
        self.conditions = [(_source(one.source, of, is_text=True), one) for one in output.where]
        #: A place as people read it: a normalized path in JSON, an XPath in XML.
        self.shown = xpath_of if of == "xml" else normalized_path
        is_plain = not self.conditions and all(rule.source.is_plain for rule in self.rules)
        self._fast = _generate(self) if is_plain else self._exactly

    def _exactly(
        self, document: Any, given: Mapping[Hashable, Any], keep: Callable[[Any], None], failed: Callable[[int], None]
    ) -> int:
        """In place of the generated function where rows have conditions, or sources that it does not take: every row goes the exact way."""
        rows = sum(1 for _ in self._rows(document))
        for ordinal in range(rows):
            failed(ordinal)
        return rows

    def run(self, document: Any, given: Mapping[Hashable, Any] | None = None) -> Mapped:
        """The records and rejects of one response. given: inputs by name, and what else `given_values` gives. Raises MappingError if a value that
        does not fit is to stop the run.
        """
        mapped = Mapped()
        given = given or {}
        failed: set[int] = set()
        mapped.rows = self._fast(document, given, mapped.records.append, failed.add)
        if failed:
            for trace in self.explain(document, given, only=failed if len(failed) < mapped.rows else None):
                if trace.is_filtered:
                    mapped.filtered += 1
                elif trace.data is None:
                    row = node_at(document, trace.location)
                    mapped.rejects.append(Reject(trace.ordinal, self.shown(trace.location), trace.problems, row))
                else:
                    mapped.records.append((trace.ordinal, trace.data))
            mapped.records.sort(key=lambda pair: pair[0])
        return mapped

    def explain(
        self, document: Any, given: Mapping[Hashable, Any] | None = None, *, only: set[int] | None = None
    ) -> Iterator[RowTrace]:
        """Each row the exact way, with the place of every value and every problem. only: the ordinals wanted, None for all."""
        for ordinal, nodes in self._rows(document) if only is None else self._chosen_rows(document, only):
            yield self._explain_row(ordinal, nodes, given or {})

    def _chosen_rows(self, document: Any, only: set[int]) -> Iterator[tuple[int, list[tuple[Node, int]]]]:
        """The rows with these ordinals. In a plain list they are found by index, so that a few bad rows do not cost a walk over all."""
        names = _plain_list(self.levels[0][1]) if len(self.levels) == 1 else None
        holder = resolve(document, names) if names is not None else None
        if holder is not None and isinstance(holder[1], list):
            location, rows = holder
            for ordinal in sorted(only):
                if ordinal < len(rows):
                    yield ordinal, [(Node((), document), 0), (Node((*location, ordinal), rows[ordinal]), ordinal)]
            return
        for ordinal, nodes in self._rows(document):
            if ordinal in only:
                yield ordinal, nodes

    def _rows(self, document: Any) -> Iterator[tuple[int, list[tuple[Node, int]]]]:
        """Each row as (ordinal, one (node, position) a level, the root first)."""

        def walk(depth: int, nodes: list[tuple[Node, int]]) -> Iterator[list[tuple[Node, int]]]:
            if depth == len(self.levels):
                yield nodes
                return
            base = nodes[-1][0]
            for position, found in enumerate(find_rows(self.levels[depth][1], base.value, must_exist=depth == 0)):
                here = Node(base.location + found.location, found.value)
                yield from walk(depth + 1, [*nodes, (here, position)])

        return enumerate(walk(0, [(Node((), document), 0)]))

    def _explain_row(self, ordinal: int, nodes: list[tuple[Node, int]], given: Mapping[Hashable, Any]) -> RowTrace:
        levels: Levels = {
            ROOT: nodes[0],
            "": nodes[-1],
            **{name: node for (name, _), node in zip(self.levels, nodes[1:], strict=True)},
        }
        here = nodes[-1][0].location
        if not all(_holds(source, condition, levels, given) for source, condition in self.conditions):
            return RowTrace(ordinal, here, None, (), (), is_filtered=True)
        data: dict[str, Any] = {}
        traces: list[FieldTrace] = []
        problems: list[FieldProblem] = []
        for rule in self.rules:
            location: Location | None = None
            raw = MISSING
            try:
                location, raw = _take(rule.source, levels, given)
                value = _made(rule, _stepped(rule, raw))
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
            note = (
                "default"
                if raw in (MISSING, None) and value is not MISSING and value is not None
                else "missing"
                if raw is MISSING
                else ""
            )
            traces.append(FieldTrace(rule.name, location, note))
        return RowTrace(ordinal, here, None if problems else data, tuple(traces), tuple(problems))


def compile_mapping(
    mapping: MappingDocument, record_types: dict[str, RecordTypeDocument], *, is_kept: bool = True
) -> list[CompiledOutput]:
    """The outputs of a mapping, ready to run. Raises DraftError with every problem if it cannot run. is_kept: records need a key."""
    problems = problems_of(mapping, record_types, is_kept=is_kept)
    if problems:
        raise DraftError(
            "the mapping cannot run yet", where=problems[0].where, hint=problems[0].message, problems=problems
        )
    return [CompiledOutput(output, record_types[output.record_type], mapping.format) for output in mapping.outputs]


def wanted_by(mapping: MappingDocument, outputs: Sequence[CompiledOutput]) -> Wanted | None:
    """What an XML mapping wants of a response, None if it needs all of it: for conditions, predicates, whole elements, keys."""
    paths: list[tuple[str, ...]] = []
    levels: list[tuple[str, ...]] = []
    for output in outputs:
        if output.conditions:
            return None
        at: dict[str, tuple[str, ...]] = {ROOT: ()}
        here: tuple[str, ...] = ()
        for name, path in output.levels:
            names = path.names() if isinstance(path, XPath) else None
            if not names:
                return None
            here = here + names
            at[name] = here
            levels.append(here)
        at[""] = here
        for rule in output.rules:
            if rule.path is None and rule.source.is_plain:
                continue
            names = rule.path.names() if isinstance(rule.path, XPath) else None
            if not names or not rule.source.is_text:
                return None
            paths.append(at[rule.source.level] + names)
    return wanted_of(paths, levels, mapping.namespaces)


def check_format(mapping: MappingDocument, read: ReadDocument) -> None:
    """Raises DocumentError if a body is of another format than the mapping reads."""
    if read.is_xml != (mapping.format == "xml"):
        raise DocumentError(
            f"the response is {read.format.upper()}, and the mapping reads {mapping.format.upper()}",
            where="$",
            hint="look at what came back; another format needs another mapping",
        )


def find_rows(path: Path, base: Any, *, must_exist: bool) -> list[Node]:
    """What a level goes through. An empty list has no rows; so has null. A path that leads nowhere is an error at the first level only:
    further in, a missing list is an empty one. In XML a list without elements is not there at all: only what is around it must be."""
    found = path.find(base)
    if isinstance(path, XPath):
        if not found and must_exist:
            _check_around(path, base)
        return found
    if found or not must_exist or not path.segments:
        return found
    last = path.segments[-1]
    holders = JsonPath(path.text, path.segments[:-1]).find(base)
    if any(isinstance(node.value, (list, dict)) or node.value is None for node in holders) and any(
        isinstance(s, Several) for s in last.selectors
    ):
        return []
    if holders and any(isinstance(s, Several) for s in last.selectors):
        raise MappingError(
            f"{path.text} leads to a {kind_of(holders[0].value)}, not to a list",
            where=path.text,
            hint="point at a list, or leave out [*]",
        )
    names = sorted(base) if isinstance(base, dict) else []
    first = path.segments[0].selectors[0]
    hint = (
        did_you_mean(first.name, names) if isinstance(first, Name) else ""
    ) or f"the response is a {kind_of(base)}; look at what came back"
    raise MappingError(f"{path.text} matches nothing in this response", where=path.text, hint=hint)


def _check_around(path: XPath, base: Any) -> None:
    """Raises MappingError, with the nearest name, if what should be around the rows is not there."""
    for length in range(1, len(path.steps)):
        if not XPath(path.text, path.steps[:length]).find(base):
            break
    else:
        length = len(path.steps)
    around = XPath(path.text, path.steps[: length - 1]).find(base)[0]
    held = around.value if isinstance(around.value, dict) else {}
    names = [name for name in held if not name.startswith("@") and name != TEXT]
    wanted = path.steps[length - 1].name
    same = [name for name in names if name.rpartition(":")[2] == wanted.rpartition(":")[2]]
    if length == len(path.steps) and (length > 1 or path.steps[0].descendant) and not same:
        return
    hint = f'"{same[0]}" is there, in another namespace' if same else did_you_mean(wanted, names)
    raise MappingError(
        f"{path.text} matches nothing in this response: there is no {wanted}",
        where=path.text,
        hint=hint or (f"there is {', '.join(names[:5])}" if names else "look at what came back"),
    )


def _rule(rule: FieldRule, record_type: RecordTypeDocument, of: Format) -> Rule:
    source = rule.parsed(of)
    known = record_type.field(rule.name)
    kind = rule.type or (known.type if known else "json")
    default: Any = MISSING
    if rule.default is not UNSET:
        try:
            default = None if rule.default is None else CONVERSIONS[kind](rule.default)
        except ConversionError as error:
            raise DraftError(
                f'the default of field "{rule.name}" {error}', where=rule.name, hint=f"give a default that is {kind}"
            ) from error
    if source.all and kind != "json" and not rule.convert:
        raise DraftError(
            f'field "{rule.name}" is {kind}, and takes all that a path finds',
            where=rule.name,
            hint="make it json, convert the list (join, pick, reckon), or leave out all",
        )
    required = rule.required or rule.name in record_type.key
    return Rule(
        rule.name,
        _source(source, of, is_text=kind != "json" or bool(rule.convert), kind="json" if rule.convert else kind),
        chain(rule.convert) if rule.convert else None,
        kind,
        required,
        default,
        "reject" if required and rule.on_failure == "empty" else rule.on_failure,
    )


def _source(source: str | Source, of: Format, *, is_text: bool, kind: str = "") -> Taken:
    """A source ready to be taken. is_text: elements of XML give their texts.  kind: of the field, if the value goes straight into it."""
    one = parsed_source(source, of)
    path = one.path()
    given: Hashable = one.input
    given = ("standing", one.standing) if one.standing is not None else given
    given = ("header", one.header.lower()) if one.header is not None else given
    return Taken(
        ROOT if isinstance(path, XPath) and path.is_absolute else one.level,
        path,
        one.all or (kind == "json" and isinstance(path, JsonPath) and path.selects_several()),
        one.position,
        one.key,
        given,
        None if one.value is UNSET else one.value,
        tuple(_source(each, of, is_text=is_text) for each in one.first_of or ()),
        tuple(_source(each, of, is_text=is_text) for each in one.several or ()),
        is_text,
    )


def value_in(read: ReadDocument, source: str | Source, given: Mapping[Hashable, Any] | None = None) -> Any:
    """What a source finds in a whole response, MISSING if nothing; of a path that finds several, the first."""
    taken = _source(source, "xml" if read.is_xml else "json", is_text=True)
    if taken.path is not None:
        nodes = taken.path.find(read.value)
        value = nodes[0].value if nodes else MISSING
        return text_of(value) if read.is_xml and isinstance(value, (dict, str)) else value
    return _take(taken, {ROOT: (Node((), read.value), 0), "": (Node((), read.value), 0)}, given or {})[1]


def is_nothing_in(read: ReadDocument, source: str | Source) -> bool:
    """Whether a source finds nothing in a whole response, or only what is null or empty; an element with attributes is something."""
    taken = _source(source, "xml" if read.is_xml else "json", is_text=False)
    if taken.path is not None:
        return all(node.value in (None, "", [], {}) for node in taken.path.find(read.value))
    value = value_in(read, source)
    return value is MISSING or value in (None, "", [], {})


def holds_in(read: ReadDocument, condition: Condition, given: Mapping[Hashable, Any] | None = None) -> bool:
    """Whether a whole response passes a condition."""
    here = (Node((), read.value), 0)
    source = _source(condition.source, "xml" if read.is_xml else "json", is_text=True)
    return _holds(source, condition, {ROOT: here, "": here}, given or {})


def _take(source: Taken, levels: Levels, given: Mapping[Hashable, Any]) -> tuple[Location | None, Any]:
    """What a source finds: (its place, it). Raises ConversionError if a path finds several for a field that takes one."""
    if source.path is not None:
        return _taken(source, levels[source.level][0])
    if source.position is not None:
        return None, levels[source.position][1]
    if source.key is not None:
        node = levels[source.key][0]
        return node.location or None, node.location[-1] if node.location else MISSING
    if source.given is not None:
        return None, given.get(source.given, MISSING)
    if source.first_of:
        for one in source.first_of:
            location, value = _take(one, levels, given)
            if value is not MISSING and value not in EMPTY:
                return location, value
        return None, MISSING
    if source.several:
        found = [_take(one, levels, given) for one in source.several]
        place = next((location for location, _ in found if location is not None), None)
        return place, [None if value is MISSING else value for _, value in found]
    return None, source.value


def _holds(source: Taken, condition: Condition, levels: Levels, given: Mapping[Hashable, Any]) -> bool:
    """Whether a row passes a condition. A value that is not there is equal to nothing, and neither less nor more than anything."""
    try:
        _, value = _take(source, levels, given)
    except ConversionError:
        return False
    is_there = value is not MISSING and value not in EMPTY
    wanted = condition.value
    match condition.is_:
        case "present":
            return is_there
        case "absent":
            return not is_there
        case "not_equal":
            return not is_there or not _same(value, wanted)
        case "none_of":
            return not is_there or not any(_same(value, one) for one in wanted)  # type: ignore[union-attr]
    if not is_there:
        return False
    match condition.is_:
        case "equal":
            return _same(value, wanted)
        case "one_of":
            return any(_same(value, one) for one in wanted)  # type: ignore[union-attr]
        case "matches":
            return not isinstance(value, (dict, list)) and matches(str(wanted), to_text(value), whole=True)
    one, other = _ordered(value, wanted)
    return {
        "less": less(one, other),
        "more": less(other, one),
        "at_most": less(one, other) or equal(one, other),
        "at_least": less(other, one) or equal(one, other),
    }[condition.is_]


def _same(value: Any, wanted: Any) -> bool:
    return equal(*_ordered(value, wanted))


def _ordered(value: Any, wanted: Any) -> tuple[Any, Any]:
    """Both as numbers where one is a number and the other a text of one, as in XML; as they are otherwise."""
    if isinstance(value, str) and isinstance(wanted, (int, float, Decimal)) and not isinstance(wanted, bool):
        try:
            return to_decimal(value.strip()), Decimal(str(wanted))
        except ConversionError:
            return value, wanted
    return value, Decimal(str(wanted)) if isinstance(wanted, float) else wanted


def _taken(source: Taken, base: Node) -> tuple[Location | None, Any]:
    """The value a source's path finds: (its place, it). Several are taken as a list where that is wanted, and refused otherwise."""
    assert source.path is not None
    found = source.path.find(base.value)
    is_xml = isinstance(source.path, XPath)
    if source.is_all:
        place = base.location + found[0].location if found else None
        return place, [text_of(node.value) if is_xml and source.is_text else node.value for node in found]
    if not found:
        return None, MISSING
    if len(found) > 1:
        raise ConversionError(f"has {len(found)} values, and the field takes one")
    raw = found[0].value
    return base.location + found[0].location, text_of(raw) if is_xml and source.is_text else raw


def _stepped(rule: Rule, raw: Any) -> Any:
    """What was found, gone through the rule's steps; blanks around a text of XML count in texts only."""
    if rule.convert is not None and raw is not MISSING and raw is not None:
        raw = rule.convert(raw)
    if isinstance(rule.path, XPath) and rule.kind not in ("text", "json") and raw.__class__ is str:
        return raw.strip()
    return raw


def _child(holder: Any, name: str) -> Any:
    """The one element or attribute of this name. Raises LookupError if there are several: the exact way says so."""
    if holder.__class__ is not dict:
        if holder.__class__ is list:
            raise LookupError(name)
        return MISSING
    value = holder.get(name, MISSING)
    if value.__class__ is list:
        raise LookupError(name)
    return value


def _made(rule: Rule, raw: Any) -> Any:
    """The field's value from what was found, MISSING if the record does without. Raises ConversionError."""
    if raw is MISSING or raw is None or (raw == "" and rule.kind != "text"):
        if rule.default is not MISSING:
            return rule.default
        if rule.required:
            raise ConversionError("is missing" if raw is MISSING else "is null" if raw is None else "is empty")
        return MISSING if raw is MISSING else None
    if raw == "" and rule.required:
        raise ConversionError("is empty")
    return CONVERSIONS[rule.kind](raw)


# --- generated source -------------------------------------------------------------------------------------------------


def _generate(output: CompiledOutput) -> Callable[..., int]:
    """The fast function: (document, inputs, keep, failed) -> number of rows. keep is given (ordinal, data), failed an ordinal."""
    slots: dict[str, Any] = {"MISSING": MISSING, "find_rows": find_rows}
    lines = ["def run(document, inputs, keep, failed):", "    n = -1"]

    def slot(value: Any) -> str:
        name = f"s{len(slots)}"
        slots[name] = value
        return name

    indent = "    "
    variables = {ROOT: ("document", "0")}
    base = "document"
    for depth, (name, path) in enumerate(output.levels):
        finder = slot(_row_values(path, must_exist=depth == 0))
        position = f"i{depth}" if any(rule.source.position == name for rule in output.rules) else ""
        loop = (
            f"for {position}, r{depth} in enumerate({finder}({base})):"
            if position
            else f"for r{depth} in {finder}({base}):"
        )
        lines.append(f"{indent}{loop}")
        indent += "    "
        base = f"r{depth}"
        variables[name] = (base, position)
    lines += [f"{indent}n += 1", f"{indent}try:"]
    indent += "    "
    writer = _RowWriter(slot, indent, variables, base)
    for rule in output.rules:
        writer.field(rule)
    lines += writer.body()
    lines += [f"{indent}keep((n, d))", f"{indent[:-4]}except Exception:", f"{indent}failed(n)", "    return n + 1"]
    lines[0] = (
        f"def run(document, inputs, keep, failed, *, {', '.join(f'{name}={name}' for name in slots)}):"  # as parameters they are locals, which are quicker
    )
    scope: dict[str, Any] = dict(slots)
    exec(compile("\n".join(lines), "<mapping>", "exec"), scope)  # noqa: S102 generated identifiers only; see the module's docstring
    run: Callable[..., int] = scope["run"]
    return run


def _row_values(path: Path, *, must_exist: bool) -> Callable[[Any], list[Any]]:
    """A level's rows as plain values; the common `names[*]` over a list, or elements of one name, cost no nodes."""
    names = _plain_list(path) if isinstance(path, JsonPath) else path.names()

    def elements(base: Any) -> list[Any]:
        value = base
        for name in names or ():
            value = value.get(name, MISSING) if type(value) is dict else MISSING
        if names and type(value) is list:
            return value
        return [node.value for node in find_rows(path, base, must_exist=must_exist)]

    def values(base: Any) -> list[Any]:
        if names is not None:
            value = base
            for name in names:
                value = value.get(name, MISSING) if type(value) is dict else MISSING
            if type(value) is list:
                return value
        return [node.value for node in find_rows(path, base, must_exist=must_exist)]

    return values if isinstance(path, JsonPath) else elements


def _plain_list(path: Path) -> tuple[str, ...] | None:
    """The names that lead to a list whose elements the path selects (`trees[*]`), None if it does anything else."""
    if isinstance(path, XPath):
        return None
    names = _names(JsonPath(path.text, path.segments[:-1]))
    last = path.segments[-1] if path.segments else None
    return names if last is not None and last.selectors == (Wildcard(),) and not last.descendant else None


class _RowWriter:
    """Writes the body of one row: required fields first touch their path directly, so that a missing part raises; optional ones ask."""

    def __init__(
        self, slot: Callable[[Any], str], indent: str, variables: dict[str, tuple[str, str]], row: str
    ) -> None:
        self._slot, self._indent, self._variables, self._row = slot, indent, variables, row
        self._prefixes: dict[tuple[str, tuple[str, ...]], str] = {}
        self._lines: list[str] = ["d = {}"]

    def body(self) -> list[str]:
        return [self._indent + line for line in self._lines]

    def field(self, rule: Rule) -> None:
        name = self._slot(rule.name)
        source = rule.source
        names = _names(rule.path) if not source.is_all else None
        base = self._variables[source.level][0] if source.level else self._row
        if rule.path is not None and names is not None:
            read = self._member if isinstance(rule.path, JsonPath) else self._element
            self._lines.append(f"v = {self._read(base, names, read)}")
            if isinstance(rule.path, XPath) and source.is_text:
                self._lines.append(f"if v.__class__ is dict: v = {self._slot(text_of)}(v)")
        elif rule.path is not None:
            taken = self._slot(lambda value, source=source: _taken(source, Node((), value))[1])
            self._lines.append(f"v = {taken}({base})")
        elif source.position is not None:
            self._lines.append(f"v = {self._variables[source.position][1] or 0}")
        elif source.given is not None:
            self._lines.append(f"v = inputs.get({self._slot(source.given)}, MISSING)")
        else:
            self._lines.append(f"v = {self._slot(source.value)}")
        if rule.convert is not None:
            self._lines.append(f"if v is not MISSING and v is not None: v = {self._slot(rule.convert)}(v)")
        if isinstance(rule.path, XPath) and rule.kind not in ("text", "json"):
            self._lines.append("if v.__class__ is str: v = v.strip()")
        self._convert(rule, name)

    def _read(self, base: str, names: tuple[str, ...], member: Callable[[str, str], str]) -> str:
        """An expression for the member at `names` below `base`; every prefix is read once into a variable."""
        if not names:
            return base
        holder = base
        for length in range(1, len(names)):
            prefix = (base, names[:length])
            if prefix not in self._prefixes:
                variable = f"p{len(self._prefixes)}"
                self._lines.append(f"{variable} = {member(holder, names[length - 1])}")
                self._prefixes[prefix] = variable
            holder = self._prefixes[prefix]
        return member(holder, names[-1])

    def _element(self, holder: str, name: str) -> str:
        return f"{self._slot(_child)}({holder}, {self._slot(name)})"

    def _member(self, holder: str, name: str) -> str:
        return f"{holder}.get({self._slot(name)}, MISSING) if {holder}.__class__ is dict else MISSING"

    def _convert(self, rule: Rule, name: str) -> None:
        made = self._slot(lambda raw, rule=rule: _made(rule, raw))
        convert = self._slot(CONVERSIONS[rule.kind])
        if rule.kind == "text":
            lines = [f"if v.__class__ is str{' and v' if rule.required else ''}: d[{name}] = v"]
        elif rule.kind == "boolean":
            lines = [f"if v.__class__ is bool: d[{name}] = v"]
        elif rule.kind == "integer":
            lines = [f"if v.__class__ is int and -9223372036854775808 <= v <= 9223372036854775807: d[{name}] = v"]
        else:
            lines = [f"if v is not MISSING and v is not None and v != '': d[{name}] = {convert}(v)"]
        lines += ["else:", f"    v = {made}(v)", f"    if v is not MISSING: d[{name}] = v"]
        self._lines += lines


def _names(path: Path | None) -> tuple[str, ...] | None:
    """The member names a path goes through, if it does nothing else."""
    if isinstance(path, XPath):
        return path.names()
    place = path.singular() if path else None
    return place if place is not None and all(isinstance(part, str) for part in place) else None  # type: ignore[return-value]
