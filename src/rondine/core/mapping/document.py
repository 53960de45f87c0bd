"""The mapping document and the record type: Rondine's own small language, version 1 (docs/mapping.md).

A mapping has outputs; each fills one record type. An output walks from the whole response inwards through named levels,
the last of which is the row. Each field says where its value comes from: a path from the row or from any level around
it, the position within a level, an input, or a fixed value. The language of a path is written beside it; only the plain
cases have a short form: names joined by dots in JSON (`core/paths/short.py`), an XPath in XML (`core/paths/xpath.py`).
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Annotated, Any, ClassVar, Literal

import msgspec
from msgspec import UNSET, Meta, UnsetType

from rondine.core.conversions.steps import Conversion
from rondine.core.conversions.types import FIELD_TYPES, FieldType
from rondine.core.errors import DraftError, InputError, Problem, RondineError, did_you_mean
from rondine.core.paths import JsonPath, WholeXPath, XPath, parse_jsonpath, parse_short, parse_xpath
from rondine.core.paths.iregexp import NotIRegexp, compiled
from rondine.core.paths.jsonpath import Index, Name, Segment
from rondine.core.paths.place import parse_pointer
from rondine.core.settings import Document

__all__ = [
    "FIELD_TYPES",
    "At",
    "FieldRule",
    "Level",
    "Link",
    "MappingDocument",
    "Output",
    "RecordField",
    "RecordTypeDocument",
    "Source",
    "problems_of",
]

FieldName = Annotated[
    str, Meta(pattern=r"^[a-z][a-z0-9_-]{0,62}$", description="small letters, digits, - and _, beginning with a letter")
]
ROOT = "root"
#: Sources within sources.
MOST_SOURCES = 8


class RecordField(Document, frozen=True):
    """One field of a record type."""

    name: FieldName
    type: FieldType
    title: str = ""
    unit: Annotated[str, Meta(description="shown beside the value")] = ""
    searchable: Annotated[bool, Meta(description="may be filtered and sorted by")] = False
    is_picture: Annotated[
        bool, Meta(description="a text that is the address of a picture, which the console shows in its place")
    ] = False


class Link(Document, frozen=True):
    """Each record belongs to a record of another type."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"record_type": "record-types"}

    record_type: FieldName
    fields: Annotated[list[FieldName], Meta(description="those that hold its key, in its order")]


class RecordTypeDocument(Document, frozen=True):
    """Named, typed fields with a key, by which one record is told from all others."""

    fields: list[RecordField] = []
    key: Annotated[
        list[FieldName],
        Meta(description="the fields that together tell one record from all others"),
    ] = []
    links: Annotated[list[Link], Meta(description="the records of other types that each belongs to")] = []
    kind: Annotated[
        Literal["kept", "live", "passing"],
        Meta(
            description=(
                "kept: copies in the database, filled by feeds; live: asked of the service whenever they are read, by"
                " the binding of the type; passing: for the length of a run or call, and nowhere after it"
            )
        ),
    ] = "kept"
    history: Annotated[
        Literal["none", "changes", "all"],
        Meta(
            description=(
                "what is written down of its records: nothing; what changed, went and came back; or when each came as"
                " well, which applications need that follow the changes"
            )
        ),
    ] = "changes"
    history_days: Annotated[
        Annotated[int, Meta(ge=1)] | None, Meta(description="days after which that is forgotten; by default never")
    ] = None
    gone_days: Annotated[
        Annotated[int, Meta(ge=1)] | None,
        Meta(description="days after which records that are gone are removed; by default never"),
    ] = None

    def field(self, name: str) -> RecordField | None:
        return next((record_field for record_field in self.fields if record_field.name == name), None)


#: A path over JSON, or over XML.
Path = JsonPath | XPath
Format = Literal["json", "xml"]


