"""Where a mapping's values come from: sources ready to be taken, conditions on rows, and the rows that a level goes
through."""

from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from msgspec import UNSET

from rondine.core.conversions.steps import Quick, chain, quick_of
from rondine.core.conversions.types import CONVERSIONS, ConversionError, to_decimal, to_text
from rondine.core.documents.elements import TEXT, text_of
from rondine.core.documents.json import as_written, kind_of
from rondine.core.documents.members import MISSING
from rondine.core.documents.reading import ReadDocument
from rondine.core.errors import DraftError, MappingError, did_you_mean
from rondine.core.mapping.document import (
    ROOT,
    Condition,
    FieldRule,
    Format,
    Path,
    RecordTypeDocument,
    Source,
    parsed_source,
)
from rondine.core.paths import JsonPath, Location, Node, WholeXPath, XPath
from rondine.core.paths.filters import equal, less
from rondine.core.paths.iregexp import matches
from rondine.core.paths.jsonpath import Index, Name, Several, Wildcard
from rondine.core.paths.xpath_whole import place_from

EMPTY = (None, "")


@dataclass(frozen=True, slots=True)
class Taken:
    """A source with its path parsed. input: the name under which an input, standing value or header is given to a run;
    see `mapping_inputs`.

    first_of, several: sources within it.  is_text: of XML elements, their texts are taken.  location: where a JSONPath
    leads to, if to one value at most.
    """

    level: str = ""
    path: Path | None = None
    is_all: bool = False
    position: str | None = None
    key: str | None = None
    input: Hashable = None
    value: Any = None
    first_of: tuple["Taken", ...] = ()
    several: tuple["Taken", ...] = ()
    is_text: bool = True
    location: Location | None = None

    @property
    def is_plain(self) -> bool:
        """Whether generated source can take it, what is within it apart: all but keys, and expressions over a whole XML
        document."""
        return self.key is None and not isinstance(self.path, WholeXPath)

    def with_inner(self) -> "Iterator[Taken]":
        """The source, and the sources within it."""
        yield self
        for one in (*self.first_of, *self.several):
            yield from one.with_inner()


@dataclass(frozen=True, slots=True)
class Rule:
    """A field rule with its source parsed, its conversions found and its default converted. convert: None if it has no
    steps.  wanted_unit: the field's, if `unit` finds the value's.  quick: of `convert`, see `quick_of`.
    """

    name: str
    source: Taken
    convert: Callable[[Any], Any] | None
    kind: str
    required: bool
    default: Any
    on_failure: str
    unit: Taken | None = None
    wanted_unit: str = ""
    quick: Quick | None = None

    @property
    def path(self) -> Path | None:
        return self.source.path


#: Of a row: its levels by name as (node, position), the row itself under the empty name.
Levels = Mapping[str, tuple[Node, int]]


def mapping_inputs(
    inputs: Mapping[str, Any], standing: Mapping[str, Any] | None = None, headers: Iterable[tuple[str, str]] = ()
) -> dict[Hashable, Any]:
    """What a run is given besides the response: inputs by name, standing values and headers under names of their
    own."""
    found: dict[Hashable, Any] = {name: value for name, value in inputs.items()}  # noqa: C416 their names are of another type
    found.update({("standing", name): value for name, value in (standing or {}).items()})
    for name, value in headers:
        held = found.get(("header", name.lower()))
        found["header", name.lower()] = value if held is None else f"{held}, {value}"
    return found


