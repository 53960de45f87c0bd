"""A first record type and mapping from one response: what repeats becomes rows, what is wanted of a row becomes
fields."""

import json as stdlib_json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from msgspec import structs

from rondine.core.conversions.steps import DateOf
from rondine.core.conversions.types import CONVERSIONS, ConversionError, FieldType
from rondine.core.documents.elements import TEXT
from rondine.core.documents.reading import ReadDocument
from rondine.core.errors import MappingError
from rondine.core.mapping.document import (
    At,
    FieldRule,
    Format,
    Level,
    Link,
    MappingDocument,
    Output,
    RecordField,
    RecordTypeDocument,
    Source,
    parsed_source,
)
from rondine.core.mapping.taking import find_rows
from rondine.core.names import proposed_name, singular
from rondine.core.naming import USUAL_RULE, NamingRule
from rondine.core.paths import JsonPath, Node, XPath, parse_jsonpath, parse_xpath, short_form
from rondine.core.paths.jsonpath import Several
from rondine.core.schema import Correction, OutlineRow, Shape, decided_keys, document_outline, infer, outline
from rondine.core.schema.formats import LOCAL_MOMENT, date_patterns
from rondine.core.schema.infer import text_type

#: Names that services give their keys, the surest first.
KEY_NAMES = ("id", "key", "number", "code", "uuid", "ref")


@dataclass(frozen=True, slots=True)
class RowChoice:
    """A place whose values could become rows. path: a JSONPath, or an XPath.  count: how many there are.  holds:
    object, or what else."""

    path: str
    count: int
    holds: str


@dataclass(frozen=True, slots=True)
class ProposedPart:
    """A list of objects within a row, as records of their own that belong to it. path: from the row.  output: for the
    same mapping.  takes: the paths of its values, from the row around it."""

    name: str
    path: str
    record_type: RecordTypeDocument
    output: Output
    takes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Proposal:
    """A record type and a mapping, and what of the row could be records of their own. left_out: every path of a value
    that is in neither.  examples: of values, by field.  holders: the objects and lists in a row, with their paths, that
    could fill a field for structured content."""

    record_type_name: str
    record_type: RecordTypeDocument
    mapping: MappingDocument
    left_out: list[str]
    notes: list[str]
    parts: list[ProposedPart]
    examples: Mapping[str, list[str]]
    holders: Mapping[str, str | Source]


def row_choices(
    document: ReadDocument, corrections: Sequence[Correction] = (), shape: Shape | None = None
) -> list[RowChoice]:
    """What could become rows: lists of objects, and objects whose keys are data, first; longer ones before shorter
    ones, the whole response last.

    shape: the document's, if it is known already.
    """
    is_xml = document.is_xml
    shape = shape or infer([document.value], is_xml=is_xml, keys=decided_keys(corrections))
    return _element_choices(shape) if is_xml else _json_choices(document.value, shape)


def _element_choices(shape: Shape) -> list[RowChoice]:
    """Elements that repeat, those that hold others first; then single ones that hold others and may repeat another
    time; the root last."""
    root, *lines = document_outline(shape, is_xml=True)[1:]

    def rank(line: OutlineRow) -> tuple[bool, bool, int, int]:
        return (line.lengths is None, "object" not in line.types, -line.seen, line.depth)

    wanted = [one for one in lines if (one.lengths and one.lists == 1) or (not one.lists and not one.type)]
    return [
        RowChoice(outline_row.path, outline_row.seen, "object" if "object" in outline_row.types else "value")
        for outline_row in [*sorted(wanted, key=rank), root]
    ]


def _json_choices(document: Any, shape: Shape) -> list[RowChoice]:
    row_choices: list[RowChoice] = []

    def walk(row: OutlineRow) -> None:
        if ("array" in row.types or row.keys) and "[*]" not in row.path:
            nodes = parse_jsonpath(row.path + "[*]").find(document)
            if nodes:
                kinds = {"object" if isinstance(node.value, dict) else "value" for node in nodes}
                row_choices.append(
                    RowChoice(row.path + "[*]", len(nodes), "object" if kinds == {"object"} else "value")
                )

    for row in outline(shape):
        walk(row)
    row_choices.sort(key=lambda choice: (choice.holds != "object", -choice.count))
    return [*row_choices, RowChoice("$", 1, "object" if isinstance(document, dict) else "value")]