class At(Document, frozen=True):
    """A path written out, in one of three languages."""

    jsonpath: Annotated[str | None, Meta(description="by RFC 9535")] = None
    pointer: Annotated[str | None, Meta(description="by RFC 6901")] = None
    xpath: Annotated[str | None, Meta(description="of XML, by XPath 1.0")] = None

    def __post_init__(self) -> None:
        if [self.jsonpath, self.pointer, self.xpath].count(None) != 2:
            raise ValueError("give exactly one of jsonpath, pointer and xpath")

    def path(self) -> Path:
        if self.jsonpath is not None:
            return parse_jsonpath(self.jsonpath)
        return parse_xpath(self.xpath) if self.xpath is not None else pointer_path(self.pointer or "")


class Level(Document, frozen=True):
    """One level of repetition."""

    level: Annotated[FieldName, Meta(description="its name")]
    at: Annotated[str | At, Meta(description="the values it goes through, a path from the level around it")]
    or_one: Annotated[
        bool, Meta(description="of JSON, where a service sends one object in place of a list of one, that object")
    ] = False

    def path(self, of: Format = "json") -> Path:
        if isinstance(self.at, str):
            return parse_xpath(self.at) if of == "xml" else parse_short(self.at)
        return self.at.path()


class Source(Document, frozen=True):
    """Where a value comes from: exactly one of jsonpath, pointer, xpath, position, key, input, standing, header, value,
    first_of and several."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"standing": "standing-values"}

    level: Annotated[
        str,
        Meta(
            description=(
                'the level that a path starts from; left out, the row; "root", the whole response, where an xpath that'
                ' begins with "/" starts too'
            )
        ),
    ] = ""
    jsonpath: Annotated[str | None, Meta(description="by RFC 9535")] = None
    pointer: Annotated[str | None, Meta(description="by RFC 6901")] = None
    xpath: Annotated[str | None, Meta(description="of XML, by XPath 1.0")] = None
    all: Annotated[
        bool, Meta(description="a list of everything that the path finds, for json fields and conversions of lists")
    ] = False
    position: Annotated[
        str | None, Meta(description="the name of a level; the value's number in it, counted from 0")
    ] = None
    key: Annotated[
        str | None, Meta(description="the name of a level; what its value is called in the object it stands in")
    ] = None
    input: Annotated[str | None, Meta(description="the name of an input")] = None
    standing: Annotated[str | None, Meta(description="the name of a standing value of the environment")] = None
    header: Annotated[str | None, Meta(description="the name of a header of the response")] = None
    value: Annotated[Any | UnsetType, Meta(description="this value itself")] = UNSET
    first_of: Annotated["list[str | Source] | None", Meta(description="the first of these that has a value")] = None
    several: Annotated["list[str | Source] | None", Meta(description="a list of all of them")] = None

    def __post_init__(self) -> None:
        names = (
            "jsonpath",
            "pointer",
            "xpath",
            "position",
            "key",
            "input",
            "standing",
            "header",
            "first_of",
            "several",
        )
        given = [name for name in names if getattr(self, name) is not None]
        if self.value is not UNSET:
            given.append("value")
        if len(given) != 1:
            raise ValueError(f"give exactly one of {', '.join(names)} and value, not {' and '.join(given) or 'none'}")
        if (self.level or self.all) and given[0] not in names[:3]:
            raise ValueError(f"{'level' if self.level else 'all'} goes with a path, not with {given[0]}")

    def path(self) -> Path | None:
        if self.jsonpath is not None:
            return parse_jsonpath(self.jsonpath)
        if self.xpath is not None:
            return parse_xpath(self.xpath)
        return pointer_path(self.pointer) if self.pointer is not None else None


Comparison = Literal[
    "equal", "not_equal", "less", "at_most", "more", "at_least", "one_of", "none_of", "matches", "present", "absent"
]


@dataclass(frozen=True, slots=True)
class ComparisonForm:
    """How a comparison is offered. words: that stand between a value and what it is compared with.  takes: value, list
    or nothing."""

    name: Comparison
    words: str
    takes: Literal["value", "list", "nothing"] = "value"


COMPARISONS = (
    ComparisonForm("equal", "is"),
    ComparisonForm("not_equal", "is not"),
    ComparisonForm("less", "is less than"),
    ComparisonForm("at_most", "is at most"),
    ComparisonForm("more", "is more than"),
    ComparisonForm("at_least", "is at least"),
    ComparisonForm("one_of", "is one of", "list"),
    ComparisonForm("none_of", "is none of", "list"),
    ComparisonForm("matches", "matches"),
    ComparisonForm("present", "is there", "nothing"),
    ComparisonForm("absent", "is not there", "nothing"),
)
_TAKES = {form.name: form.takes for form in COMPARISONS}


class Condition(Document, rename={"source": "from"}, frozen=True):
    """A condition on a row."""

    source: Annotated["str | Source", Meta(description="where its value comes from")]
    is_: Annotated[
        Comparison, Meta(description="how that is compared; present means there, not null and not empty")
    ] = msgspec.field(name="is", default="equal")
    value: Annotated[
        Any | UnsetType,
        Meta(
            description=(
                "what it is compared with: a number or text, for one_of and none_of a list, for matches a regular"
                " expression (RFC 9485) that the whole text must have"
            )
        ),
    ] = UNSET


class FieldRule(Document, rename={"source": "from"}, frozen=True):
    """How one field gets its value."""

    name: Annotated[FieldName, Meta(description="of the field")]
    source: Annotated[str | Source, Meta(description="a path in its short form, or written out")]
    type: Annotated[FieldType | None, Meta(description="as the record type says, unless given")] = None
    unit: Annotated[
        str | Source | None,
        Meta(description="where the response says the value's unit: one in another unit than the field's does not fit"),
    ] = None
    required: Annotated[bool, Meta(description="a missing, null or empty value makes the row a reject")] = False
    default: Annotated[Any | UnsetType, Meta(description="for a missing or null value")] = UNSET
    convert: Annotated[list[Conversion], Meta(description="steps that it goes through, one after the other")] = []
    on_failure: Annotated[
        Literal["reject", "empty", "stop"],
        Meta(description="what a value that does not fit does: reject its row, leave the field empty, or stop the run"),
    ] = "reject"

    def parsed(self, of: Format = "json") -> Source:
        return parsed_source(self.source, of)


def parsed_source(source: str | Source, of: Format) -> Source:
    """The source written out: the short form, "measures.girth" or in XML "soil:ph/@unit", starts from the row."""
    if isinstance(source, Source):
        return source
    return Source(xpath=source) if of == "xml" else Source(jsonpath=parse_short(source).text)


class Output(Document, frozen=True):
    """The records of one type that a response brings."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"record_type": "record-types"}

    record_type: Annotated[FieldName, Meta(description="its name")]
    rows: Annotated[
        list[Level], Meta(description="from the whole response inwards, a level at a time; the last is the row")
    ] = []
    where: Annotated[
        list[Condition],
        Meta(description="conditions that a row must pass, all of them; others are counted as filtered"),
    ] = []
    fields: Annotated[list[FieldRule], Meta(description="a rule for each")] = []