def find_rows(path: Path, base: Any, *, must_exist: bool, or_one: bool = False) -> list[Node]:
    """What a level goes through. An empty list has no rows; so has null. A path that leads nowhere is an error at the
    first level only: further in, a missing list is an empty one. In XML a list without elements is not there at all:
    only what is around it must be.

    or_one: of JSON, an object where the path goes through a list is the only one of it.
    """
    if or_one and isinstance(path, JsonPath) and path.segments and path.segments[-1].selectors == (Wildcard(),):
        alone = JsonPath(path.text, path.segments[:-1]).find(base)
        if len(alone) == 1 and isinstance(alone[0].value, dict):
            return alone
    found = path.find(base)
    if isinstance(path, XPath):
        if not found and must_exist and not isinstance(path, WholeXPath):
            _check_around(path, base)
        return found
    if found or not must_exist or not path.segments:
        return found
    for length in reversed(range(len(path.segments))):
        if holders := JsonPath(path.text, path.segments[:length]).find(base):
            break
    if any(isinstance(selector, (Several, Index)) for selector in path.segments[length].selectors):
        if any(isinstance(node.value, (list, dict)) or node.value is None for node in holders):
            return []
        raise MappingError(
            f"{path.text} leads to a {kind_of(holders[0].value)}, not to a list",
            where=path.text,
            hint="point at a list, or leave out [*]",
        )
    missing = path.segments[length].selectors[0]
    names = sorted({name for node in holders if isinstance(node.value, dict) for name in node.value})
    hint = did_you_mean(missing.name, names) if isinstance(missing, Name) else ""
    hint = hint or f"the response is a {kind_of(base)}; look at what came back"
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


def made_rule(rule: FieldRule, record_type: RecordTypeDocument, of: Format) -> Rule:
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
        made_source(source, of, is_text=kind != "json" or bool(rule.convert), kind="json" if rule.convert else kind),
        chain(rule.convert) if rule.convert else None,
        kind,
        required,
        default,
        "reject" if required and rule.on_failure == "empty" else rule.on_failure,
        made_source(rule.unit, of, is_text=True) if rule.unit is not None else None,
        known.unit if known else "",
        quick_of(rule.convert),
    )


def made_source(source: str | Source, of: Format, *, is_text: bool, kind: str = "") -> Taken:
    """A source ready to be taken. is_text: elements of XML give their texts.  kind: of the field, if the value goes
    straight into it."""
    one = parsed_source(source, of)
    path = one.path()
    key: Hashable = one.input
    key = ("standing", one.standing) if one.standing is not None else key
    key = ("header", one.header.lower()) if one.header is not None else key
    return Taken(
        ROOT if isinstance(path, XPath) and path.is_absolute else one.level,
        path,
        one.all or (kind == "json" and isinstance(path, JsonPath) and path.selects_several()),
        one.position,
        one.key,
        key,
        None if one.value is UNSET else one.value,
        tuple(made_source(each, of, is_text=is_text) for each in one.first_of or ()),
        tuple(made_source(each, of, is_text=is_text) for each in one.several or ()),
        is_text,
        path.singular() if isinstance(path, JsonPath) else None,
    )


def value_in(read: ReadDocument, source: str | Source, inputs: Mapping[Hashable, Any] | None = None) -> Any:
    """What a source finds in a whole response, MISSING if nothing; of a path that finds several, the first."""
    taken = made_source(source, "xml" if read.is_xml else "json", is_text=True)
    if taken.path is not None:
        nodes = taken.path.find(read.value)
        value = nodes[0].value if nodes else MISSING
        return text_of(value) if read.is_xml and isinstance(value, (dict, str)) else value
    return take(taken, {ROOT: (Node((), read.value), 0), "": (Node((), read.value), 0)}, inputs or {})[1]


def is_nothing_in(read: ReadDocument, source: str | Source) -> bool:
    """Whether a source finds nothing in a whole response, or only what is null or empty; an element with attributes is
    something."""
    taken = made_source(source, "xml" if read.is_xml else "json", is_text=False)
    if taken.path is not None:
        return all(node.value in (None, "", [], {}) for node in taken.path.find(read.value))
    value = value_in(read, source)
    return value is MISSING or value in (None, "", [], {})


def holds_in(read: ReadDocument, condition: Condition, inputs: Mapping[Hashable, Any] | None = None) -> bool:
    """Whether a whole response passes a condition."""
    here = (Node((), read.value), 0)
    source = made_source(condition.source, "xml" if read.is_xml else "json", is_text=True)
    return holds(source, condition, {ROOT: here, "": here}, inputs or {})