def propose(
    documents: Sequence[ReadDocument],
    *,
    rows: Sequence[str],
    name: str,
    take: Sequence[str] | None = None,
    corrections: Sequence[Correction] = (),
    rule: NamingRule = USUAL_RULE,
    types: Mapping[str, FieldType] | None = None,
    declared_key: Sequence[str] = (),
) -> Proposal:
    """A record type and mapping for rows at these levels.

    rows: one JSONPath (in XML: XPath) a level, each from the level around it.  take: paths of wanted values, each from
    the row (`$.measures.girth`, `soil:ph/@unit`); None takes every plain value.  corrections: what people said of the
    response, paths as in its outline.  rule: for the names of fields. types: of values, by path from the row, as a
    definition declares them.  declared_key: the paths of the key that it declares.
    """
    if not rows:
        raise MappingError("nothing was pointed at", where="rows", hint="say what becomes one row")
    of = _format_of(documents)
    nodes = [Node((), document.value) for document in documents]
    or_one: list[bool] = []
    for depth, path in enumerate(rows):
        parsed = parse_xpath(path) if of == "xml" else parse_jsonpath(path)
        or_one.append(_is_one_or_many(parsed, nodes))
        nodes = [
            row for node in nodes for row in find_rows(parsed, node.value, must_exist=depth == 0, or_one=or_one[-1])
        ]
    values = [node.value for node in nodes]
    if not values:
        raise MappingError(
            f"there is no row at {' '.join(rows)}",
            where="rows",
            hint="check the path, or take a response that has some",
        )
    of_row = _from_row(corrections, rows, of)
    shape = infer(values, is_xml=of == "xml", keys=decided_keys(of_row))
    all_lines = outline(shape, of_row, is_xml=of == "xml")
    lines = [
        line
        for line in all_lines
        if line.type and (not line.lists or _is_plain_list(line)) and "[*]" not in line.path and not _is_control(line)
    ]
    if of == "xml" and len(lines) > 1 and lines[0].path == "." and not lines[0].examples:
        lines = lines[1:]  # the row itself, which has attributes and no text
    units = _units(lines, of)
    said = {path for path, _ in units.values()}
    wanted = [
        line for line in lines if (take is None and line.path not in said) or (take is not None and line.path in take)
    ]
    if take is not None and (unknown := sorted(set(take) - {line.path for line in lines})):
        raise MappingError(
            f"no row has a value at {unknown[0]}",
            where="take",
            hint="take a value of the tree; objects are taken part by part",
        )
    if all(document.format == "csv" for document in documents):  # all its values are texts, whatever they mean
        types = {**_types_of_texts(shape, lines), **(types or {})}
    declared = {} if of == "xml" else _declared_types(lines, types or {}, values)
    fields: list[RecordField] = []
    rules: list[FieldRule] = []
    shapes: dict[str, Shape] = {}
    for line in wanted:
        field_name = _field_name(line, {one.name for one in fields}, name, rule)
        path_of_unit, unit = units.get(line.path, ("", ""))
        kind: Any = "json" if _is_plain_list(line) else declared.get(line.path, line.type)
        fields.append(RecordField(name=field_name, type=kind, unit=unit, searchable=kind != "json"))
        source, where = (one if of == "xml" or not one else _source(one) for one in (line.path, path_of_unit))
        if _is_plain_list(line):
            rules.append(FieldRule(name=field_name, source=Source(xpath=line.path, all=True)))
        else:
            steps = [] if line.path in declared else list(line.convert)
            rules.append(FieldRule(name=field_name, source=source, convert=steps, unit=where or None))
        shapes[field_name] = _element_at(shape, line.path) if of == "xml" else _shape_at(shape, line.path)
    levels = [
        structs.replace(level, or_one=one) if one else level
        for level, one in zip(_levels(rows, name, of), or_one, strict=True)
    ]
    if keys := _keys_of(nodes, parsed, rules):
        called = rule.name("field", "key", taken=[record_field.name for record_field in fields])
        fields.insert(0, RecordField(name=called, type="text", searchable=True))
        rules.insert(0, FieldRule(name=called, source=Source(key=levels[-1].level)))
        shapes[called] = infer(keys)
    by_path = (
        {line.path: field.name for line, field in zip(wanted, fields[-len(wanted) :], strict=True)} if wanted else {}
    )
    key = [by_path[path] for path in declared_key if path in by_path]
    is_declared = bool(key) and len(key) == len(declared_key)
    key = key if is_declared else _key(fields, shapes, len(values))
    rules = [structs.replace(rule, required=rule.name in key) for rule in rules]
    parts = _parts(documents, rows, name, fields, rules, key, _lists_in(all_lines, of), rule) if key else []
    covered = {line.path for line in wanted} | {path for line in wanted if (path := units.get(line.path, ("",))[0])}
    covered |= {path for part in parts for path in part.takes}
    return Proposal(
        name,
        RecordTypeDocument(fields=fields, key=key),
        MappingDocument(
            format=of,
            namespaces={prefix: uri for document in documents for prefix, uri in document.namespaces.items()},
            outputs=[Output(record_type=name, rows=levels, fields=rules)],
        ),
        _left_out(all_lines, covered),
        [
            *_notes(wanted, key),
            *_notes_of_units(rules, fields),
            *_notes_of_declared(declared, by_path, key, declared_key),
        ],
        parts,
        {name: [_as_text(example) for example in held.examples] for name, held in shapes.items()},
        {} if of == "xml" else _holders(all_lines),
    )