class MappingDocument(Document, frozen=True):
    """The rules from a response to records."""

    REFERENCES: ClassVar[Mapping[str, str]] = {"based_on": "mappings"}

    version: Annotated[Literal[1], Meta(description="of this language")] = 1
    based_on: Annotated[
        FieldName | None, Meta(description="another mapping, from which this one has all that it does not say itself")
    ] = None
    format: Annotated[Format, Meta(description="what it reads; json is also one JSON value a line")] = "json"
    namespaces: Annotated[
        dict[str, str], Meta(description="what the prefixes in the paths of an XML mapping stand for")
    ] = {}
    outputs: Annotated[list[Output], Meta(description="one for each record type that it fills")] = []


def with_base(mapping: MappingDocument, base: MappingDocument) -> MappingDocument:
    """What a mapping says, with what it has from the one that it is based on: its outputs, by record type; of an output
    that both have, rows and conditions if it names none itself, and fields, of which its own replace those of the same
    name. The format is the base's.
    """
    own = {output.record_type: output for output in mapping.outputs}
    outputs = []
    for output in base.outputs:
        other = own.pop(output.record_type, None)
        if other is None:
            outputs.append(output)
            continue
        rules = {rule.name: rule for rule in [*output.fields, *other.fields]}
        outputs.append(
            Output(output.record_type, other.rows or output.rows, other.where or output.where, [*rules.values()])
        )
    return MappingDocument(
        format=base.format, namespaces={**base.namespaces, **mapping.namespaces}, outputs=[*outputs, *own.values()]
    )