def take(source: Taken, levels: Levels, inputs: Mapping[Hashable, Any]) -> tuple[Location | None, Any]:
    """What a source finds: (its place, it). Raises ConversionError if a path finds several for a field that takes
    one."""
    if source.path is not None:
        return found_by(source, levels[source.level][0], levels[ROOT][0])
    if source.position is not None:
        return None, levels[source.position][1]
    if source.key is not None:
        node = levels[source.key][0]
        return node.location or None, node.location[-1] if node.location else MISSING
    if source.input is not None:
        return None, inputs.get(source.input, MISSING)
    if source.first_of:
        for one in source.first_of:
            location, value = take(one, levels, inputs)
            if value is not MISSING and value not in EMPTY:
                return location, value
        return None, MISSING
    if source.several:
        found = [take(one, levels, inputs) for one in source.several]
        place = next((location for location, _ in found if location is not None), None)
        return place, [None if value is MISSING else value for _, value in found]
    return None, source.value


def holds(source: Taken, condition: Condition, levels: Levels, inputs: Mapping[Hashable, Any]) -> bool:
    """Whether a row passes a condition; one that finds several values does not."""
    try:
        _, value = take(source, levels, inputs)
    except ConversionError:
        return False
    return passes(condition, value)


def passes(condition: Condition, value: Any) -> bool:
    """Whether a value passes a condition. One that is not there is equal to nothing, and neither less nor more than
    anything."""
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
            return to_decimal(value.strip()), as_written(wanted)
        except ConversionError:
            return value, wanted
    return value, as_written(wanted) if isinstance(wanted, float) else wanted


def found_by(source: Taken, base: Node, document: Node | None = None) -> tuple[Location | None, Any]:
    """The value a source's path finds: (its place, it). Several are taken as a list where that is wanted, and refused
    otherwise."""
    assert source.path is not None
    if source.location is not None and not source.is_all:
        value = base.value
        for part in source.location:
            if not (part in value if value.__class__ is dict else value.__class__ is list and _is_index(part, value)):
                return None, MISSING
            value = value[part]
        return base.location + source.location, value
    if isinstance(source.path, WholeXPath):
        found = source.path.find_from(document or base, base)
    else:
        found = source.path.find(base.value)
    is_xml = isinstance(source.path, XPath)
    if source.is_all:
        place = place_from(base, found[0]) if found else None
        return place, [text_of(node.value) if is_xml and source.is_text else node.value for node in found]
    if not found:
        return None, MISSING
    if len(found) > 1:
        raise ConversionError(f"has {len(found)} values, and the field takes one")
    raw = found[0].value
    return place_from(base, found[0]), text_of(raw) if is_xml and source.is_text else raw


def _is_index(part: str | int, held: list[Any]) -> bool:
    return isinstance(part, int) and part < len(held)


def check_unit(rule: Rule, levels: Levels, inputs: Mapping[Hashable, Any]) -> None:
    """Raises ConversionError if the response says that a value is in another unit than its field, or does not say
    it."""
    if rule.unit is None:
        return
    _, said = take(rule.unit, levels, inputs)
    if said is MISSING or said in EMPTY:
        raise ConversionError(f"comes without its unit, and the field is in {rule.wanted_unit}")
    if to_text(said).strip() != rule.wanted_unit:
        raise ConversionError(f"is in {to_text(said).strip()[:40]}, and the field is in {rule.wanted_unit}")


def stepped(rule: Rule, raw: Any) -> Any:
    """What was found, gone through the rule's steps; blanks around a text of XML count in texts only."""
    if rule.convert is not None and raw is not MISSING and raw is not None:
        raw = rule.convert(raw)
    if isinstance(rule.path, XPath) and rule.kind not in ("text", "json") and raw.__class__ is str:
        return raw.strip()
    return raw


def made(rule: Rule, raw: Any) -> Any:
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