def _declared_types(
    lines: Sequence[OutlineRow], types: Mapping[str, FieldType], rows: Sequence[Any]
) -> dict[str, FieldType]:
    """The types that a definition declares where the samples show another one, and every value of the samples has
    them."""
    found: dict[str, FieldType] = {}
    for line in lines:
        declared = types.get(line.path)
        if declared is None or line.is_corrected or line.type not in ("text", "integer") or declared == line.type:
            continue
        path, convert = parse_jsonpath(line.path), CONVERSIONS[declared]
        try:
            for row in rows:
                for node in path.find(row):
                    if node.value is not None and node.value != "":
                        convert(node.value)
        except ConversionError:
            continue
        found[line.path] = declared
    return found


def _notes_of_declared(
    types: Mapping[str, FieldType], names: Mapping[str, str], key: Sequence[str], declared_key: Sequence[str]
) -> list[str]:
    notes = [f"{names[path]} is {kind}, as the definition says" for path, kind in types.items() if path in names]
    if declared_key and all(path in names for path in declared_key):
        notes.append(f"the key is {' and '.join(key)}, as the definition says")
    return notes


def _left_out(lines: Sequence[OutlineRow], covered: Collection[str]) -> list[str]:
    """The values that nothing takes; of a list of plain values, the list."""
    found: list[str] = []
    for line in lines:
        if line.type and not _is_empty(line) and not is_within(line.path, (*covered, *found)):
            found.append(line.path)
    return found


def is_within(path: str, others: Collection[str]) -> bool:
    """Whether a path is one of the others, or within one."""
    return any(path == other or path.startswith((f"{other}.", f"{other}[", f"{other}/")) for other in others)


def _is_plain_list(line: OutlineRow) -> bool:
    """Whether it is an element of XML that repeats and holds texts alone: of JSON such a list is a value by itself."""
    return line.lists == 1 and line.lengths is not None and bool(line.type) and "object" not in line.types


def _is_empty(line: OutlineRow) -> bool:
    """Whether it is an element of XML that has a text for its attributes or parts, but never did."""
    return not line.path.startswith("$") and "object" in line.types and not line.examples


def _holders(lines: Sequence[OutlineRow]) -> dict[str, str | Source]:
    return {line.path: _source(line.path) for line in lines if not line.type and line.depth and "[*]" not in line.path}


#: What a member or attribute is called that says the unit of the number beside it.
_UNITS = frozenset({"unit", "units", "uom"})