def kept_part(
    mapping: MappingDocument, record_types: Mapping[str, RecordTypeDocument]
) -> tuple[MappingDocument, list[str]]:
    """The mapping with the outputs whose records are kept; and for each other one, what it is: "care is passing"."""
    kinds = {name: document.kind for name, document in record_types.items()}
    kept = [one for one in mapping.outputs if kinds.get(one.record_type, "kept") == "kept"]
    others = [f"{one.record_type} is {kinds[one.record_type]}" for one in mapping.outputs if one not in kept]
    return (msgspec.structs.replace(mapping, outputs=kept) if others else mapping), others


#: Mappings that are based on each other in a row.
MOST_BASES = 5


def resolved(mapping: MappingDocument, known: Mapping[str, MappingDocument]) -> MappingDocument:
    """A mapping with all that it is based on. known: the others, by name. Raises DraftError if one is not there, or
    they are based on each other."""
    own, chain = mapping, []
    while own.based_on is not None:
        name = own.based_on
        if name not in known:
            hint = did_you_mean(name, known) or "make it first, or leave based_on out"
            raise DraftError(f'there is no mapping "{name}"', where="/based_on", hint=hint)
        chain.append(own)
        own = known[name]
        if len(chain) > MOST_BASES:
            words = "mappings are based on each other in a circle, or more than five in a row"
            raise DraftError(words, where="/based_on", hint="leave based_on out of one of them")
    for one in reversed(chain):
        own = with_base(one, own)
    return own


def pointer_path(text: str) -> JsonPath:
    """A pointer as a path; a token of digits may be an index or a name, so it is both (RFC 6901, section 4)."""
    segments = []
    for token in parse_pointer(text):
        is_index = token == "0" or (token.isascii() and token.isdigit() and token[0] != "0")
        segments.append(Segment((Name(token), Index(int(token))) if is_index else (Name(token),)))
    return JsonPath(text, tuple(segments))


def problems_of(
    mapping: MappingDocument, record_types: dict[str, RecordTypeDocument], *, is_kept: bool = True
) -> list[Problem]:
    """Everything that keeps a mapping from running, each with its place in the document (a JSON Pointer). is_kept: its
    records are; they need a key."""
    problems = []
    if not mapping.outputs:
        problems.append(Problem("/outputs", "the mapping brings no records yet", "point at what becomes one row"))
    for number, output in enumerate(mapping.outputs):
        place = f"/outputs/{number}"
        record_type = record_types.get(output.record_type)
        if record_type is None:
            problems.append(
                Problem(
                    f"{place}/record_type",
                    f'there is no record type "{output.record_type}"',
                    did_you_mean(output.record_type, record_types) or "make it first",
                )
            )
        problems += _output_problems(output, record_type, place, mapping)
        if record_type and is_kept:
            problems += _key_problems(output, record_type, place)
    return problems