def _units(lines: Sequence[OutlineRow], of: Format) -> dict[str, tuple[str, str]]:
    """The numbers whose unit the rows say, the same in all of them: path -> (the unit's path, the unit). It stands
    beside the only number in its object; in XML in an attribute of the element, too.
    """
    found: dict[str, tuple[str, str]] = {}
    numbers = {line.path: line for line in lines if line.type in ("integer", "decimal")}
    for line in lines:
        if line.type != "text" or len(line.examples) != 1 or line.nulls or line.presence < 1:
            continue
        separator = "/" if of == "xml" else "."
        around, _, name = line.path.rpartition(separator)
        if _local(name).lower() not in _UNITS:
            continue
        beside = [path for path in numbers if path.rpartition(separator)[0] == around]
        if around in numbers and name.startswith("@"):
            beside = [around]
        if len(beside) == 1:
            found[beside[0]] = line.path, _as_text(line.examples[0]).strip()
    return found


def _notes_of_units(rules: Sequence[FieldRule], fields: Sequence[RecordField]) -> list[str]:
    units = {field.name: field.unit for field in fields}
    return [
        f"{rule.name} is in {units[rule.name]}, as the response says: in another unit its row is rejected"
        for rule in rules
        if rule.unit is not None
    ]


def _as_text(example: str) -> str:
    """An example, which is JSON, as the text it is."""
    return str(stdlib_json.loads(example)) if example.startswith('"') and example.endswith('"') else example


def _is_one_or_many(path: JsonPath | XPath, around: Sequence[Node]) -> bool:
    """Whether what a level goes through is a list in some samples and one object in others."""
    if isinstance(path, XPath) or not path.segments or not isinstance(path.segments[-1].selectors[0], Several):
        return False
    holder = JsonPath(path.text, path.segments[:-1])
    kinds = {type(found.value) for node in around for found in holder.find(node.value)}
    return dict in kinds and list in kinds


def _keys_of(nodes: Sequence[Node], path: JsonPath | XPath, rules: Sequence[FieldRule]) -> list[str]:
    """The keys under which the rows stand, if it is in objects whose keys are data and no field holds them anyway."""
    if isinstance(path, XPath) or not path.segments or not isinstance(path.segments[-1].selectors[0], Several):
        return []
    keys = [node.location[-1] if node.location else None for node in nodes]  # the only one stands in place of its list
    texts = [key for key in keys if isinstance(key, str)]
    if len(texts) != len(keys):
        return []
    paths = [parsed_source(rule.source, "json").path() for rule in rules]
    held = [[[one.value for one in path.find(node.value)] for node in nodes] for path in paths if path is not None]
    return [] if [[text] for text in texts] in held else texts


def _lists_in(lines: list[OutlineRow], of: Format) -> list[str]:
    """The lists of objects in a row, not those within them: paths from the row."""
    if of == "xml":
        return [line.path for line in lines if line.lengths and line.lists == 1 and "object" in line.types]
    lists = [line.path for line in lines if ("array" in line.types or line.keys) and "[*]" not in line.path]
    return [f"{path}[*]" for path in lists if any(line.path.startswith(f"{path}[*].") for line in lines)]


def _parts(
    documents: Sequence[ReadDocument],
    rows: Sequence[str],
    name: str,
    fields: Sequence[RecordField],
    rules: Sequence[FieldRule],
    key: Sequence[str],
    lists: Sequence[str],
    rule: NamingRule,
) -> list[ProposedPart]:
    """A record type for each list: its plain values, and the key of the row that it is in."""
    parts: list[ProposedPart] = []
    for path in lists:
        taken = [name, *(part.name for part in parts)]
        last = _local(path.removesuffix("[*]").rpartition("." if path.startswith("$") else "/")[2])
        part_name = rule.name("record type", f"{name} {singular(last)}", taken=taken)
        proposal = propose(documents, rows=[*rows, path], name=part_name, rule=rule)
        output = proposal.mapping.outputs[0]
        around = output.rows[-2].level
        own, holding, sources = [one.name for one in proposal.record_type.fields], [], []
        for part_of_key in key:
            source = next(one for one in rules if one.name == part_of_key)
            field = next(one for one in fields if one.name == part_of_key)
            held = rule.name("field", f"{name} {part_of_key}", taken=own)
            holding.append(RecordField(name=held, type=field.type, unit=field.unit, searchable=True))
            sources.append(
                FieldRule(
                    name=held,
                    source=_from_level(source.source, around, proposal.mapping.format),
                    convert=source.convert,
                    required=True,
                )
            )
        key_of_part = [one for one in proposal.record_type.key if any(_ends_as(one, ending) for ending in KEY_NAMES)]
        keyed = [
            field_rule.name
            for field_rule in output.fields
            if isinstance(field_rule.source, Source) and field_rule.source.key is not None
        ]
        if keyed and key_of_part in ([], keyed):
            key_of_part = [*(one.name for one in holding), *keyed]
        if not key_of_part:
            place = rule.name("field", "position", taken=[*own, *(one.name for one in holding)])
            holding.append(RecordField(name=place, type="integer"))
            sources.append(FieldRule(name=place, source=Source(position=output.rows[-1].level)))
            key_of_part = [one.name for one in holding]
        link = Link(record_type=name, fields=[record_field.name for record_field in holding[: len(key)]])
        record_type = RecordTypeDocument(fields=[*holding, *proposal.record_type.fields], key=key_of_part, links=[link])
        takes = tuple(
            _joined(path, taken) for rule in output.fields for taken in _paths_of(rule, proposal.mapping.format)
        )
        whole = structs.replace(output, fields=[*sources, *output.fields])
        parts.append(ProposedPart(part_name, path, record_type, whole, takes))
    return parts