def _output_problems(
    output: Output, record_type: RecordTypeDocument | None, place: str, mapping: MappingDocument
) -> list[Problem]:
    problems: list[Problem] = []
    levels: list[str] = []
    if not output.rows:
        problems.append(
            Problem(
                f"{place}/rows", "no level says what becomes one row", 'such as {"level": "tree", "at": "trees[*]"}'
            )
        )
    for number, level in enumerate(output.rows):
        here = f"{place}/rows/{number}"
        if level.level in (*levels, ROOT):
            problems.append(
                Problem(f"{here}/level", f'the name "{level.level}" is taken', "give each level a name of its own")
            )
        levels.append(level.level)
        problems += _path_problems(f"{here}/at", partial(level.path, mapping.format), mapping)
    for number, condition in enumerate(output.where):
        problems += _condition_problems(condition, levels, f"{place}/where/{number}", mapping)
    names: set[str] = set()
    for number, rule in enumerate(output.fields):
        here = f"{place}/fields/{number}"
        if rule.name in names:
            problems.append(Problem(f"{here}/name", f'"{rule.name}" is filled twice', "keep one of the two rules"))
        names.add(rule.name)
        problems += _source_problems(rule.source, levels, f"{here}/from", mapping)
        if rule.unit is not None:
            problems += _source_problems(rule.unit, levels, f"{here}/unit", mapping)
        for at, step in enumerate(rule.convert):
            try:
                step.check()
            except InputError as error:
                problems.append(error.as_problem(f"{here}/convert/{at}/{error.where}"))
        known = record_type.field(rule.name) if record_type else None
        if record_type and known is None:
            problems.append(
                Problem(
                    f"{here}/name",
                    f'record type "{output.record_type}" has no field "{rule.name}"',
                    did_you_mean(rule.name, [f.name for f in record_type.fields]),
                )
            )
        if known and rule.unit is not None and not known.unit:
            words, hint = f'the field "{rule.name}" has no unit to compare with', "give it one in the record type"
            problems.append(Problem(f"{here}/unit", words, hint))
        if known and rule.type not in (None, known.type):
            problems.append(
                Problem(
                    f"{here}/type",
                    f"is {rule.type}, but the record type says {known.type}",
                    "leave it out, or change the record type",
                )
            )
    return problems


def _key_problems(output: Output, record_type: RecordTypeDocument, place: str) -> list[Problem]:
    if not record_type.key:
        words = f'record type "{output.record_type}" has no key'
        return [Problem(f"{place}/record_type", words, "name the fields that tell one record from another")]
    filled = {rule.name for rule in output.fields}
    return [
        Problem(f"{place}/fields", f'nothing fills the key field "{name}"', "take its value from the response")
        for name in record_type.key
        if name not in filled
    ]


def _source_problems(
    source: str | Source, levels: list[str], place: str, mapping: MappingDocument, depth: int = 0
) -> list[Problem]:
    problems = _path_problems(place, lambda: parsed_source(source, mapping.format).path(), mapping)
    if not isinstance(source, Source):
        return problems
    named = source.level or source.position or source.key
    if named and named not in (*levels, ROOT):
        problems.append(Problem(place, f'there is no level "{named}"', did_you_mean(named, [*levels, ROOT])))
    if depth > MOST_SOURCES:
        return [*problems, Problem(place, "sources stand too deep within each other", "take some away")]
    for word in ("first_of", "several"):
        inner = getattr(source, word)
        if inner == []:
            problems.append(Problem(f"{place}/{word}", "it names no source", "such as [number, id]"))
        for number, one in enumerate(inner or []):
            problems += _source_problems(one, levels, f"{place}/{word}/{number}", mapping, depth + 1)
    return problems


def _condition_problems(condition: Condition, levels: list[str], place: str, mapping: MappingDocument) -> list[Problem]:
    problems = _source_problems(condition.source, levels, f"{place}/from", mapping)
    takes = _TAKES[condition.is_]
    needs_none = takes == "nothing"
    if needs_none != (condition.value is UNSET):
        words = f'"{condition.is_}" is compared with nothing' if needs_none else "nothing is given to compare with"
        problems.append(Problem(f"{place}/value", words, "take the value away" if needs_none else "give a value"))
    elif takes == "list" and not isinstance(condition.value, list):
        problems.append(
            Problem(f"{place}/value", f'"{condition.is_}" is compared with a list', "give a list of values")
        )
    elif condition.is_ == "matches":
        try:
            compiled(str(condition.value))
        except NotIRegexp as error:
            problems.append(Problem(f"{place}/value", f"this is not a regular expression: {error}", "RFC 9485"))
    return problems