def _paths_of(rule: FieldRule, of: Format) -> list[str]:
    """What a proposed rule takes from its row: a value, and its unit."""
    found = [parsed_source(one, of).path() for one in (rule.source, rule.unit) if one is not None]
    return [path.text for path in found if path is not None]


def _joined(path: str, inner: str) -> str:
    """A path from a row within another, as one from that."""
    if inner.startswith("$"):
        return path + inner[1:]
    return path if inner == "." else f"{path}/{inner}"


def _from_level(source: str | Source, level: str, of: Format) -> Source:
    """A source of the row, as one of the level around another."""
    written = parsed_source(source, of)
    if written.key is not None:
        return structs.replace(written, key=level)
    return written if written.level else structs.replace(written, level=level)


def _types_of_texts(shape: Shape, lines: Sequence[OutlineRow]) -> dict[str, FieldType]:
    """What texts are that are numbers, or true and false, by path."""
    kinds: dict[str, FieldType] = {"integer": "integer", "number": "decimal", "boolean": "boolean"}
    texts = {line.path: text_type(_shape_at(shape, line.path)) for line in lines if line.types[:1] == ["string"]}
    return {path: kinds[kind] for path, kind in texts.items() if kind in kinds}


def _format_of(documents: Sequence[ReadDocument]) -> Format:
    """The one format that all samples have."""
    if len({document.is_xml for document in documents}) > 1:
        raise MappingError("some samples are XML and some are JSON", where="bodies", hint="choose those of one format")
    return "xml" if documents and documents[0].is_xml else "json"


def _from_row(corrections: Sequence[Correction], rows: Sequence[str], of: Format) -> list[Correction]:
    """The corrections of a row's parts, with their paths from the row."""
    if of == "xml":
        whole = "/".join(path.removesuffix("/") for path in rows)
        found = [
            (correction, correction.path.removeprefix(whole))
            for correction in corrections
            if correction.path.startswith(whole)
        ]
        return [
            structs.replace(one, path=rest.removeprefix("/") or ".")
            for one, rest in found
            if not rest or rest.startswith("/")
        ]
    whole = "".join([rows[0], *(path[1:] for path in rows[1:])])
    return [
        structs.replace(correction, path="$" + correction.path.removeprefix(whole))
        for correction in corrections
        if correction.path.startswith(whole)
    ]


def _is_control(line: OutlineRow) -> bool:
    """Whether a member is about the response rather than in it: OData's annotations (4.0) and metadata (before)."""
    return (
        line.name.startswith("@odata.")
        or "@odata." in line.name
        or "__metadata" in line.path
        or "__deferred" in line.path
        or line.name in ("@xsi:type", "@xsi:schemaLocation", "@xsi:noNamespaceSchemaLocation", "@xml:base")
    )


def _levels(rows: Sequence[str], name: str, of: Format) -> list[Level]:
    levels: list[Level] = []
    for number, path in enumerate(rows):
        short = path if of == "xml" else short_form(parse_jsonpath(path))
        last = number == len(rows) - 1
        level = name if last else proposed_name(path, taken=[one.level for one in levels] + [name])
        levels.append(Level(level=level, at=short if short else At(jsonpath=path)))
    return levels


def _source(path: str) -> str | Source:
    short = short_form(parse_jsonpath(path))
    return short if short else Source(jsonpath=path)


def _field_name(line: OutlineRow, taken: set[str], row_name: str, rule: NamingRule) -> str:
    """The last name of the path, with those before it as long as it says nothing by itself; a clash puts the parent's
    before it; a plain value's row gives the record type's name."""
    if line.path in ("$", "."):
        return rule.name("field", row_name)
    name = line.name if line.path.startswith("$") else _local(line.name)
    if line.is_corrected:
        return rule.name("field", name, taken=taken)
    if line.path.startswith("$"):
        parents = [str(part) for part in parse_jsonpath(line.path).singular() or ()][:-1]
    else:
        parents = [_local(step) for step in line.path.split("/")][:-1]
    words = [name]
    while parents and _says_nothing(words[0]):
        words.insert(0, parents.pop())
    if rule.name("field", " ".join(words)) in taken:
        words = [*parents[-1:], *words]
    return rule.name("field", " ".join(words), taken=taken)


#: Names that services give to whatever is within something else.
_OF_ANYTHING = frozenset({"root", "value", "values", "item", "node", "element", "content", "object", "entry"})


def _says_nothing(name: str) -> bool:
    return len(name.lstrip("@_")) < 2 or name.lower() in _OF_ANYTHING


def _local(step: str) -> str:
    """The name in a step of an XPath, without its namespace."""
    return step.removeprefix("@").rpartition(":")[2].removesuffix("()")


def _shape_at(shape: Shape, path: str) -> Shape:
    for part in parse_jsonpath(path).singular() or ():
        shape = shape.members[str(part)]
    return shape


def _element_at(shape: Shape, path: str) -> Shape:
    for step in parse_xpath(path).names() or ():
        shape = shape.members[step]
    return shape.members.get(TEXT, shape)


def _key(fields: list[RecordField], shapes: dict[str, Shape], rows: int) -> list[str]:
    """The field that every row had, with values that are all different, by its name if several are; none if no field
    is."""
    unique = [
        field.name
        for field in fields
        if field.type in ("text", "integer") and (shape := shapes[field.name]).seen == rows and shape.is_unique()
    ]
    named = [name for ending in KEY_NAMES for name in unique if _ends_as(name, ending)]
    return (named or unique)[:1]


def _ends_as(name: str, ending: str) -> bool:
    return name == ending or name.endswith(f"_{ending}")


def _notes_of_dates(name: str, texts: list[str]) -> list[str]:
    """What keeps texts that look like dates from being read as such."""
    if texts and all(LOCAL_MOMENT.fullmatch(text) for text in texts):
        return [f"{name} is a date and time that does not say where: convert it to datetime, with its zone"]
    if texts and all(date_patterns(text) for text in texts):
        return [
            f"{name} is a date with the day first or the month first, nothing says which: convert it to date, as"
            " dd/MM/yyyy or MM/dd/yyyy"
        ]
    return []


def _notes(lines: list[OutlineRow], key: list[str]) -> list[str]:
    notes = []
    for line in lines:
        numbers = line.seen - line.nulls
        for step in line.convert:
            form = f"as {' and '.join(step.patterns)}" if isinstance(step, DateOf) else "with a decimal comma"
            notes.append(f"{line.name} is written {form}: read as {line.type}, converted on the way")
        if line.type == "text" and not line.is_corrected:
            notes += _notes_of_dates(line.name, [_as_text(example) for example in line.examples if example != '""'])
        if line.type == "decimal" and not line.convert and 0 < line.fractional < numbers:
            share = round(100 * (numbers - line.fractional) / numbers)
            notes.append(
                f"{line.name} is whole in {share}% of rows and fractional in the others: kept as decimal, so that 2 and"
                " 2.0 stay equal"
            )
        elif len([kind for kind in line.types if kind != "null"]) > 1:
            notes.append(
                f"{line.name} is sometimes {' and sometimes '.join(kind for kind in line.types if kind != 'null')}:"
                f" kept as {line.type}"
            )
    if not key:
        notes.append("no value tells every row from all others: choose the key")
    return notes