def source_problems(source: str | Source, place: str) -> list[Problem]:
    """What is wrong with a source outside of a mapping, of a response in JSON or XML: a path that is neither."""
    found = [_source_problems(source, [], place, MappingDocument(format=of)) for of in ("json", "xml")]
    return (
        min(found, key=lambda problems: sum("prefix" not in problem.message for problem in problems))
        if all(found)
        else []
    )


def condition_problems(condition: Condition, place: str) -> list[Problem]:
    """What is wrong with a condition on a whole response, in JSON or XML."""
    found = [_condition_problems(condition, [], place, MappingDocument(format=of)) for of in ("json", "xml")]
    return min(found, key=len) if all(found) else []


def _path_problems(place: str, read: Callable[[], Path | None], mapping: MappingDocument) -> list[Problem]:
    """What is wrong with a path: itself, its language, or a prefix that stands for nothing."""
    try:
        path = read()
    except RondineError as error:
        return [error.as_problem(place)]
    if path is None:
        return []
    if isinstance(path, XPath) != (mapping.format == "xml"):
        wanted, given = ("an XPath", "JSON") if mapping.format == "xml" else ("a JSONPath or pointer", "XML")
        return [
            Problem(
                place, f"this path is for {given}, and the mapping reads {mapping.format.upper()}", f"write {wanted}"
            )
        ]
    if isinstance(path, WholeXPath) and "/rows/" in place and not place.endswith("/rows/0/at"):
        words, hint = "an inner level goes inwards by names", "begin the first level there, or write a plain path"
        return [Problem(place, words, hint)]
    if isinstance(path, XPath) and path.is_absolute and "/rows/" in place and not place.endswith("/rows/0/at"):
        return [Problem(place, "an inner level begins at the one around it", "take the / at its beginning away")]
    if isinstance(path, XPath):
        return [
            Problem(
                place,
                f'the prefix "{prefix}" stands for no namespace',
                did_you_mean(prefix, mapping.namespaces) or "add it to the mapping's namespaces",
            )
            for prefix in sorted(path.prefixes() - {*mapping.namespaces, "xml", "xsi"})
        ]
    return []


def link_problems(document: RecordTypeDocument, record_types: Mapping[str, RecordTypeDocument]) -> list[Problem]:
    """What keeps links from leading anywhere. record_types: all of the project, by name."""
    problems = []
    for number, link in enumerate(document.links):
        place, other = f"/links/{number}", record_types.get(link.record_type)
        if other is None:
            hint = did_you_mean(link.record_type, record_types) or "make it first"
            problems.append(Problem(f"{place}/record_type", f'there is no record type "{link.record_type}"', hint))
            continue
        types = [_type_of(other, name) for name in other.key]
        own = [_type_of(document, name) for name in link.fields]
        for at, name in enumerate(link.fields):
            if document.field(name) is None:
                hint = did_you_mean(name, [record_field.name for record_field in document.fields])
                problems.append(Problem(f"{place}/fields/{at}", f'there is no field "{name}"', hint))
        if own != types and None not in own:
            words = f"the key of {link.record_type} is {', '.join(other.key) or 'not chosen yet'}"
            hint = "name a field of the same type for each of its parts, in that order"
            problems.append(Problem(f"{place}/fields", words, hint))
    return problems


def _type_of(document: RecordTypeDocument, name: str) -> str | None:
    field = document.field(name)
    return field.type if field else None


def record_type_problems(document: RecordTypeDocument) -> list[Problem]:
    problems = []
    names = [record_field.name for record_field in document.fields]
    for number, name in enumerate(names):
        if name in names[:number]:
            problems.append(
                Problem(f"/fields/{number}/name", f'the field "{name}" is there twice', "rename one of them")
            )
    if not document.key:
        problems.append(
            Problem("/key", "the record type has no key", "name the fields that tell one record from another")
        )
    for number, name in enumerate(document.key):
        field = document.field(name)
        if field is None:
            problems.append(Problem(f"/key/{number}", f'there is no field "{name}"', did_you_mean(name, names)))
        elif field.type == "json":
            problems.append(
                Problem(
                    f"/key/{number}", f'"{name}" is json, which cannot be part of a key', "take a text, number or date"
                )
            )
    return problems
